"""The subject that a picture has by itself: what stands out from its border, as one whole thing."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.separate.geodesic import ways_from
from vistaline.core.separate.sides import drawn_anew

__all__ = ["what_stands_out"]

_COLOURS = 4
"""Of the border; each may be the subject's, which then leaves the picture there."""
_FEW, _MANY = 0.03, 0.55
"""Shares of the border: what fewer have is chance, what more have is surely the ground."""
_SHARES = (0.3, 0.45, 0.6, 0.8, 1.1)
"""Of the level that parts far from near best: how far a pixel must stand out to be tried."""
_ROUNDS = 3
_SMALLEST, _LARGEST = 0.015, 0.8
"""Shares of the picture that a subject may have."""
_ASIDE = (0.3, 0.7)
"""How much of its standing out a pixel far from the middle keeps; more where the border is not
all ground."""
_STEEP = 85
"""The percentile of steps between neighbours that counts as an edge."""


def what_stands_out(lab: FloatArray) -> tuple[np.ndarray, float]:
    """Return bool (height, width): what is taken for the subject, and how sure that is, 0 to 1.

    Parameters
    ----------
    lab : float32 (height, width, 3)
        See :func:`~.sides.softened_lab`.

    Returns
    -------
    The share of its outline that is an edge of the picture, less where it lies along the border:
    0.9 and more is usual for one clear thing on a calm ground.

    Notes
    -----
    Long ways from the border stand out (Wei and others, Geodesic saliency using background priors,
    2012). Several lines are drawn round what does, also as if one of the border's colours were the
    subject's, and the one is kept that runs along edges best: a thing's shaded half ends at none.
    Nothing is found where all is alike: then the mask is empty.
    """
    inner, border = (_framed(lab, by) for by in (3, 1))
    inner = ~inner
    edges = _edges(lab)
    best, sure = np.zeros(lab.shape[:2], bool), 0.0
    for found in _tried(lab):
        thing = found.astype(np.uint8)
        rim = (cv2.dilate(thing, np.ones((3, 3))) != cv2.erode(thing, np.ones((3, 3)))) & inner
        if not rim.any() or not _SMALLEST < found.mean() < _LARGEST:
            continue
        along = float(found[border].mean())
        told = float(edges[rim].mean()) * (1 - along) ** 0.5
        if told > sure:
            best, sure = found, told
    return best, sure


def _framed(lab: FloatArray, by: int) -> np.ndarray:
    """Return bool (height, width): the outermost pixels."""
    border = np.ones(lab.shape[:2], bool)
    border[by:-by, by:-by] = False
    return border


def _edges(lab: FloatArray) -> FloatArray:
    """Return 0 to 1: how much of an edge is within a pixel."""
    soft = cv2.GaussianBlur(lab, (0, 0), 1)
    square = sum(cv2.Sobel(soft, cv2.CV_32F, *way) ** 2 for way in ((1, 0), (0, 1)))
    steps = np.sqrt(np.asarray(square).sum(axis=-1))
    usual = max(float(np.percentile(steps, _STEEP)), 1e-6)
    return cv2.dilate(np.minimum(steps / usual, 1), np.ones((3, 3)))


def _tried(lab: FloatArray) -> Iterator[np.ndarray]:
    """Yield things that may be the subject."""
    height, width = lab.shape[:2]
    away = [((np.arange(side) + 0.5) / side - 0.5) / 0.3 for side in (height, width)]
    middle = np.exp(-(away[0][:, None] ** 2 + away[1] ** 2) / 2).astype(np.float32)
    nothing = np.zeros((height, width), bool)
    for ground, aside in _grounds(lab):
        ways = ways_from(lab, ground)
        ways = np.minimum(ways / max(float(np.quantile(ways, 0.99)), 1e-6), 1)
        stands = cv2.GaussianBlur(ways * (aside + (1 - aside) * middle), (0, 0), 2)
        stands /= max(float(stands.max()), 1e-6)
        level, _ = cv2.threshold((stands * 255).astype(np.uint8), 0, 255, cv2.THRESH_OTSU)
        for share in _SHARES:
            least = max(share * level / 255, 1e-3)
            likely = np.clip(stands / (2 * least), 0, 1).astype(np.float32)
            found = drawn_anew(lab, stands > least, likely, nothing, nothing, rounds=_ROUNDS)
            yield _one_thing(found, stands)


def _grounds(lab: FloatArray) -> Iterator[tuple[np.ndarray, float]]:
    """Yield what of the border may be ground, all first, and what counts far from the middle."""
    border = _framed(lab, 1)
    yield border, _ASIDE[0]
    colours = np.ascontiguousarray(lab[border])
    cv2.setRNGSeed(1)
    until = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 1e-4)
    count = min(_COLOURS, len(colours))
    _, told, _ = cv2.kmeans(colours, count, None, until, 3, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
    for colour in range(count):
        has = told.ravel() == colour
        if _FEW < has.mean() < _MANY:
            ground = border.copy()
            ground[border] = ~has
            yield ground, _ASIDE[1]


def _one_thing(found: np.ndarray, stands: FloatArray) -> np.ndarray:
    """Return the part that stands out most in all, with its holes filled."""
    _, parts = cv2.connectedComponents(found.astype(np.uint8))
    weights = np.bincount(parts.ravel(), weights=stands.ravel())
    weights[0] = 0
    if not weights.any():
        return np.zeros_like(found)
    thing = parts == weights.argmax()
    _, rest = cv2.connectedComponents((~thing).astype(np.uint8), connectivity=4)
    around = np.unique(np.concatenate([rest[0], rest[-1], rest[:, 0], rest[:, -1]]))
    return thing | ~np.isin(rest, around)
