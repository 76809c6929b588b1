"""The lamps of a shot at any time: where each is, which way it shines, how strong and in which hue.

:func:`light_at` says how much light falls on a place; renderers and the page follow it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.geometry.light import cone_slope, glowing, window_of
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.shot.lamps import Falloff, Lamp, LampKind
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.keyed import rows_of, valued
from vistaline.core.stage.tracks import moving_mounts, track_of

__all__ = ["Light", "light_at", "lights_at", "share_of"]

_NEAREST = 0.01
"""Of its normal distance: nearer to a lamp nothing gets brighter; the square has no end."""


@dataclass(frozen=True, eq=False)
class Light:
    """One lamp at one time."""

    lamp: Lamp
    """With the values it has then."""
    place: FloatArray
    """(3,) metres on the stage."""
    way: FloatArray
    """(3,) the way it shines, one metre long."""
    colour: FloatArray
    """(3,) linear, its brightness counted in."""


def lights_at(shot: Shot, times: FloatArray, cameras: Sequence[CameraState]) -> list[list[Light]]:
    """Return all lamps at ``times`` (N,), before the ``cameras`` that are seen then."""
    if not shot.lamps:
        return [[]] * len(times)
    moving = moving_mounts(shot, times)
    found: list[list[Light]] = [[] for _ in times]
    for lamp in shot.lamps:
        rows = rows_of(shot, f"lamp:{lamp.id}")
        now = [valued(lamp, rows, time) for time in times.tolist()] if rows else [lamp]
        poses = space.pose(
            np.array([each.position for each in now]),
            np.array([each.pan for each in now]),
            np.array([each.tilt for each in now]),
        )
        if lamp.with_camera:
            poses = np.array([camera.world_from_camera for camera in cameras]) @ poses
        poses = carry_of(lamp.ride, shot.mounts, moving).pose(poses)
        places, ways = poses[:, :3, 3], -poses[:, :3, 2]
        if lamp.aim:
            ways = _towards(
                track_of(shot, shot.layer(lamp.aim), times).poses[:, :3, 3], places, ways
            )
        for n, lights in enumerate(found):
            there = now[n % len(now)]
            colour = colour_of(there) * there.brightness
            lights.append(Light(there, places[n % len(places)], ways[n % len(ways)], colour))
    return found


def _towards(targets: FloatArray, places: FloatArray, ways: FloatArray) -> FloatArray:
    """Return the ways (N, 3) from places to targets; the lamp's own where both are one."""
    towards = targets - places
    long = np.linalg.norm(towards, axis=-1, keepdims=True)
    return np.where(long > 1e-9, towards / np.maximum(long, 1e-9), ways)


def colour_of(lamp: Lamp) -> FloatArray:
    """Return a lamp's colour (3,), linear; its brightness is not counted in."""
    if lamp.kelvin is not None:
        return glowing(lamp.kelvin)
    return np.array(hex_to_linear(lamp.colour))


def light_at(lights: Sequence[Light], places: FloatArray, normals: FloatArray) -> FloatArray:
    """Return the light (..., 3) that falls on ``places`` (..., 3) of surfaces with ``normals``.

    Both sides of a surface are lit alike. 1 shows what is there as it is. Lambert's cosine law,
    the inverse square of the distance over the lamp's normal distance, KHR_lights_punctual's range
    and cone.
    """
    total = np.zeros(np.broadcast_shapes(places.shape, normals.shape))
    for light in lights:
        total += light.colour * share_of(light, places, normals)[..., None]
    return total


def share_of(light: Light, places: FloatArray, normals: FloatArray) -> FloatArray:
    """Return how much of one lamp's light (...) falls on places, whatever its colour."""
    lamp = light.lamp
    if lamp.kind is LampKind.AMBIENT:
        return np.ones(places.shape[:-1])
    if lamp.kind is LampKind.PARALLEL:
        return np.abs(np.broadcast_to(normals, places.shape) @ light.way)
    ways = places - light.place
    distance = np.maximum(np.linalg.norm(ways, axis=-1), _NEAREST * lamp.normal)
    ways = ways / distance[..., None]
    share = np.abs((normals * ways).sum(axis=-1))
    if lamp.falloff is not Falloff.NONE:
        share = share * (lamp.normal / distance) ** 2
    if lamp.falloff is Falloff.RANGE:
        share = share * window_of(distance, lamp.reach)
    if lamp.kind is LampKind.SPOT:
        scale, offset = cone_slope(lamp.cone, lamp.softness)
        share = share * np.clip(ways @ light.way * scale + offset, 0, 1) ** 2
    return np.asarray(share)
