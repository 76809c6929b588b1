"""Tonal steps inside a fill, evened out: pieces from different places meet in different light."""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray

__all__ = ["evened"]

_STEP = np.float32(14.0)
"""Codes: a step that is larger is more and more an edge, from twice as much wholly."""
_ALONG = (15, 15)
"""Pixels round a place where pieces meet that say by how much their tones are off."""
_REACH = 30.0
"""Pixels over which a correction fades."""
_MOST = 16.0
"""Codes that nothing is changed by more than."""
_TURNS = 60
_SETTLED = 0.02
"""Codes: the mean change at which it is left."""


def evened(content: FloatArray, hole: np.ndarray, source: np.ndarray) -> FloatArray:
    """Return what to add to a fill, float32 (3, height, width), 0 outside the hole.

    Parameters
    ----------
    content : float32 (height, width, 3 or more)
        The filled picture, codes of 0 to 255.
    hole : bool (height, width)
        What was filled.
    source : int32 (height, width, 2)
        Row and column that a pixel of the hole was taken from; not looked at elsewhere.

    Notes
    -----
    Between neighbours from one place nothing is off. Where two places meet, the step should be
    the mean of the steps that their own pictures have there; what it is more, all along, is spread
    over both sides (Perez, Gangnet and Blake, Poisson Image Editing, 2003), with a pull to no
    change that keeps it near, and only where it is small: an edge between two things is cut out
    of the equations, or a remnant of one would colour the other. By conjugate gradients.
    """
    rows, columns = np.flatnonzero(hole.any(axis=1)), np.flatnonzero(hole.any(axis=0))
    box = (
        slice(max(0, int(rows[0]) - 1), int(rows[-1]) + 2),
        slice(max(0, int(columns[0]) - 1), int(columns[-1]) + 2),
    )
    inside = hole[box].astype(np.float32)
    across, down, aim = _equations(content, hole, source, box)
    pull = np.float32(1 / _REACH**2)
    found = np.zeros_like(aim)
    for channel, wanted in enumerate(aim):
        _solve(found[channel], wanted, across, down, inside, pull)
    most = np.abs(found).max(axis=0)
    # Softly limited: all of a small correction, hardly more of one that is too large.
    found *= _MOST * np.tanh(most / _MOST) / np.maximum(most, 1e-6)
    change = np.zeros((3, *hole.shape), np.float32)
    change[:, box[0], box[1]] = found
    return change


def _solve(
    found: FloatArray,
    aim: FloatArray,
    across: FloatArray,
    down: FloatArray,
    inside: FloatArray,
    pull: np.float32,
) -> None:
    """Solve one channel in place (Hestenes and Stiefel, 1952)."""
    rest, way, answer = aim.copy(), aim.copy(), np.empty_like(aim)
    size = float(np.vdot(rest, rest))
    enough = _SETTLED**2 * float(inside.sum()) * float(pull) ** 2
    for _ in range(_TURNS):
        if size <= enough:
            return
        _applied(way, across, down, inside, pull, answer)
        far = np.float32(size / max(float(np.vdot(way, answer)), 1e-20))
        found += far * way
        rest -= far * answer
        before, size = size, float(np.vdot(rest, rest))
        way *= np.float32(size / before)
        way += rest


@njit(cache=True, nogil=True, fastmath=True)
def _applied(way, across, down, inside, pull, answer):  # type: ignore[no-untyped-def]
    height, width = way.shape
    for y in range(height):
        for x in range(width):
            answer[y, x] = pull * way[y, x]
        for x in range(width - 1):
            flow = across[y, x] * (way[y, x] - way[y, x + 1])
            answer[y, x] += flow
            answer[y, x + 1] -= flow
    for y in range(height - 1):
        for x in range(width):
            flow = down[y, x] * (way[y, x] - way[y + 1, x])
            answer[y, x] += flow
            answer[y + 1, x] -= flow
    for y in range(height):
        for x in range(width):
            answer[y, x] *= inside[y, x]


def _equations(
    content: FloatArray, hole: np.ndarray, source: np.ndarray, box: tuple[slice, slice]
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Return which neighbours hang together, right and below, and what pixels should change by."""
    filled = hole[box]
    aim = np.zeros((3, *filled.shape), np.float32)
    holds = []
    for dy, dx in ((0, 1), (1, 0)):
        corner = box[0].start, box[1].start
        off, meets = _steps(content, hole, source, *corner, dy, dx, *filled.shape)
        # What is off by texture is off either way along a seam; what is off by tone, one way.
        count = np.maximum(cv2.blur(meets, _ALONG), 1e-6)
        off = np.stack([cv2.blur(each, _ALONG) for each in off]) / count * meets
        share = np.clip(2 - np.abs(off).max(axis=0) / _STEP, 0, 1)
        off *= share
        aim -= off
        aim[:, dy:, dx:] += off[:, : off.shape[1] - dy, : off.shape[2] - dx]
        near = filled.copy()
        near[: near.shape[0] - dy, : near.shape[1] - dx] |= filled[dy:, dx:]
        holds.append((near & ((meets == 0) | (share > 0))).astype(np.float32))
    return holds[0], holds[1], aim * filled


@njit(cache=True, nogil=True)
def _steps(content, hole, source, top, left, dy, dx, height, width):  # type: ignore[no-untyped-def]
    """Return (3, height, width) by how much steps to a neighbour are off, and where places meet."""
    off = np.zeros((3, height, width), np.float32)
    meets = np.zeros((height, width), np.float32)
    rows, columns = hole.shape
    for y in range(height - dy):
        for x in range(width - dx):
            iy, ix = top + y, left + x
            jy, jx = iy + dy, ix + dx
            if not (hole[iy, ix] and hole[jy, jx]):
                continue
            ay, ax = source[iy, ix, 0], source[iy, ix, 1]
            by, bx = source[jy, jx, 0], source[jy, jx, 1]
            if by - ay == dy and bx - ax == dx:
                continue
            ny, nx = min(ay + dy, rows - 1), min(ax + dx, columns - 1)
            py, px = max(by - dy, 0), max(bx - dx, 0)
            meets[y, x] = 1
            for c in range(3):
                own = content[ny, nx, c] - content[ay, ax, c]
                other = content[by, bx, c] - content[py, px, c]
                off[c, y, x] = (own + other) / 2 - (content[jy, jx, c] - content[iy, ix, c])
    return off, meets
