"""What is in a shot's light and air at any time: with its values then, and where it stands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeGuard

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.geometry import space
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.shot.beams import Flare, Rays, Shaft
from vistaline.core.shot.dressing import Dressing, OnStage, row_name
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.lamps import LampKind
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.keyed import rows_of, valued
from vistaline.core.stage.lamps import Light
from vistaline.core.stage.tracks import moving_mounts

__all__ = ["InAir", "dressing_at", "stands"]

_NARROWEST = 0.02
"""Metres that a lamp's cone is wide at the lamp."""


@dataclass(frozen=True, eq=False)
class InAir:
    """One thing in the light and air, at one time."""

    thing: Dressing
    """With the values it has then."""
    pose: Matrix4
    """Where it stands; light goes along its -z. Of what is everywhere, it means nothing."""
    colour: FloatArray
    """(3,) linear."""
    round: bool = False
    """Of a shaft: whether it is a lamp's cone."""
    spread: float = 0.0
    """Of a shaft: degrees it widens by, from edge to edge."""
    opening: float = 0.0
    """Of a lamp's cone: metres across where it begins."""


def stands(thing: Dressing) -> TypeGuard[OnStage]:
    """Return whether a thing has a place of its own on the stage."""
    return isinstance(thing, OnStage) and not getattr(thing, "lamp", "")


def dressing_at(
    shot: Shot, times: FloatArray, lights: Sequence[Sequence[Light]]
) -> list[list[InAir]]:
    """Return what is in the light and air at ``times`` (N,), when the lamps are ``lights``; what is
    off, too."""
    if not shot.dressing:
        return [[]] * len(times)
    moving = moving_mounts(shot, times)
    found: list[list[InAir]] = [[] for _ in times]
    for thing in shot.dressing:
        rows = rows_of(shot, row_name(thing))
        now = [valued(thing, rows, time) for time in times.tolist()] if rows else [thing]
        poses = np.array([_own_pose(each) for each in now])
        ride = getattr(thing, "ride", None)
        if ride:
            poses = carry_of(ride, shot.mounts, moving).pose(poses)
        for n, there in enumerate(found):
            each, pose = now[n % len(now)], poses[n % len(poses)]
            made = _in_air(each, pose, {light.lamp.id: light for light in lights[n]})
            if made:
                there.append(made)
    return found


def _own_pose(thing: Dressing) -> Matrix4:
    position = getattr(thing, "position", (0.0, 0.0, 0.0))
    angles = (getattr(thing, name, 0.0) for name in ("pan", "tilt", "roll"))
    return space.pose(position, *angles)


def _in_air(thing: Dressing, pose: Matrix4, lights: Mapping[str, Light]) -> InAir | None:
    if isinstance(thing, Effect):
        return InAir(thing, pose, np.ones(3))
    colour = np.array(hex_to_linear(getattr(thing, "colour", "#ffffff")))
    if isinstance(thing, Flare | Shaft) and thing.lamp:
        light = lights[thing.lamp]
        if not light.lamp.on:
            return None
        there = _looking(light.way, light.place)
        if isinstance(thing, Flare):
            return InAir(thing, there, colour * light.colour)
        cone = light.lamp.cone if light.lamp.kind is LampKind.SPOT else 170.0
        opening = max(light.lamp.size, _NARROWEST)
        return InAir(thing, there, colour * light.colour, True, cone, opening)
    if isinstance(thing, Shaft):
        return InAir(thing, pose, colour, spread=thing.spread)
    if isinstance(thing, Rays) and not thing.own_colour:
        colour = np.ones(3)
    return InAir(thing, pose, colour)


def _looking(way: FloatArray, place: FloatArray) -> Matrix4:
    """Return a pose at ``place`` whose -z is ``way``."""
    back = -way / max(float(np.linalg.norm(way)), 1e-12)
    up = np.array([0.0, 1.0, 0.0]) if abs(back[1]) < 0.999 else np.array([0.0, 0.0, 1.0])
    right = np.cross(up, back)
    right /= np.linalg.norm(right)
    return space.posed(np.stack([right, np.cross(back, right), back], axis=-1), place)
