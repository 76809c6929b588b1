"""The edits of how titles come and go."""

from __future__ import annotations

from enum import StrEnum
from typing import Any, Literal

from pydantic import ValidationError

from vistaline.core.edits.registry import REGISTRY, When, frames_of, with_layers
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.looks.passages import By, How, Order, Passage
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.shows import TitleShown
from vistaline.core.stage.passing import arrivals_of

__all__: list[str] = []

verb = REGISTRY.verb
MOST_PIECES = 2000
"""Of a title that comes or goes by letters."""


class Way(StrEnum):
    """In which direction a title passes."""

    ARRIVES = "arrives"
    LEAVES = "leaves"


@verb("how a title comes and goes")
def set_passage(
    shot: Shot,
    *,
    layer: str,
    way: Way,
    how: How | Literal["none"] | None = None,
    by: By | None = None,
    order: Order | None = None,
    seed: int | None = None,
    framing: str | None = None,
    start: When | None = None,
    frames: When | None = None,
    overlap: float | None = None,
    ease: str | None = None,
    distance: float | None = None,
    angle: float | None = None,
) -> Shot:
    """Change how a title comes, or goes; ``none``: it does so at once no more.

    Overlap and distance in percent; ``framing``: from whose arrival it is timed, ``-`` for none.
    """
    found = shot.layer(layer)
    if not isinstance(found.shows, TitleShown):
        raise EditError(f"{found.name} is no title. Only titles come and go in pieces.")
    if how == "none":
        return with_layers(shot, [found.evolve(shows=found.shows.evolve(**{way.value: None}))])
    passage: Passage = getattr(found.shows, way.value) or _usual(shot, way, found.shows)
    values: dict[str, Any] = {
        "how": how,
        "by": by,
        "order": order,
        "seed": seed,
        "start": None if start is None else frames_of(shot, start),
        "frames": None if frames is None else frames_of(shot, frames),
        "overlap": None if overlap is None else overlap / 100,
        "ease": ease,
        "distance": None if distance is None else distance / 100,
        "angle": angle,
    }
    changes = {name: value for name, value in values.items() if value is not None}
    if framing is not None:
        changes |= _waiting(shot, passage, framing)
    try:
        shows = found.shows.evolve(**{way.value: passage.evolve(**changes)})
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    return with_layers(shot, [found.evolve(shows=shows)])


def _usual(shot: Shot, way: Way, shows: TitleShown) -> Passage:
    """Return how a title comes or goes as it is asked for first: in a second, at either end."""
    second = max(1, round(float(shot.frame.rate)))
    if way is Way.ARRIVES:
        return Passage(frames=second)
    came = shows.arrives
    earliest = came.begins(arrivals_of(shot)) + came.frames if came else 0
    return Passage(frames=second, start=max(earliest, shot.frame.duration - 1 - second))


def _waiting(shot: Shot, passage: Passage, framing: str) -> dict[str, Any]:
    """Return the changes by which a passage is timed from a framing, or no more from any."""
    arrivals = arrivals_of(shot)
    begins = passage.begins(arrivals)
    if framing == "-":
        return {"framing": None, "start": begins}
    if not framing.isdecimal() or int(framing) >= len(arrivals):
        raise EditError("There is no such framing. Choose another, or the shot's first frame.")
    # It stays at its time, if that is not before the framing.
    return {"framing": int(framing), "start": max(0, begins - arrivals[int(framing)])}
