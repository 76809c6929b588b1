"""How much of a lamp the places in a band of the frame see past the cards in its light.

A card's alpha is kept blurred by discs, four sizes to a doubling; between two neighbouring ones
it is mixed. Where a shadow is soft it is computed every few pixels.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from weakref import WeakKeyDictionary

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.render.gridded import CELL
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.modifier import Placement
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.lamps import Light
from vistaline.core.stage.thrown import Thrown, gobos_of, thrown_by

__all__ = ["BY_CELL", "BY_PIXEL", "Falling", "Share", "falling", "falling_on"]

_STEPS = 4
"""Discs to a doubling of their diameter."""
_FINEST = 1024
"""Texels along a card's longer side in its sharpest shadow."""
_WIDEST = 12
"""Texels of the widest disc before the picture is halved."""
_ROOM = 2
"""Texels round a blurred picture besides its disc."""
_OUTLINE, _FINER = 192, 4
"""Texels along the longer side of a body's outline, and how much finer it is drawn."""
_IN_AIR = 16
"""Which disc shadows in the air are seen with: 16 texels across."""
_CELLS_IN_BLUR = 5.0
"""A soft shadow is computed so often along its blur."""


@dataclass(frozen=True, eq=False)
class _Discs:
    """A card's alpha, blurred by ever larger discs."""

    texels: np.ndarray
    """(all texels of all of them,) uint8: small, as most of the time goes on fetching them."""
    table: np.ndarray
    """(discs, 6) float64: first texel, rows, columns, texels of its own to one of the sharpest,
    and what is added across and down."""
    width: float
    """Texels of the sharpest one that the card is wide."""
    height: float


_KEPT: WeakKeyDictionary[Pyramid, dict[tuple[int, bool], _Discs]] = WeakKeyDictionary()
"""As long as their pyramids: making them takes a third of a second."""


def blurred_by_discs(pyramid: Pyramid, channel: int, *, dark_around: bool) -> _Discs:
    """Return what a picture hides, blurred by discs; see :class:`stage.thrown.Thrown`."""
    kept = _KEPT.setdefault(pyramid, {})
    key = channel, dark_around
    if key not in kept:
        kept[key] = _blurred(pyramid, *key)
    return kept[key]


@lru_cache(maxsize=64)
def _outlined(triangles: bytes, width: int, height: int) -> _Discs:
    """Return what triangles hide, blurred by discs: texels times ``_FINER`` in int32, packed."""
    drawn = np.zeros((height * _FINER, width * _FINER), np.uint8)
    for triangle in np.frombuffer(triangles, np.int32).reshape(-1, 3, 2):
        cv2.fillConvexPoly(drawn, triangle, 255)
    sharp = cv2.resize(drawn, (width, height), interpolation=cv2.INTER_AREA)
    return _stack(sharp.astype(np.float32), 0.0, (float(width), float(height)))


def outlined_by_discs(outline: FloatArray, aspect: float) -> _Discs:
    """Return an outline, see :class:`stage.thrown.Thrown`, blurred by discs; ``aspect``: width over
    height."""
    width = max(2, round(_OUTLINE * min(1.0, aspect)))
    height = max(2, round(_OUTLINE * min(1.0, 1 / aspect)))
    texels = np.rint(outline * [width * _FINER, height * _FINER]).astype(np.int32)
    return _outlined(texels.tobytes(), width, height)


def _blurred(pyramid: Pyramid, channel: int, dark_around: bool) -> _Discs:
    longest = max(pyramid.width, pyramid.height)
    n = min(len(pyramid.levels) - 1, max(0, math.ceil(math.log2(longest / _FINEST))))
    rows, columns = (math.ceil(side / 2**n) for side in (pyramid.height, pyramid.width))
    inside = pyramid.levels[n][BORDER : BORDER + rows, BORDER : BORDER + columns, channel]
    sharp = inside.astype(np.float32) * np.float32(255 / 65535)
    if channel < 3:
        sharp = 255 - sharp
    texels = (pyramid.width / 2**n, pyramid.height / 2**n)
    return _stack(sharp, 255.0 if dark_around else 0.0, texels)


def _stack(sharp: np.ndarray, around: float, texels: tuple[float, float]) -> _Discs:
    """Return what hides, 0..255, by ever larger discs; ``texels``: how many it is wide and high."""
    rows, columns = sharp.shape
    parts, table, first = [], [], 0
    share, half = 1.0, np.asarray(sharp)
    for step in range(_STEPS * math.ceil(math.log2(max(rows, columns))) + 1):
        while 2 ** (step / _STEPS) * share > _WIDEST:
            even = _within(half, (0, half.shape[0] % 2), (0, half.shape[1] % 2), around)
            size = (even.shape[1] // 2, even.shape[0] // 2)
            half, share = cv2.resize(even, size, interpolation=cv2.INTER_AREA), share / 2
        disc = _disc(2 ** (step / _STEPS) * share)
        room = disc.shape[0] // 2 + _ROOM
        padded = _within(half, (room, room), (room, room), around)
        blurred = cv2.filter2D(padded, -1, disc, borderType=cv2.BORDER_REPLICATE)
        parts.append(np.rint(blurred).astype(np.uint8).ravel())
        # Its texel 0 is centred on 0: half a texel less than where it begins.
        table.append([first, *blurred.shape, share, room - 0.5, room - 0.5])
        first += blurred.size
    return _Discs(np.concatenate(parts), np.array(table, np.float64), *texels)


def _within(
    picture: np.ndarray, down: tuple[int, int], across: tuple[int, int], around: float
) -> np.ndarray:
    return np.asarray(
        cv2.copyMakeBorder(picture, *down, *across, cv2.BORDER_CONSTANT, value=around)
    )


def _disc(diameter: float) -> np.ndarray:
    """Return a disc as weights of texels (odd, odd): how much of each it covers."""
    reach = max(0, math.ceil((diameter - 1) / 2))
    fine = (np.arange((2 * reach + 1) * 8) + 0.5) / 8 - reach - 0.5
    inside = fine[:, None] ** 2 + fine**2 <= max(diameter, 0.8) ** 2 / 4
    side = 2 * reach + 1
    covered = inside.reshape(side, 8, side, 8).mean(axis=(1, 3))
    return np.asarray(covered / covered.sum(), np.float32)


BY_PIXEL, BY_CELL = 1, 2
"""How what is seen of a lamp is told in a tile; together both are to be multiplied."""


@dataclass(frozen=True, eq=False)
class Share:
    """Room for the share 0..1 of a lamp that is seen all over a band of the frame."""

    kinds: np.ndarray
    """(lines, columns) uint8: 0 where all of it is seen, else :data:`BY_PIXEL` or
    :data:`BY_CELL`, or both."""
    pixels: np.ndarray
    """(rows, width) float32, where it is told by pixel; elsewhere it means nothing."""
    cells: np.ndarray
    """(lines, columns, 5, 17) float32: of each tile, at the corners of its squares."""

    @staticmethod
    def room(count: int, rows: int, width: int) -> Share:
        """Return room for ``count`` lamps at once, all over a band: a leading axis each."""
        lines, columns = -(-rows // TILE_HEIGHT), -(-width // TILE_WIDTH)
        corners = TILE_HEIGHT // CELL + 1, TILE_WIDTH // CELL + 1
        return Share(
            np.zeros((count, lines, columns), np.uint8),
            np.empty((count, rows, width), np.float32),
            np.empty((count, lines, columns, *corners), np.float32),
        )

    def of(self, n: int) -> Share:
        """Return that of the ``n``-th lamp."""
        return Share(self.kinds[n], self.pixels[n], self.cells[n])


@dataclass(frozen=True, eq=False)
class Falling:
    """The shadows of one lamp on one card, for its band kernels."""

    discs: Sequence[_Discs]
    told: FloatArray
    """(shadows, 20): texels of the sharpest disc from a frame's point (9), and from 1/z (3); metres
    beyond the card from a point (3), and from 1/z; the lamp's distance from the card's plane; its
    size in texels; the card's opacity; what is hidden beside it, 0..255."""

    def let_through(
        self, nearness: FloatArray, near: np.ndarray, y0: int, tiles: np.ndarray, out: Share
    ) -> None:
        """Put into ``out`` which share of the lamp is seen all over a band that begins at ``y0``.

        ``nearness`` (3,) of what is flat; else ``near`` (rows, width) has its 1/z. ``tiles``
        (lines, columns): 0 where nothing is asked.
        """
        out.kinds[:] = 0
        for discs, told in zip(self.discs, self.told, strict=True):
            _darken(
                *(out.kinds, out.pixels, out.cells, told, discs.texels, discs.table),
                *(nearness, near, tiles, y0),
            )

    def seen_along(
        self, points: FloatArray, deep: FloatArray, spans: np.ndarray, count: int
    ) -> np.ndarray:
        """Return the share (N, count) float32 of the lamp that is seen from places in the air.

        They are evenly spread along the rays of frame ``points`` (N, 2), from ``spans[:, 0]`` to
        ``spans[:, 1]`` metres; ``deep`` (N,): how long a ray is that goes 1 m deep.
        """
        seen = np.ones((len(points), count), np.float32)
        for discs, told in zip(self.discs, self.told, strict=True):
            # In the air nothing is sharp: one of the discs will do.
            n = min(_IN_AIR, len(discs.table) - 1)
            _darken_air(seen, told, discs.texels, discs.table, n, points, deep, spans)
        return seen


def falling_on(placed: Placement, light: Light) -> list[tuple[Light, Falling | None]]:
    """Return a lamp with what stands in its light on the way to a placed card.

    A lamp that throws a picture is three, one of each colour, each with its own share of it.
    """
    card, state = placed.card, placed.state
    casts: list[Thrown] = []
    if card.layer.takes_shadows:
        casts = thrown_by(
            light, [state.cards[i] for i in state.order if state.cards[i] is not card]
        )
    aspect = 1.0
    if light.lamp.gobo and light.lamp.gobo.picture in placed.looks:
        picture = placed.looks[light.lamp.gobo.picture]
        aspect = picture.width / picture.height
    gobos = gobos_of(light, aspect)
    if len(gobos) < 2:
        return [(light, falling([*gobos, *casts], placed.looks, placed.camera))]
    return [
        (
            replace(light, colour=light.colour * (np.arange(3) == each.channel)),
            falling([each, *casts], placed.looks, placed.camera),
        )
        for each in gobos
    ]


def falling(
    thrown: Sequence[Thrown], looks: Mapping[str, Pyramid], camera: CameraState
) -> Falling | None:
    """Return shadows as kernels are told them, for places that a camera sees."""
    if not thrown:
        return None
    # A place is the camera's plus a point's ray over 1/z; times 1/z that is linear in both.
    ray = camera.world_from_camera[:3, :3] @ np.linalg.inv(camera.image_from_camera)
    home = np.array([*camera.position, 1.0])
    discs = [
        outlined_by_discs(each.outline, each.width / each.height)
        if each.outline is not None
        else blurred_by_discs(looks[each.texture], each.channel, dark_around=each.dark_around)
        for each in thrown
    ]
    told = np.zeros((len(thrown), 20))
    for row, each, of in zip(told, thrown, discs, strict=True):
        texels = np.diag([of.width, of.height, 1.0]) @ each.unit_from_world
        row[:9] = (texels[:, :3] @ ray).ravel()
        row[9:12] = texels @ home
        row[12:15] = each.beyond[:3] @ ray
        row[15] = each.beyond @ home
        row[16] = each.before
        row[17] = each.size * of.width / each.width
        row[18] = each.opacity
        row[19] = 255 * each.dark_around
    return Falling(discs, told)


@njit(inline="always")
def _back(told, x, y, near):  # type: ignore[no-untyped-def]
    """Return where a place looks back through the card, in texels, and its blur there.

    The blur is negative where the card is not between the place and the lamp.
    """
    w = told[6] * x + told[7] * y + told[8] + told[11] * near
    beyond = (told[12] * x + told[13] * y + told[14] + told[15] * near) / near
    if w <= 0 or beyond <= 1e-6:
        return 0.0, 0.0, -1.0
    u = (told[0] * x + told[1] * y + told[2] + told[9] * near) / w
    v = (told[3] * x + told[4] * y + told[5] + told[10] * near) / w
    if np.isinf(told[16]):
        return u, v, told[17] * beyond
    return u, v, told[17] * beyond / (told[16] + beyond)


@njit(inline="always")
def _look_up(texels, table, n, u, v, around):  # type: ignore[no-untyped-def]
    """Return the ``n``-th blurred picture's alpha 0..255 at texel ``u``, ``v`` of the sharpest.

    The whole table is handed on: a row of it, made for every look, would be counted every time.
    """
    x, y = u * table[n, 3] + table[n, 4], v * table[n, 3] + table[n, 5]
    columns = int(table[n, 2])
    if not (x >= 0 and y >= 0 and x < columns - 1 and y < table[n, 1] - 1):
        return np.float32(around)
    i, j = int(x), int(y)
    s, t = np.float32(x - i), np.float32(y - j)
    at = int(table[n, 0]) + j * columns + i
    top = np.float32(texels[at]) * (1 - s) + np.float32(texels[at + 1]) * s
    at += columns
    low = np.float32(texels[at]) * (1 - s) + np.float32(texels[at + 1]) * s
    return top + t * (low - top)


@njit(inline="always")
def _step_of(blur):  # type: ignore[no-untyped-def]
    """Return which disc, or how far between two, is as large as a blur of so many texels."""
    return _STEPS * np.log2(np.float32(max(blur, 1.0)))


@njit(inline="always")
def _hidden(texels, table, u, v, step, around):  # type: ignore[no-untyped-def]
    """Return how much of the lamp, 0..255, the card hides, blurred by the ``step``-th disc."""
    step = min(step, np.float32(table.shape[0] - 1))
    n = min(int(step), table.shape[0] - 2)
    sharp = _look_up(texels, table, n, u, v, around)
    soft = _look_up(texels, table, n + 1, u, v, around)
    return sharp + (step - np.float32(n)) * (soft - sharp)


@njit(inline="always")
def _left(told, texels, table, x, y, near):  # type: ignore[no-untyped-def]
    """Return the share of the lamp that a place sees past the card."""
    if near <= 0:
        return np.float32(1)
    u, v, blur = _back(told, x, y, near)
    if blur < 0:
        return np.float32(1)
    step = _step_of(blur)
    return np.float32(1) - _hidden(texels, table, u, v, step, told[19]) * np.float32(told[18] / 255)


@njit(nogil=True, cache=True)
def _darken_air(seen, told, texels, table, disc, points, deep, spans):  # type: ignore[no-untyped-def]
    """Multiply ``seen`` (N, count) by what is left of the lamp past one card."""
    count = seen.shape[1]
    for i in range(seen.shape[0]):
        step = (spans[i, 1] - spans[i, 0]) / count
        if step <= 0:
            continue
        x, y = points[i, 0], points[i, 1]
        for n in range(count):
            near = deep[i] / (spans[i, 0] + (n + 0.5) * step)
            u, v, blur = _back(told, x, y, near)
            if blur >= 0:
                hidden = _look_up(texels, table, disc, u, v, told[19])
                seen[i, n] *= np.float32(1) - hidden * np.float32(told[18] / 255)


@njit(nogil=True, cache=True)
def _darken(  # type: ignore[no-untyped-def]
    kinds, pixels, cells, told, texels, table, nearness, near, tiles, y0
):
    """Multiply what is seen of a lamp, see :class:`Share`, by what is left past one card."""
    mapped = near.shape[0] > 0
    grid = np.empty((TILE_HEIGHT + 1, TILE_WIDTH + 1), np.float32)
    row = np.empty(TILE_WIDTH, np.float32)
    for line in range(tiles.shape[0]):
        for column in range(tiles.shape[1]):
            top, left = line * TILE_HEIGHT, column * TILE_WIDTH
            rows = min(TILE_HEIGHT, pixels.shape[0] - top)
            columns = min(TILE_WIDTH, pixels.shape[1] - left)
            if tiles[line, column] == 0 or rows <= 0:
                continue
            every = 1
            if not mapped:
                every, least, meets = _apart(told, table, nearness, left, y0 + top, columns, rows)
                if not meets or not _on_grid(
                    grid, every, told, texels, table, nearness, left, y0 + top, least
                ):
                    continue
            if every == CELL:
                _times_cells(cells[line, column], grid, kinds[line, column] & BY_CELL == 0)
                kinds[line, column] |= BY_CELL
                continue
            if kinds[line, column] & BY_PIXEL == 0:
                pixels[top : top + rows, left : left + columns] = 1
                kinds[line, column] |= BY_PIXEL
            for j in range(rows):
                if mapped:
                    for i in range(columns):
                        x, y = left + i + 0.5, y0 + top + j + 0.5
                        there = np.float64(near[top + j, left + i])
                        row[i] = _left(told, texels, table, x, y, there)
                elif every == 1:
                    row[:] = grid[j, :TILE_WIDTH]
                else:
                    share = np.float32(j % every) / np.float32(every)
                    _between(grid[j // every], grid[j // every + 1], share, every, row)
                _times(pixels[top + j, left : left + columns], row)


@njit(nogil=True, cache=True)
def _times_cells(cells, grid, first):  # type: ignore[no-untyped-def]
    for j in range(cells.shape[0]):
        for i in range(cells.shape[1]):
            cells[j, i] = grid[j, i] if first else cells[j, i] * grid[j, i]


@njit(**KERNEL)
def _times(out, row):  # type: ignore[no-untyped-def]
    for x in range(out.shape[0]):
        out[x] *= row[x]


@njit(**KERNEL)
def _between(above, below, share, every, row):  # type: ignore[no-untyped-def]
    """Fill ``row`` from two lines of a grid known every two or four pixels."""
    # Two loops of fixed length, as only such are unrolled.
    if every == 4:
        for n in range(TILE_WIDTH // 4):
            a = above[n] + share * (below[n] - above[n])
            step = (above[n + 1] + share * (below[n + 1] - above[n + 1]) - a) * np.float32(1 / 4)
            for k in range(4):
                row[4 * n + k] = a + step * np.float32(k)
    else:
        for n in range(TILE_WIDTH // 2):
            a = above[n] + share * (below[n] - above[n])
            b = above[n + 1] + share * (below[n + 1] - above[n + 1])
            row[2 * n] = a
            row[2 * n + 1] = (a + b) * np.float32(0.5)


@njit(nogil=True, cache=True)
def _apart(told, table, nearness, left, top, columns, rows):  # type: ignore[no-untyped-def]
    """Return how many pixels apart a tile's shadow is computed, the least blur in texels so that
    none of them are skipped, and whether the card's shadow meets the tile at all."""
    smallest, widest = np.inf, 0.0
    u0, v0, u1, v1 = np.inf, np.inf, -np.inf, -np.inf
    coarsest = 0.0
    some, all_there = False, True
    for corner in range(5):
        x = left + columns * (0.0, 1.0, 0.0, 1.0, 0.5)[corner]
        y = top + rows * (0.0, 0.0, 1.0, 1.0, 0.5)[corner]
        near = nearness[0] * x + nearness[1] * y + nearness[2]
        if near <= 0:
            all_there = False
            continue
        u, v, blur = _back(told, x, y, near)
        if blur < 0:
            all_there = False
            continue
        some = True
        smallest, widest = min(smallest, blur), max(widest, blur)
        u0, v0, u1, v1 = min(u0, u), min(v0, v), max(u1, u), max(v1, v)
        beside = near + nearness[0]
        if beside > 0:
            across, down, far = _back(told, x + 1, y, beside)
            if far >= 0:
                coarsest = max(coarsest, np.hypot(across - u, down - v))
        under = near + nearness[1]
        if under > 0:
            across, down, far = _back(told, x, y + 1, under)
            if far >= 0:
                coarsest = max(coarsest, np.hypot(across - u, down - v))
    if not some:
        return 1, 0.0, not all_there and _partly(told, nearness, left, top, columns, rows)
    if all_there:
        # A card's texels all lie in its sharpest picture; its blur reaches half of itself farther.
        room = widest / 2 + 2 * coarsest + 2
        wide, high = table[0, 2] - 2 * table[0, 4] - 1, table[0, 1] - 2 * table[0, 5] - 1
        clear_around = told[19] == 0
        if clear_around and (u1 < -room or v1 < -room or u0 > wide + room or v0 > high + room):
            return 1, 0.0, False
    every, apart = 1, smallest / max(coarsest, 1e-6) / _CELLS_IN_BLUR
    if all_there:
        while every < CELL and 2 * every <= apart:
            every *= 2
    return every, coarsest, True


@njit(nogil=True, cache=True)
def _partly(told, nearness, left, top, columns, rows):  # type: ignore[no-untyped-def]
    """Whether any place in a tile lies behind the card, though none of its corners does."""
    for j in range(0, rows, 8):
        for i in range(0, columns, 8):
            x, y = left + i + 0.5, top + j + 0.5
            near = nearness[0] * x + nearness[1] * y + nearness[2]
            if near > 0 and _back(told, x, y, near)[2] >= 0:
                return True
    return False


@njit(inline="always")
def _blur(told, near, beyond):  # type: ignore[no-untyped-def]
    """Return the blur in texels ``beyond`` / ``near`` metres behind the card."""
    if np.isinf(told[16]):
        return told[17] * beyond / near
    return told[17] * beyond / (told[16] * near + beyond)


@njit(nogil=True, cache=True)
def _on_grid(grid, every, told, texels, table, nearness, left, top, least):  # type: ignore[no-untyped-def]
    """Fill a tile's ``grid`` with what is left of the lamp, every so many pixels.

    Returns whether any of it is less than all. As :func:`_left`; along a row of a plane all but the
    divisions is linear. Where a shadow is soft its disc is told at three places of a row, and by a
    parabola between them.
    """
    dark, opacity = False, np.float32(told[18] / 255)
    count = TILE_WIDTH // every
    # The way on by one sample, of 1/z, w, u w, v w, and metres beyond the card over z.
    step = every * nearness[0]
    w1 = every * told[6] + told[11] * step
    u1 = every * told[0] + told[9] * step
    v1 = every * told[3] + told[10] * step
    b1 = every * told[12] + told[15] * step
    x = left + 0.5
    for j in range(TILE_HEIGHT // every + 1):
        y = top + j * every + 0.5
        near = nearness[0] * x + nearness[1] * y + nearness[2]
        w = told[6] * x + told[7] * y + told[8] + told[11] * near
        u = told[0] * x + told[1] * y + told[2] + told[9] * near
        v = told[3] * x + told[4] * y + told[5] + told[10] * near
        beyond = told[12] * x + told[13] * y + told[14] + told[15] * near
        sure = every > 1 and min(near, near + count * step) > 0 and min(w, w + count * w1) > 0
        sure &= min(beyond, beyond + count * b1) > 1e-6 * max(near, near + count * step)
        first, slope, bend = np.float32(0), np.float32(0), np.float32(0)
        if sure:
            half, far = count // 2, float(count)
            first = _step_of(_blur(told, near, beyond))
            middle = _step_of(_blur(told, near + half * step, beyond + half * b1))
            last = _step_of(_blur(told, near + far * step, beyond + far * b1))
            bend = (first + last - middle - middle) * np.float32(2)
            slope = last - first - bend
        for i in range(count + 1):
            seen = np.float32(1)
            if sure or (near > 0 and w > 0 and beyond > 1e-6 * near):
                if sure:
                    along = np.float32(i) / np.float32(count)
                    disc = first + along * (slope + along * bend)
                else:
                    disc = _step_of(max(_blur(told, near, beyond), least))
                inverse = 1 / w
                hidden = _hidden(texels, table, u * inverse, v * inverse, disc, told[19])
                seen -= hidden * opacity
                dark |= hidden > 0
            grid[j, i] = seen
            near, w, u, v, beyond = near + step, w + w1, u + u1, v + v1, beyond + b1
    return dark
