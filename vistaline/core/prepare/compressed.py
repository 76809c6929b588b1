"""What JPEG leaves in a picture: how hard it was compressed, and the picture without blocks.

Pictures here are float32 (height, width, 3), sRGB-encoded, 0..1.
"""

from __future__ import annotations

import cv2
import numpy as np

__all__ = ["jpeg_quality_of", "without_blocks"]

_TRIED = range(20, 97, 2)
_AROUND = 9
"""Qualities that a quality is compared with."""
_CLEAR = 0.6
"""How far, in natural logarithms, the right quality's difference lies below those around it."""
_GOOD = 82
"""From this quality on there is less to be seen than to be lost."""
_PART = 1024
"""Pixels of the sides of the part by which the quality is told."""
_SHIFTS = tuple((y, x) for y in range(0, 8, 2) for x in range(0, 8, 2))


def jpeg_quality_of(picture: np.ndarray) -> int | None:
    """Return the quality, 20 to 96, that a picture was compressed with as JPEG; None if not so.

    Compressed once more by the same, it hardly changes; by any other quality it does (Farid,
    Exposing digital forgeries from JPEG ghosts, 2009). Its blocks must lie as they did then: a
    picture that was cropped, turned or enlarged since tells nothing.
    """
    codes = _codes(picture)
    height, width = (min(side, _PART) // 8 * 8 for side in codes.shape[:2])
    if not height or not width:
        return None
    part = np.ascontiguousarray(codes[:height, :width])
    whole = part.astype(np.float32)
    changes = np.array([np.square(_again(part, each) - whole).mean() for each in _TRIED])
    told = np.log(changes + 1e-3)
    reach = _AROUND // 2
    usual = np.convolve(np.pad(told, reach, mode="edge"), np.ones(_AROUND) / _AROUND, "valid")
    deepest = int((told - usual).argmin())
    return _TRIED[deepest] if usual[deepest] - told[deepest] > _CLEAR else None


def without_blocks(picture: np.ndarray) -> np.ndarray:
    """Return the picture without the blocks and the ringing of JPEG; as it is if it shows none.

    It is compressed again as hard, sixteen times with its blocks lying otherwise, and the mean is
    taken: what one grid cuts, the others bridge (Nosratinia, Enhancement of JPEG-compressed images
    by re-application of JPEG, 2001). No edge gets sharper by it.
    """
    quality = jpeg_quality_of(picture)
    if quality is None or quality >= _GOOD:
        return picture
    codes = _codes(picture)
    height, width = codes.shape[:2]
    total = np.zeros(codes.shape, np.float32)
    for y, x in _SHIFTS:
        moved = cv2.copyMakeBorder(codes, y, 8 - y, x, 8 - x, cv2.BORDER_REFLECT_101)
        total += _again(moved, quality)[y : y + height, x : x + width]
    # What changes is added, so that a picture of 16 bits keeps its finer steps.
    change = (total / len(_SHIFTS) - codes) / 255
    return np.clip(picture + change.astype(np.float32), 0, 1)


def _codes(picture: np.ndarray) -> np.ndarray:
    return np.rint(np.clip(picture, 0, 1) * 255).astype(np.uint8)


def _again(codes: np.ndarray, quality: int) -> np.ndarray:
    """Return codes compressed as JPEG and read again."""
    # OpenCV takes blue first; both ways alike, so only which is red matters to the coder.
    blue_first = np.ascontiguousarray(codes[..., ::-1])
    _, data = cv2.imencode(".jpg", blue_first, [cv2.IMWRITE_JPEG_QUALITY, quality])
    read = cv2.imdecode(data, cv2.IMREAD_COLOR)
    assert read is not None
    return read[..., ::-1]
