"""A card out of focus: sampled as coarsely as its blur allows, blurred by discs, enlarged again.

The radius of a point's disc is linear in 1 / z, so a card's runs evenly over the frame. Each tile
of the frame is drawn from a copy of the card at 1, 1/2, 1/4 ... of the frame's size, whichever
makes its disc a few pixels large: then a large disc costs no more than a small one.

Cards are blurred one by one and laid over each other, as if what one hides of the next were
everywhere the same as seen from all points of the lens. Only :mod:`mean` knows better.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numba import njit
from scipy.ndimage import distance_transform_edt

from vistaline.core.arrays import FloatArray
from vistaline.core.looks.blending import MODES
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.canvas import tiles_of
from vistaline.core.render.crew import Crew
from vistaline.core.render.discs import (
    BLOCK,
    LEAST_BLUR,
    MOST_BLUR,
    Discs,
    blur_rows,
    discs_of,
    number_of,
)
from vistaline.core.render.enlarge import Taps, enlarge, taps_of
from vistaline.core.render.laying import EDGES, KERNEL, coverage, span_of
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.placing import Placed, hides, place
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.source import Quality
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.render.warp import BAND
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.surfaces import surface_of

__all__ = ["Softened", "softened"]

SampleOn = Callable[[CameraState], Placed | None]
"""Places the card on another raster of its camera."""

_COARSER = (4.6, 12.0, 28.0, 56.0, 112.0)
"""Pixels of radius from which on a copy may be half as large, a quarter, and so on.

With discs of fewer pixels, what is black between white squares turns grey."""
_AROUND = 512
"""Pixels round the frame from where discs reach into it: larger ones are not made."""
_CELL = 32
"""Pixels from place to place where the blur of what is not flat is known."""
_ROUND = 2
"""Pixels of a copy beyond what is drawn from it, for the sake of interpolating."""
# Kernels know no enums.
_EMPTY, _MIXED, _SOLID = (int(kind) for kind in Tile)


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


class Softened:
    """One card out of focus in one frame; a :class:`Source`."""

    fetched = None
    edges = np.tile(EVERYWHERE, (EDGES, 1))

    def __init__(
        self,
        sample_on: SampleOn,
        camera: CameraState,
        spread: Spread,
        reached: np.ndarray,
        *,
        discs: Discs,
        nearness: FloatArray | None,
        opaque: bool,
        cover: np.ndarray,
        spare: bool,
        crew: Crew,
        shelf: Shelf,
    ) -> None:
        """``reached`` (lines, columns): the tiles its discs may touch; ``nearness`` as a sharp
        card's; ``opaque`` and ``cover`` as in :class:`Asked`; ``spare``: it will be moved, so that
        each copy has a tile more all round than is drawn from it here."""
        self.nearness = nearness
        self._camera = camera
        self._size = camera.frame_size
        self.bounds = (0, 0, *camera.frame_size)
        lines, columns = reached.shape
        self.tiles = np.full((lines, columns), int(Tile.EMPTY), np.uint8)
        self.steps = np.full((lines, columns), -1, np.int64)
        """(lines, columns): from which copy each tile is drawn; -1 where it is empty."""
        self._spare = spare
        nearest = _nearest_in(nearness, lines, columns)
        steps = np.searchsorted(_COARSER, spread.smallest, "right")
        shown = reached & (nearest[1] > cover)
        self.copies: dict[int, Copy] = {}
        for step in np.unique(steps[shown]).tolist():
            wanted = shown & (steps == step)
            copy = self._blurred(sample_on, spread, wanted, step, discs, crew, shelf)
            if copy is None:
                continue
            kinds = _kinds_of(copy, wanted, crew)
            self.tiles[wanted] = kinds[wanted]
            self.steps[wanted & (kinds != Tile.EMPTY)] = step
            self.copies[step] = copy
        solid = self.tiles == Tile.SOLID
        if not opaque:
            self.tiles[solid] = Tile.MIXED
        elif nearness is not None:
            cover[solid] = np.maximum(cover[solid], nearest[0][solid])
        self.seen = bool(self.tiles.any())

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw a band from the copies; see :meth:`Source.rows`."""
        steps = self.steps[band * BAND_LINES : (band + 1) * BAND_LINES]
        if (steps == steps[0]).all():
            self._draw(steps[0], band * BAND, out, near)
            return
        for n, line in enumerate(steps):
            rows = slice(n * TILE_HEIGHT, (n + 1) * TILE_HEIGHT)
            self._draw(line, band * BAND + rows.start, out[rows], near[rows])

    def _draw(self, steps: np.ndarray, top: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw rows from ``top`` on, of whose tiles ``steps`` says from which copies."""
        height = min(len(out), self._size[1] - top)
        column = 0
        while column < len(steps):
            step, first = int(steps[column]), column
            while column < len(steps) and steps[column] == step:
                column += 1
            if step < 0:
                continue
            across = slice(first * TILE_WIDTH, min(column * TILE_WIDTH, self._size[0]))
            copy = self.copies[step]
            copy.draw(across.start, top, out[:height, across], near[:height, across])

    def _blurred(
        self,
        sample_on: SampleOn,
        spread: Spread,
        wanted: np.ndarray,
        step: int,
        discs: Discs,
        crew: Crew,
        shelf: Shelf,
    ) -> Copy | None:
        scale = 0.5**step
        # Beyond the frame a copy goes on by what interpolating at its edge asks for.
        most = min(float(spread.largest[wanted].max()) * scale, MOST_BLUR)
        margin = int(discs.reach[number_of(np.array([-most - 1, most + 1]))].max())
        raster = self._camera.on_raster(scale, margin + _ROUND)
        placed = sample_on(raster)
        if placed is None:
            return None
        width, height = raster.frame_size
        inner = width - 2 * margin, height - 2 * margin
        if self._spare:
            wanted = cv2.dilate(wanted.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        starts = _starts_in(self._camera, raster, margin)
        blocks = _blocks(spread, wanted, starts, inner, step)
        lines = np.flatnonzero((blocks >= 0).any(axis=1))
        if not len(lines):
            return None
        bands = -(-height // BAND)
        texels = shelf.lend((bands * BAND, width, 4))
        curved = placed.source.nearness is None
        near = np.zeros((bands * BAND if curved else BAND, width), np.float32)
        edges = np.asarray(placed.source.edges, np.float32)
        spans = np.array(placed.source.bounds, np.int64)
        scratch = [shelf.lend((BAND, width, 4)) for _ in range(crew.threads)]

        some = np.zeros((bands * BAND // BLOCK, -(-width // BLOCK)), np.uint8)

        def sample(thread: int, band: int) -> None:
            rows = slice(band * BAND, (band + 1) * BAND)
            told = near[rows] if curved else near
            placed.rows(band, texels[rows], scratch[thread], told)
            lines = placed.source.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
            _settle(texels[rows], lines, spans, edges, band * BAND)
            _tell_some(texels[rows], some[band * BAND // BLOCK : (band + 1) * BAND // BLOCK])

        first, last = lines[0] * BLOCK, (lines[-1] + 1) * BLOCK + 2 * margin
        crew.share(sample, range(first // BAND, min(-(-last // BAND), bands)))
        # A block comes of all blocks of the raster that its discs reach.
        reached = 1 + -(-2 * margin // BLOCK)
        touched = cv2.dilate(some, np.ones((reached, reached), np.uint8), anchor=(0, 0))
        touched = touched[: blocks.shape[0], : blocks.shape[1]]
        blocks[(blocks >= 0) & (touched == 0)] = -2
        pixels = shelf.lend((inner[1], inner[0], 4))
        if self._spare:
            pixels[:] = 0
        side_by_side = texels.reshape(len(texels), -1), pixels.reshape(inner[1], -1)

        def blur(_: int, line: int) -> None:
            y0, y1 = line * BLOCK, min((line + 2) * BLOCK, inner[1])
            given, found = side_by_side
            blur_rows(given, blocks, discs.first, discs.rows, discs.shares, margin, y0, y1, found)

        crew.share(blur, range(int(lines[0]), int(lines[-1]) + 1, 2))
        for buffer in (texels, *scratch):
            shelf.take_back(buffer)
        grown = _grown(near[:height], margin, most) if curved else None
        return Copy(pixels, grown, 2**step, starts)


def softened(
    index: int,
    state: FrameState,
    looks: Mapping[str, Pyramid],
    quality: Quality,
    cover: np.ndarray,
    crew: Crew,
    shelf: Shelf,
    *,
    spare: bool = False,
) -> Placed | None:
    """Return how the ``index``-th card is seen, blurred where it is out of focus.

    As :func:`placing.place`, which it leaves to it where all of the card is sharp. ``spare``: it is
    blurred to be moved, see :mod:`moved`; then None is also what is sharp, or not flat.
    """
    card, camera = state.cards[index], state.camera
    spread = spread_of(card, camera) if card.opacity else None
    if spread is None or (spare and spread.slope is None):
        return None if spare else place(index, state, looks, quality, cover)

    def sample_on(raster: CameraState) -> Placed | None:
        nothing = np.zeros(tiles_of(raster.frame_size))
        return place(index, state, looks, quality, nothing, raster)

    reached = _reached(sample_on, camera, spread)
    if not reached.any():
        return None
    if spread.largest[reached].max() < LEAST_BLUR:
        return None if spare else place(index, state, looks, quality, cover)
    assert camera.optics
    iris = camera.optics.iris
    source = Softened(
        sample_on,
        camera,
        spread,
        reached,
        discs=discs_of(iris.blades, iris.turn, iris.roundness, iris.rims),
        nearness=None if spread.slope is None else card.nearness(camera),
        opaque=hides(card),
        cover=cover,
        spare=spare,
        crew=crew,
        shelf=shelf,
    )
    return (
        Placed(source, card.opacity, MODES[card.layer.blend], (), camera) if source.seen else None
    )


def _nearest_in(
    nearness: FloatArray | None, lines: int, columns: int
) -> tuple[FloatArray, FloatArray]:
    """Return the least and the greatest 1/z in each tile; 0 and infinity if they are not known."""
    if nearness is None:
        return np.zeros((lines, columns)), np.full((lines, columns), np.inf)
    x, y = np.arange(columns + 1) * TILE_WIDTH, np.arange(lines + 1)[:, None] * TILE_HEIGHT
    there = nearness[0] * x + nearness[1] * y + nearness[2]
    four = np.stack([there[:-1, :-1], there[1:, :-1], there[:-1, 1:], there[1:, 1:]])
    return four.min(axis=0), four.max(axis=0)


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
        low = np.floor(((begin - _ROUND) * to[0] + to[1]) / tile).astype(np.int64)
        high = np.floor(((begin + BLOCK + _ROUND) * to[0] + to[1]) / tile).astype(np.int64) + 1
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


def _reached(sample_on: SampleOn, camera: CameraState, spread: Spread) -> np.ndarray:
    """Return which tiles (lines, columns) of the frame the card's discs may touch."""
    lines, columns = tiles_of(camera.frame_size)
    found = np.zeros((lines, columns), bool)
    largest = np.minimum(spread.largest, _AROUND)
    around = TILE_WIDTH * math.ceil((float(largest.max()) + _ROUND) / TILE_WIDTH)
    probe = sample_on(camera.on_raster(1.0, around))
    if probe is None:
        return found
    there = probe.source.tiles != Tile.EMPTY
    total = np.zeros((there.shape[0] + 1, there.shape[1] + 1), np.int64)
    total[1:, 1:] = there.cumsum(axis=0).cumsum(axis=1)
    radius = largest + _ROUND
    down, across = np.ceil(radius / TILE_HEIGHT), np.ceil(radius / TILE_WIDTH)
    line, column = np.mgrid[:lines, :columns]
    line, column = line + around // TILE_HEIGHT, column + around // TILE_WIDTH
    y0, y1 = np.maximum(line - down, 0), np.minimum(line + down + 1, there.shape[0])
    x0, x1 = np.maximum(column - across, 0), np.minimum(column + across + 1, there.shape[1])
    y0, y1, x0, x1 = (each.astype(np.int64) for each in (y0, y1, x0, x1))
    return np.asarray(total[y1, x1] - total[y0, x1] - total[y1, x0] + total[y0, x0] > 0)


def _grown(near: np.ndarray, margin: int, most: float) -> np.ndarray:
    """Return 1/z (rows, columns) continued beyond where it is known, as far as the blur reaches."""
    there = (near > 0).astype(np.float32)
    size = 2 * math.ceil(most) + 3
    weights = cv2.blur(there, (size, size))
    means = cv2.blur(near, (size, size)) / np.maximum(weights, 1e-6)
    found = np.where(near > 0, near, np.where(weights > 1e-5, means, 0))
    inner = slice(margin, -margin)
    return np.ascontiguousarray(found[inner, inner].astype(np.float32))


def _kinds_of(copy: Copy, wanted: np.ndarray, crew: Crew) -> np.ndarray:
    """Return what a copy shows in each of the frame's tiles (lines, columns) that are wanted."""
    found = np.zeros(wanted.shape, np.uint8)
    across, down = ((1 / copy.times, start) for start in copy.starts)

    def tell(_: int, line: int) -> None:
        _tell_kinds(copy.pixels, across, down, line, wanted, found)

    crew.share(tell, np.flatnonzero(wanted.any(axis=1)).tolist())
    return found


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
