"""A frame as the mean of many: of moments, and of the same one through many points of a lens."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vistaline.core.render import composite
from vistaline.core.render.added import NOTHING, Added
from vistaline.core.render.canvas import NO_MARKS, NO_TINTS, Canvas, CompositeBand, Laid, tiles_of
from vistaline.core.render.crew import Crew
from vistaline.core.render.graded import NO_FINISH, Finish
from vistaline.core.render.laying import EDGES, Cards
from vistaline.core.render.sample import fetchable
from vistaline.core.render.tiling import Tile
from vistaline.core.render.warp import BAND

__all__ = ["hand_on", "mean_of"]

_NO_GROUND = np.zeros(3, np.float32)


def mean_of(canvas: Canvas, laid: Sequence[Laid], crew: Crew, out: np.ndarray) -> None:
    """Fill ``out`` (height, width, 4) uint16 with the mean of frames, in linear light, with alpha.

    Band by band, so that the sums stay in the caches.
    """
    width = out.shape[1]

    def work(thread: int, band: int) -> None:
        y0, y1 = canvas.rows_of(band)
        total = np.full((y1 - y0, width, 4), len(laid) // 2, np.uint32)
        one = np.empty((y1 - y0, width, 4), np.uint16)
        for each in laid:
            composite.composite_linear(each.band(thread, band), _NO_GROUND, y0, one)
            total += one
        np.floor_divide(total, len(laid), out=total)
        out[y0:y1] = total

    crew.share(work, canvas.bands)


def hand_on(
    picture: np.ndarray,
    ground: np.ndarray,
    composite_band: CompositeBand,
    crew: Crew,
    added: Added = NOTHING,
    finish: Finish = NO_FINISH,
) -> None:
    """Hand a picture (height, width, 4) uint16 on as a frame, over a ground, with light added.

    ``finish``: what is done to it at its end.
    """
    height, width = picture.shape[:2]
    edges = np.zeros((1, EDGES, 3), np.float32)
    edges[..., 2] = 1e6  # nowhere near one
    lines, columns = tiles_of((width, BAND))
    sources = fetchable([None], (lines, columns))

    def work(_: int, y0: int) -> None:
        rows = np.ascontiguousarray(picture[y0 : y0 + BAND])
        told = Cards(
            buffers=rows.view(np.uint64)[..., 0][None],
            spans=np.array([[0, 0, width, height]], np.int64),
            edges=edges,
            opacity=np.ones(1, np.float32),
            tiles=np.full((1, lines, columns), Tile.MIXED, np.uint8),
            modes=np.zeros(1, np.int64),
            nearness=np.zeros((1, 3)),
            plain=True,
            sources=sources,
            curved=np.full(1, -1, np.int64),
            near=np.zeros((1, 1, width), np.float32),
            tinted=np.full(1, -1, np.int64),
            tints=NO_TINTS,
            sparse=np.full(1, -1, np.int64),
            marks=NO_MARKS,
            light=added.light,
            doublings=added.doublings,
            gain=added.gain,
            program=finish.program,
            fields=finish.planes,
        )
        composite_band(y0, y0 + len(rows), told, ground)

    crew.share(work, range(0, height, BAND))
