"""The place where a frame comes about: cards composited in bands that stay in the caches."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from vistaline.core.render.added import NOTHING, Added
from vistaline.core.render.crew import Crew
from vistaline.core.render.graded import NO_FINISH, Finish
from vistaline.core.render.laying import EDGES, PIECE, Cards
from vistaline.core.render.placing import Placed
from vistaline.core.render.sample import fetchable
from vistaline.core.render.source import Fetched, Sparse
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND

__all__ = ["NO_MARKS", "NO_TINTS", "Canvas", "CompositeBand", "Laid", "tiles_of"]

NO_TINTS = np.empty((0, 0, 4, 0), np.float32)
"""Of cards that are laid as they are."""
NO_MARKS = np.empty((0, 0, 0), np.uint8)
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

    def __init__(self, size: tuple[int, int], crew: Crew, margin: int = 0) -> None:
        """``size``: width and height of a frame; ``margin``: pixels all round it besides."""
        self.width, self.height = (side + 2 * margin for side in size)
        self._crew, self.margin = crew, margin
        self.tiles = tiles_of((self.width, self.height))
        threads = crew.threads
        self._buffers = np.zeros((threads, 0, BAND, self.width, 4), np.uint16)
        self._near = np.zeros((threads, 1, BAND, self.width), np.float32)
        self._scratch = np.zeros((threads, BAND, self.width, 4), np.uint16)

    def buffers_of(self, thread: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return a thread's buffers: a band of each card, of 1/z of those that tell it, and one
        for whatever is wanted."""
        return self._buffers[thread], self._near[thread], self._scratch[thread]

    def draw(
        self,
        cards: Sequence[Placed],
        parallel: bool,
        ground: np.ndarray,
        composite_band: CompositeBand,
        added: Added = NOTHING,
        finish: Finish = NO_FINISH,
    ) -> None:
        """Call ``composite_band(y0, y1, cards, ground)`` for bands of rows.

        ``cards`` near to far; ``parallel``: that order holds all over the frame; ``added``: light
        to be added to it; ``finish``: what is done to it at its end.
        """
        laid = self.lay(cards, parallel, added, finish)

        def work(thread: int, band: int) -> None:
            composite_band(*self.rows_of(band), laid.band(thread, band), ground)

        self._crew.share(work, self.bands)

    @property
    def bands(self) -> range:
        """The numbers of its bands, from the top down."""
        return range(-(-self.height // BAND))

    def rows_of(self, band: int) -> tuple[int, int]:
        """Return a band's first row, and the one after its last."""
        return band * BAND, min((band + 1) * BAND, self.height)

    def lay(
        self,
        cards: Sequence[Placed],
        parallel: bool,
        added: Added = NOTHING,
        finish: Finish = NO_FINISH,
    ) -> Laid:
        """Return placed cards, near to far, as they are composited; see :meth:`draw`."""
        if len(cards) > self._buffers.shape[1]:
            self._buffers = np.zeros(
                (self._crew.threads, len(cards), BAND, self.width, 4), np.uint16
            )
        sources = [card.source for card in cards]
        tiles = np.array([source.tiles for source in sources], np.uint8)
        tiles = tiles.reshape(len(cards), *self.tiles)
        by_pixel = [n for n, source in enumerate(sources) if source.nearness is None]
        curved = np.full(len(cards), -1, np.int64)
        curved[by_pixel] = np.arange(len(by_pixel))
        if len(by_pixel) > self._near.shape[1]:
            shape = (self._crew.threads, len(by_pixel), BAND, self.width)
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
        # What is blended is not laid but mixed, pixel by pixel.
        tints = [None if modes.any() else card.tint for card in cards]
        tinted = np.full(len(cards), -1, np.int64)
        some = [n for n, each in enumerate(tints) if each]
        tinted[some] = np.arange(len(some))
        sparse = np.full(len(cards), -1, np.int64)
        marked = [
            n
            for n, card in enumerate(cards)
            if isinstance(card.source, Sparse) and not card.modifiers and not modes.any()
        ]
        sparse[marked] = np.arange(len(marked))
        told = Cards(
            buffers=np.zeros((0, 0, 0), np.uint64),
            spans=np.array([source.bounds for source in sources], np.int64).reshape(-1, 4),
            edges=np.array([source.edges for source in sources], np.float32).reshape(-1, EDGES, 3),
            opacity=np.array([card.opacity for card in cards], np.float32),
            tiles=tiles,
            modes=modes,
            nearness=nearness,
            plain=plain,
            sources=fetchable(fetched, self.tiles),
            curved=curved,
            near=self._near[0],
            tinted=tinted,
            tints=NO_TINTS,
            sparse=sparse,
            marks=NO_MARKS,
            light=added.light,
            doublings=added.doublings,
            gain=added.gain,
            program=finish.program,
            fields=finish.planes,
        )
        sampled = [n for n, each in enumerate(fetched) if each is None]
        return Laid(self, cards, fetched, told, sampled)


@dataclass(frozen=True, eq=False)
class Laid:
    """Cards on a canvas, ready to be composited band by band."""

    canvas: Canvas
    cards: Sequence[Placed]
    fetched: Sequence[Fetched | None]
    """Kept, as the kernels are given addresses of theirs."""
    told: Cards
    sampled: Sequence[int]
    """Which cards fill a buffer; the others are fetched as they are needed."""

    def band(self, thread: int, band: int) -> Cards:
        """Return what the kernels are told of a band; its pixels stay until the thread's next."""
        buffers, near, scratch = self.canvas.buffers_of(thread)
        marks = NO_MARKS
        if (self.told.sparse >= 0).any():
            pieces = -(-self.canvas.width // PIECE)
            marks = np.zeros((int(self.told.sparse.max()) + 1, BAND, pieces), np.uint8)
        for n in self.sampled:
            source, at = self.cards[n].source, self.told.sparse[n]
            if at >= 0 and isinstance(source, Sparse):
                source.marked_rows(band, buffers[n], near[self.told.curved[n]], marks[at])
                continue
            self.cards[n].rows(
                *(band, buffers[n], scratch, near[self.told.curved[n]]),
                tinted=self.told.tinted[n] >= 0,
            )
        lines = slice(band * BAND_LINES, (band + 1) * BAND_LINES)
        return self.told._replace(
            buffers=buffers[: len(self.cards)].view(np.uint64)[..., 0],
            tiles=np.ascontiguousarray(self.told.tiles[:, lines]),
            near=near,
            tints=self._tints(band),
            marks=marks,
        )

    def _tints(self, band: int) -> np.ndarray:
        size = BAND, self.canvas.width
        found = [
            card.tint.cells(band, card.source, size)
            for card, at in zip(self.cards, self.told.tinted, strict=True)
            if at >= 0 and card.tint
        ]
        return np.stack(found) if found else NO_TINTS
