"""The edits a person can make to a film: film -> new film."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import ValidationError

from vistaline.core.errors import EditError, ShotError
from vistaline.core.explaining import explain
from vistaline.core.film.film import (
    MOST_PIECES,
    OVERLAPPING,
    Film,
    FilmFormat,
    Join,
    JoinKind,
    Piece,
    ShotRef,
)
from vistaline.core.film.timeline import Timeline
from vistaline.core.shot.layouts import Side
from vistaline.core.timing import parse_time
from vistaline.core.verbs import Verbs

__all__ = ["apply", "label"]

_VERBS: Verbs[Film] = Verbs()
verb, apply, label = _VERBS.verb, _VERBS.apply, _VERBS.label

When = int | str
"""Frames, or a time as people write it; see :func:`parse_time`."""


@verb("add to the film")
def add_piece(film: Film, *, key: str, shot: ShotRef, at: int | None = None) -> Film:
    """Add all of a shot, at its end or before the piece that is ``at`` a place."""
    if len(film.pieces) >= MOST_PIECES:
        raise EditError(f"A film has {MOST_PIECES} pieces at most. Remove one first.")
    taken = {piece.id for piece in film.pieces}
    number = next(n for n in range(1, MOST_PIECES + 2) if f"p{n}" not in taken)
    pieces = list(film.pieces)
    place = len(pieces) if at is None else min(max(at, 0), len(pieces))
    pieces.insert(place, Piece(id=f"p{number}", shot=key))
    changed = _arranged(film.evolve(shots=film.shots | {key: shot}), pieces)
    if len(film.pieces) == 0 and shot.rate:
        # The first shot says at which rate the film runs.
        changed = changed.evolve(frame=changed.frame.evolve(rate=shot.rate))
    return changed


@verb("take out of the film")
def remove_piece(film: Film, *, piece: str) -> Film:
    """Take a piece out; the shot stays in its project."""
    film.piece(piece)
    return _arranged(film, [each for each in film.pieces if each.id != piece])


@verb("order of the film")
def move_piece(film: Film, *, piece: str, to: int) -> Film:
    """Put a piece at another place, counted from 0; its join goes with it."""
    moved = film.piece(piece)
    rest = [each for each in film.pieces if each.id != piece]
    rest.insert(min(max(to, 0), len(rest)), moved)
    return _arranged(film, rest)


@verb("in and out points")
def trim_piece(
    film: Film,
    *,
    piece: str,
    first: When | None = None,
    last: When | None = None,
    whole: bool = False,
) -> Film:
    """Set with which frames of its shot a piece begins and ends; ``whole``: with its own."""
    found = film.piece(piece)
    if whole:
        return _with(film, found.evolve(first=0, last=None))
    ref = film.shots[found.shot]
    assert ref.rate and ref.frames
    times = {
        name: when if isinstance(when, int) else parse_time(when, ref.rate)
        for name, when in (("first", first), ("last", last))
        if when is not None
    }
    for name, frame in times.items():
        if not 0 <= frame < ref.frames:
            raise EditError(
                f"{ref.name} has frames 0 to {ref.frames - 1}; it cannot "
                f"{'begin' if name == 'first' else 'end'} with {frame}. Choose one of them."
            )
    if times.get("last") == ref.frames - 1:
        times["last"] = None  # type: ignore[assignment]
    return _with(film, found.evolve(**times))


@verb("join")
def set_join(
    film: Film,
    *,
    piece: str,
    kind: JoinKind | Literal["cut"] | None = None,
    frames: When | None = None,
    colour: str | None = None,
    angle: float | None = None,
    softness: float | None = None,
    side: Side | None = None,
    ease: str | None = None,
) -> Film:
    """Set how a piece follows the one before it; ``piece`` ``*end``: how the film ends."""
    ends = piece == "*end"
    had = film.closing if ends else film.piece(piece).join
    if kind == "cut":
        join = None
    else:
        values: dict[str, Any] = {
            "kind": kind,
            "colour": colour,
            "angle": angle,
            "softness": None if softness is None else softness / 100,
            "side": side,
            "ease": ease,
        }
        changes = {name: value for name, value in values.items() if value is not None}
        if frames is not None:
            changes["frames"] = (
                frames if isinstance(frames, int) else parse_time(frames, film.frame.rate)
            )
        if had is None and kind is None:
            raise EditError("There is a cut. Choose how to join first.")
        usual = Join(kind=JoinKind.DIP) if ends or film.pieces[0].id == piece else Join()
        join = (had or usual).evolve(**changes)
    if ends:
        return _checked(film.evolve(closing=join))
    return _with(film, film.piece(piece).evolve(join=join))


@verb("size and rate of the film")
def set_format(
    film: Film, *, width: int | None = None, height: int | None = None, rate: str | None = None
) -> Film:
    """Set the size of the film's frames, and how many it has a second."""
    changes: dict[str, Any] = {"width": width, "height": height, "rate": rate}
    values = {name: getattr(film.frame, name) for name in changes}
    values |= {name: value for name, value in changes.items() if value is not None}
    return _checked(film.evolve(frame=FilmFormat(**values)))


@verb("name of the film")
def rename_film(film: Film, *, name: str) -> Film:
    """Give the film another name."""
    if not name.strip():
        raise EditError("A film needs a name. Type one.")
    return film.evolve(name=name.strip()[:120])


def _with(film: Film, piece: Piece) -> Film:
    pieces = tuple(piece if each.id == piece.id else each for each in film.pieces)
    return _checked(film.evolve(pieces=pieces))


def _arranged(film: Film, pieces: list[Piece]) -> Film:
    """Return the film with its pieces in an order; what has come first joins nothing."""
    if pieces and pieces[0].join and pieces[0].join.kind is not JoinKind.DIP:
        pieces[0] = pieces[0].evolve(join=None)
    used = {piece.shot for piece in pieces}
    shots = {key: ref for key, ref in film.shots.items() if key in used}
    try:
        return _checked(film.evolve(pieces=tuple(pieces), shots=shots))
    except ValidationError as error:
        raise EditError(str(explain(error))) from error


def _checked(film: Film) -> Film:
    """Return the film if its pieces are long enough for their joins.

    Raises
    ------
    EditError
        One is not.
    """
    try:
        stretches = Timeline(film.evolve(closing=None)).stretches
    except ShotError as error:
        raise EditError(str(error)) from error
    for n, stretch in enumerate(stretches):
        after = stretches[n + 1].piece.join if n + 1 < len(stretches) else film.closing
        takes = sum(_takes(join) for join in (stretch.piece.join, after) if join)
        if takes > stretch.frames:
            name = film.shots[stretch.piece.shot].name or f"Piece {n + 1}"
            raise EditError(
                f"{name} has {stretch.frames} frames here, and its joins take {takes}. Let them "
                "take fewer, or let it be longer."
            )
    return film


def _takes(join: Join) -> int:
    """Return how many frames of a piece a join takes."""
    return join.frames if join.kind in OVERLAPPING else -(-join.frames // 2)
