"""The rim of a filled hole: what was put in begins where the picture ends.

At the rim a fill is off by what its source's neighbours differ from the picture's own. As far as
that is small it is taken away, less and less farther in: gradients are kept, as in Perez, Gangnet
and Blake, Poisson Image Editing, 2003, but only so far, for unlimited it would carry a remnant of
the subject over the whole fill.
"""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray

__all__ = ["REACH", "off_at_rim", "rim_of", "spread_inwards"]

_STEP = 40.0
"""Codes: a step at the rim that is larger is more and more an edge, from twice as much wholly."""
REACH = 3.0
"""Pixels over which what is taken away fades."""


def rim_of(hole: np.ndarray) -> np.ndarray:
    """Return rows and columns (N, 2) of a hole's outermost pixels."""
    cross = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
    return np.argwhere(hole & (cv2.dilate((~hole).astype(np.uint8), cross) > 0))


def off_at_rim(
    picture: np.ndarray, hole: np.ndarray, rim: np.ndarray, source: np.ndarray
) -> FloatArray:
    """Return what to add to each pixel of a hole's rim, codes (N, 3), by where each comes from.

    ``picture``: (height, width, 3 or more); ``rim`` and ``source``: rows and columns (N, 2).
    """
    off, count = np.zeros((len(rim), 3), np.float32), np.zeros((len(rim), 1), np.float32)
    for step in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        beside = rim + step
        outside = np.all((beside >= 0) & (beside < hole.shape), axis=1)
        outside[outside] = ~hole[tuple(beside[outside].T)]
        there, copied = (
            picture[tuple(at.T)][:, :3].astype(np.float32)
            for at in (beside[outside], source[outside] + step)
        )
        off[outside] += there - copied
        count[outside] += 1
    return off / np.maximum(count, 1)


def spread_inwards(
    hole: np.ndarray, rim: np.ndarray, off: FloatArray
) -> Iterator[tuple[tuple[np.ndarray, ...], FloatArray]]:
    """Yield of each channel where (indices) and how much to add, fading from the rim inwards."""
    off = off * np.clip(2 - np.abs(off).max(axis=1, keepdims=True) / _STEP, 0, 1)
    depth = cv2.distanceTransform(hole.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5)
    near = np.nonzero(hole & (depth < 3 * REACH))
    fade = np.exp((1 - depth[near]) / REACH)
    plane = np.zeros(hole.shape, np.float32)
    plane[tuple(rim.T)] = 1
    share = np.maximum(cv2.GaussianBlur(plane, (0, 0), REACH)[near], 1e-6)
    first = plane[near] > 0
    for channel in range(3):
        plane[tuple(rim.T)] = off[:, channel]
        spread = cv2.GaussianBlur(plane, (0, 0), REACH)[near] / share * fade
        yield near, np.where(first, plane[near], spread)
