"""Effects that ask for nothing but the pixel itself, on one layer and on the whole frame."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.picture.grade import NO_PLANES, NO_PROGRAM, Program, grade_row
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.fields import FrameFields, seen_in
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.modifier import Band, Modifier, Placement
from vistaline.core.render.source import Quality
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, run_of
from vistaline.core.render.warp import BAND
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.finish import effects_on, effects_over, split_at_spreading
from vistaline.core.stage.program import compiled

__all__ = ["NO_FINISH", "Finish", "finish_of", "grade_rows", "graded"]


@dataclass(frozen=True, eq=False)
class Finish:
    """A program for a whole frame, and the planes it asks for."""

    program: Program
    planes: np.ndarray
    """(P, height, width) uint16."""

    def __bool__(self) -> bool:
        return self.program.stages.shape[0] > 0


NO_FINISH = Finish(NO_PROGRAM, NO_PLANES)


def finish_of(state: FrameState, looks: Mapping[str, Pyramid], quality: Quality) -> Finish:
    """Return what is done to a whole frame at its end."""
    _, effects = split_at_spreading(effects_over(state))
    if not effects:
        return NO_FINISH
    fields = FrameFields(seen_in(state, looks, quality), state.camera)
    return Finish(compiled(effects, fields), fields.planes)


def graded(placed: Placement) -> Sequence[Modifier]:
    """Return what effects do to a card's pixels; it comes before light falls on them."""
    _, effects = split_at_spreading(effects_on(placed.state, placed.card))
    if not effects:
        return []
    seen = seen_in(placed.state, placed.looks, placed.quality)
    fields = FrameFields(seen, placed.camera, placed.card)
    program = compiled(effects, fields)
    return [_Graded(program, fields.planes)] if program.stages.shape[0] else []


@dataclass(frozen=True, eq=False)
class _Graded:
    program: Program
    planes: np.ndarray

    def modify(self, band: Band) -> None:
        tiles = band.source.tiles[band.lines]
        if tiles.any():
            pixels = band.pixels.view(np.uint64)[..., 0]
            _grade(self.program, self.planes, band.index * BAND, pixels, tiles)


@njit(**KERNEL)
def _grade(program, fields, y0, pixels, tiles):  # type: ignore[no-untyped-def]
    """Run a program over what is there of a band's packed, premultiplied pixels (rows, width)."""
    width = pixels.shape[1]
    planes, kept = np.empty(4 * width, np.float32), np.empty(4 * width, np.float32)
    last = fields.shape[1] - 1 if fields.shape[0] else y0 + pixels.shape[0]
    for j in range(pixels.shape[0]):
        if y0 + j > last:
            break
        line, column = j // TILE_HEIGHT, 0
        while column < tiles.shape[1]:
            first, column = run_of(tiles, line, column)
            if first == column:
                break
            x0, x1 = first * TILE_WIDTH, min(column * TILE_WIDTH, width)
            # Packed, as stages are vectorised only over what lies in one piece.
            many = x1 - x0
            there = planes[: 4 * many].reshape(4, many)
            row = pixels[j, x0:x1]
            _unpack(row, there[0], there[1], there[2], there[3])
            grade_row(program, there, x0, y0 + j, fields, kept[: 4 * many].reshape(4, many))
            _pack(row, there[0], there[1], there[2], there[3])


@njit(**KERNEL)
def grade_rows(program, fields, y0, pixels):  # type: ignore[no-untyped-def]
    """Run a program over all of some rows (rows, width) uint64, packed and premultiplied.

    ``y0``: which row of the ``fields`` the first one is.
    """
    width = pixels.shape[1]
    planes, kept = np.empty((4, width), np.float32), np.empty((4, width), np.float32)
    for j in range(pixels.shape[0]):
        row = pixels[j]
        _unpack(row, planes[0], planes[1], planes[2], planes[3])
        grade_row(program, planes, 0, y0 + j, fields, kept)
        _pack(row, planes[0], planes[1], planes[2], planes[3])


@njit(**KERNEL)
def _unpack(row, red, green, blue, alpha):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    for x in range(row.shape[0]):
        low, high = np.uint32(row[x]), np.uint32(row[x] >> np.uint64(32))
        a = np.float32(high >> np.uint32(16))
        straight = one / max(a, one)
        red[x] = np.float32(low & np.uint32(65535)) * straight
        green[x] = np.float32(low >> np.uint32(16)) * straight
        blue[x] = np.float32(high & np.uint32(65535)) * straight
        alpha[x] = a * np.float32(1 / 65535)


@njit(**KERNEL)
def _pack(row, red, green, blue, alpha):  # type: ignore[no-untyped-def]
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    for x in range(row.shape[0]):
        a = alpha[x] * np.float32(65535)
        r = min(max(red[x], zero), one) * a + half
        g = min(max(green[x], zero), one) * a + half
        b = min(max(blue[x], zero), one) * a + half
        low = np.uint32(np.int32(r)) | (np.uint32(np.int32(g)) << np.uint32(16))
        high = np.uint32(np.int32(b)) | (np.uint32(np.int32(a + half)) << np.uint32(16))
        row[x] = np.uint64(low) | (np.uint64(high) << np.uint64(32))
