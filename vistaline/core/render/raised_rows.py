"""What a relief's sheets show in a block of a frame, one over the other: its kernels."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.picture.pyramid import BORDER

__all__ = ["NOWHERE", "close", "compose", "least_in", "level_asked", "placed"]

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
def placed(u, v, size, x, y):  # type: ignore[no-untyped-def]
    """Put into ``x``, ``y`` where places lie in a level's texels, as OpenCV counts them."""
    half, aside = np.float32(0.5), np.float32(BORDER - 0.5)
    wide, tall = size[0], size[1]
    for j in range(u.shape[0]):
        for i in range(u.shape[1]):
            across = min(max(u[j, i] * wide, half), wide - half) + aside
            x[j, i] = across if u[j, i] > NOWHERE / 2 else np.float32(NOWHERE)
            y[j, i] = min(max(v[j, i] * tall, half), tall - half) + aside


@njit(cache=True, nogil=True, fastmath=True)
def close(near, u, v, solid, least, behind):  # type: ignore[no-untyped-def]
    """Say in ``behind`` what the sheets behind must be nearer than to be seen at all.

    ``near``, ``u``, ``v`` float32 (rows, columns) are those of the sheet before them, which is
    opaque where ``solid`` uint8 (any, any) says so of the picture; everywhere, if that is empty.
    ``behind`` float32 (sheets, rows, columns), each nearer than the one before it by ``least``;
    what nothing closes stays as it is.
    """
    tall, wide = solid.shape
    for y in range(near.shape[0]):
        line, across, down, first = near[y], u[y], v[y], behind[0, y]
        if wide:
            for x in range(len(line)):
                if line[x] > 0:
                    j = min(max(np.int32(down[x] * tall), 0), tall - 1)
                    i = min(max(np.int32(across[x] * wide), 0), wide - 1)
                    if solid[j, i]:
                        first[x] = line[x] + least
            for n in range(1, len(behind)):
                other = behind[n, y]
                for x in range(len(line)):
                    other[x] = max(other[x], first[x] + n * least if first[x] > 0 else other[x])
        else:
            for x in range(len(line)):
                if across[x] > NOWHERE / 2:
                    first[x] = line[x] + least


@njit(cache=True, nogil=True, fastmath=True)
def least_in(near, side):  # type: ignore[no-untyped-def]
    """Return the least of each square of ``near`` (rows, columns), ``side`` pixels wide."""
    rows, columns = near.shape
    out = np.full((-(-rows // side), -(-columns // side)), np.float32(np.inf), np.float32)
    for y in range(rows):
        line, target = near[y], out[y // side]
        for n in range(len(target)):
            found = target[n]
            for x in range(n * side, min((n + 1) * side, columns)):
                found = min(found, line[x])
            target[n] = found
    return out


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
def compose(near, u, v, second, third, sizes, least, out, deep):  # type: ignore[no-untyped-def]
    """Put the sheets of a block one over the other.

    Parameters
    ----------
    near, u, v : float32 (3, rows, columns)
        1/z and place of what each sheet shows, the front first; ``u`` is :data:`NOWHERE` where it
        shows nothing. What is drawn of a sheet behind one that is solid is nearer than that.
    second, third : uint16 (any, any, 4)
        Texels of a level of those behind.
    sizes : float32 (3, 2)
        Width and height of the levels of all three.
    least : float32
        What is behind is seen before the front only where its 1/z is so much greater.
    out : uint16 (rows, columns, 4)
        What the front shows, 0 where it shows nothing; then what all of them show.
    deep : float32 (rows, columns)
        1/z of what is seen.
    """
    rows, columns = deep.shape
    nowhere, full = np.float32(NOWHERE / 2), np.float32(65535)
    half, one, none = np.float32(0.5), np.float32(1), np.float32(0)
    wide, tall = sizes[0, 0], sizes[0, 1]
    for y in range(rows):
        fronts, seconds, thirds = u[0, y], u[1, y], u[2, y]
        for x in range(columns):
            u0, u1, u2 = fronts[x], seconds[x], thirds[x]
            # It fades out over a texel at the picture's edges.
            across, down = u0 * wide, v[0, y, x] * tall
            inner = min(min(across, wide - across), min(down, tall - down)) + half
            if u1 < nowhere and u2 < nowhere and inner >= one:
                deep[y, x] = near[0, y, x]
                continue
            red, green, blue, alpha = none, none, none, none
            at, left = none, one
            before = near[0, y, x] + least
            passed = u1 > nowhere and near[1, y, x] > before
            passed = passed or (u2 > nowhere and near[2, y, x] > before + least)
            if u0 > nowhere and not passed:
                share = min(max(inner, none), one)
                red, green = share * np.float32(out[y, x, 0]), share * np.float32(out[y, x, 1])
                blue, alpha = share * np.float32(out[y, x, 2]), share * np.float32(out[y, x, 3])
                left = one - alpha / full
                at = near[0, y, x]
            if left > np.float32(1e-4):
                # What is drawn of the last where there is a second is nearer than that.
                r, g, b, a, below = none, none, none, none, none
                if u1 > nowhere and u2 < nowhere:
                    r, g, b, a = _sampled(second, u1, v[1, y, x], sizes[1, 0], sizes[1, 1])
                    below = near[1, y, x]
                elif u2 > nowhere:
                    r, g, b, a = _sampled(third, u2, v[2, y, x], sizes[2, 0], sizes[2, 1])
                    below = near[2, y, x]
                red, green, blue = red + left * r, green + left * g, blue + left * b
                alpha += left * a
                if left > half:
                    at = below
            out[y, x, 0] = np.uint16(min(red + half, full))
            out[y, x, 1] = np.uint16(min(green + half, full))
            out[y, x, 2] = np.uint16(min(blue + half, full))
            out[y, x, 3] = np.uint16(min(alpha + half, full))
            deep[y, x] = at
