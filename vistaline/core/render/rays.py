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
from vistaline.core.render.shelf import Shelf

__all__ = ["rays_of"]

_TURN = 1.5
"""Pixels between neighbouring rays where they are farthest apart."""
_RAYS, _LINES = 64, 32
"""Rays, and lines of the picture, at a time: what they are worked out in stays in the caches."""


def rays_of(
    bright: np.ndarray, source: tuple[float, float], length: float, crew: Crew, shelf: Shelf
) -> np.ndarray:
    """Return what rays add (3, rows, columns) float32 to each pixel.

    ``bright`` (rows, columns, 4) uint16; ``source`` in its pixels, in the frame or outside;
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
    out = shelf.lend((3, rows, columns), np.float32)
    light = shelf.lend((rows, columns, 3), np.float32)
    light[:] = bright[..., :3]
    polar = shelf.lend_flat(radii * 3 * len(angles))
    ways = np.stack([np.cos(angles), np.sin(angles)]).astype(np.float32)
    home = np.array(source, np.float32) - np.float32(0.5)

    def unroll(_: int, a: int) -> None:
        some = ways[:, a : a + _RAYS]
        x, y = np.empty((2, radii, some.shape[1]), np.float32)
        _fill_ways(home, some[0], some[1], np.float32(low), x, y)
        seen = cv2.remap(light, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        _sum_along(seen.reshape(radii, -1), np.float32(max(length, 1.0)), polar, 3 * a)

    crew.share(unroll, range(0, len(angles), _RAYS))
    told = np.array([low, first, 1 / step], np.float32)
    around = polar.reshape(radii, -1, 3)

    def roll(_: int, y0: int) -> None:
        x, y = np.empty((2, min(_LINES, rows - y0), columns), np.float32)
        _find_rays(home, told, y0, x, y)
        found = cv2.remap(around, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        out[:, y0 : y0 + _LINES] = found.transpose(2, 0, 1)

    crew.share(roll, range(0, rows, _LINES))
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
def _fill_ways(home, across, down, low, x, y):  # type: ignore[no-untyped-def]
    """Fill ``x`` and ``y`` (radii, rays) with the places along rays."""
    for r in range(x.shape[0]):
        far = low + np.float32(r)
        for n in range(x.shape[1]):
            x[r, n] = home[0] + across[n] * far
            y[r, n] = home[1] + down[n] * far


@njit(inline="always")
def _angle(x, y):  # type: ignore[no-untyped-def]
    """Return the angle of a place, to 1e-5: a polynomial, as the compiler vectorises none other.

    Coefficients: fitted to arctan over 0..1 by least squares of the greatest error (from memory).
    """
    wide, high = abs(x), abs(y)
    share = min(wide, high) / max(max(wide, high), np.float32(1e-9))
    s = share * share
    found = np.float32(-0.01172120) * s + np.float32(0.05265332)
    found = (found * s - np.float32(0.11643287)) * s + np.float32(0.19354346)
    found = ((found * s - np.float32(0.33262347)) * s + np.float32(0.99997726)) * share
    found = np.float32(math.pi / 2) - found if high > wide else found
    found = np.float32(math.pi) - found if x < 0 else found
    return -found if y < 0 else found


@njit(**KERNEL)
def _find_rays(home, told, y0, rays, radii):  # type: ignore[no-untyped-def]
    """Fill ``rays`` (lines, columns): which one each pixel lies on, and ``radii``: how far out.

    ``told``: the nearest distance, the first angle, and rays to a radian.
    """
    around, low, first, fine = np.float32(2 * math.pi), told[0], told[1], told[2]
    for j in range(rays.shape[0]):
        y = np.float32(y0 + j) - home[1]
        for i in range(rays.shape[1]):
            x = np.float32(i) - home[0]
            turn = _angle(x, y) - first
            turn -= around * np.floor(turn / around)
            rays[j, i] = turn * fine + np.float32(0.5)
            radii[j, i] = np.sqrt(x * x + y * y) - low


@njit(**KERNEL)
def _sum_along(seen, length, out, first):  # type: ignore[no-untyped-def]
    """Fill ``out``, from ``first`` on in each of as many rows, with the weighed means along
    ``seen`` (radii, N), from the source out.

    Weights fall evenly from a place's own to nothing ``length`` before it: what enters is added,
    what goes is taken off, and all between weigh a little less from step to step.
    """
    count = int(np.ceil(length))
    less, last = np.float32(1) / length, np.float32(1) - np.float32(count - 1) / length
    plain, weighed = np.zeros(seen.shape[1], np.float32), np.zeros(seen.shape[1], np.float32)
    nothing = np.zeros(seen.shape[1], np.float32)
    pitch = out.shape[0] // seen.shape[0]
    for r in range(seen.shape[0]):
        at = r * pitch + first
        gone = seen[r - count] if r >= count else nothing
        _step(seen[r], gone, less, last, plain, weighed, out[at : at + seen.shape[1]])


@njit(**KERNEL)
def _step(seen, gone, less, last, plain, weighed, out):  # type: ignore[no-untyped-def]
    for n in range(out.shape[0]):
        left = plain[n] - gone[n]
        total = weighed[n] + seen[n] - left * less - gone[n] * last
        plain[n] = left + seen[n]
        weighed[n] = total
        out[n] = max(total * (np.float32(2) * less), np.float32(0))
