"""What can have keys: the values of layers, mounts and frame styles that may change over time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from types import MappingProxyType
from typing import Any

from vistaline.core.errors import ShotError
from vistaline.core.model import Part

__all__ = ["KEYABLE", "Keyable", "Kind", "keyable", "thing_name"]


class Kind(StrEnum):
    """How a value goes from key to key."""

    NUMBER = "number"
    RATIO = "ratio"
    """Above 0; equal steps of time change it by equal ratios, as a lens does."""
    COLOUR = "colour"
    """``#rrggbb``; it goes through the light between, not through codes."""
    TEXT = "text"
    """It stays until the next key."""


@dataclass(frozen=True, kw_only=True)
class Keyable:
    """One value of a layer, a mount or a frame style."""

    label: str
    path: tuple[str | int, ...]
    """Fields, and places in tuples, from the thing to the value."""
    kind: Kind = Kind.NUMBER
    unit: str = ""
    factor: float = 1.0
    """What a person is shown, over what is kept."""
    low: float = float("-inf")
    high: float = float("inf")
    looks: bool = False
    """Whether it changes what is drawn on the layer, and not only where and how it stands."""

    def of(self, thing: Part) -> Any:
        """Return the value as it is; None if this thing has no such value now."""
        found: Any = thing
        for step in self.path:
            if found is None:
                return None
            if isinstance(step, int):
                found = found[step] if step < len(found) else None
            else:
                found = getattr(found, step)
        return found

    def put(self, thing: Part, value: Any) -> Any:
        """Return a thing with another value in this place."""
        return _put(thing, self.path, value)


def _put(part: Any, path: tuple[str | int, ...], value: Any) -> Any:
    if not path:
        return value
    step, rest = path[0], path[1:]
    if isinstance(step, int):
        return (*part[:step], _put(part[step], rest, value), *part[step + 1 :])
    return part.evolve(**{step: _put(getattr(part, step), rest, value)})


_PERCENT: dict[str, Any] = {"unit": "%", "factor": 100.0}
_SHARE: dict[str, Any] = {**_PERCENT, "low": 0.0, "high": 1.0}
_ANGLE: dict[str, Any] = {"unit": "°", "low": -36000.0, "high": 36000.0}
_METRES: dict[str, Any] = {"unit": "m", "low": -1e6, "high": 1e6}
_SIZE: dict[str, Any] = {"kind": Kind.RATIO, "low": 1e-6, "high": 1e6}
_COLOUR: dict[str, Any] = {"kind": Kind.COLOUR, "looks": True}

_TURNS = {
    "pan": Keyable(label="Turn", path=("pan",), **_ANGLE),
    "tilt": Keyable(label="Lean", path=("tilt",), **_ANGLE),
    "roll": Keyable(label="Roll", path=("roll",), **_ANGLE),
    "scale": Keyable(label="Size", path=("scale",), **_PERCENT, **_SIZE),
}
_LAYER = {
    "distance": Keyable(label="Distance", path=("distance",), unit="m", low=1e-6, high=1e6),
    "across": Keyable(label="Across", path=("across",), **_METRES),
    "up": Keyable(label="Up", path=("up",), **_METRES),
    **_TURNS,
    "pivot_across": Keyable(label="Pivot across", path=("pivot", 0), **_PERCENT),
    "pivot_up": Keyable(label="Pivot up", path=("pivot", 1), **_PERCENT),
    "opacity": Keyable(label="Opacity", path=("opacity",), **_SHARE),
    "crop_x": Keyable(label="Crop across", path=("crop", "x"), looks=True, **_SHARE),
    "crop_y": Keyable(label="Crop down", path=("crop", "y"), looks=True, **_SHARE),
    "crop_zoom": Keyable(
        label="Crop zoom", path=("crop", "zoom"), looks=True, kind=Kind.RATIO, low=1.0, high=20.0
    ),
    "text": Keyable(label="Text", path=("title", "text"), kind=Kind.TEXT, looks=True),
    "type_size": Keyable(label="Type size", path=("title", "size"), unit="m", looks=True, **_SIZE),
    "spacing": Keyable(
        label="Spacing",
        path=("title", "spacing"),
        looks=True,
        **_PERCENT,
        low=-0.2,
        high=2.0,
    ),
    "line_spacing": Keyable(
        label="Lines apart",
        path=("title", "line_spacing"),
        looks=True,
        **_PERCENT,
        low=0.5,
        high=4.0,
    ),
    "fill": Keyable(label="Fill", path=("title", "fill"), **_COLOUR),
    "outline": Keyable(label="Outline", path=("title", "outline"), **_COLOUR),
    "outline_width": Keyable(
        label="Line",
        path=("title", "outline_width"),
        looks=True,
        **_PERCENT,
        kind=Kind.RATIO,
        low=1e-4,
        high=0.3,
    ),
    "colour": Keyable(label="Colour", path=("field", "stops", 0, "colour"), **_COLOUR),
    "colour_2": Keyable(label="Second colour", path=("field", "stops", 1, "colour"), **_COLOUR),
    "gradient": Keyable(label="Gradient", path=("field", "angle"), looks=True, **_ANGLE),
    "dark": Keyable(label="Colour", path=("occluder", "colour"), **_COLOUR),
    "softness": Keyable(label="Softness", path=("occluder", "softness"), looks=True, **_SHARE),
    "open_across": Keyable(
        label="Open across", path=("occluder", "opening", 0), looks=True, **_SHARE
    ),
    "open_up": Keyable(label="Open up", path=("occluder", "opening", 1), looks=True, **_SHARE),
}
_MOUNT = {
    "x": Keyable(label="Across", path=("position", 0), **_METRES),
    "y": Keyable(label="Up", path=("position", 1), **_METRES),
    "z": Keyable(label="Forward", path=("position", 2), **_METRES | {"factor": -1.0}),
    **_TURNS,
}
_STYLE = {
    "border": Keyable(label="Border", path=("border",), looks=True, **_SHARE),
    "colour": Keyable(label="Colour", path=("colour",), **_COLOUR),
    "mat": Keyable(label="Mat", path=("mat",), looks=True, **_SHARE),
    "mat_colour": Keyable(label="Mat colour", path=("mat_colour",), **_COLOUR),
    "paper": Keyable(label="Paper", path=("paper",), looks=True, **_SHARE),
    "corner": Keyable(label="Corners", path=("corner",), looks=True, **_PERCENT, low=0.0, high=0.5),
    "shadow_angle": Keyable(label="Shadow falls", path=("shadow", "angle"), **_ANGLE),
    "shadow_distance": Keyable(
        label="Shadow aside", path=("shadow", "distance"), low=0.0, high=5.0
    ),
    "shadow_softness": Keyable(
        label="Shadow softness", path=("shadow", "softness"), low=0.0, high=5.0
    ),
    "shadow_strength": Keyable(label="Shadow", path=("shadow", "strength"), **_SHARE),
}
KEYABLE: Mapping[str, Mapping[str, Keyable]] = MappingProxyType(
    {"layer": _LAYER, "mount": _MOUNT, "style": _STYLE}
)
"""By what kind of thing it is, and by name."""


def keyable(of: str, value: str) -> Keyable:
    """Return what is known of a value; ``of`` is ``layer:``, ``mount:`` or ``style:`` and a name.

    Raises
    ------
    ShotError
        No such thing has keys, or not this value of it.
    """
    kind = of.partition(":")[0]
    if kind not in KEYABLE:
        raise ShotError(
            f"{of!r} cannot have keys; a layer, a mount or a frame style can, as in 'layer:tower'."
        )
    if value not in KEYABLE[kind]:
        raise ShotError(
            f"A {kind} has no value {value!r} that can have keys; there are "
            f"{', '.join(sorted(KEYABLE[kind]))}."
        )
    return KEYABLE[kind][value]


def thing_name(of: str) -> str:
    """Return the id or name of the thing that ``of`` says.

    >>> thing_name("layer:tower")
    'tower'
    """
    return of.partition(":")[2]
