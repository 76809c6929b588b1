"""Frames as most clips have them, light and colour in planes of their own, made linear light.

A frame is (3 / 2 height, width) uint8: Y', and below it Cb and Cr at half size both ways (4:2:0),
their samples on every second pixel of a row and between two rows, as H.264 has them by default.
"""

from __future__ import annotations

import itertools
import os
import threading

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray, Rgba16

__all__ = ["linear_from_planes", "steps_between"]

_STRIPS = 4
_FINE = 16
"""Steps of the table of light between two codes: what is mixed lies between them."""
_LUMA = {
    1: (0.2126, 0.0722),
    4: (0.30, 0.11),
    5: (0.299, 0.114),
    7: (0.212, 0.087),
    9: (0.2627, 0.0593),
}
"""The weights of red and blue in Y', by the number of the matrix: ITU-T H.273, table 4."""


def linear_from_planes(planes: np.ndarray, matrix: int, full: bool, light: np.ndarray) -> Rgba16:
    """Return linear light (height, width, 4) of a frame.

    ``matrix`` and ``full`` are as :class:`transfer.Tags` has them; ``light`` is the linear light,
    0..65535, of :func:`steps_between`.
    """
    rows, width = planes.shape
    height = rows * 2 // 3
    chroma = planes[height:].reshape(-1)
    half = height // 2 * (width // 2)
    u, v = (chroma[n * half : (n + 1) * half].reshape(height // 2, width // 2) for n in range(2))
    out = np.empty((height, width, 4), np.uint16)
    red, blue = _LUMA[matrix]
    green = 1 - red - blue
    scale_y, scale_c, floor = (1.0, 1.0, 0.0) if full else (255 / 219, 255 / 224, 16.0)
    told = np.array(
        [
            scale_y,
            floor,
            2 * (1 - red) * scale_c,
            -2 * (1 - blue) * blue / green * scale_c,
            -2 * (1 - red) * red / green * scale_c,
            2 * (1 - blue) * scale_c,
        ],
        np.float32,
    )
    # In strips side by side: whoever waits for a frame has nothing else to do meanwhile.
    count = min(_STRIPS, os.cpu_count() or 1, max(1, height // 64))
    edges = np.linspace(0, height, count + 1).astype(int)
    strips = [
        threading.Thread(target=_convert, args=(planes, u, v, told, light, out, *ends))
        for ends in itertools.pairwise(edges)
    ]
    for strip in strips:
        strip.start()
    for strip in strips:
        strip.join()
    return out


def steps_between() -> FloatArray:
    """Return the codes, 0..1, of which ``light`` has the light."""
    return np.arange(255 * _FINE + 1) / (255 * _FINE)


@njit(cache=True, nogil=True, fastmath=True)
def _convert(luma, u, v, told, light, out, first, last):  # type: ignore[no-untyped-def]
    """Fill the rows of ``out`` from ``first`` to before ``last``."""
    width = out.shape[1]
    lines, half = u.shape
    most = np.float32(len(light) - 1)
    a, b = np.empty(half + 1, np.float32), np.empty(half + 1, np.float32)
    for y in range(first, last):
        near = y >> 1
        other = min(max(near + (1 if y & 1 else -1), 0), lines - 1)
        for x in range(half):
            a[x] = np.float32(0.75) * u[near, x] + np.float32(0.25) * u[other, x] - np.float32(128)
            b[x] = np.float32(0.75) * v[near, x] + np.float32(0.25) * v[other, x] - np.float32(128)
        a[half], b[half] = a[half - 1], b[half - 1]
        for x in range(width):
            k = x >> 1
            share = np.float32(0.5) if x & 1 else np.float32(0)
            cb = a[k] + share * (a[k + 1] - a[k])
            cr = b[k] + share * (b[k + 1] - b[k])
            grey = (luma[y, x] - told[1]) * told[0]
            red = (grey + told[2] * cr) * np.float32(_FINE) + np.float32(0.5)
            green = (grey + told[3] * cb + told[4] * cr) * np.float32(_FINE) + np.float32(0.5)
            blue = (grey + told[5] * cb) * np.float32(_FINE) + np.float32(0.5)
            out[y, x, 0] = light[int(min(max(red, np.float32(0)), most))]
            out[y, x, 1] = light[int(min(max(green, np.float32(0)), most))]
            out[y, x, 2] = light[int(min(max(blue, np.float32(0)), most))]
            out[y, x, 3] = 65535
