"""What of a picture is bright enough to glow or to give rays, and what is added to one."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.modifier import Band
from vistaline.core.render.warp import BAND

__all__ = ["Darkened", "OnlyBright", "add_light", "bright_of", "share_kept"]


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
    """Keep of pixels (rows, width, 4) uint16, premultiplied, only what is bright; alpha stays."""
    for j in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            alpha = np.float32(pixels[j, x, 3])
            if alpha == 0:
                continue
            most = max(pixels[j, x, 0], pixels[j, x, 1], pixels[j, x, 2])
            share = share_kept(min(np.float32(most) / alpha, np.float32(1)), threshold, knee)
            for c in range(3):
                pixels[j, x, c] = np.uint16(np.float32(pixels[j, x, c]) * share + np.float32(0.5))


class Darkened:
    """A modifier: nothing of a card shines, but it hides what is behind as before."""

    def modify(self, band: Band) -> None:
        band.pixels[..., :3] = 0


class OnlyBright:
    """A modifier: only what is bright in a card shines."""

    def __init__(self, threshold: float, knee: float) -> None:
        self._limits = np.float32(threshold), np.float32(max(knee, 1e-4))

    def modify(self, band: Band) -> None:
        _keep_bright(band.pixels, *self._limits)


def bright_of(
    picture: np.ndarray, ground: np.ndarray, threshold: float, knee: float, crew: Crew
) -> np.ndarray:
    """Return what is bright in a picture at half its size (rows, columns, 3) float32, 0..65535.

    ``picture`` (height, width, 4) uint16 over ``ground`` (3,). Thresholded at full size, or small
    lights would come and go as they move; each pixel of the half is a mean of 4 x 4, weighed 1 3 3
    1, so that they move smoothly.
    """
    height, width = picture.shape[:2]
    out = np.empty((-(-height // 2), -(-width // 2), 3), np.float32)
    limits = np.float32(threshold), np.float32(max(knee, 1e-4))
    packed = picture.view(np.uint64)[..., 0]
    rows = BAND // 2

    def work(_: int, first: int) -> None:
        _halve_bright(packed, ground, *limits, first, out[first : first + rows])

    crew.share(work, range(0, out.shape[0], rows))
    return out


@njit(**KERNEL)
def _halve_bright(picture, ground, threshold, knee, first, out):  # type: ignore[no-untyped-def]
    """Fill rows ``first`` and on of the half size."""
    height, width = picture.shape
    # Rows as they are wanted, each thresholded and halved across once.
    kept = np.zeros((4, out.shape[1], 3), np.float32)
    row = np.empty((3, width), np.float32)
    done = -10
    for j in range(out.shape[0]):
        top = 2 * (first + j) - 1
        for k in range(max(top, done + 1), top + 4):
            y = min(max(k, 0), height - 1)
            _bright_row(picture[y], ground, threshold, knee, row[0], row[1], row[2])
            for n in range(3):
                _halve_row(row[n], kept[k & 3], n)
        done = top + 3
        _mix_rows(
            *(kept[top & 3], kept[(top + 1) & 3], kept[(top + 2) & 3], kept[(top + 3) & 3]), out[j]
        )


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
def _halve_row(row, out, n):  # type: ignore[no-untyped-def]
    last = row.shape[0] - 1
    for i in range(out.shape[0]):
        a, b = max(2 * i - 1, 0), 2 * i
        c, d = min(2 * i + 1, last), min(2 * i + 2, last)
        out[i, n] = (row[a] + np.float32(3) * (row[b] + row[c]) + row[d]) * np.float32(0.125)


@njit(**KERNEL)
def _mix_rows(one, two, three, four, out):  # type: ignore[no-untyped-def]
    for i in range(out.shape[0]):
        for n in range(3):
            middle = two[i, n] + three[i, n]
            out[i, n] = (one[i, n] + np.float32(3) * middle + four[i, n]) * np.float32(0.125)


def add_light(picture: np.ndarray, light: np.ndarray, crew: Crew, out: np.ndarray) -> None:
    """Fill ``out`` with ``picture`` (height, width, 4) uint16 and ``light`` (rows, columns, 3)
    float32 of half its size; what gets brighter than white stays white."""
    height = picture.shape[0]
    given, taken = picture.view(np.uint64)[..., 0], out.view(np.uint64)[..., 0]

    def work(_: int, y0: int) -> None:
        _add(given[y0 : y0 + BAND], light, y0, taken[y0 : y0 + BAND])

    crew.share(work, range(0, height, BAND))


@njit(**KERNEL)
def _add(picture, light, y0, out):  # type: ignore[no-untyped-def]
    rows, columns = light.shape[0], light.shape[1]
    # A texel more at both ends, so that none has to be asked for.
    line = np.empty((3, columns + 2), np.float32)
    full = np.empty((3, 2 * columns), np.float32)
    for j in range(picture.shape[0]):
        # A pixel's middle lies a quarter beside that of the half size's.
        y = y0 + j
        near, far = min(y // 2, rows - 1), y // 2 + (1 if y % 2 else -1)
        far = min(max(far, 0), rows - 1)
        for c in range(3):
            for i in range(columns):
                here = light[near, i, c]
                line[c, i + 1] = here + np.float32(0.25) * (light[far, i, c] - here)
            line[c, 0], line[c, columns + 1] = line[c, 1], line[c, columns]
            _double(line[c], full[c])
        _add_row(picture[j], full[0], full[1], full[2], out[j])


@njit(**KERNEL)
def _double(line, out):  # type: ignore[no-untyped-def]
    for i in range(line.shape[0] - 2):
        here = line[i + 1] * np.float32(0.75)
        out[2 * i] = here + line[i] * np.float32(0.25)
        out[2 * i + 1] = here + line[i + 2] * np.float32(0.25)


@njit(**KERNEL)
def _add_row(pixels, red, green, blue, out):  # type: ignore[no-untyped-def]
    most, half = np.float32(65535), np.float32(0.5)
    for x in range(pixels.shape[0]):
        low, high = np.uint32(pixels[x]), np.uint32(pixels[x] >> np.uint64(32))
        r = min(np.float32(low & np.uint32(65535)) + red[x] + half, most)
        g = min(np.float32(low >> np.uint32(16)) + green[x] + half, most)
        b = min(np.float32(high & np.uint32(65535)) + blue[x] + half, most)
        low = np.uint32(np.int32(r)) | (np.uint32(np.int32(g)) << np.uint32(16))
        high = np.uint32(np.int32(b)) | (high & np.uint32(0xFFFF0000))
        out[x] = np.uint64(low) | (np.uint64(high) << np.uint64(32))
