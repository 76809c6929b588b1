"""Particles in a frame: discs, stars, streaks and pictures, laid between cards.

Each is as large as it is far, out of focus as a point there is, and drawn out along its way while
the shutter is open. Between two cards all that lie there are one source.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numba import njit

from vistaline.core.looks.blending import MODES, Blend
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.render.laying import EDGES, KERNEL, PIECE
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.placing import Placed
from vistaline.core.render.source import Sparse
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.render.warp import BAND
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.particles import Flock
from vistaline.core.stage.sprites import Sprites, sprites_of

__all__ = ["with_motes"]


def _picture_of(sprites: Sprites, looks: Mapping[str, Pyramid]) -> np.ndarray:
    """Return the picture that sprites show (rows, columns, 4) uint16; a texel if they show none."""
    if not sprites.picture:
        return np.zeros((1, 1, 4), np.uint16)
    return _picture(looks[sprites.picture], float(sprites.drawn[:, 4].max(initial=1.0)))


def _picture(pyramid: Pyramid, radius: float) -> np.ndarray:
    """Return a picture about as fine as its largest particle, without what it is extended by."""
    n = 0
    while n + 1 < len(pyramid.levels) and max(pyramid.width, pyramid.height) / 2**n > 3 * radius:
        n += 1
    level = pyramid.levels[n][BORDER:-BORDER, BORDER:-BORDER]
    rows, columns = (-(-side // 2**n) for side in (pyramid.height, pyramid.width))
    return np.ascontiguousarray(level[:rows, :columns])


class _Between(Sparse):
    """The particles between two cards; a :class:`Source`."""

    fetched = None
    edges = np.tile(EVERYWHERE, (EDGES, 1))
    seen = True

    def __init__(
        self,
        parts: Sequence[tuple[Sprites, np.ndarray]],
        size: tuple[int, int],
        looks: Mapping[str, Pyramid],
        *,
        flat: bool,
    ) -> None:
        """``parts``: sprites and which of them; ``flat``: one order holds all over the frame."""
        self._drawn = np.concatenate([sprites.drawn[which] for sprites, which in parts])
        near = np.concatenate([sprites.near[which] for sprites, which in parts])
        picture = np.concatenate([np.full(len(which), n) for n, (_, which) in enumerate(parts)])
        order = np.argsort(near, kind="stable")
        self._drawn = np.ascontiguousarray(self._drawn[order])
        self._near = near[order].astype(np.float32)
        self._drawn[:, 13] = picture[order]
        self._pictures = [_picture_of(sprites, looks) for sprites, _ in parts]
        self.nearness = np.array([0.0, 0.0, float(near.mean())]) if flat else None
        self.bounds = (0, 0, *size)
        lines, columns = -(-size[1] // TILE_HEIGHT), -(-size[0] // TILE_WIDTH)
        self.tiles = np.full((lines, columns), int(Tile.EMPTY), np.uint8)
        _mark(self._drawn, self.tiles)

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Fill a band with the particles in it, over nothing."""
        lines = slice(band * BAND_LINES, (band + 1) * BAND_LINES)
        shown = self.tiles[lines]
        if shown.any():
            _clear(out.view(np.uint64)[..., 0], shown)
        self._draw(band, out, near)

    def marked_rows(self, band: int, out: np.ndarray, near: np.ndarray, marks: np.ndarray) -> None:
        """As in :class:`Sparse`."""
        _clear_marked(self._drawn, band * BAND, out.view(np.uint64)[..., 0], marks)
        self._draw(band, out, near)

    def _draw(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        told = _NONE
        if self.nearness is None:
            told = near
            told.fill(0)
        for n, picture in enumerate(self._pictures):
            _draw(self._drawn, self._near, n, picture, out, told, band * BAND)


_NONE = np.zeros((0, 0), np.float32)


@njit(cache=True, nogil=True)
def _clear(out, tiles):  # type: ignore[no-untyped-def]
    """Put nothing where something may be."""
    for j in range(out.shape[0]):
        line = j // TILE_HEIGHT
        for column in range(tiles.shape[1]):
            if tiles[line, column] != 0:
                out[j, column * TILE_WIDTH : (column + 1) * TILE_WIDTH] = 0


@njit(cache=True, nogil=True)
def _clear_marked(drawn, y0, out, marks):  # type: ignore[no-untyped-def]
    """Mark the pieces of a band's rows that sprites touch, and put nothing there."""
    rows, columns = out.shape
    for n in range(drawn.shape[0]):
        radius = drawn[n, 4]
        top = min(drawn[n, 1], drawn[n, 3]) - radius - y0
        low = max(drawn[n, 1], drawn[n, 3]) + radius - y0
        if low < 0 or top >= rows:
            continue
        left = min(drawn[n, 0], drawn[n, 2]) - radius
        right = max(drawn[n, 0], drawn[n, 2]) + radius
        i0, i1 = max(int(np.floor(left)), 0), min(int(np.ceil(right)) + 1, columns)
        for j in range(max(int(np.floor(top)), 0), min(int(np.ceil(low)) + 1, rows)):
            for piece in range(i0 // PIECE, (i1 + PIECE - 1) // PIECE):
                if marks[j, piece] == 0:
                    marks[j, piece] = 1
                    out[j, piece * PIECE : (piece + 1) * PIECE] = 0


@njit(cache=True, nogil=True)
def _mark(drawn, tiles):  # type: ignore[no-untyped-def]
    """Mark the tiles that sprites touch."""
    for n in range(drawn.shape[0]):
        row = drawn[n]
        x0, x1 = min(row[0], row[2]) - row[4], max(row[0], row[2]) + row[4]
        y0, y1 = min(row[1], row[3]) - row[4], max(row[1], row[3]) + row[4]
        first, last = max(int(x0) // TILE_WIDTH, 0), min(int(x1) // TILE_WIDTH, tiles.shape[1] - 1)
        for j in range(
            max(int(y0) // TILE_HEIGHT, 0), min(int(y1) // TILE_HEIGHT, tiles.shape[0] - 1) + 1
        ):
            for i in range(first, last + 1):
                tiles[j, i] = 1


@njit(**KERNEL)
def _draw(drawn, nears, which, picture, out, near, y0):  # type: ignore[no-untyped-def]
    """Draw those sprites of a band whose picture is ``which``, far to near."""
    rows, columns = out.shape[0], out.shape[1]
    for n in range(drawn.shape[0]):
        row = drawn[n]
        if int(row[13]) != which:
            continue
        radius = row[4]
        top, low = min(row[1], row[3]) - radius, max(row[1], row[3]) + radius
        if low < y0 or top >= y0 + rows:
            continue
        left, right = min(row[0], row[2]) - radius, max(row[0], row[2]) + radius
        j0, j1 = max(int(np.floor(top)) - y0, 0), min(int(np.ceil(low)) + 1 - y0, rows)
        i0, i1 = max(int(np.floor(left)), 0), min(int(np.ceil(right)) + 1, columns)
        ax, ay = row[2] - row[0], row[3] - row[1]
        square = ax * ax + ay * ay
        inverse = np.float32(1) / square if square > np.float32(1e-6) else np.float32(0)
        # Edges of a pixel at least: nothing flickers as it moves.
        soft = max(row[5], np.float32(1) / radius)
        shape, red, green, blue = int(row[11]), row[6], row[7], row[8]
        cosine, sine = np.cos(row[12]), np.sin(row[12])
        for j in range(j0, j1):
            y = np.float32(y0 + j) + np.float32(0.5) - row[1]
            for i in range(i0, i1):
                x = np.float32(i) + np.float32(0.5) - row[0]
                along = min(max((x * ax + y * ay) * inverse, np.float32(0)), np.float32(1))
                dx, dy = x - along * ax, y - along * ay
                away = np.sqrt(dx * dx + dy * dy) / radius
                if away >= 1:
                    continue
                cover = row[9]
                if shape == 2:
                    u = (dx * cosine + dy * sine) / radius
                    v = (dy * cosine - dx * sine) / radius
                    _picture_pixel(out, j, i, picture, u, v, cover)
                    continue
                fade = min((np.float32(1) - away) / soft, np.float32(1))
                fade = fade * fade * (np.float32(3) - np.float32(2) * fade)
                if shape == 1:
                    u = abs(dx * cosine + dy * sine) / radius
                    v = abs(dy * cosine - dx * sine) / radius
                    arms = max(
                        np.float32(1) - np.float32(12) * min(u, v) - max(u, v), np.float32(0)
                    )
                    core = max(np.float32(1) - np.float32(4) * away, np.float32(0))
                    fade = min(arms + core * core * np.float32(2), np.float32(1))
                cover *= fade
                if cover <= 0:
                    continue
                left_over = np.float32(1) - cover * (np.float32(1) - row[10])
                for c, value in ((0, red), (1, green), (2, blue)):
                    mixed = np.float32(out[j, i, c]) * left_over + cover * value
                    out[j, i, c] = np.uint16(
                        np.int32(min(mixed + np.float32(0.5), np.float32(65535)))
                    )
                alpha = np.float32(out[j, i, 3]) * left_over
                alpha += cover * (np.float32(1) - row[10]) * np.float32(65535)
                out[j, i, 3] = np.uint16(np.int32(min(alpha + np.float32(0.5), np.float32(65535))))
                if near.shape[0] > 0:
                    near[j, i] = nears[n]


@njit(inline="always")
def _picture_pixel(out, j, i, picture, u, v, cover):  # type: ignore[no-untyped-def]
    """Lay one pixel of a particle that shows a picture: ``u``, ``v`` in its radius."""
    high, wide = picture.shape[0], picture.shape[1]
    half = np.float32(0.5) * np.float32(max(high, wide)) * np.float32(1.4142)
    x, y = u * half + np.float32(0.5 * wide), v * half + np.float32(0.5 * high)
    if x < 0 or y < 0 or x >= wide or y >= high:
        return
    texel = picture[int(y), int(x)]
    alpha = np.float32(texel[3]) * cover * np.float32(1 / 65535)
    for c in range(4):
        mixed = np.float32(out[j, i, c]) * (np.float32(1) - alpha) + cover * np.float32(texel[c])
        out[j, i, c] = np.uint16(np.int32(min(mixed + np.float32(0.5), np.float32(65535))))


def with_motes(
    placed: Sequence[Placed],
    flocks: Sequence[Flock],
    state: FrameState,
    looks: Mapping[str, Pyramid],
    open_for: float,
    *,
    blurs: bool,
) -> list[Placed]:
    """Return what is placed in a frame, near to far, with particles where they are between."""
    found = [*placed]
    sprites = [sprites_of(flock, state, open_for, blurs=blurs) for flock in flocks]
    sprites = [each for each in sprites if len(each.near)]
    if not sprites:
        return found
    slots = [_slots(each, placed) for each in sprites]
    flat = state.parallel and all(each.source.nearness is not None for each in placed)
    mode = MODES[Blend.NORMAL]
    for slot in range(len(placed), -1, -1):
        parts = [
            (each, np.flatnonzero(where == slot))
            for each, where in zip(sprites, slots, strict=True)
        ]
        parts = [(each, which) for each, which in parts if len(which)]
        if parts:
            source = _Between(parts, state.camera.frame_size, looks, flat=flat)
            found.insert(slot, Placed(source, 1.0, mode, (), state.camera))
    return found


def _slots(sprites: Sprites, placed: Sequence[Placed]) -> np.ndarray:
    """Return for each sprite how many of what is placed, near to far, it lies behind."""
    middles = (sprites.drawn[:, 0:2] + sprites.drawn[:, 2:4]) / 2
    behind = np.zeros(len(middles), np.int64)
    for n, each in enumerate(placed):
        x0, y0, x1, y1 = each.source.bounds
        inside = (middles[:, 0] >= x0 - 1) & (middles[:, 0] <= x1 + 1)
        inside &= (middles[:, 1] >= y0 - 1) & (middles[:, 1] <= y1 + 1)
        if each.source.nearness is None:
            continue
        a, b, c = each.source.nearness
        near = a * middles[:, 0] + b * middles[:, 1] + c
        behind[inside & (near > sprites.near)] = n + 1
    return behind
