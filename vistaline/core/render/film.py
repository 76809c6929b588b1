"""Frames of a film: of its shots, joined."""

from __future__ import annotations

import math
import os
from collections import OrderedDict
from collections.abc import Callable, Mapping
from functools import cache

import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.film.film import Film, JoinKind
from vistaline.core.film.timeline import Moment, Stretch, Timeline
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.canvas import CompositeBand
from vistaline.core.render.crew import Crew
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.render.frames import Frames
from vistaline.core.render.joins import AXES, Slide, dipped, joined, slid, slides_of
from vistaline.core.render.mean import hand_on
from vistaline.core.render.source import STANDARD, Quality
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.pace import pace_in_middle

__all__ = ["FilmFrames", "film_at", "told_by_shots"]

_OPEN = 3
"""Shots that are kept open: both sides of a join, and the next."""


def told_by_shots(film: Film, shots: Mapping[str, Shot]) -> Film:
    """Return a film that says of its shots what they are now: name, length, rate."""
    return film.evolve(
        shots={
            key: ref.evolve(
                name=shots[key].name, frames=shots[key].duration, rate=shots[key].frame.rate
            )
            for key, ref in film.shots.items()
        }
    )


def film_at(film: Film, scale: float) -> Film:
    """Return a film with frames ``scale`` times as large, in whole even pixels."""
    width, height = (max(16, 2 * round(side * scale / 2)) for side in film.frame.size)
    return film.evolve(frame=film.frame.evolve(width=width, height=height))


class FilmFrames(Frames):
    """Renders frames of one film. One thread at a time."""

    def __init__(
        self,
        film: Film,
        shots: Mapping[str, Shot],
        looks_of: Callable[[Shot], Mapping[str, Pyramid]],
        *,
        quality: Quality = STANDARD,
        threads: int | None = None,
    ) -> None:
        """``shots``: those of the film, by its keys; ``looks_of`` gives their layers' looks.

        A shot of another size is fitted into the frame, with black beside it.
        """
        super().__init__(film.frame.size, film.frame.rate)
        self.timeline = Timeline(told_by_shots(film, shots))
        self._shots = {key: self._fitted(shot) for key, shot in shots.items()}
        self._looks_of, self._quality, self._threads = looks_of, quality, threads
        self._open: OrderedDict[str, Renderer] = OrderedDict()
        self._crew = Crew(threads or os.cpu_count() or 1)
        self._slides = cache(self._slides_at)
        self._buffers = [np.empty((self.height, self.width, 4), np.uint16) for _ in range(2)]

    @property
    def duration(self) -> int:
        """How many frames it has."""
        return self.timeline.duration

    def bands(self, frame: float, composite_band: CompositeBand) -> None:
        """See :meth:`Frames.bands`."""
        moment = self.timeline.moment(int(frame))
        renderer = self._renderer(moment.stretch)
        if moment.join is None and renderer.size == self.size:
            renderer.bands(moment.frame, composite_band)
            return
        hand_on(self._picture(moment), np.zeros(3, np.float32), composite_band, self._crew)

    def _picture(self, moment: Moment) -> Rgba16:
        after = self._linear(moment.stretch, moment.frame, self._buffers[0])
        join = moment.join
        if join is None:
            return after
        if moment.before is not None:
            return joined(
                self._linear(moment.before, moment.frame_before, self._buffers[1]),
                after,
                join,
                moment.share,
            )
        if join.kind is JoinKind.DIP:
            return dipped(after, join, moment.share)
        slide, open_for = self._slide(moment)
        return slid(after, join.side, slide, open_for)

    def _linear(self, stretch: Stretch, frame: float, out: Rgba16) -> Rgba16:
        renderer = self._renderer(stretch)
        if renderer.size == self.size:
            return renderer.linear(frame, out)
        out[:] = 0, 0, 0, 65535
        left, top = (self.width - renderer.width) // 2, (self.height - renderer.height) // 2
        inside = out[top : top + renderer.height, left : left + renderer.width]
        inside[:] = renderer.linear(frame)
        return out

    def _renderer(self, stretch: Stretch) -> Renderer:
        key = stretch.piece.shot
        found = self._open.pop(key, None)
        if found is None:
            shot = self._shots[key]
            found = Renderer(
                shot, self._looks_of(shot), quality=self._quality, threads=self._threads
            )
        self._open[key] = found
        while len(self._open) > _OPEN:
            self._open.popitem(last=False)
        return found

    def _fitted(self, shot: Shot) -> Shot:
        width, height = shot.frame.size
        fit = scaled(shot, min(self.width / width, self.height / height))
        inside = min(fit.frame.width, self.width), min(fit.frame.height, self.height)
        return fit.evolve(frame=fit.frame.evolve(width=inside[0], height=inside[1]))

    def _slide(self, moment: Moment) -> tuple[Slide, float]:
        """Return how a swish takes a picture aside, and how long the shutter is open for that."""
        join = moment.join
        assert join
        half = -(-join.frames // 2)
        n = min(half - 1, int(moment.share * 2 * half) % half)
        stretches = self.timeline.stretches
        at = stretches.index(moment.stretch)
        slides = self._slides(at if moment.goes else at - 1)[0 if moment.goes else 1]
        shutter = self._shots[moment.stretch.piece.shot].camera.shutter.angle / 360
        return slides[n], shutter

    def _slides_at(self, n: int) -> tuple[list[Slide], list[Slide]]:
        """Return how the swish after the ``n``-th piece takes the one that goes, and that comes."""
        goes, comes = self.timeline.stretches[n : n + 2]
        join = comes.join
        assert join
        right, down = AXES[join.side]
        speeds = []
        for stretch, frame in ((goes, goes.last), (comes, comes.first)):
            x, y = pace_in_middle(self._shots[stretch.piece.shot], frame)
            speeds.append((x * right + y * down) * float(stretch.pace))
        side = self.width if right else self.height
        half = math.ceil(join.frames / 2)
        return (
            slides_of(half, side, speeds[0], speeds[1], goes=True),
            slides_of(half, side, speeds[1], speeds[0], goes=False),
        )
