"""Cards in the air: seen through fog, veils and shafts, and taken brighter or darker.

What the air does is known at the corners of squares and run evenly between them. It is one product
and one sum for every pixel, whatever is in the air.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.gridded import (
    CELL,
    corners_of,
    line_at,
    multiply_add,
    rays_of,
    run_between,
)
from vistaline.core.render.lamp_shadows import Falling
from vistaline.core.render.laying import EDGES, KERNEL
from vistaline.core.render.modifier import Band, Modifier, Placement
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.shaft_light import falling_in_shafts
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.haze import (
    SHAFT_POINTS,
    Haze,
    begin_beam,
    gather_beam,
    look_at_cells,
)
from vistaline.core.stage.noise import noise_table

__all__ = ["hazed", "sky_of"]


def hazed(placed: Placement) -> Sequence[Modifier]:
    """Return what the air does to a card; nothing, where there is none, or it is on the lens."""
    state, layer = placed.state, placed.card.layer
    haze = state.haze
    in_air = not haze.clear and layer.stays != "lens"
    # Lamps have counted the exposure in.
    gain = 1.0 if layer.is_lit and state.lights else state.gain
    if not in_air and gain == 1:
        return []
    behind_all = layer.is_backdrop or layer.on_lens
    air = _air_of(state, placed.camera, placed.looks) if in_air else None
    return [_Hazed(air, gain, state.gain, sky=behind_all)]


@dataclass(frozen=True, eq=False)
class _Air:
    """The air of a frame before one camera; what its bands have in common is found out once."""

    haze: Haze
    camera: CameraState
    falling: Sequence[Falling | None]
    """What stands in each shaft."""
    bands: dict[tuple[int, int, int], _BandOfAir] = field(default_factory=dict)

    def band(self, index: int, rows: int, columns: int) -> _BandOfAir:
        key = index, rows, columns
        if key not in self.bands:
            self.bands[key] = self._band(*key)
        return self.bands[key]

    def _band(self, index: int, rows: int, columns: int) -> _BandOfAir:
        x, y = corners_of(rows, columns, index)
        ways = np.stack([x, y, np.ones_like(x)], axis=-1).reshape(-1, 3) @ rays_of(self.camera).T
        deep = np.sqrt(np.einsum("ij,ij->i", ways, ways))
        ways /= deep[:, None]
        haze, home = self.haze, np.array(self.camera.position)
        gathered = np.empty((len(haze.shafts), len(ways), SHAFT_POINTS + 3), np.float32)
        points = np.stack([x.ravel(), y.ravel()], axis=-1)
        for shaft, shadows, out in zip(haze.shafts, self.falling, gathered, strict=True):
            begin_beam(shaft, home, ways, out)
            seen = np.ones((len(ways), 1), np.float32)
            if shadows:
                seen = shadows.seen_along(points, deep, out, SHAFT_POINTS)
            gather_beam(shaft, haze.fogs, noise_table(), home, ways, seen, out)
        return _BandOfAir(ways, deep, gathered)

    def cells(
        self, index: int, x: FloatArray, near: FloatArray, scale: float, size: tuple[int, int]
    ) -> np.ndarray:
        """Return (lines, 4, columns) float32: what is kept and added at the corners of squares.

        ``near``: 1/z there, 0 for the sky; ``size``: rows and columns of the band's pixels.
        """
        there = self.band(index, *size)
        haze = self.haze
        lines, corners = x.shape
        found = np.empty((lines, 4, corners), np.float32)
        look_at_cells(
            *(haze.fogs, haze.veils, haze.shafts, there.gathered, noise_table()),
            *(np.array(self.camera.position), there.ways, there.deep, near.ravel(), scale),
            found,
        )
        return found


@dataclass(frozen=True, eq=False)
class _BandOfAir:
    """What is the same for all cards in one band of a frame."""

    ways: FloatArray
    """(N, 3) of the corners of its squares, of length 1."""
    deep: FloatArray
    """(N,): how long a ray is that goes 1 m deep."""
    gathered: np.ndarray
    """(shafts, N, points + 3); see :func:`stage.haze.gather_beam`."""


def _air_of(state: FrameState, camera: CameraState, looks: Mapping[str, Pyramid]) -> _Air:
    """Return the air before a camera: one for all cards of a frame."""
    kept = state.haze.kept
    if camera not in kept:
        kept[camera] = _Air(state.haze, camera, falling_in_shafts(state, camera, looks))
    found: _Air = kept[camera]
    return found


@dataclass(frozen=True, eq=False)
class _Hazed:
    air: _Air | None
    own: float
    """How much brighter the card itself is taken,"""
    gain: float
    """and the air."""
    sky: bool
    """Whether it is behind everything, however far away that is."""

    def modify(self, band: Band) -> None:
        shown = band.source.tiles[band.lines]
        if not shown.any():
            return
        size = rows, columns = band.pixels.shape[0], band.pixels.shape[1]
        x, y = corners_of(rows, columns, band.index)
        if self.air is None:
            cells = np.zeros((x.shape[0], 4, x.shape[1]), np.float32)
            cells[:, 0] = self.own
        else:
            near = np.zeros(x.shape) if self.sky else _near_at(band, x, y)
            cells = self.air.cells(band.index, x, near, self.own, size)
            if self.gain != self.own:
                cells[:, 1:] *= np.float32(self.gain / self.own)
        _through(band.pixels.view(np.uint64)[..., 0], cells, shown)


def _near_at(band: Band, x: FloatArray, y: FloatArray) -> FloatArray:
    """Return a card's 1/z (lines, columns) at points; of what is not there, as of what is near."""
    if band.source.nearness is not None:
        a, b, c = band.source.nearness
        return np.maximum(a * x + b * y + c, 1e-6)
    # A body ends within squares: each corner takes the nearest that is seen round it.
    near = np.pad(np.maximum(band.near, 0), CELL)
    rows, columns = x.shape
    found = np.zeros(x.shape)
    for j in range(rows):
        for i in range(columns):
            found[j, i] = near[j * CELL : (j + 2) * CELL, i * CELL : (i + 2) * CELL].max()
    return np.maximum(found, 1e-6)


@njit(**KERNEL)
def _through(pixels, cells, tiles):  # type: ignore[no-untyped-def]
    """Let a band's ``pixels`` (rows, width) uint64 be seen through what ``cells`` (lines, 4,
    columns) tell."""
    width = pixels.shape[1]
    kept, added = np.empty(width + CELL, np.float32), np.empty((3, width + CELL), np.float32)
    known = np.empty(cells.shape[1:], np.float32)
    for j in range(pixels.shape[0]):
        line, column = j // TILE_HEIGHT, 0
        line_at(cells, j, known)
        while column < tiles.shape[1]:
            if tiles[line, column] == 0:
                column += 1
                continue
            x0 = column * TILE_WIDTH
            while column < tiles.shape[1] and tiles[line, column] != 0:
                column += 1
            x1 = min(column * TILE_WIDTH, width)
            run_between(known[0], x0, x1, kept)
            for c in range(3):
                run_between(known[1 + c], x0, x1, added[c])
            multiply_add(
                *(pixels[j, x0:x1], kept[x0:x1]),
                *(added[0, x0:x1], added[1, x0:x1], added[2, x0:x1]),
            )


class Sky:
    """The air before the background: a source behind everything, of what is added and hidden."""

    fetched = None
    edges = np.tile(EVERYWHERE, (EDGES, 1))
    nearness = np.array([0.0, 0.0, 1e-9])

    def __init__(self, air: _Air, gain: float, cover: np.ndarray) -> None:
        self._air, self._gain = air, gain
        self.bounds = (0, 0, *air.camera.frame_size)
        self.tiles = np.where(cover > 0, int(Tile.EMPTY), int(Tile.MIXED)).astype(np.uint8)
        self.seen = bool(self.tiles.any())

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Fill ``out`` with the air's own light, as opaque as the air is."""
        size = rows, columns = out.shape[0], out.shape[1]
        x, _ = corners_of(rows, columns, band)
        cells = self._air.cells(band, x, np.zeros(x.shape), 1.0, size)
        cells[:, 1:] *= np.float32(self._gain)
        _fill(out, cells)


@njit(**KERNEL)
def _fill(out, cells):  # type: ignore[no-untyped-def]
    """Fill ``out`` (rows, width, 4) with what the air adds, and 1 - what it keeps, as alpha."""
    width = out.shape[1]
    planes = np.empty((4, width + CELL), np.float32)
    full = np.float32(65535)
    known = np.empty(cells.shape[1:], np.float32)
    for j in range(out.shape[0]):
        line_at(cells, j, known)
        for c in range(4):
            run_between(known[c], 0, width, planes[c])
        for x in range(width):
            for c in range(3):
                out[j, x, c] = np.uint16(np.int32(min(planes[1 + c, x], full) + np.float32(0.5)))
            hidden = min(max(np.float32(1) - planes[0, x], np.float32(0)), np.float32(1))
            out[j, x, 3] = np.uint16(np.int32(hidden * full + np.float32(0.5)))


def sky_of(
    state: FrameState, camera: CameraState, looks: Mapping[str, Pyramid], cover: np.ndarray
) -> Sky | None:
    """Return the air before the background; None where there is none, or none of it is seen.

    ``cover``: as in :class:`Asked`, when all else has been placed.
    """
    if state.haze.clear:
        return None
    sky = Sky(_air_of(state, camera, looks), state.gain, cover)
    return sky if sky.seen else None
