"""A colour to draw over a picture that tells from it."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.kept import Kept
from vistaline.core.picture.colour import straight_codes
from vistaline.core.picture.pyramid import BORDER, Pyramid

__all__ = ["OVERLAYS", "contrasting_colour"]

OVERLAYS = ("#f0a53a", "#35b8e8", "#e2498a", "#57c13c", "#7a5cf0")
"""Marigold, which is the house's; and what stands in where a picture is of its colour."""
_GOOD_ENOUGH = 0.8
"""The house's colour stays if it tells from a picture at least this well against the best."""
_SHARE = 10
"""Per cent of a picture that may be nearer to the colour than what it is judged by."""


_LOOKED_AT = 256
"""Pixels of the longer side that are enough to tell a picture's colours."""

_CHOSEN: Kept[str] = Kept("overlay colours")


def contrasting_colour(picture: Pyramid, name: str) -> str:
    """Return which of :data:`OVERLAYS` tells best from a picture, known by ``name``.

    By its distance in CIELAB (CIE 1976, ISO/CIE 11664-4) from all but the nearest tenth of the
    pixels that are seen.
    """
    return _CHOSEN.get(name, lambda: _contrasting(picture))


def _contrasting(picture: Pyramid) -> str:
    small = next((each for each in picture.levels if max(each.shape) < 2 * _LOOKED_AT), None)
    level = picture.levels[-1] if small is None else small
    codes = straight_codes(level[BORDER:-BORDER, BORDER:-BORDER])
    pixels = codes[..., :3][codes[..., 3] > 0]
    if not len(pixels):
        return OVERLAYS[0]
    seen = _lab(pixels)
    apart = [
        float(np.percentile(np.linalg.norm(seen - _lab(_codes(each)), axis=1), _SHARE))
        for each in OVERLAYS
    ]
    best = int(np.argmax(apart))
    return OVERLAYS[0 if apart[0] >= _GOOD_ENOUGH * apart[best] else best]


def _codes(colour: str) -> np.ndarray:
    return np.frombuffer(bytes.fromhex(colour[1:]), np.uint8).reshape(1, 3)


def _lab(codes: np.ndarray) -> np.ndarray:
    """Return CIELAB (N, 3) of sRGB codes (N, 3)."""
    shares = (codes.astype(np.float32) / 255)[None]
    return np.asarray(cv2.cvtColor(shares, cv2.COLOR_RGB2Lab))[0]
