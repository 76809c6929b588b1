"""Frames as codecs take them: sRGB codes of 16 bits, and planes of luma and chroma.

Y'CbCr is that of BT.709 in narrow range (Recommendation ITU-R BT.709-6, items 3.2 to 3.5 and 4.6).
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numba import njit

from vistaline.core.arrays import Rgba16
from vistaline.core.picture.colour import FULL, encode_srgb

__all__ = ["codes16", "planes_of", "straight_codes16"]

_RED, _BLUE = 0.2126, 0.0722
"""BT.709-6, item 3.2: the weights of red and blue in luma."""


@cache
def _table() -> np.ndarray:
    """Return sRGB codes 0..65535 of linear light 0..65535, uint16."""
    return np.rint(encode_srgb(np.arange(FULL + 1) / FULL) * FULL).astype(np.uint16)


def codes16(picture: Rgba16) -> np.ndarray:
    """Return uint16 (height, width, 3) sRGB codes of what is opaque, linear."""
    return _table()[picture[..., :3]]


def straight_codes16(picture: Rgba16) -> np.ndarray:
    """Return uint16 (height, width, 4) sRGB codes of premultiplied linear light, straight alpha."""
    out = np.empty_like(picture)
    _straighten(picture, _table(), out)
    return out


@njit(cache=True, nogil=True)
def _straighten(picture, table, out):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            alpha = picture[y, x, 3]
            out[y, x, 3] = alpha
            for k in range(3):
                light = 0.0
                if alpha > 0:
                    light = min(picture[y, x, k] * (65535.0 / alpha), 65535.0)
                out[y, x, k] = table[int(light + 0.5)]


def planes_of(codes: np.ndarray, bits: int, across: int, down: int) -> list[np.ndarray]:
    """Return Y', Cb and Cr of uint16 codes (height, width, 3 or 4), and alpha if they have it.

    ``bits`` 8 (uint8) or 10 (uint16); ``across``, ``down``: pixels to a sample of chroma, 1 or 2,
    both of the frame's sides whole numbers of them. Chroma of half the width alone lies on every
    second pixel (ITU-R BT.601-7, 2.5: co-sited), of half the width and height between four.
    """
    height, width = codes.shape[:2]
    kind = np.uint8 if bits == 8 else np.uint16
    luma = np.empty((height, width), kind)
    chroma = [np.empty((height // down, width // across), kind) for _ in range(2)]
    _planes(codes, float(1 << (bits - 8)), across, down, luma, *chroma)
    found = [luma, *chroma]
    if codes.shape[2] == 4:
        most = (1 << bits) - 1
        found.append(((codes[..., 3].astype(np.uint32) * most + 32767) // FULL).astype(kind))
    return found


@njit(cache=True, nogil=True)
def _planes(codes, unit, across, down, luma, blues, reds):  # type: ignore[no-untyped-def]
    """Fill planes; ``unit``: codes to one of 8 bits."""
    height, width = luma.shape
    green = 1 - _RED - _BLUE
    for y in range(height):
        for x in range(width):
            grey = _RED * codes[y, x, 0] + green * codes[y, x, 1] + _BLUE * codes[y, x, 2]
            luma[y, x] = int(unit * (16 + 219 * grey / 65535) + 0.5)
    for j in range(blues.shape[0]):
        for i in range(blues.shape[1]):
            r = g = b = 0.0
            if across == 2 and down == 1:
                for k in range(-1, 2):
                    x, share = min(max(2 * i + k, 0), width - 1), 0.5 if k == 0 else 0.25
                    r += share * codes[j, x, 0]
                    g += share * codes[j, x, 1]
                    b += share * codes[j, x, 2]
            else:
                share = 1.0 / (across * down)
                for y in range(j * down, (j + 1) * down):
                    for x in range(i * across, (i + 1) * across):
                        r += share * codes[y, x, 0]
                        g += share * codes[y, x, 1]
                        b += share * codes[y, x, 2]
            grey = _RED * r + green * g + _BLUE * b
            blues[j, i] = int(unit * (128 + 224 * (b - grey) / (2 * (1 - _BLUE) * 65535)) + 0.5)
            reds[j, i] = int(unit * (128 + 224 * (r - grey) / (2 * (1 - _RED) * 65535)) + 0.5)
