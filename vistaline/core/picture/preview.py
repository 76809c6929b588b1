"""Pictures for the browser: 8-bit, straight alpha, colour bled beyond the edges.

A graphics card filters straight colour; what is transparent must therefore carry the colour of
what is beside it, or cutouts get a dark rim.
"""

from __future__ import annotations

import io

import cv2
import numpy as np
from PIL import Image

from vistaline.core.arrays import Rgba16
from vistaline.core.picture.colour import encode_srgb
from vistaline.core.picture.pyramid import BORDER, Pyramid

__all__ = ["alpha_at", "level_for", "preview_size", "preview_webp"]

PREVIEW_SIDE = 2048


def _inner(level: Rgba16) -> Rgba16:
    return level[BORDER:-BORDER, BORDER:-BORDER]


def preview_webp(pyramid: Pyramid, longest_side: int = PREVIEW_SIDE, quality: int = 92) -> bytes:
    """Return the picture as WebP, no side longer than ``longest_side`` pixels."""
    start = _start_of(pyramid, longest_side)
    width, height = _level_size(pyramid, start)
    straight = _bled([_inner(level) for level in pyramid.levels[start:]])[:height, :width]
    alpha = _inner(pyramid.levels[start])[:height, :width, 3].astype(np.float32) / 65535
    size = _shrunk((width, height), longest_side)
    if size != (width, height):
        straight = cv2.resize(straight, size, interpolation=cv2.INTER_AREA)
        alpha = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)
    codes = np.rint(encode_srgb(np.clip(straight, 0, 1)) * 255).astype(np.uint8)
    image = Image.fromarray(codes)
    if not pyramid.opaque:
        image.putalpha(Image.fromarray(np.rint(alpha * 255).astype(np.uint8)))
    data = io.BytesIO()
    image.save(data, "WEBP", quality=quality, method=2, exact=True)
    return data.getvalue()


def preview_size(pyramid: Pyramid) -> tuple[int, int]:
    """Return how wide and high, in pixels, the browser's version of a picture is."""
    return _shrunk(_level_size(pyramid, _start_of(pyramid, PREVIEW_SIDE)), PREVIEW_SIDE)


def level_for(pyramid: Pyramid, width: int) -> Rgba16:
    """Return the coarsest level (rows, columns, 4) that is at least so many pixels wide."""
    numbers = range(len(pyramid.levels) - 1, -1, -1)
    number = next((n for n in numbers if _level_size(pyramid, n)[0] >= width), 0)
    columns, rows = _level_size(pyramid, number)
    # Levels are a little larger than the picture: whole at every halving.
    return _inner(pyramid.levels[number])[:rows, :columns]


def _start_of(pyramid: Pyramid, longest_side: int) -> int:
    """Return the level it is made of: the next finer, to be as sharp as its size allows."""
    longest = max(pyramid.width, pyramid.height)
    start = 0
    while start + 1 < len(pyramid.levels) and longest * 0.5 ** (start + 1) >= longest_side:
        start += 1
    return start


def _level_size(pyramid: Pyramid, level: int) -> tuple[int, int]:
    scale = 0.5**level
    return round(pyramid.width * scale), round(pyramid.height * scale)


def _shrunk(size: tuple[int, int], longest_side: int) -> tuple[int, int]:
    shrink = min(1.0, longest_side / max(size))
    return max(1, round(size[0] * shrink)), max(1, round(size[1] * shrink))


def _bled(levels: list[Rgba16]) -> np.ndarray:
    """Return linear straight colour (height, width, 3), filled from coarser levels."""
    filled: np.ndarray | None = None
    for level in reversed(levels):
        alpha = level[..., 3:].astype(np.float32)
        colour = level[..., :3].astype(np.float32) / np.maximum(alpha, 1)
        if filled is None:
            filled = colour
            continue
        coarser = cv2.resize(
            filled, (level.shape[1], level.shape[0]), interpolation=cv2.INTER_LINEAR
        )
        # Below 1/64 of full alpha 16 bits tell little of the colour: lean on the coarser level.
        trust = np.clip(alpha / 1024, 0, 1)
        filled = colour * trust + coarser * (1 - trust)
    assert filled is not None
    return filled


def alpha_at(pyramid: Pyramid, u: float, v: float) -> float:
    """Return the alpha (0..1) at unit texture coordinates; 0 outside."""
    if not (0 <= u < 1 and 0 <= v < 1):
        return 0.0
    level = min(2, len(pyramid.levels) - 1)
    x = int(u * pyramid.width * 0.5**level) + BORDER
    y = int(v * pyramid.height * 0.5**level) + BORDER
    return float(pyramid.levels[level][y, x, 3]) / 65535
