"""Sampling a card's picture where a row is composited, for stacks so deep that most is hidden.

Warping every card whole costs nothing less where nearer ones have let next to nothing through.
Here a pixel is fetched only when it is known to be seen, straight from the pyramid.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numba import carray, njit, types
from numba.extending import intrinsic

from vistaline.core.picture.pyramid import BORDER
from vistaline.core.render.laying import KERNEL, Sources
from vistaline.core.render.source import Fetched

__all__ = ["UNSEEN", "fetchable", "lay_fetched"]

UNSEEN = np.float32(1e-4)
"""So little light comes through that what is behind changes no code of 8 bits.

In the darks, where sRGB is steepest, half a code is 1.5e-4 of full light.
"""

_LANES = np.uint64(0x0000FFFF0000FFFF)
_HALVES = np.uint64(0x0000800000008000)
_SIXTEEN = np.uint64(16)


def fetchable(fetched: Sequence[Fetched | None], tiles: tuple[int, int]) -> Sources:
    """Return what the kernels are told of those that are fetched; good while these are kept.

    ``tiles``: lines and columns of the frame.
    """
    deepest = max((len(each.pyramid.levels) for each in fetched if each), default=0)
    levels = np.zeros((len(fetched), deepest, 3), np.int64)
    codes = np.zeros((len(fetched), *tiles), np.int64)
    texel_from_image = np.zeros((len(fetched), 3, 3))
    for n, each in enumerate(fetched):
        if each is None:
            continue
        codes[n], texel_from_image[n] = each.codes, each.texel_from_image
        for texels, row in zip(each.pyramid.levels, levels[n], strict=False):
            assert texels.flags.c_contiguous and texels.dtype == np.uint16
            row[:] = texels.ctypes.data, *texels.shape[:2]
    return Sources(
        asked=np.array([each is not None for each in fetched], np.bool_),
        texel_from_image=texel_from_image,
        codes=codes,
        levels=levels,
    )


@intrinsic
def _texels_at(_context: Any, address: Any) -> Any:
    """Make a pointer to packed texels of a number: a tuple of arrays would be a type of its own.

    Every count of layers would have to be compiled anew.
    """

    def build(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

    return types.CPointer(types.uint64)(address), build


@njit(**KERNEL)
def lay_fetched(  # type: ignore[no-untyped-def]
    levels, homographies, i, code, opacity, edges, limits, planes, x0, x1, y
):
    """Lay pixels ``x0`` to ``x1`` of card ``i`` in row ``y``, all within one tile.

    ``levels`` and ``homographies`` as in :class:`Sources`, ``code`` the tile's; ``limits`` (cards,
    4): what each card touches in this row, and what it covers wholly; ``planes`` as in
    :func:`row_in_order`. What is hidden already is not fetched.

    Stretches are short where many cards cut through each other: so nothing here makes a view of
    an array, or counts its owners.
    """
    across, down = code >> 8 & 255, code & 255
    level = (code >> 16) - 1
    address: Any = _texels_at(levels[i, level, 0])  # type: ignore[call-arg]
    texels = carray(address, (levels[i, level, 1], levels[i, level, 2]))
    share, weight, full, end = 0.5**level, opacity[i], limits[i, 2], limits[i, 3]
    # Along the row numerators and denominator of the homography are linear.
    u1, v1, w1 = homographies[i, 0, 0], homographies[i, 1, 0], homographies[i, 2, 0]
    u2, v2, w2 = homographies[i, 0, 1], homographies[i, 1, 1], homographies[i, 2, 1]
    u0 = u2 * (y + 0.5) + homographies[i, 0, 2]
    v0 = v2 * (y + 0.5) + homographies[i, 1, 2]
    w0 = w2 * (y + 0.5) + homographies[i, 2, 2]
    for x in range(x0, x1):
        through = planes[3, x]
        if through <= UNSEEN:
            continue
        if across * down == 1:
            at = x + 0.5
            w = share / (w1 * at + w0)
            pixel = _texel(texels, (u1 * at + u0) * w, (v1 * at + v0) * w)
        else:
            even, odd = np.uint64(0), np.uint64(0)
            for t in range(down):
                lower = (t + 0.5) / down - 0.5
                for s in range(across):
                    at = x + (s + 0.5) / across
                    w = share / (w1 * at + w0 + w2 * lower)
                    u, v = u1 * at + u0 + u2 * lower, v1 * at + v0 + v2 * lower
                    pixel = _texel(texels, u * w, v * w)
                    even += pixel & _LANES
                    odd += pixel >> _SIXTEEN & _LANES
            count = np.uint64(across * down)
            pixel = _mean(even, count) | _mean(odd, count) << _SIXTEEN
        seen = through * weight
        if x < full or x >= end:
            for k in range(edges.shape[1]):
                distance = (
                    edges[i, k, 0] * np.float32(x + 0.5)
                    + edges[i, k, 1] * np.float32(y + 0.5)
                    + edges[i, k, 2]
                )
                seen *= min(max(distance + np.float32(0.5), np.float32(0)), np.float32(1))
        low, high = np.uint32(pixel), np.uint32(pixel >> np.uint64(32))
        planes[0, x] += seen * np.float32(low & np.uint32(65535))
        planes[1, x] += seen * np.float32(low >> np.uint32(16))
        planes[2, x] += seen * np.float32(high & np.uint32(65535))
        left = through - seen * np.float32(1 / 65535) * np.float32(high >> np.uint32(16))
        planes[3, x] = left if left > np.float32(1e-5) else np.float32(0)


@njit(inline="always")
def _mean(lanes, count):  # type: ignore[no-untyped-def]
    low = (lanes & np.uint64(0xFFFFFFFF)) + count // np.uint64(2)
    high = (lanes >> np.uint64(32)) + count // np.uint64(2)
    return high // count << np.uint64(32) | low // count


@njit(inline="always")
def _texel(texels, u, v):  # type: ignore[no-untyped-def]
    """Return the packed texel at a level's ``u``, ``v``, between its four neighbours.

    The place among them counts in steps of 1/256, which keeps all products exact in 16 bits.
    """
    u += BORDER - 0.5
    v += BORDER - 0.5
    if not (u >= 0 and v >= 0 and u < texels.shape[1] - 1 and v < texels.shape[0] - 1):
        return np.uint64(0)
    # By way of signed numbers: processors turn floats into those in one step.
    a, b = np.uint64(np.int64(u * 256)), np.uint64(np.int64(v * 256))
    column, row = a >> np.uint64(8), b >> np.uint64(8)
    right, below = a & np.uint64(255), b & np.uint64(255)
    left, above = np.uint64(256) - right, np.uint64(256) - below
    # Two channels at a time, each in a lane of 32 bits: 65535 x 65536 just fits in one.
    even, odd = _HALVES, _HALVES
    for k in range(4):
        down, on = np.uint64(k >> 1), np.uint64(k & 1)
        weight = (below if k >> 1 else above) * (right if k & 1 else left)
        pixel = texels[row + down, column + on]
        even += (pixel & _LANES) * weight
        odd += (pixel >> _SIXTEEN & _LANES) * weight
    return (even >> _SIXTEEN & _LANES) | (odd & ~_LANES)
