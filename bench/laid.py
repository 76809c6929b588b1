"""What is added after the camera's move: lines, layouts, joins, over the same without them."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from itertools import count
from pathlib import Path
from typing import Any

from bench import scene
from bench.figures import Figure, interleaved
from vistaline.core import edits
from vistaline.core.film import edits as film_edits
from vistaline.core.film.film import Film, ShotRef
from vistaline.core.looks.frame_styles import READY_STYLES
from vistaline.core.looks.lines import Line, LineShape
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.film import FilmFrames
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import LineShown, PictureShown
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.drawn import Looks

__all__ = ["measure"]

ROUNDS = 11
LINES = 200


def measure() -> list[Figure]:
    """Return what 200 drawn lines, four pictures four up and joins of a film cost."""
    shot, pyramids = scene.shot(), scene.pyramids()
    with tempfile.TemporaryDirectory() as folder:
        store = PyramidStore(Path(folder))

        def renderer(each: Shot) -> Renderer:
            return Renderer(each, Looks(each, store, pyramids.__getitem__))

        runs: dict[str, Callable[[Any], Any]] = {
            "plain": _runs(renderer(shot)),
            "lines": _runs(renderer(_lined(shot))),
            "cards": _runs(renderer(_four(shot, laid=False))),
            "four": _runs(renderer(_four(shot, laid=True))),
        }
        took = interleaved(runs, ROUNDS)
        joins = _joins(shot, store, pyramids)
    return [
        Figure(
            f"{LINES} drawn lines, plain frames in all", took["lines"] / took["plain"], "x", 1.5
        ),
        Figure(
            "four up with shadows, of its pictures as cards", took["four"] / took["cards"], "x", 1.0
        ),
        *joins,
    ]


def _lined(shot: Shot) -> Shot:
    """Return a shot with 200 short lines before it, in rows, as a map or a diagram has them."""
    line = Line(shape=LineShape.ARROW, width=0.03, height=0.01, weight=0.0012, rough=0.3)
    lines = tuple(
        Layer(
            id=f"line-{n}",
            name=f"Line {n}",
            shows=LineShown(line=line.evolve(seed=n % 5)),
            stands=FreeCard(),
            distance=0.9,
            across=-0.4 + 0.04 * (n % 20),
            up=-0.2 + 0.04 * (n // 20),
        )
        for n in range(LINES)
    )
    return shot.evolve(layers=(*shot.layers, *lines))


def _four(shot: Shot, *, laid: bool) -> Shot:
    """Return four pictures as cards with frames and shadows, laid out four up or standing so."""
    style = READY_STYLES["White border"]
    keys = list(shot.pictures)[:1] * 4
    cards = tuple(
        Layer(
            id=f"card-{n}",
            name=f"Card {n}",
            shows=PictureShown(picture=key),
            stands=FreeCard(width=0.44),
            distance=1.0,
            across=-0.25 + 0.5 * (n % 2),
            up=0.15 - 0.3 * (n // 2),
            frame_style="s",
        )
        for n, key in enumerate(keys)
    )
    back = shot.layers[:1]
    framed = shot.evolve(layers=(*back, *cards), frame_styles={"s": style}, rows=())
    if not laid:
        return framed
    values = {"layers": [each.id for each in cards], "kind": "four"}
    out = edits.apply(framed, "lay_out", values)
    return edits.apply(out, "set_layout", {"layout": "l1", "comes": False, "goes": False})


def _joins(shot: Shot, store: PyramidStore, pyramids: Any) -> list[Figure]:
    """Return what a frame of each join costs, of what both sides do by themselves."""
    other = shot.evolve(name="other")
    shots = {"a": shot, "b": other}

    def looks_of(each: Shot) -> Looks:
        return Looks(each, store, pyramids.__getitem__)

    sides = Renderer(shot, looks_of(shot)), Renderer(other, looks_of(other))
    frames = count()

    def both(_: Any) -> None:
        at = next(frames) % 12
        sides[0].yuv(shot.duration - 14 + at)
        sides[1].yuv(at)

    found = []
    for kind in ("dissolve", "wipe", "push", "dip", "swish"):
        film = Film(frame={"width": shot.frame.width, "height": shot.frame.height})  # type: ignore[arg-type]
        for key, each in shots.items():
            ref = ShotRef(file=f"{key}.json", frames=each.duration, rate=each.frame.rate)
            film = film_edits.apply(film, "add_piece", {"key": key, "shot": ref})
        film = film_edits.apply(film, "set_join", {"piece": "p2", "kind": kind, "frames": 14})
        joined = FilmFrames(film, shots, looks_of)
        start = joined.timeline.stretches[1].start
        took = interleaved({"both": both, "join": _from(joined, start)}, ROUNDS)
        found.append(
            Figure(f"a {kind}, of what both sides cost", took["join"] / took["both"], "x", 1.0)
        )
    return found


def _from(frames: FilmFrames, start: int) -> Callable[[Any], Any]:
    at = count()
    return lambda _: frames.yuv(start + next(at) % 7)


def _runs(renderer: Renderer) -> Callable[[Any], Any]:
    frames = count()
    # Another frame each time: none is kept from the one before.
    return lambda _: renderer.yuv(18 + next(frames) % 12)
