"""Cards in the air: seen through fog, veils and shafts, and taken brighter or darker.

What the air does is known at the corners of squares and run evenly between them. It is one product
and one sum for every pixel, whatever is in the air.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.gridded import (
    CELL,
    corners_in,
    fill_ways,
    line_at,
    multiply_add,
    rays_of,
    run_between,
)
from vistaline.core.render.lamp_shadows import Falling
from vistaline.core.render.laying import EDGES, KERNEL
from vistaline.core.render.modifier import Band, Modifier, Placement, Tint
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.shaft_light import falling_in_shafts
from vistaline.core.render.source import Source
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH, Tile, run_of
from vistaline.core.render.warp import BAND
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


_HIGH, _WIDE = TILE_HEIGHT // CELL, TILE_WIDTH // CELL
_NO_PLANE, _FLAT = np.zeros(3), np.empty((0, 0))


@dataclass(frozen=True, eq=False)
class _Asked:
    """Where the air is asked for, and how bright."""

    index: int
    """Which band,"""
    size: tuple[int, int]
    """its rows and columns of pixels,"""
    own: float
    """how much brighter what is kept is taken,"""
    gain: float
    """and what is added,"""
    shown: np.ndarray
    """and its tiles, 0 where nothing is wanted."""


@dataclass(frozen=True, eq=False)
class _Air:
    """The air of a frame before one camera; what its bands have in common is found out once."""

    haze: Haze
    camera: CameraState
    falling: Sequence[Falling | None]
    """What stands in each shaft."""
    bands: dict[tuple[int, tuple[int, int]], _BandOfAir] = field(default_factory=dict)

    @cached_property
    def _home(self) -> FloatArray:
        return np.array(self.camera.position)

    @cached_property
    def _rays(self) -> Matrix3:
        return rays_of(self.camera)

    def _band(self, index: int, size: tuple[int, int]) -> _BandOfAir:
        if (index, size) not in self.bands:
            self.bands[index, size] = self._begun(index, size)
        return self.bands[index, size]

    def _begun(self, index: int, size: tuple[int, int]) -> _BandOfAir:
        shape = corners_in(size)
        ways, deep = np.empty((*shape, 3)), np.empty(shape)
        fill_ways(self._rays, float(index * BAND), ways, deep)
        haze = self.haze
        along = ways.reshape(-1, 3)
        gathered = np.empty((len(haze.shafts), len(along), SHAFT_POINTS + 3), np.float32)
        each = zip(haze.shafts, haze.openings, self.falling, gathered, strict=True)
        for shaft, opening, shadows, out in each:
            begin_beam(shaft, self._home, along, out)
            seen = np.ones((len(along), 1), np.float32)
            if shadows:
                x, y = np.meshgrid(CELL * np.arange(shape[1]), CELL * np.arange(shape[0]))
                points = np.stack([x, index * BAND + y], axis=-1).reshape(-1, 2).astype(np.float64)
                seen = shadows.seen_along(points, deep.ravel(), out, SHAFT_POINTS)
            told = haze.fogs, opening, noise_table()
            gather_beam(shaft, *told, self._home, along, seen, out)
        return _BandOfAir(ways, deep, gathered)

    def cells(self, asked: _Asked, plane: FloatArray, near: FloatArray = _FLAT) -> np.ndarray:
        """Return (lines, 4, columns) float32: what is kept and added at the corners of squares.

        ``near`` (lines, columns): 1/z there, 0 for the sky; else it is that of a flat ``plane``.
        """
        there = self._band(asked.index, asked.size)
        haze = self.haze
        lines, columns = there.deep.shape
        found = np.zeros((lines, 4, columns), np.float32)
        told = (float(CELL), float(asked.index * BAND), asked.own, asked.gain, asked.shown)
        look_at_cells(
            *(haze.fogs, haze.veils, haze.shafts, there.gathered, noise_table(), self._home),
            *(there.ways, there.deep, plane, near, (*told, _HIGH, _WIDE), found),
        )
        return found


@dataclass(frozen=True, eq=False)
class _BandOfAir:
    """What is the same for all cards in one band of a frame."""

    ways: FloatArray
    """(lines, columns, 3) of the corners of its squares, of length 1."""
    deep: FloatArray
    """(lines, columns): how long a ray is that goes 1 m deep."""
    gathered: np.ndarray
    """(shafts, lines * columns, points + 3); see :func:`stage.haze.gather_beam`."""


def _air_of(state: FrameState, camera: CameraState, looks: Mapping[str, Pyramid]) -> _Air:
    """Return the air before a camera: one for all cards of a frame."""
    kept = state.haze.kept
    if camera not in kept:
        kept[camera] = _Air(state.haze, camera, falling_in_shafts(state, camera, looks))
    found: _Air = kept[camera]
    return found


@dataclass(frozen=True, eq=False)
class _Hazed(Tint):
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
        size = band.pixels.shape[0], band.pixels.shape[1]
        if band.source.nearness is not None:
            cells = self.cells(band.index, band.source, size)
        else:
            cells = self._cells(band.index, size, shown, _NO_PLANE, _near_body(band))
        _through(band.pixels.view(np.uint64)[..., 0], cells, shown)

    def cells(self, index: int, source: Source, size: tuple[int, int]) -> np.ndarray:
        """As in :class:`Tint`."""
        assert source.nearness is not None
        lines = slice(index * BAND_LINES, (index + 1) * BAND_LINES)
        near = np.zeros(corners_in(size)) if self.sky else _FLAT
        return self._cells(index, size, source.tiles[lines], source.nearness, near)

    def _cells(
        self,
        index: int,
        size: tuple[int, int],
        shown: np.ndarray,
        plane: FloatArray,
        near: FloatArray,
    ) -> np.ndarray:
        if self.air:
            return self.air.cells(_Asked(index, size, self.own, self.gain, shown), plane, near)
        lines, columns = corners_in(size)
        cells = np.zeros((lines, 4, columns), np.float32)
        cells[:, 0] = self.own
        return cells


def _near_body(band: Band) -> FloatArray:
    """Return 1/z (lines, columns) of what is round, at the corners of a band's squares."""
    # A body ends within squares: each corner takes the nearest that is seen round it.
    lines, columns = corners_in(band.near.shape)
    rows, width = band.near.shape
    room = (CELL, lines * CELL - rows), (CELL, columns * CELL - width)
    near = np.pad(np.maximum(band.near, 0), room)
    squares = near.reshape(lines + 1, CELL, columns + 1, CELL).max(axis=(1, 3))
    across = np.maximum(squares[:, :-1], squares[:, 1:])
    return np.maximum(across[:-1], across[1:]).astype(np.float64).clip(1e-6)


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
            first, column = run_of(tiles, line, column)
            if first == column:
                break
            x0, x1 = first * TILE_WIDTH, min(column * TILE_WIDTH, width)
            run_between(known[0], x0, x1, kept[x0:])
            for c in range(3):
                run_between(known[1 + c], x0, x1, added[c, x0:])
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
        size = out.shape[0], out.shape[1]
        lines = slice(band * BAND_LINES, (band + 1) * BAND_LINES)
        asked = _Asked(band, size, 1.0, self._gain, self.tiles[lines])
        _fill(out, self._air.cells(asked, _NO_PLANE, np.zeros(corners_in(size))))


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
