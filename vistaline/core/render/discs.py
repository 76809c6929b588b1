"""Blurring by discs: every pixel of a picture spread over the shape of a lens's opening.

A disc is cut into its rows, and a row is the difference of two running sums, so a pixel costs its
disc's height and not its area. The ends of rows fall between pixels and count by their share.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry.irises import RIM, iris_radius, rim_weights
from vistaline.core.render.laying import KERNEL

__all__ = ["BLOCK", "LEAST_BLUR", "MOST_BLUR", "Discs", "blur_rows", "discs_of", "number_of"]

BLOCK = 16
"""Pixels across and down in which all are blurred alike."""
LEAST_BLUR = 0.1
"""Pixels: a disc of a smaller radius is not told from a point."""
MOST_BLUR = 64.0
"""Pixels: the largest disc that is made."""
_STEP = math.log(1.03)
"""Logarithm of the ratio from one radius to the next: a difference nobody sees."""
_LAST = math.ceil(math.log(MOST_BLUR / LEAST_BLUR) / _STEP)
_SUB = 8
"""Lines along which a row of a disc is measured."""


class Discs(NamedTuple):
    """Discs of all radii, as the kernel is told them.

    ``number_of`` says which is which: the middle one is a point; after it come those of what lies
    beyond the focus, before it those of what lies before it, which stand on their heads.
    """

    first: np.ndarray
    """(discs + 1,) int64: where each one's rows begin in what follows."""
    rows: np.ndarray
    """(N, 4) int64: two lines down that are alike, or one twice, and the pixels in which such a row
    begins and ends."""
    shares: np.ndarray
    """(N, 5) float32: how much of the pixel at the beginning and of the next lies before the row
    begins; the same of the end; and the weight of all."""
    reach: np.ndarray
    """(discs,) int64: how many pixels each extends, at most."""


def number_of(radius: FloatArray) -> np.ndarray:
    """Return which disc is used for radii in pixels, negative before the focus."""
    size = np.clip(np.abs(radius), LEAST_BLUR / 2, MOST_BLUR)
    steps = np.maximum(np.rint(np.log(size / LEAST_BLUR) / _STEP).astype(np.int64) + 1, 0)
    return np.asarray(_LAST + 1 + np.where(radius < 0, -steps, steps))


@lru_cache(16)
def discs_of(
    blades: int = 0, turn: float = 0.0, roundness: float = 0.0, rims: float = 0.0
) -> Discs:
    """Return the discs of an opening; see :mod:`irises` for what tells its shape and its rim."""
    angles = np.linspace(0, 2 * math.pi, 721)[:-1]
    edge = iris_radius(angles, blades, turn, roundness)
    across, up = edge * np.cos(angles), edge * np.sin(angles)
    steps = np.arange(-_LAST - 1, _LAST + 2)
    sizes = LEAST_BLUR * np.exp(_STEP * (np.abs(steps) - 1)) * np.sign(steps)
    found = [_rows_of(size, across, up) for size in sizes]
    if rims:
        whole, less = rim_weights(rims)
        inner = [_rows_of(size * RIM, across, up) for size in sizes]
        found = [
            (
                np.concatenate([rows, rows_in]),
                np.concatenate([_by(shares, whole), _by(less_in, -less)]),
            )
            for (rows, shares), (rows_in, less_in) in zip(found, inner, strict=True)
        ]
    return Discs(
        first=np.cumsum([0, *(len(rows) for rows, _ in found)]),
        rows=np.concatenate([rows for rows, _ in found]),
        shares=np.concatenate([shares for _, shares in found]).astype(np.float32),
        reach=np.array([int(np.abs(rows).max()) + 2 for rows, _ in found], np.int64),
    )


def _by(shares: FloatArray, weight: float) -> FloatArray:
    return shares * [1, 1, 1, 1, weight]


def _rows_of(size: float, across: FloatArray, up: FloatArray) -> tuple[np.ndarray, FloatArray]:
    """Return one disc's rows and shares; ``across`` and ``up`` (N,): the outline of its shape.

    Between pixels a picture is taken to run evenly from one to the next, down as well as across.
    So a line of the disc counts for the two rows of pixels it lies between, by how near it is; and
    where it ends between two pixels, u beyond the first, the integral up to there has of the first
    1/2 + u - u^2 / 2, and of the second u^2 / 2.
    """
    if not size:
        return np.array([[0, 0, 0, 1]]), np.array([[0.0, 0.0, 0.0, 0.0, 0.5]])
    # What is seen at a pixel came from where the disc leads back to; in a picture up is less.
    x, y = -size * across, size * up
    half = math.ceil(np.abs(y).max()) + 1
    at = (np.arange(-half * _SUB, half * _SUB) + 0.5) / _SUB
    # The outline turns once; each half from its lowest to its highest point is a function of y.
    order = np.roll(np.arange(len(y)), -int(y.argmin()))
    top = int(y[order].argmax())
    one, other = order[: top + 1], np.append(order[top:], order[0])[::-1]
    ends = [np.interp(at, np.maximum.accumulate(y[side]), x[side]) for side in (one, other)]
    low, high = np.minimum(*ends), np.maximum(*ends)
    long = np.where((at < y.min()) | (at > y.max()), 0.0, high - low)
    lines = np.arange(-half, half + 1)
    shares = np.maximum(1 - np.abs(at - lines[:, None]), 0)
    weights = shares @ long / shares.sum(axis=1)
    lines, shares, weights = (each[weights > 1e-9] for each in (lines, shares, weights))
    parts = shares * long
    parts /= parts.sum(axis=1, keepdims=True)
    begin, end = parts @ low, parts @ high
    first, last = np.floor(begin), np.floor(end)
    u, v = begin - first, end - last
    weights /= (end - begin) * weights.sum()
    ends = [0.5 + u - u * u / 2, u * u / 2, 0.5 + v - v * v / 2, v * v / 2]
    rows, found = [], []
    at_line = {line: n for n, line in enumerate(lines.tolist())}
    for n, line in enumerate(lines.tolist()):
        m = at_line.get(-line, n)
        alike = m != n and np.allclose([begin[n], end[n]], [begin[m], end[m]], atol=1e-3)
        if alike and line > 0:
            continue  # it went with the one above
        rows.append([line, -line if alike else line, first[n], last[n]])
        found.append([each[n] for each in ends] + [weights[n] * (1 if alike else 0.5)])
    return np.array(rows, np.int64), np.array(found)


@njit(**KERNEL)
def _sum_row(row, sums, values):  # type: ignore[no-untyped-def]
    """Fill ``sums`` with running sums of a row of pixels, four channels side by side.

    They may pass what 32 bits hold: only differences count, and those come out right.
    ``values`` are the pixels themselves.
    """
    sums[:4] = 0
    for x in range(row.shape[0]):
        value = np.int32(row[x])
        sums[x + 4] = np.int32(sums[x] + value)
        values[x] = np.float32(value)


@njit(**KERNEL)
def _add_rows(found, end, begin, last, past_last, first, past_first, shares):  # type: ignore[no-untyped-def]
    """Add two rows of a disc to a stretch of pixels: sums at its end and its beginning, and the
    two pixels at either that count in part, of both rows.

    Whole arrays from 0, because such loops are what LLVM vectorises.
    """
    (end_1, end_2), (begin_1, begin_2) = end, begin
    (last_1, last_2), (past_last_1, past_last_2) = last, past_last
    (first_1, first_2), (past_first_1, past_first_2) = first, past_first
    weight = shares[4]
    a, b, c, d = shares[0] * weight, shares[1] * weight, shares[2] * weight, shares[3] * weight
    for x in range(found.shape[0]):
        # Back to 32 bits: numba widens differences, and then they would not come out right.
        whole = np.int32(end_1[x] - begin_1[x]) + np.int32(end_2[x] - begin_2[x])
        value = weight * np.float32(np.int32(whole))
        value += c * (last_1[x] + last_2[x]) + d * (past_last_1[x] + past_last_2[x])
        value -= a * (first_1[x] + first_2[x]) + b * (past_first_1[x] + past_first_2[x])
        found[x] += value


@njit(**KERNEL)
def _rounded(found, out):  # type: ignore[no-untyped-def]
    for x in range(found.shape[0]):
        value = min(max(found[x], np.float32(0)), np.float32(65535))
        out[x] = np.uint16(np.int32(value + np.float32(0.5)))


@njit(**KERNEL)
def blur_rows(texels, blocks, first, rows, shares, margin, y0, y1, out):  # type: ignore[no-untyped-def]
    """Blur rows ``y0`` to ``y1`` of a picture into ``out``.

    ``out`` (rows, columns * 4) uint16 and ``texels``, ``margin`` pixels larger all round: linear,
    premultiplied, four channels side by side. ``blocks`` (lines, columns) int64: the disc of each
    block of ``BLOCK`` pixels of ``out``; -1 where nothing is wanted, -2 where nothing is.
    """
    wide = out.shape[1]
    sums = np.empty((y1 - y0 + 2 * margin, texels.shape[1] + 4), np.int32)
    values = np.empty((len(sums), texels.shape[1]), np.float32)
    for j in range(len(sums)):
        _sum_row(texels[y0 + j], sums[j], values[j])
    found = np.empty(wide, np.float32)
    for y in range(y0, y1):
        line = blocks[y // BLOCK]
        column = 0
        while column < line.shape[0]:
            disc = line[column]
            start = column * BLOCK * 4
            column += 1
            while column < line.shape[0] and line[column] == disc:
                column += 1
            if disc == -1:
                continue
            stop = min(column * BLOCK * 4, wide)
            if disc == -2:
                out[y, start:stop] = 0
                continue
            long = stop - start
            found[start:stop] = 0
            for n in range(first[disc], first[disc + 1]):
                i, j = y - y0 + margin + rows[n, 0], y - y0 + margin + rows[n, 1]
                p, q = start + 4 * (margin + rows[n, 2]), start + 4 * (margin + rows[n, 3])
                _add_rows(
                    found[start:stop],
                    (sums[i, q : q + long], sums[j, q : q + long]),
                    (sums[i, p : p + long], sums[j, p : p + long]),
                    (values[i, q : q + long], values[j, q : q + long]),
                    (values[i, q + 4 : q + 4 + long], values[j, q + 4 : q + 4 + long]),
                    (values[i, p : p + long], values[j, p : p + long]),
                    (values[i, p + 4 : p + 4 + long], values[j, p + 4 : p + 4 + long]),
                    shares[n],
                )
            _rounded(found[start:stop], out[y, start:stop])
