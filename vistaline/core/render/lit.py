"""A card in the light of lamps: computed every few pixels, and run evenly between them.

What changes slowly over a surface is known at the corners of squares of ``CELL`` pixels: the
cosine, the fall-off, the angle from a spot's axis. Edges, of cones and of shadows, are told at
every pixel.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.render.gridded import CELL, corners_in, line_at, multiply, rays_of, run_between
from vistaline.core.render.lamp_shadows import BY_CELL, BY_PIXEL, Falling, Share, falling_on
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.modifier import Band, Modifier, Placement
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, run_of
from vistaline.core.render.warp import BAND
from vistaline.core.shot.lamps import LampKind
from vistaline.core.stage.lamps import KINDS, Light, falls, light_at, told

__all__ = ["lit"]


def lit(placed: Placement) -> Sequence[Modifier]:
    """Return what lamps do to a card: nothing, where there are none or it takes no light."""
    if not placed.state.lights or not placed.card.layer.is_lit:
        return []
    found = [each for light in placed.state.lights for each in falling_on(placed, light)]
    lights, falling = [light for light, _ in found], [shadows for _, shadows in found]
    normal = np.ascontiguousarray(placed.card.world_from_card[:3, 2])
    if placed.source.nearness is None:
        # A relief's own slopes are rough, and its picture has their light in it already: it takes
        # light as its card would, each place at its own distance.
        facing = normal if placed.card.raised else None
        return [_LitBody(lights, falling, placed.state.gain, facing)]
    # Lamps whose light ends somewhere are told apart from all others, which are one light.
    apart = np.array(
        [
            light.lamp.kind is LampKind.SPOT or shadows is not None
            for light, shadows in zip(lights, falling, strict=True)
        ]
    )
    lamps = told(lights)
    # Taken darker before it would be clipped: what is brighter than white then comes back.
    lamps[:, 10:13] *= placed.state.gain
    ending = [shadows for shadows, each in zip(falling, apart, strict=True) if each]
    return [_LitPlane(lamps, normal, apart, ending)]


@dataclass(frozen=True, eq=False)
class _LitPlane:
    lamps: FloatArray
    """(N, 15); see :func:`stage.lamps.told`."""
    normal: FloatArray
    """(3,)"""
    apart: np.ndarray
    """(N,) bool: which lamps have an edge of their own, a cone's or a shadow's."""
    falling: Sequence[Falling | None]
    """The shadows of those that are apart."""

    def modify(self, band: Band) -> None:
        rows, columns = band.pixels.shape[:2]
        lamps, apart, nearness = self.lamps, self.apart, band.source.nearness
        assert nearness is not None
        ending = lamps[apart]
        lines, across = corners_in((rows, columns))
        cells = np.zeros((lines, 3 + 2 * len(ending), across), np.float32)
        home = np.array(band.camera.position)
        rays = rays_of(band.camera)
        _fill(lamps, apart, rays, home, nearness, self.normal, band.index * BAND, cells)
        spots = ending[:, 0] == KINDS[LampKind.SPOT]
        # What is no spot shines as if the edge of its cone were nowhere.
        slopes = np.where(spots[:, None], ending[:, 13:], (0.0, 1.0))
        shown = band.source.tiles[band.lines]
        share = Share.room(len(ending), rows, columns)
        for n, falling in enumerate(self.falling):
            if falling:
                falling.let_through(nearness, _NOWHERE, band.index * BAND, shown, share.of(n))
        colours = ending[:, 10:13].astype(np.float32)
        pixels = band.pixels.view(np.uint64)[..., 0]
        seen = share.kinds, share.pixels, share.cells
        _shine(pixels, cells, colours, slopes.astype(np.float32), seen, shown)


_NOWHERE = np.empty((0, 0), np.float32)


@njit(cache=True, nogil=True, error_model="numpy")
def _fill(lamps, apart, rays, home, nearness, side, y0, cells):  # type: ignore[no-untyped-def]
    """Fill ``cells`` (lines, 3 + 2 * apart, columns): light, then share and cosine of each lamp
    that is told apart.

    Where the plane is behind the camera, or nearly edge on, it is that of some place far away.
    """
    for j in range(cells.shape[0]):
        y = y0 + CELL * float(j)
        for i in range(cells.shape[2]):
            x = CELL * float(i)
            far = 1 / max(nearness[0] * x + nearness[1] * y + nearness[2], 1e-6)
            a = home[0] + far * (rays[0, 0] * x + rays[0, 1] * y + rays[0, 2])
            b = home[1] + far * (rays[1, 0] * x + rays[1, 1] * y + rays[1, 2])
            c = home[2] + far * (rays[2, 0] * x + rays[2, 1] * y + rays[2, 2])
            at = 3
            red, green, blue = 0.0, 0.0, 0.0
            for m in range(lamps.shape[0]):
                share, cosine = falls(lamps, m, a, b, c, side[0], side[1], side[2])
                if apart[m]:
                    cells[j, at, i] = share
                    cells[j, at + 1, i] = cosine
                    at += 2
                else:
                    red += share * lamps[m, 10]
                    green += share * lamps[m, 11]
                    blue += share * lamps[m, 12]
            cells[j, 0, i], cells[j, 1, i], cells[j, 2, i] = red, green, blue


@dataclass(frozen=True, eq=False)
class _LitBody:
    lights: Sequence[Light]
    falling: Sequence[Falling | None]
    gain: float
    facing: FloatArray | None = None
    """(3,): the way all of it faces; None: its own at every place."""

    def modify(self, band: Band) -> None:
        shown = band.source.tiles[band.lines]
        if not shown.any():
            return
        near, world = band.near, band.world
        there = near > 0
        places = world[there]
        if self.facing is None:
            normals = _normals(world, near)[there]
        else:
            normals = np.broadcast_to(self.facing, places.shape)
        clear = [light for light, each in zip(self.lights, self.falling, strict=True) if not each]
        total = light_at(clear, places, normals)
        share = Share.room(1, *near.shape).of(0)
        mapped = np.ascontiguousarray(near, np.float32)
        for light, falling in zip(self.lights, self.falling, strict=True):
            if falling:
                share.pixels.fill(1)
                falling.let_through(np.zeros(3), mapped, band.index * BAND, shown, share)
                total += light_at([light], places, normals) * share.pixels[there][:, None]
        pixels = band.pixels[there]
        lit_pixels = np.rint(pixels[:, :3] * (total * self.gain).astype(np.float32))
        pixels[:, :3] = np.minimum(lit_pixels, pixels[:, 3:])
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
def _times(strong, shade):  # type: ignore[no-untyped-def]
    for x in range(strong.shape[0]):
        strong[x] *= shade[x]


@njit(**KERNEL)
def _times_between(above, below, past, out):  # type: ignore[no-untyped-def]
    """Multiply a tile's row by what lies between two lines of corners of squares."""
    for n in range(out.shape[0] // CELL):
        a = above[n] + past * (below[n] - above[n])
        step = (above[n + 1] + past * (below[n + 1] - above[n + 1]) - a) * np.float32(1 / CELL)
        for k in range(CELL):
            out[n * CELL + k] *= a + step * np.float32(k)


@njit(**KERNEL)
def _end(strong, cosine, slope, rest):  # type: ignore[no-untyped-def]
    """Let light end at the edge of its cone."""
    for x in range(strong.shape[0]):
        edge = min(max(cosine[x] * slope + rest, np.float32(0)), np.float32(1))
        strong[x] = strong[x] * edge * edge


@njit(**KERNEL)
def _add_times(out, more, times):  # type: ignore[no-untyped-def]
    for x in range(out.shape[0]):
        out[x] += more[x] * times


@njit(**KERNEL)
def _shine(pixels, cells, colours, slopes, seen, tiles):  # type: ignore[no-untyped-def]
    """Multiply a band's ``pixels`` (rows, width) uint64 by the light in ``cells``.

    ``cells`` (lines, 3 + 2 * apart, columns): light, then share and cosine of each lamp told apart,
    of ``colours`` (apart, 3) and ``slopes`` (apart, 2); as far as they are ``seen``,
    see ``Share``. ``tiles`` (lines, columns): 0 where nothing is. What gets
    brighter than white stays white.
    """
    width = pixels.shape[1]
    kinds, shades, coarse = seen
    light = np.empty((3, width + CELL), np.float32)
    strong, cosine = np.empty(width + CELL, np.float32), np.empty(width + CELL, np.float32)
    known = np.empty(cells.shape[1:], np.float32)
    for j in range(pixels.shape[0]):
        line, column = j // TILE_HEIGHT, 0
        line_at(cells, j, known)
        upper = j % TILE_HEIGHT // CELL
        past = np.float32(j % CELL) * np.float32(1 / CELL)
        while column < tiles.shape[1]:
            first, column = run_of(tiles, line, column)
            if first == column:
                break
            x0, x1 = first * TILE_WIDTH, min(column * TILE_WIDTH, width)
            for c in range(3):
                run_between(known[c], x0, x1, light[c, x0:])
            for n in range(colours.shape[0]):
                run_between(known[3 + 2 * n], x0, x1, strong[x0:])
                if slopes[n, 0] > 0:
                    run_between(known[4 + 2 * n], x0, x1, cosine[x0:])
                    _end(strong[x0:x1], cosine[x0:x1], slopes[n, 0], slopes[n, 1])
                for tile in range(x0 // TILE_WIDTH, column):
                    kind = kinds[n, line, tile]
                    a, b = tile * TILE_WIDTH, min((tile + 1) * TILE_WIDTH, width)
                    if kind & BY_PIXEL:
                        _times(strong[a:b], shades[n, j, a:b])
                    if kind & BY_CELL:
                        some = coarse[n, line, tile]
                        _times_between(some[upper], some[upper + 1], past, strong[a : b + CELL - 1])
                for c in range(3):
                    _add_times(light[c, x0:x1], strong[x0:x1], colours[n, c])
            multiply(pixels[j, x0:x1], light[0, x0:x1], light[1, x0:x1], light[2, x0:x1])
