"""Any surface in a frame, drawn by its own ray test; for surfaces without a faster way.

A body has a kernel of its own (``tracing``), a card a homography (``warp``); whatever else stands
on the stage is drawn by this, from :meth:`Surface.trace` alone.
"""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.render.laying import EDGES
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.source import Asked
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.render.warp import BAND
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.surfaces import Surface, Traced

__all__ = ["TracedSource", "tiles_within"]

_NOWHERE = -1e6
"""A texel no picture has: sampled, it is transparent."""
_SUB = 4
"""Rays across and down a pixel that the silhouette runs through."""
_SOFT = 0.5
"""Levels finer than a pixel's mean footprint: it is longer one way."""


class TracedSource:
    """One surface in one frame."""

    fetched = None
    nearness = None

    def __init__(
        self, surface: Surface, card: Card, camera: CameraState, pyramid: Pyramid, asked: Asked
    ) -> None:
        self._surface, self._card, self._camera, self._pyramid = surface, card, camera, pyramid
        self._bias = asked.quality.bias - _SOFT
        self.bounds, nearest = surface.bounds(card, camera)
        self.edges = np.tile(EVERYWHERE, (EDGES, 1))
        self.tiles = tiles_within(self.bounds, asked.cover, nearest)
        self.seen = bool(self.tiles.any())

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Ask a ray for every pixel of the tiles it may be in, more where its silhouette runs."""
        top = band * BAND
        lines = self.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
        for column in np.flatnonzero(lines.any(axis=0)):
            x0, x1 = column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, out.shape[1])
            # One pixel more all round: a silhouette is where neighbours differ.
            x, y = np.meshgrid(
                np.arange(x0 - 1, x1 + 1) + 0.5, np.arange(top - 1, top + len(out) + 1) + 0.5
            )
            met = self._trace(x, y)
            there = met.near > 0
            inner = np.s_[1:-1, 1:-1]
            differs = np.zeros(there.shape, bool)
            for axis in (0, 1):
                for way in (-1, 1):
                    differs |= np.roll(there, way, axis) != there
            u, v, depth = met.u[inner], met.v[inner], met.near[inner]
            covered = there[inner].astype(np.float32)
            self._smooth(differs[inner], x[inner], y[inner], u, v, depth, covered)
            near[:, x0:x1] = depth
            target = out[:, x0:x1]
            target[:] = self._sampled(u, v)
            partly = (covered > 0) & (covered < 1)
            target[partly] = np.rint(target[partly] * covered[partly, None])

    def _trace(self, x: np.ndarray, y: np.ndarray) -> Traced:
        return self._surface.trace(self._card, self._camera, x, y)

    def _smooth(
        self,
        where: np.ndarray,
        x: np.ndarray,
        y: np.ndarray,
        u: np.ndarray,
        v: np.ndarray,
        near: np.ndarray,
        covered: np.ndarray,
    ) -> None:
        """Let pixels on the silhouette show what some of their rays meet, by as many as do."""
        if not where.any():
            return
        steps = (np.arange(_SUB) + 0.5) / _SUB - 0.5
        right, down = (step.ravel() for step in np.meshgrid(steps, steps))
        met = self._trace(x[where][:, None] + right, y[where][:, None] + down)
        there = met.near > 0
        first = there.argmax(axis=1)
        some = there.any(axis=1)
        rows = np.arange(len(first))
        was = near[where] > 0
        for kept, found in ((u, met.u), (v, met.v), (near, met.near)):
            kept[where] = np.where(
                was, kept[where], np.where(some, found[rows, first], kept[where])
            )
        covered[where] = there.mean(axis=1)

    def _sampled(self, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        pyramid = self._pyramid
        across, down = u * pyramid.width, v * pyramid.height
        with np.errstate(invalid="ignore"):
            level = self._level(across, down)
            inside = (u >= 0) & (u <= 1) & (v >= 0) & (v <= 1)
        share = 0.5**level
        x, y = (
            np.where(inside, texels * share + (BORDER - 0.5), _NOWHERE).astype(np.float32)
            for texels in (across, down)
        )
        texels = pyramid.levels[level]
        return np.asarray(cv2.remap(texels, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT))

    def _level(self, across: np.ndarray, down: np.ndarray) -> int:
        """Return the level whose texels are about as large as the block's pixels."""
        if min(across.shape) < 2:
            return 0
        ux, uy = np.diff(across, axis=1)[:-1], np.diff(across, axis=0)[:, :-1]
        vx, vy = np.diff(down, axis=1)[:-1], np.diff(down, axis=0)[:, :-1]
        area = np.abs(ux * vy - uy * vx)
        known = np.isfinite(area)
        mean = np.log2(np.maximum(area[known], 1.0)).mean() / 2 if known.any() else 0.0
        return int(np.clip(np.rint(mean + self._bias), 0, len(self._pyramid.levels) - 1))


def tiles_within(
    bounds: tuple[int, int, int, int], cover: np.ndarray, nearest: float
) -> np.ndarray:
    """Return the tiles (lines, columns) of the frame that bounds touch and nothing hides."""
    tiles = np.full(cover.shape, int(Tile.EMPTY), np.uint8)
    x0, y0, x1, y1 = bounds
    across = slice(x0 // TILE_WIDTH, -(-x1 // TILE_WIDTH))
    down = slice(y0 // TILE_HEIGHT, -(-y1 // TILE_HEIGHT))
    shown = cover[down, across] < nearest
    tiles[down, across] = np.where(shown, int(Tile.MIXED), int(Tile.EMPTY))
    return tiles
