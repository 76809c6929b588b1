"""The kernel of the look ahead: what is seen at every pixel of a frame, and how stretched.

What is on the stage is handed in as two tables, a row a card or body: an array each would have
its owners counted at every pixel.
"""

from __future__ import annotations

from enum import IntEnum

import numpy as np
from numba import njit

from vistaline.core.geometry.bodies import hit_body
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.render.laying import EDGES

__all__ = [
    "BARE",
    "BINS",
    "COUNTED",
    "FLAT",
    "TRACED",
    "UNCOUNTED",
    "Number",
    "bin_edges",
    "examine",
]

BARE, UNCOUNTED = -1.0, 1e9
"""What the stretch map holds where nothing is seen, and where what is seen has no pixels."""
BINS, _PER_OCTAVE, _LOWEST = 97, 8, -8
"""Stretch is counted in eighths of an octave, from 1/256 source pixel per output pixel on."""
COUNTED = 4
"""How far apart pixels are whose stretch is counted where the whole map is not asked for."""
_TILE = 32
_SEAM = 1e-6
"""Pixels: where two surfaces share an edge, rounding must leave no gap between them."""


FLAT, TRACED = -1, -2
"""Kinds that are no body: a plane, and what another surface's rays were asked for beforehand."""


class Whole(IntEnum):
    """Columns of the table of whole numbers (N, ``Whole.COLUMNS``), int64."""

    KIND = 0
    """``FLAT``, ``TRACED``, or a body's ``Body.number``."""
    BOUNDS = 1
    """x0, y0, x1, y1: the frame pixels it may touch."""
    COUNTS = 5
    """Whether its stretch counts."""
    ALPHA = 6
    """Where in ``solid`` its picture's alpha is, its rows and columns, and texels a cell; no rows:
    it is solid all over."""
    CELLS = 10
    """Where in ``maps`` its picture's is, its rows and columns; no rows: it has none."""
    TRACE = 13
    """Where in ``traced`` it is, of what is that."""
    COLUMNS = 14


class Number(IntEnum):
    """Columns of the table of numbers (N, ``Number.COLUMNS``), float64; matrices by their rows."""

    NEARNESS = 0
    """(3,): 1/z over the frame, of what is flat."""
    TEXEL = 3
    """(3, 3): texels from frame pixels, of what is flat."""
    ORIGIN = 12
    """(3,): the camera, in a body's coordinates."""
    RAYS = 15
    """(3, 3): rays there from frame pixels."""
    CAUGHT = 24
    """(3, 4): texels from a body's coordinates."""
    SIZE = 36
    """Its picture's width and height in texels."""
    LINES = 38
    """(EDGES, 3): signed distances in pixels from a card's edges, positive inside."""
    COLUMNS = 38 + 3 * EDGES


# Kernels know no enums.
_KIND, _BOUNDS, _COUNTS, _ALPHA, _CELLS, _TRACE, _ = (int(column) for column in Whole)
_NEARNESS, _TEXEL, _ORIGIN, _RAYS, _CAUGHT, _SIZE, _EDGES, _ALL = (int(column) for column in Number)


def bin_edges() -> np.ndarray:
    """Return the lower bounds (BINS,) of the stretch that is counted in each bin."""
    return np.asarray(2.0 ** (_LOWEST + np.arange(BINS) / _PER_OCTAVE))


@njit(cache=True, nogil=True)
def examine(  # type: ignore[no-untyped-def]
    whole, number, solid, traced, width, height, filled, out, histogram, maps
):
    """Look at a frame; returns how many of its pixels see nothing.

    Parameters
    ----------
    whole, number
        The tables of what is on the stage: :class:`Whole` and :class:`Number`.
    solid
        (M,) uint8: cells of pictures' alpha, 1 where they are at least half opaque.
    traced
        (K, 3, height, width) float64: 1/z at every pixel of those that are ``TRACED``, 0 where
        they are not, and the texel there, across and down.
    filled
        Whether a backdrop fills what is left.
    out
        (height, width) float32, filled with source pixels per output pixel across the worse
        direction; or (0, 0): only counted.
    histogram
        (BINS,) int64, to which one pixel in ``COUNTED`` of one row in as many is added.
    maps
        (M,) float32, the least stretch of cells of pictures: brought up to date.
    """
    bare = 0
    candidates, inside = np.empty(len(whole), np.int64), np.empty(len(whole), np.bool_)
    keep = out.shape[0] > 0
    for top in range(0, height, _TILE):
        bottom = min(top + _TILE, height)
        for left in range(0, width, _TILE):
            right = min(left + _TILE, width)
            found = _candidates(whole, number, left, top, right, bottom, candidates, inside)
            covered = False
            for k in range(found):
                i = candidates[k]
                covered |= inside[k] and whole[i, _KIND] == FLAT and whole[i, _ALPHA + 1] == 0
            # Where no pixel can be bare, those that are counted are all that matter.
            step = COUNTED if covered and not keep else 1
            for py in range(top, bottom, step):
                for px in range(left, right, step):
                    x, y = px + 0.5, py + 0.5
                    nearest, best = 0.0, -1
                    for k in range(found):
                        i = candidates[k]
                        if whole[i, _KIND] == FLAT:
                            near = number[i, _NEARNESS] * x + number[i, _NEARNESS + 1] * y
                            near += number[i, _NEARNESS + 2]
                            if near <= nearest or not (inside[k] or _inside(number, i, x, y)):
                                continue
                            if whole[i, _ALPHA + 1] == 0:
                                nearest, best = near, i
                                continue
                        else:
                            near = _near_at(whole, number, traced, i, x, y)
                        if near > nearest and _solid_at(
                            whole, number, solid, traced, i, x, y, near
                        ):
                            nearest, best = near, i
                    counted = px % COUNTED == 0 and py % COUNTED == 0
                    value = UNCOUNTED
                    if best < 0:
                        bare += not filled
                        value = UNCOUNTED if filled else BARE
                    elif whole[best, _COUNTS] and (counted or keep):
                        if whole[best, _KIND] == FLAT:
                            value = _stretch(number, best, x, y)
                        else:
                            value = _body_stretch(whole, number, traced, best, x, y)
                        if counted:
                            place = int((np.log2(max(value, 1e-9)) - _LOWEST) * _PER_OCTAVE)
                            histogram[min(max(place, 0), BINS - 1)] += 1
                            if whole[best, _CELLS + 1] > 0:
                                _note(whole, number, traced, best, x, y, nearest, value, maps)
                    if keep:
                        out[py, px] = value
    return bare


@njit(cache=True, nogil=True)
def _candidates(  # type: ignore[no-untyped-def]
    whole, number, left, top, right, bottom, candidates, inside
):
    """Find what may be seen in a tile, and what of it fills the tile; returns how many."""
    found = 0
    x, y, w, h = (left + right) / 2, (top + bottom) / 2, (right - left) / 2, (bottom - top) / 2
    for i in range(len(whole)):
        if (
            whole[i, _BOUNDS] >= right
            or whole[i, _BOUNDS + 2] <= left
            or whole[i, _BOUNDS + 1] >= bottom
            or whole[i, _BOUNDS + 3] <= top
        ):
            continue
        fills, outside = True, False
        for k in range(_EDGES, _ALL, 3):
            a, b = number[i, k], number[i, k + 1]
            middle, reach = a * x + b * y + number[i, k + 2], abs(a) * w + abs(b) * h
            outside |= middle + reach < 0
            fills &= middle - reach >= 0
        if not outside:
            candidates[found], inside[found] = i, fills
            found += 1
    return found


@njit(inline="always")
def _inside(number, i, x, y):  # type: ignore[no-untyped-def]
    for k in range(_EDGES, _ALL, 3):
        if number[i, k] * x + number[i, k + 1] * y + number[i, k + 2] < -_SEAM:
            return False
    return True


@njit(inline="always")
def _applied(number, i, at, x, y):  # type: ignore[no-untyped-def]
    """Return what a 3 x 3 matrix of a row makes of a frame point."""
    return (
        number[i, at] * x + number[i, at + 1] * y + number[i, at + 2],
        number[i, at + 3] * x + number[i, at + 4] * y + number[i, at + 5],
        number[i, at + 6] * x + number[i, at + 7] * y + number[i, at + 8],
    )


@njit(inline="always")
def _near_at(whole, number, traced, i, x, y):  # type: ignore[no-untyped-def]
    """Return 1/z at which a frame point's ray meets what is not flat, 0 if it does not."""
    if whole[i, _KIND] == TRACED:
        row, column = int(np.floor(y)), int(np.floor(x))
        if 0 <= row < traced.shape[2] and 0 <= column < traced.shape[3]:
            return traced[whole[i, _TRACE], 0, row, column]
        return 0.0
    dx, dy, dz = _applied(number, i, _RAYS, x, y)
    ox, oy, oz = number[i, _ORIGIN], number[i, _ORIGIN + 1], number[i, _ORIGIN + 2]
    t = hit_body(whole[i, _KIND], ox, oy, oz, dx, dy, dz, NEAR)
    return 1 / t if t < np.inf else 0.0


@njit(inline="always")
def _texel_at(whole, number, traced, i, x, y, near):  # type: ignore[no-untyped-def]
    """Return the texel that is seen at a frame point, and the third: above 0 if it is one."""
    if whole[i, _KIND] == FLAT:
        u, v, w = _applied(number, i, _TEXEL, x, y)
    elif whole[i, _KIND] == TRACED:
        row, column = int(np.floor(y)), int(np.floor(x))
        slot = whole[i, _TRACE]
        return traced[slot, 1, row, column], traced[slot, 2, row, column], 1.0
    else:
        dx, dy, dz = _applied(number, i, _RAYS, x, y)
        bx, by = number[i, _ORIGIN] + dx / near, number[i, _ORIGIN + 1] + dy / near
        bz, c = number[i, _ORIGIN + 2] + dz / near, _CAUGHT
        u = number[i, c] * bx + number[i, c + 1] * by + number[i, c + 2] * bz + number[i, c + 3]
        c += 4
        v = number[i, c] * bx + number[i, c + 1] * by + number[i, c + 2] * bz + number[i, c + 3]
        c += 4
        w = number[i, c] * bx + number[i, c + 1] * by + number[i, c + 2] * bz + number[i, c + 3]
    if w <= 0:
        return 0.0, 0.0, w
    return u / w, v / w, w


@njit(inline="always")
def _solid_at(whole, number, solid, traced, i, x, y, near):  # type: ignore[no-untyped-def]
    """Whether what is there is at least half opaque, and within its picture."""
    u, v, w = _texel_at(whole, number, traced, i, x, y, near)
    if w <= 0 or u < 0 or v < 0 or u > number[i, _SIZE] or v > number[i, _SIZE + 1]:
        return False
    rows, columns, texels = whole[i, _ALPHA + 1], whole[i, _ALPHA + 2], whole[i, _ALPHA + 3]
    if rows == 0:
        return True
    row, column = min(int(v / texels), rows - 1), min(int(u / texels), columns - 1)
    return solid[whole[i, _ALPHA] + row * columns + column] != 0


@njit(inline="always")
def _stretch(number, i, x, y):  # type: ignore[no-untyped-def]
    """Return source pixels per output pixel across the worse direction, of what is flat."""
    u, v, w = _applied(number, i, _TEXEL, x, y)
    share, a, b = 1 / w, number[i, _TEXEL + 6], number[i, _TEXEL + 7]
    u, v = u * share, v * share
    return _least(
        (number[i, _TEXEL] - u * a) * share,
        (number[i, _TEXEL + 1] - u * b) * share,
        (number[i, _TEXEL + 3] - v * a) * share,
        (number[i, _TEXEL + 4] - v * b) * share,
    )


@njit(cache=True, nogil=True)
def _body_stretch(whole, number, traced, i, x, y):  # type: ignore[no-untyped-def]
    """Return the same of a body, from one pixel to the next that lies on it."""
    u, v, _ = _texel_at(whole, number, traced, i, x, y, _near_at(whole, number, traced, i, x, y))
    steps = np.zeros((2, 2))
    for axis in range(2):
        for sign in (1.0, -1.0):
            # Beside a silhouette one of the neighbours may not be on it.
            px, py = x + sign * (axis == 0), y + sign * (axis == 1)
            near = _near_at(whole, number, traced, i, px, py)
            if near > 0:
                p, q, w = _texel_at(whole, number, traced, i, px, py, near)
                if w > 0:
                    steps[axis, 0], steps[axis, 1] = (p - u) * sign, (q - v) * sign
                    break
    return _least(steps[0, 0], steps[1, 0], steps[0, 1], steps[1, 1])


@njit(inline="always")
def _least(ux, uy, vx, vy):  # type: ignore[no-untyped-def]
    """Return the lesser singular value of [[ux, uy], [vx, vy]], from its norm and determinant."""
    trace, determinant = ux * ux + uy * uy + vx * vx + vy * vy, abs(ux * vy - uy * vx)
    larger = np.sqrt((trace + np.sqrt(max(trace * trace - 4 * determinant * determinant, 0.0))) / 2)
    return determinant / max(larger, 1e-30)


@njit(inline="always")
def _note(whole, number, traced, i, x, y, near, value, maps):  # type: ignore[no-untyped-def]
    at, rows, columns = whole[i, _CELLS], whole[i, _CELLS + 1], whole[i, _CELLS + 2]
    u, v, w = _texel_at(whole, number, traced, i, x, y, near)
    wide, tall = number[i, _SIZE], number[i, _SIZE + 1]
    if w > 0 and 0 <= u < wide and 0 <= v < tall:
        place = at + int(v / tall * rows) * columns + int(u / wide * columns)
        maps[place] = min(maps[place], np.float32(value))
