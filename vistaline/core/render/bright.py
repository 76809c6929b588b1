"""What of a picture is bright enough to glow or to give rays."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.modifier import Band
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.warp import BAND

__all__ = ["Darkened", "OnlyBright", "bright_of", "halved", "share_kept"]


@njit(inline="always")
def share_kept(light, threshold, knee):  # type: ignore[no-untyped-def]
    """Return the share of ``light`` above ``threshold``, which sets in softly over ``knee``.

    A parabola from ``threshold - knee`` to ``threshold + knee`` that meets both lines smoothly.
    """
    over = light - threshold
    soft = min(max(over + knee, np.float32(0)), knee + knee)
    soft = soft * soft / (np.float32(4) * knee)
    return max(over, soft) / max(light, np.float32(1e-6))


@njit(**KERNEL)
def _keep_bright(pixels, threshold, knee):  # type: ignore[no-untyped-def]
    """Keep of packed pixels (N,) uint64, premultiplied, only what is bright; alpha stays."""
    half = np.float32(0.5)
    for x in range(pixels.shape[0]):
        low, high = np.uint32(pixels[x]), np.uint32(pixels[x] >> np.uint64(32))
        r, g = np.float32(low & np.uint32(65535)), np.float32(low >> np.uint32(16))
        b, alpha = np.float32(high & np.uint32(65535)), np.float32(high >> np.uint32(16))
        light = min(max(max(r, g), b) / max(alpha, np.float32(1)), np.float32(1))
        share = share_kept(light, threshold, knee)
        low = np.uint32(np.int32(r * share + half))
        low |= np.uint32(np.int32(g * share + half)) << np.uint32(16)
        high = np.uint32(np.int32(b * share + half)) | (high & np.uint32(0xFFFF0000))
        pixels[x] = np.uint64(low) | (np.uint64(high) << np.uint64(32))


class Darkened:
    """A modifier: nothing of a card shines, but it hides what is behind as before."""

    def modify(self, band: Band) -> None:
        packed = band.pixels.view(np.uint64)
        packed &= np.uint64(0xFFFF000000000000)


class OnlyBright:
    """A modifier: only what is bright in a card shines."""

    def __init__(self, threshold: float, knee: float) -> None:
        self._limits = np.float32(threshold), np.float32(max(knee, 1e-4))

    def modify(self, band: Band) -> None:
        packed = band.pixels.view(np.uint64).reshape(-1)
        _keep_bright(packed, *self._limits)


def bright_of(
    picture: np.ndarray,
    ground: np.ndarray,
    threshold: float,
    knee: float,
    crew: Crew,
    shelf: Shelf,
) -> np.ndarray:
    """Return what is bright in a picture at half its size (3, rows, columns) float32, 0..65535.

    ``picture`` (height, width, 4) uint16 over ``ground`` (3,). Thresholded at full size, or small
    lights would come and go as they move; each pixel of the half is a mean of 4 x 4, weighed 1 3 3
    1, so that they move smoothly.
    """
    height, width = picture.shape[:2]
    out = shelf.lend((3, -(-height // 2), -(-width // 2)), np.float32)
    limits = np.float32(threshold), np.float32(max(knee, 1e-4))
    packed = picture.view(np.uint64)[..., 0]
    rows = BAND // 2

    def work(_: int, first: int) -> None:
        _halve_bright(packed, ground, *limits, first, out[:, first : first + rows])

    crew.share(work, range(0, out.shape[1], rows))
    return out


def halved(planes: np.ndarray, crew: Crew, shelf: Shelf) -> np.ndarray:
    """Return planes (N, rows, columns) float32 at half their size: means of 4 x 4, as in
    :func:`bright_of`."""
    count, height, width = planes.shape
    out = shelf.lend((count, -(-height // 2), -(-width // 2)), np.float32)

    def work(_: int, first: int) -> None:
        _halve_planes(planes, first, out[:, first : first + BAND])

    crew.share(work, range(0, out.shape[1], BAND))
    return out


@njit(**KERNEL)
def _halve_planes(planes, first, out):  # type: ignore[no-untyped-def]
    """Fill rows ``first`` and on of the half size."""
    height, width = planes.shape[1], planes.shape[2]
    row, kept = np.empty(width + 4, np.float32), np.empty((4, out.shape[2]), np.float32)
    for n in range(planes.shape[0]):
        done = -10
        for j in range(out.shape[1]):
            top = 2 * (first + j) - 1
            for k in range(max(top, done + 1), top + 4):
                row[1 : width + 1] = planes[n, min(max(k, 0), height - 1)]
                _halve_row(row, width, kept[k & 3])
            done = top + 3
            _mix_rows(kept, top, out[n, j])


@njit(**KERNEL)
def _halve_bright(picture, ground, threshold, knee, first, out):  # type: ignore[no-untyped-def]
    """Fill rows ``first`` and on of the half size."""
    height, width = picture.shape
    # Rows as they are wanted, each thresholded and halved across once.
    kept = np.empty((3, 4, out.shape[2]), np.float32)
    row = np.empty((3, width + 4), np.float32)
    done = -10
    for j in range(out.shape[1]):
        top = 2 * (first + j) - 1
        for k in range(max(top, done + 1), top + 4):
            pixels = picture[min(max(k, 0), height - 1)]
            _bright_row(pixels, ground, threshold, knee, row[0, 1:], row[1, 1:], row[2, 1:])
            for n in range(3):
                _halve_row(row[n], width, kept[n, k & 3])
        done = top + 3
        for n in range(3):
            _mix_rows(kept[n], top, out[n, j])


@njit(**KERNEL)
def _bright_row(pixels, ground, threshold, knee, red, green, blue):  # type: ignore[no-untyped-def]
    """Put what is bright of packed pixels (N,) uint64 over a ground into three rows (N,)."""
    scale = np.float32(1 / 65535)
    for x in range(pixels.shape[0]):
        low, high = np.uint32(pixels[x]), np.uint32(pixels[x] >> np.uint64(32))
        clear = np.float32(1) - np.float32(high >> np.uint32(16)) * scale
        r = np.float32(low & np.uint32(65535)) + clear * ground[0]
        g = np.float32(low >> np.uint32(16)) + clear * ground[1]
        b = np.float32(high & np.uint32(65535)) + clear * ground[2]
        share = share_kept(max(max(r, g), b) * scale, threshold, knee)
        red[x], green[x], blue[x] = r * share, g * share, b * share


@njit(**KERNEL)
def _halve_row(row, width, out):  # type: ignore[no-untyped-def]
    """Halve ``row`` (width + 4,), whose pixels begin at 1, into ``out``; its ends are repeated."""
    row[0] = row[1]
    row[width + 1 :] = row[width]
    left, right = row[: 2 * out.shape[0]], row[2 : 2 * out.shape[0] + 2]
    for i in range(out.shape[0]):
        outer = left[2 * i] + right[2 * i + 1]
        out[i] = (outer + np.float32(3) * (left[2 * i + 1] + right[2 * i])) * np.float32(0.125)


@njit(inline="always")
def _mix_rows(kept, top, out):  # type: ignore[no-untyped-def]
    """Halve the four rows from ``top`` on, of those that are ``kept`` by turns, into ``out``."""
    _mix_four(kept[top & 3], kept[(top + 1) & 3], kept[(top + 2) & 3], kept[(top + 3) & 3], out)


@njit(**KERNEL)
def _mix_four(one, two, three, four, out):  # type: ignore[no-untyped-def]
    for i in range(out.shape[0]):
        middle = two[i] + three[i]
        out[i] = (one[i] + np.float32(3) * middle + four[i]) * np.float32(0.125)
