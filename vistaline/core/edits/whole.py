"""The shot in time as a whole: cameras, cuts, keys, and when layers are seen, all changed alike.

The verbs are in ``times``; each also works on the directed camera's route alone. Takes, which are
other routes to compare, stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

from vistaline.core.edits.registry import fitted, moved_markers
from vistaline.core.errors import EditError
from vistaline.core.shot.cameras import Cut
from vistaline.core.shot.layouts import Layout
from vistaline.core.shot.retiming import back_to_front, passages_moved, turned_round
from vistaline.core.shot.route import Route
from vistaline.core.shot.rows import Key, Row
from vistaline.core.shot.shot import Layer, Shot

__all__ = ["backwards", "paced", "returning", "route_returning"]


def backwards(shot: Shot) -> Shot:
    """Return the shot run backwards."""
    duration, arrived = shot.duration, tuple(each.frame for each in shot.route.framings)
    return _changed(
        shot,
        duration,
        lambda route: back_to_front(route, duration),
        [(duration - end, duration - start, camera) for start, end, camera in _seen(shot)][::-1],
        lambda row: row.evolve(keys=_back(row, duration - 1)),
        lambda layer: {
            "seen_from": max(0, duration - 1 - _last(shot, layer)),
            "seen_until": duration - 1 - layer.seen_from if layer.seen_from else None,
        },
        lambda layer: passages_moved(
            layer, arrived, (), lambda frame: duration - 1 - frame, back=True
        ),
        lambda layout: layout.backwards().retimed(lambda at: duration - 1 - at, duration - 1),
        lambda frame: duration - 1 - frame,
    )


def returning(shot: Shot) -> Shot:
    """Return the shot followed by itself run backwards; the frame it turns at is there once.

    Raises
    ------
    EditError
        A layer goes out before the turn: on the way back it would have to come again.
    """
    turn = shot.duration - 1
    for layer in shot.layers:
        if layer.seen_from <= turn and _last(shot, layer) < turn:
            raise EditError(
                f"{layer.name} goes out at frame {layer.seen_until}, and would have to come again "
                "on the way back. Let it be seen to the end, or give its opacity keys."
            )
    stretches = _seen(shot)
    back = [(2 * turn + 1 - end, 2 * turn + 1 - start, who) for start, end, who in stretches[::-1]]

    def there_and_back(row: Row) -> Row:
        mirrored = [key for key in _back(row, turn) if key.frame > 0]
        rest = (key.evolve(frame=key.frame + turn) for key in mirrored)
        return row.evolve(keys=(*row.keys, *rest))

    return _changed(
        shot,
        2 * turn + 1,
        lambda route: route_returning(route, shot.duration),
        [*stretches, *back],
        there_and_back,
        lambda layer: {"seen_until": 2 * turn - layer.seen_from if layer.seen_from else None},
    )


def paced(shot: Shot, percent: float) -> Shot:
    """Return the shot as fast as ``percent`` says, 200 twice as fast; delays change as well.

    Raises
    ------
    ShotError
        So fast, two framings or two keys would be at one frame.
    """
    last = round((shot.duration - 1) * 100 / percent)
    arrived = tuple(each.frame for each in shot.route.framings)
    ratio = last / max(1, shot.duration - 1)

    def at(frame: int) -> int:
        return round(frame * ratio)

    def sooner(row: Row) -> Row:
        return row.evolve(keys=tuple(key.evolve(frame=at(key.frame)) for key in row.keys))

    def quicker(route: Route) -> Route:
        framings = (
            each.evolve(frame=at(each.frame), hold=at(each.last) - at(each.frame))
            for each in route.framings
        )
        return route.evolve(framings=tuple(framings))

    return _changed(
        shot,
        last + 1,
        quicker,
        [(at(start), at(end), who) for start, end, who in _seen(shot)],
        sooner,
        lambda layer: {
            "seen_from": at(layer.seen_from),
            "seen_until": None if layer.seen_until is None else at(layer.seen_until),
        },
        lambda layer: passages_moved(layer, arrived, tuple(map(at, arrived)), at),
        lambda layout: layout.retimed(at, last),
        at,
    )


Stretches = Sequence[tuple[int, int, str]]
"""From which frame up to which (exclusive) each camera is seen, in order of time."""


def _changed(
    shot: Shot,
    duration: int,
    route: Callable[[Route], Route],
    stretches: Stretches,
    row: Callable[[Row], Row],
    seen: Callable[[Layer], dict[str, int | None]],
    passing: Callable[[Layer], Layer] = lambda layer: layer,
    lasting: Callable[[Layout], Layout] = lambda layout: layout,
    moved: Callable[[int], int] = lambda frame: frame,
) -> Shot:
    cuts, before = [], shot.opening
    for start, end, camera in stretches:
        if camera != before and end > start:
            cuts.append(Cut(frame=start, camera=camera))
            before = camera
    return shot.evolve(
        frame=shot.frame.evolve(duration=duration),
        cameras=tuple(each.evolve(route=route(each.route)) for each in shot.cameras),
        takes=tuple(
            take.evolve(route=fitted(take.route, shot.duration, duration)) for take in shot.takes
        ),
        cuts=tuple(cuts) if shot.cuts else (),
        rows=tuple(map(row, shot.rows)),
        layouts=tuple(map(lasting, shot.layouts)),
        markers=moved_markers(shot, moved, duration),
        layers=tuple(passing(layer).evolve(**seen(layer)) for layer in shot.layers),
    )


def _seen(shot: Shot) -> list[tuple[int, int, str]]:
    starts = [0, *(cut.frame for cut in shot.cuts), shot.duration]
    who = [shot.opening, *(cut.camera for cut in shot.cuts)]
    return [(a, b, camera) for (a, b), camera in zip(pairwise(starts), who, strict=True)]


def _last(shot: Shot, layer: Layer) -> int:
    end = shot.duration - 1
    return end if layer.seen_until is None else min(layer.seen_until, end)


def _back(row: Row, last: int) -> tuple[Key, ...]:
    """Return a row's keys in reverse, each as far from ``last`` as it was from the start."""
    arrivals = [*(turned_round(key.ease) for key in row.keys[1:]), "ease-in-out"]
    return tuple(
        key.evolve(frame=last - key.frame, ease=ease)
        for key, ease in reversed([*zip(row.keys, arrivals, strict=True)])
    )


def route_returning(route: Route, duration: int) -> Route:
    """Return a route there and back; its turning point is one framing, held for both."""
    last = route.framings[-1]
    back = back_to_front(route, duration).framings
    turn = last.evolve(hold=last.hold + 2 * (duration - 1 - last.last) + last.hold)
    rest = [each.evolve(frame=each.frame + duration - 1) for each in back[1:]]
    return route.evolve(framings=(*route.framings[:-1], turn, *rest))
