"""The two ends of a picture that shall pass by without end: what lies across them is made anew."""

from __future__ import annotations

import numpy as np

from vistaline.core.picture.exemplar import ExemplarSettings, fill_by_texture

__all__ = ["ends_joined"]

_ROUND = 3.0
"""So many times the band's width, to each side, texture is taken from."""
_RIM = 4
"""Pixels over which the new runs into the old, whose codes are finer than the fill's."""


def ends_joined(colour: np.ndarray, width: float, seed: int) -> np.ndarray:
    """Return a picture (height, width, 3), 0..1, whose right edge goes on as its left begins.

    ``width``: the share of it that is made anew, half at each end, by texture from beside it.
    """
    across = colour.shape[1]
    band = max(2, round(width * across) // 2 * 2)
    # The ends in the middle, with what is round them.
    shift = across // 2
    rolled = np.roll(colour, shift, axis=1)
    left, right = shift - band // 2, shift + band // 2
    first, last = max(0, int(left - _ROUND * band)), min(across, int(right + _ROUND * band))
    part = rolled[:, first:last]
    hole = np.zeros(part.shape[:2], bool)
    hole[:, left - first : right - first] = True
    codes = np.rint(np.clip(part, 0, 1) * 255).astype(np.uint8)
    filled = fill_by_texture(codes, hole, settings=ExemplarSettings(seed=seed)) / np.float32(255)
    weight = np.clip(np.minimum(np.arange(band) + 1, np.arange(band, 0, -1)) / _RIM, 0, 1)
    weight = weight[None, :, None].astype(np.float32)
    inside = slice(left - first, right - first)
    rolled[:, left:right] += weight * (filled[:, inside] - rolled[:, left:right])
    return np.roll(rolled, -shift, axis=1)
