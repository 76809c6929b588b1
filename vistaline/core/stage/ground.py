"""The level ground a picture was taken on: its horizon, and what stands on it."""

from __future__ import annotations

import numpy as np

from vistaline.core.geometry import space
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.poses import taking_pose

__all__ = ["ground_facts", "height_over_ground", "horizon_in"]


def ground_facts(shot: Shot, layer: Layer) -> tuple[float, float] | None:
    """Return where a subject that stands on the ground stands, and how tall it is, in metres.

    Where its foot is, is how the taking camera sees it now. Seen by a level
    camera at height h, ground that appears d pixels below the horizon is f h / d away (similar
    triangles). None if the foot is not below the horizon.
    """
    ground, taking = shot.ground, shot.taking_camera
    if ground is None or layer.is_backdrop:
        return None
    assert taking.focal_length is not None, "the shot has been completed"
    card = card_of(shot, layer)
    world_from_taking = space.pose(taking.position, taking.pan, taking.tilt, taking.roll)
    taking_from_card = space.inverse_pose(world_from_taking) @ card.world_from_card
    foot = layer.foot[0] * card.width, layer.foot[1] * card.height
    _, up, behind, _ = taking_from_card @ (*foot, 0, 1)
    focal = focal_length_px(taking.focal_length, *taking.canvas)
    below = focal * up / behind + taking.principal_point[1] - ground.horizon
    if below <= 0:
        return None
    farther = focal * ground.eye_height / below / -float(behind)
    above = card.height * (0.5 - layer.foot[1])
    return layer.distance * farther, above * farther


def height_over_ground(shot: Shot, layer: Layer) -> float:
    """Return by how many metres a layer must go up (down, below 0) to stand on the ground.

    Its foot is meant; the ground is level, the eye's height below the taking camera. 0 without one.
    """
    if shot.ground is None or layer.is_backdrop:
        return 0.0
    card = card_of(shot, layer)
    foot = layer.foot[0] * card.width, layer.foot[1] * card.height
    level = shot.taking_camera.position[1] - shot.ground.eye_height
    return level - float((card.world_from_card @ (*foot, 0, 1))[1])


def horizon_in(shot: Shot, camera: CameraState) -> list[tuple[float, float]] | None:
    """Return two points of the horizon in frame pixels, far apart; None if it is not in sight."""
    ground, taking = shot.ground, shot.taking_camera
    if ground is None or taking.focal_length is None:
        return None
    focal = focal_length_px(taking.focal_length, *taking.canvas)
    turn = camera.camera_from_world[:3, :3] @ taking_pose(taking)[:3, :3]
    points = []
    for side in (-1, 1):
        x = side * taking.canvas[0] / 2
        ray = turn @ np.array([x, taking.principal_point[1] - ground.horizon, -focal])
        if ray[2] >= -1e-6:
            return None
        seen = camera.image_from_camera @ ray
        points.append((float(seen[0] / seen[2]), float(seen[1] / seen[2])))
    return points
