"""One card after another painted over a picture: for what is seen of some of them only."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numba import njit

from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL, coverage
from vistaline.core.render.source import Source
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND

__all__ = ["paint"]

Rows = Callable[[int, np.ndarray, np.ndarray], None]
"""Fills a band's pixels, and its 1/z; see :meth:`Source.rows`."""


def paint(rows: Rows, source: Source, opacity: float, out: np.ndarray, crew: Crew) -> None:
    """Paint a source, whose pixels ``rows`` gives, over a picture (height, width, 4) uint16."""
    width = out.shape[1]
    edges = np.asarray(source.edges, np.float32)

    def work(_: int, band: int) -> None:
        pixels = np.zeros((BAND, width, 4), np.uint16)
        rows(band, pixels, np.empty((BAND, width), np.float32))
        tiles = source.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
        under = out[band * BAND : (band + 1) * BAND]
        _over(pixels, tiles, edges, band * BAND, np.float32(opacity), under)

    crew.share(work, range(-(-len(out) // BAND)))


@njit(**KERNEL)
def _over(pixels, tiles, edges, y0, opacity, out):  # type: ignore[no-untyped-def]
    scale = np.float32(1 / 65535)
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            if tiles[j // TILE_HEIGHT, i // TILE_WIDTH] != 0:
                cover = coverage(edges, np.float32(i), np.float32(y0 + j)) * opacity
                through = np.float32(1) - np.float32(pixels[j, i, 3]) * cover * scale
                for c in range(4):
                    value = np.float32(pixels[j, i, c]) * cover + np.float32(0.5)
                    value += through * np.float32(out[j, i, c])
                    out[j, i, c] = np.uint16(min(value, np.float32(65535)))
