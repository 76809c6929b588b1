"""A card blurred at some part of the frame's size: what is drawn of it where it is out of focus.

The larger a disc, the coarser the picture it is drawn with: then all discs are a few pixels large
and cost alike. A coarse copy is enlarged again when it is drawn.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.render.crew import Crew
from vistaline.core.render.discs import (
    BLOCK,
    LEAST_BLUR,
    MOST_BLUR,
    Discs,
    blur_rows,
    number_of,
)
from vistaline.core.render.enlarge import Taps, enlarge, taps_of
from vistaline.core.render.laying import KERNEL, coverage, span_of
from vistaline.core.render.placing import Placed
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.spread import Spread
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.render.warp import BAND
from vistaline.core.stage.camera import CameraState

__all__ = ["ROUND", "Blurring", "Copy", "FromCopies", "SampleOn", "step_for"]

SampleOn = Callable[[CameraState], Placed | None]
"""Places the card on another raster of its camera."""

_COARSER = (4.6, 12.0, 28.0, 56.0, 112.0)
"""Pixels of radius from which on a copy may be half as large, a quarter, and so on.

With discs of fewer pixels, what is black between white squares turns grey."""
ROUND = 2
"""Pixels of a copy beyond what is drawn from it, for the sake of interpolating."""
# Kernels know no enums.
_EMPTY, _MIXED, _SOLID = (int(kind) for kind in Tile)


def step_for(radius: FloatArray) -> np.ndarray:
    """Return by how many halvings a copy may be coarser for discs of so many pixels."""
    return np.searchsorted(_COARSER, radius, "right")


@dataclass(frozen=True, eq=False)
class Copy:
    """A card blurred at some part of the frame's size."""

    pixels: np.ndarray
    """(rows, columns, 4) uint16."""
    near: np.ndarray | None
    """(rows, columns) float32: 1/z, for what is not flat."""
    times: int
    """How many times as large the frame is."""
    starts: tuple[float, float]
    """Where the frame's first pixel lies in it; centres are counted from 0."""

    @cached_property
    def _taps(self) -> list[Taps]:
        return [taps_of(self.times, start) for start in self.starts]

    def draw(self, x0: int, y0: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw a part of the frame that begins at ``x0``, ``y0``, and its 1/z if it has any."""
        if self.times == 1:
            x, y = x0 + round(self.starts[0]), y0 + round(self.starts[1])
            out[:] = self.pixels[y : y + out.shape[0], x : x + out.shape[1]]
        else:
            across, down = self._taps
            enlarge(self.pixels, across, down, x0, y0, out)
        if self.near is not None:
            left, top = self.starts[0] + x0 / self.times, self.starts[1] + y0 / self.times
            columns = np.rint(left + np.arange(out.shape[1]) / self.times).astype(np.int64)
            rows = np.rint(top + np.arange(out.shape[0]) / self.times).astype(np.int64)
            near[:] = self.near[np.ix_(rows, columns)]

    def kinds(self, wanted: np.ndarray, crew: Crew) -> np.ndarray:
        """Return what it shows in each of the frame's tiles (lines, columns) that are wanted."""
        found = np.zeros(wanted.shape, np.uint8)
        across, down = ((1 / self.times, start) for start in self.starts)

        def tell(_: int, line: int) -> None:
            _tell_kinds(self.pixels, across, down, line, wanted, found)

        crew.share(tell, np.flatnonzero(wanted.any(axis=1)).tolist())
        return found


class FromCopies:
    """The part of a source that is drawn from copies: rows of tiles, each from one of them."""

    size: tuple[int, int]
    """Of the frame, in pixels."""
    steps: np.ndarray
    """(lines, columns): from which copy each tile is drawn; -1 where it is empty."""

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw a band from the copies; see :meth:`Source.rows`."""
        steps = self.steps[band * BAND_LINES : (band + 1) * BAND_LINES]
        if (steps == steps[0]).all():
            self._line(steps[0], band * BAND, out, near)
            return
        for n, line in enumerate(steps):
            rows = slice(n * TILE_HEIGHT, (n + 1) * TILE_HEIGHT)
            self._line(line, band * BAND + rows.start, out[rows], near[rows])

    def _line(self, steps: np.ndarray, top: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw rows from ``top`` on, of whose tiles ``steps`` says from which copies."""
        height = min(len(out), self.size[1] - top)
        column = 0
        while column < len(steps):
            step, first = int(steps[column]), column
            while column < len(steps) and steps[column] == step:
                column += 1
            if step >= 0:
                across = slice(first * TILE_WIDTH, min(column * TILE_WIDTH, self.size[0]))
                self.draw(step, across.start, top, out[:height, across], near[:height, across])

    def draw(self, step: int, x0: int, y0: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw from one copy the part of the frame that begins at ``x0``, ``y0``."""
        raise NotImplementedError


@dataclass(frozen=True, eq=False)
class Blurring:
    """How one card is blurred in one frame."""

    sample_on: SampleOn
    camera: CameraState
    spread: Spread
    discs: Discs
    spare: bool
    """It will be moved, so that each copy has a tile more all round than is drawn from it here."""
    crew: Crew
    shelf: Shelf

    def copy(self, wanted: np.ndarray, step: int) -> Copy | None:
        """Return the card blurred after ``step`` halvings, for tiles (lines, columns) that are
        ``wanted``; None if it shows nothing there."""
        scale = 0.5**step
        # Beyond the frame a copy goes on by what interpolating at its edge asks for.
        most = min(float(self.spread.largest[wanted].max()) * scale, MOST_BLUR)
        margin = int(self.discs.reach[number_of(np.array([-most - 1, most + 1]))].max())
        raster = self.camera.on_raster(scale, margin + ROUND)
        placed = self.sample_on(raster)
        if placed is None:
            return None
        width, height = raster.frame_size
        inner = width - 2 * margin, height - 2 * margin
        if self.spare:
            wanted = cv2.dilate(wanted.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        starts = _starts_in(self.camera, raster, margin)
        blocks = _blocks(self.spread, wanted, starts, inner, step)
        lines = np.flatnonzero((blocks >= 0).any(axis=1))
        if not len(lines):
            return None
        bands = -(-height // BAND)
        texels = self.shelf.lend((bands * BAND, width, 4))
        curved = placed.source.nearness is None
        near = np.zeros((bands * BAND if curved else BAND, width), np.float32)
        edges = np.asarray(placed.source.edges, np.float32)
        spans = np.array(placed.source.bounds, np.int64)
        scratch = [self.shelf.lend((BAND, width, 4)) for _ in range(self.crew.threads)]

        some = np.zeros((bands * BAND // BLOCK, -(-width // BLOCK)), np.uint8)

        def sample(thread: int, band: int) -> None:
            rows = slice(band * BAND, (band + 1) * BAND)
            told = near[rows] if curved else near
            placed.rows(band, texels[rows], scratch[thread], told)
            lines = placed.source.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
            _settle(texels[rows], lines, spans, edges, band * BAND)
            _tell_some(texels[rows], some[band * BAND // BLOCK : (band + 1) * BAND // BLOCK])

        first, last = lines[0] * BLOCK, (lines[-1] + 1) * BLOCK + 2 * margin
        self.crew.share(sample, range(first // BAND, min(-(-last // BAND), bands)))
        # A block comes of all blocks of the raster that its discs reach.
        reached = 1 + -(-2 * margin // BLOCK)
        touched = cv2.dilate(some, np.ones((reached, reached), np.uint8), anchor=(0, 0))
        touched = touched[: blocks.shape[0], : blocks.shape[1]]
        blocks[(blocks >= 0) & (touched == 0)] = -2
        pixels = self.shelf.lend((inner[1], inner[0], 4))
        if self.spare:
            pixels[:] = 0
        discs = self.discs
        side_by_side = texels.reshape(len(texels), -1), pixels.reshape(inner[1], -1)

        def blur(_: int, line: int) -> None:
            y0, y1 = line * BLOCK, min((line + 2) * BLOCK, inner[1])
            given, found = side_by_side
            blur_rows(
                *(given, blocks, discs.first, discs.rows, discs.shares, margin, y0, y1, found)
            )

        self.crew.share(blur, range(int(lines[0]), int(lines[-1]) + 1, 2))
        for buffer in (texels, *scratch):
            self.shelf.take_back(buffer)
        grown = _grown(near[:height], margin, most) if curved else None
        return Copy(pixels, grown, 2**step, starts)


def _starts_in(camera: CameraState, raster: CameraState, margin: int) -> tuple[float, float]:
    """Return where the frame's first pixel lies in a copy that begins ``margin`` into a raster."""
    matrix = raster.image_from_camera @ np.linalg.inv(camera.image_from_camera)
    x, y = (matrix @ (0.5, 0.5, 1))[:2].tolist()
    return x - 0.5 - margin, y - 0.5 - margin


def _blocks(
    spread: Spread,
    wanted: np.ndarray,
    starts: tuple[float, float],
    size: tuple[int, int],
    step: int,
) -> np.ndarray:
    """Return the disc of each block of a copy of ``size``; -1 where no wanted tile needs it."""
    ranges = []
    middles = []
    for axis, tile, count in ((0, TILE_WIDTH, wanted.shape[1]), (1, TILE_HEIGHT, wanted.shape[0])):
        begin = np.arange(-(-size[axis] // BLOCK)) * BLOCK
        to = 2**step, -starts[axis] * 2**step
        # What lies round the frame belongs to the tiles at its edge.
        low = np.floor(((begin - ROUND) * to[0] + to[1]) / tile).astype(np.int64)
        high = np.floor(((begin + BLOCK + ROUND) * to[0] + to[1]) / tile).astype(np.int64) + 1
        ranges.append((np.clip(low, 0, count - 1), np.clip(high, 1, count)))
        middles.append((begin + BLOCK / 2 - 0.5) * to[0] + to[1] + 0.5)
    total = np.zeros((wanted.shape[0] + 1, wanted.shape[1] + 1), np.int64)
    total[1:, 1:] = wanted.cumsum(axis=0).cumsum(axis=1)
    (x0, x1), (y0, y1) = ranges
    there = total[np.ix_(y1, x1)] - total[np.ix_(y0, x1)] - total[np.ix_(y1, x0)]
    there = there + total[np.ix_(y0, x0)]
    return np.where(there > 0, _made_for(spread.at(*middles) * 0.5**step, step), -1)


def _made_for(radius: FloatArray, step: int) -> np.ndarray:
    """Return the discs with which a copy is blurred as by discs of ``radius`` pixels of it.

    A coarser copy was softened when it was made, and is once more when it is enlarged, and even
    one as fine as the frame is a little: so the discs are smaller, by amounts that were measured
    against 400 points of a lens.
    """
    square = np.maximum(radius**2 + (-0.15 if step == 0 else -1.0), 0.01)
    return number_of(np.where(np.abs(radius) < LEAST_BLUR, 0, np.sign(radius) * np.sqrt(square)))


def _grown(near: np.ndarray, margin: int, most: float) -> np.ndarray:
    """Return 1/z (rows, columns) continued beyond where it is known, as far as the blur reaches."""
    there = (near > 0).astype(np.float32)
    size = 2 * math.ceil(most) + 3
    weights = cv2.blur(there, (size, size))
    means = cv2.blur(near, (size, size)) / np.maximum(weights, 1e-6)
    found = np.where(near > 0, near, np.where(weights > 1e-5, means, 0))
    inner = slice(margin, -margin)
    return np.ascontiguousarray(found[inner, inner].astype(np.float32))


@njit(cache=True, nogil=True)
def _tell_kinds(pixels, across, down, line, wanted, found):  # type: ignore[no-untyped-def]
    height, width = pixels.shape[:2]
    y0 = min(max(int(np.floor(line * TILE_HEIGHT * down[0] + down[1])) - 1, 0), height - 1)
    y1 = min(int(np.ceil((line + 1) * TILE_HEIGHT * down[0] + down[1])) + 2, height)
    for column in range(found.shape[1]):
        if not wanted[line, column]:
            continue
        x0 = min(max(int(np.floor(column * TILE_WIDTH * across[0] + across[1])) - 1, 0), width - 1)
        x1 = min(int(np.ceil((column + 1) * TILE_WIDTH * across[0] + across[1])) + 2, width)
        least, most = np.uint16(65535), np.uint16(0)
        for y in range(y0, y1):
            row = pixels[y, x0:x1]
            for x in range(row.shape[0]):
                least, most = min(least, row[x, 3]), max(most, row[x, 3])
            if least == 0 and most > 0:
                break
        found[line, column] = _EMPTY if most == 0 else (_SOLID if least == 65535 else _MIXED)


@njit(**KERNEL)
def _tell_some(pixels, some):  # type: ignore[no-untyped-def]
    """Mark in ``some`` (lines, columns) the blocks of a band's pixels that are not empty."""
    for j in range(pixels.shape[0]):
        for column in range(some.shape[1]):
            if some[j // BLOCK, column]:
                continue
            for x in range(column * BLOCK, min((column + 1) * BLOCK, pixels.shape[1])):
                if pixels[j, x, 3]:
                    some[j // BLOCK, column] = 1
                    break


@njit(**KERNEL)
def _settle(pixels, tiles, bounds, edges, y0):  # type: ignore[no-untyped-def]
    """Leave of a band's ``pixels`` what the card covers, at its edges by how much it does."""
    width = pixels.shape[1]
    for j in range(pixels.shape[0]):
        y = np.float32(y0 + j)
        row = pixels[j]
        if y0 + j < bounds[1] or y0 + j >= bounds[3] or j // TILE_HEIGHT >= tiles.shape[0]:
            row[:] = 0
            continue
        touched, left = span_of(edges, y, np.float32(-0.5), bounds[0], bounds[2])
        full, end = span_of(edges, y, np.float32(0.5), bounds[0], bounds[2])
        full = min(max(full, touched), left)
        end = min(max(end, full), left)
        row[:touched] = 0
        row[max(left, touched) :] = 0
        line = tiles[j // TILE_HEIGHT]
        for column in range(line.shape[0]):
            if line[column] == 0:
                row[column * TILE_WIDTH : min((column + 1) * TILE_WIDTH, width)] = 0
        for start, stop in ((touched, full), (end, left)):
            for x in range(start, stop):
                share = coverage(edges, np.float32(x), y)
                for c in range(4):
                    row[x, c] = np.uint16(np.float32(row[x, c]) * share + np.float32(0.5))
