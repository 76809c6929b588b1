"""A route in time: delay, hold, travel, hold ... delay; stretched, and turned round."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from itertools import accumulate, pairwise
from typing import Literal

import numpy as np

from vistaline.core.easing import NAMED_EASES, EaseName
from vistaline.core.errors import EditError
from vistaline.core.looks.passages import Passage
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.rows import Row
from vistaline.core.shot.shows import TitleShown

__all__ = [
    "Stretching",
    "Times",
    "back_to_front",
    "joined",
    "moved_along",
    "passages_moved",
    "retimed",
    "stretched",
    "times_of",
    "turned_round",
]

Stretching = Literal["all", "holds", "travels"]


@dataclass(frozen=True)
class Times:
    """How many frames each part of a shot takes; together one less than the shot has frames."""

    before: int
    """The start delay: the first framing stands."""
    holds: tuple[int, ...]
    travels: tuple[int, ...]
    """One fewer than there are framings; none is shorter than a frame."""
    after: int
    """The end delay."""

    @property
    def duration(self) -> int:
        """The shot's length in frames."""
        return self.before + sum(self.holds) + sum(self.travels) + self.after + 1

    @property
    def bounds(self) -> list[int]:
        """The frames at which one part ends and the next begins, from 0 to the last frame."""
        parts = [
            part
            for pair in zip(self.holds, (*self.travels, self.after), strict=True)
            for part in pair
        ]
        return [0, *accumulate([self.before, *parts])]

    def laid(self, route: Route) -> Route:
        """Return the route with its framings at these times."""
        framings, frame = [], self.before
        travels = (*self.travels, 0)
        for framing, hold, travel in zip(route.framings, self.holds, travels, strict=True):
            framings.append(framing.evolve(frame=frame, hold=hold))
            frame += hold + travel
        return route.evolve(framings=tuple(framings))


def times_of(route: Route, duration: int) -> Times:
    """Return how long the parts of a shot of ``duration`` frames take."""
    framings = route.framings
    return Times(
        before=framings[0].frame,
        holds=tuple(framing.hold for framing in framings),
        travels=tuple(later.frame - earlier.last for earlier, later in pairwise(framings)),
        after=duration - 1 - framings[-1].last,
    )


def stretched(times: Times, duration: int, which: Stretching = "all") -> Times:
    """Return times that last ``duration`` frames; delays stay, the rest changes in proportion.

    Raises
    ------
    EditError
        That is too short, or there is nothing of the kind to stretch.
    """
    change = duration - times.duration
    holds = [*times.holds] if which != "travels" else []
    travels = [*times.travels] if which != "holds" else []
    parts, least = [*holds, *travels], [0] * len(holds) + [1] * len(travels)
    if change and not sum(parts):
        if which == "all" and duration - 1 >= times.before:
            # A camera that only stands: what is left is the end delay.
            return replace(times, after=duration - 1 - times.before)
        raise EditError(f"This route has no {which} to stretch. Stretch everything.")
    wanted = sum(parts) + change
    if wanted < sum(least):
        raise EditError(
            f"{duration} frames are too few for this route: its delays and what is not stretched "
            f"take {times.duration - sum(parts)}, and every travel needs one. Make the shot "
            "longer, or remove a framing first."
        )
    # A camera that only stands has nothing to stretch, and nothing changes.
    lengths = _shared_out(parts, least, wanted) if sum(parts) else parts
    return replace(
        times,
        holds=tuple(lengths[: len(holds)]) if holds else times.holds,
        travels=tuple(lengths[len(holds) :]) if travels else times.travels,
    )


def _shared_out(parts: list[int], least: list[int], wanted: int) -> list[int]:
    """Return whole lengths in the proportion of ``parts`` that add up to ``wanted``."""
    total = sum(parts)
    exact = [part * wanted / total for part in parts]
    lengths = [max(int(value), low) for value, low in zip(exact, least, strict=True)]
    # What rounding took or gave goes where it is felt least.
    while (left := wanted - sum(lengths)) != 0:
        step = 1 if left > 0 else -1
        able = [i for i, low in enumerate(least) if parts[i] and lengths[i] + step >= low]
        if not able:
            able = [i for i, low in enumerate(least) if lengths[i] + step >= low]
        i = max(able, key=lambda i: step * (exact[i] - lengths[i]))
        lengths[i] += step
    return lengths


def back_to_front(route: Route, duration: int) -> Route:
    """Return the route run backwards: the last framing is the first."""
    framings = []
    for i, framing in reversed([*enumerate(route.framings)]):
        # A travel's ease belongs to the framing it arrives at: now the one it came from.
        after = route.framings[i + 1] if i + 1 < len(route.framings) else None
        framings.append(
            framing.evolve(
                frame=duration - 1 - framing.last,
                ease=turned_round(after.ease) if after else "ease-in-out",
                focus_ease=turned_round(after.focus_ease) if after and after.focus_ease else None,
                keeps=after.keeps if after else "",
                arrive=framing.leave,
                leave=framing.arrive,
            )
        )
    return route.evolve(framings=tuple(framings))


def turned_round(ease: EaseName) -> EaseName:
    """Return the ease of the same travel run backwards.

    A spring, which has no counterpart backwards, and CSS's ``linear()`` stay as they are.
    """
    if isinstance(ease, str) and ease not in NAMED_EASES:
        name, _, way = ease.partition("-")
        return {"in": f"{name}-out", "out": f"{name}-in"}.get(way, ease)
    named = {"ease-in": "ease-out", "ease-out": "ease-in", "linear": "linear"}
    if isinstance(ease, str):
        if ease in named:
            return named[ease]
        curve = NAMED_EASES[ease]
        ease = (curve.x1, curve.y1, curve.x2, curve.y2)
    x1, y1, x2, y2 = ease
    back = tuple(round(1 - value, 9) for value in (x2, y2, x1, y1))
    same = [name for name, c in NAMED_EASES.items() if (c.x1, c.y1, c.x2, c.y2) == back]
    return same[0] if same else back  # type: ignore[return-value]


def retimed(rows: Iterable[Row], before: Times, after: Times) -> tuple[Row, ...]:
    """Return rows whose keys stay with the parts of a route as its times change.

    A part is a delay, a hold or a travel; a key keeps its share of the part it lies in. If the
    number of framings has changed, keys stay at their frames, but are squeezed into a shot that
    has become too short for them.

    Raises
    ------
    EditError
        There are more keys than frames are left.
    """
    bounds = _bounds(before, after)
    return tuple(_row_moved_along(row, *bounds, after.duration - 1) for row in rows)


def moved_along(frame: int, before: Times, after: Times) -> int:
    """Return where a frame is after the times of a route have changed; see :func:`retimed`."""
    old, new = _bounds(before, after)
    if frame > old[-1]:
        return frame - old[-1] + new[-1]
    return round(float(np.interp(frame, old, new)))


def _bounds(before: Times, after: Times) -> tuple[list[int], list[int]]:
    """Return frames before and after between which times change in proportion."""
    old, new = before.bounds, after.bounds
    if len(old) == len(new):
        return old, new
    last = before.duration - 1
    short = min(1.0, (after.duration - 1) / max(1, last))
    return [0, last], [0, round(last * short)]


def _row_moved_along(row: Row, old: list[int], new: list[int], last: int) -> Row:
    frames = np.rint(np.interp([key.frame for key in row.keys], old, new)).astype(int).tolist()
    # Those that fall on one frame make room, first towards the end, then back from it.
    for i in range(1, len(frames)):
        frames[i] = max(frames[i], frames[i - 1] + 1)
    for i in range(len(frames) - 1, -1, -1):
        frames[i] = min(frames[i], last - (len(frames) - 1 - i))
    if frames[0] < 0:
        raise EditError(
            f"{last + 1} frames are too few for the {len(frames)} keys of {row.about.label} of "
            f"{row.of}. Make the shot longer, or remove some keys first."
        )
    if frames == [key.frame for key in row.keys]:
        return row
    return row.evolve(
        keys=tuple(key.evolve(frame=at) for key, at in zip(row.keys, frames, strict=True))
    )


def joined(framings: list[Framing]) -> list[Framing]:
    """Return framings in order of time."""
    return sorted(framings, key=lambda framing: framing.frame)


def passages_moved(
    layer: Layer,
    before: tuple[int, ...],
    after: tuple[int, ...],
    moved: Callable[[int], int],
    *,
    back: bool = False,
) -> Layer:
    """Return a title that comes and goes when ``moved`` says, of the frames it does so now.

    ``before``, ``after``: when the framings are reached, then and now; ``back``: it runs backwards,
    so that it goes as it came.
    """
    if not isinstance(layer.shows, TitleShown):
        return layer
    counts = layer.counts
    if counts:
        ends = sorted((moved(counts.start), moved(counts.start + counts.frames)))
        counts = counts.evolve(start=max(0, ends[0]), frames=max(1, ends[1] - ends[0]))
        if back:
            ease = turned_round(counts.ease)
            counts = counts.evolve(first=counts.last, last=counts.first, ease=ease)
        layer = layer.evolve(shows=layer.shows.evolve(counts=counts))

    def one(passage: Passage | None) -> Passage | None:
        if passage is None:
            return None
        first = passage.begins(before)
        ends = sorted((moved(first), moved(first + passage.frames)))
        framing = None if back else passage.framing
        begins = ends[0]
        if framing is not None and after:
            begins -= after[min(framing, len(after) - 1)]
        return passage.evolve(
            framing=framing, start=max(0, begins), frames=max(1, ends[1] - ends[0])
        )

    came, goes = one(layer.arrives), one(layer.leaves)
    if back:
        came, goes = goes, came
    assert isinstance(layer.shows, TitleShown)
    return layer.evolve(shows=layer.shows.evolve(arrives=came, leaves=goes))
