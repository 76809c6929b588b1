"""Cloth, told to a browser: how many points are drawn of it, and where they are frame by frame."""

from __future__ import annotations

import hashlib
from typing import Any

import numpy as np

from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.cards import Card
from vistaline.core.stage.tracks import track_of
from vistaline.core.stage.waving import hung_of

__all__ = ["describe_cloth", "motion_name", "pack_motion"]

FRAMES_AT_ONCE = 24
_REACH = 4.0
"""Widths of the card, and times as light, that the largest number stands for."""
_MOST = 32767


def describe_cloth(card: Card) -> dict[str, Any] | None:
    """Return how a card's points are told as cloth; None if it is none."""
    if card.waving is None:
        return None
    rows, columns = card.waving.drawn
    return {
        "rows": rows,
        "columns": columns,
        "reach": _REACH,
        "at_once": FRAMES_AT_ONCE,
        "tall": round(card.height / card.width, 9),
    }


def motion_name(shot: Shot, layer: Layer) -> str | None:
    """Return what a layer's motion as cloth is known by; None if it is none."""
    hung = hung_of(shot, layer)
    if hung is None:
        return None
    told = f"motion 1 {hung!r} {shot.frame.rate} {shot.frame.duration}"
    return hashlib.sha256(told.encode()).hexdigest()[:32]


def pack_motion(shot: Shot, layer: Layer, first: int) -> bytes:
    """Return where a cloth's points are in :data:`FRAMES_AT_ONCE` frames, fewer at the shot's end.

    Four 16-bit numbers a point, little-endian, row by row from the upper left: to the right, up,
    and towards who looks, in widths of the card from its middle, and how much lighter it is; each
    in shares of 4, as 32767 is 1.
    """
    frames = range(first, min(first + FRAMES_AT_ONCE, shot.frame.duration))
    track = track_of(shot, layer, frames)
    assert track.waving
    told = [np.dstack([each.points, each.shades]) / _REACH * _MOST for each in track.waving]
    return np.rint(np.clip(told, -_MOST, _MOST)).astype("<i2").tobytes()
