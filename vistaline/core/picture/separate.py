"""From a picture and its cutouts to layers with clean edges and a filled plate."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from vistaline.core.errors import MaskError
from vistaline.core.picture.cutset import Cutout, CutSet
from vistaline.core.picture.exemplar import ExemplarSettings, Progress, fill_by_texture
from vistaline.core.picture.masks import hole_behind, masks_of
from vistaline.core.picture.matte import solve_edge
from vistaline.core.picture.select import stroke_mask
from vistaline.core.picture.smooth import fill_smoothly

__all__ = ["Filling", "SeparatedLayer", "Separation", "separate"]

Filling = Literal["texture", "smooth"]


@dataclass(frozen=True, kw_only=True, eq=False)
class SeparatedLayer:
    """A cutout as a picture of its own, cropped to what is not transparent."""

    name: str
    box: tuple[int, int, int, int]
    """x, y, width, height in the picture it was cut from."""
    rgba: np.ndarray
    """uint8 (height, width, 4): sRGB codes, straight alpha."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Separation:
    """Layers near to far, and the plate behind them."""

    layers: list[SeparatedLayer]
    plate: np.ndarray
    """uint8 (height, width, 3)."""


def separate(
    picture: np.ndarray,
    cutset: CutSet,
    *,
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
    if not cutset.cutouts:
        raise MaskError("There is no cutout yet. Cut something out first.")
    progress(0.0, "cutting")
    masks = masks_of(cutset, picture)
    layers = []
    for n, (cutout, mask) in enumerate(zip(cutset.cutouts, masks, strict=True)):
        progress(0.3 * n / len(masks), f"the edge of {cutout.name}")
        layers.append(_layer(picture, cutout, mask))
    hole = hole_behind(masks)
    if filling == "smooth":
        plate = fill_smoothly(picture, hole, seed=(settings or ExemplarSettings()).seed)
    else:
        plate = _filled(picture, hole, settings, progress)
    progress(1.0, "done")
    return Separation(layers=layers, plate=plate)


def _filled(
    picture: np.ndarray, hole: np.ndarray, settings: ExemplarSettings | None, progress: Progress
) -> np.ndarray:
    """Fill from the hole's neighbourhood: as far again as the hole is large."""
    rows, columns = np.flatnonzero(hole.any(axis=1)), np.flatnonzero(hole.any(axis=0))
    reach = max(64, int(rows[-1] - rows[0]), int(columns[-1] - columns[0]))
    part = (
        slice(max(0, rows[0] - reach), rows[-1] + 1 + reach),
        slice(max(0, columns[0] - reach), columns[-1] + 1 + reach),
    )
    plate = picture.copy()
    plate[part] = fill_by_texture(
        picture[part],
        hole[part],
        settings=settings,
        progress=lambda share, words: progress(0.3 + 0.7 * share, f"filling, {words}"),
    )
    return plate


def _layer(picture: np.ndarray, cutout: Cutout, mask: np.ndarray) -> SeparatedLayer:
    if not (mask > 127).any():
        raise MaskError(
            f"The mask of {cutout.name} is empty. Add something to it, or remove the cutout."
        )
    alpha, colours = mask, picture
    if cutout.edge_care and not (mask > 127).all():
        size = (picture.shape[1], picture.shape[0])
        hair = np.zeros(mask.shape, bool)
        for stroke in cutout.hair:
            hair |= stroke_mask(np.array(stroke.points), stroke.width, size) > 127
        matte = solve_edge(picture, mask, radius=cutout.band, hair=hair)
        alpha = np.rint(matte.alpha * 255).astype(np.uint8)
        colours = matte.foreground
    rows, columns = np.flatnonzero(alpha.any(axis=1)), np.flatnonzero(alpha.any(axis=0))
    x, y = int(columns[0]), int(rows[0])
    width, height = int(columns[-1]) + 1 - x, int(rows[-1]) + 1 - y
    part = (slice(y, y + height), slice(x, x + width))
    rgba = cv2.merge([*cv2.split(np.ascontiguousarray(colours[part])), alpha[part]])
    return SeparatedLayer(name=cutout.name, box=(x, y, width, height), rgba=rgba)
