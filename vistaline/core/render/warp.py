"""From a texture pyramid to frame pixels: which level, how many samples, one warp a region.

The frame is planned in tiles. In each, the level is chosen so that one texel of it is about one
pixel the short way; the long way takes more samples, which are then averaged. Neighbours of equal
plan are warped in one call. Tiles a card leaves empty, or that are hidden behind it, cost nothing.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from itertools import groupby

import cv2
import numpy as np

from vistaline.core.arrays import Matrix3
from vistaline.core.render.pyramid import BORDER, Pyramid

__all__ = [
    "DRAFT",
    "FINAL",
    "STANDARD",
    "TILE_HEIGHT",
    "TILE_WIDTH",
    "CardWarp",
    "Quality",
    "Region",
    "Tile",
]

TILE_WIDTH, TILE_HEIGHT = 128, 32


@dataclass(frozen=True)
class Quality:
    """How finely textures are sampled."""

    samples: int
    """Samples a pixel may take where a card recedes."""
    bias: float
    """Added to the level's number: -1 samples a level twice as fine as needed."""


DRAFT = Quality(samples=1, bias=0.0)
STANDARD = Quality(samples=8, bias=0.0)
FINAL = Quality(samples=32, bias=-1.0)


@dataclass(frozen=True)
class Region:
    """A rectangle of the frame sampled alike: level, samples across, samples down."""

    x0: int
    y0: int
    x1: int
    y1: int
    level: int
    across: int
    down: int


class Tile(IntEnum):
    """What a card shows in one tile of the frame."""

    EMPTY = 0
    MIXED = 1
    SOLID = 2
    """Opaque all over: what is behind cannot be seen."""


class CardWarp:
    """One card in one frame: where its pixels come from, and which tiles of the frame it fills."""

    def __init__(
        self,
        pyramid: Pyramid,
        image_from_unit: Matrix3,
        bounds: tuple[int, int, int, int],
        frame_size: tuple[int, int],
    ) -> None:
        """``bounds`` (x0, y0, x1, y1) are the frame pixels the card may touch."""
        self.pyramid = pyramid
        self.bounds = bounds
        self._size = frame_size
        texel_from_unit = np.diag([pyramid.width, pyramid.height, 1.0])
        self._texel_from_image = texel_from_unit @ np.linalg.inv(image_from_unit)
        self.tiles = self._occupancy()
        self.regions: list[Region] = []

    def _occupancy(self) -> np.ndarray:
        """Return what each tile of the frame holds: (rows, columns) uint8 of :class:`Tile`."""
        width, height = self._size
        columns, rows = -(-width // TILE_WIDTH), -(-height // TILE_HEIGHT)
        x, y = np.meshgrid(np.arange(columns + 1) * TILE_WIDTH, np.arange(rows + 1) * TILE_HEIGHT)
        corners = np.stack([x, y, np.ones_like(x)]).astype(np.float64)
        u, v, w = np.tensordot(self._texel_from_image, corners, 1)
        ahead = _corner_min(w) > 1e-12
        w = np.where(w > 1e-12, w, 1.0)
        u, v = u / w, v / w
        low = np.stack([_corner_min(u), _corner_min(v)])
        high = -np.stack([_corner_min(-u), _corner_min(-v)])
        # Filters reach beyond a tile by a few texels of the level they sample.
        reach = 8 + (high - low) / 16
        some, solid = self.pyramid.occupancy.within(low - reach, high + reach)
        tiles = np.where(solid, Tile.SOLID, np.where(some, Tile.MIXED, Tile.EMPTY))
        # Beyond a card's horizon corners tell nothing.
        tiles = np.where(ahead, tiles, Tile.MIXED).astype(np.uint8)
        x0, y0, x1, y1 = self.bounds
        outside = np.ones_like(tiles, dtype=bool)
        outside[
            y0 // TILE_HEIGHT : -(-y1 // TILE_HEIGHT), x0 // TILE_WIDTH : -(-x1 // TILE_WIDTH)
        ] = False
        tiles[outside] = Tile.EMPTY
        return tiles

    def plan(self, quality: Quality) -> None:
        """Choose how each tile that is not empty is sampled; equal neighbours are one region."""
        rows, columns = self.tiles.shape
        x, y = np.meshgrid(
            (np.arange(columns) + 0.5) * TILE_WIDTH, (np.arange(rows) + 0.5) * TILE_HEIGHT
        )
        levels, across, down = self._samples(x, y, quality)
        codes = np.where(self.tiles > 0, (levels + 1) << 16 | across << 8 | down, 0)
        self.regions = []
        # Runs of equal tiles (first and last column, code) and the row each began in.
        open_runs: dict[tuple[int, int, int], int] = {}
        for row, line in enumerate([*codes.tolist(), []]):
            runs: dict[tuple[int, int, int], int] = {}
            start = 0
            for code, run in groupby(line):
                end = start + len(list(run))
                if code:
                    key = (start, end, code)
                    runs[key] = open_runs.pop(key, row)
                start = end
            self.regions += [self._region_of(key, top, row) for key, top in open_runs.items()]
            open_runs = runs

    def _region_of(self, run: tuple[int, int, int], top: int, bottom: int) -> Region:
        x0, y0, x1, y1 = self.bounds
        start, end, code = run
        return Region(
            max(x0, start * TILE_WIDTH),
            max(y0, top * TILE_HEIGHT),
            min(x1, end * TILE_WIDTH),
            min(y1, bottom * TILE_HEIGHT),
            (code >> 16) - 1,
            code >> 8 & 255,
            code & 255,
        )

    def _samples(
        self, x: np.ndarray, y: np.ndarray, quality: Quality
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return level and samples across and down at frame points (rows, columns)."""
        g = self._texel_from_image
        w = g[2, 0] * x + g[2, 1] * y + g[2, 2]
        # Beyond a card's horizon w turns; such a tile is nearly empty, any finite plan will do.
        w = np.where(np.abs(w) < 1e-9, 1e-9, w)
        u = (g[0, 0] * x + g[0, 1] * y + g[0, 2]) / w
        v = (g[1, 0] * x + g[1, 1] * y + g[1, 2]) / w
        ux, uy = (g[0, 0] - u * g[2, 0]) / w, (g[0, 1] - u * g[2, 1]) / w
        vx, vy = (g[1, 0] - v * g[2, 0]) / w, (g[1, 1] - v * g[2, 1]) / w
        trace, determinant = ux**2 + uy**2 + vx**2 + vy**2, np.abs(ux * vy - uy * vx)
        # Singular values of the 2 x 2 Jacobian from its norm and determinant.
        larger = np.sqrt((trace + np.sqrt(np.maximum(trace**2 - 4 * determinant**2, 0))) / 2)
        smaller = determinant / np.maximum(larger, 1e-30)
        coarsest = len(self.pyramid.levels) - 1
        if quality.samples == 1:
            wanted = np.log2(np.maximum(np.sqrt(determinant), 1))
            level = np.clip(np.rint(wanted), 0, coarsest).astype(int)
            return level, np.ones_like(level), np.ones_like(level)
        wanted = np.log2(np.maximum(smaller, 1)) + quality.bias
        level = np.clip(np.rint(wanted), 0, coarsest).astype(int)
        step_x, step_y = np.hypot(ux, vx), np.hypot(uy, vy)
        while True:
            across = _sample_count(step_x, level)
            down = _sample_count(step_y, level)
            coarser = (across * down > quality.samples) & (level < coarsest)
            if not coarser.any():
                break
            level = level + coarser
        while (many := across * down > quality.samples).any():
            across = across - (many & (across >= down))
            down = down - (many & (across * down > quality.samples) & (down > across))
        return level, across, down

    def rows(self, y0: int, y1: int, out: np.ndarray) -> None:
        """Sample frame rows ``y0`` to ``y1`` into ``out`` (rows, frame width, 4), uint16.

        Only the columns within ``bounds`` are written.
        """
        for region in self.regions:
            top, bottom = max(region.y0, y0), min(region.y1, y1)
            if top < bottom:
                self._region(region, top, bottom, out[top - y0 : bottom - y0])

    def _region(self, region: Region, top: int, bottom: int, out: np.ndarray) -> None:
        width, height = region.x1 - region.x0, bottom - top
        scale = 0.5**region.level
        # OpenCV counts pixel centres from 0, we from .5: hence the halves on both sides.
        level_from_texel = np.array([[scale, 0, BORDER - 0.5], [0, scale, BORDER - 0.5], [0, 0, 1]])
        image_from_sample = np.array(
            [
                [1 / region.across, 0, region.x0 + 0.5 / region.across],
                [0, 1 / region.down, top + 0.5 / region.down],
                [0, 0, 1],
            ]
        )
        target = out[:, region.x0 : region.x1]
        single = region.across * region.down == 1
        sampled = cv2.warpPerspective(
            self.pyramid.levels[region.level],
            level_from_texel @ self._texel_from_image @ image_from_sample,
            (width * region.across, height * region.down),
            dst=target if single else None,
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_CONSTANT,
        )
        if not single:
            target[:] = cv2.resize(sampled, (width, height), interpolation=cv2.INTER_AREA)
        elif sampled is not target and not np.shares_memory(sampled, target):
            target[:] = sampled


def _corner_min(values: np.ndarray) -> np.ndarray:
    """Return the least of each tile's four corners, from a grid of corners."""
    pairs = np.minimum(values[:-1], values[1:])
    return np.minimum(pairs[:, :-1], pairs[:, 1:])


def _sample_count(step: np.ndarray, level: np.ndarray) -> np.ndarray:
    # Near a horizon the step has no bound; 255 is more than any quality lets stand.
    return np.clip(np.ceil(step * 0.5**level - 0.25), 1, 255).astype(int)
