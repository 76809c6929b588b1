"""The look ahead as pictures: what is laid over the frame, and over a picture of the shot."""

from __future__ import annotations

import numpy as np

from vistaline.core.foresight.looking import BARE, UNCOUNTED

__all__ = ["LEVELS", "paint_frame", "paint_picture"]

LEVELS = ((0.25, (196, 48, 40, 215)), (0.5, (226, 120, 30, 190)), (0.75, (240, 196, 60, 150)))
"""Below how many source pixels per output pixel, and the colour (RGBA codes) that says so."""
_BARE, _BARS = (24, 30, 44, 235), (240, 165, 58, 255)
_STRIPE = 12
"""Pixels from stripe to stripe: what is bare is striped, whatever its colour is seen as."""


def _levels(stretch: np.ndarray) -> np.ndarray:
    painted = np.zeros((*stretch.shape[:2], 4), np.uint8)
    for below, colour in reversed(LEVELS):
        painted[(stretch >= 0) & (stretch < below)] = colour
    return painted


def paint_frame(stretch: np.ndarray) -> np.ndarray:
    """Return a frame's map (height, width, 4) uint8, straight alpha, from its stretch."""
    painted = _levels(np.where(stretch == np.float32(UNCOUNTED), np.inf, stretch))
    y, x = np.ogrid[: stretch.shape[0], : stretch.shape[1]]
    bare = stretch == BARE
    painted[bare] = _BARE
    painted[bare & ((x + y) % _STRIPE < _STRIPE // 3)] = _BARS
    return painted


def paint_picture(thumbnail: np.ndarray, least: np.ndarray) -> np.ndarray:
    """Return a picture (height, width, 3) uint8 with the least stretch its parts come to.

    ``least`` (rows, columns): inf where a part is never seen, which is darkened.
    """
    height, width = thumbnail.shape[:2]
    rows = np.arange(height) * least.shape[0] // height
    columns = np.arange(width) * least.shape[1] // width
    fine = least[rows[:, None], columns]
    painted = _levels(fine)
    shown = np.where(np.isinf(fine)[..., None], thumbnail * 0.35, thumbnail.astype(float))
    share = painted[..., 3:] / 255
    mixed = shown * (1 - share) + painted[..., :3] * share
    return np.rint(mixed).astype(np.uint8)
