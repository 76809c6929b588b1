"""How large the discs of a card's points are: by how far each is from what is in focus."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.ndimage import distance_transform_edt

from vistaline.core.arrays import FloatArray
from vistaline.core.render.canvas import tiles_of
from vistaline.core.render.tiling import TILE_WIDTH
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.surfaces import surface_of

__all__ = ["Spread", "spread_of"]

_CELL = 32
"""Pixels from place to place where the blur of what is not flat is known."""


@dataclass(frozen=True, eq=False)
class Spread:
    """How large the discs of a card's points are over the frame, in pixels.

    Negative before the focus, positive beyond it.
    """

    slope: tuple[float, float, float] | None
    """a, b, c of a x + b y + c over frame pixels; None of what is not flat."""
    cells: FloatArray
    """(lines + 1, columns * 4 + 1): at the corners of squares of ``_CELL`` pixels."""

    @property
    def largest(self) -> FloatArray:
        """(lines, columns): the largest radius in each tile."""
        return np.abs(self._by_tile).max(axis=0)

    @property
    def smallest(self) -> FloatArray:
        """(lines, columns): the smallest radius in each tile; 0 where the focus runs through it."""
        there = self._by_tile
        crosses = (there.min(axis=0) < 0) & (there.max(axis=0) > 0)
        return np.where(crosses, 0.0, np.abs(there).min(axis=0))

    @property
    def _by_tile(self) -> FloatArray:
        across = TILE_WIDTH // _CELL
        columns = (self.cells.shape[1] - 1) // across
        ends = [self.cells[:, n : n + columns * across : across] for n in range(across)]
        lines = np.stack([*ends, self.cells[:, across::across]])
        return np.concatenate([lines[:, :-1], lines[:, 1:]])

    def at(self, x: FloatArray, y: FloatArray) -> FloatArray:
        """Return the radius at frame pixels ``x`` (N,) and ``y`` (M,), as (M, N)."""
        if self.slope is not None:
            a, b, c = self.slope
            return np.asarray(a * x + b * y[:, None] + c)
        last = np.array(self.cells.shape) - 1
        columns, lines = np.meshgrid(np.clip(x / _CELL, 0, last[1]), np.clip(y / _CELL, 0, last[0]))
        found = cv2.remap(
            self.cells.astype(np.float32),
            columns.astype(np.float32),
            lines.astype(np.float32),
            cv2.INTER_LINEAR,
        )
        return np.asarray(found, np.float64)


def spread_of(card: Card, camera: CameraState) -> Spread | None:
    """Return how a card is blurred before a camera; None if it is not."""
    optics = camera.optics
    if optics is None or optics.hole <= 0 or card.layer.always_sharp:
        return None
    most = camera.focal_px * optics.hole
    lines, columns = tiles_of(camera.frame_size)
    x = np.arange(columns * (TILE_WIDTH // _CELL) + 1.0) * _CELL
    y = np.arange(lines + 1.0) * _CELL
    surface = surface_of(card.layer)
    if surface.mesh:
        across, down = np.meshgrid(x, y)
        near = surface.trace(card, camera, across, down).near
        return Spread(None, most * (1 / optics.focus - _continued(near, card, camera)))
    if abs(np.linalg.det(card.image_from_card(camera))) < 1e-12:
        return None
    a, b, c = (most * (np.array([0, 0, 1 / optics.focus]) - card.nearness(camera))).tolist()
    return Spread((a, b, c), a * x + b * y[:, None] + c)


def _continued(near: FloatArray, card: Card, camera: CameraState) -> FloatArray:
    """Return 1/z of a body, beyond it as where it is nearest in the frame."""
    there = near > 0
    if not there.any():
        middle = camera.camera_from_world @ card.world_from_card[:, 3]
        return np.full(near.shape, 1 / max(-float(middle[2]), 1e-3))
    nearest = distance_transform_edt(~there, return_distances=False, return_indices=True)
    return np.asarray(near[tuple(nearest)])
