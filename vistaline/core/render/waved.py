"""A cloth in a frame: its cells as triangles, smooth at its rim and where it folds over itself."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.looks.cloth_sheet import sheet_of
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.laying import EDGES
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.raised_rows import NOWHERE, level_asked, placed
from vistaline.core.render.source import Asked
from vistaline.core.render.tiling import BAND_LINES, TILE_WIDTH
from vistaline.core.render.traced import tiles_within
from vistaline.core.render.triangles import as_seen, bands_of, draw_band
from vistaline.core.render.warp import BAND
from vistaline.core.render.waved_rows import FINER, cells_in, folded, lit_by, show_finely
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.surfaces import ClothSurface

__all__ = ["WavedSource"]

_CELL = 16
"""Pixels across and down what is drawn finely at a time."""
_SOFT = 0.5
"""Levels finer than a pixel's mean footprint: it is longer one way."""
_PLAIN = (
    np.array([1.0, 0.0]),
    np.zeros((0, 0), np.uint8),
    np.zeros(0, np.uint8),
    np.zeros((0, 0), np.float32),
)
"""Its 1/z is as told, all of it shows something, and nothing is before it yet."""


class WavedSource:
    """One cloth in one frame."""

    fetched = None
    nearness = None

    def __init__(
        self, surface: ClothSurface, card: Card, camera: CameraState, pyramid: Pyramid, asked: Asked
    ) -> None:
        assert card.waving
        self._pyramid, self._shades = pyramid, card.waving.shades
        self._bias = asked.quality.bias - _SOFT
        self.bounds, nearest = surface.bounds(card, camera)
        self.edges = np.tile(EVERYWHERE, (EDGES, 1))
        self.tiles = tiles_within(self.bounds, asked.cover, nearest)
        self.seen = bool(self.tiles.any())
        if not self.seen:
            return
        points = surface.image_points(card, camera)
        u, v, self._faces = sheet_of(*points.shape[:2])
        self._points = as_seen(points.reshape(-1, 3), u, v)
        self._finely = self._points * [FINER, FINER, 1, 1, 1, 1]
        bands = self.tiles.shape[0] // BAND_LINES + 1
        self._starts, self._listed = bands_of(
            self._points, self._faces, camera.frame_size[0], bands, BAND
        )

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw the cells of a band and what they show; see :meth:`Source.rows`."""
        lines = self.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
        columns = np.flatnonzero(lines.any(axis=0))
        if not len(columns):
            return
        here = self._listed[self._starts[band] : self._starts[band + 1]]
        near[:] = 0
        u, v = np.full((2, *near.shape), NOWHERE, np.float32)
        corner = (0.0, float(band * BAND))
        draw_band(self._points, self._faces, here, corner, *_PLAIN, near, u, v)
        marks = np.zeros(near.shape, np.uint8)
        x, y = np.empty((2, len(near), TILE_WIDTH), np.float32)
        for column in columns:
            x0, x1 = column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, near.shape[1])
            block = np.s_[:, x0:x1]
            texels, size = self._level(u[block], v[block])
            at = x[:, : x1 - x0], y[:, : x1 - x0]
            placed(u[block], v[block], size, *at)
            out[block] = cv2.remap(texels, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
            self._light(u[block], v[block], out[block])
            folded(u, v, size, (x0, x1), marks)
            for top, left in cells_in(marks[block], _CELL):
                cell = np.s_[top : top + _CELL, x0 + left : min(x0 + left + _CELL, x1)]
                corner = (float(x0 + left), float(band * BAND + top))
                drawn = (marks[cell], out[cell], near[cell])
                self._draw_finely(here, corner, texels, size, *drawn)

    def _level(self, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Return the level whose texels are about as large as a block's pixels, and its size."""
        pyramid = self._pyramid
        size = np.array([pyramid.width, pyramid.height], float)
        level = level_asked(u, v, size, self._bias, len(pyramid.levels) - 1)
        return pyramid.levels[level], (size * 0.5**level).astype(np.float32)

    def _light(self, u: np.ndarray, v: np.ndarray, out: np.ndarray) -> None:
        """Light what places show by how the cloth slopes there."""
        rows, columns = self._shades.shape
        across, down = u * np.float32(columns - 1), v * np.float32(rows - 1)
        lit_by(cv2.remap(self._shades, across, down, cv2.INTER_LINEAR), out)

    def _draw_finely(
        self,
        listed: np.ndarray,
        corner: tuple[float, float],
        texels: np.ndarray,
        size: np.ndarray,
        marks: np.ndarray,
        out: np.ndarray,
        deep: np.ndarray,
    ) -> None:
        shape = (marks.shape[0] * FINER, marks.shape[1] * FINER)
        near, (u, v) = np.zeros(shape, np.float32), np.full((2, *shape), NOWHERE, np.float32)
        at = (corner[0] * FINER, corner[1] * FINER)
        draw_band(self._finely, self._faces, listed, at, *_PLAIN, near, u, v)
        show_finely(near, u, v, texels, self._shades, size, marks, out, deep)
