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

__all__ = ["FALLOFFS", "KINDS", "Light", "add_light", "falls", "light_at", "lights_at", "told"]

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
        if lamp.rides_with:
            poses = track_of(shot, shot.layer(lamp.rides_with), times).poses @ poses
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


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def falls(lamps, m, x, y, z, a, b, c):  # type: ignore[no-untyped-def]
    """Return how much of a lamp's light falls on a place, whatever its cone, and the cosine of the
    angle from its axis.

    ``lamps``: rows of :func:`told`, ``m`` which; ``a``, ``b``, ``c``: the surface's normal. (No
    rows are handed on: to count who holds a view of an array takes longer than all of this.)
    """
    if lamps[m, 0] == 3:
        return 1.0, 1.0
    if lamps[m, 0] == 2:
        return abs(a * lamps[m, 7] + b * lamps[m, 8] + c * lamps[m, 9]), 1.0
    normal = lamps[m, 2]
    dx, dy, dz = x - lamps[m, 4], y - lamps[m, 5], z - lamps[m, 6]
    far = max(np.sqrt(dx * dx + dy * dy + dz * dz), _NEAREST * normal)
    inverse = 1 / far
    share = abs(dx * a + dy * b + dz * c) * inverse
    if lamps[m, 1] > 0:
        share *= (normal * inverse) * (normal * inverse)
    if lamps[m, 1] == 2:
        square = (far / lamps[m, 3]) * (far / lamps[m, 3])
        share *= max(1.0 - square * square, 0.0)
    return share, (dx * lamps[m, 7] + dy * lamps[m, 8] + dz * lamps[m, 9]) * inverse


@njit(cache=True, nogil=True)
def add_light(lamps, places, sides, found):  # type: ignore[no-untyped-def]
    """Add to ``found`` (N, 3) the light of lamps on places (N, 3) with normals (N, 3) or (1, 3)."""
    for n in range(places.shape[0]):
        k = n if sides.shape[0] > 1 else 0
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        a, b, c = sides[k, 0], sides[k, 1], sides[k, 2]
        for m in range(lamps.shape[0]):
            share, cosine = falls(lamps, m, x, y, z, a, b, c)
            if lamps[m, 0] == 1:
                edge = min(max(cosine * lamps[m, 13] + lamps[m, 14], 0.0), 1.0)
                share *= edge * edge
            for channel in range(3):
                found[n, channel] += share * lamps[m, 10 + channel]
