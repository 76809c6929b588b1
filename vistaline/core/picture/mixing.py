"""Blend modes: how a layer's colour mixes with what is behind it.

The sixteen of W3C Compositing and Blending Level 1 (sections 10.1 and 10.2) work on sRGB-encoded
values, as published. Two more add and take away light, in linear light; ``looks.blending.MODES``
has their numbers. Whatever the mode, coverage and opacity composite in linear light (section
9.1.4).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

__all__ = ["blend_colours", "blend_row"]

_KERNEL: dict[str, Any] = {"nogil": True, "cache": True}


@njit(**_KERNEL)
def blend_colours(mode, back, front, out):  # type: ignore[no-untyped-def]
    """Put B(back, front) into ``out``; three encoded values each, 0..1."""
    if mode >= 12:
        _blend_whole(mode, back, front, out)
        return
    for c in range(3):
        out[c] = _blend_channel(mode, back[c], front[c])


@njit(**_KERNEL)
def blend_row(mode, row, over, alpha):  # type: ignore[no-untyped-def]
    """Lay a row over another, ``row`` (3, N) of encoded values 0..1; adding and subtracting want
    linear ones. ``over`` (3, N) and ``alpha`` (N,) are uint16."""
    scale = np.float32(1 / 65535)
    if mode < 12 or mode >= 16:
        for c in range(3):
            _blend_plane(mode, row[c], over[c], alpha)
        return
    back, front = np.empty(3, np.float32), np.empty(3, np.float32)
    mixed = np.empty(3, np.float32)
    for x in range(alpha.shape[0]):
        if alpha[x] == 0:
            continue
        for c in range(3):
            back[c], front[c] = row[c, x], np.float32(over[c, x]) * scale
        _blend_whole(mode, back, front, mixed)
        for c in range(3):
            row[c, x] += (mixed[c] - back[c]) * (np.float32(alpha[x]) * scale)


@njit(**_KERNEL)
def _blend_plane(mode, row, over, alpha):  # type: ignore[no-untyped-def]
    scale = np.float32(1 / 65535)
    for x in range(alpha.shape[0]):
        b, s = row[x], np.float32(over[x]) * scale
        row[x] += (_blend_channel(mode, b, s) - b) * (np.float32(alpha[x]) * scale)


@njit(**_KERNEL)
def _blend_channel(mode, b, s):  # type: ignore[no-untyped-def]
    if mode == 1:
        return b * s
    if mode == 2:
        return b + s - b * s
    if mode == 3:
        return _hard_light(s, b)
    if mode == 4:
        return min(b, s)
    if mode == 5:
        return max(b, s)
    if mode == 6:
        if b <= 0:
            return np.float32(0)
        return np.float32(1) if s >= 1 else min(np.float32(1), b / (1 - s))
    if mode == 7:
        if b >= 1:
            return np.float32(1)
        return np.float32(0) if s <= 0 else 1 - min(np.float32(1), (1 - b) / s)
    if mode == 8:
        return _hard_light(b, s)
    if mode == 9:
        if s <= 0.5:
            return b - (1 - 2 * s) * b * (1 - b)
        curve = ((16 * b - 12) * b + 4) * b if b <= 0.25 else np.sqrt(b)
        return b + (2 * s - 1) * (curve - b)
    if mode == 10:
        return abs(b - s)
    if mode == 11:
        return b + s - 2 * b * s
    if mode == 16:
        return min(b + s, np.float32(1))
    if mode == 17:
        return max(b - s, np.float32(0))
    return s


@njit(**_KERNEL)
def _hard_light(b, s):  # type: ignore[no-untyped-def]
    if s <= 0.5:
        return b * 2 * s
    return b + (2 * s - 1) - b * (2 * s - 1)


@njit(**_KERNEL)
def _blend_whole(mode, back, front, out):  # type: ignore[no-untyped-def]
    if mode == 12:
        _with_saturation(front, _spread(back), out)
        _with_lightness(out, _lightness(back))
    elif mode == 13:
        _with_saturation(back, _spread(front), out)
        _with_lightness(out, _lightness(back))
    elif mode == 14:
        out[:] = front
        _with_lightness(out, _lightness(back))
    else:
        out[:] = back
        _with_lightness(out, _lightness(front))


@njit(**_KERNEL)
def _lightness(c):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * c[0] + np.float32(0.59) * c[1] + np.float32(0.11) * c[2]


@njit(**_KERNEL)
def _spread(c):  # type: ignore[no-untyped-def]
    return max(c[0], c[1], c[2]) - min(c[0], c[1], c[2])


@njit(**_KERNEL)
def _with_saturation(c, wanted, out):  # type: ignore[no-untyped-def]
    low, high = min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
    for k in range(3):
        out[k] = (c[k] - low) * wanted / (high - low) if high > low else np.float32(0)


@njit(**_KERNEL)
def _with_lightness(c, wanted):  # type: ignore[no-untyped-def]
    shift = wanted - _lightness(c)
    for k in range(3):
        c[k] += shift
    light = _lightness(c)
    low, high = min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
    if low < 0:
        for k in range(3):
            c[k] = light + (c[k] - light) * light / (light - low)
    if high > 1:
        for k in range(3):
            c[k] = light + (c[k] - light) * (1 - light) / (high - light)
