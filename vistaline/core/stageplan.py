"""The stage drawn flat, in metres: from above (across, forward) or from the side (forward, up)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.evaluate import CameraState, camera_states, card_of
from vistaline.core.shot import Shot

__all__ = ["PlanView", "StagePlan", "draw_plan"]


class PlanView(StrEnum):
    """Where the plan is looked at from."""

    ABOVE = "above"
    SIDE = "side"


@dataclass(frozen=True, kw_only=True, eq=False)
class StagePlan:
    """Points are (right, up) on the sheet, metres: above = (x, -z); side = (-z, y)."""

    bars: dict[str, tuple[tuple[float, float], tuple[float, float]]]
    """Each layer's two ends, hidden layers too; a backdrop is nowhere on the stage."""
    path: FloatArray
    """(frames, 2): the camera at every frame."""
    ticks: FloatArray
    """(frames, 2): the path's direction at every frame, a unit vector; 0 where it stands."""
    speed: FloatArray
    """(frames,): how fast the camera travels, 0..1 of the shot's fastest."""


def flatten(points: FloatArray, view: PlanView) -> FloatArray:
    """Map stage points (N, 3) to the sheet (N, 2)."""
    if view is PlanView.ABOVE:
        return np.column_stack([points[:, 0], -points[:, 2]])
    return np.column_stack([-points[:, 2], points[:, 1]])


def draw_plan(shot: Shot, view: PlanView) -> StagePlan:
    """Return the plan of the whole shot."""
    bars = {}
    for layer in shot.layers:
        if layer.is_backdrop:
            continue
        card = card_of(shot, layer)
        half = (
            np.array([card.width / 2, 0, 0])
            if view is PlanView.ABOVE
            else np.array([0, card.height / 2, 0])
        )
        ends = (
            np.array([-half, half]) @ card.world_from_card[:3, :3].T + card.world_from_card[:3, 3]
        )
        (x0, y0), (x1, y1) = flatten(ends, view)
        bars[layer.id] = ((float(x0), float(y0)), (float(x1), float(y1)))
    cameras = camera_states(shot, range(shot.frame.duration))
    positions = np.array([camera.position for camera in cameras])
    path = flatten(positions, view)
    step = np.gradient(path, axis=0) if len(path) > 1 else np.zeros_like(path)
    length = np.linalg.norm(step, axis=1, keepdims=True)
    ticks = np.where(length > 1e-9, step / np.maximum(length, 1e-12), 0.0)
    return StagePlan(bars=bars, path=path, ticks=ticks, speed=_speed(cameras))


def view_cone(camera: CameraState, view: PlanView) -> tuple[FloatArray, FloatArray]:
    """Return the camera on the sheet (2,) and the unit directions (2, 2) of its field's edges."""
    half_width, half_height = camera.frame_size[0] / 2, camera.frame_size[1] / 2
    if view is PlanView.ABOVE:
        edges = np.array([[-half_width, 0, -camera.focal_px], [half_width, 0, -camera.focal_px]])
    else:
        edges = np.array([[0, -half_height, -camera.focal_px], [0, half_height, -camera.focal_px]])
    directions = flatten(edges @ camera.world_from_camera[:3, :3].T, view)
    directions = directions / np.maximum(np.linalg.norm(directions, axis=1, keepdims=True), 1e-12)
    return flatten(np.array([camera.position]), view)[0], directions


def _speed(cameras: list[CameraState]) -> FloatArray:
    """Speed by what changes most on screen: travel, turn and lens together, 0..1 of the fastest."""
    if len(cameras) < 2:
        return np.zeros(len(cameras))
    travel = np.array([camera.position for camera in cameras])
    turn = np.radians([(camera.pan, camera.tilt, camera.roll) for camera in cameras])
    lens = np.log([[camera.lens] for camera in cameras])
    # A metre, a radian and a doubling of the lens change a picture by about as much.
    state = np.hstack([travel, turn, lens])
    speed = np.linalg.norm(np.gradient(state, axis=0), axis=1)
    fastest = float(speed.max())
    return speed / fastest if fastest > 1e-12 else speed * 0
