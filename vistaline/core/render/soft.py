"""A card out of focus: sampled as coarsely as its blur allows, blurred by discs, enlarged again.

The radius of a point's disc is linear in 1 / z, so a card's runs evenly over the frame. Each tile
of the frame is drawn from a copy of the card at 1, 1/2, 1/4 ... of the frame's size, whichever
makes its disc a few pixels large: then a large disc costs no more than a small one.

Cards are blurred one by one and laid over each other, as if what one hides of the next were
everywhere the same as seen from all points of the lens. Only :mod:`mean` knows better.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.looks.blending import MODES
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.canvas import tiles_of
from vistaline.core.render.coarse import (
    ROUND,
    Blurring,
    Copy,
    FromCopies,
    SampleOn,
    step_for,
)
from vistaline.core.render.crew import Crew
from vistaline.core.render.discs import (
    LEAST_BLUR,
    discs_of,
)
from vistaline.core.render.laying import EDGES
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.placing import Placed, hides, place
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.source import Quality
from vistaline.core.render.spread import Spread, spread_of
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.finish import effects_on, lets_through

__all__ = ["Softened", "softened"]

_AROUND = 512
"""Pixels round the frame from where discs reach into it: larger ones are not made."""


class Softened(FromCopies):
    """One card out of focus in one frame; a :class:`Source`."""

    fetched = None
    edges = np.tile(EVERYWHERE, (EDGES, 1))

    def __init__(
        self,
        blurring: Blurring,
        reached: np.ndarray,
        *,
        nearness: FloatArray | None,
        opaque: bool,
        cover: np.ndarray,
    ) -> None:
        """``reached`` (lines, columns): the tiles its discs may touch; ``nearness`` as a sharp
        card's; ``opaque`` and ``cover`` as in :class:`Asked`."""
        self.nearness = nearness
        self.size = blurring.camera.frame_size
        self.bounds = (0, 0, *self.size)
        self.tiles = np.full(reached.shape, int(Tile.EMPTY), np.uint8)
        self.steps = np.full(reached.shape, -1, np.int64)
        nearest = _nearest_in(nearness, *reached.shape)
        steps = step_for(blurring.spread.smallest)
        shown = reached & (nearest[1] > cover)
        self.copies: dict[int, Copy] = {}
        for step in np.unique(steps[shown]).tolist():
            wanted = shown & (steps == step)
            copy = blurring.copy(wanted, step)
            if copy is None:
                continue
            kinds = copy.kinds(wanted, blurring.crew)
            self.tiles[wanted] = kinds[wanted]
            self.steps[wanted & (kinds != Tile.EMPTY)] = step
            self.copies[step] = copy
        solid = self.tiles == Tile.SOLID
        if not opaque:
            self.tiles[solid] = Tile.MIXED
        elif nearness is not None:
            cover[solid] = np.maximum(cover[solid], nearest[0][solid])
        self.seen = bool(self.tiles.any())

    def draw(self, step: int, x0: int, y0: int, out: np.ndarray, near: np.ndarray) -> None:
        self.copies[step].draw(x0, y0, out, near)


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
    discs = discs_of(iris.blades, iris.turn, iris.roundness, iris.rims)
    source = Softened(
        Blurring(sample_on, camera, spread, discs, spare, crew, shelf),
        reached,
        nearness=None if spread.slope is None else card.nearness(camera),
        opaque=hides(card) and not lets_through(effects_on(state, card)),
        cover=cover,
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


def _reached(sample_on: SampleOn, camera: CameraState, spread: Spread) -> np.ndarray:
    """Return which tiles (lines, columns) of the frame the card's discs may touch."""
    lines, columns = tiles_of(camera.frame_size)
    found = np.zeros((lines, columns), bool)
    largest = np.minimum(spread.largest, _AROUND)
    around = TILE_WIDTH * math.ceil((float(largest.max()) + ROUND) / TILE_WIDTH)
    probe = sample_on(camera.on_raster(1.0, around))
    if probe is None:
        return found
    there = probe.source.tiles != Tile.EMPTY
    total = np.zeros((there.shape[0] + 1, there.shape[1] + 1), np.int64)
    total[1:, 1:] = there.cumsum(axis=0).cumsum(axis=1)
    radius = largest + ROUND
    down, across = np.ceil(radius / TILE_HEIGHT), np.ceil(radius / TILE_WIDTH)
    line, column = np.mgrid[:lines, :columns]
    line, column = line + around // TILE_HEIGHT, column + around // TILE_WIDTH
    y0, y1 = np.maximum(line - down, 0), np.minimum(line + down + 1, there.shape[0])
    x0, x1 = np.maximum(column - across, 0), np.minimum(column + across + 1, there.shape[1])
    y0, y1, x0, x1 = (each.astype(np.int64) for each in (y0, y1, x0, x1))
    return np.asarray(total[y1, x1] - total[y0, x1] - total[y1, x0] + total[y0, x0] > 0)
