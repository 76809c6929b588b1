"""Cutouts of one picture: masks as lists of steps, near to far, and what is left behind them.

Every step stays editable; a mask is computed from its steps each time. Points are pixels of the
picture, x right, y down, pixel centres at .5.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vistaline.core.errors import MaskError
from vistaline.core.picture.coverage import coverage_of, flatten_cubic
from vistaline.core.picture.select import guess_subject, likeness, stroke_mask
from vistaline.core.shot import explain

__all__ = [
    "Adjust",
    "CutSet",
    "Cutout",
    "Guess",
    "Likeness",
    "Outline",
    "OutlinePoint",
    "Paint",
    "Stroke",
    "hole_behind",
    "mask_of",
    "masks_of",
    "parse_cutset",
]

Pixels = Annotated[float, Field(ge=-100_000, le=100_000, allow_inf_nan=False)]
Point = tuple[Pixels, Pixels]
Effect = Literal["add", "take", "keep"]
_HOLE_SHARE = 0.006


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class OutlinePoint(_Part):
    """A point of an outline; handles are offsets, none on both sides of a stretch: straight."""

    at: Point
    before: Point | None = None
    after: Point | None = None


class Outline(_Part):
    """A closed outline of straight and cubic Bezier stretches."""

    kind: Literal["outline"] = "outline"
    effect: Effect = "add"
    points: tuple[OutlinePoint, ...] = Field(min_length=3, max_length=5000)


class Likeness(_Part):
    """What looks like the picture at a point."""

    kind: Literal["likeness"] = "likeness"
    effect: Effect = "add"
    at: Point
    tolerance: float = Field(12, ge=0, le=150, description="Distance in CIE Lab.")
    touching: bool = True
    sample: int = Field(3, ge=1, le=51)


class Stroke(_Part):
    """A brush drawn along points."""

    points: tuple[Point, ...] = Field(min_length=1, max_length=20_000)
    width: float = Field(40, gt=0, le=5000)
    softness: float = Field(0, ge=0, le=1)


class Paint(_Part):
    """Painted strokes."""

    kind: Literal["paint"] = "paint"
    effect: Effect = "add"
    strokes: tuple[Stroke, ...] = Field(min_length=1)


class Guess(_Part):
    """A subject found from strokes over it and beside it, or from a box round it."""

    kind: Literal["guess"] = "guess"
    effect: Effect = "add"
    this: tuple[Stroke, ...] = ()
    not_this: tuple[Stroke, ...] = ()
    box: tuple[Pixels, Pixels, Pixels, Pixels] | None = None


class Adjust(_Part):
    """A change to the mask so far."""

    kind: Literal["adjust"] = "adjust"
    grow: float = Field(0, ge=-500, le=500, description="Pixels; below 0 it shrinks.")
    soften: float = Field(0, ge=0, le=500, description="Pixels the edge fades over.")
    invert: bool = False


Step = Annotated[Outline | Likeness | Paint | Guess | Adjust, Field(discriminator="kind")]


class Cutout(_Part):
    """One subject: its mask's steps, and what is done at its edge."""

    name: str = Field(min_length=1, max_length=80)
    steps: tuple[Step, ...] = Field(min_length=1)
    edge_care: bool = True
    band: int | None = Field(None, ge=1, le=500, description="Half the edge band's width, pixels.")
    hair: tuple[Stroke, ...] = ()
    takes_away: bool = Field(True, description="Cutouts behind lose the pixels this one has.")


class CutSet(_Part):
    """All cutouts of one picture, near to far; the rest is the plate."""

    cutouts: tuple[Cutout, ...] = ()


def parse_cutset(document: Any) -> CutSet:
    """Return the cutouts a document describes.

    Raises
    ------
    MaskError
        With one sentence that names the field.
    """
    try:
        return CutSet.model_validate(document)
    except ValidationError as error:
        raise MaskError(str(explain(error, CutSet))) from error


def mask_of(cutout: Cutout, picture: np.ndarray) -> np.ndarray:
    """Return a cutout's mask, uint8 (height, width), of a picture uint8 (height, width, 3)."""
    mask = np.zeros(picture.shape[:2], np.uint8)
    for step in cutout.steps:
        if isinstance(step, Adjust):
            mask = _adjusted(mask, step)
        else:
            mask = _combined(mask, _drawn(step, picture), step.effect)
    return mask


def masks_of(cutset: CutSet, picture: np.ndarray) -> list[np.ndarray]:
    """Return the masks, near to far, each without what nearer ones take from it."""
    masks, left = [], np.full(picture.shape[:2], 255, np.uint8)
    for cutout in cutset.cutouts:
        mask = mask_of(cutout, picture)
        masks.append(cv2.multiply(mask, left, scale=1 / 255))
        if cutout.takes_away:
            left = cv2.multiply(left, 255 - mask, scale=1 / 255)
    return masks


def hole_behind(masks: list[np.ndarray]) -> np.ndarray:
    """Return what must be filled behind cutouts, bool: their masks and a rim around them.

    Without the rim a dotted outline of the subject would stay in every fill.
    """
    together = np.maximum.reduce(masks) > 0
    radius = max(4, round(together.shape[1] * _HOLE_SHARE))
    outside = (~together).astype(np.uint8)
    away: np.ndarray = cv2.distanceTransform(outside, cv2.DIST_L2, cv2.DIST_MASK_5)
    return away <= radius


def _drawn(step: Outline | Likeness | Paint | Guess, picture: np.ndarray) -> np.ndarray:
    size = (picture.shape[1], picture.shape[0])
    if isinstance(step, Outline):
        return coverage_of(_polygon(step), size)
    if isinstance(step, Likeness):
        return likeness(
            picture,
            step.at,
            tolerance=step.tolerance,
            touching=step.touching,
            sample=step.sample,
        )
    if isinstance(step, Paint):
        return _painted(step.strokes, size)
    return guess_subject(
        picture,
        _painted(step.this, size) > 127,
        _painted(step.not_this, size) > 127,
        box=step.box,
    )


def _polygon(outline: Outline) -> np.ndarray:
    pieces = []
    points = outline.points
    for start, end in zip(points, points[1:] + points[:1], strict=True):
        a, d = np.array(start.at), np.array(end.at)
        if start.after is None and end.before is None:
            pieces.append(d[None])
        else:
            pieces.append(
                flatten_cubic(a, a + (start.after or (0, 0)), d + (end.before or (0, 0)), d)
            )
    return np.concatenate(pieces)


def _painted(strokes: tuple[Stroke, ...], size: tuple[int, int]) -> np.ndarray:
    mask = np.zeros((size[1], size[0]), np.uint8)
    for stroke in strokes:
        drawn = stroke_mask(np.array(stroke.points), stroke.width, size, softness=stroke.softness)
        np.maximum(mask, drawn, out=mask)
    return mask


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
