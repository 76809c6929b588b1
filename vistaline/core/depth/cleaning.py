"""A rough depth map's edges, brought to where the picture's edges are.

Maps that were measured or guessed are soft and too fat at edges. Sharpened, each pixel there is
given the nearest or the farthest of what is round it; then what is near is shrunk or grown by
the one number of pixels with which the picture changes most along the map's edges.
"""

from __future__ import annotations

import cv2
import numpy as np

__all__ = ["cleaned"]

_JUMP = 0.06
"""Where nearness differs by more than this nearby there is an edge between two things."""
_SHIFTS = range(-2, 8)


def cleaned(nearness: np.ndarray, picture: np.ndarray, radius: int) -> np.ndarray:
    """Return a map whose edges are steps, where the picture's are.

    ``nearness``: float32 (height, width), 0..1; ``picture``: uint8 (height, width, 3);
    ``radius``: pixels over which the map's edges are soft.
    """
    sharp = _sharpened(nearness, max(1, radius))
    codes = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    grey = cv2.GaussianBlur(codes, (0, 0), 1.0)
    strength = cv2.magnitude(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))
    tried = [_shrunk(sharp, shift) for shift in _SHIFTS]
    return max(tried, key=lambda each: _agreement(each, strength))


def _round_brush(radius: int) -> np.ndarray:
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2)


def _sharpened(nearness: np.ndarray, radius: int) -> np.ndarray:
    brush = _round_brush(radius)
    least, most = cv2.erode(nearness, brush), cv2.dilate(nearness, brush)
    nearer = nearness - least > most - nearness
    return np.where(most - least > _JUMP, np.where(nearer, most, least), nearness)


def _shrunk(nearness: np.ndarray, by: int) -> np.ndarray:
    if not by:
        return nearness
    return (cv2.erode if by > 0 else cv2.dilate)(nearness, _round_brush(abs(by)))


def _agreement(nearness: np.ndarray, strength: np.ndarray) -> float:
    across = np.abs(np.diff(nearness, axis=1, append=nearness[:, -1:]))
    down = np.abs(np.diff(nearness, axis=0, append=nearness[-1:]))
    steps = np.maximum(across, down)
    edge = steps > _JUMP / 2
    return float(strength[edge].mean()) if edge.any() else 0.0
