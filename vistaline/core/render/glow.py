"""Glow: what is bright, blurred wider and wider and added; as much light as there was."""

from __future__ import annotations

import math

import cv2
import numpy as np

__all__ = ["glow_of"]

_FALLS = 0.6
"""How much weaker each narrower blur is than the next wider one."""
_FIRST = np.array([1, 3, 3, 1], np.float32) / 8
_THREE = np.array([1, 2, 1], np.float32) / 4


def glow_of(bright: np.ndarray, size: float) -> np.ndarray:
    """Return the glow (rows, columns, 3) of what is bright, of as much light.

    ``size``: pixels of ``bright`` over which most of it spreads. A pyramid: halved with 1 3 3 1,
    enlarged with 1 2 1 and evenly between, so that it does not flicker as what glows moves.
    """
    steps = max(0.0, math.log2(max(size, 1.0) / 2))
    whole = min(math.ceil(steps) + 1, 9)
    levels = [bright]
    while len(levels) < whole and min(levels[-1].shape[:2]) > 2:
        levels.append(_halved(levels[-1]))
    # The widest comes in little by little as the size grows.
    weights = np.array([_FALLS ** (steps - n) for n in range(len(levels))])
    if len(levels) > 1:
        weights[0] = 0  # so fine that a small light's would flicker as it moves
        weights[-1] = max(1 - (len(levels) - 1 - steps), 0.02)
    weights /= weights.sum()
    found = levels[-1] * np.float32(weights[-1])
    for level, weight in zip(reversed(levels[:-1]), reversed(weights[:-1].tolist()), strict=True):
        found = _enlarged(found, (level.shape[1], level.shape[0]))
        found += level * np.float32(weight)
    return found


def _halved(level: np.ndarray) -> np.ndarray:
    odd = [side % 2 for side in level.shape[:2]]
    even = cv2.copyMakeBorder(level, 0, odd[0], 0, odd[1], cv2.BORDER_REPLICATE)
    # Of four texels the second is the anchor: the mean lies between the middle two.
    smooth = cv2.sepFilter2D(even, -1, _FIRST, _FIRST, anchor=(1, 1), borderType=cv2.BORDER_REFLECT)
    return np.ascontiguousarray(smooth[::2, ::2])


def _enlarged(level: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    smooth = cv2.sepFilter2D(level, -1, _THREE, _THREE, borderType=cv2.BORDER_REFLECT)
    double = (level.shape[1] * 2, level.shape[0] * 2)
    large = cv2.resize(smooth, double, interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(large[: size[1], : size[0]])
