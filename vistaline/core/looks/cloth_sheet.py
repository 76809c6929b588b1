"""A cloth's points as what is drawn of them: round between them, and lit by how they slope."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.interpolate import CubicSpline

from vistaline.core.arrays import FloatArray

__all__ = ["drawn", "refined", "shades", "sheet_of"]

_FINER, _LEAST_FINER = 4, 2
_CELLS = 96
"""Between points cubics run, and so many times as many points are drawn, at most: what lies between
is round. A cloth that has many points is drawn with about so many cells."""
_LIGHT = np.array([-0.45, 0.55, 0.70]) / np.linalg.norm([-0.45, 0.55, 0.70])
"""Where the light comes from that its folds take: the upper left, before it."""


def refined(points: FloatArray) -> FloatArray:
    """Return a grid of points (rows, columns, 3) as a finer one that runs through all of them."""
    rows, columns = points.shape[:2]
    finer = _finer(rows, columns)
    down, across = _between(rows, finer), _between(columns, finer)
    return np.asarray(np.einsum("ai,bj,ijk->abk", down, across, points, optimize=True))


def drawn(rows: int, columns: int) -> tuple[int, int]:
    """Return how many rows and columns of points are drawn of a grid."""
    finer = _finer(rows, columns)
    return len(_between(rows, finer)), len(_between(columns, finer))


def _finer(rows: int, columns: int) -> int:
    return min(max(_CELLS // max(rows, columns), _LEAST_FINER), _FINER)


@lru_cache(maxsize=64)
def _between(count: int, finer: int) -> FloatArray:
    """Return what shares of ``count`` points each point of a finer row has (finer, count)."""
    if count < 3:
        return np.eye(count)
    spline = CubicSpline(np.arange(count), np.eye(count))
    return np.asarray(spline(np.linspace(0, count - 1, (count - 1) * finer + 1)))


@lru_cache(maxsize=64)
def sheet_of(rows: int, columns: int) -> tuple[FloatArray, FloatArray, np.ndarray]:
    """Return how a sheet of so many points is put together, row by row from its upper left.

    Where each point is in the picture, u and v (N,), and its triangles (M, 3) int32, counter-
    clockwise as they lie flat.
    """
    u, v = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
    number = np.arange(rows * columns, dtype=np.int32).reshape(rows, columns)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, :-1], number[1:, 1:]
    halves = [np.stack(each, axis=-1).reshape(-1, 3) for each in ((a, c, d), (a, d, b))]
    return u.ravel(), v.ravel(), np.concatenate(halves)


def shades(points: FloatArray, folds: float) -> FloatArray:
    """Return by how much each point's slope lights it, (rows, columns); 1 where it lies flat."""
    normal = np.cross(np.gradient(points, axis=1), -np.gradient(points, axis=0))
    normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-12)
    # What is turned away shows its back, which the light shines through.
    facing = np.where(normal[..., 2:] < 0, -normal, normal) @ _LIGHT
    return np.asarray(np.clip(1 + folds * (facing / _LIGHT[2] - 1), 0.15, 2.0))
