"""What happens to a card's pixels before it is composited: shadows on it, and its matte."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.render.composite import SRGB
from vistaline.core.render.laying import coverage
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH

__all__ = ["cast_shadow", "keep_matte"]


@njit(nogil=True, cache=True)
def cast_shadow(pixels, shadow, tiles, strength):  # type: ignore[no-untyped-def]
    """Darken a band's ``pixels`` (rows, width, 4) uint16 where a shadow lies on them.

    ``shadow``: as large, its alpha counts; ``tiles`` (lines, columns): 0 where it shows nothing;
    ``strength`` 0..1: light that a full shadow takes away.
    """
    scale = np.float32(strength / 65535)
    for j in range(pixels.shape[0]):
        for column in range(tiles.shape[1]):
            if tiles[j // TILE_HEIGHT, column] == 0:
                continue
            for x in range(column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, pixels.shape[1])):
                left = np.float32(1) - scale * np.float32(shadow[j, x, 3])
                for c in range(3):
                    value = np.float32(pixels[j, x, c]) * left
                    pixels[j, x, c] = np.uint16(value + np.float32(0.5))


@njit(nogil=True, cache=True)
def keep_matte(  # type: ignore[no-untyped-def]
    pixels, matte, tiles, edges, opacity, inside, by_lightness, y0
):
    """Keep of a band's ``pixels`` what lies inside a matte, or outside it.

    ``matte``: as large, linear, premultiplied; ``edges`` (EDGES, 3): its card's, as the compositor
    takes them; ``opacity`` 0..1: its layer's; ``y0``: the band's first row.

    By lightness, alpha counts times the luminance of the encoded colour (CSS Masking Level 1,
    section 7.10, with the coefficients of Filter Effects Level 1, luminanceToAlpha).
    """
    for j in range(pixels.shape[0]):
        for column in range(tiles.shape[1]):
            shown = tiles[j // TILE_HEIGHT, column] != 0
            for x in range(column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, pixels.shape[1])):
                share = np.float32(0)
                if shown:
                    alpha = np.float32(matte[j, x, 3]) * np.float32(1 / 65535)
                    share = alpha * opacity
                    if by_lightness:
                        share *= _lightness(matte[j, x], alpha)
                    share *= coverage(edges, np.float32(x), np.float32(y0 + j))
                kept = share if inside else np.float32(1) - share
                for c in range(4):
                    value = np.float32(pixels[j, x, c]) * kept
                    pixels[j, x, c] = np.uint16(value + np.float32(0.5))


@njit(inline="always")
def _lightness(pixel, alpha):  # type: ignore[no-untyped-def]
    if alpha <= 0:
        return np.float32(0)
    light = np.float32(0)
    for c, weight in ((0, 0.2125), (1, 0.7154), (2, 0.0721)):
        straight = min(np.float32(pixel[c]) / alpha, np.float32(65535))
        light += np.float32(weight / 255) * SRGB[np.uint16(straight)]
    return light
