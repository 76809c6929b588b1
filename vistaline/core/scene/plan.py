"""The stage drawn flat, in metres: from above (across, forward) or from the side (forward, up)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.shot.callouts import callout_of
from vistaline.core.shot.layouts import layout_round
from vistaline.core.shot.mounts import standing_of
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.cards import Card, card_of
from vistaline.core.stage.paths import stretches_through
from vistaline.core.stage.sheet import PlanView, flatten
from vistaline.core.stage.surfaces import surface_of

__all__ = ["StagePlan", "across_at", "draw_plans", "view_cone"]


_LEAST_AREA = 1e-3
"""Of its larger side squared: what covers less of the sheet is seen from its edge."""


@dataclass(frozen=True, kw_only=True, eq=False)
class StagePlan:
    """Points are (right, up) on the sheet, metres: above = (x, -z); side = (-z, y)."""

    bars: dict[str, tuple[tuple[float, float], tuple[float, float]]]
    """Each layer's two ends, hidden layers too; a backdrop is nowhere on the stage."""
    areas: dict[str, FloatArray]
    """(N, 2) outlines of surfaces and bodies that cover some of the sheet, as floors do."""
    mounts: dict[str, tuple[float, float]]
    """Where each mount stands."""
    winds: dict[str, tuple[tuple[float, float], tuple[float, float]]]
    """By the ids of layers that are cloth: where they hang, and the wind there, metres a second."""
    path: FloatArray
    """(frames, 2): the camera at every frame."""
    ticks: FloatArray
    """(frames, 2): the path's direction at every frame, a unit vector; 0 where it stands."""
    stops: FloatArray
    """(framings, 3, 2): each framing's place, and its path's handles there: arriving, leaving."""
    speed: FloatArray
    """(frames,): how fast the camera travels, 0..1 of the shot's fastest."""


def draw_plans(shot: Shot, known: Mapping[str, Card] | None = None) -> dict[PlanView, StagePlan]:
    """Return the plan of the whole shot, from above and from the side.

    ``known``: cards by their layers' ids, as far as they have been computed; only those of layers
    that stand on the stage count. What a layout lays in the frame stands nowhere.
    """
    known = known or {}
    standing = [
        layer
        for layer in shot.layers
        if not (layer.is_backdrop or layout_round(shot, layer) or callout_of(shot, layer.id))
    ]
    cards = {
        layer.id: known[layer.id]
        if layer.stays == "stage" and layer.id in known
        else card_of(shot, layer)
        for layer in standing
    }
    # What shakes it is no part of the path: its ticks and its speed could not be read.
    cameras = camera_states(shot, range(shot.frame.duration), shaken=False)
    speed = _speed(cameras)
    return {view: _draw(shot, view, cards, cameras, speed) for view in PlanView}


def _draw(
    shot: Shot,
    view: PlanView,
    cards: dict[str, Card],
    cameras: list[CameraState],
    speed: FloatArray,
) -> StagePlan:
    bars = _bars(cards, view)
    mounts = {}
    for mount in shot.mounts:
        place = np.array([standing_of(mount, shot.mounts).position])
        x, y = flatten(place, view)[0].tolist()
        mounts[mount.id] = (x, y)
    path = flatten(np.array([camera.position for camera in cameras]), view)
    step = np.gradient(path, axis=0) if len(path) > 1 else np.zeros_like(path)
    length = np.linalg.norm(step, axis=1, keepdims=True)
    ticks = np.where(length > 1e-9, step / np.maximum(length, 1e-12), 0.0)
    return StagePlan(
        bars=bars,
        areas={key: area for key, card in cards.items() if (area := _area(card, view)) is not None},
        mounts=mounts,
        winds=_winds(cards, view),
        path=path,
        ticks=ticks,
        stops=flatten(_stops(shot).reshape(-1, 3), view).reshape(-1, 3, 2),
        speed=speed,
    )


def _bars(
    cards: Mapping[str, Card], view: PlanView
) -> dict[str, tuple[tuple[float, float], tuple[float, float]]]:
    """Return both ends of each card's bar: from above as wide as it is, from the side as high."""
    if not cards:
        return {}
    axis = 0 if view is PlanView.ABOVE else 1
    sizes = [card.width if view is PlanView.ABOVE else card.height for card in cards.values()]
    poses = np.array([card.world_from_card for card in cards.values()])
    half = poses[:, :3, axis] * np.array(sizes)[:, None] / 2
    middles = poses[:, :3, 3]
    ends = flatten(np.stack([middles - half, middles + half], axis=1).reshape(-1, 3), view)
    return {
        key: ((x0, y0), (x1, y1))
        for key, (x0, y0, x1, y1) in zip(cards, ends.reshape(-1, 4).tolist(), strict=True)
    }


def _winds(
    cards: Mapping[str, Card], view: PlanView
) -> dict[str, tuple[tuple[float, float], tuple[float, float]]]:
    found = {}
    for key, card in cards.items():
        cloth = card.layer.cloth
        if cloth is None or not cloth.wind:
            continue
        towards = np.radians(cloth.direction)
        wind = cloth.wind * np.array([np.cos(towards), 0.0, -np.sin(towards)])
        (x, y), (right, up) = flatten(np.array([card.world_from_card[:3, 3], wind]), view).tolist()
        found[key] = ((x, y), (right, up))
    return found


def _area(card: Card, view: PlanView) -> FloatArray | None:
    """Return the outline (N, 2) of what a surface covers of the sheet; None if that is a line."""
    surface = surface_of(card.layer)
    if card.projector is None and not surface.mesh:
        return None
    local = surface.points(card)
    there = local @ card.world_from_card[:3, :3].T + card.world_from_card[:3, 3]
    hull = cv2.convexHull(flatten(there, view).astype(np.float32))
    if cv2.contourArea(hull) < _LEAST_AREA * max(card.width, card.height) ** 2:
        return None
    return np.asarray(hull.reshape(-1, 2), np.float64)


def _stops(shot: Shot) -> FloatArray:
    """Return places and handles of the framings (framings, 3, 3) in metres."""
    framings = shot.route.framings
    stops = np.repeat(np.array([[f.position] for f in framings], dtype=np.float64), 3, axis=1)
    for i, stretch in enumerate(stretches_through(framings, shot.route.path)):
        stops[i, 2], stops[i + 1, 1] = stretch.points[1], stretch.points[2]
    return stops


def view_cone(camera: CameraState, view: PlanView) -> tuple[FloatArray, FloatArray]:
    """Return the camera on the sheet (2,) and the unit directions (2, 2) of its field's edges."""
    directions = _edges(camera, view)
    directions = directions / np.maximum(np.linalg.norm(directions, axis=1, keepdims=True), 1e-12)
    return flatten(np.array([camera.position]), view)[0], directions


def across_at(camera: CameraState, view: PlanView, distance: float) -> FloatArray:
    """Return both ends (2, 2) on the sheet of what the camera sees ``distance`` metres deep."""
    apex = flatten(np.array([camera.position]), view)[0]
    return np.asarray(apex + distance * _edges(camera, view))


def _edges(camera: CameraState, view: PlanView) -> FloatArray:
    """Return the ways (2, 2) on the sheet along its field's edges, to 1 m deep."""
    width, height = camera.frame_size
    x, y = width / 2, height / 2
    above = view is PlanView.ABOVE
    ends = ((0.0, y), (2 * x, y)) if above else ((x, 2 * y), (x, 0.0))
    edges = np.array([camera.ray(*end) for end in ends])
    return flatten(edges @ camera.world_from_camera[:3, :3].T, view)


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
