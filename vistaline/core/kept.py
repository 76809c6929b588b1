"""What is computed once and kept, within one bound of memory for a whole process.

Each kind of thing has a :class:`Kept` of its own; all share :data:`LIMIT`, so that a server that
works for many people for days holds no more than one that has just been busy. What was not asked
for longest goes first, whatever kind it is of.
"""

from __future__ import annotations

import sys
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Hashable, Iterable
from typing import Any, Generic, TypeVar

import numpy as np
from pydantic import BaseModel

__all__ = ["LIMIT", "Kept", "forget_all", "held", "weight_of"]

LIMIT = 300_000_000
"""Bytes that all kinds together may hold in a process."""

Value = TypeVar("Value")


class _Place:
    """The name of a kind and a key of it, hashed once: keys can be whole layers."""

    __slots__ = ("hash", "key", "name")

    def __init__(self, name: str, key: Hashable) -> None:
        self.name, self.key = name, key
        self.hash = hash((name, key))

    def __hash__(self) -> int:
        return self.hash

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, _Place)
            and self.hash == other.hash
            and self.name == other.name
            and self.key == other.key
        )


_lock = threading.RLock()
_entries: OrderedDict[_Place, tuple[Any, int]] = OrderedDict()
_held: Counter[str] = Counter()


class Kept(Generic[Value]):
    """Things of one kind, each under a key that says all it was computed from."""

    def __init__(self, name: str, *, weigh: Callable[[Any], int] | None = None) -> None:
        """``weigh`` says how many bytes a thing and its key take; :func:`weight_of` else."""
        self._name, self._weigh = name, weigh or weight_of
        _held.setdefault(name, 0)

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """Return what is kept under ``key``; ``make`` gives it if nothing is.

        Two threads may both make it; what they make is the same.
        """
        place = _Place(self._name, key)
        with _lock:
            kept = _entries.pop(place, None)
            if kept is not None:
                _entries[place] = kept  # again the last to go
                found: Value = kept[0]
                return found
        made = make()
        weight = self._weigh(made) + weight_of(key)
        with _lock:
            if place not in _entries and weight <= LIMIT // 4:
                _entries[place] = (made, weight)
                _held[self._name] += weight
                _shrink()
        return made

    def has(self, key: Hashable) -> bool:
        """Return whether something is kept under ``key``."""
        with _lock:
            return _Place(self._name, key) in _entries

    def forget(self) -> None:
        """Put aside all of this kind."""
        with _lock:
            for place in [each for each in _entries if each.name == self._name]:
                _drop(place)


def held() -> dict[str, int]:
    """Return how many bytes are held of each kind."""
    with _lock:
        return dict(_held)


def forget_all() -> None:
    """Put aside everything of every kind."""
    with _lock:
        for place in list(_entries):
            _drop(place)


def _shrink() -> None:
    while sum(_held.values()) > LIMIT:
        _drop(next(iter(_entries)))


def _drop(place: _Place) -> None:
    _, weight = _entries.pop(place)
    _held[place.name] -= weight


def weight_of(thing: Any) -> int:
    """Return about how many bytes a thing takes, with all that it is made of.

    What several things share is counted with each: rather too much than too little.
    """
    if isinstance(thing, np.ndarray):
        # A view is as heavy as what it keeps alive.
        base = thing.base if isinstance(thing.base, np.ndarray) else thing
        return base.nbytes + 128
    if isinstance(thing, str | bytes | int | float | bool) or thing is None:
        return sys.getsizeof(thing)
    if isinstance(thing, dict):
        return sys.getsizeof(thing) + _sum([*thing.keys(), *thing.values()])
    if isinstance(thing, tuple | list | set | frozenset):
        return sys.getsizeof(thing) + _sum(thing)
    if isinstance(thing, BaseModel):
        return 300 + _sum(thing.__dict__.values())
    if hasattr(thing, "__dict__"):
        return 100 + _sum(vars(thing).values())
    return sys.getsizeof(thing)


def _sum(things: Iterable[Any]) -> int:
    return sum(weight_of(each) for each in things)
