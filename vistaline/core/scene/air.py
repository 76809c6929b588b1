"""What is in a shot's light and air as the page draws it: live as far as it can, and marked.

Fog and exposure are told for a shader, glow and rays for passes over the frame; particles come as
they are asked for, a frame at a time.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.shot.air import Particles
from vistaline.core.shot.beams import Glow, Rays, Shaft
from vistaline.core.shot.dressing import row_name
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.dressing import InAir, stands
from vistaline.core.stage.evaluate import FrameState, evaluate
from vistaline.core.stage.particles import flock_at
from vistaline.core.stage.sheet import PlanView, flatten
from vistaline.core.stage.sprites import sprites_of

__all__ = ["describe_air", "motes_live"]

LIVE_MOTES = 3000
"""Particles that the page draws at once, of all there are."""


def describe_air(state: FrameState) -> dict[str, Any]:
    """Return what the page draws of a frame's light and air, besides lamps."""
    haze, camera = state.haze, state.camera
    width, height = camera.frame_size
    rays = [each for each in state.air if isinstance(each.thing, Rays)]
    return {
        "gain": round(state.gain, 5),
        "home": [round(value, 5) for value in camera.position],
        "fogs": np.round(haze.fogs[:, [0, 1, 2, 3, 4, 5, 11]], 6).tolist(),
        "glow": [
            {
                "limits": [each.thing.threshold, max(each.thing.knee, 1e-3)],
                "size": each.thing.size * height / width,
                "colour": np.round(each.colour * each.thing.brightness, 5).tolist(),
            }
            for each in state.air
            if isinstance(each.thing, Glow) and not each.thing.layers
        ],
        "rays": [ray for each in rays if (ray := _ray(each, state))],
        "motes": any(isinstance(each.thing, Particles) for each in state.air),
        "marks": [_mark(each, state) for each in state.dressing if stands(each.thing)],
    }


def _ray(each: InAir, state: FrameState) -> dict[str, Any] | None:
    assert isinstance(each.thing, Rays)
    camera = state.camera
    there = camera.camera_from_world @ [*each.pose[:3, 3], 1.0]
    if there[2] > -1e-6:
        return None
    x, y, w = camera.image_from_camera @ there[:3]
    width, height = camera.frame_size
    return {
        "at": [round(x / w / width, 5), round(1 - y / w / height, 5)],
        "limits": [each.thing.threshold, max(each.thing.knee, 1e-3)],
        "length": each.thing.length,
        "colour": np.round(each.colour * each.thing.brightness, 5).tolist(),
        "own": each.thing.own_colour,
    }


def _mark(each: InAir, state: FrameState) -> dict[str, Any]:
    """Return where a thing stands, and its outline on the stage: lines of places (N, 3)."""
    thing = each.thing
    place = each.pose[:3, 3]
    lines = [np.round(line, 4).tolist() for line in _outline(each)]
    return {
        "id": row_name(thing),
        "name": thing.name,
        "on": each in state.air,
        "place": np.round(place, 5).tolist(),
        "lines": lines,
        "plan": {
            view.value: {
                "at": np.round(flatten(place[None], view)[0], 5).tolist(),
                "lines": [np.round(flatten(np.array(line), view), 4).tolist() for line in lines],
            }
            for view in PlanView
        },
    }


def _outline(each: InAir) -> list[FloatArray]:
    thing, pose = each.thing, each.pose
    if isinstance(thing, Particles):
        return _box(pose, np.array(thing.size) / 2)
    if not isinstance(thing, Shaft):
        return []
    slope = math.tan(math.radians(each.spread / 2))
    near = np.array([thing.width, thing.height]) / 2
    ends = [
        _opening(thing, near, 0.0),
        _opening(thing, near + slope * thing.length, -thing.length),
    ]
    corners = [end @ pose[:3, :3].T + pose[:3, 3] for end in ends]
    return [
        *corners,
        *(np.stack([a, b]) for a, b in zip(*(end[:-1] for end in corners), strict=True)),
    ]


def _opening(shaft: Shaft, half: FloatArray, z: float) -> FloatArray:
    if not shaft.outline or shaft.lamp:
        return _rectangle(half, z)
    closed = np.array([*shaft.outline, shaft.outline[0]]) * 2 * half
    return np.column_stack([closed, np.full(len(closed), z)])


def _rectangle(half: FloatArray, z: float) -> FloatArray:
    x, y = half.tolist()
    return np.array([[-x, -y, z], [x, -y, z], [x, y, z], [-x, y, z], [-x, -y, z]])


def _box(pose: FloatArray, half: FloatArray) -> list[FloatArray]:
    ends = [_rectangle(half[:2], side * float(half[2])) for side in (-1, 1)]
    there = [end @ pose[:3, :3].T + pose[:3, 3] for end in ends]
    return [*there, *(np.stack([a, b]) for a, b in zip(*(end[:4] for end in there), strict=True))]


def motes_live(shot: Shot, frame: int) -> bytes:
    """Return the particles of a frame, as the page draws them: little-endian float32.

    For each ten numbers, far to near: behind how many of the frame's order, counted from the far
    end, it lies before; its place in the frame in shares, from the bottom left; its radius, over
    the frame's width; how soft its edge is; its colour and opacity; 1 if it adds. At most
    :data:`LIVE_MOTES`, evenly of all, the others' light counted in.
    """
    state = evaluate(shot, [frame])[0]
    width, height = state.camera.frame_size
    parts = []
    for each in state.air:
        if not isinstance(each.thing, Particles):
            continue
        kept = shot.dress(row_name(each.thing))
        assert isinstance(kept, Particles)
        flock = flock_at(shot, kept, float(frame))
        sprites = sprites_of(flock, state, 0.0, blurs=True)
        found = np.empty((len(sprites.near), 10), np.float32)
        middles = (sprites.drawn[:, 0:2] + sprites.drawn[:, 2:4]) / 2
        found[:, 0] = _lies_before(state, middles, sprites.near)
        found[:, 1], found[:, 2] = middles[:, 0] / width, 1 - middles[:, 1] / height
        found[:, 3] = sprites.drawn[:, 4] / width
        found[:, 4] = sprites.drawn[:, 5]
        found[:, 5:8] = sprites.drawn[:, 6:9] / 65535
        found[:, 8], found[:, 9] = sprites.drawn[:, 9], sprites.drawn[:, 10]
        parts.append((sprites.near, found))
    if not parts:
        return b""
    near = np.concatenate([each for each, _ in parts])
    found = np.concatenate([each for _, each in parts])[np.argsort(near, kind="stable")]
    if len(found) > LIVE_MOTES:
        every = len(found) / LIVE_MOTES
        found = found[(np.arange(LIVE_MOTES) * every).astype(int)]
        found[:, 8] = np.minimum(found[:, 8] * every, 1)
    return found.astype("<f4").tobytes()


def _lies_before(state: FrameState, at: np.ndarray, near: FloatArray) -> np.ndarray:
    """Return for points (N, 2) of 1/z ``near`` (N,) how many of the order they lie before."""
    found = np.zeros(len(near))
    for n, index in enumerate(state.order):
        card = state.cards[index]
        if card.layer.is_backdrop:
            found[:] = np.maximum(found, n + 1)
            continue
        a, b, c = card.nearness(state.camera)
        behind = a * at[:, 0] + b * at[:, 1] + c < near
        found[behind] = np.maximum(found[behind], n + 1)
    return found
