"""Edits of the shot itself: its name, its frame."""

from __future__ import annotations

from pydantic import ValidationError

from vistaline.core.edits.registry import REGISTRY, When, with_route
from vistaline.core.errors import EditError, ShotError
from vistaline.core.explaining import explain
from vistaline.core.shot.retiming import stretched, times_of
from vistaline.core.shot.shot import Shot
from vistaline.core.timing import parse_rate, parse_time

__all__: list[str] = []

verb = REGISTRY.verb


@verb("rename shot")
def rename_shot(shot: Shot, *, name: str) -> Shot:
    """Give the shot another name."""
    if not name.strip():
        raise EditError("A shot needs a name. Type one.")
    return shot.evolve(name=name.strip())


@verb("change frame")
def set_format(shot: Shot, *, width: int, height: int, rate: str, duration: When) -> Shot:
    """Set frame size, rate and duration: frames, or a time at the new rate.

    The route is stretched in proportion.

    The lens keeps what is seen along the frame's longer side.
    """
    frames = duration if isinstance(duration, int) else parse_time(duration, parse_rate(rate))
    times = stretched(times_of(shot.route, shot.frame.duration), frames)
    try:
        lasting = with_route(shot, times.laid(shot.route), frames)
        return lasting.evolve(
            frame=shot.frame.evolve(
                width=width, height=height, rate=parse_rate(rate), duration=frames
            )
        )
    except ValidationError as error:
        cause: ShotError = explain(error)
        raise EditError(f"Frame: {cause}") from error
