"""What looks like the picture at a point."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.errors import MaskError

__all__ = ["likeness"]


def likeness(
    picture: np.ndarray,
    point: tuple[float, float],
    *,
    tolerance: float,
    touching: bool = True,
    sample: int = 3,
) -> np.ndarray:
    """Return uint8 (height, width): what looks like the picture at ``point``.

    ``tolerance`` is a distance in CIE Lab (CIE 1976); ``sample`` the side of the square whose
    mean is looked for; ``touching`` keeps only what hangs together with the point.

    Raises
    ------
    MaskError
        The point lies outside the picture.
    """
    height, width = picture.shape[:2]
    x, y = int(point[0]), int(point[1])
    if not (0 <= x < width and 0 <= y < height):
        raise MaskError("The point lies outside the picture. Click inside it.")
    lab = cv2.cvtColor(picture.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    reach = sample // 2
    window = lab[max(0, y - reach) : y + reach + 1, max(0, x - reach) : x + reach + 1]
    distance = np.linalg.norm(lab - window.mean(axis=(0, 1)), axis=2)
    # Half a unit to either side fades, so that the edge has no stairs.
    mask = np.clip((tolerance + 0.5 - distance) * 255, 0, 255).astype(np.uint8)
    if touching:
        _, labels = cv2.connectedComponents((mask > 0).astype(np.uint8), connectivity=4)
        mask[labels != labels[y, x]] = 0
        if not labels[y, x]:
            mask[:] = 0
    return mask
