"""The soft rim of what is near: how much of each pixel at a tear is the near side's."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.relief.tearing import TEAR, Tears, nearest_of, travel_of

__all__ = ["front_of"]

_BAND = 2.0
"""Pixels from a tear, each way, in which a pixel may show both sides."""
_WITHIN_1, _WITHIN_2 = (
    cv2.getStructuringElement(shape, (side, side))
    for shape, side in ((cv2.MORPH_CROSS, 3), (cv2.MORPH_ELLIPSE, 5))
)
_AROUND = np.ones((11, 11), np.uint8)
"""Where the near side's own colours are looked for."""
_TOLD = 0.12
"""Of two codes 0..1: sides that are so unlike tell by their colours how much each is seen."""
_WIDE = 1.6
"""Pixels over which an edge goes from one side to the other where colours do not tell."""


@dataclass(frozen=True, eq=False)
class Front:
    """What is in front: the picture, with what is near going on a little over its tears."""

    pixels: np.ndarray
    """float32 (height, width, 4), linear light, premultiplied: over what is behind, the picture."""
    nearness: np.ndarray
    """float32 (height, width)."""


def front_of(picture: np.ndarray, behind: np.ndarray, tears: Tears) -> Front:
    """Return the front of a picture whose tears show what is ``behind``.

    ``picture`` and ``behind`` are float32 (height, width, 3), linear light. Laid over ``behind``,
    the front is the picture itself, whatever its alpha.
    """
    nearness = tears.nearness
    alpha = np.ones(nearness.shape, np.float32)
    if not tears.any:
        return Front(np.dstack([picture, alpha]), nearness)
    inside, over = _places(tears)
    band = np.abs(inside) < _BAND
    own = _own_colours(picture, tears, band)
    alpha[band] = _shares(picture[band], own[band], behind[band], inside[band])
    seen = picture - (1 - alpha[..., None]) * behind
    raised = np.where(band & (inside < 0), over, nearness)
    pixels = np.dstack([np.clip(seen, 0, alpha[..., None]), alpha])
    return Front(pixels, raised.astype(np.float32))


def _places(tears: Tears) -> tuple[np.ndarray, np.ndarray]:
    """Return how far inside the near side of a tear pixels are, and what is near beside them.

    + 0.5 and + 1.5 are the two rows on the near side, - 0.5 and - 1.5 those beyond it, 9 is
    elsewhere; float32 (height, width) both. Of several tears the nearest thing's counts.
    """
    nearness = tears.nearness
    least = TEAR / travel_of(nearness.shape)
    near, far = tears.rims
    high = np.where(near, nearness, np.float32(-1))
    low = np.where(far, nearness, np.float32(2))
    inside = np.full(nearness.shape, 9, np.float32)
    over = nearness.copy()
    for away, beside in ((1.5, _WITHIN_2), (0.5, _WITHIN_1)):
        inside[nearness - cv2.erode(low, beside) > least] = away
    for away, beside in ((1.5, _WITHIN_2), (0.5, _WITHIN_1)):
        reached = cv2.dilate(high, beside)
        beyond = reached - nearness > least
        inside[beyond], over[beyond] = -away, reached[beyond]
    return inside, over


def _own_colours(picture: np.ndarray, tears: Tears, band: np.ndarray) -> np.ndarray:
    """Return the near side's colours at its rims: those a little farther in, float32."""
    low = np.where(tears.rims[1], tears.nearness, np.float32(2))
    jump = tears.nearness - cv2.erode(low, _AROUND)
    own = (jump > TEAR / travel_of(jump.shape)) & ~band
    if not own.any():
        return picture
    smooth = cv2.blur(picture, (3, 3))
    return np.asarray(smooth.reshape(-1, 3)[nearest_of(own)[1]])


def _shares(
    seen: np.ndarray, own: np.ndarray, behind: np.ndarray, inside: np.ndarray
) -> np.ndarray:
    """Return how much of pixels (N, 3) is the near side's, (N,): from colours, or from place."""
    seen, own, behind = (np.sqrt(np.maximum(each, 0)) for each in (seen, own, behind))
    apart = own - behind
    length = (apart**2).sum(axis=1)
    by_colour = ((seen - behind) * apart).sum(axis=1) / np.maximum(length, 1e-6)
    by_place = np.clip(0.5 + inside / _WIDE, 0, 1)
    told = np.clip(np.sqrt(length) / _TOLD, 0, 1)
    share = told * by_colour + (1 - told) * by_place
    # What is behind can give no more than it has; the rest is the near side's.
    share = np.maximum(share, _least(seen**2, behind**2))
    # Maps tend to end a little inside of what they tell of.
    return np.clip(share, np.clip(0.25 + inside / 2, 0, 1), np.clip(1.25 + inside / 2, 0, 1))


def _least(seen: np.ndarray, behind: np.ndarray) -> np.ndarray:
    """Return how much of pixels (N, 3) must be the near side's, that it is 0 to white there."""
    lighter = (seen - behind) / np.maximum(1 - behind, 1e-4)
    darker = 1 - seen / np.maximum(behind, 1e-4)
    return np.asarray(np.maximum(lighter, darker).max(axis=1))
