"""The lamps of a shot at any time: where each is, which way it shines, how strong and in which hue.

:func:`light_at` says how much light falls on a place; renderers and the page follow it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.geometry.light import cone_slope, glowing
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.shot.lamps import Falloff, Lamp, LampKind
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.keyed import rows_of, valued
from vistaline.core.stage.tracks import moving_mounts, track_of

__all__ = ["FALLOFFS", "KINDS", "Light", "falls", "light_at", "lights_at", "told"]

KINDS = {LampKind.POINT: 0, LampKind.SPOT: 1, LampKind.PARALLEL: 2, LampKind.AMBIENT: 3}
FALLOFFS = {Falloff.NONE: 0, Falloff.SQUARE: 1, Falloff.RANGE: 2}
"""As kernels and shaders know them."""

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
    shape = np.broadcast_shapes(places.shape, normals.shape)
    flat = np.ascontiguousarray(np.broadcast_to(places, shape).reshape(-1, 3))
    sides = np.ascontiguousarray(normals.reshape(-1, 3))
    found = np.zeros((len(flat), 3))
    add_light(told(lights), flat, sides, found)
    return found.reshape(shape)


def told(lights: Sequence[Light]) -> FloatArray:
    """Return lamps (N, 15) as kernels are told them: what each is, its law, place, way, colour."""
    found = np.zeros((len(lights), 15))
    for row, light in zip(found, lights, strict=True):
        lamp = light.lamp
        row[:4] = KINDS[lamp.kind], FALLOFFS[lamp.falloff], lamp.normal, lamp.reach
        row[4:7], row[7:10], row[10:13] = light.place, light.way, light.colour
        row[13:] = cone_slope(lamp.cone, lamp.softness)
    return found


@njit(cache=True, nogil=True)
def falls(lamp, x, y, z, side):  # type: ignore[no-untyped-def]
    """Return how much of a lamp's light falls on a place, whatever its cone, and the cosine of the
    angle from its axis.

    ``lamp``: a row of :func:`told`; ``side`` (3,): the surface's normal.
    """
    kind, falloff, normal = lamp[0], lamp[1], lamp[2]
    if kind == 3:
        return 1.0, 1.0
    if kind == 2:
        return abs(side[0] * lamp[7] + side[1] * lamp[8] + side[2] * lamp[9]), 1.0
    dx, dy, dz = x - lamp[4], y - lamp[5], z - lamp[6]
    far = max(np.sqrt(dx * dx + dy * dy + dz * dz), _NEAREST * normal)
    share = abs(dx * side[0] + dy * side[1] + dz * side[2]) / far
    if falloff > 0:
        share *= (normal / far) * (normal / far)
    if falloff == 2:
        share *= max(1.0 - (far / lamp[3]) ** 4, 0.0)
    return share, (dx * lamp[7] + dy * lamp[8] + dz * lamp[9]) / far


@njit(cache=True, nogil=True)
def add_light(lamps, places, sides, found):  # type: ignore[no-untyped-def]
    """Add to ``found`` (N, 3) the light of lamps on places (N, 3) with normals (N, 3) or (1, 3)."""
    for n in range(places.shape[0]):
        side = sides[n if sides.shape[0] > 1 else 0]
        for m in range(lamps.shape[0]):
            lamp = lamps[m]
            share, cosine = falls(lamp, places[n, 0], places[n, 1], places[n, 2], side)
            if lamp[0] == 1:
                edge = min(max(cosine * lamp[13] + lamp[14], 0.0), 1.0)
                share *= edge * edge
            for c in range(3):
                found[n, c] += share * lamp[10 + c]
