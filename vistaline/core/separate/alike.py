"""What looks like the subject elsewhere in the picture, so that a fill does not begin it again."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.separate.sides import likelier_colours, softened_lab

__all__ = ["looks_alike"]

_PIXELS = 250_000
_CORE = 0.05
"""Of the subject's depth: nearer to its edge, ground may be cut with it."""
_RING = 0.08
"""Of the subject's size: what lies so near beside it is what it stands before."""
_LIKELIER = 1.0
"""The logarithm of how much likelier a place's colours are in the subject than just beside it."""
_BLUR = 0.03
_SMALLEST = 0.01
"""Shares of the subject's size and area."""


def looks_alike(picture: np.ndarray, subject: np.ndarray, hole: np.ndarray) -> np.ndarray:
    """Return bool (height, width): places outside the hole that have the subject's colours.

    Parameters
    ----------
    picture : uint8 (height, width, 3)
    subject, hole : bool (height, width)
        What was cut out, and what is to be filled: that, and a rim round it.

    Notes
    -----
    Colours that the subject's ground has as well say nothing, so of a subject that is coloured
    like its ground nothing is found.
    """
    found = np.zeros(hole.shape, bool)
    if not subject.any() or hole.all():
        return found
    height, width = hole.shape
    scale = min(1.0, (_PIXELS / (height * width)) ** 0.5)
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    lab = softened_lab(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
    own, cut = (
        cv2.resize(each.astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA) > 0
        for each in (subject, hole)
    )
    depth = cv2.distanceTransform(own.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5)
    away = cv2.distanceTransform((~cut).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5)
    across = float(own.sum()) ** 0.5
    beside = (away > 0) & (away <= max(3.0, _RING * across))
    likelier = likelier_colours(lab, depth > _CORE * depth.max(), beside).astype(np.float32)
    likelier = cv2.GaussianBlur(likelier, (0, 0), max(1.5, _BLUR * across))
    like = ((likelier > _LIKELIER) & ~cut).astype(np.uint8)
    _, parts, facts, _ = cv2.connectedComponentsWithStats(like)
    large = facts[:, cv2.CC_STAT_AREA] > _SMALLEST * own.sum()
    large[0] = False
    full = cv2.resize(large[parts].astype(np.uint8), (width, height)) > 0
    return full & ~hole
