"""What stands in a shot as the taking camera sees it: flat things, each with its depth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.shot.shot import Layer, Shot, TakingCamera
from vistaline.core.shot.stands import Box
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import card_of

__all__ = ["Flat", "flats_of"]

_NEAREST = 0.05
_BEYOND = 0.5
"""An outline goes on so far beyond the picture, of its sides: no more of it is of use."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Flat:
    """A layer as the taking camera sees it; a body counts as the section in its middle."""

    layer: Layer
    outline: FloatArray
    """(N, 2) pixels of the picture."""
    slope: FloatArray
    """(3,): 1/z in 1/m at a pixel (x, y) of the picture is a x + b y + c."""


def _taking_state(taking: TakingCamera) -> CameraState:
    """Return the taking camera as a camera whose frame is its canvas."""
    assert taking.focal_length is not None, "the shot has been completed"
    return CameraState(
        position=taking.position,
        pan=taking.pan,
        tilt=taking.tilt,
        roll=taking.roll,
        lens=taking.focal_length,
        frame_size=taking.canvas,
        shift=taking.shift,
    )


def flats_of(shot: Shot, box: Box, size: tuple[int, int]) -> list[Flat]:
    """Return all that stands on the stage, as seen in a picture of ``size`` pixels.

    ``box``: where the picture lies in the taking camera's canvas. Layers as they are at the first
    frame; those that stay with the lens or behind all stand nowhere.
    """
    camera = _taking_state(shot.taking_camera)
    across, down = box[2] / size[0], box[3] / size[1]
    canvas_from_picture = np.array([[across, 0, box[0]], [0, down, box[1]], [0, 0, 1.0]])
    found = []
    for layer in shot.layers:
        if layer.is_backdrop or layer.on_lens or layer.hidden:
            continue
        card = card_of(shot, layer, camera)
        corners = card.outline[:, [0, 1]]
        on_card = np.column_stack([corners, np.zeros(4), np.ones(4)])
        seen = (camera.camera_from_world @ card.world_from_card @ on_card.T).T[:, :3]
        before = space.clip_polygon_near(seen, _NEAREST)
        if len(before) < 3 or abs(np.linalg.det(card.image_from_card(camera))) < 1e-9:
            continue
        image = (camera.image_from_camera @ before.T).T
        canvas = image[:, :2] / image[:, 2:]
        outline = _within((canvas - box[:2]) / (across, down), size)
        if len(outline) < 3:
            continue
        slope = card.nearness(camera) @ canvas_from_picture
        found.append(Flat(layer=layer, outline=outline, slope=slope))
    return found


def _within(outline: FloatArray, size: tuple[int, int]) -> FloatArray:
    """Return the part of a convex outline (N, 2) that is in the picture or near it, (M, 2)."""
    low, high = -_BEYOND * np.array(size), (1 + _BEYOND) * np.array(size)
    for axis in (0, 1):
        for limit, sign in ((low[axis], 1.0), (high[axis], -1.0)):
            outline = space.clip_polygon(outline, sign * (outline[:, axis] - limit))
    return outline
