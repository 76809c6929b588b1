"""Where rays meet what is neither flat nor a body: a relief, a cloth.

A relief's map is walked along each ray, from the nearest to the farthest: the way of Policarpo,
Oliveira and Comba, Real-time relief mapping on arbitrary polygonal surfaces (2005): even steps,
then the place between the last two.
"""

from __future__ import annotations

import numpy as np
from numba import njit

__all__ = ["meet_relief", "meet_sheet"]

_MOST = 256


@njit(cache=True, nogil=True)
def _height(heights, u, v):  # type: ignore[no-untyped-def]
    """Return the map at a place, between its own places; -1 beyond the picture."""
    if not (0 <= u <= 1 and 0 <= v <= 1):
        return -1.0
    rows, columns = heights.shape
    x = min(max(u * columns - 0.5, 0.0), columns - 1.0)
    y = min(max(v * rows - 0.5, 0.0), rows - 1.0)
    i, j = min(int(x), columns - 2), min(int(y), rows - 2)
    s, t = x - i, y - j
    above = heights[j, i] * (1 - s) + heights[j, i + 1] * s
    below = heights[j + 1, i] * (1 - s) + heights[j + 1, i + 1] * s
    return above * (1 - t) + below * t


@njit(cache=True, nogil=True)
def meet_relief(image, shape, heights, points):  # type: ignore[no-untyped-def]
    """Return 1/z, u and v (N, 3) where rays through frame ``points`` (N, 2) first meet a relief.

    ``image`` (3, 4) takes (u, v, n, 1) to the frame; ``shape``: a and b, with 1/z = (a + b n) / w;
    ``heights`` (rows, columns). 1/z is 0 and u, v are NaN where nothing is met.
    """
    out = np.empty((len(points), 3))
    rows, columns = heights.shape
    for k in range(len(points)):
        x, y = points[k]
        out[k, 0], out[k, 1], out[k, 2] = 0.0, np.nan, np.nan
        # All that is seen at (x, y) is a line: u and v run evenly with n.
        a, b = image[0, 0] - x * image[2, 0], image[0, 1] - x * image[2, 1]
        c, d = image[1, 0] - y * image[2, 0], image[1, 1] - y * image[2, 1]
        det = a * d - b * c
        if abs(det) < 1e-12:
            continue
        deep0, deep1 = image[0, 2] - x * image[2, 2], image[1, 2] - y * image[2, 2]
        rest0, rest1 = image[0, 3] - x * image[2, 3], image[1, 3] - y * image[2, 3]
        du, dv = (b * deep1 - d * deep0) / det, (c * deep0 - a * deep1) / det
        u0, v0 = (b * rest1 - d * rest0) / det, (c * rest0 - a * rest1) / det
        steps = int(max(abs(du) * columns, abs(dv) * rows)) + 2
        steps = min(steps, _MOST)
        above, before = 0.0, 1.0
        for step in range(steps + 1):
            n = 1 - step / steps
            u, v = u0 + n * du, v0 + n * dv
            under = _height(heights, u, v) - n
            if under >= -1e-9:
                if step and above < 0 and above > -1:
                    # Between the last step, above the map, and this one, below it.
                    n += (before - n) * under / max(under - above, 1e-12)
                    u, v = u0 + n * du, v0 + n * dv
                w = image[2, 0] * u + image[2, 1] * v + image[2, 2] * n + image[2, 3]
                near = (shape[0] + shape[1] * n) / w if w > 1e-9 else 0.0
                if near > 0:
                    out[k, 0], out[k, 1], out[k, 2] = near, u, v
                break
            above, before = under, n
    return out


@njit(cache=True, nogil=True)
def meet_sheet(seen, points):  # type: ignore[no-untyped-def]
    """Return 1/z, u and v (N, 3) where rays through frame ``points`` (N, 2) first meet a sheet.

    ``seen`` (rows, columns, 3): where its points are in the frame, and their 1/z; they lie evenly
    over its picture. Cells with a point that is not before the camera are left out. 1/z is 0 and
    u, v are NaN where nothing is met.
    """
    out = np.full((len(points), 3), np.nan)
    out[:, 0] = 0.0
    rows, columns = seen.shape[:2]
    order = np.argsort(points[:, 1])
    levels = points[order, 1]
    for i in range(rows - 1):
        for j in range(columns - 1):
            cell = seen[i : i + 2, j : j + 2]
            if cell[:, :, 2].min() <= 0:
                continue
            first = np.searchsorted(levels, cell[:, :, 1].min())
            last = np.searchsorted(levels, cell[:, :, 1].max(), side="right")
            left, right = cell[:, :, 0].min(), cell[:, :, 0].max()
            for k in order[first:last]:
                x, y = points[k]
                if left <= x <= right:
                    for half in range(2):
                        _meet_half(cell, half, x, y, i, j, rows, columns, out[k])
    return out


@njit(cache=True, nogil=True)
def _meet_half(cell, half, x, y, i, j, rows, columns, out):  # type: ignore[no-untyped-def]
    """Put what a ray meets of half a cell into ``out`` (3,), if that is nearer than what it has."""
    c, d = (1, 0) if half == 0 else (0, 1)
    ax, ay = cell[0, 0, 0] - x, cell[0, 0, 1] - y
    bx, by = cell[1, 1, 0] - x, cell[1, 1, 1] - y
    cx, cy = cell[c, d, 0] - x, cell[c, d, 1] - y
    p, q, r = bx * cy - by * cx, cx * ay - cy * ax, ax * by - ay * bx
    if not ((p >= 0 and q >= 0 and r >= 0) or (p <= 0 and q <= 0 and r <= 0)):
        return
    area = p + q + r
    if area == 0:
        return
    # Shares on the screen, and those on the sheet: 1/z runs evenly over the screen.
    p, q, r = p / area * cell[0, 0, 2], q / area * cell[1, 1, 2], r / area * cell[c, d, 2]
    near = p + q + r
    if near > out[0]:
        out[0] = near
        out[1] = (j + (q + r * d) / near) / (columns - 1)
        out[2] = (i + (q + r * c) / near) / (rows - 1)
