"""What is added to a whole frame: rays, glow and flare, in that order."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from vistaline.core.picture.preview import alpha_at
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.added import NOTHING, Added
from vistaline.core.render.bright import Darkened, OnlyBright, bright_of, share_kept
from vistaline.core.render.canvas import Canvas, tiles_of
from vistaline.core.render.composite import composite_linear
from vistaline.core.render.crew import Crew
from vistaline.core.render.flare import add_flare
from vistaline.core.render.glow import glow_of
from vistaline.core.render.laying import Cards
from vistaline.core.render.modifier import Modifier
from vistaline.core.render.placing import Placed, place
from vistaline.core.render.rays import rays_of
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.source import Quality
from vistaline.core.shot.beams import Flare, Glow, Rays
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.dressing import InAir
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.surfaces import surface_of

__all__ = ["Beams", "shines_over"]

_HIDDEN = 0.02
"""Of the frame's height: the radius of what must be hidden for a flare to be gone."""


def shines_over(state: FrameState) -> bool:
    """Return whether anything is added to the frame as a whole."""
    return any(isinstance(each.thing, Rays | Glow | Flare) for each in state.air)


@dataclass(frozen=True, eq=False)
class Beams:
    """Adds the light that is seen by itself to frames of one size."""

    looks: Mapping[str, Pyramid]
    quality: Quality
    crew: Crew
    shelf: Shelf
    canvases: dict[tuple[int, int], Canvas] = field(default_factory=dict)
    """The places where layers are drawn alone, by their sizes."""

    def alone(self, state: FrameState, ground: np.ndarray) -> Added | None:
        """Return what shines, where that can be told without the frame; see :meth:`added`."""
        found = self._shining(state)
        if len(found) != 1:
            return None
        each = found[0]
        if isinstance(each.thing, Rays):
            return self._rays(each, state, ground)
        if isinstance(each.thing, Glow) and each.thing.layers:
            return self._glow(None, each, state, ground)
        return None

    @staticmethod
    def _shining(state: FrameState) -> list[InAir]:
        """Return what is added, in order."""
        return [
            each
            for kind in (Rays, Glow, Flare)
            for each in state.air
            if isinstance(each.thing, kind) and getattr(each.thing, "brightness", 0) > 0
        ]

    def added(self, picture: np.ndarray, state: FrameState, ground: np.ndarray) -> Added:
        """Add to a frame (height, width, 4) uint16, linear and premultiplied, all that shines.

        ``ground`` (3,): what is behind it, 0..65535. What is added last is returned: who hands the
        frame on adds it on the way.
        """
        last = NOTHING
        for each in self._shining(state):
            if last is not NOTHING:
                last.to(picture, self.crew)
            last = self._added(picture, each, state, ground)
        return last

    def _added(
        self, picture: np.ndarray, each: InAir, state: FrameState, ground: np.ndarray
    ) -> Added:
        if isinstance(each.thing, Rays):
            return self._rays(each, state, ground)
        if isinstance(each.thing, Glow):
            return self._glow(picture, each, state, ground)
        self._flare(picture, each, state)
        return NOTHING

    def _glow(
        self, picture: np.ndarray | None, each: InAir, state: FrameState, ground: np.ndarray
    ) -> Added:
        """Return what a glow adds; of chosen layers it needs no picture of the frame."""
        glow = each.thing
        assert isinstance(glow, Glow)
        if glow.layers:
            alone = self._alone(state, 0.5, set(glow.layers), glow.threshold, glow.knee, None)
            bright = np.ascontiguousarray(alone[..., :3].transpose(2, 0, 1), np.float32)
        else:
            assert picture is not None
            bright = bright_of(picture, ground, glow.threshold, glow.knee, self.crew, self.shelf)
        size = glow.size * state.camera.frame_size[1] / 2
        gain = np.asarray(each.colour * glow.brightness, np.float32)
        return Added(glow_of(bright, size, self.crew, self.shelf), 2, gain)

    def _rays(self, each: InAir, state: FrameState, ground: np.ndarray) -> Added:
        rays, camera = each.thing, state.camera
        assert isinstance(rays, Rays)
        there = camera.camera_from_world @ [*each.pose[:3, 3], 1.0]
        if there[2] > -1e-6:
            return NOTHING  # it is behind the camera: nothing shines towards what is seen
        point = camera.image_from_camera @ there[:3]
        x, y = float(point[0] / point[2]), float(point[1] / point[2])
        doublings = 2 if self.quality.samples < 8 else 1
        scale = 0.5**doublings
        near = float(1 / -there[2])
        giving = {
            card.layer.id
            for card in (state.cards[i] for i in state.order)
            if card.layer.is_backdrop or _nearness(card.nearness(camera), x, y) <= near * 1.001
        }
        bright = self._alone(state, scale, giving, rays.threshold, rays.knee, ground)
        if rays.own_colour:
            bright[..., :3] = bright[..., :3].max(axis=-1, keepdims=True)
        length = rays.length * camera.frame_size[0] * scale
        light = rays_of(bright, (x * scale, y * scale), length, self.crew, self.shelf)
        return Added(light, doublings, np.asarray(each.colour * rays.brightness, np.float32))

    def _alone(
        self,
        state: FrameState,
        scale: float,
        giving: Collection[str],
        threshold: float,
        knee: float,
        ground: np.ndarray | None,
    ) -> np.ndarray:
        """Return what is bright of some layers (rows, columns, 4) uint16, smaller by ``scale``.

        The others are dark, and hide it where they are in front. ``ground``: the background, if it
        shines, too.
        """
        raster = state.camera.on_raster(scale)
        small = state.seen_by(raster)
        tiles = tiles_of(raster.frame_size)
        cover = np.zeros(tiles)
        placed = []
        for index in reversed(small.order):
            found = place(index, small, self.looks, self.quality, cover)
            if found:
                lights = small.cards[index].layer.id in giving
                last: Modifier = OnlyBright(threshold, knee) if lights else Darkened()
                placed.append(replace(found, modifiers=(*found.modifiers, last)))
        return self._drawn(placed, small, raster, threshold, knee, ground)

    def _drawn(
        self,
        placed: Sequence[Placed],
        state: FrameState,
        camera: CameraState,
        threshold: float,
        knee: float,
        ground: np.ndarray | None,
    ) -> np.ndarray:
        width, height = camera.frame_size
        size = width, height
        if size not in self.canvases:
            self.canvases[size] = Canvas(size, self.crew)
        canvas = self.canvases[size]
        picture = self.shelf.lend((height, width, 4))
        behind = np.zeros(3, np.float32) if ground is None else _bright(ground, threshold, knee)

        def encode(y0: int, y1: int, cards: Cards, colour: np.ndarray) -> None:
            composite_linear(cards, colour, y0, picture[y0:y1])

        canvas.draw(placed, state.parallel, behind, encode)
        return picture

    def _flare(self, picture: np.ndarray, each: InAir, state: FrameState) -> None:
        flare, camera = each.thing, state.camera
        assert isinstance(flare, Flare)
        there = camera.camera_from_world @ [*each.pose[:3, 3], 1.0]
        if there[2] > -1e-6:
            return
        point = camera.image_from_camera @ there[:3]
        place = float(point[0] / point[2]), float(point[1] / point[2])
        seen = self._seen(state, place, float(1 / -there[2]))
        if seen > 0:
            add_flare(picture, flare, each.colour * seen, place, self.crew)

    def _seen(self, state: FrameState, place: tuple[float, float], near: float) -> float:
        """Return how much of what shines is not hidden by what is nearer, 0..1."""
        camera = state.camera
        width, height = camera.frame_size
        if not (-width < place[0] < 2 * width and -height < place[1] < 2 * height):
            return 0.0
        radius = _HIDDEN * height
        points = [(0.0, 0.0)]
        points += [
            (radius * far * np.cos(turn), radius * far * np.sin(turn))
            for far in (0.5, 1.0)
            for turn in np.arange(8) * np.pi / 4
        ]
        total = 0.0
        for dx, dy in points:
            left = 1.0
            for i in state.order:
                card = state.cards[i]
                if card.layer.is_backdrop:
                    continue
                left *= 1 - self._cover(state, i, place[0] + dx, place[1] + dy, near)
            total += left
        return total / len(points)

    def _cover(self, state: FrameState, index: int, x: float, y: float, near: float) -> float:
        """Return how much a card covers of what is farther away at a frame point, 0..1."""
        card = state.cards[index]
        met = surface_of(card.layer).trace(card, state.camera, np.array(x), np.array(y))
        if not met.near > near * 1.001 or np.isnan(met.u):
            return 0.0
        return alpha_at(self.looks[card.texture], float(met.u), float(met.v)) * card.opacity


def _nearness(told: np.ndarray, x: float, y: float) -> float:
    return float(told[0] * x + told[1] * y + told[2])


def _bright(ground: np.ndarray, threshold: float, knee: float) -> np.ndarray:
    """Return what of the background is bright."""
    light = np.float32(ground.max() / 65535)
    return np.asarray(ground * share_kept(light, threshold, max(knee, 1e-4)), np.float32)
