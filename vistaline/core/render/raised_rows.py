"""What a relief's sheets show in a block of a frame, one over the other: its kernels."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.picture.pyramid import BORDER

__all__ = ["NOWHERE", "close", "compose", "level_asked"]

NOWHERE = -1e6
"""A place that no picture has: nothing is seen there."""
_EVERY = 7
"""Pixels between those that are asked how large a texel is."""


@njit(cache=True, nogil=True, fastmath=True)
def level_asked(u, v, size, bias, coarsest):  # type: ignore[no-untyped-def]
    """Return the level of a sheet ``size`` (2,) texels large whose texels are as a block's pixels.

    ``u``, ``v`` (rows, columns); where ``u`` is :data:`NOWHERE` nothing is seen.
    """
    total, counted = 0.0, 0
    for y in range(0, u.shape[0] - 1, _EVERY):
        for x in range(0, u.shape[1] - 1, _EVERY):
            if min(u[y, x], u[y, x + 1], u[y + 1, x]) < NOWHERE / 2:
                continue
            ux, uy = (u[y, x + 1] - u[y, x]) * size[0], (u[y + 1, x] - u[y, x]) * size[0]
            vx, vy = (v[y, x + 1] - v[y, x]) * size[1], (v[y + 1, x] - v[y, x]) * size[1]
            area = abs(ux * vy - uy * vx)
            if area > 64 * 64:
                continue  # over a tear
            total += np.log2(max(area, 1.0)) / 2
            counted += 1
    return int(min(max(np.rint(total / max(counted, 1) + bias), 0), coarsest))


@njit(cache=True, nogil=True, fastmath=True)
def close(near, u, v, solid, least, behind):  # type: ignore[no-untyped-def]
    """Say in ``behind`` what the sheets behind must be nearer than to be seen at all.

    ``near``, ``u``, ``v`` (rows, columns) are those of the sheet before them, which is opaque where
    ``solid`` uint8 (any, any) says so of the picture; everywhere, if that is empty. ``behind``
    float32 (sheets, rows, columns), each nearer than the one before it by ``least``; what nothing
    closes stays as it is.
    """
    tall, wide = solid.shape
    for y in range(near.shape[0]):
        for x in range(near.shape[1]):
            if near[y, x] <= 0 or u[y, x] < NOWHERE / 2:
                continue
            if wide:
                j = min(max(int(v[y, x] * tall), 0), tall - 1)
                i = min(max(int(u[y, x] * wide), 0), wide - 1)
                if not solid[j, i]:
                    continue
            for n in range(len(behind)):
                behind[n, y, x] = near[y, x] + (n + 1) * least


@njit(cache=True, nogil=True, fastmath=True)
def _sampled(texels, u, v, wide, tall):  # type: ignore[no-untyped-def]
    """Return a level's red, green, blue and alpha at a place, 0..65535.

    ``wide``, ``tall``: its size without what it is extended by. It fades out over a texel at the
    picture's edges.
    """
    x, y = u * wide, v * tall
    inside = min(min(x, wide - x), min(y, tall - y)) + np.float32(0.5)
    zero = np.float32(0)
    if inside <= 0:
        return zero, zero, zero, zero
    x, y = x + np.float32(BORDER - 0.5), y + np.float32(BORDER - 0.5)
    i, j = np.int32(x), np.int32(y)
    s, t = x - np.float32(i), y - np.float32(j)
    full = min(inside, np.float32(1))
    a = full * (1 - s) * (1 - t)
    b = full * s * (1 - t)
    c = full * (1 - s) * t
    d = full * s * t
    p, q, r, z = texels[j, i], texels[j, i + 1], texels[j + 1, i], texels[j + 1, i + 1]
    return (
        a * np.float32(p[0]) + b * np.float32(q[0]) + c * np.float32(r[0]) + d * np.float32(z[0]),
        a * np.float32(p[1]) + b * np.float32(q[1]) + c * np.float32(r[1]) + d * np.float32(z[1]),
        a * np.float32(p[2]) + b * np.float32(q[2]) + c * np.float32(r[2]) + d * np.float32(z[2]),
        a * np.float32(p[3]) + b * np.float32(q[3]) + c * np.float32(r[3]) + d * np.float32(z[3]),
    )


@njit(cache=True, nogil=True, fastmath=True)
def compose(  # type: ignore[no-untyped-def]
    near, u, v, first, second, third, sizes, least, out, deep
):
    """Put the sheets of a block one over the other.

    Parameters
    ----------
    near, u, v : float32 (3, rows, columns)
        1/z and place of what each sheet shows, the front first; ``u`` is :data:`NOWHERE` where it
        shows nothing. What is drawn of a sheet behind one that is solid is nearer than that.
    first, second, third : uint16 (any, any, 4)
        Texels of a level of each.
    sizes : float32 (3, 2)
        Width and height of those levels.
    least : float32
        What is behind is seen before the front only where its 1/z is so much greater.
    out : uint16 (rows, columns, 4)
    deep : float32 (rows, columns)
        1/z of what is seen.
    """
    rows, columns = deep.shape
    nowhere, full = np.float32(NOWHERE / 2), np.float32(65535)
    half = np.float32(0.5)
    for y in range(rows):
        for x in range(columns):
            u0, u1, u2 = u[0, y, x], u[1, y, x], u[2, y, x]
            red, green, blue, alpha = half, half, half, half
            at = np.float32(0)
            left = np.float32(1)
            before = near[0, y, x] + least
            passed = u1 > nowhere and near[1, y, x] > before
            passed = passed or (u2 > nowhere and near[2, y, x] > before + least)
            if u0 > nowhere and not passed:
                r, g, b, a = _sampled(first, u0, v[0, y, x], sizes[0, 0], sizes[0, 1])
                red, green, blue, alpha = red + r, green + g, blue + b, alpha + a
                left = 1 - a / full
                at = near[0, y, x]
            if left > np.float32(1e-4):
                # What is drawn of the last where there is a second is nearer than that.
                if u1 > nowhere and u2 < nowhere:
                    r, g, b, a = _sampled(second, u1, v[1, y, x], sizes[1, 0], sizes[1, 1])
                    below = near[1, y, x]
                elif u2 > nowhere:
                    r, g, b, a = _sampled(third, u2, v[2, y, x], sizes[2, 0], sizes[2, 1])
                    below = near[2, y, x]
                else:
                    r, g, b, a = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
                    below = np.float32(0)
                red, green, blue = red + left * r, green + left * g, blue + left * b
                alpha += left * a
                if left > half:
                    at = below
            out[y, x, 0] = np.uint16(min(red, full))
            out[y, x, 1] = np.uint16(min(green, full))
            out[y, x, 2] = np.uint16(min(blue, full))
            out[y, x, 3] = np.uint16(min(alpha, full))
            deep[y, x] = at
