"""A shot as glTF: its cameras, layers, mounts and lamps, each with its motion.

All stands as on the stage (metres, right-handed, +Y up, cameras along -Z), which is glTF's own
space. Numbers are those of whole frames, evenly between them. What glTF has no words for is in
``extras``: focal lengths frame by frame, an off-centre lens, cuts, what was left out and why.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import cv2
import numpy as np
from scipy.spatial.transform import Rotation

from vistaline import __version__
from vistaline.core.arrays import FloatArray
from vistaline.core.formats.gltf import Gltf
from vistaline.core.geometry.bodies import mesh_of
from vistaline.core.geometry.optics import gate_size
from vistaline.core.looks.cloth_sheet import sheet_of
from vistaline.core.picture.colour import straight_codes
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.picture.still import encode_png
from vistaline.core.relief.sheets import SHEETS, meshes_of
from vistaline.core.shot.lamps import LampKind
from vistaline.core.shot.mounts import pose_of
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.lamps import Light
from vistaline.core.stage.places import place_pose
from vistaline.core.stage.raising import card_from_relief
from vistaline.core.stage.textures import RaisedLook
from vistaline.core.stage.tracks import moving_mounts

__all__ = ["scene_glb"]

_LARGEST = 2048
"""Pixels of a picture's longer side."""
_CELLS = 24
"""Across and down a plane that catches its picture: perspective runs evenly only between points."""
_MeshPart = tuple[FloatArray, FloatArray, np.ndarray, int]
"""Points (N, 3), places of the picture (N, 2), triangles (M, 3) and the number of a material."""


def scene_glb(
    shot: Shot,
    looks: Mapping[str, Pyramid],
    progress: Callable[[float, str], None] = lambda share, words: None,
) -> bytes:
    """Return a shot as a file of glTF 2.0; ``progress`` may raise to stop."""
    frames = np.arange(shot.frame.duration, dtype=np.float64)
    states = evaluate(shot, frames)
    out = Gltf(f"Vistaline {__version__}")
    animation: dict[str, Any] = {"name": shot.name}
    seconds = frames / float(shot.frame.rate)
    left_out: list[str] = []
    scene: dict[str, Any] = out.json["scenes"][0]
    scene["name"] = shot.name
    for camera in shot.cameras:
        _camera(out, animation, shot, camera.id, seconds)
    for mount in shot.mounts:
        poses, _ = pose_of(mount, shot.mounts, moving_mounts(shot, frames))
        node = out.node({"name": mount.name})
        _move(out, animation, node, np.broadcast_to(poses, (len(frames), 4, 4)), None, seconds)
    count = len(states[0].cards)
    for n, card in enumerate(states[0].cards):
        progress(0.05 + 0.9 * n / max(count, 1), card.layer.name)
        if card.layer.is_backdrop:
            left_out.append(f"{card.layer.name}: a backdrop stands at no distance")
            continue
        _layer(out, animation, [state.cards[n] for state in states], looks, seconds, left_out)
    for n in range(len(states[0].lamps)):
        _lamp(out, animation, [state.lamps[n] for state in states], seconds, left_out)
    shown = {card.layer.id for card in states[0].cards}
    for place in shot.places:
        if place.of not in shown:
            left_out.append(f"{place.name}: the layer it is on is hidden")
            continue
        poses = np.array([place_pose(place, state) for state in states])
        node = out.node({"name": place.name, "extras": {"place": place.id, "on": place.of}})
        _move(out, animation, node, poses, None, seconds)
    if "channels" in animation:
        out.add("animations", animation)
    scene["extras"] = {
        "rate": [shot.frame.rate.numerator, shot.frame.rate.denominator],
        "frames": shot.frame.duration,
        "cuts": [{"frame": cut.frame, "camera": cut.camera} for cut in shot.cuts],
        "left_out": left_out,
    }
    return out.packed()


def _camera(
    out: Gltf, animation: dict[str, Any], shot: Shot, camera: str, seconds: FloatArray
) -> None:
    own = shot.directed_by(camera).evolve(cuts=())
    states = camera_states(own, np.arange(shot.frame.duration, dtype=np.float64))
    focal = [state.lens * state.enlarged for state in states]
    _, tall = gate_size(*shot.frame.size)
    told = {
        "name": own.camera.name,
        "type": "perspective",
        "perspective": {
            "yfov": 2 * math.atan(tall / 2 / focal[0]),
            "aspectRatio": shot.frame.width / shot.frame.height,
            "znear": 0.01,
        },
    }
    extras: dict[str, Any] = {"id": camera}
    if np.ptp(focal) > 1e-6:
        extras["focal_mm"] = [round(each, 5) for each in focal]
    if any(states[0].shift):
        extras["shift_mm"] = [round(each * focal[0], 5) for each in states[0].shift]
    node = out.node({"name": own.camera.name, "camera": out.add("cameras", told), "extras": extras})
    poses = np.array([state.world_from_camera for state in states])
    _move(out, animation, node, poses, None, seconds)


def _move(
    out: Gltf,
    animation: dict[str, Any],
    node: int,
    poses: FloatArray,
    scales: FloatArray | None,
    seconds: FloatArray,
) -> None:
    """Set a node where it is at first, and let it move if it does; ``poses`` (N, 4, 4), rigid."""
    turns = Rotation.from_matrix(poses[:, :3, :3]).as_quat()
    # From key to key the short way round: q and -q are one rotation.
    for n in range(1, len(turns)):
        if turns[n] @ turns[n - 1] < 0:
            turns[n] *= -1
    turns /= np.linalg.norm(turns, axis=1, keepdims=True)
    values = {"translation": poses[:, :3, 3], "rotation": turns}
    if scales is not None:
        values["scale"] = scales
    told = out.json["nodes"][node]
    for path, each in values.items():
        told[path] = np.round(each[0], 9).tolist()
        if len(each) > 1 and np.ptp(each, axis=0).max() > 1e-9:
            out.animate(animation, node, path, out.times(seconds), each)


def _layer(
    out: Gltf,
    animation: dict[str, Any],
    cards: Sequence[Card],
    looks: Mapping[str, Pyramid],
    seconds: FloatArray,
    left_out: list[str],
) -> None:
    card = cards[0]
    poses = np.array([each.world_from_card for each in cards])
    square = poses[:, :3, :3].transpose(0, 2, 1) @ poses[:, :3, :3]
    if np.abs(square - np.eye(3)).max() > 1e-6:
        left_out.append(f"{card.layer.name}: it stays with the lens, which changes")
        return
    extras: dict[str, Any] = {"id": card.layer.id}
    opacity = [round(each.opacity, 6) for each in cards]
    if np.ptp(opacity) > 0:
        extras["opacity"] = opacity
    if any(each.texture != card.texture for each in cards) or card.waving:
        extras["shown"] = "as at frame 0"
    parts = _parts(out, card, looks)
    node = out.node(
        {"name": card.layer.name, "mesh": out.mesh(card.layer.name, parts), "extras": extras}
    )
    sizes = np.array([[each.width, each.height, each.width] for each in cards])
    _move(out, animation, node, poses, sizes / sizes[0], seconds)


def _parts(out: Gltf, card: Card, looks: Mapping[str, Pyramid]) -> list[_MeshPart]:
    """Return the parts of a layer's mesh, in the card's metres, at frame 0."""
    name, opacity = card.layer.name, card.opacity
    if card.raised:
        meshes = meshes_of(looks[str(RaisedLook(SHEETS, card.layer.id))].picture, 1.5)
        matrix = card_from_relief(card.raised, card.width, card.height)
        parts = []
        for n in reversed(range(SHEETS)):
            look = looks[str(RaisedLook(n, card.layer.id))]
            material = out.picture(f"{name}, sheet {n + 1}", _png(look), opacity)
            told = card.raised.lifted(meshes[n].points)
            points = np.column_stack([told, np.ones(len(told))]) @ matrix.T
            parts.append((points[:, :3] / points[:, 3:], told[:, :2], meshes[n].faces, material))
        return parts
    material = out.picture(name, _png(looks[card.texture]), opacity)
    if card.waving:
        rows, columns = card.waving.points.shape[:2]
        u, v, faces = sheet_of(rows, columns)
        points = card.waving.points.reshape(-1, 3) * card.width
        return [(points, np.column_stack([u, v]), faces, material)]
    if card.layer.body:
        points, faces = mesh_of(card.layer.body)
        points = points * [card.width / 2, card.height / 2, card.depth / 2]
    else:
        cells = _CELLS if card.projector is not None else 1
        u, v, faces = sheet_of(cells + 1, cells + 1)
        points = np.column_stack([u - 0.5, 0.5 - v, np.zeros(len(u))])
        points *= [card.width, card.height, 1]
        if card.projector is None:
            return [(points, np.column_stack([u, v]), faces, material)]
    assert card.projector is not None
    world = np.column_stack([points, np.ones(len(points))]) @ card.world_from_card.T
    seen = world @ card.projector.T
    places = seen[:, :2] / np.maximum(seen[:, 2:], 1e-6)
    return [(points, places, faces, material)]


def _png(look: Pyramid) -> bytes:
    picture = look.picture
    share = _LARGEST / max(picture.shape[:2])
    if share < 1:
        size = tuple(max(1, round(side * share)) for side in picture.shape[1::-1])
        picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)  # type: ignore[assignment]
    return encode_png(straight_codes(picture))


def _lamp(
    out: Gltf,
    animation: dict[str, Any],
    lights: Sequence[Light],
    seconds: FloatArray,
    left_out: list[str],
) -> None:
    light = lights[0]
    lamp = light.lamp
    if lamp.kind is LampKind.AMBIENT:
        left_out.append(f"{lamp.name}: light from everywhere has no place")
        return
    brightest = max(float(light.colour.max()), 1e-6)
    kinds = {LampKind.POINT: "point", LampKind.SPOT: "spot", LampKind.PARALLEL: "directional"}
    # At its normal distance a white sheet that faces it is seen as white. Such a sheet sends back
    # one pi-th of the light on it (Lambert's law), so the lamp has pi times as much.
    strength = math.pi * brightest * lamp.on
    told: dict[str, Any] = {
        "name": lamp.name,
        "type": kinds[lamp.kind],
        "color": [round(float(each) / brightest, 6) for each in light.colour],
        "intensity": strength * (1 if lamp.kind is LampKind.PARALLEL else lamp.normal**2),
    }
    if lamp.kind is LampKind.SPOT:
        outer = math.radians(min(lamp.cone / 2, 89.9))
        told["spot"] = {
            "innerConeAngle": outer * (1 - lamp.softness) * 0.999,
            "outerConeAngle": outer,
        }
    out.uses("KHR_lights_punctual")
    extensions = out.json.setdefault("extensions", {})
    listed = extensions.setdefault("KHR_lights_punctual", {"lights": []})["lights"]
    listed.append(told)
    node = out.node(
        {
            "name": lamp.name,
            "extensions": {"KHR_lights_punctual": {"light": len(listed) - 1}},
            "extras": {"id": lamp.id, "on": lamp.on},
        }
    )
    poses = np.array([_facing(each.place, each.way) for each in lights])
    _move(out, animation, node, poses, None, seconds)


def _facing(place: FloatArray, way: FloatArray) -> FloatArray:
    """Return the pose (4, 4) of what is at a place and shines along its -z that way."""
    back = -np.asarray(way)
    beside = np.array([0.0, 1.0, 0.0]) if abs(back[1]) < 0.99 else np.array([1.0, 0.0, 0.0])
    right = np.cross(beside, back)
    right /= np.linalg.norm(right)
    pose = np.eye(4)
    pose[:3, :3] = np.stack([right, np.cross(back, right), back], axis=1)
    pose[:3, 3] = place
    return pose
