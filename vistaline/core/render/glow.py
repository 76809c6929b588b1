"""Glow: what is bright, blurred wider and wider and added; as much light as there was."""

from __future__ import annotations

import math

import cv2
import numpy as np

from vistaline.core.render.bright import halved
from vistaline.core.render.crew import Crew
from vistaline.core.render.shelf import Shelf

__all__ = ["glow_of"]

_FALLS = 0.6
"""How much weaker each narrower blur is than the next wider one."""
_THREE = np.array([1, 2, 1], np.float32) / 4


def glow_of(bright: np.ndarray, size: float, crew: Crew, shelf: Shelf) -> np.ndarray:
    """Return the glow (3, rows, columns) float32 of what is ``bright``, of half its size.

    Of as much light; ``size``: pixels of ``bright`` (3, rows, columns) over which most of it
    spreads. A pyramid: halved with 1 3 3 1, enlarged with 1 2 1 and evenly between, so that it does
    not flicker as what glows moves; nothing finer than its first halving is used for that reason.
    """
    steps = max(0.0, math.log2(max(size, 1.0) / 4))
    levels = [halved(bright, crew, shelf)]
    while len(levels) < min(math.ceil(steps) + 1, 8) and min(levels[-1].shape[1:]) > 2:
        levels.append(halved(levels[-1], crew, shelf))
    # The widest comes in little by little as the size grows.
    weights = np.array([_FALLS ** (steps - n) for n in range(len(levels))])
    if len(levels) > 1:
        weights[-1] = max(1 - (len(levels) - 1 - steps), 0.02)
    weights /= weights.sum()
    found = levels[-1] * np.float32(weights[-1])
    for level, weight in zip(reversed(levels[:-1]), reversed(weights[:-1].tolist()), strict=True):
        for n in range(3):
            level[n] *= np.float32(weight)
            level[n] += _enlarged(found[n], (level.shape[2], level.shape[1]))
        found = level
    for plane in found:
        cv2.sepFilter2D(plane, -1, _THREE, _THREE, dst=plane, borderType=cv2.BORDER_REFLECT)
    return found


def _enlarged(plane: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    smooth = cv2.sepFilter2D(plane, -1, _THREE, _THREE, borderType=cv2.BORDER_REFLECT)
    double = (plane.shape[1] * 2, plane.shape[0] * 2)
    large = cv2.resize(smooth, double, interpolation=cv2.INTER_LINEAR)
    return np.asarray(large[: size[1], : size[0]])
