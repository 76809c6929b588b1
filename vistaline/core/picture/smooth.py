"""Filling a hole by smooth continuation: averages pulled down a pyramid and pushed back up."""

from __future__ import annotations

import cv2
import numpy as np

__all__ = ["fill_smoothly", "pull_push"]


def pull_push(colour: np.ndarray, known: np.ndarray) -> np.ndarray:
    """Return ``colour`` (height, width, channels) float32, continued where it is not ``known``.

    Source: Gortler et al., The Lumigraph, 1996, section 3.4 (pull-push).
    """
    weight = known.astype(np.float32)
    return _continued(colour.astype(np.float32) * weight[..., None], weight)


def _continued(weighted: np.ndarray, weight: np.ndarray) -> np.ndarray:
    height, width = weight.shape
    here = weighted / np.maximum(weight, 1e-6)[..., None]
    if weight.min() >= 1 or max(height, width) == 1:
        return here
    size = ((width + 1) // 2, (height + 1) // 2)
    # Sums, not means: a coarse pixel is as sure as its pixels together, at most wholly.
    coarse_weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA) * 4
    coarse = cv2.resize(weighted, size, interpolation=cv2.INTER_AREA) * 4
    sure = np.minimum(coarse_weight, 1)
    coarse = coarse.reshape(*coarse_weight.shape, -1)
    coarse *= (sure / np.maximum(coarse_weight, 1e-6))[..., None]
    filled = _continued(coarse, sure)
    behind = cv2.resize(filled, (width, height), interpolation=cv2.INTER_LINEAR)
    behind = behind.reshape(height, width, -1)
    share = np.minimum(weight, 1)[..., None]
    return here * share + behind * (1 - share)


def fill_smoothly(picture: np.ndarray, hole: np.ndarray, *, seed: int = 1) -> np.ndarray:
    """Return the picture with the hole continued smoothly, grain as around it.

    ``picture`` is uint8 or uint16 (height, width, 3). Right for what is out of focus, for skies
    and walls; elsewhere it is a placeholder.
    """
    smooth = pull_push(picture, ~hole)
    rim = cv2.dilate(hole.astype(np.uint8), np.ones((31, 31), np.uint8)).astype(bool) & ~hole
    grain = 0.0
    if rim.any():
        detail = picture.astype(np.float32) - cv2.GaussianBlur(picture, (0, 0), 1.5).astype(
            np.float32
        )
        # The median of absolute deviations is deaf to edges: 1.4826 of it is a deviation.
        grain = float(1.4826 * np.median(np.abs(detail[rim])))
    noise = np.random.default_rng(seed).normal(0, grain, picture.shape[:2]).astype(np.float32)
    filled = picture.copy()
    grained = smooth[hole] + noise[hole][:, None]
    full = np.iinfo(picture.dtype).max
    filled[hole] = np.clip(np.rint(grained), 0, full).astype(picture.dtype)
    return filled
