"""Frames of a shot: order, warps, compositing, in bands that stay in the processor's cache."""

from __future__ import annotations

import os
from collections.abc import Mapping
from typing import assert_never

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.formats.encoders import Layout
from vistaline.core.picture.colour import hex_to_linear, straight_codes
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render import composite
from vistaline.core.render.canvas import Canvas, CompositeBand
from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import Cards
from vistaline.core.render.mean import Mean, View, views_of
from vistaline.core.render.placing import Placed, place
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.soft import softened
from vistaline.core.render.source import STANDARD, Quality
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate

__all__ = ["Renderer", "scaled"]


def scaled(shot: Shot, scale: float) -> Shot:
    """Return the shot with a frame ``scale`` times as large, in whole even pixels.

    Pictures, stage and camera stay: only the number of output pixels changes.
    """
    even = [max(16, 2 * round(side * scale / 2)) for side in shot.frame.size]
    return shot.evolve(frame=shot.frame.evolve(width=even[0], height=even[1]))


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
        self._ground = (np.array(hex_to_linear(shot.background)) * 65535).astype(np.float32)
        self._crew = Crew(threads or os.cpu_count() or 1)
        self._canvas = Canvas(shot.frame.size, self._crew)
        self._shelf = Shelf()

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
        state = view.state
        cover = np.zeros(self._canvas.tiles)
        placed = (self._place(i, view, cover) for i in reversed(state.order))
        cards = [card for card in placed if card is not None]
        self._canvas.draw(cards, state.parallel, ground, composite_band)
        self._shelf.take_all_back()

    def _place(self, index: int, view: View, cover: np.ndarray) -> Placed | None:
        if view.count == 1:
            return softened(
                index, view.state, self._looks, self._quality, cover, self._crew, self._shelf
            )
        quality = view.quality_for(view.state.cards[index], self._quality)
        return place(index, view.state, self._looks, quality, cover)
