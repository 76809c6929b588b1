"""A small copy of a picture enlarged, evenly: a cubic through its pixels.

Keys, Cubic convolution interpolation for digital image processing (1981), with a = -1/2. What was
blurred has no detail between its pixels, but it has valleys, and straight lines would fill them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.render.laying import KERNEL

__all__ = ["Taps", "enlarge", "taps_of"]


@dataclass(frozen=True, eq=False)
class Taps:
    """Which pixels of a copy make each of the first pixels of a line, as many as it is smaller.

    After those it goes on alike, one pixel of the copy farther each time.
    """

    first: np.ndarray
    """(times,) int64: the first of four neighbours."""
    weights: np.ndarray
    """(times, 4) float32."""


def taps_of(times: int, start: float) -> Taps:
    """Return the neighbours of pixels of which ``times`` make one of the copy's.

    ``start``: where the first lies in the copy, whose pixels' centres are counted from 0; there
    are at least two on either side of what is drawn.
    """
    at = start + np.arange(times) / times
    first = np.floor(at).astype(np.int64)
    t = at - first
    weights = np.column_stack(
        [
            ((-0.5 * t + 1) * t - 0.5) * t,
            (1.5 * t - 2.5) * t * t + 1,
            ((-1.5 * t + 2) * t + 0.5) * t,
            (0.5 * t - 0.5) * t * t,
        ]
    )
    return Taps(first - 1, weights.astype(np.float32))


def enlarge(copy: np.ndarray, across: Taps, down: Taps, x0: int, y0: int, out: np.ndarray) -> None:
    """Fill ``out`` (rows, columns, 4) from a copy; it begins at ``x0``, ``y0`` of what is drawn.

    Both are multiples of the number of times.
    """
    times = len(across.first)
    first = across.first + x0 // times
    given = copy.reshape(len(copy), -1)
    packed = out.view(np.uint64)[..., 0]
    _enlarge(given, first, across.weights, down.first + y0 // times, down.weights, packed)


@njit(**KERNEL)
def _mix(one, two, three, four, weights, out):  # type: ignore[no-untyped-def]
    a, b, c, d = weights[0], weights[1], weights[2], weights[3]
    for x in range(out.shape[0]):
        value = a * np.float32(one[x]) + b * np.float32(two[x])
        out[x] = value + c * np.float32(three[x]) + d * np.float32(four[x])


@njit(**KERNEL)
def _round(one, two, three, four, weights, out):  # type: ignore[no-untyped-def]
    a, b, c, d = weights[0], weights[1], weights[2], weights[3]
    half, most = np.float32(0.5), np.float32(65535)
    for x in range(out.shape[0]):
        value = a * one[x] + b * two[x] + c * three[x] + d * four[x] + half
        out[x] = np.uint16(np.int32(min(max(value, np.float32(0)), most)))


@njit(**KERNEL)
def _enlarge(copy, x_first, x_weights, y_first, y_weights, out):  # type: ignore[no-untyped-def]
    times, columns = len(x_first), out.shape[1]
    wide = -(-columns // times) * 4
    begin = x_first[0] * 4
    row = np.empty(wide + 20, np.float32)
    piece = np.empty(wide, np.uint16)
    packed = piece.view(np.uint64)
    for y in range(out.shape[0]):
        phase = y % times
        j = y_first[phase] + y // times
        end = min(begin + len(row), copy.shape[1])
        mixed = row[: end - begin]
        _mix(
            copy[j, begin:end],
            copy[j + 1, begin:end],
            copy[j + 2, begin:end],
            copy[j + 3, begin:end],
            y_weights[phase],
            mixed,
        )
        # All pixels that lie alike between those of the copy come at once.
        for n in range(times):
            count = (columns - n + times - 1) // times
            i = x_first[n] * 4 - begin
            long = count * 4
            _round(
                mixed[i : i + long],
                mixed[i + 4 : i + 4 + long],
                mixed[i + 8 : i + 8 + long],
                mixed[i + 12 : i + 12 + long],
                x_weights[n],
                piece[:long],
            )
            for x in range(count):
                out[y, x * times + n] = packed[x]
