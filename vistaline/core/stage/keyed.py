"""Shots whose keyed values are replaced by their values at one frame."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, TypeVar

from vistaline.core.model import Part
from vistaline.core.shot.dressing import DRESSINGS, row_name
from vistaline.core.shot.rows import Row, values_at
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.things import thing_name

__all__ = ["called", "row_of", "rows_of", "shot_at_frame", "things_of", "valued", "with_things"]

AnyPart = TypeVar("AnyPart", bound=Part)


def rows_of(shot: Shot, of: str) -> tuple[Row, ...]:
    """Return the rows of one thing, such as ``layer:tower``."""
    return tuple(row for row in shot.rows if row.of == of)


def row_of(shot: Shot, of: str, value: str) -> Row | None:
    """Return the row of one value; None if it has no keys."""
    return next((row for row in shot.rows if row.of == of and row.value == value), None)


def things_of(shot: Shot) -> dict[str, Part]:
    """Return every thing that may have keys, by its name in rows, such as ``layer:tower``."""
    return {
        **{f"layer:{layer.id}": layer for layer in shot.layers},
        **{f"mount:{mount.id}": mount for mount in shot.mounts},
        **{f"style:{name}": style for name, style in shot.frame_styles.items()},
        **{f"camera:{camera.id}": camera for camera in shot.cameras},
        **{f"lamp:{lamp.id}": lamp for lamp in shot.lamps},
        **{f"layout:{layout.id}": layout for layout in shot.layouts},
        **{f"callout:{callout.id}": callout for callout in shot.callouts},
        **{row_name(each): each for each in shot.dressing},
    }


def with_things(shot: Shot, things: Mapping[str, Part], **more: Any) -> Shot:
    """Return the shot with ``things`` in place of those of the same names (see ``things_of``).

    ``more``: other fields of the shot to change in the same step.
    """
    if not things:
        return shot.evolve(**more) if more else shot
    return shot.evolve(
        layers=tuple(things.get(f"layer:{each.id}", each) for each in shot.layers),
        mounts=tuple(things.get(f"mount:{each.id}", each) for each in shot.mounts),
        frame_styles={
            name: things.get(f"style:{name}", style) for name, style in shot.frame_styles.items()
        },
        cameras=tuple(things.get(f"camera:{each.id}", each) for each in shot.cameras),
        lamps=tuple(things.get(f"lamp:{each.id}", each) for each in shot.lamps),
        callouts=tuple(things.get(f"callout:{each.id}", each) for each in shot.callouts),
        layouts=tuple(things.get(f"layout:{each.id}", each) for each in shot.layouts),
        dressing=tuple(things.get(row_name(each), each) for each in shot.dressing),
        **more,
    )


def valued(thing: AnyPart, rows: Iterable[Row], frame: float) -> AnyPart:
    """Return a thing with the values that ``rows``, its rows, have at ``frame``.

    A row of a value that the thing lacks at present (such as the outline of a title that has
    none) is left out of account.
    """
    for row in rows:
        if row.about.of(thing) is None:
            continue
        value = values_at(row, [frame])[0]
        thing = row.about.put(thing, value if isinstance(value, str) else float(value))
    return thing


def shot_at_frame(shot: Shot, frame: float) -> Shot:
    """Return the shot with each keyed value replaced by its value at ``frame``; its rows stay."""
    if not shot.rows:
        return shot
    things = things_of(shot)
    found: dict[str, Part] = {}
    for row in shot.rows:
        found[row.of] = valued(found.get(row.of, things[row.of]), [row], frame)
    return with_things(shot, found)


def called(shot: Shot, of: str) -> str:
    """Return the name a person gave the thing that rows call ``of``, such as ``layer:tower``."""
    kind, name = of.partition(":")[0], thing_name(of)
    if kind == "layer":
        return shot.layer(name).name
    if kind == "camera":
        return f"Camera {next(each.name for each in shot.cameras if each.id == name)}"
    if kind == "lamp":
        return shot.lamp(name).name
    if kind == "callout":
        label = next(each.label for each in shot.callouts if each.id == name)
        return f"Callout {shot.layer(label).name}"
    if kind == "layout":
        return shot.layout(name).name
    if kind in DRESSINGS:
        return shot.dress(of).name
    return shot.mount(name).name if kind == "mount" else name
