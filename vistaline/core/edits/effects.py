"""The edits of effects: what they are put on, tables, own pictures, curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from vistaline.core.edits.dressing import with_dress
from vistaline.core.edits.effect_starts import EFFECT_STARTS
from vistaline.core.edits.registry import REGISTRY, free_id, numbered, pictures_used
from vistaline.core.errors import EditError
from vistaline.core.picture.cubes import packed, read_cube
from vistaline.core.shot.dressing import MOST_EFFECTS, AnyEffect, row_name
from vistaline.core.shot.effects import Effect, On, Over
from vistaline.core.shot.grading import CHANNELS, Curves, Match, Table
from vistaline.core.shot.overlays import Overlay
from vistaline.core.shot.rows import Row
from vistaline.core.shot.shot import PictureRef, Shot
from vistaline.core.verbs import FROM_JSON

__all__ = ["effect_called", "over_of"]

verb = REGISTRY.verb
Points = Sequence[Sequence[float]]
Six = Annotated[tuple[float, float, float, float, float, float], FROM_JSON]


def effect_called(shot: Shot, thing: str) -> AnyEffect:
    """Return an effect by what rows call it; EditError if it is none."""
    found = shot.dress(thing)
    if not isinstance(found, Effect):
        raise EditError(f"{found.name} is no effect.")
    return found


def over_of(shot: Shot, words: str) -> Over:
    """Return what ``frame``, ``layer:keeper``, ``group:shore`` or ``depth`` mean."""
    kind, _, of = words.partition(":")
    if kind not in set(On):
        raise EditError(f"An effect is put on the frame, a layer, a group or a depth, not {kind}.")
    if kind == On.LAYER:
        shot.layer(of)
    if kind == On.GROUP and of not in {each.group for each in shot.layers if each.group}:
        raise EditError(f"There is no group {of!r} in this shot.")
    return Over(kind=On(kind), of=of)


@verb("add an effect")
def add_effect(shot: Shot, *, start: str, over: str = "frame") -> Shot:
    """Add what a starting point is called, at the end of the list, on the frame or something."""
    if start not in EFFECT_STARTS:
        raise EditError(f"There is no effect {start!r}. Choose one of the list.")
    if sum(isinstance(each, Effect) for each in shot.dressing) >= MOST_EFFECTS:
        raise EditError(f"A shot has {MOST_EFFECTS} effects at most. Remove one first.")
    found = EFFECT_STARTS[start]
    made = found.effect.evolve(
        id=free_id("e", {each.id for each in shot.dressing}),
        name=numbered(found.words, {each.name for each in shot.dressing}),
        over=over_of(shot, over),
    )
    return shot.evolve(dressing=(*shot.dressing, made))


@verb("put an effect on")
def set_over(shot: Shot, *, thing: str, over: str) -> Shot:
    """Put an effect on something else: ``frame``, ``layer:keeper``, ``group:shore``, ``depth``."""
    found = effect_called(shot, thing)
    wanted = over_of(shot, over)
    return with_dress(shot, found.evolve(over=wanted.evolve(distance=found.over.distance)))


@verb("bring in a table")
def add_table(shot: Shot, *, text: str, name: str, over: str = "frame", thing: str = "") -> Shot:
    """Add the table of colours that the text of a .cube file has; or put it into an effect."""
    cube = read_cube(text, name)
    words = (cube.title or name.removesuffix(".cube"))[:80] or "Table"
    if not thing:
        shot = add_effect(shot, start="table", over=over)
        made = shot.dressing[-1]
        words = numbered(words, {each.name for each in shot.dressing})
    else:
        made = effect_called(shot, thing)
    if not isinstance(made, Table):
        raise EditError(f"{made.name} takes no table.")
    return with_dress(shot, made.evolve(table=packed(cube), name=words))


@verb("match")
def set_match(shot: Shot, *, thing: str, own: Six, theirs: Six, to: str) -> Shot:
    """Bring what an effect is on nearer to something, by the statistics of both."""
    found = effect_called(shot, thing)
    if not isinstance(found, Match):
        raise EditError(f"{found.name} matches nothing.")
    return with_dress(shot, found.evolve(own=own, theirs=theirs, to=to[:80]))


@verb("lay a picture over")
def lay_picture(shot: Shot, *, thing: str, key: str, picture: PictureRef) -> Shot:
    """Let an effect lay a picture over what it is on."""
    found = effect_called(shot, thing)
    if not isinstance(found, Overlay):
        raise EditError(f"{found.name} lays no picture over anything.")
    shot = shot.evolve(pictures=shot.pictures | {key: picture})
    shot = with_dress(shot, found.evolve(picture=key))
    return shot.evolve(pictures=pictures_used(shot, shot.layers))


@verb("copy an effect")
def copy_effect(shot: Shot, *, thing: str, over: str) -> Shot:
    """Put the same effect on something else, too, with its keys."""
    found = effect_called(shot, thing)
    if sum(isinstance(each, Effect) for each in shot.dressing) >= MOST_EFFECTS:
        raise EditError(f"A shot has {MOST_EFFECTS} effects at most. Remove one first.")
    made = found.evolve(
        id=free_id("e", {each.id for each in shot.dressing}),
        name=numbered(found.name, {each.name for each in shot.dressing}),
        over=over_of(shot, over).evolve(distance=found.over.distance),
    )
    rows = [each.evolve(of=row_name(made)) for each in shot.rows if each.of == thing]
    return shot.evolve(dressing=(*shot.dressing, made), rows=(*shot.rows, *rows))


@verb("curve of an effect")
def set_curve(
    shot: Shot,
    *,
    thing: str,
    channel: str,
    points: Annotated[list[tuple[float, float]], FROM_JSON],
) -> Shot:
    """Give a curve its points (in, out), 0..1; without any it changes nothing."""
    found = effect_called(shot, thing)
    if not isinstance(found, Curves):
        raise EditError(f"{found.name} has no curves.")
    if channel not in CHANNELS:
        raise EditError(f"There is no curve of {channel!r}.")
    straight = [(0.0, 0.0), (1.0, 1.0)]
    kept = () if sorted(points) == straight else tuple(sorted(map(tuple, points)))
    rows = _renumbered(shot.rows, thing, channel, getattr(found, channel), kept)
    return with_dress(shot, found.evolve(**{channel: kept})).evolve(rows=rows)


def _renumbered(
    rows: tuple[Row, ...], thing: str, channel: str, before: Points, after: Points
) -> tuple[Row, ...]:
    """Return rows of keys in which those of a curve's points follow them to their new numbers.

    A point is where it was along the curve; those that are gone take their keys along.
    """
    if len(before) == len(after):
        return rows
    places = {x: n for n, (x, _) in enumerate(after)}
    found = []
    for row in rows:
        name, _, number = row.value.rpartition("_")
        if row.of != thing or name != channel:
            found.append(row)
            continue
        n = int(number) - 1
        now = places.get(before[n][0]) if n < len(before) else None
        if now is not None:
            found.append(row.evolve(value=f"{channel}_{now + 1}"))
    return tuple(found)
