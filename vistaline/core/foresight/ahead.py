"""A first look ahead: where a shot's frames see nothing, and where its pictures are stretched.

Stretch is told as source pixels per output pixel across the worse direction: 1 is as sharp as the
picture, 0.5 spreads each of its pixels over two. A place counts as seen if something that is at
least half opaque is there; what is seen by a matte of another layer, or blended with what is
behind it, counts as nothing.
"""

from __future__ import annotations

import io
import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.foresight.looking import (
    BARE,
    BINS,
    COUNTED,
    FLAT,
    TRACED,
    UNCOUNTED,
    Number,
    bin_edges,
    examine,
)
from vistaline.core.looks.blending import Blend
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.render.laying import EDGES
from vistaline.core.render.outlines import EVERYWHERE, bounds_of, content_corners, edge_distances
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState, evaluate
from vistaline.core.stage.rays import rays_of
from vistaline.core.stage.surfaces import BodySurface, FlatSurface, surface_of

__all__ = [
    "BARE",
    "SOFT",
    "UNCOUNTED",
    "Ahead",
    "look_ahead",
    "map_frame",
    "pack_ahead",
    "ranges_of",
    "unpack_ahead",
]

SOFT = 0.5
"""Source pixels per output pixel: less is told as stretched."""
_ALPHA_SIDE, _MAP_SIDE = 1024, 192
_MOST_FRAMES = 480
"""Of a longer shot every second, third ... frame is looked at."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Ahead:
    """What a shot's frames are like."""

    frames: Sequence[int]
    """Those that were looked at."""
    bare: FloatArray
    """(N,) shares of the frame that see nothing."""
    stretched: FloatArray
    """(N,) shares of the frame with fewer than ``SOFT`` source pixels per output pixel."""
    least: FloatArray
    """(N,) source pixels per output pixel: 99 percent of what is seen has more."""
    pictures: Mapping[str, np.ndarray]
    """By pictures' keys: (rows, columns) float32, the least stretch each part of a picture comes
    to in the route; inf where it is never seen."""

    @property
    def barest(self) -> int:
        """The frame that sees nothing in the largest part."""
        return self.frames[int(self.bare.argmax())]

    @property
    def worst(self) -> int:
        """The frame that is stretched most."""
        order = np.lexsort((self.least, -self.stretched))
        return self.frames[int(order[0])]


@dataclass(frozen=True, eq=False)
class FrameMap:
    """One frame's maps."""

    stretch: np.ndarray
    """(height, width) float32: source pixels per output pixel; ``BARE`` where nothing is seen,
    ``UNCOUNTED`` where what is seen has no pixels of its own."""

    @property
    def bare(self) -> np.ndarray:
        """(height, width) bool: where nothing is seen."""
        return np.asarray(self.stretch == BARE)


def map_frame(shot: Shot, pyramids: Mapping[str, Pyramid], frame: float) -> FrameMap:
    """Return the maps of one frame; ``pyramids`` as for :class:`Renderer`."""
    width, height = shot.frame.size
    examiner = _Examiner(shot, pyramids)
    out = np.empty((height, width), np.float32)
    examiner.examine(evaluate(shot, [frame])[0], out, examiner.fresh_maps())
    return FrameMap(out)


def look_ahead(
    shot: Shot,
    pyramids: Mapping[str, Pyramid],
    *,
    threads: int | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> Ahead:
    """Return what all frames of a shot are like; of a long one, evenly spaced ones.

    ``progress`` is called with the share that is done, by several threads; it may raise to stop.
    """
    step = -(-shot.frame.duration // _MOST_FRAMES)
    frames = range(0, shot.frame.duration, step)
    states = evaluate(shot, frames)
    examiner, count = _Examiner(shot, pyramids), threads or os.cpu_count() or 1
    nothing = np.empty((0, 0), np.float32)
    waiting = iter(range(len(states)))
    bare, histograms = np.zeros(len(states)), np.zeros((len(states), BINS), np.int64)

    def work(_: int) -> np.ndarray:
        maps = examiner.fresh_maps()
        for n in waiting:
            progress(n / len(states))
            bare[n], histograms[n] = examiner.examine(states[n], nothing, maps)
        return maps

    with ThreadPoolExecutor(count) as pool:
        maps = np.min(list(pool.map(work, range(count))), axis=0)
    pixels = shot.frame.width * shot.frame.height
    seen = np.maximum(histograms.sum(axis=1), 1)
    lower = bin_edges()
    below = histograms.cumsum(axis=1)
    least = lower[np.argmax(below > 0.01 * seen[:, None], axis=1)]
    return Ahead(
        frames=frames,
        bare=bare / pixels,
        stretched=histograms[:, lower < SOFT].sum(axis=1) * COUNTED**2 / pixels,
        least=np.where(histograms.any(axis=1), least, np.inf),
        pictures=examiner.pictures(maps),
    )


def pack_ahead(ahead: Ahead) -> bytes:
    """Return a look ahead as a file's bytes, in NumPy's own format."""
    data = io.BytesIO()
    arrays: dict[str, Any] = {
        "frames": np.array(ahead.frames),
        "bare": ahead.bare,
        "stretched": ahead.stretched,
        "least": ahead.least,
        **{f"picture {key}": least for key, least in ahead.pictures.items()},
    }
    np.savez_compressed(data, **arrays)
    return data.getvalue()


def unpack_ahead(data: bytes) -> Ahead:
    """Return the look ahead that :func:`pack_ahead` packed."""
    with np.load(io.BytesIO(data)) as arrays:
        frames = arrays["frames"].tolist()
        step = frames[1] - frames[0] if len(frames) > 1 else 1
        pictures = {
            name.removeprefix("picture "): arrays[name]
            for name in arrays.files
            if name.startswith("picture ")
        }
        return Ahead(
            frames=range(frames[0], frames[-1] + 1, step),
            bare=arrays["bare"],
            stretched=arrays["stretched"],
            least=arrays["least"],
            pictures=pictures,
        )


def ranges_of(frames: Sequence[int], told: np.ndarray) -> list[tuple[int, int]]:
    """Return the first and last frames of each stretch in which ``told`` (N,) is true.

    >>> ranges_of(range(6), np.array([0, 1, 1, 0, 0, 1]))
    [(1, 2), (5, 5)]
    """
    flags = np.concatenate([[False], np.asarray(told, bool), [False]])
    turns = np.flatnonzero(flags[1:] != flags[:-1])
    stretches = list(pairwise(turns.tolist()))[::2]
    return [(frames[start], frames[stop - 1]) for start, stop in stretches]


class _Examiner:
    """What the frames of one look share: pictures' alpha, and where their maps lie."""

    def __init__(self, shot: Shot, pyramids: Mapping[str, Pyramid]) -> None:
        self._shot, self._pyramids = shot, pyramids
        self._alpha: dict[str, tuple[int, int, int, int]] = {}
        self._cells: dict[str, tuple[int, int, int]] = {}
        pieces: list[np.ndarray] = []
        size = cells = 0
        shown = {layer.picture for layer in shot.layers if not layer.hidden and layer.picture}
        textures = {card.texture for state in evaluate(shot, [0]) for card in state.cards}
        for texture in textures:
            piece, texels = _solid_cells(pyramids[texture])
            rows, columns = piece.shape
            self._alpha[texture] = (size, rows, columns, texels)
            pieces.append(piece.ravel())
            size += piece.size
        for picture in shown & textures:
            pyramid = pyramids[picture]
            ratio = _MAP_SIDE / max(pyramid.width, pyramid.height)
            rows, columns = (
                max(1, round(side * ratio)) for side in (pyramid.height, pyramid.width)
            )
            self._cells[picture] = (cells, rows, columns)
            cells += rows * columns
        self._solid = np.concatenate(pieces) if pieces else np.zeros(1, np.uint8)
        self._count = cells

    def fresh_maps(self) -> np.ndarray:
        return np.full(max(self._count, 1), np.inf, np.float32)

    def pictures(self, maps: np.ndarray) -> dict[str, np.ndarray]:
        """Return the maps by the keys of their pictures."""
        return {
            key: maps[at : at + rows * columns].reshape(rows, columns)
            for key, (at, rows, columns) in self._cells.items()
        }

    def examine(
        self, state: FrameState, out: np.ndarray, maps: np.ndarray
    ) -> tuple[int, np.ndarray]:
        """Return a frame's count of bare pixels and its histogram.

        ``out`` and ``maps`` as in :func:`looking.examine`.
        """
        width, height = self._shot.frame.size
        there = zip(state.cards, state.present, strict=True)
        shown = [card for card, present in there if present and self._counts(card)]
        filled = any(card.layer.is_backdrop for card in shown)
        traces: list[np.ndarray] = []
        entries = [
            entry for card in shown if (entry := self._entry(card, state, traces)) is not None
        ]
        histogram = np.zeros(BINS, np.int64)
        if not entries:
            if out.size:
                out[:] = UNCOUNTED if filled else BARE
            return (0 if filled else width * height), histogram
        whole, number = (np.array(table) for table in zip(*entries, strict=True))
        traced = np.array(traces).reshape(-1, 3, *((height, width) if traces else (1, 1)))
        bare = examine(
            whole, number, self._solid, traced, width, height, filled, out, histogram, maps
        )
        return int(bare), histogram

    @staticmethod
    def _counts(card: Card) -> bool:
        layer = card.layer
        return card.opacity >= 0.5 and layer.blend is Blend.NORMAL and layer.matte is None

    def _entry(
        self, card: Card, state: FrameState, traces: list[np.ndarray]
    ) -> tuple[np.ndarray, np.ndarray] | None:
        """Return a card's rows in the kernel's tables; None if it is not seen.

        What neither is flat nor a body is traced at every pixel, and that added to ``traces``.
        """
        if card.layer.is_backdrop:
            return None
        camera, pyramid = state.camera, self._pyramids[card.texture]
        # Looks of later frames count as solid where they stand.
        solid = (0, 0, 0, 1)
        alpha = solid if pyramid.opaque else self._alpha.get(card.texture, solid)
        cells = self._cells.get(card.texture, (0, 0, 0))
        number = np.zeros(Number.COLUMNS)
        texel_from_unit = np.diag([pyramid.width, pyramid.height, 1.0])
        number[Number.SIZE : Number.LINES] = pyramid.width, pyramid.height
        number[Number.LINES :] = np.tile(EVERYWHERE, EDGES)
        surface, slot = surface_of(card.layer), 0
        bounds, _ = surface.bounds(card, camera)
        if isinstance(surface, FlatSurface):
            touched = bounds_of(content_corners(card, pyramid), card.world_from_card, camera)
            edges = edge_distances(card, camera, pyramid.unit_content)
            if touched is None or edges is None:
                return None
            bounds, kind = touched, FLAT
            texel_from_image = texel_from_unit @ np.linalg.inv(card.image_from_unit(camera))
            number[Number.NEARNESS : Number.TEXEL] = card.nearness(camera)
            number[Number.TEXEL : Number.ORIGIN] = texel_from_image.ravel()
            number[Number.LINES :] = edges.ravel()
        elif isinstance(surface, BodySurface):
            kind = surface.body.number
            origin, rays, unit_from_body = rays_of(card, camera)
            number[Number.ORIGIN : Number.RAYS] = origin
            number[Number.RAYS : Number.CAUGHT] = rays.ravel()
            number[Number.CAUGHT : Number.SIZE] = (texel_from_unit @ unit_from_body).ravel()
        else:
            kind, slot = TRACED, len(traces)
            width, height = camera.frame_size
            x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
            met = surface.trace(card, camera, x, y)
            texels = np.nan_to_num(
                [met.u * pyramid.width, met.v * pyramid.height], nan=-1.0, posinf=-1.0, neginf=-1.0
            )
            traces.append(np.array([met.near, *texels]))
        counts = bool(card.layer.picture)
        return np.array([kind, *bounds, counts, *alpha, *cells, slot], np.int64), number


def _solid_cells(pyramid: Pyramid) -> tuple[np.ndarray, int]:
    """Return where a picture is at least half opaque (rows, columns), and texels a cell."""
    longest = max(pyramid.width, pyramid.height)
    level = max(0, int(np.ceil(np.log2(longest / _ALPHA_SIDE))))
    level = min(level, len(pyramid.levels) - 1)
    alpha = pyramid.levels[level][BORDER:-BORDER, BORDER:-BORDER, 3]
    return (alpha >= 32768).astype(np.uint8), 2**level
