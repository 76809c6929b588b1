"""A layer drawn alone, with effects for which neighbours count done to it: a source of its own."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from functools import cache

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.crew import Crew
from vistaline.core.render.fields import FrameFields, seen_in
from vistaline.core.render.finishing import finished
from vistaline.core.render.laying import EDGES, KERNEL
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.painted import paint
from vistaline.core.render.source import Asked, Quality, Source
from vistaline.core.render.sources import source_on
from vistaline.core.render.spreading import Place, reach_of
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.render.warp import BAND
from vistaline.core.shot.effects import Effect
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.surfaces import surface_of

__all__ = ["Redrawn", "crew_alone", "drawn_alone", "place_in", "redrawn"]


class Redrawn:
    """A picture as large as the frame; a :class:`Source`."""

    fetched = None
    edges = np.tile(EVERYWHERE, (EDGES, 1))

    def __init__(
        self, picture: np.ndarray, nearness: FloatArray | None, told: Source | None = None
    ) -> None:
        """``nearness``: 1/z as a plane has it; without it, ``told`` tells the 1/z of all pixels."""
        height, width = picture.shape[:2]
        self.bounds = (0, 0, width, height)
        self.nearness = nearness
        self._picture, self._told = picture, told
        lines, columns = -(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)
        self.tiles = np.full((lines, columns), int(Tile.EMPTY), np.uint8)
        _mark(picture, self.tiles)
        self.seen = bool(self.tiles.any())

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Fill a band of rows, as every source does."""
        if self._told is not None and self.nearness is None:
            self._told.rows(band, out, near)
        there = self._picture[band * BAND : band * BAND + len(out)]
        out[: len(there)] = there
        out[len(there) :] = 0


@njit(**KERNEL)
def _mark(picture, tiles):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            if picture[y, x, 3] != 0:
                tiles[y // TILE_HEIGHT, x // TILE_WIDTH] = 1


@cache
def crew_alone() -> Crew:
    """Return the threads that draw layers alone: before those of the frame begin."""
    return Crew(os.cpu_count() or 1)


def redrawn(
    card: Card,
    source: Source,
    effects: Sequence[Effect],
    state: FrameState,
    camera: CameraState,
    looks: Mapping[str, Pyramid],
    quality: Quality,
) -> Redrawn:
    """Return a layer with effects done to it, up to the last for which neighbours count."""
    seen = seen_in(state, looks, quality)
    around = max(reach_of(each, FrameFields(seen, camera).scale) for each in effects)
    # What lies just outside of the frame reaches into it; other rasters have room already.
    margin = 0 if camera.raster else min(around, 512)
    wide = camera.on_raster(1.0, margin) if margin else camera
    fields = FrameFields(seen, wide, card)
    picture = drawn_alone(card, wide, looks, quality)
    made = finished(picture, effects, fields, place_in(fields, seen.frame), crew_alone())
    height, width = made.shape[:2]
    cut = made[margin : height - margin, margin : width - margin]
    return Redrawn(np.ascontiguousarray(cut), source.nearness, source)


def place_in(fields: FrameFields, frame: int) -> Place:
    """Return where in the frame the raster of some fields lies."""
    wide, high = fields.camera.frame_size
    width, height = (fields.whole * fields.relative).tolist()
    return Place(fields.scale, (wide / 2, high / 2), (width, height), frame)


def drawn_alone(
    card: Card, camera: CameraState, looks: Mapping[str, Pyramid], quality: Quality
) -> np.ndarray:
    """Return a layer alone (height, width, 4) uint16, as its picture has it."""
    width, height = camera.frame_size
    out = np.zeros((height, width, 4), np.uint16)
    cover = np.zeros((-(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)))
    asked = Asked(quality, opaque=False, cover=cover)
    source = source_on(surface_of(card.layer), card, camera, looks, asked)
    if source is None or not source.seen:
        return out
    paint(source.rows, source, 1.0, out, crew_alone())
    return out
