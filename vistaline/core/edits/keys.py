"""The edits a person can make to keys: shot -> new shot. Keys are named by row and frame."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable
from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from vistaline.core.easing import EaseName, parse_ease
from vistaline.core.edits.playhead import with_key
from vistaline.core.edits.registry import REGISTRY, Frames, When, frames_of
from vistaline.core.edits.route import ease_asked
from vistaline.core.errors import EditError
from vistaline.core.keyable import Kind
from vistaline.core.model import Part
from vistaline.core.shot.retiming import turned_round
from vistaline.core.shot.rows import Key, Row, values_at
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.things import keyable
from vistaline.core.stage.keyed import called, row_of, things_of
from vistaline.core.verbs import FROM_JSON

__all__ = ["keys_now"]

verb = REGISTRY.verb


class Picked(Part):
    """One key, by where it is."""

    of: str
    value: str
    frame: int


Keys = Annotated[list[Picked], FROM_JSON, Field(min_length=1)]
_KEYS: TypeAdapter[list[Picked]] = TypeAdapter(Keys)
Clip = Annotated[list[Row], FROM_JSON, Field(min_length=1, max_length=200)]


# --- which keys there are ---------------------------------------------------------------------


@verb("set key")
def set_key(shot: Shot, *, of: str, value: str, frame: Frames) -> Shot:
    """Give a value a key at ``frame``: what it is there."""
    about, things = keyable(of, value), things_of(shot)
    if of not in things:
        raise EditError(f"{of!r} is not in this shot any more. Choose another.")
    _unlocked(shot, of)
    kept = about.of(things[of])
    if kept is None:
        raise EditError(
            f"{called(shot, of)} has no {about.label.lower()} now that could have keys."
        )
    row = row_of(shot, of, value)
    if row is None:
        return shot.evolve(
            rows=(*shot.rows, Row(of=of, value=value, keys=(Key(frame=frame, value=kept),)))
        )
    there = values_at(row, [frame])[0]
    return _with_rows(shot, [with_key(row, Key(frame=frame, value=there))])


@verb("remove keys")
def remove_keys(shot: Shot, *, keys: Keys) -> Shot:
    """Remove keys; a value that loses its last stays as it is at the playhead."""
    found = _picked(shot, keys)
    left = [
        row.evolve(keys=tuple(k for k in row.keys if k.frame not in frames))
        if len(frames) < len(row.keys)
        else None
        for row, frames in found
    ]
    gone = {(row.of, row.value) for (row, _), rest in zip(found, left, strict=True) if rest is None}
    shot = _with_rows(shot, [row for row in left if row])
    return shot.evolve(rows=tuple(row for row in shot.rows if (row.of, row.value) not in gone))


@verb("remove all keys")
def remove_row(shot: Shot, *, of: str, value: str) -> Shot:
    """Remove a value's keys; it stays as it is at the playhead."""
    row = _row(shot, of, value)
    return shot.evolve(rows=tuple(each for each in shot.rows if each is not row))


# --- when and what they are -------------------------------------------------------------------


@verb("move keys")
def move_keys(shot: Shot, *, keys: Keys, frames: int = 0, to: When | None = None) -> Shot:
    """Move keys by ``frames``, or so that the first of them is at ``to``."""
    if to is not None:
        frames = frames_of(shot, to) - min(key.frame for key in keys)
    return _retimed(shot, keys, lambda frame: frame + frames)


@verb("stretch keys")
def stretch_keys(
    shot: Shot,
    *,
    keys: Keys,
    about: Frames | None = None,
    percent: Annotated[float, Field(gt=0, le=10_000)] | None = None,
    grip: Frames | None = None,
    by: int = 0,
) -> Shot:
    """Stretch keys in time: by ``percent`` about a frame, or as a drag of one of them does.

    ``grip`` is the frame of the key that is dragged and ``by`` how many frames; of the first and
    the last key the one that is not dragged stays. Frames are rounded, halves go up.
    """
    first, last = (choose(key.frame for key in keys) for choose in (min, max))
    if grip is not None:
        about = last if grip == first else first
        if grip == about:
            raise EditError("All these keys are at one frame; there is nothing to stretch.")
        ratio = (grip + by - about) / (grip - about)
    else:
        ratio = (percent or 100) / 100
    if ratio <= 0:
        raise EditError("Keys cannot be stretched past each other. Reverse them instead.")
    fixed = first if about is None else about
    return _retimed(shot, keys, lambda frame: math.floor(fixed + (frame - fixed) * ratio + 0.5))


@verb("reverse keys")
def reverse_keys(shot: Shot, *, keys: Keys) -> Shot:
    """Turn keys round in time: the last is where the first was."""
    turned: dict[Picked, EaseName] = {}
    for row, frames in _picked(shot, keys):
        chosen = [key for key in row.keys if key.frame in frames]
        for key, after in itertools.pairwise(chosen):
            # A travel's ease belongs to the key it arrives at: now the one it came from.
            picked = Picked(of=row.of, value=row.value, frame=key.frame)
            turned[picked] = turned_round(after.ease)
    for picked, ease in turned.items():
        row = _row(shot, picked.of, picked.value)
        shot = _with_rows(shot, [_changed(row, {picked.frame}, ease=ease)])
    first, last = (choose(key.frame for key in keys) for choose in (min, max))
    return _retimed(shot, keys, lambda frame: first + last - frame)


@verb("value of keys")
def value_keys(shot: Shot, *, keys: Keys, to: str) -> Shot:
    """Set what keys hold, in the unit that is shown: a number, a colour or a text."""
    rows = []
    for row, frames in _picked(shot, keys):
        about = row.about
        value: float | str = to
        if about.kind not in (Kind.COLOUR, Kind.TEXT):
            try:
                value = float(to) / about.factor
            except ValueError:
                raise EditError(f"{about.label} is a number, not {to!r}. Type one.") from None
        rows.append(_changed(row, frames, value=value))
    return _with_rows(shot, rows)


@verb("ease of keys")
def ease_keys(
    shot: Shot,
    *,
    keys: Keys,
    ease: str,
    x1: float | None = None,
    y1: float | None = None,
    x2: float | None = None,
    y2: float | None = None,
) -> Shot:
    """Set the ease of the travels that arrive at keys: a name, or ``own`` and four handles."""
    asked = ease_asked(shot, ease, (x1, y1, x2, y2))
    parse_ease(asked)
    return _with_rows(
        shot, [_changed(row, frames, ease=asked) for row, frames in _picked(shot, keys)]
    )


@verb("paste keys")
def paste_keys(shot: Shot, *, clip: Clip, frame: Frames, onto: str = "", value: str = "") -> Shot:
    """Set copied keys from ``frame`` on: where they came from, or on another thing or value.

    ``clip``: rows; the first of their keys comes to ``frame``. ``onto`` names the thing; with
    ``value`` one row's keys become those of that value.
    """
    start = min(key.frame for row in clip for key in row.keys)
    if value and len(clip) > 1:
        raise EditError("Only one row's keys can become those of another value. Copy one row.")
    rows = {(row.of, row.value): row for row in shot.rows}
    end = shot.frame.duration - 1
    for row in clip:
        of, name = onto or row.of, value or row.value
        target = _target(shot, of, name, row)
        last = row.keys[-1].frame - start + frame
        if last > end:
            raise EditError(
                f"The last of these keys would be at frame {last}, but the shot ends with frame "
                f"{end}. Move the playhead back, or make the shot longer."
            )
        moved = [key.evolve(frame=key.frame - start + frame) for key in row.keys]
        taken = {key.frame for key in moved}
        found = rows.get((of, name), target.evolve(keys=tuple(moved)))
        kept = [key for key in found.keys if key.frame not in taken]
        keys = tuple(sorted([*kept, *moved], key=lambda key: key.frame))
        rows[of, name] = found.evolve(keys=keys)
    return shot.evolve(rows=tuple(rows.values()))


def keys_now(before: Shot, after: Shot, keys: Any) -> list[dict[str, Any]]:
    """Return where keys are after an edit of their times: each ``of``, ``value``, ``frame``.

    ``keys``: as the edit was given them, in JSON or as a list. Those that are not there are left
    out.
    """
    picked: list[Picked] = _KEYS.validate_python(keys)
    found = []
    for of, value in dict.fromkeys((key.of, key.value) for key in picked):
        was, now = row_of(before, of, value), row_of(after, of, value)
        if was is None or now is None:
            continue
        chosen = {key.frame for key in picked if (key.of, key.value) == (of, value)}
        rest = {key.frame for key in was.keys} - chosen
        moved = (key.frame for key in now.keys if key.frame not in rest)
        found += [{"of": of, "value": value, "frame": frame} for frame in moved]
    return found


# --- what they all need -----------------------------------------------------------------------


def _target(shot: Shot, of: str, value: str, row: Row) -> Row:
    """Return the row that keys of ``row`` become one of, if it can take them."""
    things = things_of(shot)
    if of not in things:
        raise EditError(f"{of!r} is not in this shot. Choose what the keys are to be pasted on.")
    _unlocked(shot, of)
    about = keyable(of, value)
    if about.of(things[of]) is None:
        raise EditError(
            f"{called(shot, of)} has no {about.label.lower()}; choose something that has."
        )
    return row.evolve(of=of, value=value)


def _unlocked(shot: Shot, of: str) -> None:
    kind, _, name = of.partition(":")
    if kind == "layer" and shot.layer(name).locked:
        raise EditError(f"{shot.layer(name).name} is locked. Unlock it to change its keys.")


def _row(shot: Shot, of: str, value: str) -> Row:
    row = row_of(shot, of, value)
    if row is None:
        raise EditError("These keys are not there any more. Reload the page.")
    _unlocked(shot, of)
    return row


def _picked(shot: Shot, keys: Iterable[Picked]) -> list[tuple[Row, set[int]]]:
    """Return rows with the frames of those of their keys that are meant."""
    frames: dict[tuple[str, str], set[int]] = {}
    for key in keys:
        frames.setdefault((key.of, key.value), set()).add(key.frame)
    found = [(_row(shot, *name), wanted) for name, wanted in frames.items()]
    for row, wanted in found:
        if not wanted <= {key.frame for key in row.keys}:
            raise EditError("These keys are not there any more. Reload the page.")
    return found


def _changed(row: Row, frames: set[int], **changes: object) -> Row:
    keys = (key.evolve(**changes) if key.frame in frames else key for key in row.keys)
    return row.evolve(keys=tuple(keys))


def _with_rows(shot: Shot, rows: Iterable[Row]) -> Shot:
    new = {(row.of, row.value): row for row in rows}
    return shot.evolve(rows=tuple(new.get((row.of, row.value), row) for row in shot.rows))


def _retimed(shot: Shot, keys: Iterable[Picked], at: Callable[[int], int]) -> Shot:
    end, rows = shot.frame.duration - 1, []
    for row, frames in _picked(shot, keys):
        moved = [
            key.evolve(frame=_within(at(key.frame), end)) for key in row.keys if key.frame in frames
        ]
        rest = [key for key in row.keys if key.frame not in frames]
        taken = {key.frame for key in rest}
        for key in moved:
            if key.frame in taken:
                raise EditError(
                    f"{row.about.label} of {called(shot, row.of)} would have two keys at frame "
                    f"{key.frame}. Move them elsewhere, or remove one first."
                )
            taken.add(key.frame)
        rows.append(row.evolve(keys=tuple(sorted([*rest, *moved], key=lambda key: key.frame))))
    return _with_rows(shot, rows)


def _within(frame: int, end: int) -> int:
    if frame < 0:
        raise EditError("A key cannot be before the first frame. Move it later.")
    if frame > end:
        raise EditError(
            f"A key at frame {frame} would never be reached: the shot ends with frame {end}. "
            "Make the shot longer first, or move it earlier."
        )
    return frame
