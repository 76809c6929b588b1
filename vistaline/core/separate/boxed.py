"""A subject told by a box round it: GrabCut, of what colours are like inside and outside."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.picture.strokes import shrunk

__all__ = ["told_by_box"]

_LEARN_PIXELS = 15_000
_NOWHERE = (0, 0, 0, 0)


def told_by_box(
    picture: np.ndarray, inside: np.ndarray, this: np.ndarray, not_this: np.ndarray
) -> np.ndarray:
    """Return bool (height, width): what of a box is the subject.

    Parameters
    ----------
    picture : uint8 (height, width, 3)
    inside : bool (height, width)
        The box: the subject lies wholly in it.
    this, not_this : bool (height, width)
        Strokes over the subject and beside it.

    Notes
    -----
    Rother, Kolmogorov and Blake, GrabCut, 2004: what the colours are like is learnt on a very
    small copy, then told apart once.
    """
    labels = np.where(inside, np.uint8(cv2.GC_PR_FGD), np.uint8(cv2.GC_BGD))
    said = [not_this, this]
    scale = min(1.0, (_LEARN_PIXELS / labels.size) ** 0.5)
    size = (max(1, round(labels.shape[1] * scale)), max(1, round(labels.shape[0] * scale)))
    tiny = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    first = cv2.resize(labels, size, interpolation=cv2.INTER_NEAREST)
    for drawn, label in zip(said, (cv2.GC_BGD, cv2.GC_FGD), strict=True):
        first[shrunk(drawn, size)] = label
        labels[drawn] = label
    # Where it begins is drawn by lot, and one beginning in a few ends astray.
    learnt = [_learnt(tiny, first, seed) for seed in (1, 2)]
    tried, models = min(learnt, key=lambda each: _unlikely(tiny, *each))
    free = (labels == cv2.GC_PR_BGD) | (labels == cv2.GC_PR_FGD)
    larger = cv2.resize(tried, labels.shape[::-1], interpolation=cv2.INTER_NEAREST)
    # A label's lowest bit says subject, the next one says that it may change.
    labels[free] = 2 + (larger[free] & 1)
    cv2.grabCut(picture, labels, _NOWHERE, *models, 1, cv2.GC_EVAL)
    return (labels & 1) > 0


_Models = tuple[np.ndarray, np.ndarray]


def _learnt(picture: np.ndarray, labels: np.ndarray, seed: int) -> tuple[np.ndarray, _Models]:
    """Return labels and the two mixtures of Gaussians, each (1, 65) as OpenCV keeps them."""
    models, tried = (np.zeros((1, 65)), np.zeros((1, 65))), labels.copy()
    cv2.setRNGSeed(seed)
    cv2.grabCut(picture, tried, _NOWHERE, *models, 5, cv2.GC_INIT_WITH_MASK)
    return tried, models


def _unlikely(picture: np.ndarray, labels: np.ndarray, models: _Models) -> float:
    """Return how badly pixels fit the mixtures they are given to: mean of -log likelihood."""
    total = 0.0
    for side, model in enumerate(models):
        colours = picture[labels & 1 == side].astype(np.float64)
        weights, means = model[0, :5], model[0, 5:20].reshape(5, 3)
        shares = np.zeros(len(colours))
        for weight, mean, spread in zip(
            weights, means, model[0, 20:].reshape(5, 3, 3), strict=True
        ):
            if weight > 0:
                wide = spread + 0.01 * np.eye(3)  # one colour alone would have no width
                away = colours - mean
                square = np.einsum("ni,ij,nj->n", away, np.linalg.inv(wide), away)
                shares += weight / np.sqrt(np.linalg.det(wide)) * np.exp(-square / 2)
        total -= np.log(np.maximum(shares, 1e-300)).sum()
    return total / labels.size
