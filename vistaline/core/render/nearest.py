"""How near what is seen is, pixel by pixel: sharp, at the frame's own moment, for others' blur."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from vistaline.core.render.canvas import Canvas
from vistaline.core.render.laying import PIECE, Cards
from vistaline.core.render.placing import Placed
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH

__all__ = ["nearest_of"]

_THERE = 0.5
"""Of a pixel, what must be covered to count: a mean of two depths is a place where nothing is."""


def nearest_of(canvas: Canvas, placed: Iterable[Placed]) -> np.ndarray:
    """Return 1/z of the nearest thing that covers half of a pixel: (height, width) float32, 1/m.

    z is along the camera's axis; 0 where nothing is. What is blended otherwise than normally, as
    dust laid over, is not in the way.
    """
    found = np.zeros((canvas.height, canvas.width), np.float32)
    for card in placed:
        if card.mode:
            continue
        # One at a time: in a deep stack some would have no pixels before they are needed.
        laid = canvas.lay([card], False)
        for band in canvas.bands:
            y0, y1 = canvas.rows_of(band)
            told = laid.band(0, band)
            if told.tiles.any():
                _nearer(told, y0, found[y0:y1])
    return found


def _nearer(told: Cards, y0: int, found: np.ndarray) -> None:
    rows, width = found.shape
    y, x = np.mgrid[y0 : y0 + rows, 0:width].astype(np.float32) + np.float32(0.5)
    codes = told.buffers[0].view(np.uint16).reshape(-1, width, 4)[:rows, :, 3]
    share = codes * (told.opacity[0] / np.float32(65535))
    for a, b, c in told.edges[0]:
        share *= np.clip(a * x + b * y + c + np.float32(0.5), 0, 1)
    there = share >= _THERE
    left, top, right, bottom = told.spans[0]
    there &= (x > left) & (x < right) & (y > top) & (y < bottom)
    there &= _spread(told.tiles[0], TILE_HEIGHT, TILE_WIDTH, rows, width)
    if told.sparse[0] >= 0:
        there &= _spread(told.marks[0], 1, PIECE, rows, width)
    if told.curved[0] >= 0:
        near = told.near[0][:rows]
    else:
        a, b, c = told.nearness[0]
        near = (a * x + b * y + c).astype(np.float32)
    np.maximum(found, np.where(there, near, 0), out=found)


def _spread(marks: np.ndarray, high: int, wide: int, rows: int, width: int) -> np.ndarray:
    """Return marks of pieces as marks of pixels."""
    return np.repeat(np.repeat(marks > 0, high, 0), wide, 1)[:rows, :width]
