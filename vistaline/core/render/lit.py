"""A card in the light of lamps: computed every few pixels, and run evenly between them.

What changes slowly over a surface is known at the corners of squares of ``_CELL`` pixels: the
cosine, the fall-off, the angle from a spot's axis. A spot's edge itself is told at every pixel.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.modifier import Band, Modifier, Placement, shown_places
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.warp import BAND
from vistaline.core.shot.lamps import LampKind
from vistaline.core.stage.lamps import KINDS, Light, falls, light_at, told

__all__ = ["lit"]

_CELL = 8


def lit(placed: Placement) -> Sequence[Modifier]:
    """Return what lamps do to a card: nothing, where there are none or it takes no light."""
    lights = placed.state.lights
    if not lights or not placed.card.layer.is_lit:
        return []
    if placed.source.nearness is None:
        return [_LitBody(lights)]
    normal = np.ascontiguousarray(placed.card.world_from_card[:3, 2])
    return [_LitPlane(told(lights), normal)]


@dataclass(frozen=True, eq=False)
class _LitPlane:
    lamps: FloatArray
    """(N, 15); see :func:`stage.lamps.told`."""
    normal: FloatArray
    """(3,)"""

    def modify(self, band: Band) -> None:
        rows, columns = band.pixels.shape[:2]
        x = np.arange(0, columns + _CELL, _CELL, dtype=np.float64)
        y = band.index * BAND + np.arange(0, rows + _CELL, _CELL, dtype=np.float64)
        places = _places_on(band, x, y)
        lamps = self.lamps
        spots = np.flatnonzero(lamps[:, 0] == KINDS[LampKind.SPOT])
        cells = np.zeros((len(y), len(x), 3 + 2 * len(spots)), np.float32)
        _fill(lamps, places, self.normal, cells)
        colours, slopes = lamps[spots, 10:13], lamps[spots, 13:]
        shown = band.source.tiles[band.lines]
        _shine(band.pixels, cells, colours.astype(np.float32), slopes.astype(np.float32), shown)


@njit(cache=True, nogil=True)
def _fill(lamps, places, side, cells):  # type: ignore[no-untyped-def]
    """Fill ``cells`` (lines, columns, 3 + 2 * spots): light, then share and cosine of each spot."""
    for j in range(places.shape[0]):
        for i in range(places.shape[1]):
            x, y, z = places[j, i, 0], places[j, i, 1], places[j, i, 2]
            at = 3
            for m in range(lamps.shape[0]):
                lamp = lamps[m]
                share, cosine = falls(lamp, x, y, z, side)
                if lamp[0] == 1:
                    cells[j, i, at] = share
                    cells[j, i, at + 1] = cosine
                    at += 2
                else:
                    for c in range(3):
                        cells[j, i, c] += share * lamp[10 + c]


def _places_on(band: Band, x: FloatArray, y: FloatArray) -> FloatArray:
    """Return the places (lines, columns, 3) of a plane that frame pixels ``x``, ``y`` show.

    Where the plane is behind the camera there, or nearly edge on, they are some place far away.
    """
    assert band.source.nearness is not None
    a, b, c = band.source.nearness
    across, down = np.meshgrid(x, y)
    near = np.maximum(a * across + b * down + c, 1e-6)
    return shown_places(band.camera, across, down, near)


@dataclass(frozen=True, eq=False)
class _LitBody:
    lights: Sequence[Light]

    def modify(self, band: Band) -> None:
        if not band.source.tiles[band.lines].any():
            return
        near, world = band.near, band.world
        normals = _normals(world, near)
        there = near > 0
        light = light_at(self.lights, world[there], normals[there]).astype(np.float32)
        pixels = band.pixels[there]
        pixels[:, :3] = np.minimum(np.rint(pixels[:, :3] * light), pixels[:, 3:])
        band.pixels[there] = pixels


def _normals(world: FloatArray, near: np.ndarray) -> FloatArray:
    """Return the normal (rows, columns, 3) at every pixel, from its neighbours on the surface.

    Of the two neighbours along each axis that one counts whose distance differs less: over a crease
    or an edge nothing is told.
    """
    ways = []
    for axis in (1, 0):
        later, earlier = (np.roll(world, step, axis) for step in (-1, 1))
        ahead, behind = (np.roll(near, step, axis) for step in (-1, 1))
        for side, here in ((ahead, -1), (behind, 0)):
            edge = (slice(None), here) if axis else (here,)
            side[edge] = 0
        forward = (np.abs(ahead - near) <= np.abs(behind - near)) & (ahead > 0)
        forward |= behind <= 0
        ways.append(np.where(forward[..., None], later - world, world - earlier))
    normals = np.cross(ways[0], ways[1])
    long = np.linalg.norm(normals, axis=-1, keepdims=True)
    return np.asarray(normals / np.maximum(long, 1e-12))


@njit(**KERNEL)
def _shine(pixels, cells, colours, slopes, tiles):  # type: ignore[no-untyped-def]
    """Multiply a band's ``pixels`` by the light in ``cells`` (lines, columns, 3 + 2 * spots).

    The first three numbers of a cell are light, then come share and cosine of each spot, of
    ``colours`` (spots, 3) and ``slopes`` (spots, 2). ``tiles`` (lines, columns): 0 where nothing
    is. What gets brighter than white stays white.
    """
    count = cells.shape[2]
    row = np.empty((cells.shape[1], count), np.float32)
    for j in range(pixels.shape[0]):
        down = (np.float32(j) + np.float32(0.5)) / np.float32(_CELL)
        line = int(down)
        share = down - np.float32(line)
        for n in range(cells.shape[1]):
            for c in range(count):
                first = cells[line, n, c]
                row[n, c] = first + share * (cells[line + 1, n, c] - first)
        for column in range(tiles.shape[1]):
            if tiles[j // TILE_HEIGHT, column] == 0:
                continue
            x0, x1 = column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, pixels.shape[1])
            for n in range(x0 // _CELL, (x1 + _CELL - 1) // _CELL):
                left, right = row[n], row[n + 1]
                for x in range(n * _CELL, min((n + 1) * _CELL, x1)):
                    t = (np.float32(x - n * _CELL) + np.float32(0.5)) * np.float32(1 / _CELL)
                    red = left[0] + t * (right[0] - left[0])
                    green = left[1] + t * (right[1] - left[1])
                    blue = left[2] + t * (right[2] - left[2])
                    for s in range(colours.shape[0]):
                        at = 3 + 2 * s
                        cosine = left[at + 1] + t * (right[at + 1] - left[at + 1])
                        edge = min(cosine * slopes[s, 0] + slopes[s, 1], np.float32(1))
                        if edge > 0:
                            strong = (left[at] + t * (right[at] - left[at])) * edge * edge
                            red += strong * colours[s, 0]
                            green += strong * colours[s, 1]
                            blue += strong * colours[s, 2]
                    white = np.float32(pixels[j, x, 3])
                    for c, light in ((0, red), (1, green), (2, blue)):
                        value = min(np.float32(pixels[j, x, c]) * light, white)
                        pixels[j, x, c] = np.uint16(np.int32(value + np.float32(0.5)))
