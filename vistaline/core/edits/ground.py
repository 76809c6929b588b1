"""Edits of the level ground, and of layers that stand on it."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.edits.arranging import at_distance
from vistaline.core.edits.registry import REGISTRY, on_stage, with_layer, with_layers
from vistaline.core.errors import EditError
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.shot.shot import Ground, Layer, Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.ground import ground_facts, height_over_ground
from vistaline.core.stage.placing import point_on, stage_card
from vistaline.core.stage.poses import taking_pose
from vistaline.core.stage.resized import as_seen_at

__all__ = ["snapped"]

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


@verb("real height")
def set_height(
    shot: Shot, *, layer: str, height: Annotated[float, Field(gt=0, le=1e6)], playhead: int = 0
) -> Shot:
    """Set how tall a layer is in metres: it goes nearer or farther, and looks as it does now."""
    found = on_stage(shot, layer)
    tall = card_of(shot, found).height
    camera = camera_states(shot, [playhead])[0]
    # Along the camera's rays size grows with the way from the camera, not from the taking camera.
    axis = -taking_pose(shot.taking_camera)[:3, 2]
    start = taking_pose(shot.taking_camera)[:3, 3]
    ahead = float((np.array(camera.position) - start) @ axis)
    distance = ahead + (found.distance - ahead) * height / tall
    return with_layers(shot, [as_seen_at(shot, found, distance, camera)])


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


@verb("stand on the ground")
def stand_on_ground(
    shot: Shot,
    *,
    layer: str,
    frame: int = 0,
    x: float | None = None,
    y: float | None = None,
    by: Literal["distance", "height"] = "distance",
) -> Shot:
    """Let a layer stand on the ground with its foot.

    ``by`` its distance: it goes to where its foot is seen on the ground, and looks as before; or by
    its height: it stays at its distance, and goes down or up until its foot is on the ground.
    ``x``, ``y``: where the foot is, in frame pixels at ``frame``; left out: where it was before.
    """
    found = on_stage(shot, layer)
    if x is not None and y is not None:
        foot = point_on(stage_card(shot, found), camera_states(shot, [frame])[0], (x, y))
        shot = with_layer(shot, layer, foot=foot)
        found = shot.layer(layer)
    if shot.ground is None:
        raise EditError("Say first where the ground is: the horizon's height and the camera's.")
    if by == "height":
        return with_layer(shot, layer, up=found.up + height_over_ground(shot, found))
    facts = ground_facts(shot, found)
    if facts is None:
        raise EditError(
            f"{found.name} ends above the horizon, so it does not touch the ground. "
            "Move the horizon up, or set its distance by hand."
        )
    return with_layer(shot, layer, **at_distance(found, facts[0]))
