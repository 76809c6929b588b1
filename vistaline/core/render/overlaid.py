"""An own picture laid over a frame or a layer: planes of its colours and of its alpha."""

from __future__ import annotations

import math

import cv2
import numpy as np

from vistaline.core.arrays import Matrix3
from vistaline.core.kept import Kept
from vistaline.core.looks.blending import LIT
from vistaline.core.picture.colour import encode_srgb
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.shot.overlays import Laid, Overlay

__all__ = ["drawn_overlay"]

_LEAST = 4
"""Texels up a picture that is drawn as small as can be."""
_STEPS = 2
"""Sizes an octave that a picture is kept in; between them it is mixed from four texels."""
_SIZED: Kept[np.ndarray] = Kept("overlays")


def drawn_overlay(
    effect: Overlay,
    look: Pyramid,
    file: str,
    outer: Matrix3,
    aspect: float,
    size: tuple[int, int],
) -> np.ndarray:
    """Return the planes (4, height, width) uint16 of an overlay: red, green, blue, alpha; straight.

    Codes, or linear light for the modes that want that. ``outer``: from what it lies on to pixels,
    in heights of it from its middle; ``aspect``: its width in them; ``size``: the raster's.
    """
    box = _box(effect, look.width / look.height, outer, aspect)
    ends = box @ np.array([[0, 0], [-0.5, 0.5], [1, 1]])
    flat = ends[:2] / np.where(np.abs(ends[2]) > 1e-9, ends[2], 1e-9)
    tall = max(float(np.hypot(*(flat[:, 1] - flat[:, 0]))), 1.0)
    tile = _sized(look, file, tall, linear=effect.blend in LIT)
    high, wide = tile.shape[:2]
    # Boxes go from -0.5 to 0.5, up is +; texels and pixels are counted by their middles.
    texels = np.array([[wide, 0, wide / 2 - 0.5], [0, -high, high / 2 - 0.5], [0, 0, 1]])
    middles = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    way = texels @ np.linalg.inv(box) @ middles
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    if effect.laid is Laid.TILED:
        drawn = cv2.warpPerspective(tile, way, size, flags=flags, borderMode=cv2.BORDER_WRAP)
        return np.ascontiguousarray(drawn.transpose(2, 0, 1))
    # Its colours go on beyond its edge, so that half of a texel there is not half black.
    edge = cv2.BORDER_REPLICATE
    colours = cv2.warpPerspective(tile[..., :3], way, size, flags=flags, borderMode=edge)
    alpha = cv2.warpPerspective(np.ascontiguousarray(tile[..., 3]), way, size, flags=flags)
    return np.stack([*colours.transpose(2, 0, 1), alpha])


def _box(effect: Overlay, shape: float, outer: Matrix3, aspect: float) -> Matrix3:
    """Return the homography from the picture's box to pixels; ``shape``: width in heights."""
    high = effect.size
    if effect.laid is Laid.FITTED:
        high *= max(1.0, aspect / shape)
    turn = math.radians(effect.turn)
    cosine, sine = math.cos(turn), math.sin(turn)
    inner = np.array(
        [
            [cosine * high * shape, -sine * high, effect.x * aspect],
            [sine * high * shape, cosine * high, effect.y],
            [0, 0, 1],
        ]
    )
    return np.asarray(outer @ inner)


def _sized(look: Pyramid, file: str, tall: float, *, linear: bool) -> np.ndarray:
    """Return a picture (rows, columns, 4) uint16, straight, about as large as it is seen."""
    smaller = max(0.0, math.log2(look.height / tall))
    step = math.floor(smaller * _STEPS)
    rows = max(_LEAST, round(look.height * 2 ** (-step / _STEPS)))

    def draw() -> np.ndarray:
        level = min(math.floor(smaller), len(look.levels) - 1)
        height, width = (max(1, round(each / 2**level)) for each in (look.height, look.width))
        texels = look.levels[level][BORDER : BORDER + height, BORDER : BORDER + width]
        picture = texels.astype(np.float32)
        columns = max(_LEAST, round(look.width * rows / look.height))
        small = cv2.resize(picture, (columns, rows), interpolation=cv2.INTER_AREA)
        alpha = small[..., 3:]
        light = np.clip(small[..., :3] / np.maximum(alpha, 1), 0, 1)
        colours = light if linear else encode_srgb(light)
        return np.dstack([np.rint(colours * 65535), np.rint(alpha)]).astype(np.uint16)

    return _SIZED.get((file, rows, linear), draw)
