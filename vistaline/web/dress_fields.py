"""Which values of a thing in the light and air its panel has, in which order."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from types import MappingProxyType
from typing import Any

from vistaline.core.edits.effect_starts import EFFECT_STARTS
from vistaline.core.edits.starts import STARTS
from vistaline.core.keyable import Kind, value_called
from vistaline.core.shot.air import Emits, Particles, Shape
from vistaline.core.shot.dressing import Dressing
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.lamps import LampKind
from vistaline.core.shot.shot import Shot
from vistaline.web.effect_fields import (
    EFFECT_CHOICES,
    EFFECT_GROUPS,
    EFFECT_WORDS,
    left_out_of,
)

__all__ = ["Field", "Group", "fields_of", "groups_of", "sliders_of"]

_PLACE = ("x", "y", "z")
_AIR = ("uneven", "grain", "drift_x", "drift_y", "drift_z", "seed")
_GROUPS: Mapping[str, Sequence[tuple[str, Sequence[str]]]] = MappingProxyType(
    {
        "fog": (
            ("", ("colour", "visibility", "base", "thins", "sky")),
            ("Unevenness", _AIR),
        ),
        "veils": (
            ("", ("colour", "opacity", "count", "nearest", "farthest", "base", "height")),
            ("Unevenness", _AIR[1:]),
        ),
        "particles": (
            ("", ("rate", "life", "radius", "colour", "colour_end", "opacity", "adds", "lit")),
            ("Where from", ("emits", "layer", *_PLACE, "width", "height", "depth")),
            ("How they go", ("speed", "pan", "tilt", "spread", "gravity", "drag")),
            ("The air", ("drift_x", "drift_y", "drift_z", "turbulence", "whirls")),
            ("Look", ("shape", "picture", "stretch", "spin", "grows", "fades_in", "fades_out")),
            ("Differences", ("life_spread", "radius_spread", "speed_spread", "seed")),
        ),
        "shaft": (
            ("", ("lamp", "brightness", "colour", "length", "softness", "cut")),
            ("Opening", (*_PLACE, "pan", "tilt", "roll", "width", "height", "spread")),
            ("Dust", ("dust", *_AIR[1:])),
        ),
        "rays": (
            ("", ("threshold", "knee", "length", "brightness", "own_colour", "colour")),
            ("Source", _PLACE),
        ),
        "glow": (("", ("threshold", "knee", "size", "brightness", "colour")),),
        "flare": (
            ("", ("lamp", "brightness", "colour", "streak", "ring", "angle")),
            ("Place", _PLACE),
        ),
        **EFFECT_GROUPS,
    }
)
_WORDS = MappingProxyType(
    {
        **EFFECT_WORDS,
        "sky": ("Sky, too", "Whether the background and backdrops lie in it"),
        "adds": ("Shine", "They add light; else they cover what is behind"),
        "lit": ("Lit by lamps", "They have the brightness and colour of the light there"),
        "cut": ("Cut off by what stands in it", "Behind what stands in the shaft it is dark"),
        "own_colour": ("One colour", "Else each ray has the colour of what gives it"),
        "count": ("Sheets", "How many there are, one behind the other"),
        "seed": ("Seed", "Another number gives another pattern"),
        "emits": ("From", "Where they come about"),
        "layer": ("Layer", "The layer they come from, wherever it goes"),
        "shape": ("Shape", "What one looks like"),
        "picture": ("Picture", "A picture of the shot, for the shape picture"),
        "lamp": ("In the light of", "It goes where that lamp goes and shines as it shines"),
    }
)
_CHOICES: Mapping[type[StrEnum], Mapping[str, str]] = MappingProxyType(
    {
        Emits: {"box": "a box", "flat": "a level area", "line": "a line", "layer": "a layer"},
        Shape: {"disc": "soft disc", "star": "star", "streak": "streak", "picture": "picture"},
        **EFFECT_CHOICES,
    }
)
_STEPS = {"m": "0.1", "m/s": "0.05", "%": "5", "\u00b0": "1", "mm": "0.5", "s": "0.5"}


@dataclass(frozen=True, kw_only=True)
class Field:
    """One value as a field of the panel."""

    name: str
    kind: str
    """``number``, ``colour``, ``flag`` or ``choice``."""
    label: str
    hint: str
    value: Any
    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: str = "1"
    choices: Sequence[tuple[str, str]] = ()
    empty: str = ""
    reach: float = 0.0
    """Of a slider: where it ends."""
    keyed: bool = True


Group = tuple[str, Sequence[Field]]
"""A heading, and the fields under it."""


def groups_of(shot: Shot, thing: Dressing) -> list[Group]:
    """Return all fields of a thing that mean something as it is now, but its sliders."""
    left_out = _left_out(thing)
    found: list[Group] = []
    left_out |= {each.name for each in sliders_of(shot, thing)}
    for heading, names in _GROUPS[thing.kind]:
        fields = [_field(shot, thing, name) for name in names if name not in left_out]
        if fields:
            found.append((heading, fields))
    return found


def fields_of(shot: Shot, thing: Dressing, names: Sequence[str]) -> list[Field]:
    """Return the fields of some values of a thing, by what rows call them."""
    return [_field(shot, thing, name) for name in names]


def sliders_of(shot: Shot, thing: Dressing) -> list[Field]:
    """Return the two or three fields that are turned most, each with how far its slider goes."""
    start, names = _start_of(thing)
    left_out = _left_out(thing)
    names = [name for name in names if name not in left_out]
    found = [(_field(shot, thing, name), _field(shot, start, name)) for name in names]
    return [replace(each, reach=_reach(each, usual.value)) for each, usual in found]


def _start_of(thing: Dressing) -> tuple[Any, Sequence[str]]:
    """Return the starting point that a thing is like, and which of its values are turned most."""
    if isinstance(thing, Effect):
        effects = [each for each in EFFECT_STARTS.values() if type(each.effect) is type(thing)]
        if not effects:
            return thing, ("amount",)
        return effects[0].effect, ("amount", *(x for x in effects[0].sliders if x != "amount"))
    starts = [each for each in STARTS.values() if each.thing.kind == thing.kind]
    start = next((each for each in starts if _looks_like(thing, each.thing)), starts[0])
    return start.thing, start.sliders


def _looks_like(thing: Dressing, other: Dressing) -> bool:
    """Return whether a starting point is of the same sort: fog that hugs the ground, or not."""
    thins = [getattr(each, "thins", 0) > 0 for each in (thing, other)]
    return thins[0] == thins[1]


def _reach(field: Field, usual: float) -> float:
    """Return where a slider ends: at a limit near by, else at a power of two well above.

    Above what is ``usual``, too: a value that was turned down to nothing can be turned up again.
    """
    ample = 2.0 ** math.ceil(math.log2(max(field.value, usual, 1e-4) * 2))
    return min(ample, field.high) if field.high is not None else ample


def _left_out(thing: Dressing) -> set[str]:
    if isinstance(thing, Effect):
        return left_out_of(thing)
    found: set[str] = set()
    if getattr(thing, "lamp", ""):
        found |= {*_PLACE, "pan", "tilt", "roll", "width", "height", "spread"}
    if isinstance(thing, Particles):
        if thing.emits is Emits.LAYER:
            found |= set(_PLACE)
        else:
            found.add("layer")
        if thing.emits is Emits.LINE:
            found |= {"height", "depth"}
        if thing.emits is Emits.FLAT:
            found.add("height")
        if thing.shape is not Shape.STREAK:
            found.add("stretch")
        if thing.shape is not Shape.PICTURE:
            found.add("picture")
        if thing.shape not in (Shape.PICTURE, Shape.STAR):
            found.add("spin")
    if getattr(thing, "own_colour", True) is False:
        found.add("colour")
    if getattr(thing, "uneven", 1) == 0:
        found |= {"grain", "drift_x", "drift_y", "drift_z", "seed"}
    return found


def _field(shot: Shot, thing: Dressing, name: str) -> Field:
    about = value_called(type(thing), name)
    info = type(thing).model_fields.get(name)
    label, hint = _WORDS.get(name, (about.label if about else name, ""))
    hint = hint or (info.description if info else "") or ""
    if about and about.kind is Kind.COLOUR:
        return Field(name=name, kind="colour", label=label, hint=hint, value=about.of(thing))
    if about:
        low, high = sorted((about.low * about.factor, about.high * about.factor))
        return Field(
            name=name,
            kind="number",
            label=label,
            hint=hint,
            value=about.of(thing) * about.factor,
            unit=about.unit,
            low=low,
            high=high,
            step=_STEPS.get(about.unit, "1"),
        )
    value = getattr(thing, name)
    if isinstance(value, bool):
        return Field(name=name, kind="flag", label=label, hint=hint, value=value, keyed=False)
    if isinstance(value, int):
        low, high = {"seed": (0.0, 1e6), "steps": (2.0, 32.0)}.get(name, (1.0, 6.0))
        return Field(
            name=name, kind="number", label=label, hint=hint, value=value, low=low, high=high,
            keyed=False,
        )  # fmt: skip
    return Field(
        name=name,
        kind="choice",
        label=label,
        hint=hint,
        value=value or "-",
        choices=_choices(shot, name, value),
        keyed=False,
    )


def _choices(shot: Shot, name: str, value: Any) -> list[tuple[str, str]]:
    if isinstance(value, StrEnum):
        return list(_CHOICES[type(value)].items())
    if name == "lamp":
        shining = [each for each in shot.lamps if each.kind is not LampKind.AMBIENT]
        return [("-", "no lamp"), *((each.id, each.name) for each in shining)]
    if name == "picture":
        return [("-", "none"), *((key, key) for key in shot.pictures)]
    if name == "fixed":
        return [("-", "the frame"), *((each.id, each.name) for each in reversed(shot.layers))]
    standing = [each for each in shot.layers if each.stands_lit]
    return [("-", "none"), *((each.id, each.name) for each in standing)]
