"""The place where a frame comes about: cards composited in bands that stay in the caches."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import EDGES, Cards
from vistaline.core.render.placing import Placed
from vistaline.core.render.sample import fetchable
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND

__all__ = ["Canvas", "CompositeBand", "tiles_of"]

CompositeBand = Callable[[int, int, Cards, np.ndarray], None]
"""Takes the first and the last row (exclusive) of a band, its cards, and the ground (3,)."""

DEEP = 6
"""Cards over each other, on average: with as many that cut through each other, fetching what is
seen beats warping all (measured: from 5.5 on)."""


def tiles_of(size: tuple[int, int]) -> tuple[int, int]:
    """Return how many lines and columns of tiles a frame of ``size`` (width, height) has."""
    width, height = size
    return -(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)


class Canvas:
    """Composites frames of one size; keeps its buffers from frame to frame."""

    def __init__(self, size: tuple[int, int], crew: Crew) -> None:
        self._width, self._height = size
        self._crew = crew
        self.tiles = tiles_of(size)
        threads = crew.threads
        self._buffers = np.zeros((threads, 0, BAND, self._width, 4), np.uint16)
        self._near = np.zeros((threads, 1, BAND, self._width), np.float32)
        self._scratch = np.zeros((threads, BAND, self._width, 4), np.uint16)

    def draw(
        self,
        cards: Sequence[Placed],
        parallel: bool,
        ground: np.ndarray,
        composite_band: CompositeBand,
    ) -> None:
        """Call ``composite_band(y0, y1, cards, ground)`` for bands of rows.

        ``cards`` near to far; ``parallel``: that order holds all over the frame.
        """
        if len(cards) > self._buffers.shape[1]:
            self._buffers = np.zeros(
                (self._crew.threads, len(cards), BAND, self._width, 4), np.uint16
            )
        sources = [card.source for card in cards]
        spans = np.array([source.bounds for source in sources], np.int64).reshape(-1, 4)
        edges = np.array([source.edges for source in sources], np.float32).reshape(-1, EDGES, 3)
        opacity = np.array([card.opacity for card in cards], np.float32)
        tiles = np.array([source.tiles for source in sources], np.uint8)
        tiles = tiles.reshape(len(cards), *self.tiles)
        by_pixel = [n for n, source in enumerate(sources) if source.nearness is None]
        curved = np.full(len(cards), -1, np.int64)
        curved[by_pixel] = np.arange(len(by_pixel))
        if len(by_pixel) > self._near.shape[1]:
            shape = (self._crew.threads, len(by_pixel), BAND, self._width)
            self._near = np.zeros(shape, np.float32)
        modes = np.array([card.mode for card in cards], np.int64)
        nearness = np.zeros((len(cards), 3))
        for n, source in enumerate(sources):
            if source.nearness is not None:
                nearness[n] = source.nearness
        plain = bool(parallel and not modes.any() and not by_pixel)
        # In a deep stack most is hidden: there a card's pixels are fetched as they are needed.
        stacked = np.count_nonzero(tiles) >= DEEP * tiles[:1].size
        deep = bool(stacked and not plain and not modes.any())
        fetched = [card.source.fetched if deep and not card.modifiers else None for card in cards]
        told_sources = fetchable(fetched, self.tiles)

        def work(thread: int, band: int) -> None:
            buffers = self._buffers[thread, : len(cards)]
            packed, near = buffers.view(np.uint64)[..., 0], self._near[thread]
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

        self._crew.share(work, range(-(-self._height // BAND)))
