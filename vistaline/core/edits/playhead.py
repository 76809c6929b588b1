"""Edits at the playhead: a change to a keyed value is written into its keys.

A verb receives the shot with every keyed value replaced by its value at one frame. What the verb
changed is then compared value by value:

- where the playhead stands on a key, the edit changes that key;
- else with auto-key on it sets a new key there, and a value without keys begins to have some;
- else all keys of the value move along, so that the move stays as it is.
"""

from __future__ import annotations

import math
from typing import Any

from vistaline.core.keyable import Kind, keyables_of
from vistaline.core.model import Part
from vistaline.core.shot.grading import CHANNELS, Curves
from vistaline.core.shot.rows import Key, Row
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.keyed import things_of, with_things

__all__ = ["keep_in_keys", "with_key"]

_BY_RATIO = (Kind.RATIO, Kind.INVERSE)


def keep_in_keys(shot: Shot, now: Shot, edited: Shot, frame: int, *, auto_key: bool) -> Shot:
    """Return ``edited`` with the changes that were made at ``frame`` written into keys.

    ``shot``: before the edit, with its stored values. ``now``: ``shot`` with each keyed value
    replaced by its value at ``frame``; the verb received this. ``edited``: what the verb returned.
    ``auto_key``: whether a changed value without a key at ``frame`` gets one.
    """
    if not edited.rows and not auto_key:
        return edited
    before, kept = things_of(now), things_of(shot)
    rows = {(row.of, row.value): row for row in edited.rows}
    keyed = {row.of for row in edited.rows}
    changed: dict[str, Part] = {}
    for of, thing in things_of(edited).items():
        was = before.get(of)
        if was is None or (thing is was and of not in keyed) or _other_points(was, thing):
            continue
        found = thing
        for value, about in keyables_of(thing).items():
            old, new = about.of(was), about.of(thing)
            if old is None or new is None:
                continue
            row = rows.get((of, value))
            if not _alike(old, new):
                if row is not None:
                    rows[of, value] = _followed(row, frame, old, new, auto_key)
                elif auto_key and _one_shape(was, thing):
                    rows[of, value] = row = _begun(of, value, frame, old, new)
            if row is not None:
                # The keys hold the value; the one stored in the thing itself stays as it was.
                found = about.put(found, about.of(kept[of]))
        if found is not thing:
            changed[of] = found
    return with_things(edited, changed, rows=tuple(rows.values()))


def with_key(row: Row, key: Key) -> Row:
    """Return the row with ``key`` added; it replaces a key at the same frame."""
    others = [each for each in row.keys if each.frame != key.frame]
    return row.evolve(keys=tuple(sorted([*others, key], key=lambda each: each.frame)))


def _alike(old: Any, new: Any) -> bool:
    if isinstance(old, str):
        return bool(old == new)
    return math.isclose(old, new, rel_tol=1e-9, abs_tol=1e-12)


def _one_shape(was: Part, thing: Part) -> bool:
    """Whether a thing's numbers mean the same as before: a layer made a card is in metres."""
    names = ("stands", "ride")
    return all(getattr(was, name, None) == getattr(thing, name, None) for name in names)


def _other_points(was: Part, thing: Part) -> bool:
    """Whether a curve has more or fewer points than before, so that others have their numbers."""
    return isinstance(was, Curves) and any(
        len(getattr(was, name)) != len(getattr(thing, name)) for name in CHANNELS
    )


def _begun(of: str, value: str, frame: int, old: Any, new: Any) -> Row:
    first = (Key(frame=0, value=old),) if frame > 0 else ()
    return Row(of=of, value=value, keys=(*first, Key(frame=frame, value=new)))


def _followed(row: Row, frame: int, old: Any, new: Any, auto_key: bool) -> Row:
    there = row.key_at(frame)
    if there is not None:
        return with_key(row, there.evolve(value=new))
    if auto_key:
        return with_key(row, Key(frame=frame, value=new))
    about = row.about
    if about.kind in (Kind.COLOUR, Kind.TEXT):
        holds = max((key for key in row.keys if key.frame <= frame), default=row.keys[0], key=_at)
        return with_key(row, holds.evolve(value=new))

    def moved(value: float) -> float:
        beyond = value * new / old if about.kind in _BY_RATIO else value + new - old
        return float(min(max(beyond, about.low), about.high))

    return row.evolve(keys=tuple(key.evolve(value=moved(float(key.value))) for key in row.keys))


def _at(key: Key) -> int:
    return key.frame
