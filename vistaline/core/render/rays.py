"""Rays: what is bright, drawn out away from a source.

In polar coordinates about the source a ray is a row, and what all pixels before one give it is a
difference of sums along it: no longer for long rays than for short ones.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numba import njit

from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL

__all__ = ["rays_of"]

_TURN = 1.0
"""Pixels between neighbouring rays where they are farthest apart."""


def rays_of(
    bright: np.ndarray, source: tuple[float, float], length: float, crew: Crew
) -> np.ndarray:
    """Return what rays add (rows, columns, 3) float32 to each pixel.

    ``bright`` (rows, columns, 3) float32; ``source`` in its pixels, in the frame or outside;
    ``length`` in its pixels: each pixel gets the mean of what is bright on its way to the source,
    so far at most, weighed less and less to nothing.
    """
    rows, columns = bright.shape[:2]
    low, high, first, last = _about(source, columns, rows)
    radii = max(2, math.ceil(high - low) + 2)
    turns = max(8, math.ceil((last - first) * high / _TURN))
    step = (last - first) / turns
    # A turn more at each end, for what lies between.
    angles = first + (np.arange(turns + 2) - 0.5) * step
    out = np.empty_like(bright)
    polar = np.empty((len(angles), radii, 3), np.float32)
    distance = (low + np.arange(radii)).astype(np.float32)
    part = max(1, -(-len(angles) // (crew.threads * 4)))

    def unroll(_: int, a: int) -> None:
        some = angles[a : a + part, None]
        x = (source[0] - 0.5 + np.cos(some) * distance).astype(np.float32)
        y = (source[1] - 0.5 + np.sin(some) * distance).astype(np.float32)
        seen = cv2.remap(
            bright, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0
        )
        _sum_along(seen, np.float32(max(length, 1.0)), polar[a : a + part])

    crew.share(unroll, range(0, len(angles), part))
    lines = max(1, -(-rows // (crew.threads * 4)))

    def roll(_: int, y0: int) -> None:
        across = np.arange(columns, dtype=np.float32) + np.float32(0.5 - source[0])
        down = (np.arange(y0, min(y0 + lines, rows), dtype=np.float32) + np.float32(0.5))[:, None]
        down = down - np.float32(source[1])
        radius, angle = cv2.cartToPolar(
            np.ascontiguousarray(np.broadcast_to(across, (len(down), columns))),
            np.ascontiguousarray(np.broadcast_to(down, (len(down), columns))),
        )
        turn = np.mod(angle - np.float32(first), np.float32(2 * math.pi)) / np.float32(step)
        out[y0 : y0 + lines] = cv2.remap(
            polar,
            radius - np.float32(low),
            (turn + np.float32(0.5)).astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )

    crew.share(roll, range(0, rows, lines))
    return out


def _about(source: tuple[float, float], width: int, height: int) -> tuple[float, ...]:
    """Return the nearest and farthest distance of a frame from a source, and between which
    angles it lies."""
    x, y = source
    corners = np.array([[0, 0], [width, 0], [0, height], [width, height]]) - source
    high = float(np.hypot(*corners.T).max())
    dx, dy = max(-x, x - width, 0.0), max(-y, y - height, 0.0)
    if dx == 0 and dy == 0:
        return 0.0, high, 0.0, 2 * math.pi
    towards = math.atan2(height / 2 - y, width / 2 - x)
    turned = np.angle(np.exp(1j * (np.arctan2(corners[:, 1], corners[:, 0]) - towards)))
    return (
        max(math.hypot(dx, dy) - 1, 0.0),
        high,
        towards + float(turned.min()) - 1e-3,
        towards + float(turned.max()) + 1e-3,
    )


@njit(**KERNEL)
def _sum_along(seen, length, out):  # type: ignore[no-untyped-def]
    """Fill ``out`` (rays, radii, 3) with the weighed means along ``seen``, from the source out.

    Weights fall evenly from a place's own to nothing ``length`` before it: from sums of what is
    seen, and of that times its distance.
    """
    count = seen.shape[1]
    plain, moment = np.empty((count + 1, 3), np.float64), np.empty((count + 1, 3), np.float64)
    whole = np.float64(length)
    for n in range(seen.shape[0]):
        plain[0], moment[0] = 0.0, 0.0
        for r in range(count):
            for c in range(3):
                value = np.float64(seen[n, r, c])
                plain[r + 1, c] = plain[r, c] + value
                moment[r + 1, c] = moment[r, c] + value * r
        for r in range(count):
            begin = max(r - whole + 1, 0.0)
            at = int(begin)
            for c in range(3):
                total = plain[r + 1, c] - plain[at, c]
                far = moment[r + 1, c] - moment[at, c]
                # Sum of value * (1 - (r - place) / length), twice over the length.
                weighed = total * (1 - r / whole) + far / whole
                out[n, r, c] = np.float32(2 / whole * max(weighed, 0.0))
