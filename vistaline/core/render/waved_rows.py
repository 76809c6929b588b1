"""What a cloth's places show in a block of a frame: its kernels."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.picture.pyramid import BORDER
from vistaline.core.render.raised_rows import NOWHERE

__all__ = ["FINER", "cells_in", "folded", "lit_by", "show_finely"]

FINER = 4
"""Points across and down a pixel on the cloth's rim, and where one fold is before another."""
_JUMP = 6.0
"""Texels between neighbours from which they lie on different folds, or on one that is seen nearly
from its side."""
_NOWHERE = NOWHERE / 2


@njit(cache=True, nogil=True, fastmath=True)
def folded(u, v, size, columns, marks):  # type: ignore[no-untyped-def]
    """Mark in ``marks`` uint8 (rows, any) which pixels need more than one point each.

    ``u``, ``v`` float32 (rows, any): places of the picture, or :data:`NOWHERE`; ``size`` float32
    (2,): its texels. ``columns`` (2,): from, and before which, they are looked at.
    """
    rows, most = u.shape[0], (_JUMP / size[0], _JUMP / size[1])
    x0, x1, last = columns[0], columns[1], min(columns[1], u.shape[1] - 1)
    before = max(x0, 1)
    for y in range(rows):
        # What is nowhere is far from all that is somewhere.
        right, left = (x0, last, x0 + 1), (before, x1, before - 1)
        for first, stop, other in (right, left):
            k = other + stop - first
            _mark(u[y, first:stop], v[y, first:stop], u[y, other:k], v[y, other:k], most,
                  marks[y, first:stop])  # fmt: skip
        for k in (max(y - 1, 0), min(y + 1, rows - 1)):
            _mark(u[y, x0:x1], v[y, x0:x1], u[k, x0:x1], v[k, x0:x1], most, marks[y, x0:x1])


@njit(cache=True, nogil=True, fastmath=True)
def _mark(u, v, other_u, other_v, most, marks):  # type: ignore[no-untyped-def]
    """Mark which places of a row are far from others: plain enough to be done several at a time."""
    for n in range(len(marks)):
        apart = (abs(u[n] - other_u[n]) > most[0]) | (abs(v[n] - other_v[n]) > most[1])
        marks[n] |= np.uint8(apart)


@njit(cache=True, nogil=True)
def cells_in(marks, side):  # type: ignore[no-untyped-def]
    """Return where squares of ``side`` pixels begin in which something is marked: (N, 2), y, x."""
    rows, columns = marks.shape
    found = np.empty((-(-rows // side) * -(-columns // side), 2), np.int64)
    count = 0
    for top in range(0, rows, side):
        for left in range(0, columns, side):
            some = 0
            for row in marks[top : top + side, left : left + side]:
                for mark in row:
                    some |= mark
            if some:
                found[count, 0], found[count, 1] = top, left
                count += 1
    return found[:count]


@njit(cache=True, nogil=True, fastmath=True)
def lit_by(light, out):  # type: ignore[no-untyped-def]
    """Make what is shown, ``out`` uint16 (rows, columns, 4), as much lighter as ``light`` says.

    ``light`` float32 (rows, columns). What gets brighter than white is white.
    """
    half = np.float32(0.5)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            here, alpha = light[y, x], np.float32(out[y, x, 3])
            out[y, x, 0] = np.uint16(min(here * np.float32(out[y, x, 0]), alpha) + half)
            out[y, x, 1] = np.uint16(min(here * np.float32(out[y, x, 1]), alpha) + half)
            out[y, x, 2] = np.uint16(min(here * np.float32(out[y, x, 2]), alpha) + half)


@njit(inline="always")
def _shade(shades, u, v):  # type: ignore[no-untyped-def]
    """Return how a place is lit, evenly between the points of its cell."""
    rows, columns = shades.shape
    across, down = u * np.float32(columns - 1), v * np.float32(rows - 1)
    m = min(max(np.int32(across), 0), columns - 2)
    n = min(max(np.int32(down), 0), rows - 2)
    e, f = across - np.float32(m), down - np.float32(n)
    above = shades[n, m] * (1 - e) + shades[n, m + 1] * e
    below = shades[n + 1, m] * (1 - e) + shades[n + 1, m + 1] * e
    return above * (1 - f) + below * f


@njit(cache=True, nogil=True, fastmath=True)
def _seen(texels, shades, u, v, wide, tall):  # type: ignore[no-untyped-def]
    """Return what a picture shows at a place, lit by its fold: red, green, blue and alpha."""
    half = np.float32(0.5)
    x = min(max(u * wide, half), wide - half) + np.float32(BORDER - 0.5)
    y = min(max(v * tall, half), tall - half) + np.float32(BORDER - 0.5)
    i, j = np.int32(x), np.int32(y)
    s, t = x - np.float32(i), y - np.float32(j)
    a, b, c, d = (1 - s) * (1 - t), s * (1 - t), (1 - s) * t, s * t
    p, q, r, z = texels[j, i], texels[j, i + 1], texels[j + 1, i], texels[j + 1, i + 1]
    light = _shade(shades, u, v)
    alpha = a * np.float32(p[3]) + b * np.float32(q[3]) + c * np.float32(r[3])
    alpha += d * np.float32(z[3])
    red = a * np.float32(p[0]) + b * np.float32(q[0]) + c * np.float32(r[0]) + d * np.float32(z[0])
    green = a * np.float32(p[1]) + b * np.float32(q[1]) + c * np.float32(r[1])
    green += d * np.float32(z[1])
    blue = a * np.float32(p[2]) + b * np.float32(q[2]) + c * np.float32(r[2]) + d * np.float32(z[2])
    return min(light * red, alpha), min(light * green, alpha), min(light * blue, alpha), alpha


@njit(cache=True, nogil=True, fastmath=True)
def show_finely(near, u, v, texels, shades, size, marks, out, deep):  # type: ignore[no-untyped-def]
    """Put the mean of what :data:`FINER` squared points of a pixel show into those that are marked.

    ``near``, ``u``, ``v`` float32 (rows * FINER, columns * FINER); ``marks`` uint8, ``out`` uint16
    and ``deep`` float32 (rows, columns); ``texels`` uint16 (any, any, 4): a level ``size`` float32
    (2,) large.
    """
    wide, tall, half = size[0], size[1], np.float32(0.5)
    share = np.float32(1 / (FINER * FINER))
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            if not marks[y, x]:
                continue
            red = green = blue = alpha = nearest = np.float32(0)
            for j in range(y * FINER, (y + 1) * FINER):
                for i in range(x * FINER, (x + 1) * FINER):
                    if u[j, i] < _NOWHERE:
                        continue
                    r, g, b, a = _seen(texels, shades, u[j, i], v[j, i], wide, tall)
                    red, green, blue, alpha = red + r, green + g, blue + b, alpha + a
                    nearest = max(nearest, near[j, i])
            deep[y, x] = nearest
            out[y, x, 0] = np.uint16(red * share + half)
            out[y, x, 1] = np.uint16(green * share + half)
            out[y, x, 2] = np.uint16(blue * share + half)
            out[y, x, 3] = np.uint16(alpha * share + half)
