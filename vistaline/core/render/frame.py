"""Frames of a shot: order, warps, compositing, in bands that stay in the processor's cache."""

from __future__ import annotations

import math
import os
from collections.abc import Iterable, Mapping, Sequence

import cv2
import numpy as np

from vistaline.core.looks.blending import MODES, Blend
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render import composite
from vistaline.core.render.added import NOTHING
from vistaline.core.render.beams import Beams, shines_over
from vistaline.core.render.canvas import Canvas, CompositeBand, tiles_of
from vistaline.core.render.character import bent_alike, changes_frame, with_character
from vistaline.core.render.contact import with_shades
from vistaline.core.render.crew import Crew
from vistaline.core.render.fields import FrameFields, seen_in
from vistaline.core.render.finishing import finished, flattened
from vistaline.core.render.frames import Frames
from vistaline.core.render.graded import finish_of
from vistaline.core.render.hazed import sky_of
from vistaline.core.render.laying import Cards
from vistaline.core.render.mean import hand_on, mean_of
from vistaline.core.render.motes import with_motes
from vistaline.core.render.motion import Exposed, exposed, filled
from vistaline.core.render.moved import Blurred
from vistaline.core.render.nearest import nearest_of
from vistaline.core.render.placing import Placed, place
from vistaline.core.render.redrawn import place_in
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.soft import Softened, softened
from vistaline.core.render.source import STANDARD, Quality
from vistaline.core.render.views import View, is_blurred, views_of
from vistaline.core.shot.air import Particles
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import FrameState, evaluate
from vistaline.core.stage.exposure import camera_at, exposure_of
from vistaline.core.stage.finish import effects_over, split_at_spreading
from vistaline.core.stage.particles import Flock, flock_at

__all__ = ["Renderer", "scaled"]


def scaled(shot: Shot, scale: float) -> Shot:
    """Return the shot with a frame ``scale`` times as large, in whole even pixels.

    Pictures, stage and camera stay: only the number of output pixels changes.
    """
    even = [max(16, 2 * round(side * scale / 2)) for side in shot.frame.size]
    return shot.evolve(frame=shot.frame.evolve(width=even[0], height=even[1]))


class Renderer(Frames):
    """Renders frames of one shot; keeps its buffers from frame to frame. One thread at a time."""

    def __init__(
        self,
        shot: Shot,
        looks: Mapping[str, Pyramid],
        *,
        quality: Quality = STANDARD,
        threads: int | None = None,
    ) -> None:
        """``looks`` has a pyramid for each texture that a shown layer uses.

        ``threads`` share a frame's bands, by default one a core. OpenCV's own threads are turned
        off in this process: two kinds would only get in each other's way.
        """
        cv2.setNumThreads(1)
        self.shot = shot
        self._looks = looks
        self._quality = quality
        super().__init__(shot.frame.size, shot.frame.rate)
        self._ground = (np.array(hex_to_linear(shot.background)) * 65535).astype(np.float32)
        self._crew = Crew(threads or os.cpu_count() or 1)
        self._canvas = Canvas(self.size, self._crew)
        self._around: Canvas | None = None
        """The last that was larger than the frame."""
        self._shelf = Shelf()
        self._beams = Beams(looks, quality, self._crew, self._shelf)

    def bands(self, frame: float, composite_band: CompositeBand) -> None:
        """See :meth:`Frames.bands`."""
        state = evaluate(self.shot, [frame])[0]
        ground = np.minimum(self._ground * np.float32(state.gain), np.float32(65535))
        points = self._quality.views if is_blurred(state) else 0
        fine = self._quality.views > 0
        span = exposure_of(self.shot, frame)
        least = max(2 * points, self._quality.moments)
        moving = exposed(self.shot, frame, *span, fine=fine, at_least=least)
        character = camera_at(self.shot, frame).character
        finish = finish_of(state, self._looks, self._quality)
        spreading, _ = split_at_spreading(effects_over(state))
        open_for = (span[1] - span[0]) / float(self.shot.frame.rate)
        over = shines_over(state)
        alone = self._beams.alone(state, ground) if over else None
        if fine and (moving or points):
            views = views_of(moving.states if moving else [state] * points)
            drawn = [self._exactly(view, state, open_for / len(views)) for view in views]
            picture = self._mean(self._canvas, drawn)
        elif moving:
            picture = self._moving(moving, state, open_for / len(moving.states))
        elif changes_frame(character) or (over and not alone) or spreading:
            picture = self._one(self._softened(state, open_for), state.parallel)
        else:
            cards = self._softened(state, open_for)
            added = alone or NOTHING
            self._canvas.draw(cards, state.parallel, ground, composite_band, added, finish)
            self._shelf.take_all_back()
            return
        added = alone or (self._beams.added(picture, state, ground) if over else NOTHING)
        if added is not NOTHING and (changes_frame(character) or spreading):
            added.to(picture, self._crew)
            added = NOTHING
        picture = with_character(picture, character, self._crew, self._shelf)
        if spreading:
            if ground.any():
                picture = flattened(picture, ground, self._crew)
            fields = FrameFields(seen_in(state, self._looks, self._quality), state.camera)
            where = place_in(fields, round(frame))
            picture = finished(picture, spreading, fields, where, self._crew)
        hand_on(picture, ground, composite_band, self._crew, added, finish)
        self._shelf.take_all_back()

    def nearest(self, frame: float) -> np.ndarray:
        """See :meth:`Frames.nearest`."""
        middle = sum(exposure_of(self.shot, frame)) / 2
        state = evaluate(self.shot, [middle])[0]
        cover = np.zeros(self._canvas.tiles)
        placed = (
            place(index, state, self._looks, self._quality, cover)
            for index in reversed(state.order)
        )
        found = nearest_of(self._canvas, [each for each in placed if each])
        return bent_alike(found, camera_at(self.shot, frame).character)

    def _one(self, cards: Sequence[Placed], parallel: bool) -> np.ndarray:
        """Return a frame (height, width, 4) uint16, linear, premultiplied, over nothing."""
        picture = self._shelf.lend((self.height, self.width, 4))

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            composite.composite_linear(cards, ground, y0, picture[y0:y1])

        self._canvas.draw(cards, parallel, np.zeros(3, np.float32), encode)
        return picture

    def _mean(self, canvas: Canvas, drawn: Sequence[tuple[list[Placed], bool]]) -> np.ndarray:
        laid = [canvas.lay(cards, parallel) for cards, parallel in drawn]
        picture = self._shelf.lend((canvas.height, canvas.width, 4))
        mean_of(canvas, laid, self._crew, picture)
        return picture

    def _exactly(self, view: View, still: FrameState, open_for: float) -> tuple[list[Placed], bool]:
        """Return how a view is drawn; what is not blurred by motion is as in ``still``."""
        cover = np.zeros(self._canvas.tiles)
        unmoved = still.seen_by(view.state.camera.beside(still.camera))
        found = []
        for index in reversed(view.state.order):
            card = view.state.cards[index]
            at = view.state if card.layer.motion_blur else unmoved
            quality = view.quality_for(card, self._quality)
            found.append(place(index, at, self._looks, quality, cover))
        blurs = view.points == 1
        return self._in_air(found, view.state, cover, open_for, blurs=blurs), view.state.parallel

    def _softened(self, state: FrameState, open_for: float) -> list[Placed]:
        """Return how a state is drawn, what is out of focus card by card; near to far."""
        cover = np.zeros(tiles_of(state.camera.frame_size))
        found = (
            softened(index, state, self._looks, self._quality, cover, self._crew, self._shelf)
            for index in reversed(state.order)
        )
        return self._in_air(found, state, cover, open_for, blurs=True)

    def _in_air(
        self,
        found: Iterable[Placed | None],
        state: FrameState,
        cover: np.ndarray,
        open_for: float,
        *,
        blurs: bool,
    ) -> list[Placed]:
        """Return what is seen, near to far, particles between, and behind it all the air before
        the background."""
        seen = [*with_shades(found, state, self._looks, self._quality)]
        flocks = self._flocks(state)
        if flocks:
            seen = with_motes(seen, flocks, state, self._looks, open_for, blurs=blurs)
        sky = sky_of(state, state.camera, self._looks, cover)
        if sky:
            seen.append(Placed(sky, 1.0, MODES[Blend.NORMAL], (), state.camera))
        return seen

    def _flocks(self, state: FrameState) -> list[Flock]:
        """Return the particles that are in the air."""
        frame = state.seconds * float(self.shot.frame.rate)
        return [
            flock_at(self.shot, each, frame)
            for each in self.shot.dressing
            if isinstance(each, Particles) and any(x.thing.id == each.id for x in state.air)
        ]

    def _moving(self, moving: Exposed, still: FrameState, open_for: float) -> np.ndarray:
        """Return the mean of a frame's moments, with what lies between them filled in."""
        margin = moving.margin
        canvas = self._canvas
        if margin:
            if self._around is None or self._around.margin != margin:
                self._around = Canvas(self.size, self._crew, margin)
            canvas = self._around

        def there(state: FrameState) -> FrameState:
            return state.seen_by(state.camera.on_raster(1.0, margin)) if margin else state

        still = there(still)
        blurred = self._blurred_once(moving, margin)
        drawn = []
        for state in map(there, moving.states):
            cover = np.zeros(canvas.tiles)
            found = []
            for index in reversed(state.order):
                card, given = state.cards[index], blurred.get(index)
                if given and card.layer.motion_blur and card.texture == given.texture:
                    found.append(given.at(index, state, cover))
                    continue
                at = state if card.layer.motion_blur else still
                found.append(
                    softened(
                        *(index, at, self._looks, self._quality, cover, self._crew, self._shelf)
                    )
                )
            drawn.append((self._in_air(found, state, cover, open_for, blurs=True), state.parallel))
        picture = self._mean(canvas, drawn)
        picture = filled(picture, moving.fills, margin, self._crew, self._shelf)
        return picture[margin : picture.shape[0] - margin, margin : picture.shape[1] - margin]

    def _blurred_once(self, moving: Exposed, margin: int) -> dict[int, Blurred]:
        """Return the flat cards that are out of focus, by their numbers, ready to be moved."""
        middle = moving.middle
        if middle.camera.optics is None:
            return {}
        around = margin + math.ceil(moving.way / 2)
        wide = middle.seen_by(middle.camera.on_raster(1.0, around))
        found = {}
        for index in wide.order:
            nothing = np.zeros(tiles_of(wide.camera.frame_size))
            placed = softened(
                *(index, wide, self._looks, self._quality, nothing, self._crew, self._shelf),
                spare=True,
            )
            if placed and isinstance(placed.source, Softened):
                found[index] = Blurred(placed.source, wide, wide.cards[index].texture)
        return found
