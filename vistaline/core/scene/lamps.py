"""A shot's lamps as the page draws them: what their light does, and where they are on the plan."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry.light import cone_slope
from vistaline.core.shot.lamps import Falloff, LampKind
from vistaline.core.stage.lamps import FALLOFFS, KINDS, Light
from vistaline.core.stage.sheet import PlanView, flatten

__all__ = ["describe_lights"]

_FLAT = 0.15
"""How much of the way it shines must lie in the plan's sheet for it to be drawn there."""


def describe_lights(lights: Sequence[Light], on: Sequence[Light]) -> list[dict[str, Any]]:
    """Return lamps as a shader is told them, and as both plans show them.

    Those that are not ``on``, too, and are told as such.
    """
    return [
        {
            "id": light.lamp.id,
            "name": light.lamp.name,
            "on": light in on,
            "kind": KINDS[light.lamp.kind],
            "place": np.round(light.place, 6).tolist(),
            "way": np.round(light.way, 6).tolist(),
            "colour": np.round(light.colour, 6).tolist(),
            "falloff": FALLOFFS[light.lamp.falloff],
            "normal": light.lamp.normal,
            "reach": light.lamp.reach,
            "cone": [*cone_slope(light.lamp.cone, light.lamp.softness)],
            "plan": {view.value: _on_plan(light, view) for view in PlanView},
        }
        for light in lights
    ]


def _on_plan(light: Light, view: PlanView) -> dict[str, Any] | None:
    """Return where a lamp is, how far it reaches and its cone's edges; None of what is nowhere."""
    lamp = light.lamp
    if lamp.kind is LampKind.AMBIENT:
        return None
    at = flatten(light.place[None], view)[0]
    way = flatten(light.way[None], view)[0]
    length = float(np.hypot(*way))
    long = lamp.reach if lamp.falloff is Falloff.RANGE else lamp.normal
    lines: list[FloatArray] = []
    if length > _FLAT and lamp.kind is not LampKind.POINT:
        half = math.radians(lamp.cone) / 2 if lamp.kind is LampKind.SPOT else 0.0
        edges = (-half, half) if half else (0.0,)
        lines = [at + _turned(way / length, angle) * long for angle in edges]
    reaches = lamp.falloff is Falloff.RANGE and lamp.kind is not LampKind.PARALLEL
    return {
        "at": np.round(at, 5).tolist(),
        "lines": np.round(np.array(lines), 5).tolist(),
        "reach": round(lamp.reach, 5) if reaches else None,
    }


def _turned(way: FloatArray, angle: float) -> FloatArray:
    turn = np.array(
        [[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]], np.float64
    )
    return np.asarray(turn @ way)
