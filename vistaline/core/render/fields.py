"""Numbers for each pixel of a frame that effects ask for: masks, vignettes, what screens print."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.geometry.inside import NO_OUTLINE, inside_of
from vistaline.core.kept import Kept
from vistaline.core.looks.blending import LIT
from vistaline.core.picture.grade import NO_PLANES
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.crew import Crew
from vistaline.core.render.field_rows import (
    fill_alpha,
    fill_print,
    fill_ramp,
    fill_range,
    fill_ranks,
    fill_shape,
    fill_tiled,
    ground_tile,
    screen_ranks,
)
from vistaline.core.render.overlaid import drawn_overlay
from vistaline.core.render.source import Asked, Quality, Source
from vistaline.core.render.sources import source_on
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND
from vistaline.core.shot.edges import Wipe
from vistaline.core.shot.effects import Effect, Mask, MaskShape
from vistaline.core.shot.overlays import (
    Grain,
    Ground,
    Halftone,
    Overlay,
    Screen,
    Vignetting,
)
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.masks import box_of, vignette_box, whole_frame
from vistaline.core.stage.program import Fields
from vistaline.core.stage.surfaces import surface_of

__all__ = ["FrameFields", "drawn_cover", "screen_ranks", "seen_in"]

_ELLIPSE, _GRADIENT, _OUTLINE, _STRIP = 0, 1, 2, 3
_SHAPES = {
    MaskShape.ELLIPSE: _ELLIPSE,
    MaskShape.GRADIENT: _GRADIENT,
    MaskShape.OUTLINE: _OUTLINE,
    MaskShape.STRIP: _STRIP,
}
_LINES = 1080
"""Of a frame, for which pitches and grain are told."""


@dataclass(frozen=True, eq=False)
class Seen:
    """A frame as fields are drawn for it; what has been drawn is kept for the next layer."""

    state: FrameState
    looks: Mapping[str, Pyramid]
    quality: Quality
    kept: dict[object, np.ndarray] = field(default_factory=dict)

    @property
    def frame(self) -> int:
        """Its number: what moves by itself is another one in each."""
        return round(self.state.seconds * float(self.state.layout.stage.shot.frame.rate))


def seen_in(state: FrameState, looks: Mapping[str, Pyramid], quality: Quality) -> Seen:
    """Return a frame for fields: one for all its layers."""
    if Seen not in state.kept:
        state.kept[Seen] = Seen(state, looks, quality)
    found: Seen = state.kept[Seen]
    return found


_KEPT: Kept[np.ndarray] = Kept("fields")
"""What stays the same from frame to frame is drawn once."""


@cache
def _crew() -> Crew:
    """Return the threads that draw fields: they are drawn before a frame's own threads begin."""
    return Crew(os.cpu_count() or 1)


class FrameFields(Fields):
    """Fields of one frame, or of one layer in it, numbered as they are asked for."""

    def __init__(self, seen: Seen, camera: CameraState, card: Card | None = None) -> None:
        """``camera``: over whose raster they are; ``card``: whose depth counts, if any."""
        self._seen, self.camera, self._card = seen, camera, card
        self._planes: list[np.ndarray] = []
        self._names: list[object] = []  # None of what belongs to this frame only

    @property
    def planes(self) -> np.ndarray:
        """(P, height, width) uint16: all that were asked for."""
        if not self._planes:
            return NO_PLANES
        if len(self._planes) == 1:
            return self._planes[0][None]
        if None in self._names:
            return np.stack(self._planes)
        return _KEPT.get(("all", *self._names), lambda: np.stack(self._planes))

    @property
    def relative(self) -> float:
        """Pixels of this raster to one of the frame."""
        return self.camera.focal_px / self._seen.state.camera.focal_px

    @property
    def scale(self) -> float:
        """Pixels of this raster to one of 1080 lines: coarser rasters have coarser screens."""
        return float(self.whole[1] / _LINES * self.relative)

    @property
    def whole(self) -> FloatArray:
        """Width and height of the frame, without what a raster has round it."""
        return whole_frame(self._seen.state)

    def _numbered(self, key: tuple[object, ...], draw: Callable[[], np.ndarray]) -> int:
        """Return the number of a plane, drawn or kept; ``key`` says all it is drawn from."""
        key = (*key, self.camera.frame_size)
        self._planes.append(_KEPT.get(key, draw))
        self._names.append(key)
        return len(self._planes) - 1

    def mask(self, effect: Effect) -> int | None:
        """Return the number of the plane of an effect's mask; -1: it has none."""
        mask = effect.mask
        if mask is None:
            return -1
        if mask.shape is MaskShape.DEPTH:
            return None if self._card is None else self._depth(mask, self._card)
        if mask.shape is MaskShape.LAYER:
            key = "cover", id(self._seen), self.camera, mask.of, mask.outside
            if key not in self._seen.kept:
                self._seen.kept[key] = self._cover(mask)
            self._planes.append(self._seen.kept[key])
            self._names.append(None)
            return len(self._planes) - 1
        return self._shape(mask)

    def vignette(self, effect: Vignetting) -> int:
        """Return the number of the plane of how much a vignette shows."""
        box = vignette_box(effect, self.camera.frame_size)
        key = "vignette", tuple(box.ravel().tolist()), effect.softness
        return self._numbered(
            key, lambda: self._fill(box, _ELLIPSE, effect.softness, NO_OUTLINE, outside=True)
        )

    def screen(self, effect: Halftone | Screen) -> int:
        """Return the number of the plane of a screen; a halftone's edges are in the next."""
        cells = self._cells(effect, effect.pitch)
        ranks = screen_ranks(effect.shape)
        width, height = self.camera.frame_size
        grid = tuple(cells.ravel().tolist())
        if isinstance(effect, Screen):

            def printed() -> np.ndarray:
                out = np.empty((height, width), np.uint16)
                self._run(
                    lambda y0, y1: fill_print(cells, ranks, effect.cover, y0, out[y0:y1]), height
                )
                return out

            return self._numbered(("screen", effect.shape, effect.cover, grid), printed)

        def ranked() -> np.ndarray:
            both = np.empty((2, height, width), np.uint16)
            self._run(
                lambda y0, y1: fill_ranks(cells, ranks, y0, both[0, y0:y1], both[1, y0:y1]), height
            )
            return both

        key = "halftone", effect.shape, grid, self.camera.frame_size
        both = _KEPT.get(key, ranked)
        self._planes.extend(both)
        self._names.extend([(*key, n) for n in (0, 1)])
        if len(self._planes) == 2:
            self._names = [key]
        return len(self._planes) - 2

    def ground(self, effect: Ground) -> int:
        """Return the number of the plane of the structure of paper or canvas."""
        # A tile is as wide as half the height of a frame, or of the layer it lies on.
        cells = self._cells(effect, _LINES / 2 * effect.size)
        width, height = self.camera.frame_size
        tile = ground_tile(effect.stuff)

        def draw() -> np.ndarray:
            out = np.empty((height, width), np.uint16)
            self._run(lambda y0, y1: fill_tiled(cells, tile, y0, out[y0:y1]), height)
            return out

        key = "ground", effect.stuff, tuple(cells.ravel().tolist())
        return self._numbered(key, draw)

    def overlay(self, effect: Overlay) -> int | None:
        """Return the number of the first of four planes of an own picture: colours and alpha."""
        pictures = self._seen.state.layout.stage.shot.pictures
        if effect.picture not in pictures:
            return None
        outer, aspect = self._lies_on(effect.fixed)
        look, file = self._seen.looks[effect.picture], pictures[effect.picture].file
        size = self.camera.frame_size
        place = (*outer.ravel().tolist(), aspect)
        named = effect.laid, effect.size, effect.turn, effect.x, effect.y, effect.blend in LIT
        key = "overlay", file, place, *named, size
        four = _KEPT.get(key, lambda: drawn_overlay(effect, look, file, outer, aspect, size))
        self._planes.extend(four)
        self._names.extend((*key, n) for n in range(4))
        return len(self._planes) - 4

    def wipe(self, effect: Wipe) -> int:
        """Return the number of the plane of how much a wipe leaves: across its layer."""
        if self._card is None:
            width, height = self.whole.tolist()
            wide, high = self.camera.frame_size
            outer = np.array([[1, 0, -wide / 2], [0, -1, high / 2], [0, 0, 1.0]])
        else:
            width, height = self._card.width, self._card.height
            outer = np.linalg.inv(self._card.image_from_card(self.camera))
        turn = math.radians(effect.angle)
        way = np.array([math.cos(turn), math.sin(turn)])
        extent = float(np.abs(way) @ [width, height])
        # Along the way, 0 where the layer begins and 1 where it ends.
        along = np.array([[*(way / extent), 0.5], [0, 0, 0], [0, 0, 1]]) @ outer

        def draw() -> np.ndarray:
            wide, high = self.camera.frame_size
            out = np.empty((high, wide), np.uint16)
            soft = max(effect.softness, 1e-3)
            first = effect.place * (1 + soft) - soft / 2

            def work(y0: int, y1: int) -> None:
                fill_ramp(along, first - soft / 2, 1 / soft, y0, out[y0:y1])

            self._run(work, high)
            return out

        key = "wipe", effect.place, effect.softness, tuple(along.ravel().tolist())
        return self._numbered(key, draw)

    def grain(self, effect: Grain) -> tuple[float, float, float]:
        """Return the size of grain in pixels, and from where in its tile it is taken."""
        frame = self._seen.frame if effect.moves else 0
        x, y = np.random.RandomState((effect.seed * 7919 + frame * 104729) % 2**32).randint(
            0, 512, 2
        )
        return effect.size * self.scale, float(x), float(y)

    # --- masks ------------------------------------------------------------------------------------

    def _cover(self, mask: Mask) -> np.ndarray:
        width, height = self.camera.frame_size
        cards = [each for each in self._seen.state.cards if each.layer.id == mask.of]
        tiles = -(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)
        asked = Asked(self._seen.quality, opaque=False, cover=np.zeros(tiles))
        source = None
        if cards:
            surface = surface_of(cards[0].layer)
            source = source_on(surface, cards[0], self.camera, self._seen.looks, asked)
        if source is None or not source.seen:
            found = np.zeros((height, width), np.uint16)
        else:
            found = drawn_cover(source, self.camera.frame_size)
        return 65535 - found if mask.outside else found

    def _shape(self, mask: Mask) -> int:
        box = box_of(mask, self._seen.state, self.camera)
        softness, outside = mask.softness, mask.outside
        if box is None:
            value = 65535 if outside else 0
            size = self.camera.frame_size[::-1]
            return self._numbered(("even", value), lambda: np.full(size, value, np.uint16))
        outline = inside_of(mask.outline) if mask.shape is MaskShape.OUTLINE else NO_OUTLINE
        shape, corners = _SHAPES[mask.shape], mask.outline
        key = "shape", shape, softness, outside, corners, tuple(box.ravel().tolist())
        return self._numbered(
            key, lambda: self._fill(box, shape, softness, outline, outside=outside)
        )

    def _fill(
        self, box: Matrix3, shape: int, softness: float, outline: np.ndarray, *, outside: bool
    ) -> np.ndarray:
        width, height = self.camera.frame_size
        out = np.empty((height, width), np.uint16)
        if abs(np.linalg.det(box)) < 1e-12:
            out[:] = 65535 if outside else 0
            return out
        back = np.linalg.inv(box)
        # So soft at least that its edge is a pixel wide in the middle of it.
        across = box @ np.array([[0, 0.5, 0], [0, 0, 0.5], [1, 1, 1]])
        points = across[:2] / np.where(np.abs(across[2]) > 1e-9, across[2], 1e-9)
        size = np.hypot(*(points[:, 1:] - points[:, :1]))
        softness = max(softness, min(1.0, 1.5 / max(float(size.min()), 1e-3)))

        def work(y0: int, y1: int) -> None:
            fill_shape(back, shape, softness, outline, outside, y0, out[y0:y1])

        self._run(work, height)
        return out

    def _depth(self, mask: Mask, card: Card) -> int:
        plane = tuple(card.nearness(self.camera).tolist())
        behind = card.layer.is_backdrop or card.layer.on_lens
        key = "depth", plane, behind, mask.near, mask.far, mask.softness, mask.outside

        def draw() -> np.ndarray:
            width, height = self.camera.frame_size
            out = np.empty((height, width), np.uint16)
            told = np.array([0.0, 0.0, 1e-9] if behind else plane)

            def work(y0: int, y1: int) -> None:
                fill_range(told, mask.near, mask.far, mask.softness, mask.outside, y0, out[y0:y1])

            self._run(work, height)
            return out

        return self._numbered(key, draw)

    def _cells(self, effect: Halftone | Screen | Ground, lines: float) -> FloatArray:
        """Return the homography (3, 3) from this raster's pixels to cells of a screen.

        ``lines``: how large a cell is, of the 1080 of a frame, or of the layer it lies on.
        """
        turn = math.radians(getattr(effect, "angle", 0.0))
        turned = np.array(
            [
                [math.cos(turn), math.sin(turn), 0],
                [-math.sin(turn), math.cos(turn), 0],
                [0, 0, 1],
            ]
        )
        outer, _ = self._lies_on(effect.fixed)
        many = _LINES / lines
        return np.asarray(np.diag([many, many, 1]) @ turned @ np.linalg.inv(outer))

    def _lies_on(self, layer: str) -> tuple[Matrix3, float]:
        """Return the homography from a layer, or the frame if it has no such one, to this
        raster's pixels, in heights of it from its middle, up is +; and its width in heights."""
        cards = [each for each in self._seen.state.cards if each.layer.id == layer]
        if cards:
            card = cards[0]
            outer = card.image_from_card(self.camera) @ np.diag([card.height, card.height, 1])
            if abs(np.linalg.det(outer)) > 1e-12:
                return np.asarray(outer), float(card.width / card.height)
        wide, high = self.camera.frame_size
        height = float(self.whole[1] * self.relative)
        outer = np.array([[height, 0, wide / 2], [0, -height, high / 2], [0, 0, 1.0]])
        return outer, float(self.whole[0] / self.whole[1])

    def _run(self, work: Callable[[int, int], None], height: int) -> None:
        _crew().share(lambda _, y0: work(y0, min(y0 + BAND, height)), range(0, height, BAND))


def drawn_cover(source: Source, size: tuple[int, int]) -> np.ndarray:
    """Return how much of each pixel (height, width) uint16 a source covers."""
    width, height = size
    out = np.zeros((height, width), np.uint16)
    edges = np.asarray(source.edges, np.float32)

    def work(_: int, band: int) -> None:
        pixels = np.zeros((BAND, width, 4), np.uint16)
        near = np.empty((BAND, width), np.float32)
        source.rows(band, pixels, near)
        tiles = source.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
        rows = out[band * BAND : (band + 1) * BAND]
        fill_alpha(pixels, tiles, edges, band * BAND, rows)

    _crew().share(work, range(-(-height // BAND)))
    return out
