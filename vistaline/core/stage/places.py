"""Where places are on the stage, and which point of a layer a frame pixel shows."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.shot.places import Place
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.surfaces import surface_of

__all__ = ["place_pose", "point_on"]


def place_pose(place: Place, state: FrameState) -> FloatArray:
    """Return ``world_from_place`` (4, 4) at a frame: as its layer is turned, +Z away from it."""
    card = state.card_of(place.of)
    local = np.eye(4)
    local[:3, 3] = place.at[0] * card.width, place.at[1] * card.height, place.out
    return np.asarray(card.world_from_card @ local)


def point_on(
    card: Card, camera: CameraState, x: float, y: float
) -> tuple[Sequence[float], float] | None:
    """Return the point of a layer that a frame pixel shows, as a place has it; None if none.

    First shares of its width and height from its middle, y up; then metres before its plane.
    """
    met = surface_of(card.layer).trace(card, camera, np.array(x), np.array(y))
    # Beyond its picture a plane goes on, and NaN is not within anything.
    if not (met.near > 0 and 0 <= met.u <= 1 and 0 <= met.v <= 1):
        return None
    way = np.linalg.inv(camera.image_from_camera) @ (x, y, 1.0) / float(met.near)
    world = camera.world_from_camera @ [*way, 1.0]
    local = np.linalg.inv(card.world_from_card) @ world
    return (float(local[0] / card.width), float(local[1] / card.height)), float(local[2])
