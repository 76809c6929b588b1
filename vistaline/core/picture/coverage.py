"""Outlines of straight and curved segments, and how much of each pixel they cover.

Coverage is exact for the flattened outline: every edge adds its signed area to the pixels it
crosses, and a running sum along the row fills what lies right of it.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray

__all__ = ["coverage_of", "flatten_cubic"]

FLATNESS = 0.02
"""Pixels by which a straight piece may miss its curve."""


def flatten_cubic(p0: ArrayLike, p1: ArrayLike, p2: ArrayLike, p3: ArrayLike) -> FloatArray:
    """Return points (N, 2) along a cubic Bezier curve, its first point left out.

    N follows from a bound on the second derivative: a piece of parameter length h strays from
    its chord by at most h^2 / 8 of it.

    >>> flatten_cubic((0, 0), (1, 0), (2, 0), (3, 0)).tolist()
    [[3.0, 0.0]]
    """
    a, b, c, d = (np.asarray(p, dtype=np.float64) for p in (p0, p1, p2, p3))
    bend = 6 * max(np.hypot(*(a - 2 * b + c)), np.hypot(*(b - 2 * c + d)))
    count = max(1, int(np.ceil(np.sqrt(bend / (8 * FLATNESS)))))
    t = (np.arange(1, count + 1) / count)[:, None]
    rest = 1 - t
    return a * rest**3 + 3 * b * rest**2 * t + 3 * c * rest * t**2 + d * t**3


def coverage_of(polygon: ArrayLike, size: tuple[int, int]) -> np.ndarray:
    """Return uint8 (height, width): how much of each pixel a closed polygon covers, 0..255.

    ``polygon`` (N, 2) x, y in pixels, y down, pixel centres at .5; where it crosses itself, what
    is wound round an odd or even number of times counts alike (non-zero winding). ``size`` is
    (width, height); what lies outside is cut off.
    """
    points = np.asarray(polygon, dtype=np.float64).reshape(-1, 2)
    width, height = size
    mask = np.zeros((height, width), np.uint8)
    if len(points) < 3:
        return mask
    low = np.floor(points.min(axis=0)).astype(int)
    high = np.ceil(points.max(axis=0)).astype(int) + 1
    x0, y0 = max(0, int(low[0])), max(0, int(low[1]))
    x1, y1 = min(width, int(high[0])), min(height, int(high[1]))
    if x0 >= x1 or y0 >= y1:
        return mask
    area = np.zeros((y1 - y0, x1 - x0 + 1), np.float32)
    _add_edges(points - (x0, y0), area)
    covered = np.minimum(np.abs(np.cumsum(area, axis=1, dtype=np.float64)[:, :-1]), 1)
    mask[y0:y1, x0:x1] = np.rint(covered * 255).astype(np.uint8)
    return mask


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _add_edges(points: FloatArray, area: np.ndarray) -> None:
    rows, columns = area.shape[0], area.shape[1] - 1
    for n in range(len(points)):
        ax, ay = points[n]
        bx, by = points[(n + 1) % len(points)]
        if ay == by:
            continue
        sign = 1.0
        if ay > by:
            ax, ay, bx, by, sign = bx, by, ax, ay, -1.0
        slope = (bx - ax) / (by - ay)
        for row in range(max(0, int(np.floor(ay))), min(rows, int(np.ceil(by)))):
            top, bottom = max(ay, float(row)), min(by, row + 1.0)
            if bottom <= top:
                continue
            left, right = ax + (top - ay) * slope, ax + (bottom - ay) * slope
            if left > right:
                left, right = right, left
            rise = sign * (bottom - top)
            _add_piece(area[row], left, right, rise, columns)


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _add_piece(line: np.ndarray, left: float, right: float, rise: float, columns: int) -> None:
    """Add one edge's piece within one row: its rise is shared by the columns it crosses."""
    span = right - left
    if span < 1e-9:
        _add_share(line, left, rise, columns)
        return
    start = left
    while start < right:
        end = min(right, np.floor(start) + 1.0)
        _add_share(line, (start + end) / 2, rise * (end - start) / span, columns)
        start = end


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _add_share(line: np.ndarray, middle: float, rise: float, columns: int) -> None:
    column = int(np.floor(middle))
    if column < 0:
        line[0] += rise
    elif column < columns:
        # Right of the edge's middle in its own column, all of the columns after it.
        line[column] += rise * (column + 1 - middle)
        line[column + 1] += rise * (middle - column)
