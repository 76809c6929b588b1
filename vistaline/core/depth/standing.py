"""What stands on the ground is as far away as the ground at its foot."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

__all__ = ["stood_up"]

_FOOT_ROWS = 0.02
"""So much of a cutout's height, from below, is its foot."""


def _foot_of(mask: np.ndarray) -> tuple[int, int] | None:
    """Return column and row of a cutout's foot, of a mask uint8 (height, width); None if empty."""
    rows, columns = np.nonzero(mask > 127)
    if not len(rows):
        return None
    low, high = int(rows.min()), int(rows.max())
    at_foot = rows >= high - max(1, round(_FOOT_ROWS * (high - low)))
    return int(np.median(columns[at_foot])), high


def stood_up(nearness: np.ndarray, masks: Iterable[np.ndarray]) -> np.ndarray:
    """Return the map with each cutout, far to near, upright where the ground is at its foot.

    ``nearness`` is the ground's, float32 (height, width); ``masks`` come near to far, uint8 of
    that size. A soft edge goes over from one to the other.
    """
    ground, found = nearness, nearness.copy()
    for mask in reversed(list(masks)):
        foot = _foot_of(mask)
        if foot is None:
            continue
        column, row = foot
        share = mask.astype(np.float32) / 255
        found += share * (ground[row, column] - found)
    return found
