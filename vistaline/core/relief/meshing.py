"""Triangles that lie on a map of nearness: few where it is even, none across a tear.

A quad-tree: a square of the map is a square of the mesh if its corners tell the rest of it to
half a pixel, else it is four. A square some of whose neighbours are smaller is a fan round its
middle that meets all their corners, so that no crack opens between them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.relief.tearing import Tears, travel_of

__all__ = ["EXACT", "Mesh", "mesh_on"]

_LARGEST = 32
EXACT = 0.5
"""Pixels, at the travel a relief is prepared for, by which a triangle may miss the map."""


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles over a picture."""

    points: np.ndarray
    """float32 (N, 3): unit coordinates of the picture (0..1, y down), and nearness."""
    faces: np.ndarray
    """int32 (M, 3)."""


def mesh_on(
    nearness: np.ndarray,
    tears: Tears | None = None,
    asked: np.ndarray | None = None,
    *,
    exact: float = EXACT,
) -> Mesh:
    """Return the triangles of a map float32 (height, width).

    ``tears``: across which there are none; ``asked``: bool (height, width), where they are wanted
    at all; ``exact``: pixels, see :data:`EXACT`. The outermost reach a little beyond the picture,
    to where it is transparent.
    """
    height, width = nearness.shape
    torn = np.zeros((height - 1, width - 1), bool) if tears is None else tears.cells
    wanted = np.ones(torn.shape, bool)
    if asked is not None:
        wanted = asked[:-1, :-1] | asked[1:, :-1] | asked[:-1, 1:] | asked[1:, 1:]
    sizes = _squares(
        np.ascontiguousarray(nearness, np.float32),
        torn,
        np.float32(exact / travel_of(nearness.shape)),
    )
    points, faces = _fans(sizes, torn, wanted)
    columns, rows = points[:, 0], points[:, 1]
    # A point is the middle of its pixel; those at the picture's edges lie half a pixel outside.
    u = np.where(columns == 0, -0.5, np.where(columns == width - 1, width + 0.5, columns + 0.5))
    v = np.where(rows == 0, -0.5, np.where(rows == height - 1, height + 0.5, rows + 0.5))
    found = np.column_stack([u / width, v / height, nearness[rows, columns]])
    return Mesh(np.ascontiguousarray(found, np.float32), faces)


@njit(cache=True, nogil=True)
def _squares(nearness, torn, exact):  # type: ignore[no-untyped-def]
    """Return the side of the square that each cell begins (rows, columns); 0 within one."""
    rows, columns = torn.shape
    sizes = np.ones((rows, columns), np.uint8)
    side = 2
    while side <= _LARGEST:
        half = side // 2
        for y in range(0, rows - side + 1, side):
            for x in range(0, columns - side + 1, side):
                whole = (
                    sizes[y, x] == half
                    and sizes[y + half, x] == half
                    and sizes[y, x + half] == half
                    and sizes[y + half, x + half] == half
                )
                if not whole:
                    continue
                a, b = nearness[y, x], nearness[y, x + side]
                c, d = nearness[y + side, x], nearness[y + side, x + side]
                good = True
                for j in range(side + 1):
                    t = j / side
                    for i in range(side + 1):
                        s = i / side
                        # The two triangles that meet from the upper left to the lower right.
                        if s > t:
                            told = a + (b - a) * s + (d - b) * t
                        else:
                            told = a + (c - a) * t + (d - c) * s
                        if abs(nearness[y + j, x + i] - told) > exact:
                            good = False
                            break
                        if j < side and i < side and torn[y + j, x + i]:
                            good = False
                            break
                    if not good:
                        break
                if good:
                    for j in (0, half):
                        for i in (0, half):
                            sizes[y + j, x + i] = 0
                    sizes[y, x] = side
        side *= 2
    return sizes


@njit(cache=True, nogil=True)
def _fans(sizes, torn, wanted):  # type: ignore[no-untyped-def]
    """Return the points' columns and rows (N, 2), and the faces (M, 3)."""
    rows, columns = sizes.shape
    number = np.full((rows + 1, columns + 1), -1, np.int32)
    used = np.zeros((rows + 1, columns + 1), np.bool_)
    for y in range(rows):
        for x in range(columns):
            side = sizes[y, x]
            if side and _shown(y, x, side, torn, wanted):
                used[y, x] = used[y + side, x] = True
                used[y, x + side] = used[y + side, x + side] = True
    faces = np.empty((4 * rows * columns + 16, 3), np.int32)
    points = np.empty(((rows + 1) * (columns + 1), 2), np.int32)
    made, named = 0, 0
    ring = np.empty((4 * _LARGEST, 2), np.int32)
    for y in range(rows):
        for x in range(columns):
            side = sizes[y, x]
            if not side or not _shown(y, x, side, torn, wanted):
                continue
            count = 0
            for k in range(4 * side):
                if k < side:
                    j, i = y, x + k
                elif k < 2 * side:
                    j, i = y + k - side, x + side
                elif k < 3 * side:
                    j, i = y + side, x + 3 * side - k
                else:
                    j, i = y + 4 * side - k, x
                if used[j, i]:
                    ring[count, 0], ring[count, 1] = j, i
                    count += 1
            if count > 4:
                j, i = y + side // 2, x + side // 2
                if number[j, i] < 0:
                    number[j, i] = named
                    points[named, 0], points[named, 1] = i, j
                    named += 1
                middle = number[j, i]
            for k in range(count):
                j, i = ring[k]
                if number[j, i] < 0:
                    number[j, i] = named
                    points[named, 0], points[named, 1] = i, j
                    named += 1
            if count > 4:
                for k in range(count):
                    one, other = ring[k], ring[(k + 1) % count]
                    faces[made, 0] = middle
                    faces[made, 1] = number[one[0], one[1]]
                    faces[made, 2] = number[other[0], other[1]]
                    made += 1
            else:
                for k in (1, 2):
                    one, other = ring[k], ring[k + 1]
                    faces[made, 0] = number[y, x]
                    faces[made, 1] = number[one[0], one[1]]
                    faces[made, 2] = number[other[0], other[1]]
                    made += 1
    return points[:named].copy(), faces[:made].copy()


@njit(cache=True, nogil=True)
def _shown(y, x, side, torn, wanted):  # type: ignore[no-untyped-def]
    """Return whether a square is wanted somewhere, and not torn."""
    if side == 1:
        return wanted[y, x] and not torn[y, x]
    for j in range(y, y + side):
        for i in range(x, x + side):
            if wanted[j, i]:
                return True
    return False
