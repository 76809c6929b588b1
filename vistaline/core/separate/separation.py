"""From a picture and its cutouts to layers with clean edges and a filled plate."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from vistaline.core.errors import FillError, MaskError
from vistaline.core.model import Part
from vistaline.core.picture.exemplar import ExemplarSettings, Progress, fill_by_texture
from vistaline.core.picture.smooth import fill_smoothly
from vistaline.core.picture.strokes import Point, Stroke, painted
from vistaline.core.separate.cutset import Cutout, CutSet
from vistaline.core.separate.masks import Maps, hole_behind, masks_of
from vistaline.core.separate.matte import solve_edge

__all__ = [
    "Clone",
    "Filling",
    "SeparatedLayer",
    "Separation",
    "cloned",
    "cut_layer",
    "fill_hole",
    "separate",
]

Filling = Literal["texture", "smooth"]


class Clone(Part):
    """A brush stroke that copies from beside it."""

    stroke: Stroke
    offset: Point
    """From where it paints to where it takes from, in pixels."""


@dataclass(frozen=True, kw_only=True, eq=False)
class SeparatedLayer:
    """A cutout as a picture of its own, cropped to what is not transparent."""

    name: str
    box: tuple[int, int, int, int]
    """x, y, width, height in the picture it was cut from."""
    rgba: np.ndarray
    """(height, width, 4), as deep as the picture: sRGB codes, straight alpha."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Separation:
    """Layers near to far, and the plate behind them."""

    layers: list[SeparatedLayer]
    plate: np.ndarray
    """As the picture."""


def separate(
    picture: np.ndarray,
    cutset: CutSet,
    *,
    maps: Maps | None = None,
    filling: Filling = "texture",
    settings: ExemplarSettings | None = None,
    progress: Progress = lambda share, words: None,
) -> Separation:
    """Cut a picture, uint8 (height, width, 3), into layers and fill what they hid.

    Raises
    ------
    MaskError
        A mask is empty, or there is no cutout.
    FillError
        Nothing is left to fill with.
    """
    shown = [n for n, cutout in enumerate(cutset.cutouts) if not cutout.hidden]
    if not shown:
        raise MaskError("There is no cutout yet. Cut something out first.")
    progress(0.0, "cutting")
    masks = masks_of(cutset, picture, maps)
    layers = []
    for n in shown:
        cutout = cutset.cutouts[n]
        progress(0.3 * n / len(masks), f"the edge of {cutout.name}")
        layers.append(cut_layer(picture, cutout, masks[n]))
    plate = fill_hole(
        picture,
        hole_behind([masks[n] for n in shown]),
        filling=filling,
        settings=settings,
        progress=lambda share, words: progress(0.3 + 0.7 * share, words),
    )
    return Separation(layers=layers, plate=plate)


def fill_hole(
    picture: np.ndarray,
    hole: np.ndarray,
    *,
    filling: Filling = "texture",
    sources: np.ndarray | None = None,
    settings: ExemplarSettings | None = None,
    progress: Progress = lambda share, words: None,
) -> np.ndarray:
    """Return a picture, uint8 or uint16 (height, width, 3), with its hole (bool) filled.

    Only the hole's neighbourhood is looked at: as far again as the hole is large, or wherever
    ``sources`` (bool) says texture may be taken from. Texture of a 16-bit picture is found and
    put in at 8 bits; what lies outside the hole keeps its 16.

    Raises
    ------
    FillError
        There is no hole, it is the whole picture, or nothing is left to fill with.
    """
    if not hole.any():
        raise FillError("There is nothing to fill: no cutout has a mask yet. Cut something out.")
    if hole.all():
        raise FillError("The hole is the whole picture; nothing is left to fill it with.")
    settings = settings or ExemplarSettings()
    part = _neighbourhood(hole, sources)
    plate = picture.copy()
    if filling == "smooth":
        progress(0.1, "smooth continuation")
        plate[part] = fill_smoothly(picture[part], hole[part], seed=settings.seed)
    else:
        deep = picture.dtype == np.uint16
        codes = (picture[part] >> 8).astype(np.uint8) if deep else picture[part]
        filled = fill_by_texture(
            codes,
            hole[part],
            sources=None if sources is None else sources[part],
            settings=settings,
            progress=lambda share, words: progress(share, f"filling, {words}"),
        )
        inside = hole[part]
        plate[part][inside] = filled[inside].astype(picture.dtype) * (257 if deep else 1)
    progress(1.0, "done")
    return plate


def _neighbourhood(hole: np.ndarray, sources: np.ndarray | None) -> tuple[slice, slice]:
    rows, columns = np.flatnonzero(hole.any(axis=1)), np.flatnonzero(hole.any(axis=0))
    reach = max(64, int(rows[-1] - rows[0]), int(columns[-1] - columns[0]))
    top, bottom = max(0, rows[0] - reach), rows[-1] + 1 + reach
    left, right = max(0, columns[0] - reach), columns[-1] + 1 + reach
    if sources is not None and not (sources & ~hole)[top:bottom, left:right].any():
        return slice(0, None), slice(0, None)  # what may be taken lies farther away
    return slice(top, bottom), slice(left, right)


def cloned(plate: np.ndarray, clones: Sequence[Clone]) -> np.ndarray:
    """Return a plate with clone strokes painted, one after the other."""
    out = plate.copy()
    height, width = plate.shape[:2]
    for clone in clones:
        share = painted([clone.stroke], (width, height)).astype(np.float32) / 255
        rows, columns = np.flatnonzero(share.any(axis=1)), np.flatnonzero(share.any(axis=0))
        if not len(rows):
            continue
        part = (slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1))
        dx, dy = round(clone.offset[0]), round(clone.offset[1])
        # Beyond the picture's edge its last pixels go on.
        y = np.clip(np.arange(rows[0], rows[-1] + 1) + dy, 0, height - 1)
        x = np.clip(np.arange(columns[0], columns[-1] + 1) + dx, 0, width - 1)
        weight = share[part][..., None]
        mixed = out[np.ix_(y, x)] * weight + out[part] * (1 - weight)
        out[part] = np.rint(mixed).astype(plate.dtype)
    return out


def cut_layer(
    picture: np.ndarray,
    cutout: Cutout,
    mask: np.ndarray,
    *,
    behind: np.ndarray | None = None,
    opacity: np.ndarray | None = None,
) -> SeparatedLayer:
    """Return a cutout as a layer: real alpha at its edge, its own colours there.

    ``picture`` is uint8 or uint16 (height, width, 3). ``behind`` is the same with what is nearer
    than this cutout filled; given, the layer's colours come from it. ``opacity`` (height, width),
    as deep as the picture, is the picture's own alpha.

    Raises
    ------
    MaskError
        The mask is empty.
    """
    if not (mask > 127).any():
        raise MaskError(
            f"The mask of {cutout.name} is empty. Add something to it, or remove the cutout."
        )
    codes = picture if behind is None else behind
    full = int(np.iinfo(codes.dtype).max)
    alpha, colours = mask.astype(codes.dtype) * (full // 255), codes
    if cutout.edge_care and not (mask > 127).all():
        hair = painted(cutout.hair, (codes.shape[1], codes.shape[0])) > 127
        matte = solve_edge(codes, mask, radius=cutout.band, hair=hair)
        alpha = np.rint(matte.alpha * full).astype(codes.dtype)
        colours = matte.foreground
    if opacity is not None and opacity.min() < np.iinfo(opacity.dtype).max:
        alpha = cv2.multiply(alpha, opacity, scale=1 / full)
    rows, columns = np.flatnonzero(alpha.any(axis=1)), np.flatnonzero(alpha.any(axis=0))
    if not len(rows):
        raise MaskError(f"{cutout.name} holds only what is transparent in the picture.")
    x, y = int(columns[0]), int(rows[0])
    width, height = int(columns[-1]) + 1 - x, int(rows[-1]) + 1 - y
    part = (slice(y, y + height), slice(x, x + width))
    rgba = cv2.merge([*cv2.split(np.ascontiguousarray(colours[part])), alpha[part]])
    return SeparatedLayer(name=cutout.name, box=(x, y, width, height), rgba=rgba)
