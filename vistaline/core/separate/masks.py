"""Masks from their steps. A mask is uint8 (height, width), 0..255.

A mask is built stroke by stroke, so whoever keeps the mask of a step's first strokes need not
paint them again: ``stages`` names every mask on the way.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from typing import assert_never

import cv2
import numpy as np

from vistaline.core.errors import MaskError
from vistaline.core.picture.coverage import coverage_of, flatten_cubic
from vistaline.core.picture.strokes import painted
from vistaline.core.separate.cutset import (
    Adjust,
    Cutout,
    CutSet,
    DepthBand,
    DrawnStep,
    Effect,
    Guess,
    Likeness,
    Outline,
    OutlinePoint,
    Paint,
    Plane,
    Step,
)
from vistaline.core.separate.guess import guess_subject
from vistaline.core.separate.select import likeness

__all__ = [
    "Maps",
    "advance",
    "hole_behind",
    "mask_of",
    "masks_of",
    "polygon_of",
    "stages",
    "together",
]

Maps = Mapping[str, np.ndarray]
"""Depth maps by key: float32 (height, width), 0 near to 1 far, of the picture's size."""
_HOLE_SHARE = 0.006


def mask_of(cutout: Cutout, picture: np.ndarray, maps: Maps | None = None) -> np.ndarray:
    """Return a cutout's mask of a picture uint8 (height, width, 3)."""
    mask = np.zeros(picture.shape[:2], np.uint8)
    for step in cutout.steps:
        mask = advance(mask, step, picture, maps)
    return mask


def stages(cutout: Cutout) -> list[tuple[str, Step]]:
    """Return the smallest steps a mask is made by, each with the name of the mask after it.

    Names are hashes of all that went before, so equal beginnings have equal names.
    """
    found, digest = [], hashlib.sha256()
    for step in cutout.steps:
        for atom in _atoms(step):
            digest.update(atom.model_dump_json().encode())
            found.append((digest.copy().hexdigest()[:32], atom))
    return found


def _atoms(step: Step) -> Iterator[Step]:
    # Adding strokes one by one is adding their maximum, taking likewise; keeping is not.
    if isinstance(step, Paint) and step.effect != "keep":
        for stroke in step.strokes:
            yield step.evolve(strokes=(stroke,))
    else:
        yield step


def advance(
    mask: np.ndarray, step: Step, picture: np.ndarray, maps: Maps | None = None
) -> np.ndarray:
    """Return the mask after one more step."""
    if isinstance(step, Adjust):
        return _adjusted(mask, step)
    return _combined(mask, _drawn(step, picture, maps or {}), step.effect)


def masks_of(cutset: CutSet, picture: np.ndarray, maps: Maps | None = None) -> list[np.ndarray]:
    """Return the masks, near to far, each without what nearer ones take from it."""
    return together(cutset, [mask_of(cutout, picture, maps) for cutout in cutset.cutouts])


def together(cutset: CutSet, drawn: Sequence[np.ndarray]) -> list[np.ndarray]:
    """Return drawn masks, near to far, each without what nearer ones take from it."""
    masks: list[np.ndarray] = []
    left: np.ndarray | None = None
    for cutout, mask in zip(cutset.cutouts, drawn, strict=True):
        masks.append(mask if left is None else cv2.multiply(mask, left, scale=1 / 255))
        if cutout.takes_away and not cutout.hidden:
            rest = 255 - mask
            left = rest if left is None else cv2.multiply(left, rest, scale=1 / 255)
    return masks


def hole_behind(masks: Sequence[np.ndarray]) -> np.ndarray:
    """Return what must be filled behind cutouts, bool: their masks and a rim around them.

    Without the rim a dotted outline of the subject would stay in every fill.
    """
    together_ = np.maximum.reduce(list(masks)) > 0
    radius = max(4, round(together_.shape[1] * _HOLE_SHARE))
    outside = (~together_).astype(np.uint8)
    away: np.ndarray = cv2.distanceTransform(outside, cv2.DIST_L2, cv2.DIST_MASK_5)
    return away <= radius


def _drawn(step: DrawnStep, picture: np.ndarray, maps: Maps) -> np.ndarray:
    size = (picture.shape[1], picture.shape[0])
    match step:
        case Outline():
            return coverage_of(polygon_of(step.points), size)
        case Plane():
            return coverage_of(np.array(step.corners), size)
        case Likeness():
            return likeness(
                picture,
                step.at,
                tolerance=step.tolerance,
                touching=step.touching,
                sample=step.sample,
            )
        case Paint():
            return painted(step.strokes, size)
        case DepthBand():
            return _band(step, maps)
        case Guess():
            return guess_subject(
                picture,
                painted(step.this, size) > 127,
                painted(step.not_this, size) > 127,
                box=step.box,
                alone=step.alone,
            )
    assert_never(step)


def _band(step: DepthBand, maps: Maps) -> np.ndarray:
    if step.map not in maps:
        raise MaskError("The depth map of a slice is gone. Choose another, or remove the slice.")
    depth, fade = maps[step.map], max(step.overlap, 1e-3)
    # Each end fades over the overlap, half of it beyond the band: neighbours share that much.
    inner = np.clip((depth - step.near) / fade + 0.5, 0, 1) if step.near > 0 else 1.0
    outer = np.clip((step.far - depth) / fade + 0.5, 0, 1) if step.far < 1 else 1.0
    return np.rint(255 * np.minimum(inner, outer) * np.ones_like(depth)).astype(np.uint8)


def polygon_of(points: Sequence[OutlinePoint]) -> np.ndarray:
    """Return the corners (N, 2) of a closed outline, its curves flattened."""
    pieces = []
    for start, end in zip(points, [*points[1:], points[0]], strict=True):
        a, d = np.array(start.at), np.array(end.at)
        if start.after is None and end.before is None:
            pieces.append(d[None])
        else:
            pieces.append(
                flatten_cubic(a, a + (start.after or (0, 0)), d + (end.before or (0, 0)), d)
            )
    return np.concatenate(pieces)


def _combined(mask: np.ndarray, drawn: np.ndarray, effect: Effect) -> np.ndarray:
    if effect == "add":
        return np.maximum(mask, drawn)
    return np.minimum(mask, drawn if effect == "keep" else 255 - drawn)


def _adjusted(mask: np.ndarray, step: Adjust) -> np.ndarray:
    if step.grow:
        inside = (mask > 127).astype(np.uint8)
        # Signed distance to the edge: exact to half a pixel, and rounds corners as a brush would.
        distance = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        beyond = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        signed = distance - beyond + np.where(inside, -0.5, 0.5)
        mask = np.clip((signed + step.grow + 0.5) * 255, 0, 255).astype(np.uint8)
    if step.soften:
        # A fade over n pixels is about a Gaussian of a quarter of that.
        mask = cv2.GaussianBlur(mask, (0, 0), step.soften / 4)
    return 255 - mask if step.invert else mask
