"""Where the parts of a callout are in the frame: by where its point is seen.

All in frame widths from the frame's middle, y up.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.geometry.guides import TITLE_SAFE
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.looks.lettering import extents
from vistaline.core.looks.lines import LineShape, line_extents
from vistaline.core.shot.callouts import Callout
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card, in_frame

__all__ = ["called_out"]

_CLEAR = 0.006
"""In frame widths: how far a label's line ends from its letters."""
_ORDERS = {"line": 0.96, "mark": 0.97, "label": 0.98}
"""Before what layouts lay out, and one before the other."""


@dataclass(frozen=True)
class _Places:
    point: FloatArray
    label: FloatArray
    """The label's middle (2,)."""
    half: FloatArray
    """Half its width and height (2,)."""
    end: FloatArray
    """Where the line ends (2,): at the label's edge."""
    shown: bool
    """Whether the point is before the camera."""


def called_out(
    shot: Shot, callout: Callout, card: Card, title: Layer, target: Card, camera: CameraState
) -> Card:
    """Return the card of one of a callout's layers where it belongs in a frame.

    ``card``: it as it stands by itself; ``title``: the label's layer; ``target``: the card of what
    is pointed at, at the same time.
    """
    assert title.title
    em = callout.size / title.title.size
    half = np.array(extents(title.title)) * em / 2
    places = _places(shot, callout, target, camera, half)
    key = card.layer.id
    if key == callout.label:
        pose = _pose(places.label, 0.0, _ORDERS["label"])
        size = 2 * half * (card.width, card.height) / np.array(extents(title.title))
        return _put(shot, card, pose, size, camera, shown=places.shown)
    way = places.end - places.point
    long = float(np.hypot(*way))
    turn = math.degrees(math.atan2(way[1], way[0]))
    assert card.layer.line
    wide, tall = line_extents(card.layer.line)
    if key == callout.mark:
        drawn = card.layer.line
        grown = callout.mark_size / (drawn.width + drawn.weight)
        # An arrowhead's tip is at the point, the middle of all else.
        aside = callout.mark_size / 2 if drawn.shape is LineShape.OUTLINE else 0.0
        pose = _pose(places.point + way * (aside / max(long, 1e-9)), turn, _ORDERS["mark"])
        return _put(shot, card, pose, np.array([wide, tall]) * grown, camera, shown=places.shown)
    # From the mark's edge on, stretched as far as it is to the label.
    begins = callout.mark_size / 2 if callout.mark else 0.0
    rest = long - begins
    middle = places.point + way * ((begins + rest / 2) / max(long, 1e-9))
    size = np.array([
        max(rest, 1e-6) * wide / card.layer.line.width,
        callout.weight * tall / card.layer.line.weight,
    ])  # fmt: skip
    pose = _pose(middle, turn, _ORDERS["line"])
    return _put(shot, card, pose, size, camera, shown=places.shown and rest > 1e-4)


def _places(
    shot: Shot, callout: Callout, target: Card, camera: CameraState, half: FloatArray
) -> _Places:
    at = target.image_from_unit(camera) @ np.array([*callout.at, 1.0])
    shown = bool(at[2] > 0)
    width, height = camera.frame_size
    pixels = at[:2] / at[2] if shown else np.array([width / 2, height / 2])
    # By angles: the raster may have other pixels than the frame, and some beyond it.
    focal = focal_length_px(camera.lens, *shot.frame.size) * camera.enlarged
    tangents = (pixels - (width / 2, height / 2)) / camera.focal_px * (1, -1)
    point = tangents * focal / shot.frame.width
    tall = shot.frame.height / shot.frame.width
    # The label keeps clear of the frame's edge: inside the title-safe area.
    free = np.maximum(TITLE_SAFE / 2 * np.array([1.0, tall]) - half, 0.0)
    label = np.clip(point + np.array([callout.across, callout.up]), -free, free)
    way = label - point
    room = half + _CLEAR
    # Nearest edge: where the straight way to the label's middle meets its box.
    crosses = room / np.maximum(np.abs(way), 1e-12)
    share = max(0.0, 1 - float(np.min(crosses)))
    return _Places(point, label, half, point + way * share, shown)


def _pose(place: FloatArray, turn: float, order: float) -> FloatArray:
    pose = np.eye(4)
    pose[:3, :3] = space.rotation(0.0, 0.0, turn)
    pose[:2, 3], pose[2, 3] = place, order
    return pose


def _put(
    shot: Shot,
    card: Card,
    pose: FloatArray,
    size: FloatArray,
    camera: CameraState,
    *,
    shown: bool,
) -> Card:
    width, height = size.tolist()
    laid = replace(
        card,
        world_from_card=pose,
        width=width,
        height=height,
        opacity=card.opacity if shown else 0.0,
    )
    return in_frame(shot, laid, camera)
