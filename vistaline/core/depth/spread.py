"""A depth map from a few painted depths, spread as far as the picture's edges let them.

Between the strokes the map is as smooth as it can be, but for where the picture has an edge: the
solution of a weighted Laplace equation with the strokes given. Levin, Lischinski and Weiss,
Colorization using Optimization, 2004, have the idea; the weights here are 1 / (difference^2 +
floor) of a picture whose texture was smoothed away and whose edges were not.
"""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve

__all__ = ["edge_guided", "spread"]

_FLOOR = 0.09
"""Squared differences of CIE Lab below this tell nothing."""
_OF_A_CUTOUT = 60.0
"""A cutout's edge is as much of an edge as this difference of CIE Lab."""
_SIGMA_COLOUR, _SIGMA_SPACE, _PASSES = 18.0, 3.0, 3


def _texture_free(picture: np.ndarray) -> np.ndarray:
    """Return a picture uint8 (height, width, 3) whose small texture is gone and whose edges stay.

    Zhang, Shen, Xu and Jia, Rolling Guidance Filter, 2014: a Gaussian blur, then bilateral
    filters of the picture, each guided by what the one before has left.
    """
    guide = cv2.GaussianBlur(picture, (0, 0), _SIGMA_SPACE)
    for _ in range(_PASSES):
        guide = _joint_bilateral(picture, guide)
    return guide


def _joint_bilateral(picture: np.ndarray, guide: np.ndarray) -> np.ndarray:
    reach = 4
    height, width = picture.shape[:2]
    around = cv2.copyMakeBorder(picture, *(reach,) * 4, cv2.BORDER_REFLECT_101)
    led = cv2.copyMakeBorder(guide, *(reach,) * 4, cv2.BORDER_REFLECT_101).astype(np.float32)
    middle = guide.astype(np.float32)
    total = np.zeros((height, width, 3), np.float32)
    weight = np.zeros((height, width, 1), np.float32)
    for dy in range(-reach, reach + 1):
        for dx in range(-reach, reach + 1):
            if dx * dx + dy * dy > reach * reach:
                continue
            part = np.s_[reach + dy : reach + dy + height, reach + dx : reach + dx + width]
            apart = ((led[part] - middle) ** 2).sum(axis=2, keepdims=True)
            share = np.exp(
                -apart / (2 * _SIGMA_COLOUR**2) - (dx * dx + dy * dy) / (2 * _SIGMA_SPACE**2)
            )
            total += share * around[part]
            weight += share
    return np.rint(total / weight).astype(np.uint8)


def spread(
    picture: np.ndarray,
    given: np.ndarray,
    value: np.ndarray,
    cutouts: Mapping[str, np.ndarray] | None = None,
) -> np.ndarray:
    """Return float32 (height, width): ``value`` where it is ``given``, and spread from there.

    ``picture``: uint8 (height, width, 3), of a few hundred pixels' side; ``given``: bool
    (height, width), somewhere true; ``value``: float, of that shape; ``cutouts``: masks, whose
    edges keep depths apart even where the picture shows none.
    """
    height, width = given.shape
    lab = cv2.cvtColor(_texture_free(picture).astype(np.float32) / 255, cv2.COLOR_RGB2Lab)
    channels = [lab, *(_OF_A_CUTOUT * mask[..., None] / 255 for mask in (cutouts or {}).values())]
    guide = np.concatenate(channels, axis=2).reshape(height * width, -1)
    number = np.arange(height * width).reshape(height, width)
    ends = [
        (number[:, :-1].ravel(), number[:, 1:].ravel()),
        (number[:-1].ravel(), number[1:].ravel()),
    ]
    one = np.concatenate([a for a, _ in ends])
    other = np.concatenate([b for _, b in ends])
    weight = 1 / (((guide[one] - guide[other]) ** 2).sum(axis=1) + _FLOOR)
    # The given ones are known: what is solved is the rest, with them on the right-hand side.
    known = given.ravel()
    known_value = np.where(known, value.ravel(), 0).astype(np.float64)
    place = np.cumsum(~known) - 1
    count = int((~known).sum())
    if not count:
        return value.astype(np.float32)
    diagonal = np.bincount(one, weight, height * width) + np.bincount(other, weight, height * width)
    right = np.bincount(one, weight * known_value[other], height * width)
    right += np.bincount(other, weight * known_value[one], height * width)
    free = ~known[one] & ~known[other]
    rows, columns, joined = place[one[free]], place[other[free]], -weight[free]
    on = np.arange(count)
    matrix = coo_matrix(
        (
            np.concatenate([joined, joined, diagonal[~known]]),
            (np.concatenate([rows, columns, on]), np.concatenate([columns, rows, on])),
        ),
        shape=(count, count),
    ).tocsc()
    solved = known_value
    solved[~known] = spsolve(matrix, right[~known], permc_spec="MMD_AT_PLUS_A")
    return solved.reshape(height, width).astype(np.float32)


def edge_guided(
    values: np.ndarray, picture: np.ndarray, radius: float, softness: float
) -> np.ndarray:
    """Return values float32 (height, width), smoothed, with the picture's edges as their own.

    ``radius`` in pixels; ``softness``: differences of codes (0..1) below this are no edge.
    He, Sun and Tang, Guided Image Filtering, 2013, eq. 5, 6 and 8, with the luma as the guide.
    """
    guide = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    side = (2 * max(1, round(radius)) + 1,) * 2

    def mean(of: np.ndarray) -> np.ndarray:
        return cv2.blur(of, side, borderType=cv2.BORDER_REFLECT_101)

    at, of = mean(guide), mean(values)
    slope = (mean(guide * values) - at * of) / (mean(guide * guide) - at * at + softness**2)
    return (mean(slope) * guide + mean(of - slope * at)).astype(np.float32)
