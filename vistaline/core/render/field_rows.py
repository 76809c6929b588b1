"""Rows of what effects ask for: shapes, ramps, ranges of depth, screens, and what is printed on.

All fill ``out`` (rows, width) uint16 from frame row ``y0`` on.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numba import njit

from vistaline.core.geometry.inside import inside_at
from vistaline.core.render.laying import KERNEL, coverage
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH
from vistaline.core.shot.overlays import ScreenShape, Stuff

__all__ = [
    "fill_alpha",
    "fill_print",
    "fill_ramp",
    "fill_range",
    "fill_ranks",
    "fill_shape",
    "fill_tiled",
    "ground_tile",
    "screen_ranks",
]

_RANKS = 128
"""Texels across one cell of a screen."""


@lru_cache
def screen_ranks(shape: ScreenShape) -> np.ndarray:
    """Return one cell of a screen (N, N) float32: which share of it is inked before each place.

    By rank of area, so that a tone of a quarter inks a quarter, whatever the shape.
    """
    x, y = np.meshgrid(*[np.arange(_RANKS) / _RANKS] * 2)
    away = np.abs(2 * x - 1), np.abs(2 * y - 1)
    if shape is ScreenShape.DOTS:
        spot = np.cos(2 * np.pi * x) + np.cos(2 * np.pi * y)
    elif shape is ScreenShape.LINES:
        spot = away[1] + 1e-6 * away[0]
    else:
        spot = np.minimum(away[1], 0.45 + 0.55 * away[0])
    order = np.argsort(spot, axis=None, kind="stable")
    ranks = np.empty(order.size, np.float32)
    ranks[order] = (np.arange(order.size) + 0.5) / order.size
    return ranks.reshape(spot.shape)


@lru_cache
def ground_tile(stuff: Stuff) -> np.ndarray:
    """Return the structure of paper or canvas (N, N) float32, 0..1 about 0.5, without a seam."""
    side = 512
    chance = np.random.RandomState(11)

    def noise(sigma: tuple[float, float]) -> np.ndarray:
        wide = np.pad(chance.standard_normal((side, side)), 64, mode="wrap")
        found = cv2.GaussianBlur(wide, (0, 0), sigma[0], sigmaY=sigma[1])[64:-64, 64:-64]
        return found / found.std()

    if stuff is Stuff.PAPER:
        fibres = noise((1.0, 6.0)) + noise((6.0, 1.0))
        found = 0.5 * noise((1.1, 1.1)) + 0.45 * fibres + 0.5 * noise((9.0, 9.0))
    else:
        turns = np.arange(side) * 2 * np.pi * 64 / side
        over = np.sin(turns)[:, None] * np.sin(turns)[None, :]
        weft, warp = np.abs(np.sin(turns / 2))[:, None], np.abs(np.sin(turns / 2))[None, :]
        found = 2.2 * np.where(over > 0, weft, warp) + 0.3 * noise((1.5, 1.5))
        found += 0.25 * noise((30.0, 1.0)) + 0.25 * noise((1.0, 30.0))
    found = (found - found.mean()) / found.std()
    return np.clip(0.5 + found / 6, 0, 1).astype(np.float32)


@njit(**KERNEL)
def fill_tiled(cells, tile, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with a tile that is repeated over cells, between four texels."""
    side = tile.shape[0]
    for j in range(out.shape[0]):
        y = y0 + j + 0.5
        for i in range(out.shape[1]):
            x = i + 0.5
            w = cells[2, 0] * x + cells[2, 1] * y + cells[2, 2]
            w = w if abs(w) > 1e-12 else 1e-12
            p = (cells[0, 0] * x + cells[0, 1] * y + cells[0, 2]) / w
            q = (cells[1, 0] * x + cells[1, 1] * y + cells[1, 2]) / w
            u, v = (p - np.floor(p)) * side, (q - np.floor(q)) * side
            a, b = int(u) % side, int(v) % side
            s, t = u - int(u), v - int(v)
            a1, b1 = (a + 1) % side, (b + 1) % side
            low = tile[b, a] + s * (tile[b, a1] - tile[b, a])
            high = tile[b1, a] + s * (tile[b1, a1] - tile[b1, a])
            out[j, i] = np.uint16((low + t * (high - low)) * 65535 + 0.5)


@njit(inline="always")
def _smooth(value):  # type: ignore[no-untyped-def]
    share = min(max(value, 0.0), 1.0)
    return share * share * (3 - 2 * share)


@njit(**KERNEL)
def fill_shape(back, shape, softness, outline, outside, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with how far inside a shape each pixel is."""
    for j in range(out.shape[0]):
        y = y0 + j + 0.5
        for i in range(out.shape[1]):
            x = i + 0.5
            w = back[2, 0] * x + back[2, 1] * y + back[2, 2]
            if abs(w) < 1e-12:
                w = 1e-12
            u = (back[0, 0] * x + back[0, 1] * y + back[0, 2]) / w * 2
            v = (back[1, 0] * x + back[1, 1] * y + back[1, 2]) / w * 2
            if shape == 1:
                share = _smooth(0.5 + v / (2 * softness))
            elif shape == 2:
                share = 0.0
                if abs(u) < 1 and abs(v) < 1:
                    share = _smooth(inside_at(outline, u, v) / softness)
            elif shape == 3:
                share = _smooth((1 - abs(v)) / softness)
            else:
                share = _smooth((1 - np.sqrt(u * u + v * v)) / softness)
            if outside:
                share = 1 - share
            out[j, i] = np.uint16(share * 65535 + 0.5)


@njit(**KERNEL)
def fill_ramp(along, first, slope, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with how far beyond a line each pixel is."""
    for j in range(out.shape[0]):
        y = y0 + j + 0.5
        for i in range(out.shape[1]):
            x = i + 0.5
            w = along[2, 0] * x + along[2, 1] * y + along[2, 2]
            at = (along[0, 0] * x + along[0, 1] * y + along[0, 2]) / (
                w if abs(w) > 1e-12 else 1e-12
            )
            out[j, i] = np.uint16(_smooth((at - first) * slope) * 65535 + 0.5)


@njit(**KERNEL)
def fill_range(plane, near, far, softness, outside, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with whether what lies at 1/z = a x + b y + c is from near to far."""
    low, high = min(near, far), max(near, far)
    soft = max(softness * (high - low) / 2, 1e-4)
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            there = plane[0] * (i + 0.5) + plane[1] * (y0 + j + 0.5) + plane[2]
            z = 1 / max(there, 1e-9)
            share = _smooth((z - low) / soft) * _smooth((high - z) / soft)
            if outside:
                share = 1 - share
            out[j, i] = np.uint16(share * 65535 + 0.5)


@njit(inline="always")
def _ranked(ranks, p, q):  # type: ignore[no-untyped-def]
    """Return a screen's rank at a place told in cells, between four texels, and its slopes."""
    side = ranks.shape[0]
    x, y = (p - np.floor(p)) * side, (q - np.floor(q)) * side
    i, j = int(x) % side, int(y) % side
    i1, j1 = (i + 1) % side, (j + 1) % side
    s, t = x - int(x), y - int(y)
    a, b, c, d = ranks[j, i], ranks[j, i1], ranks[j1, i], ranks[j1, i1]
    low, high = a + s * (b - a), c + s * (d - c)
    across = ((b - a) + t * ((d - c) - (b - a))) * side
    return low + t * (high - low), across, (high - low) * side


@njit(inline="always")
def _cell_at(cells, ranks, x, y):  # type: ignore[no-untyped-def]
    """Return a screen's rank at a pixel, and by how much it changes over that."""
    w = cells[2, 0] * x + cells[2, 1] * y + cells[2, 2]
    if abs(w) < 1e-12:
        w = 1e-12
    p = (cells[0, 0] * x + cells[0, 1] * y + cells[0, 2]) / w
    q = (cells[1, 0] * x + cells[1, 1] * y + cells[1, 2]) / w
    px, py = (cells[0, 0] - p * cells[2, 0]) / w, (cells[0, 1] - p * cells[2, 1]) / w
    qx, qy = (cells[1, 0] - q * cells[2, 0]) / w, (cells[1, 1] - q * cells[2, 1]) / w
    rank, across, up = _ranked(ranks, p, q)
    dx, dy = across * px + up * qx, across * py + up * qy
    fine = max(np.sqrt(dx * dx + dy * dy), 1e-3)
    # Cells smaller than two pixels cannot be told apart: they are an even tone.
    step = np.sqrt(abs(px * qy - py * qx))
    lost = min(max(step * 2.5 - 0.5, 0.0), 1.0)
    return rank, min(fine + lost, 1.0)


@njit(**KERNEL)
def fill_ranks(cells, ranks, y0, out, edges):  # type: ignore[no-untyped-def]
    """Fill rows with a screen's ranks, and ``edges`` with by how much they change over a pixel."""
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            rank, edge = _cell_at(cells, ranks, i + 0.5, y0 + j + 0.5)
            out[j, i] = np.uint16(rank * 65535 + 0.5)
            edges[j, i] = np.uint16(edge * 65535 + 0.5)


@njit(**KERNEL)
def fill_print(cells, ranks, cover, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with a screen that is inked as far as it is to cover, 0..1."""
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            rank, edge = _cell_at(cells, ranks, i + 0.5, y0 + j + 0.5)
            share = min(max((cover - rank) / edge + 0.5, 0.0), 1.0)
            if cover <= 0:
                share = 0.0
            out[j, i] = np.uint16(share * 65535 + 0.5)


@njit(**KERNEL)
def fill_alpha(pixels, tiles, edges, y0, out):  # type: ignore[no-untyped-def]
    """Fill rows with how much a source's pixels cover, its edges counted in."""
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            if tiles[j // TILE_HEIGHT, i // TILE_WIDTH] != 0:
                cover = coverage(edges, np.float32(i), np.float32(y0 + j))
                out[j, i] = np.uint16(np.float32(pixels[j, i, 3]) * cover + np.float32(0.5))
