"""What makes a still picture stir by itself: it sways, or it is cloth."""

from __future__ import annotations

import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.looks.cloth import Cloth
from vistaline.core.looks.draping import draped, room_of_cloth
from vistaline.core.looks.swaying import Sway, room_of_sway, swayed

__all__ = ["Stirs", "room_of", "stirred"]

Stirs = Sway | Cloth
"""Both know any moment by itself, and need room round the picture."""


def room_of(stirs: Stirs, aspect: float) -> tuple[float, float]:
    """Return how much room it needs to each side: shares of its width and its height.

    ``aspect``: its width over its height.
    """
    if isinstance(stirs, Cloth):
        return room_of_cloth(stirs, aspect)
    return room_of_sway(stirs, aspect)


def stirred(picture: Rgba16, stirs: Stirs, side: float = np.inf) -> Rgba16:
    """Return a picture (height, width, 4) at its own moment, with the room that it needs round it.

    Its moment is ``-stirs.delay`` seconds. ``side``: so many pixels, at most, its longer side
    becomes without that room.
    """
    if isinstance(stirs, Cloth):
        return draped(picture, stirs, 0.0, side)
    return swayed(picture, stirs, 0.0, side)
