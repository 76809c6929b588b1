"""The level ground a picture was taken on: its horizon, and what stands on it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core import space
from vistaline.core.arranging import at_distance
from vistaline.core.camera import CameraState, camera_states
from vistaline.core.cards import card_of
from vistaline.core.errors import EditError
from vistaline.core.optics import focal_length_px
from vistaline.core.placing import point_on, standing_card
from vistaline.core.poses import taking_pose
from vistaline.core.shot import Ground, Layer, Shot
from vistaline.core.shot_verbs import REGISTRY, standing, with_layer

__all__ = ["ground_facts", "horizon_in", "snapped"]

verb = REGISTRY.verb


def snapped(shot: Shot, layer: Layer, distance: float, within: float) -> float:
    """Return the nearest distance worth standing at ``within`` metres, or the distance itself.

    Worth it: where another layer stands, and where this one would stand on the ground.
    """
    others = [each.distance for each in shot.layers if each.id != layer.id and not each.is_backdrop]
    facts = ground_facts(shot, layer)
    places = [*others, facts[0]] if facts else others
    nearest = min(places, key=lambda place: abs(place - distance), default=distance)
    return nearest if abs(nearest - distance) <= within else distance


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


@verb("set the ground")
def set_ground(
    shot: Shot, *, horizon: float, eye_height: Annotated[float, Field(gt=0, le=10_000)]
) -> Shot:
    """Say where the horizon is, in canvas pixels from the top, and how high the camera stood."""
    return shot.evolve(ground=Ground(horizon=horizon, eye_height=eye_height))


@verb("move the horizon")
def drag_horizon(shot: Shot, *, frame: int, y: float) -> Shot:
    """Put the horizon where frame pixel row ``y`` of the frame's middle column shows it."""
    camera, taking = camera_states(shot, [frame])[0], shot.taking_camera
    assert taking.focal_length is not None, "the shot has been completed"
    ray = camera.ray(camera.frame_size[0] / 2, y)
    turn = taking_pose(taking)[:3, :3].T @ camera.world_from_camera[:3, :3]
    _, up, behind = turn @ ray
    if behind >= 0:
        raise EditError("The taking camera looked the other way: it sees no horizon there.")
    focal = focal_length_px(taking.focal_length, *taking.canvas)
    horizon = taking.principal_point[1] - focal * up / -float(behind)
    ground = shot.ground or Ground(horizon=horizon)
    return shot.evolve(ground=ground.evolve(horizon=round(horizon, 1)))


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


@verb("stand on the ground")
def stand_on_ground(
    shot: Shot, *, layer: str, frame: int = 0, x: float | None = None, y: float | None = None
) -> Shot:
    """Set a layer's distance by where its foot meets the ground; its framing is kept.

    ``x``, ``y``: where that is, in frame pixels at ``frame``; left out: where it was before.
    """
    found = standing(shot, layer)
    if x is not None and y is not None:
        foot = point_on(standing_card(shot, found), camera_states(shot, [frame])[0], (x, y))
        shot = with_layer(shot, layer, foot=foot)
        found = shot.layer(layer)
    if shot.ground is None:
        raise EditError("Say first where the ground is: the horizon's height and the camera's.")
    facts = ground_facts(shot, found)
    if facts is None:
        raise EditError(
            f"{found.name} ends above the horizon, so it does not touch the ground. "
            "Move the horizon up, or set its distance by hand."
        )
    return with_layer(shot, layer, **at_distance(found, facts[0]))
