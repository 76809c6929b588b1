"""What changes slowly over the frame: known every few pixels, run evenly between them.

Rows of plain numbers, one colour a row, because such loops are what LLVM vectorises.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.arrays import Matrix3
from vistaline.core.render.laying import KERNEL
from vistaline.core.stage.camera import CameraState

__all__ = [
    "CELL",
    "corners_in",
    "fill_ways",
    "line_at",
    "mix",
    "multiply",
    "multiply_add",
    "rays_of",
    "run_between",
]

CELL = 8
"""Pixels a side of the squares at whose corners things are known."""


def corners_in(size: tuple[int, ...]) -> tuple[int, int]:
    """Return how many lines and columns of corners a band of ``size`` (rows, columns) has."""
    return -(-size[0] // CELL) + 1, -(-size[1] // CELL) + 1


@njit(**KERNEL)
def fill_ways(rays, y0, ways, deep):  # type: ignore[no-untyped-def]
    """Fill ``ways`` (lines, columns, 3), of length 1, and ``deep`` (lines, columns): how long a ray
    is that goes 1 m deep; through the corners of squares from frame row ``y0`` down.

    ``rays``: see :func:`rays_of`.
    """
    for j in range(deep.shape[0]):
        y = y0 + float(CELL * j)
        for i in range(deep.shape[1]):
            x = float(CELL * i)
            a = rays[0, 0] * x + rays[0, 1] * y + rays[0, 2]
            b = rays[1, 0] * x + rays[1, 1] * y + rays[1, 2]
            c = rays[2, 0] * x + rays[2, 1] * y + rays[2, 2]
            long = np.sqrt(a * a + b * b + c * c)
            deep[j, i] = long
            ways[j, i, 0], ways[j, i, 1], ways[j, i, 2] = a / long, b / long, c / long


def rays_of(camera: CameraState) -> Matrix3:
    """Return the matrix from frame points (x, y, 1) to their ways on the stage, 1 m deep."""
    return np.asarray(camera.world_from_camera[:3, :3] @ np.linalg.inv(camera.image_from_camera))


@njit(**KERNEL)
def line_at(cells, j, out):  # type: ignore[no-untyped-def]
    """Put what is known along pixel row ``j`` of ``cells`` (lines, kinds, columns) into ``out``
    (kinds, columns)."""
    down = (np.float32(j) + np.float32(0.5)) * np.float32(1 / CELL)
    line = int(down)
    for kind in range(out.shape[0]):
        mix(cells[line, kind], cells[line + 1, kind], down - np.float32(line), out[kind])


@njit(**KERNEL)
def mix(above, below, share, out):  # type: ignore[no-untyped-def]
    """Put what lies ``share`` of the way from ``above`` to ``below`` (N,) into ``out``."""
    for n in range(out.shape[0]):
        out[n] = above[n] + share * (below[n] - above[n])


@njit(**KERNEL)
def run_between(line, x0, x1, out):  # type: ignore[no-untyped-def]
    """Put ``line`` (columns,), from pixel ``x0`` to ``x1``, into ``out``, from its first on.

    ``x0`` lies on a corner; ``out`` (x1 - x0 + CELL,) float32 is written to the end of a square.
    """
    some = line[x0 // CELL :]
    for n in range((x1 + CELL - 1) // CELL - x0 // CELL):
        left = some[n]
        step = (some[n + 1] - left) * np.float32(1 / CELL)
        for k in range(CELL):
            out[n * CELL + k] = left + step * (np.float32(k) + np.float32(0.5))


@njit(**KERNEL)
def multiply(pixels, red, green, blue):  # type: ignore[no-untyped-def]
    """Multiply packed pixels (N,) uint64, linear, premultiplied, by light (N,) of each colour.

    What gets brighter than white stays white.
    """
    for x in range(pixels.shape[0]):
        low, high = np.uint32(pixels[x]), np.uint32(pixels[x] >> np.uint64(32))
        white = np.float32(high >> np.uint32(16))
        r = min(np.float32(low & np.uint32(65535)) * red[x], white)
        g = min(np.float32(low >> np.uint32(16)) * green[x], white)
        b = min(np.float32(high & np.uint32(65535)) * blue[x], white)
        pixels[x] = _packed(r, g, b, high >> np.uint32(16))


@njit(**KERNEL)
def multiply_add(pixels, kept, red, green, blue):  # type: ignore[no-untyped-def]
    """Multiply packed pixels (N,) by ``kept`` (N,) and add a colour, 0..65535 and (N,) each, as far
    as they cover what is behind."""
    for x in range(pixels.shape[0]):
        low, high = np.uint32(pixels[x]), np.uint32(pixels[x] >> np.uint64(32))
        white = np.float32(high >> np.uint32(16))
        cover = white * np.float32(1 / 65535)
        r = np.float32(low & np.uint32(65535)) * kept[x] + cover * red[x]
        g = np.float32(low >> np.uint32(16)) * kept[x] + cover * green[x]
        b = np.float32(high & np.uint32(65535)) * kept[x] + cover * blue[x]
        pixels[x] = _packed(min(r, white), min(g, white), min(b, white), high >> np.uint32(16))


@njit(inline="always")
def _packed(red, green, blue, alpha):  # type: ignore[no-untyped-def]
    half = np.float32(0.5)
    low = np.uint32(np.int32(red + half)) | (np.uint32(np.int32(green + half)) << np.uint32(16))
    high = np.uint32(np.int32(blue + half)) | (alpha << np.uint32(16))
    return np.uint64(low) | (np.uint64(high) << np.uint64(32))
