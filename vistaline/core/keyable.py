"""Values that may change over time: a field that can have keys says so where it is declared.

``Keyed`` stands in the field's annotation, beside its limits::

    opacity: Annotated[Share, Keyed("Opacity", **SHARE)] = 1.0

From the annotations of a class :func:`values_of` finds all values its things may have, in parts
within parts, too; :func:`keyables_of` those that one thing has now.
"""

from __future__ import annotations

import types
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache
from typing import Annotated, Any, Union, get_args, get_origin

from vistaline.core.model import Part

__all__ = [
    "ANGLE",
    "COLOUR",
    "METRES",
    "PERCENT",
    "SHARE",
    "SIZE",
    "Keyable",
    "Keyed",
    "Kind",
    "keyables_of",
    "value_called",
]


class Kind(StrEnum):
    """How a value goes from key to key."""

    NUMBER = "number"
    RATIO = "ratio"
    """Above 0; equal steps of time change it by equal ratios, as a lens does."""
    INVERSE = "inverse"
    """Above 0; equal steps of time change 1 / value by equal steps, as a lens is focused."""
    COLOUR = "colour"
    """``#rrggbb``; it goes through the light between, not through codes."""
    TEXT = "text"
    """It stays until the next key."""


@dataclass(frozen=True)
class Keyed:
    """Mark of a field that can have keys. A tuple of numbers has one mark for each of them."""

    label: str
    name: str = ""
    """What rows call the value; left out, as the field is called. Unique within the thing."""
    item: int | tuple[int, ...] | None = None
    """Which of a tuple's numbers this mark is for; or of one of the tuples in it."""
    kind: Kind = Kind.NUMBER
    unit: str = ""
    factor: float = 1.0
    """What a person is shown, over what is kept."""
    low: float = float("-inf")
    high: float = float("inf")
    looks: bool = False
    """Whether it changes what is drawn on a layer, and not only where and how that stands."""


PERCENT: dict[str, Any] = {"unit": "%", "factor": 100.0}
SHARE: dict[str, Any] = {**PERCENT, "low": 0.0, "high": 1.0}
ANGLE: dict[str, Any] = {"unit": "°", "low": -36000.0, "high": 36000.0}
METRES: dict[str, Any] = {"unit": "m", "low": -1e6, "high": 1e6}
SIZE: dict[str, Any] = {"kind": Kind.RATIO, "low": 1e-6, "high": 1e6}
COLOUR: dict[str, Any] = {"kind": Kind.COLOUR, "looks": True}


@dataclass(frozen=True)
class _Item:
    """A step of a path into a tuple of things that have ids: the one with this id."""

    id: str


Step = str | int | _Item


@dataclass(frozen=True, kw_only=True)
class Keyable:
    """One value of a thing: what is known of it, and where in the thing it is."""

    label: str
    kind: Kind
    unit: str
    factor: float
    low: float
    high: float
    looks: bool
    path: tuple[Step, ...]

    def of(self, thing: Part) -> Any:
        """Return the value as it is; None if this thing has no such value now."""
        found: Any = thing
        for step in self.path:
            if isinstance(step, str):
                found = getattr(found, step, None)
            elif isinstance(step, int):
                found = found[step] if step < len(found) else None
            else:
                found = next((each for each in found if each.id == step.id), None)
            if found is None:
                return None
        return found

    def put(self, thing: Part, value: Any) -> Any:
        """Return a thing with another value in this place."""
        return _put(thing, self.path, value)


def _put(part: Any, path: tuple[Step, ...], value: Any) -> Any:
    if not path:
        return value
    step, rest = path[0], path[1:]
    if isinstance(step, str):
        return part.evolve(**{step: _put(getattr(part, step), rest, value)})
    if isinstance(step, int):
        if step >= len(part):
            return part  # there is no such one now
        return (*part[:step], _put(part[step], rest, value), *part[step + 1 :])
    return tuple(_put(each, rest, value) if each.id == step.id else each for each in part)


def keyables_of(thing: Part) -> dict[str, Keyable]:
    """Return the values of a thing that can have keys now, by what rows call them.

    Those of a list's items are asked of the items: they are named by the items' ids, so that
    putting the list in another order moves no key to another item.
    """
    found: dict[str, Keyable] = {}
    for name, about in _values_of(type(thing)).items():
        if isinstance(about, _OfItems):
            items = about.list_of(thing)
            found |= {about.name_for(item.id): about.at(item.id) for item in items}
        elif about.of(thing) is not None:
            found[name] = about
    return found


def value_called(kind: type[Part], name: str) -> Keyable | None:
    """Return what is known of a value of things of this class; None if they have no such one."""
    known = _values_of(kind)
    about = known.get(name)
    if about is not None:
        return about.at(_FIRST) if isinstance(about, _OfItems) else about
    base, _, item = name.rpartition("_")
    family = known.get(base)
    return family.at(item) if item and isinstance(family, _OfItems) else None


# --- from annotations -------------------------------------------------------------------------

_FIRST = "1"


@dataclass(frozen=True, kw_only=True)
class _OfItems:
    """A value that each item of a list has: ``colour`` is the first's, ``colour_2`` item 2's."""

    name: str
    about: Keyable
    list_path: tuple[Step, ...]
    item_path: tuple[Step, ...]

    def list_of(self, thing: Part) -> Any:
        return replace(self.about, path=self.list_path).of(thing) or ()

    def name_for(self, item: str) -> str:
        return self.name if item == _FIRST else f"{self.name}_{item}"

    def at(self, item: str) -> Keyable:
        label = self.about.label
        if item != _FIRST:
            label = f"Second {label.lower()}" if item == "2" else f"{label} {item}"
        path = (*self.list_path, _Item(item), *self.item_path)
        return replace(self.about, label=label, path=path)


@cache
def _values_of(kind: type[Part]) -> Mapping[str, Keyable | _OfItems]:
    """Return all values that things of a class may have: their own first, then their parts'."""
    own: dict[str, Keyable | _OfItems] = {}
    inner: dict[str, Keyable | _OfItems] = {}
    for field, info in kind.model_fields.items():
        for mark in info.metadata:
            if isinstance(mark, Keyed):
                step = () if mark.item is None else mark.item
                within = (step,) if isinstance(step, int) else step
                path: tuple[Step, ...] = (field, *within)
                own[mark.name or field] = _keyable(mark, path)
        for part, listed in _parts_in(info.annotation):
            for name, about in _values_of(part).items():
                assert not isinstance(about, _OfItems) or not listed, "a list in a list"
                if isinstance(about, _OfItems):
                    inner[name] = replace(about, list_path=(field, *about.list_path))
                elif listed:
                    inner[name] = _OfItems(
                        name=name, about=about, list_path=(field,), item_path=about.path
                    )
                else:
                    inner[name] = replace(about, path=(field, *about.path))
    return types.MappingProxyType(own | inner)


def _keyable(mark: Keyed, path: tuple[Step, ...]) -> Keyable:
    return Keyable(
        label=mark.label,
        kind=mark.kind,
        unit=mark.unit,
        factor=mark.factor,
        low=mark.low,
        high=mark.high,
        looks=mark.looks,
        path=path,
    )


def _parts_in(annotation: Any, *, listed: bool = False) -> Iterator[tuple[type[Part], bool]]:
    """Return the parts a field may hold, and whether it holds a list of them."""
    origin = get_origin(annotation)
    if isinstance(annotation, type) and issubclass(annotation, Part):
        if not listed or "id" in annotation.model_fields:
            yield annotation, listed
    elif origin in (Union, types.UnionType):
        for choice in get_args(annotation):
            yield from _parts_in(choice, listed=listed)
    elif origin is Annotated:
        yield from _parts_in(get_args(annotation)[0], listed=listed)
    elif origin is tuple:
        for item in {each for each in get_args(annotation) if each is not Ellipsis}:
            yield from _parts_in(item, listed=True)
