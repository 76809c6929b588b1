"""A shot as a browser draws it: numbers only, all computed here.

Matrices are flat lists in column order, as WebGL takes them. A card's matrix takes the unit
square (-0.5..0.5, y up) to the world; a frame's takes the world to clip space.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from vistaline.core.evaluate import CameraState, Card, FrameState, evaluate
from vistaline.core.guides import guide_boxes
from vistaline.core.optics import angle_of_view, gate_size
from vistaline.core.render.blend import MODES
from vistaline.core.shot import Shot
from vistaline.core.stageplan import PlanView, draw_plan, view_cone
from vistaline.core.timing import timecode

__all__ = ["describe_scene", "pick_layer"]


def describe_scene(shot: Shot, frames: Iterable[int]) -> dict[str, Any]:
    """Return everything the live view, the plan and the route draw for ``frames``."""
    frames = list(frames)
    states = evaluate(shot, frames)
    places = {card.layer.id: card for card in states[0].cards}
    rate = shot.frame.rate
    return {
        "name": shot.name,
        "width": shot.frame.width,
        "height": shot.frame.height,
        "rate": [rate.numerator, rate.denominator],
        "duration": shot.frame.duration,
        "background": shot.background,
        "guides": guide_boxes(*shot.frame.size),
        "ground": shot.taking_camera.position[1] - shot.ground.eye_height if shot.ground else None,
        "layers": [
            {
                "id": layer.id,
                "name": layer.name,
                "texture": layer.texture,
                "backdrop": layer.is_backdrop,
                "distance": layer.distance,
                "opacity": layer.opacity,
                "mode": MODES[layer.blend],
                "hidden": layer.hidden,
                "locked": layer.locked,
                "matrix": _card_matrix(places[layer.id]) if layer.id in places else None,
            }
            for layer in shot.layers
        ],
        "frames": [
            _frame(frame, state, shot, places) for frame, state in zip(frames, states, strict=True)
        ],
        "framings": [
            {"frame": framing.frame, "name": framing.name} for framing in shot.route.framings
        ],
        "plan": {view.value: _plan(shot, view) for view in PlanView},
    }


def pick_layer(state: FrameState, x: float, y: float, alpha_at: Any) -> str | None:
    """Return the id of the nearest layer that is seen at frame pixel ``x``, ``y``.

    ``alpha_at(layer, u, v)`` gives a layer's alpha at unit texture coordinates. Locked layers
    are passed over, as are places that are less than a fifth opaque.
    """
    for i in reversed(state.order):
        card = state.cards[i]
        image_from_unit = card.image_from_unit(state.camera)
        if card.layer.locked or abs(np.linalg.det(image_from_unit)) < 1e-12:
            continue
        unit = np.linalg.inv(image_from_unit) @ (x, y, 1)
        if unit[2] <= 0:
            continue
        u, v = unit[:2] / unit[2]
        if alpha_at(card.layer, float(u), float(v)) * card.layer.opacity > 0.2:
            return card.layer.id
    return None


def _card_matrix(card: Card) -> list[float]:
    return _flat(card.world_from_card @ np.diag([card.width, card.height, 1, 1]))


def _flat(matrix: np.ndarray) -> list[float]:
    return [round(float(value), 9) for value in matrix.T.ravel()]


def _frame(frame: int, state: FrameState, shot: Shot, places: dict[str, Card]) -> dict[str, Any]:
    camera = state.camera
    # What moves with the camera has a matrix of its own in every frame.
    moved = [card for card in state.cards if places[card.layer.id] is not card]
    return {
        "clip": _flat(camera.clip_from_world),
        "order": [state.cards[i].layer.id for i in state.order],
        "moved": {card.layer.id: _card_matrix(card) for card in moved},
        "timecode": timecode(frame, shot.frame.rate),
        "camera": _camera(camera),
    }


def _camera(camera: CameraState) -> dict[str, Any]:
    gate = gate_size(*camera.frame_size)
    cones = {}
    for view in PlanView:
        apex, directions = view_cone(camera, view)
        cones[view.value] = {
            "apex": [round(float(v), 6) for v in apex],
            "edges": [[round(float(v), 6) for v in edge] for edge in directions],
        }
    return {
        "lens": round(camera.lens, 3),
        "angle": round(angle_of_view(camera.lens, gate[0]), 2),
        "cones": cones,
    }


def _plan(shot: Shot, view: PlanView) -> dict[str, Any]:
    plan = draw_plan(shot, view)
    return {
        "bars": {
            key: [[round(v, 5) for v in end] for end in ends] for key, ends in plan.bars.items()
        },
        "path": np.round(plan.path, 5).tolist(),
        "ticks": np.round(plan.ticks, 4).tolist(),
        "speed": np.round(plan.speed, 4).tolist(),
    }
