"""Straight edges that bow: what a lens does to them, by one number, and how much it was.

The first term of Brown's model ("Decentering distortion of lenses", Photogrammetric Engineering,
1966): a point r from the middle of what the lens sees is drawn at r (1 + k r^2). Here r counts in
half diagonals of the picture, so k is what the corner is off by: above 0 edges bow inwards (a
cushion), below 0 outwards (a barrel).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import cast

import cv2
import numpy as np
from scipy.optimize import minimize_scalar

from vistaline.core.arrays import FloatArray, Rgba16
from vistaline.core.errors import PerspectiveError

__all__ = ["LIMIT", "bow_of", "bowed", "straight_box", "straighten_picture", "straightened"]

Box = tuple[float, float, float, float]

_STRIP = 256
LIMIT = 0.3
"""More than this no lens does that is not a fisheye, which this model does not describe."""


def bowed(points: FloatArray, k: float, size: tuple[int, int], centre: FloatArray) -> FloatArray:
    """Return where a lens draws points (..., 2) that lie straight, all in pixels."""
    radii = (points - centre) / _half_diagonal(size)
    return cast(
        FloatArray,
        centre + (points - centre) * (1 + k * (radii**2).sum(axis=-1, keepdims=True)),
    )


def straightened(
    points: FloatArray, k: float, size: tuple[int, int], centre: FloatArray
) -> FloatArray:
    """Return where points (..., 2) that a lens has drawn would lie: the inverse of :func:`bowed`.

    By Newton's method on r; beyond where the lens folds the picture over, the fold itself.
    """
    off = (points - centre) / _half_diagonal(size)
    drawn = np.sqrt((off**2).sum(axis=-1, keepdims=True))
    fold = np.sqrt(-1 / (3 * k)) if k < 0 else np.inf
    r = np.minimum(drawn, fold)
    for _ in range(20):
        slope = np.maximum(1 + 3 * k * r**2, 1e-9)
        r = np.clip(r - (r * (1 + k * r**2) - drawn) / slope, 0, fold)
    ratio = np.where(drawn > 1e-12, r / np.maximum(drawn, 1e-12), 1.0)
    return cast(FloatArray, centre + (points - centre) * ratio)


def straight_box(box: Box, k: float, size: tuple[int, int], centre: FloatArray) -> Box:
    """Return what holds a box (x, y, width, height) of the canvas once it is straightened."""
    x, y, width, height = box
    along = np.linspace(0, 1, 65)
    rim = [(along, 0 * along), (along, 0 * along + 1), (0 * along, along), (0 * along + 1, along)]
    points = np.concatenate([np.stack(side, axis=-1) for side in rim]) * [width, height] + [x, y]
    there = straightened(points, k, size, centre)
    (left, top), (right, bottom) = np.floor(there.min(axis=0)), np.ceil(there.max(axis=0))
    return float(left), float(top), float(right - left), float(bottom - top)


def straighten_picture(
    picture: Rgba16,
    k: float,
    size: tuple[int, int],
    centre: FloatArray,
    box: Box,
    into: Box | None = None,
    *,
    progress: Callable[[float], None] = lambda share: None,
) -> Rgba16:
    """Return a picture (height, width, 4) with what a lens has bowed in it made straight.

    ``box``: where it lies in the canvas of ``size``, whose ``centre`` is where the lens looked;
    ``into``: where what is returned lies, in pixels as large (rounded); the same if left out. What
    the lens did not see is transparent. By strips, as places take more room than pixels.
    """
    scale = np.array(box[2:]) / picture.shape[1::-1]
    corner, (left, top, wide, tall) = np.array(box[:2]), into or box
    width, height = (max(1, round(side)) for side in np.array([wide, tall]) / scale)
    grain, start_at = np.array([wide / width, tall / height]), np.array([left, top])
    straight = np.empty((height, width, picture.shape[2]), picture.dtype)
    for start in range(0, height, _STRIP):
        progress(start / height)
        rows = np.arange(start, min(start + _STRIP, height)) + 0.5
        points = np.stack(np.meshgrid(np.arange(width) + 0.5, rows), axis=-1)
        drawn = bowed(points * grain + start_at, k, size, centre)
        at = ((drawn - corner) / scale - 0.5).astype(np.float32)
        straight[start : start + len(rows)] = cv2.remap(
            picture, at[..., 0], at[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT
        )
    return straight


def bow_of(
    lines: Sequence[FloatArray], size: tuple[int, int], centre: tuple[float, float]
) -> float:
    """Return the k with which lines (N, 2), of three points and more each, come out straightest.

    Raises
    ------
    PerspectiveError
        No line has three points, or they all run through the middle, where nothing bows.
    """
    told = [np.asarray(line, float) for line in lines if len(line) >= 3]
    if not told:
        raise PerspectiveError(
            "Mark edges that bow by three points: both ends, and one on the edge between them."
        )
    middle = np.array(centre)

    def crooked(k: float) -> float:
        return sum(_crookedness(straightened(line, k, size, middle)) for line in told)

    if abs(crooked(LIMIT) - crooked(-LIMIT)) < 1e-9 * max(1.0, crooked(0.0)):
        raise PerspectiveError(
            "These edges run through the picture's middle, where none bows. Mark some near its "
            "borders."
        )
    found = minimize_scalar(
        crooked, bounds=(-LIMIT, LIMIT), method="bounded", options={"xatol": 1e-9}
    )
    return float(found.x)


def _half_diagonal(size: tuple[int, int]) -> float:
    return float(np.hypot(*size)) / 2


def _crookedness(points: FloatArray) -> float:
    """Return the sum of squared distances (pixels) from the best line through points (N, 2)."""
    return float(np.linalg.svd(points - points.mean(axis=0), compute_uv=False)[-1] ** 2)
