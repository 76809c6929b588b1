"""The best line between two sides: what pixels say for themselves against how long it is."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray

__all__ = ["divided"]

_TURNS = 400
_PACE = np.float32(0.35)
_SETTLED = 1e-3


def divided(speaks: FloatArray, across: FloatArray, down: FloatArray) -> np.ndarray:
    """Return bool (height, width): the side that makes the sum of all costs least.

    Parameters
    ----------
    speaks : float32 (height, width)
        What it costs to leave a pixel out; below 0, what it costs to take it in.
    across, down : float32 (height, width)
        What it costs to part a pixel from the one to its right, and from the one below.

    Notes
    -----
    Total variation with shares of 0 to 1 in place of sides has its least where a cut has (Chan,
    Esedoglu and Nikolova, Algorithms for finding global minimizers, 2006); found by the first
    steps of Chambolle and Pock, A first-order primal-dual algorithm, 2011.
    """
    share = (speaks > 0).astype(np.float32)
    ahead = share.copy()
    pull = np.zeros((2, *share.shape), np.float32)
    for turn in range(0, _TURNS, 20):
        if _turns(share, ahead, pull, speaks, across, down, _PACE, 20) < _SETTLED and turn:
            break
    return share > 0.5


@njit(cache=True, nogil=True)
def _turns(share, ahead, pull, speaks, across, down, pace, count):  # type: ignore[no-untyped-def]
    """Take some steps; returns the mean change of a share in the last one."""
    height, width = share.shape
    total = 0.0
    for _ in range(count):
        for y in range(height):
            for x in range(width):
                here = ahead[y, x]
                px = pull[0, y, x]
                py = pull[1, y, x]
                if x + 1 < width:
                    px += pace * (ahead[y, x + 1] - here)
                    limit = across[y, x]
                    px = min(max(px, -limit), limit)
                if y + 1 < height:
                    py += pace * (ahead[y + 1, x] - here)
                    limit = down[y, x]
                    py = min(max(py, -limit), limit)
                pull[0, y, x] = px
                pull[1, y, x] = py
        total = 0.0
        for y in range(height):
            for x in range(width):
                flow = pull[0, y, x] + pull[1, y, x]
                if x > 0:
                    flow -= pull[0, y, x - 1]
                if y > 0:
                    flow -= pull[1, y - 1, x]
                old = share[y, x]
                new = min(max(old + pace * (flow + speaks[y, x]), np.float32(0)), np.float32(1))
                total += abs(new - old)
                share[y, x] = new
                ahead[y, x] = 2 * new - old
    return total / (height * width)
