"""What cutouts tell a map of nearness: where one thing ends before another."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np

from vistaline.core.picture.smooth import pull_push

__all__ = ["kept_apart"]


def kept_apart(nearness: np.ndarray, masks: Iterable[np.ndarray], reach: float) -> np.ndarray:
    """Return a map whose soft edges at the outlines of cutouts are as sharp as those.

    Within ``reach`` pixels of an outline each side goes on as it is farther from it. ``nearness``
    is float32 (height, width), ``masks`` uint8 of that size, near to far: of two outlines that lie
    close to each other the nearer thing's counts.
    """
    found = nearness
    for mask in reversed(list(masks)):
        inside = mask > 127
        if not inside.any() or inside.all():
            continue
        away = [
            cv2.distanceTransform(side.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_3)
            for side in (inside, ~inside)
        ]
        band = away[0] + away[1] < reach
        rows, columns = (np.flatnonzero(band.any(axis=axis)) for axis in (1, 0))
        more = int(reach) + 1
        part = np.s_[
            max(0, rows[0] - more) : rows[-1] + more + 1,
            max(0, columns[0] - more) : columns[-1] + more + 1,
        ]
        here, near = found[part], band[part]
        result = here.copy()
        for side in (inside[part], ~inside[part]):
            core = side & ~near
            # A thing that is thinner than that keeps what it has where it is thickest.
            if not core.any():
                continue
            goes_on = pull_push(here[..., None], core)[..., 0]
            result = np.where(side & near, goes_on, result)
        found = found.copy()
        found[part] = result
    return np.asarray(found, np.float32)
