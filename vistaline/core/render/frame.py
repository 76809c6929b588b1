"""Frames of a shot: order, warps, compositing, in bands that stay in the processor's cache."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Rgba16
from vistaline.core.looks.blending import MODES, Blend
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render import composite
from vistaline.core.render.laying import EDGES, Cards
from vistaline.core.render.modify import cast_shadow, keep_matte
from vistaline.core.render.outlines import EVERYWHERE, bounds_of, content_corners, edge_distances
from vistaline.core.render.sample import sources_of
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.tracing import BodyWarp
from vistaline.core.render.warp import BAND, STANDARD, CardWarp, Quality
from vistaline.core.shot.shot import Matte, Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState, evaluate
from vistaline.core.stage.shadows import Cast

__all__ = ["Renderer", "scaled"]

DEEP = 6
"""Cards over each other, on average: with as many that cut through each other, fetching what is
seen beats warping all (measured: from 5.5 on)."""


def scaled(shot: Shot, scale: float) -> Shot:
    """Return the shot with a frame ``scale`` times as large, in whole even pixels.

    Pictures, stage and camera stay: only the number of output pixels changes.
    """
    even = [max(16, 2 * round(side * scale / 2)) for side in shot.frame.size]
    return shot.evolve(frame=shot.frame.evolve(width=even[0], height=even[1]))


@dataclass(frozen=True, eq=False)
class _Placed:
    warp: CardWarp | BodyWarp
    edges: FloatArray
    opacity: float
    mode: int
    shadows: Sequence[_Lying] = ()
    matte: _Placed | None = None
    asks: Matte | None = None
    """How the matte counts."""

    @property
    def as_it_is(self) -> bool:
        """Whether nothing happens to its pixels between its picture and the frame."""
        return not self.shadows and self.matte is None and isinstance(self.warp, CardWarp)

    def rows(self, band: int, out: np.ndarray, scratch: np.ndarray, near: np.ndarray) -> None:
        """Sample a band of the card into ``out``, with all that happens to it there.

        ``near`` (rows, width) takes a body's 1/z.
        """
        if isinstance(self.warp, BodyWarp):
            self.warp.trace(band, out, near)
        else:
            self.warp.rows(band, out)
        lines = slice(band * BAND_LINES, (band + 1) * BAND_LINES)
        for shadow in self.shadows:
            shadow.warp.rows(band, scratch)
            cast_shadow(out, scratch, shadow.warp.tiles[lines], shadow.strength)
        matte, asks = self.matte, self.asks
        if matte and asks:
            matte.warp.rows(band, scratch)
            keep_matte(
                out,
                scratch,
                matte.warp.tiles[lines],
                matte.edges.astype(np.float32),
                np.float32(matte.opacity),
                asks.keep == "inside",
                asks.by == "lightness",
                band * BAND,
            )


@dataclass(frozen=True, eq=False)
class _Lying:
    """A shadow on a card."""

    warp: CardWarp
    strength: float


class Renderer:
    """Renders frames of one shot; keeps its buffers from frame to frame. One thread at a time."""

    def __init__(
        self,
        shot: Shot,
        pyramids: Mapping[str, Pyramid],
        *,
        quality: Quality = STANDARD,
        threads: int | None = None,
    ) -> None:
        """``pyramids`` has one for each texture that a shown layer uses.

        ``threads`` share a frame's bands, by default one a core. OpenCV's own threads are turned
        off in this process: two kinds would only get in each other's way.
        """
        cv2.setNumThreads(1)
        self.shot = shot
        self._pyramids = pyramids
        self._quality = quality
        self._width, self._height = shot.frame.size
        self._tiles = (-(-self._height // TILE_HEIGHT), -(-self._width // TILE_WIDTH))
        self._ground = (np.array(hex_to_linear(shot.background)) * 65535).astype(np.float32)
        self._threads = threads or os.cpu_count() or 1
        self._buffers = np.zeros((self._threads, 0, BAND, self._width, 4), np.uint16)
        self._near = np.zeros((self._threads, 1, BAND, self._width), np.float32)
        self._scratch = np.zeros((self._threads, BAND, self._width, 4), np.uint16)

    def rgb(self, frame: float) -> np.ndarray:
        """Return a frame as (height, width, 3) uint8, sRGB."""
        out = np.empty((self._height, self._width, 3), np.uint8)

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            composite.composite_rgb(cards, ground, y0, composite.SRGB, out[y0:y1])

        self._bands(frame, encode)
        return out

    def linear(self, frame: float) -> Rgba16:
        """Return a frame as (height, width, 4) uint16: linear, premultiplied, over the ground."""
        out = np.empty((self._height, self._width, 4), np.uint16)

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            composite.composite_linear(cards, ground, y0, out[y0:y1])

        self._bands(frame, encode)
        return out

    def yuv(self, frame: float, out: np.ndarray | None = None) -> np.ndarray:
        """Return a frame as (height * 3/2, width) uint8: planar 4:2:0, BT.709, narrow range."""
        width, height = self._width, self._height
        if out is None:
            out = np.empty((height * 3 // 2, width), np.uint8)
        chroma = out.reshape(-1)[height * width :].reshape(2, height // 2, width // 2)

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            half = slice(y0 // 2, y1 // 2)
            composite.composite_yuv(cards, ground, y0, out[y0:y1], chroma[0, half], chroma[1, half])

        self._bands(frame, encode)
        return out

    def _bands(self, frame: float, composite_band: Callable[..., None]) -> None:
        """Call ``composite_band(y0, y1, cards, ground)`` for bands of rows, from the top down."""
        state = evaluate(self.shot, [frame])[0]
        cards = self._place(state)
        if len(cards) > self._buffers.shape[1]:
            shape = (self._threads, len(cards), BAND, self._width, 4)
            self._buffers = np.zeros(shape, np.uint16)
        spans = np.array([card.warp.bounds for card in cards], np.int64).reshape(-1, 4)
        edges = np.array([card.edges for card in cards], np.float32).reshape(-1, EDGES, 3)
        opacity = np.array([card.opacity for card in cards], np.float32)
        tiles = np.array([card.warp.tiles for card in cards], np.uint8)
        tiles = tiles.reshape(len(cards), *self._tiles)
        bodies = [n for n, card in enumerate(cards) if isinstance(card.warp, BodyWarp)]
        curved = np.full(len(cards), -1, np.int64)
        curved[bodies] = np.arange(len(bodies))
        if len(bodies) > self._near.shape[1]:
            self._near = np.zeros((self._threads, len(bodies), BAND, self._width), np.float32)
        modes = np.array([card.mode for card in cards], np.int64)
        nearness = np.array([card.warp.nearness for card in cards], np.float64).reshape(-1, 3)
        plain = bool(state.parallel and not modes.any() and not bodies)
        # In a deep stack most is hidden: there a card's pixels are fetched as they are needed.
        stacked = np.count_nonzero(tiles) >= DEEP * tiles[:1].size
        deep = bool(stacked and not plain and not modes.any())
        asked = [deep and card.as_it_is for card in cards]
        sources = sources_of([card.warp for card in cards], asked)
        # Whichever thread is free takes the next band: cores are seldom equally fast.
        waiting = iter(range(-(-self._height // BAND)))

        def work(thread: int) -> None:
            buffers = self._buffers[thread, : len(cards)]
            packed, near = buffers.view(np.uint64)[..., 0], self._near[thread]
            for band in waiting:
                y0, y1 = band * BAND, min((band + 1) * BAND, self._height)
                for n, (card, buffer) in enumerate(zip(cards, buffers, strict=True)):
                    if not asked[n]:
                        card.rows(band, buffer, self._scratch[thread], near[curved[n]])
                lines = slice(band * BAND_LINES, (band + 1) * BAND_LINES)
                shown = np.ascontiguousarray(tiles[:, lines])
                told = Cards(
                    *(packed, spans, edges, opacity, shown, modes, nearness, plain, sources),
                    *(curved, near),
                )
                composite_band(y0, y1, told, self._ground)

        if self._threads == 1:
            work(0)
            return
        with ThreadPoolExecutor(self._threads) as pool:
            for _ in pool.map(work, range(self._threads)):
                pass

    def _place(self, state: FrameState) -> list[_Placed]:
        """Return the cards that are seen, near to far."""
        cover = np.zeros(self._tiles)
        found = []
        for i in reversed(state.order):
            card, layer = state.cards[i], state.cards[i].layer
            if card.opacity == 0:
                continue
            placed = self._place_card(card, state.camera, cover)
            if placed and layer.matte:
                placed = self._within(placed, layer.matte, state)
            if placed:
                shadows = [
                    self._lying(cast, placed, state.camera)
                    for cast in state.casts
                    if cast.receiver == i
                ]
                lying = [shadow for shadow in shadows if shadow and shadow.warp.seen]
                found.append(replace(placed, shadows=lying) if lying else placed)
        return found

    def _place_card(self, card: Card, camera: CameraState, cover: np.ndarray) -> _Placed | None:
        """Return how a card is seen; None if it is not, or not past what covers it."""
        pyramid = self._pyramids[card.texture]
        layer = card.layer
        if layer.body:
            body = BodyWarp(card, camera, pyramid, quality=self._quality, cover=cover)
            placed = _Placed(
                warp=body,
                edges=np.tile(EVERYWHERE, (EDGES, 1)),
                opacity=card.opacity,
                mode=MODES[layer.blend],
            )
            return placed if body.seen else None
        bounds = bounds_of(content_corners(card, pyramid), card, camera)
        edges = edge_distances(card, camera, pyramid.unit_content)
        if bounds is None or edges is None:
            return None
        image_from_unit = card.image_from_unit(camera)
        plain = card.opacity == 1 and layer.blend is Blend.NORMAL and layer.matte is None
        warp = CardWarp(
            pyramid,
            image_from_unit,
            bounds,
            quality=self._quality,
            opaque=plain,
            nearness=card.nearness(camera),
            edges=edges,
            cover=cover,
        )
        if not warp.seen:
            return None
        return _Placed(warp=warp, edges=edges, opacity=card.opacity, mode=MODES[layer.blend])

    def _within(self, placed: _Placed, asks: Matte, state: FrameState) -> _Placed | None:
        """Return a card with its matte; None if nothing of it is left."""
        source = state.mattes[asks.of]
        # What covers a matte does not count: it is no part of the picture.
        matte = self._place_card(source, state.camera, np.zeros(self._tiles))
        if matte is None:
            return None if asks.keep == "inside" else placed
        return replace(placed, matte=matte, asks=asks)

    def _lying(self, cast: Cast, placed: _Placed, camera: CameraState) -> _Lying | None:
        pyramid = self._pyramids[cast.shadow.texture]
        shadow = cast.shadow
        if bounds_of(content_corners(shadow, pyramid), shadow, camera) is None:
            return None
        image_from_unit = shadow.image_from_unit(camera)
        if abs(np.linalg.det(image_from_unit)) < 1e-12:
            return None
        warp = CardWarp(
            pyramid,
            image_from_unit,
            placed.warp.bounds,
            quality=self._quality,
            opaque=False,
            nearness=shadow.nearness(camera),
            edges=np.tile(EVERYWHERE, (EDGES, 1)),
            cover=np.zeros(self._tiles),
        )
        return _Lying(warp, cast.strength)
