"""A shot as a browser draws it: numbers only, all computed here.

Matrices are flat lists in column order, as WebGL takes them. A card's matrix takes the unit
square (-0.5..0.5, y up) to the world; a frame's takes the world to clip space.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from vistaline.core.arrays import Matrix4
from vistaline.core.errors import CoreError
from vistaline.core.geometry.guides import guide_boxes
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.looks.blending import MODES
from vistaline.core.scene.air import describe_air
from vistaline.core.scene.camera import describe_camera, lens_points
from vistaline.core.scene.cloths import describe_cloth
from vistaline.core.scene.finish import describe_finish
from vistaline.core.scene.held import held_on
from vistaline.core.scene.lamps import describe_lights
from vistaline.core.scene.plan import StagePlan, draw_plans
from vistaline.core.scene.reliefs import describe_relief
from vistaline.core.scene.rows import describe_rows
from vistaline.core.scene.shadows import live_shadows
from vistaline.core.scene.tracks import describe_passing, pack_tracks
from vistaline.core.shot.callouts import callout_of
from vistaline.core.shot.dressing import row_name
from vistaline.core.shot.layouts import layout_round
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.cards import Card, card_of
from vistaline.core.stage.evaluate import FrameState, evaluate
from vistaline.core.stage.focused import LIVE_COPIES
from vistaline.core.stage.ground import horizon_in
from vistaline.core.stage.poses import layer_pose, texture_of
from vistaline.core.stage.seen import plate_of, seen_from
from vistaline.core.stage.surfaces import surface_of, unit_at
from vistaline.core.stage.textures import is_passing
from vistaline.core.timing import timecode

__all__ = ["card_matrix", "describe_scene", "pick_layer", "textures_in"]


def describe_scene(shot: Shot, frames: Iterable[int]) -> dict[str, Any]:
    """Return everything the live view, the plan and the route draw for ``frames``."""
    frames = list(frames)
    states = evaluate(shot, frames)
    first = states[0]
    tables, finish = describe_finish(shot, states)
    places = {card.layer.id: card for card in (*first.mattes.values(), *first.cards)}
    whole = _whole(shot)
    rate = shot.frame.rate
    return {
        "name": shot.name,
        "width": shot.frame.width,
        "height": shot.frame.height,
        "rate": [rate.numerator, rate.denominator],
        "duration": shot.frame.duration,
        "background": shot.background,
        "near": NEAR,
        "lens": lens_points(shot),
        "copies": [[copy.radius, copy.pad] for copy in LIVE_COPIES],
        "guides": guide_boxes(*shot.frame.size),
        "ground": shot.taking_camera.position[1] - shot.ground.eye_height if shot.ground else None,
        "lamps": [{"id": lamp.id, "name": lamp.name} for lamp in shot.lamps],
        "layers": [_layer(shot, layer, places.get(layer.id)) for layer in shot.layers],
        "dressing": [{"id": row_name(each), "name": each.name} for each in shot.dressing],
        "solo": shot.solo,
        "mounts": [{"id": mount.id, "name": mount.name} for mount in shot.mounts],
        "shadows": _shadows(first),
        "frames": [
            _frame(frame, state, shot, first) | {"seen": _seen_of(whole, state), "finish": told}
            for frame, state, told in zip(frames, states, finish, strict=True)
        ],
        "tables": tables,
        "tracks": pack_tracks(shot, frames),
        "passing": describe_passing(shot, frames),
        "rows": describe_rows(shot),
        "marks": _marks(shot),
        "framings": [
            {
                "frame": framing.frame,
                "hold": framing.hold,
                "name": framing.name,
                "keeps": framing.keeps,
            }
            for framing in shot.route.framings
        ],
        "path": shot.route.path,
        "markers": [
            {"frame": each.frame, "name": each.name, "colour": each.colour, "note": each.note}
            for each in shot.markers
        ],
        "camera": shot.directed,
        "cameras": sorted(
            [{"id": each.id, "name": each.name} for each in shot.cameras],
            key=lambda each: each["id"],
        ),
        "cuts": [{"frame": cut.frame, "camera": cut.camera} for cut in shot.cuts],
        "opening": shot.opening,
        "whole": whole,
        "plan": {view.value: _plan(plan) for view, plan in draw_plans(shot, places).items()},
    }


def _marks(shot: Shot) -> dict[str, Any] | None:
    """Return the marked edges on their layer, in shares of its size from its middle, y up.

    With its matrix: marks lie on it, though it may be hidden.
    """
    edges = shot.taking_camera.edges
    if not edges:
        return None
    plate = plate_of(shot)
    assert plate.box is not None
    x, y, width, height = plate.box
    try:
        misses = seen_from(shot.taking_camera).residuals.tolist()
    except CoreError:
        misses = [None] * len(edges)
    return {
        "layer": plate.id,
        "matrix": card_matrix(card_of(shot, plate)),
        "edges": [
            {
                "ends": [
                    [round((px - x) / width - 0.5, 6), round(0.5 - (py - y) / height, 6)]
                    for px, py in (edge.a, edge.b, *([edge.through] if edge.through else []))
                ],
                "along": edge.along.value,
                "off": miss if miss is None else round(abs(miss), 2),
            }
            for edge, miss in zip(edges, misses, strict=True)
        ],
    }


def _whole(shot: Shot) -> dict[str, Any] | None:
    """Return the layer whose picture tells best where the camera is: the one behind the others."""
    fit = [
        layer
        for layer in shot.layers
        if layer.picture and not layer.hidden and layer.stays == "stage"
    ]
    if not fit:
        return None
    farthest = max(fit, key=lambda layer: layer.distance)
    _, width, height = layer_pose(shot, farthest)
    return {"layer": farthest.id, "texture": texture_of(shot, farthest), "aspect": width / height}


def _seen_of(whole: dict[str, Any] | None, state: FrameState) -> list[list[float]] | None:
    """Return the frame's corners in a layer's unit coordinates; None if it is not before them."""
    if whole is None:
        return None
    card, camera = state.card_of(whole["layer"]), state.camera
    homography = card.image_from_unit(camera)
    if abs(np.linalg.det(homography)) < 1e-12:
        return None
    width, height = camera.frame_size
    corners = np.array([[0, 0, 1], [width, 0, 1], [width, height, 1], [0, height, 1]])
    units = corners @ np.linalg.inv(homography).T
    if units[:, 2].min() <= 0:
        return None
    return np.round(units[:, :2] / units[:, 2:], 4).tolist()  # type: ignore[no-any-return]


def textures_in(scene: dict[str, Any]) -> set[str]:
    """Return the names of all looks that a described scene draws."""
    shadows = [*scene["shadows"]]
    for frame in scene["frames"]:
        shadows += frame.get("shadows", ())
    changing = [name for track in scene["tracks"].values() for _, name in track.get("looks", ())]
    named = {each["texture"] for each in (*scene["layers"], *shadows)}.union(changing)
    named |= {
        name for each in scene["layers"] if each["relief"] for name in each["relief"]["sheets"]
    }
    return {name for name in named if not is_passing(name)}


def _layer(shot: Shot, layer: Layer, card: Card | None) -> dict[str, Any]:
    matte = layer.matte
    laid = bool(layout_round(shot, layer) or callout_of(shot, layer.id))
    return {
        "id": layer.id,
        "name": layer.name,
        # What is laid in the frame never looks as it does by itself.
        "texture": card.texture if laid and card else texture_of(shot, layer),
        "backdrop": layer.is_backdrop,
        "sharp": layer.always_sharp,
        "lit": layer.is_lit,
        "air": 0 if layer.stays == "lens" else 2 if layer.is_backdrop or layer.on_lens else 1,
        "distance": layer.distance,
        "percent": layer.scale * 100,
        "pan": layer.pan,
        "tilt": layer.tilt,
        "roll": layer.roll,
        "pivot": layer.pivot,
        "laid": laid,
        "width": round(card.width, 6) if card else None,
        "height": round(card.height, 6) if card else None,
        "group": layer.group,
        "opacity": layer.opacity,
        "mode": MODES[layer.blend],
        "matte": matte
        and {
            "of": matte.of,
            "inside": matte.keep == "inside",
            "lightness": matte.by == "lightness",
        },
        "hidden": layer.hidden,
        "locked": layer.locked,
        "projector": None
        if card is None or card.projector is None
        else [round(float(value), 9) for value in card.projector.ravel()],
        "body": None if layer.relief else surface_of(layer).mesh or None,
        "relief": describe_relief(card) if card else None,
        "cloth": describe_cloth(card) if card else None,
        "held": held_on(shot, layer),
        "places": [[each.name, *each.at] for each in shot.places if each.of == layer.id],
        "deep": round(card.depth / card.width, 6) if card and layer.body else 0,
        "matrix": card_matrix(card) if card else None,
    }


def _shadows(state: FrameState) -> list[dict[str, Any]]:
    return [
        {
            "on": state.cards[cast.receiver].layer.id,
            "texture": cast.shade.texture,
            "strength": round(cast.strength, 6),
            "matrix": _unit_matrix(
                cast.shade.world_from_plane, cast.shade.width, cast.shade.height
            ),
        }
        for cast in live_shadows(state)
    ]


def pick_layer(
    state: FrameState, x: float, y: float, alpha_at: Any, *, locked: bool = False
) -> str | None:
    """Return the id of the nearest layer that is seen at frame pixel ``x``, ``y``.

    ``alpha_at(card, u, v)`` gives a card's alpha at unit texture coordinates. Locked layers
    are passed over unless ``locked``, as are places that are less than a fifth opaque.
    """
    for i in reversed(state.order):
        card = state.cards[i]
        passed = card.layer.locked and not locked
        unit = None if passed else unit_at(card, state.camera, x, y)
        if unit and alpha_at(card, *unit) * card.opacity > 0.2:
            return card.layer.id
    return None


def card_matrix(card: Card) -> list[float]:
    """Return the matrix that takes the unit square (-0.5..0.5, y up) to where a card is."""
    return _unit_matrix(card.world_from_card, card.width, card.height)


def _unit_matrix(world_from_plane: Matrix4, width: float, height: float) -> list[float]:
    return _flat(world_from_plane * (width, height, 1.0, 1.0))


def _flat(matrix: np.ndarray) -> list[float]:
    return [round(value, 9) for value in matrix.T.ravel().tolist()]


def _frame(frame: int, state: FrameState, shot: Shot, first: FrameState) -> dict[str, Any]:
    camera = state.camera
    # What moves with the camera has a matrix of its own in every frame.
    moved = [
        card
        for card in (*state.mattes.values(), *state.cards)
        if card.layer.is_backdrop or card.layer.stays != "stage"
    ]
    record = {
        "frame": frame,
        "clip": _flat(camera.clip_from_world),
        "order": [state.cards[i].layer.id for i in state.order],
        "moved": {card.layer.id: card_matrix(card) for card in moved},
        "framed": {
            card.layer.id: [round(share, 5) for share in card.framed]
            for card in moved
            if card.framed != (1.0, 1.0)
        },
        "timecode": timecode(frame, shot.frame.rate),
        "camera": describe_camera(camera),
        "horizon": horizon_in(shot, camera),
        "lights": describe_lights(state.lamps, state.lights),
        "air": describe_air(state),
    }
    lit = any(light.lamp.shadows for light in state.lights)
    if state.layout is not first.layout or state.present != first.present or lit:
        record["shadows"] = _shadows(state)
    return record


def _plan(plan: StagePlan) -> dict[str, Any]:
    return {
        "bars": {
            key: [[round(v, 5) for v in end] for end in ends] for key, ends in plan.bars.items()
        },
        "areas": {key: np.round(area, 4).tolist() for key, area in plan.areas.items()},
        "mounts": {key: [round(v, 5) for v in place] for key, place in plan.mounts.items()},
        "winds": {key: np.round(wind, 4).tolist() for key, wind in plan.winds.items()},
        "path": np.round(plan.path, 5).tolist(),
        "ticks": np.round(plan.ticks, 4).tolist(),
        "stops": np.round(plan.stops, 5).tolist(),
        "speed": np.round(plan.speed, 4).tolist(),
    }
