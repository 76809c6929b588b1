"""The plan of a card in a frame: which tiles it covers, and how finely each is sampled.

The frame is planned in tiles. In each, the level is chosen so that one texel of it is about one
pixel the short way; the long way takes more samples, which are then averaged. Neighbours of equal
plan are sampled in one stretch. Tiles a card leaves empty, or that are hidden behind a nearer
one, cost nothing.
"""

from __future__ import annotations

from enum import IntEnum

import numpy as np
from numba import njit

from vistaline.core.picture.pyramid import BLOCK

__all__ = [
    "BAND_LINES",
    "TILE_HEIGHT",
    "TILE_WIDTH",
    "Tile",
    "plan_tiles",
    "run_of",
    "stretches_of",
]

TILE_WIDTH, TILE_HEIGHT = 128, 32
BAND_LINES = 2
"""Lines of tiles sampled and composited at a time."""


class Tile(IntEnum):
    """What a card shows in one tile of the frame."""

    EMPTY = 0
    MIXED = 1
    SOLID = 2
    """Opaque all over: what is behind cannot be seen."""


# Kernels know no enums.
_EMPTY, _MIXED, _SOLID = (int(kind) for kind in Tile)


@njit(inline="always")
def run_of(tiles, line, column):  # type: ignore[no-untyped-def]
    """Return the first and the last tile (exclusive) of the next stretch that shows something.

    In a ``line`` of ``tiles`` (lines, columns), from ``column`` on; if none does, twice their
    number.
    """
    count = tiles.shape[1]
    first = column
    while first < count and tiles[line, first] == 0:
        first += 1
    last = first
    while last < count and tiles[line, last] != 0:
        last += 1
    return first, last


@njit(cache=True, nogil=True)
def plan_tiles(  # type: ignore[no-untyped-def]
    texel_from_image,
    bounds,
    size,
    some,
    solid,
    coarsest,
    samples,
    bias,
    opaque,
    nearness,
    edges,
    cover,
    tiles,
    codes,
):
    """Fill ``tiles`` and ``codes`` (lines, columns) for one card; returns whether any is seen.

    ``bounds`` x0, y0, x1, y1: frame pixels the card may touch; ``size``: the picture's width and
    height in texels; ``some`` and ``solid``: summed-area tables of its blocks; ``samples`` and
    ``bias`` as in ``Quality``; ``opaque``: whether the card as a whole may hide others;
    ``nearness`` (3,): its 1/z = a x + b y + c; ``edges`` (N, 3): signed distances from its edges
    in pixels, positive inside; ``cover`` (lines, columns): the least 1/z of the
    nearest card that is solid there, 0 if none is, brought up to date here.
    ``codes`` are level + 1, samples across and samples down, a byte each.
    """
    seen = False
    for line in range(tiles.shape[0]):
        for column in range(tiles.shape[1]):
            tiles[line, column], codes[line, column] = _EMPTY, 0
            x, y = column * TILE_WIDTH, line * TILE_HEIGHT
            low, high = _nearness_in(nearness, x, y)
            if (
                high <= cover[line, column] * (1 + 1e-9)
                or x >= bounds[2]
                or x + TILE_WIDTH <= bounds[0]
                or y >= bounds[3]
                or y + TILE_HEIGHT <= bounds[1]
            ):
                continue
            inside = _within(edges, x, y)
            if inside == _EMPTY:
                continue
            kind = _tile(texel_from_image, x, y, size, some, solid)
            if kind == _EMPTY:
                continue
            kind = min(kind, inside)
            if kind == _SOLID and not opaque:
                kind = _MIXED
            if kind == _SOLID:
                cover[line, column] = max(cover[line, column], low)
            tiles[line, column] = kind
            codes[line, column] = _code(
                texel_from_image, x + TILE_WIDTH / 2, y + TILE_HEIGHT / 2, coarsest, samples, bias
            )
            seen = True
    return seen


@njit(cache=True, nogil=True)
def _within(edges, x, y):  # type: ignore[no-untyped-def]
    """Tell whether a tile lies outside a card's edges, across them, or inside."""
    kind = _SOLID
    for k in range(edges.shape[0]):
        a, b, c = edges[k]
        middle = a * (x + TILE_WIDTH / 2) + b * (y + TILE_HEIGHT / 2) + c
        reach = (abs(a) * TILE_WIDTH + abs(b) * TILE_HEIGHT) / 2
        if middle + reach < -0.5:
            return _EMPTY
        if middle - reach < 0.5:
            kind = _MIXED
    return kind


@njit(cache=True, nogil=True)
def _nearness_in(nearness, x, y):  # type: ignore[no-untyped-def]
    """Return the least and the greatest 1/z of a card in a tile: both lie at its corners."""
    middle = nearness[0] * (x + TILE_WIDTH / 2) + nearness[1] * (y + TILE_HEIGHT / 2) + nearness[2]
    reach = (abs(nearness[0]) * TILE_WIDTH + abs(nearness[1]) * TILE_HEIGHT) / 2
    return middle - reach, middle + reach


@njit(cache=True, nogil=True)
def _tile(g, x, y, size, some, solid):  # type: ignore[no-untyped-def]
    low_u, low_v, high_u, high_v = np.inf, np.inf, -np.inf, -np.inf
    for corner in range(4):
        cx, cy = x + (corner & 1) * TILE_WIDTH, y + (corner >> 1) * TILE_HEIGHT
        w = g[2, 0] * cx + g[2, 1] * cy + g[2, 2]
        if w <= 1e-12:
            return _MIXED  # beyond a card's horizon corners tell nothing
        u = (g[0, 0] * cx + g[0, 1] * cy + g[0, 2]) / w
        v = (g[1, 0] * cx + g[1, 1] * cy + g[1, 2]) / w
        low_u, high_u = min(low_u, u), max(high_u, u)
        low_v, high_v = min(low_v, v), max(high_v, v)
    # Filters reach beyond a tile by a few texels of the level they sample.
    reach_u, reach_v = 8 + (high_u - low_u) / 16, 8 + (high_v - low_v) / 16
    low_u, high_u = low_u - reach_u, high_u + reach_u
    low_v, high_v = low_v - reach_v, high_v + reach_v
    rows, columns = some.shape[0] - 1, some.shape[1] - 1
    i0 = min(max(int(np.floor(low_v / BLOCK)), 0), rows)
    i1 = min(max(int(np.floor(high_v / BLOCK)) + 1, i0), rows)
    j0 = min(max(int(np.floor(low_u / BLOCK)), 0), columns)
    j1 = min(max(int(np.floor(high_u / BLOCK)) + 1, j0), columns)
    if some[i1, j1] - some[i0, j1] - some[i1, j0] + some[i0, j0] == 0:
        return _EMPTY
    if low_u < 0 or low_v < 0 or high_u > size[0] or high_v > size[1]:
        return _MIXED
    full = solid[i1, j1] - solid[i0, j1] - solid[i1, j0] + solid[i0, j0]
    return _SOLID if full == (i1 - i0) * (j1 - j0) else _MIXED


@njit(cache=True, nogil=True)
def _code(g, x, y, coarsest, samples, bias):  # type: ignore[no-untyped-def]
    w = g[2, 0] * x + g[2, 1] * y + g[2, 2]
    # Beyond a card's horizon w turns; such a tile is nearly empty, any finite plan will do.
    if abs(w) < 1e-9:
        w = 1e-9
    u = (g[0, 0] * x + g[0, 1] * y + g[0, 2]) / w
    v = (g[1, 0] * x + g[1, 1] * y + g[1, 2]) / w
    ux, uy = (g[0, 0] - u * g[2, 0]) / w, (g[0, 1] - u * g[2, 1]) / w
    vx, vy = (g[1, 0] - v * g[2, 0]) / w, (g[1, 1] - v * g[2, 1]) / w
    # Singular values of the 2 x 2 Jacobian from its norm and determinant.
    trace, determinant = ux**2 + uy**2 + vx**2 + vy**2, abs(ux * vy - uy * vx)
    if samples == 1:
        wanted = np.log2(max(np.sqrt(determinant), 1.0))
    else:
        larger = np.sqrt((trace + np.sqrt(max(trace**2 - 4 * determinant**2, 0.0))) / 2)
        wanted = np.log2(max(determinant / max(larger, 1e-30), 1.0)) + bias
    level = min(max(int(np.rint(wanted)), 0), coarsest)
    across = down = 1
    if samples > 1:
        step_x, step_y = np.hypot(ux, vx), np.hypot(uy, vy)
        across, down = _sample_count(step_x, level), _sample_count(step_y, level)
        while across * down > samples and level < coarsest:
            level += 1
            across, down = _sample_count(step_x, level), _sample_count(step_y, level)
        while across * down > samples:
            if across >= down:
                across -= 1
            else:
                down -= 1
    return (level + 1) << 16 | across << 8 | down


@njit(cache=True, nogil=True)
def _sample_count(step, level):  # type: ignore[no-untyped-def]
    # Near a horizon the step has no bound; 255 is more than any quality lets stand.
    return int(min(max(np.ceil(step * 0.5**level - 0.25), 1.0), 255.0))


@njit(cache=True, nogil=True)
def stretches_of(codes, bounds):  # type: ignore[no-untyped-def]
    """Return rectangles of the frame that are sampled alike: (N, 7) int64, from the top down.

    Columns: x0, y0, x1, y1, level, samples across, samples down. None crosses a band. Where a
    band's lines agree they are one; a single empty tile between two equal ones is bridged, as a
    call costs more than its pixels.
    """
    lines, columns = codes.shape
    found = np.empty((lines * columns, 7), np.int64)
    count = 0
    merged = np.empty(columns, np.int64)
    for top in range(0, lines, BAND_LINES):
        bottom = min(top + BAND_LINES, lines)
        agree = True
        for column in range(columns):
            merged[column] = 0
            for line in range(top, bottom):
                code = codes[line, column]
                if code and merged[column] and merged[column] != code:
                    agree = False
                merged[column] = code or merged[column]
        step = bottom - top if agree else 1
        for line in range(top, bottom, step):
            row = merged if agree else codes[line]
            column = 0
            while column < columns:
                code = row[column]
                if not code:
                    column += 1
                    continue
                end = column + 1
                while end < columns and (
                    row[end] == code
                    or (row[end] == 0 and end + 1 < columns and row[end + 1] == code)
                ):
                    end += 1
                found[count] = (
                    max(bounds[0], column * TILE_WIDTH),
                    max(bounds[1], line * TILE_HEIGHT),
                    min(bounds[2], end * TILE_WIDTH),
                    min(bounds[3], (line + step) * TILE_HEIGHT),
                    (code >> 16) - 1,
                    code >> 8 & 255,
                    code & 255,
                )
                count += 1
                column = end
    return found[:count]
