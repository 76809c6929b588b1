"""Frames of a shot: order, warps, compositing, in bands that stay in the processor's cache."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import assert_never

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.formats.encoders import Layout
from vistaline.core.looks.blending import MODES, Blend
from vistaline.core.picture.colour import hex_to_linear, straight_codes
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render import composite
from vistaline.core.render.laying import EDGES, Cards
from vistaline.core.render.mean import CompositeBand, Mean, View, views_of
from vistaline.core.render.modifiers import Band, Modifier, Placement, modifiers_of
from vistaline.core.render.sample import fetchable
from vistaline.core.render.source import STANDARD, Asked, Quality, Source
from vistaline.core.render.sources import source_on
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.surfaces import surface_of

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
    """A card in a frame: its source, and what happens to its pixels."""

    source: Source
    opacity: float
    mode: int
    modifiers: Sequence[Modifier]
    camera: CameraState

    def rows(self, band: int, out: np.ndarray, scratch: np.ndarray, near: np.ndarray) -> None:
        """Sample a band of the card into ``out``, with all that happens to it there.

        ``near`` (rows, width) takes 1/z, where the source tells it with its pixels.
        """
        self.source.rows(band, out, near)
        if self.modifiers:
            given = Band(band, out, scratch, near, self.source, self.camera)
            for modifier in self.modifiers:
                modifier.modify(given)


class Renderer:
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

    def linear(self, frame: float, *, over_ground: bool = True) -> Rgba16:
        """Return a frame as (height, width, 4) uint16: linear, premultiplied.

        The shot's background shows where nothing is, unless ``over_ground`` is false; alpha is
        that of the layers either way.
        """
        out = np.empty((self._height, self._width, 4), np.uint16)

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            behind = ground if over_ground else np.zeros_like(ground)
            composite.composite_linear(cards, behind, y0, out[y0:y1])

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

    def pixels(self, frame: float, layout: Layout, out: np.ndarray | None = None) -> np.ndarray:
        """Return a frame as an encoder wants it, in ``out`` if that is given and of use."""
        match layout:
            case Layout.YUV420:
                return self.yuv(frame, out)
            case Layout.RGB8:
                return self.rgb(frame)
            case Layout.RGBA8:
                return straight_codes(self.linear(frame, over_ground=False))
            case Layout.LINEAR16:
                return self.linear(frame)
        assert_never(layout)

    def _bands(self, frame: float, composite_band: CompositeBand) -> None:
        """Call ``composite_band(y0, y1, cards, ground)`` for bands of rows, from the top down."""
        state = evaluate(self.shot, [frame])[0]
        views = views_of(state, self._quality)
        if len(views) == 1:
            self._draw(views[0], self._ground, composite_band)
            return
        mean = Mean(self.shot.frame.size)
        for view in views:
            self._draw(view, np.zeros_like(self._ground), mean.add)
        mean.finished(self._ground, composite_band)

    def _draw(self, view: View, ground: np.ndarray, composite_band: CompositeBand) -> None:
        cards = self._place(view)
        if len(cards) > self._buffers.shape[1]:
            shape = (self._threads, len(cards), BAND, self._width, 4)
            self._buffers = np.zeros(shape, np.uint16)
        sources = [card.source for card in cards]
        spans = np.array([source.bounds for source in sources], np.int64).reshape(-1, 4)
        edges = np.array([source.edges for source in sources], np.float32).reshape(-1, EDGES, 3)
        opacity = np.array([card.opacity for card in cards], np.float32)
        tiles = np.array([source.tiles for source in sources], np.uint8)
        tiles = tiles.reshape(len(cards), *self._tiles)
        by_pixel = [n for n, source in enumerate(sources) if source.nearness is None]
        curved = np.full(len(cards), -1, np.int64)
        curved[by_pixel] = np.arange(len(by_pixel))
        if len(by_pixel) > self._near.shape[1]:
            self._near = np.zeros((self._threads, len(by_pixel), BAND, self._width), np.float32)
        modes = np.array([card.mode for card in cards], np.int64)
        nearness = np.zeros((len(cards), 3))
        for n, source in enumerate(sources):
            if source.nearness is not None:
                nearness[n] = source.nearness
        plain = bool(view.state.parallel and not modes.any() and not by_pixel)
        # In a deep stack most is hidden: there a card's pixels are fetched as they are needed.
        stacked = np.count_nonzero(tiles) >= DEEP * tiles[:1].size
        deep = bool(stacked and not plain and not modes.any())
        fetched = [card.source.fetched if deep and not card.modifiers else None for card in cards]
        told_sources = fetchable(fetched, self._tiles)
        # Whichever thread is free takes the next band: cores are seldom equally fast.
        waiting = iter(range(-(-self._height // BAND)))

        def work(thread: int) -> None:
            buffers = self._buffers[thread, : len(cards)]
            packed, near = buffers.view(np.uint64)[..., 0], self._near[thread]
            for band in waiting:
                y0, y1 = band * BAND, min((band + 1) * BAND, self._height)
                for n, (card, buffer) in enumerate(zip(cards, buffers, strict=True)):
                    if fetched[n] is None:
                        card.rows(band, buffer, self._scratch[thread], near[curved[n]])
                lines = slice(band * BAND_LINES, (band + 1) * BAND_LINES)
                shown = np.ascontiguousarray(tiles[:, lines])
                told = Cards(
                    *(packed, spans, edges, opacity, shown, modes, nearness, plain, told_sources),
                    *(curved, near),
                )
                composite_band(y0, y1, told, ground)

        if self._threads == 1:
            work(0)
            return
        with ThreadPoolExecutor(self._threads) as pool:
            for _ in pool.map(work, range(self._threads)):
                pass

    def _place(self, view: View) -> list[_Placed]:
        """Return the cards that are seen, near to far."""
        cover = np.zeros(self._tiles)
        placed = (self._place_card(i, view, cover) for i in reversed(view.state.order))
        return [card for card in placed if card is not None]

    def _place_card(self, index: int, view: View, cover: np.ndarray) -> _Placed | None:
        """Return how a card is seen; None if it is not, or not past what covers it."""
        state = view.state
        card = state.cards[index]
        layer = card.layer
        if card.opacity == 0:
            return None
        plain = card.opacity == 1 and layer.blend is Blend.NORMAL and layer.matte is None
        quality = view.quality_for(card, self._quality)
        asked = Asked(quality, opaque=plain, cover=cover)
        pyramid = self._looks[card.texture]
        source = source_on(surface_of(layer), card, state.camera, pyramid, asked)
        if source is None or not source.seen:
            return None
        modifiers = modifiers_of(
            Placement(index, card, source, state, self._looks, quality, self._tiles)
        )
        if modifiers is None:
            return None
        return _Placed(source, card.opacity, MODES[layer.blend], modifiers, state.camera)
