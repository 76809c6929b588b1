"""What is behind the near side of tears: the far side, continued."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.picture.smooth import pull_push
from vistaline.core.relief.tearing import TEAR, Tears, travel_of

__all__ = ["Peeled", "peeled"]

Texture = Callable[[np.ndarray, np.ndarray, np.ndarray], np.ndarray]
"""Fills the hole (bool) of a colour (height, width, 3) from where a third (bool) allows."""
_CLEAR = 1.6
"""Pixels from a tear at which the far side's colours are its own."""
_MORE = 3.0
"""Pixels by which the far side goes on farther than a move would bare."""


@dataclass(frozen=True, eq=False)
class Peeled:
    """A picture without the near side of its tears."""

    colour: np.ndarray
    """float32 (height, width, 3), as that which was peeled."""
    nearness: np.ndarray
    """float32 (height, width)."""
    asked: np.ndarray
    """bool (height, width): where a move may show it, on both sides of a tear."""


def peeled(colour: np.ndarray, tears: Tears, texture: Texture | None = None) -> Peeled:
    """Return what is behind the tears of a picture.

    Parameters
    ----------
    colour : float32 (height, width, 3)
        The picture.
    tears : Tears
        Where it is torn, with its nearness.
    texture
        What fills in colour; left out, what is round a hole is continued smoothly.
    """
    nearness = tears.nearness
    if not tears.any:
        return Peeled(colour, nearness, np.zeros(nearness.shape, bool))
    away, place = tears.from_far
    travel = travel_of(nearness.shape)
    behind = nearness.ravel()[place]
    jump = nearness - behind
    before = jump > 0.5 * TEAR / travel
    hole = before & (away <= jump * travel + _MORE)
    # On the other side of a tear: as far as what is near can come to lie over it.
    ahead_away, ahead = tears.from_near
    reach = (nearness.ravel()[ahead] - nearness) * travel + _MORE
    asked = hole | (~before & (ahead_away <= reach))
    # The far side's own pixels; those right at the tear have the near side's colour in them.
    far = ~hole & (np.abs(jump) <= TEAR / travel + _slope(nearness) * away)
    mixed = ~before & (ahead_away <= _CLEAR)
    known = far & ~mixed
    if not known.any():
        known = ~hole
    deep = pull_push(nearness[..., None], far if far.any() else ~hole)[..., 0]
    gone = hole | mixed
    filled = pull_push(colour, known) if texture is None else texture(colour, gone, known)
    return Peeled(
        colour=np.where(gone[..., None], filled, colour),
        nearness=np.where(hole, deep, nearness),
        asked=asked,
    )


def _slope(nearness: np.ndarray) -> np.ndarray:
    """Return how much the map goes up or down a pixel where it is even, float32."""
    steps = [np.abs(np.diff(nearness, axis=axis, append=np.nan)) for axis in (0, 1)]
    least = np.nan_to_num(np.maximum(*steps))
    return cv2.medianBlur(np.ascontiguousarray(least, np.float32), 5)
