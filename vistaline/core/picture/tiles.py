"""Square pieces of pictures and masks at halved sizes, so that a large picture can be looked into.

Level n is the picture at 2 ** -n of its size; a tile is at most ``TILE`` pixels a side.
"""

from __future__ import annotations

import io

import cv2
import numpy as np
from PIL import Image

from vistaline.core.errors import RenderError
from vistaline.core.picture.colour import srgb_table
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.picture.still import encode_jpeg, encode_png

__all__ = ["TILE", "codes_tile", "mask_tile", "outline_tile", "pyramid_tile"]

TILE = 512
_TABLE = np.rint(srgb_table()).astype(np.uint8)


def _region(size: tuple[int, int], level: int, column: int, row: int) -> tuple[int, int, int, int]:
    """Return left, top, right, bottom of a tile in full-size pixels."""
    side = TILE << level
    left, top = column * side, row * side
    if not (0 <= left < size[0] and 0 <= top < size[1]):
        raise RenderError("The picture has no such tile.")
    return left, top, min(left + side, size[0]), min(top + side, size[1])


def pyramid_tile(pyramid: Pyramid, level: int, column: int, row: int) -> tuple[bytes, str]:
    """Return a tile of a picture and its kind: JPEG, or WebP with transparency."""
    level_used = min(level, len(pyramid.levels) - 1)
    left, top, right, bottom = _region((pyramid.width, pyramid.height), level, column, row)
    box = [-(-edge >> level_used) for edge in (right, bottom)]
    y0, x0 = (top >> level_used) + BORDER, (left >> level_used) + BORDER
    part = pyramid.levels[level_used][y0 : box[1] + BORDER, x0 : box[0] + BORDER]
    if pyramid.opaque:
        return encode_jpeg(_TABLE[part[..., :3]], 92), "jpeg"
    share = np.maximum(part[..., 3:].astype(np.float32), 1)
    straight = np.clip(part[..., :3] * (65535 / share), 0, 65535).astype(np.uint16)
    alpha = (part[..., 3:] >> 8).astype(np.uint8)
    data = io.BytesIO()
    Image.fromarray(np.dstack([_TABLE[straight], alpha])).save(data, "WEBP", quality=90, method=0)
    return data.getvalue(), "webp"


def codes_tile(
    codes: np.ndarray,
    level: int,
    column: int,
    row: int,
    *,
    at: tuple[int, int] = (0, 0),
    size: tuple[int, int] | None = None,
) -> np.ndarray:
    """Return a tile, uint8, of codes that lie ``at`` (x, y) on a canvas of ``size``."""
    height, width = codes.shape[:2]
    left, top, right, bottom = _region(size or (width, height), level, column, row)
    part = codes[
        max(0, top - at[1]) : max(0, bottom - at[1]), max(0, left - at[0]) : max(0, right - at[0])
    ]
    if part.dtype == np.uint16:
        part = (part >> 8).astype(np.uint8)
    if part.shape[:2] != (bottom - top, right - left):
        whole = np.zeros((bottom - top, right - left, *codes.shape[2:]), np.uint8)
        y, x = max(0, at[1] - top), max(0, at[0] - left)
        whole[y : y + part.shape[0], x : x + part.shape[1]] = part
        part = whole
    return _halved(part, level)


def _halved(part: np.ndarray, level: int) -> np.ndarray:
    if level == 0:
        return np.ascontiguousarray(part)
    size = (max(1, -(-part.shape[1] >> level)), max(1, -(-part.shape[0] >> level)))
    return cv2.resize(part, size, interpolation=cv2.INTER_AREA)


def mask_tile(mask: np.ndarray, level: int, column: int, row: int) -> bytes:
    """Return a tile of a mask as PNG: white, the mask its alpha."""
    return _as_alpha(codes_tile(mask, level, column, row))


def outline_tile(mask: np.ndarray, level: int, column: int, row: int) -> bytes:
    """Return the line round a mask in a tile as PNG: white, one pixel wide."""
    inside = (codes_tile(mask, level, column, row) > 127).astype(np.uint8) * 255
    edge = cv2.morphologyEx(inside, cv2.MORPH_GRADIENT, np.ones((2, 2), np.uint8))
    return _as_alpha(edge)


def _as_alpha(alpha: np.ndarray) -> bytes:
    white = np.full_like(alpha, 255)
    return encode_png(np.dstack([white, white, white, alpha]), level=1)
