"""Camera gestures: what a drag in the viewfinder does to a framing.

Truck, pedestal and dolly carry the camera along its own axes; pan, tilt and roll turn its head.
A drag grasps the picture: what lies under the pointer goes with it.
"""

from __future__ import annotations

import math
from enum import StrEnum
from typing import Any

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.shot.route import Framing
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.poses import layer_pose

__all__ = ["CameraMove", "moved", "nearest_at", "told"]

STANDOFF = 2.0
"""Metres: the distance a drag is measured at on an empty stage."""


class CameraMove(StrEnum):
    """One drag may drive two movements: across the first, up and down the second."""

    TRUCK = "truck"
    """Sideways, and pedestal up and down."""
    DOLLY = "dolly"
    """Towards (drag up) and away (drag down)."""
    PAN = "pan"
    """Turn the head: pan, and tilt."""
    ROLL = "roll"
    """Lean to the side."""
    ZOOM = "zoom"
    """Change the lens, from where the camera stands: longer (drag up), shorter (drag down)."""
    ARC = "arc"
    """Go round what is grasped, across and up, and keep looking at it."""
    CRANE = "crane"
    """Rise and swing on an arm that reaches as far back as what is grasped is ahead."""


def moved(
    shot: Shot,
    framing: Framing,
    move: CameraMove,
    *,
    dx: float,
    dy: float,
    grasped: FloatArray | None = None,
) -> dict[str, Any]:
    """Return the framing's changed values for a drag of ``dx``, ``dy`` frame pixels (y down).

    ``grasped`` (3,): the point on the stage that is under the pointer, and stays there in a truck
    or pedestal; left out, the drag is measured at the middle one of the layers before the camera.
    """
    focal_px = focal_length_px(framing.lens, *shot.frame.size)
    if move is CameraMove.PAN:
        # By the right-hand rule + pan turns left and + tilt up: the scene follows the pointer.
        return {
            "pan": framing.pan + math.degrees(math.atan(dx / focal_px)),
            "tilt": framing.tilt + math.degrees(math.atan(dy / focal_px)),
        }
    if move is CameraMove.ROLL:
        return {"roll": framing.roll + math.degrees(math.atan(dx / (shot.frame.width / 2)))}
    if move is CameraMove.ZOOM:
        # Half a frame height upwards doubles the lens, as it halves the way in a dolly.
        lens = framing.lens * 2 ** (-2 * dy / shot.frame.height)
        return {"lens": min(max(lens, 2.0), 2000.0)}
    distance = _grasp_distance(shot, framing, grasped)
    if move is CameraMove.ARC:
        return _arced(shot, framing, distance, dx, dy)
    if move is CameraMove.CRANE:
        return _craned(framing, distance, dx * 60 / shot.frame.width, dy * 60 / shot.frame.width)
    if move is CameraMove.TRUCK:
        along = (-dx * distance / focal_px, dy * distance / focal_px, 0.0)
    else:
        # Half a frame height upwards halves the way to what is grasped.
        along = (0.0, 0.0, -distance * (1 - 2 ** (2 * dy / shot.frame.height)))
    rotation = space.rotation(framing.pan, framing.tilt, framing.roll)
    position = np.array(framing.position) + rotation @ np.array(along)
    return {"position": tuple(float(value) for value in position)}


def told(before: Framing, after: Framing, move: CameraMove) -> str:
    """Return in words what a drag does to the camera: a zoom is no dolly."""
    metres = math.dist(before.position, after.position)
    if after.keeps and move is CameraMove.ZOOM:
        return "The lens follows the distance here: dolly, or let the size change first"
    return {
        CameraMove.TRUCK: f"Truck and pedestal: the camera goes {metres:.2f} m aside",
        CameraMove.DOLLY: f"Dolly: the camera goes {metres:.2f} m; its lens: {after.lens:.1f} mm",
        CameraMove.ZOOM: f"Zoom: the lens goes from {before.lens:.1f} to {after.lens:.1f} mm, "
        "the camera stays",
        CameraMove.PAN: f"Pan {after.pan:.1f}°, tilt {after.tilt:.1f}°",
        CameraMove.ROLL: f"Roll {after.roll:.1f}°",
        CameraMove.CRANE: f"Crane: {after.position[1] - before.position[1]:+.2f} m high, "
        f"swung by {after.pan - before.pan:.1f}°; its tilt stays",
        CameraMove.ARC: f"Arc: {after.pan - before.pan:.1f}° round, {metres:.2f} m",
    }[move]


def _arced(shot: Shot, framing: Framing, distance: float, dx: float, dy: float) -> dict[str, Any]:
    """A frame's width across is a third of a turn."""
    right = -120 * dx / shot.frame.width
    over = 120 * dy / shot.frame.width
    pan, tilt = framing.pan + right, min(max(framing.tilt - over, -89.0), 89.0)
    ahead = np.array([0.0, 0.0, -distance])
    point = np.array(framing.position) + space.rotation(framing.pan, framing.tilt, 0) @ ahead
    position = point - space.rotation(pan, tilt, 0) @ ahead
    return {"position": tuple(position.tolist()), "pan": pan, "tilt": tilt}


def _craned(framing: Framing, arm: float, swing: float, rise: float) -> dict[str, Any]:
    """Turn an arm of ``arm`` metres behind the camera by degrees; the head keeps its tilt."""
    reach = np.array([0.0, 0.0, -arm])
    base = np.array(framing.position) - space.rotation(framing.pan, 0, 0) @ reach
    pan = framing.pan + swing
    position = base + space.rotation(pan, min(max(rise, -85.0), 85.0), 0) @ reach
    return {"position": tuple(position.tolist()), "pan": pan}


def _grasp_distance(shot: Shot, framing: Framing, grasped: FloatArray | None) -> float:
    """Return how far before the camera, along its axis, what is grasped is, in metres."""
    if grasped is not None:
        ahead = -space.rotation(framing.pan, framing.tilt, framing.roll)[:, 2]
        depth = float((grasped - np.array(framing.position)) @ ahead)
        if depth > NEAR:
            return depth
    distances = [layer.distance for layer in shot.layers if not (layer.hidden or layer.is_backdrop)]
    taking = shot.taking_camera
    axis = space.rotation(taking.pan, taking.tilt, taking.roll) @ np.array([0.0, 0.0, -1.0])
    travelled = float((np.array(framing.position) - np.array(taking.position)) @ axis)
    before = [distance - travelled for distance in distances if distance - travelled > 0.05]
    return float(np.median(before)) if before else STANDOFF


def nearest_at(shot: Shot, camera: CameraState, x: float, y: float, only: str = "") -> FloatArray:
    """Return the point (3,) on the stage that is seen at frame pixel ``x``, ``y``.

    On the layer ``only``, or on the nearest there as far as outlines tell; on an empty stage as
    far away as a layer is put at first.
    """
    ray = camera.ray(x, y)
    found = STANDOFF
    for layer in shot.layers:
        if layer.hidden or layer.is_backdrop or layer.on_lens or only not in ("", layer.id):
            continue
        pose, wide, tall = layer_pose(shot, layer)
        local = space.inverse_pose(pose) @ camera.world_from_camera
        start, way = local[:3, 3], local[:3, :3] @ ray
        if abs(way[2]) < 1e-12:
            continue
        depth = -start[2] / way[2]
        across, up = (start + depth * way)[:2]
        inside = abs(across) <= wide / 2 and abs(up) <= tall / 2
        if inside and NEAR < depth and (found == STANDOFF or depth < found):
            found = depth
    turn = camera.world_from_camera[:3, :3]
    return np.asarray(np.array(camera.position) + turn @ ray * found)
