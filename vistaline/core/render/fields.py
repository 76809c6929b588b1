"""Numbers for each pixel of a frame that effects ask for: masks, vignettes, what screens print."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache, lru_cache

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.geometry.inside import NO_OUTLINE, inside_at, inside_of
from vistaline.core.kept import Kept
from vistaline.core.picture.grade import NO_PLANES
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL, coverage
from vistaline.core.render.source import Asked, Quality, Source
from vistaline.core.render.sources import source_on
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND
from vistaline.core.shot.effects import (
    Effect,
    Grain,
    Ground,
    Halftone,
    Mask,
    MaskShape,
    Screen,
    ScreenShape,
    Stuff,
    Vignetting,
)
from vistaline.core.shot.softness import Wipe
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.masks import box_of, vignette_box, whole_frame
from vistaline.core.stage.program import Fields
from vistaline.core.stage.surfaces import surface_of

__all__ = ["FrameFields", "screen_ranks", "seen_in"]

_ELLIPSE, _GRADIENT, _OUTLINE, _STRIP = 0, 1, 2, 3
_SHAPES = {
    MaskShape.ELLIPSE: _ELLIPSE,
    MaskShape.GRADIENT: _GRADIENT,
    MaskShape.OUTLINE: _OUTLINE,
    MaskShape.STRIP: _STRIP,
}
_LINES = 1080
"""Of a frame, for which pitches and grain are told."""
_RANKS = 128
"""Texels across one cell of a screen."""


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
                self._run(lambda y0, y1: _print(cells, ranks, effect.cover, y0, out[y0:y1]), height)
                return out

            return self._numbered(("screen", effect.shape, effect.cover, grid), printed)

        def ranked() -> np.ndarray:
            both = np.empty((2, height, width), np.uint16)
            self._run(
                lambda y0, y1: _rank(cells, ranks, y0, both[0, y0:y1], both[1, y0:y1]), height
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
            self._run(lambda y0, y1: _tiled(cells, tile, y0, out[y0:y1]), height)
            return out

        key = "ground", effect.stuff, tuple(cells.ravel().tolist())
        return self._numbered(key, draw)

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
                _ramp(along, first - soft / 2, 1 / soft, y0, out[y0:y1])

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
        found = np.zeros((height, width), np.uint16)
        cards = [each for each in self._seen.state.cards if each.layer.id == mask.of]
        tiles = -(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)
        asked = Asked(self._seen.quality, opaque=False, cover=np.zeros(tiles))
        source = None
        if cards:
            look = self._seen.looks[cards[0].texture]
            surface = surface_of(cards[0].layer)
            source = source_on(surface, cards[0], self.camera, look, asked)
        if source is not None and source.seen:
            _draw_cover(source, found)
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
            _weigh(back, shape, softness, outline, outside, y0, out[y0:y1])

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
                _range(told, mask.near, mask.far, mask.softness, mask.outside, y0, out[y0:y1])

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
        cards = [each for each in self._seen.state.cards if each.layer.id == effect.fixed]
        if cards and abs(np.linalg.det(cards[0].image_from_card(self.camera))) > 1e-12:
            pitch = cards[0].height * lines / _LINES
            there = np.linalg.inv(cards[0].image_from_card(self.camera))
        else:
            pitch = lines * self.scale
            wide, high = self.camera.frame_size
            there = np.array([[1, 0, -wide / 2], [0, -1, high / 2], [0, 0, 1.0]])
        return np.asarray(np.diag([1 / pitch, 1 / pitch, 1]) @ turned @ there)

    def _run(self, work: Callable[[int, int], None], height: int) -> None:
        _crew().share(lambda _, y0: work(y0, min(y0 + BAND, height)), range(0, height, BAND))


def _draw_cover(source: Source, out: np.ndarray) -> None:
    """Fill ``out`` (height, width) uint16 with how much of each pixel a source covers."""
    height, width = out.shape
    edges = np.asarray(source.edges, np.float32)

    def work(_: int, band: int) -> None:
        pixels = np.zeros((BAND, width, 4), np.uint16)
        near = np.empty((BAND, width), np.float32)
        source.rows(band, pixels, near)
        tiles = source.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
        rows = out[band * BAND : (band + 1) * BAND]
        _alpha(pixels, tiles, edges, band * BAND, rows)

    _crew().share(work, range(-(-height // BAND)))


@njit(**KERNEL)
def _alpha(pixels, tiles, edges, y0, out):  # type: ignore[no-untyped-def]
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            if tiles[j // TILE_HEIGHT, i // TILE_WIDTH] != 0:
                cover = coverage(edges, np.float32(i), np.float32(y0 + j))
                out[j, i] = np.uint16(np.float32(pixels[j, i, 3]) * cover + np.float32(0.5))


@lru_cache
def screen_ranks(shape: ScreenShape) -> np.ndarray:
    """Return one cell of a screen (N, N) float32: which share of it is inked before each place.

    By rank of area, so that a tone of a quarter inks a quarter, whatever the shape.
    """
    x, y = np.meshgrid(*[np.arange(_RANKS) / _RANKS] * 2)
    away = np.abs(2 * x - 1), np.abs(2 * y - 1)
    if shape is ScreenShape.DOTS:
        spot = np.cos(2 * np.pi * x) + np.cos(2 * np.pi * y)
    elif shape is ScreenShape.LINES:
        spot = away[1] + 1e-6 * away[0]
    else:
        spot = np.minimum(away[1], 0.45 + 0.55 * away[0])
    order = np.argsort(spot, axis=None, kind="stable")
    ranks = np.empty(order.size, np.float32)
    ranks[order] = (np.arange(order.size) + 0.5) / order.size
    return ranks.reshape(spot.shape)


@lru_cache
def ground_tile(stuff: Stuff) -> np.ndarray:
    """Return the structure of paper or canvas (N, N) float32, 0..1 about 0.5, without a seam."""
    side = 512
    chance = np.random.RandomState(11)

    def noise(sigma: tuple[float, float]) -> np.ndarray:
        wide = np.pad(chance.standard_normal((side, side)), 64, mode="wrap")
        found = cv2.GaussianBlur(wide, (0, 0), sigma[0], sigmaY=sigma[1])[64:-64, 64:-64]
        return found / found.std()

    if stuff is Stuff.PAPER:
        fibres = noise((1.0, 6.0)) + noise((6.0, 1.0))
        found = 0.5 * noise((1.1, 1.1)) + 0.45 * fibres + 0.5 * noise((9.0, 9.0))
    else:
        turns = np.arange(side) * 2 * np.pi * 64 / side
        over = np.sin(turns)[:, None] * np.sin(turns)[None, :]
        weft, warp = np.abs(np.sin(turns / 2))[:, None], np.abs(np.sin(turns / 2))[None, :]
        found = 2.2 * np.where(over > 0, weft, warp) + 0.3 * noise((1.5, 1.5))
        found += 0.25 * noise((30.0, 1.0)) + 0.25 * noise((1.0, 30.0))
    found = (found - found.mean()) / found.std()
    return np.clip(0.5 + found / 6, 0, 1).astype(np.float32)


@njit(**KERNEL)
def _tiled(cells, tile, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with a tile that is repeated over cells, between four texels."""
    side = tile.shape[0]
    for j in range(out.shape[0]):
        y = y0 + j + 0.5
        for i in range(out.shape[1]):
            x = i + 0.5
            w = cells[2, 0] * x + cells[2, 1] * y + cells[2, 2]
            w = w if abs(w) > 1e-12 else 1e-12
            p = (cells[0, 0] * x + cells[0, 1] * y + cells[0, 2]) / w
            q = (cells[1, 0] * x + cells[1, 1] * y + cells[1, 2]) / w
            u, v = (p - np.floor(p)) * side, (q - np.floor(q)) * side
            a, b = int(u) % side, int(v) % side
            s, t = u - int(u), v - int(v)
            a1, b1 = (a + 1) % side, (b + 1) % side
            low = tile[b, a] + s * (tile[b, a1] - tile[b, a])
            high = tile[b1, a] + s * (tile[b1, a1] - tile[b1, a])
            out[j, i] = np.uint16((low + t * (high - low)) * 65535 + 0.5)


@njit(inline="always")
def _smooth(value):  # type: ignore[no-untyped-def]
    share = min(max(value, 0.0), 1.0)
    return share * share * (3 - 2 * share)


@njit(**KERNEL)
def _weigh(back, shape, softness, outline, outside, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with how far inside a shape each pixel is."""
    for j in range(out.shape[0]):
        y = y0 + j + 0.5
        for i in range(out.shape[1]):
            x = i + 0.5
            w = back[2, 0] * x + back[2, 1] * y + back[2, 2]
            if abs(w) < 1e-12:
                w = 1e-12
            u = (back[0, 0] * x + back[0, 1] * y + back[0, 2]) / w * 2
            v = (back[1, 0] * x + back[1, 1] * y + back[1, 2]) / w * 2
            if shape == 1:
                share = _smooth(0.5 + v / (2 * softness))
            elif shape == 2:
                share = 0.0
                if abs(u) < 1 and abs(v) < 1:
                    share = _smooth(inside_at(outline, u, v) / softness)
            elif shape == 3:
                share = _smooth((1 - abs(v)) / softness)
            else:
                share = _smooth((1 - np.sqrt(u * u + v * v)) / softness)
            if outside:
                share = 1 - share
            out[j, i] = np.uint16(share * 65535 + 0.5)


@njit(**KERNEL)
def _ramp(along, first, slope, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with how far beyond a line each pixel is."""
    for j in range(out.shape[0]):
        y = y0 + j + 0.5
        for i in range(out.shape[1]):
            x = i + 0.5
            w = along[2, 0] * x + along[2, 1] * y + along[2, 2]
            at = (along[0, 0] * x + along[0, 1] * y + along[0, 2]) / (
                w if abs(w) > 1e-12 else 1e-12
            )
            out[j, i] = np.uint16(_smooth((at - first) * slope) * 65535 + 0.5)


@njit(**KERNEL)
def _range(plane, near, far, softness, outside, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with whether what lies at 1/z = a x + b y + c is from near to far."""
    low, high = min(near, far), max(near, far)
    soft = max(softness * (high - low) / 2, 1e-4)
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            there = plane[0] * (i + 0.5) + plane[1] * (y0 + j + 0.5) + plane[2]
            z = 1 / max(there, 1e-9)
            share = _smooth((z - low) / soft) * _smooth((high - z) / soft)
            if outside:
                share = 1 - share
            out[j, i] = np.uint16(share * 65535 + 0.5)


@njit(inline="always")
def _ranked(ranks, p, q):  # type: ignore[no-untyped-def]
    """Return a screen's rank at a place told in cells, between four texels, and its slopes."""
    side = ranks.shape[0]
    x, y = (p - np.floor(p)) * side, (q - np.floor(q)) * side
    i, j = int(x) % side, int(y) % side
    i1, j1 = (i + 1) % side, (j + 1) % side
    s, t = x - int(x), y - int(y)
    a, b, c, d = ranks[j, i], ranks[j, i1], ranks[j1, i], ranks[j1, i1]
    low, high = a + s * (b - a), c + s * (d - c)
    across = ((b - a) + t * ((d - c) - (b - a))) * side
    return low + t * (high - low), across, (high - low) * side


@njit(inline="always")
def _cell_at(cells, ranks, x, y):  # type: ignore[no-untyped-def]
    """Return a screen's rank at a pixel, and by how much it changes over that."""
    w = cells[2, 0] * x + cells[2, 1] * y + cells[2, 2]
    if abs(w) < 1e-12:
        w = 1e-12
    p = (cells[0, 0] * x + cells[0, 1] * y + cells[0, 2]) / w
    q = (cells[1, 0] * x + cells[1, 1] * y + cells[1, 2]) / w
    px, py = (cells[0, 0] - p * cells[2, 0]) / w, (cells[0, 1] - p * cells[2, 1]) / w
    qx, qy = (cells[1, 0] - q * cells[2, 0]) / w, (cells[1, 1] - q * cells[2, 1]) / w
    rank, across, up = _ranked(ranks, p, q)
    dx, dy = across * px + up * qx, across * py + up * qy
    fine = max(np.sqrt(dx * dx + dy * dy), 1e-3)
    # Cells smaller than two pixels cannot be told apart: they are an even tone.
    step = np.sqrt(abs(px * qy - py * qx))
    lost = min(max(step * 2.5 - 0.5, 0.0), 1.0)
    return rank, min(fine + lost, 1.0)


@njit(**KERNEL)
def _rank(cells, ranks, y0, out, edges):  # type: ignore[no-untyped-def]
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            rank, edge = _cell_at(cells, ranks, i + 0.5, y0 + j + 0.5)
            out[j, i] = np.uint16(rank * 65535 + 0.5)
            edges[j, i] = np.uint16(edge * 65535 + 0.5)


@njit(**KERNEL)
def _print(cells, ranks, cover, y0, out):  # type: ignore[no-untyped-def]
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            rank, edge = _cell_at(cells, ranks, i + 0.5, y0 + j + 0.5)
            share = min(max((cover - rank) / edge + 0.5, 0.0), 1.0)
            if cover <= 0:
                share = 0.0
            out[j, i] = np.uint16(share * 65535 + 0.5)
