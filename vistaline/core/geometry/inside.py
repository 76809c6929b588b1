"""How far inside an outline one is: as a table that kernels look up."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numba import njit

__all__ = ["NO_OUTLINE", "inside_at", "inside_of"]

_SIDE = 65
"""Texels across."""
NO_OUTLINE = np.empty((0, 0), np.float32)


@lru_cache(64)
def inside_of(outline: tuple[tuple[float, float], ...]) -> np.ndarray:
    """Return how far inside an outline one is, as (N, N) float32; :data:`NO_OUTLINE` of none.

    ``outline``: corners in shares of a box from its middle, -0.5..0.5, up is +. The table goes from
    the box's left lower corner to its right upper one; 1 is half of its width, or of its height,
    and outside the outline it is negative.
    """
    if not outline:
        return NO_OUTLINE
    corners = (np.array(outline) * 2).astype(np.float32).reshape(-1, 1, 2)
    across = np.linspace(-1, 1, _SIDE).tolist()
    found = [[cv2.pointPolygonTest(corners, (x, y), True) for x in across] for y in across]
    return np.array(found, np.float32)


@njit(inline="always")
def inside_at(table, u, v):  # type: ignore[no-untyped-def]
    """Return a table's value at a place of the box (-1..1), evenly between its texels."""
    last = table.shape[0] - 1
    x = min(max((u + 1) / 2, 0.0), 1.0) * last
    y = min(max((v + 1) / 2, 0.0), 1.0) * last
    i, j = min(int(x), last - 1), min(int(y), last - 1)
    a, b = x - i, y - j
    lower = table[j, i] * (1 - a) + table[j, i + 1] * a
    return lower * (1 - b) + (table[j + 1, i] * (1 - a) + table[j + 1, i + 1] * a) * b
