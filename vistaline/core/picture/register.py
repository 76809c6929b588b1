"""Finding where a cropped cutout was cut from: masked template matching, coarse then fine."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16

__all__ = ["find_place", "shift_between"]

_COARSE_PIXELS = 300_000
_LARGEST_ERROR = 0.03
"""Mean difference of encoded values (0..1) up to which a place counts as found."""


def find_place(cutout: Rgba16, photo: Rgba16) -> tuple[int, int] | None:
    """Return x, y of the cutout's top left corner in the photo, in pixels; None if not found.

    Both are (height, width, 4), linear, premultiplied; pixel sizes must be alike.
    """
    height, width = cutout.shape[:2]
    if height > photo.shape[0] or width > photo.shape[1]:
        return None
    scale = min(1.0, (_COARSE_PIXELS / (photo.shape[0] * photo.shape[1])) ** 0.5)
    # Small cutouts need enough texels left to be told from others.
    scale = min(1.0, max(scale, 24 / min(height, width)))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    photo_size = (round(photo.shape[1] * scale), round(photo.shape[0] * scale))
    where, _ = _best(
        cv2.resize(cutout, size, interpolation=cv2.INTER_AREA),
        cv2.resize(photo, photo_size, interpolation=cv2.INTER_AREA),
    )
    reach = int(np.ceil(2 / scale))
    x0 = int(np.clip(where[0] / scale - reach, 0, photo.shape[1] - width))
    y0 = int(np.clip(where[1] / scale - reach, 0, photo.shape[0] - height))
    window = photo[y0 : y0 + height + 2 * reach, x0 : x0 + width + 2 * reach]
    fine, error = _best(cutout, window)
    return (x0 + fine[0], y0 + fine[1]) if error <= _LARGEST_ERROR else None


def _best(cutout: Rgba16, photo: Rgba16) -> tuple[tuple[int, int], float]:
    """Return the best place and its root mean square difference over what is opaque."""
    solid = (cutout[..., 3] > 60000).astype(np.float32)
    if solid.sum() < 16:
        return (0, 0), float("inf")
    # The square root stands in for encoding: differences in the shadows count as they look.
    template = np.sqrt(cutout[..., :3].astype(np.float32) / 65535)
    image = np.sqrt(photo[..., :3].astype(np.float32) / 65535)
    difference = cv2.matchTemplate(
        image, template, cv2.TM_SQDIFF, mask=cv2.merge([solid, solid, solid])
    )
    least, _, where, _ = cv2.minMaxLoc(difference)
    return (int(where[0]), int(where[1])), float(np.sqrt(max(least, 0) / (3 * solid.sum())))


def shift_between(plate: np.ndarray, picture: np.ndarray, hole: np.ndarray) -> tuple[float, float]:
    """Return how far (x, y in pixels) a painted plate lies from its picture.

    Told by what both show: the hole is left out. uint8 (height, width, 3) both. By phase
    correlation (Kuglin and Hines, 1975) of a copy of at most a megapixel.
    """
    height, width = hole.shape
    scale = min(1.0, (1_000_000 / (height * width)) ** 0.5)
    size = (max(16, round(width * scale)), max(16, round(height * scale)))
    known = 1 - cv2.resize(hole.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    grey = [
        cv2.cvtColor(cv2.resize(each, size, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2GRAY)
        for each in (picture, plate)
    ]
    mean = float(grey[0].mean())
    parts = [(each.astype(np.float32) - mean) * known for each in grey]
    window = cv2.createHanningWindow(size, cv2.CV_32F)
    (dx, dy), _ = cv2.phaseCorrelate(parts[0], parts[1], window)
    return dx / scale, dy / scale
