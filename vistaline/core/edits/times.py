"""The edits a person can make to a route's times: shot -> new shot."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from vistaline.core.edits.registry import (
    REGISTRY,
    When,
    frames_of,
    framing_of,
    with_framing,
    with_framings,
    with_route,
)
from vistaline.core.edits.whole import backwards, paced, returning, route_returning
from vistaline.core.errors import EditError
from vistaline.core.shot import retiming
from vistaline.core.shot.retiming import Stretching, times_of
from vistaline.core.shot.shot import Shot

__all__: list[str] = []

verb = REGISTRY.verb


@verb("move framing in time")
def time_framing(shot: Shot, *, framing: int, frame: When, shift: bool = False) -> Shot:
    """Move a framing, with its hold, to another frame between its neighbours.

    With ``shift`` all that follows moves as far, and the shot ends as much later.
    """
    found, frame = framing_of(shot, framing), frames_of(shot, frame)
    if not shift:
        return with_framing(shot, framing, frame=frame)
    return _shifted(shot, framing, frame - found.frame)


@verb("hold framing")
def hold_framing(shot: Shot, *, framing: int, hold: When, shift: bool = False) -> Shot:
    """Set for how many frames a framing is held: traded with the travel after it, or shifting."""
    found, hold = framing_of(shot, framing), frames_of(shot, hold)
    if not shift:
        return with_framing(shot, framing, hold=hold)
    return _shifted(shot, framing + 1, hold - found.hold, hold=hold)


@verb("arrival")
def arrive_at(shot: Shot, *, framing: int, frame: When) -> Shot:
    """Set when a framing is reached, and leave when it is left: travel and hold trade time."""
    found, frame = framing_of(shot, framing), frames_of(shot, frame)
    if not 0 <= frame <= found.last:
        raise EditError(
            f"It is left at frame {found.last}, so it must be reached by then, not at {frame}."
        )
    return with_framing(shot, framing, frame=frame, hold=found.last - frame)


def _shifted(shot: Shot, first: int, frames: int, hold: int | None = None) -> Shot:
    """Move framings from ``first`` on, and the shot's end, by ``frames``.

    ``hold``: for how long the one before them is held from now on.
    """
    duration = shot.frame.duration + frames
    if duration < 1:
        raise EditError("That would leave nothing of the shot.")
    framings = [
        each if i < first else each.evolve(frame=max(0, each.frame + frames))
        for i, each in enumerate(shot.route.framings)
    ]
    if hold is not None:
        framings[first - 1] = framings[first - 1].evolve(hold=hold)
    return with_framings(shot, framings, duration)


@verb("stretch")
def stretch_route(shot: Shot, *, duration: When, which: Stretching = "all") -> Shot:
    """Make the shot last ``duration`` frames: everything in proportion, or only some of it.

    Start and end delays stay as they are set.
    """
    times = retiming.stretched(
        times_of(shot.route, shot.frame.duration), frames_of(shot, duration), which
    )
    return with_route(shot, times.laid(shot.route), times.duration)


@verb("speed")
def change_speed(
    shot: Shot, *, percent: Annotated[float, Field(gt=0, le=10_000)], whole: bool = False
) -> Shot:
    """Make the route faster (above 100 percent) or slower; its delays stay.

    ``whole``: the whole shot instead, with its cuts, all cameras and all keys, delays included.
    """
    if whole:
        return paced(shot, percent)
    times = times_of(shot.route, shot.frame.duration)
    still = times.before + times.after + 1
    moving = round((times.duration - still) * 100 / percent)
    return stretch_route(shot, duration=still + moving)


@verb("delays")
def set_delays(shot: Shot, *, before: When | None = None, after: When | None = None) -> Shot:
    """Set for how long the camera stands at the shot's start and end; the shot's length follows."""
    times = times_of(shot.route, shot.frame.duration)
    times = retiming.Times(
        before=times.before if before is None else frames_of(shot, before),
        holds=times.holds,
        travels=times.travels,
        after=times.after if after is None else frames_of(shot, after),
    )
    return with_route(shot, times.laid(shot.route), times.duration)


@verb("reverse route")
def reverse_route(shot: Shot, *, whole: bool = False) -> Shot:
    """Run the route backwards, or the ``whole`` shot with its cuts, all cameras and all keys."""
    if whole:
        return backwards(shot)
    return with_route(shot, retiming.back_to_front(shot.route, shot.frame.duration))


@verb("there and back")
def there_and_back(shot: Shot, *, whole: bool = False) -> Shot:
    """Go back the way the route came: the shot lasts twice as long and ends as it began.

    ``whole``: all of the shot goes back, with its cuts, all cameras and all keys.
    """
    if whole:
        return returning(shot)
    route = route_returning(shot.route, shot.duration)
    return with_framings(shot, route.framings, 2 * shot.duration - 1)
