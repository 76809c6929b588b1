"""The edits of numbers that count in a title."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from vistaline.core.edits.registry import REGISTRY, When, frames_of, with_layers
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.looks.counts import Count, Marks
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.shows import TitleShown

__all__: list[str] = []

verb = REGISTRY.verb


@verb("a number that counts")
def set_count(
    shot: Shot,
    *,
    layer: str,
    counts: bool | None = None,
    first: float | None = None,
    last: float | None = None,
    start: When | None = None,
    frames: When | None = None,
    ease: str | None = None,
    decimals: int | None = None,
    marks: Marks | None = None,
    timecode: bool | None = None,
) -> Shot:
    """Let a number count in a title, in the place of #, or change how; ``counts``: whether."""
    found = shot.layer(layer)
    if not isinstance(found.shows, TitleShown):
        raise EditError(f"{found.name} is no title. Only titles have a number that counts.")
    if counts is False:
        return with_layers(shot, [found.with_shows(counts=None)])
    values: dict[str, Any] = {
        "first": first,
        "last": last,
        "start": None if start is None else frames_of(shot, start),
        "frames": None if frames is None else frames_of(shot, frames),
        "ease": ease,
        "decimals": decimals,
        "marks": marks,
        "timecode": timecode,
    }
    changes = {name: value for name, value in values.items() if value is not None}
    usual = Count(frames=max(1, round(2 * float(shot.frame.rate))))
    try:
        count = (found.shows.counts or usual).evolve(**changes)
        return with_layers(shot, [found.with_shows(counts=count)])
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
