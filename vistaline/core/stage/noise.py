"""Unevenness of the air: smooth noise in space, the same on every machine.

A table of random numbers on a lattice of 64 a side, repeated; between its points a smooth mean.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray

__all__ = ["noise_at", "noise_table", "offset_of"]

NOISE_SIDE = 64


@cache
def noise_table() -> np.ndarray:
    """Return random numbers (64, 64, 64) float32, -1..1.

    From NumPy's frozen generator, whose stream is promised never to change.
    """
    numbers = np.random.RandomState(7).random_sample((NOISE_SIDE,) * 3)
    return np.asarray(2 * numbers - 1, np.float32)


def offset_of(seed: int) -> FloatArray:
    """Return a place (3,) of the noise for a seed: what seeds give has nothing in common."""
    return np.asarray(np.random.RandomState(seed).random_sample(3) * NOISE_SIDE)


@njit(inline="always")
def _bend(share):  # type: ignore[no-untyped-def]
    return share * share * (np.float32(3) - np.float32(2) * share)


@njit(inline="always")
def noise_at(table, x, y, z):  # type: ignore[no-untyped-def]
    """Return the noise, -1..1, at a place told in lattice steps."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    s, t, r = _bend(np.float32(x - fx)), _bend(np.float32(y - fy)), _bend(np.float32(z - fz))
    i, j, k = int(fx) & 63, int(fy) & 63, int(fz) & 63
    i1, j1, k1 = (i + 1) & 63, (j + 1) & 63, (k + 1) & 63
    a = table[k, j, i] + s * (table[k, j, i1] - table[k, j, i])
    b = table[k, j1, i] + s * (table[k, j1, i1] - table[k, j1, i])
    c = table[k1, j, i] + s * (table[k1, j, i1] - table[k1, j, i])
    d = table[k1, j1, i] + s * (table[k1, j1, i1] - table[k1, j1, i])
    low, high = a + t * (b - a), c + t * (d - c)
    return low + r * (high - low)
