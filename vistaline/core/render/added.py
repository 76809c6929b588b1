"""Light that is added to a frame: known more coarsely than the frame, and run evenly between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.warp import BAND

__all__ = ["NOTHING", "Added", "room_for", "spread_row"]


@dataclass(frozen=True, eq=False)
class Added:
    """Light to be added to a frame."""

    light: np.ndarray
    """(3, rows, columns) float32, 0..65535 and more."""
    doublings: int
    """How often it is to be doubled to be as large as the frame: 1 or 2."""
    gain: np.ndarray
    """(3,) float32: how much of each colour is added."""

    def to(self, picture: np.ndarray, crew: Crew) -> None:
        """Add it to a picture (height, width, 4) uint16, linear, in place.

        What gets brighter than white stays white.
        """
        packed = picture.view(np.uint64)[..., 0]

        def work(_: int, y0: int) -> None:
            _add(packed[y0 : y0 + BAND], self.light, self.doublings, self.gain, y0)

        crew.share(work, range(0, picture.shape[0], BAND))


NOTHING = Added(np.empty((3, 0, 0), np.float32), 1, np.zeros(3, np.float32))
"""No light at all."""


@njit(inline="always")
def room_for(light, doublings):  # type: ignore[no-untyped-def]
    """Return the room that :func:`spread_row` wants: for two rows, and for what it finds."""
    columns = light.shape[2]
    # A texel more at both ends, so that none has to be asked for.
    line, half = np.empty(columns + 2, np.float32), np.empty(2 * columns + 2, np.float32)
    return line, half, np.empty((3, 2**doublings * columns), np.float32)


@njit(**KERNEL)
def spread_row(light, doublings, gain, y, line, half, full):  # type: ignore[no-untyped-def]
    """Put what is added along frame row ``y`` into ``full`` (3, width)."""
    last = light.shape[1] - 1
    place = (np.float32(y) + np.float32(0.5)) / np.float32(2**doublings) - np.float32(0.5)
    above = int(np.floor(place))
    share = place - np.float32(above)
    below = min(max(above + 1, 0), last)
    above = min(max(above, 0), last)
    for c in range(3):
        _mix(light[c, above], light[c, below], share, gain[c], line[1 : line.shape[0] - 1])
        _close(line)
        if doublings == 1:
            _double(line, full[c])
        else:
            _double(line, half[1 : half.shape[0] - 1])
            _close(half)
            _double(half, full[c])


@njit(**KERNEL)
def _add(picture, light, doublings, gain, y0):  # type: ignore[no-untyped-def]
    width = picture.shape[1]
    line, half, full = room_for(light, doublings)
    for j in range(picture.shape[0]):
        spread_row(light, doublings, gain, y0 + j, line, half, full)
        _add_row(picture[j], full[0, :width], full[1, :width], full[2, :width])


@njit(**KERNEL)
def _mix(above, below, share, gain, out):  # type: ignore[no-untyped-def]
    for x in range(out.shape[0]):
        out[x] = (above[x] + share * (below[x] - above[x])) * gain


@njit(inline="always")
def _close(line):  # type: ignore[no-untyped-def]
    last = line.shape[0] - 1
    line[0], line[last] = line[1], line[last - 1]


@njit(**KERNEL)
def _double(line, out):  # type: ignore[no-untyped-def]
    left, middle, right = line[:-2], line[1:-1], line[2:]
    for i in range(middle.shape[0]):
        here = middle[i] * np.float32(0.75)
        out[2 * i] = here + left[i] * np.float32(0.25)
        out[2 * i + 1] = here + right[i] * np.float32(0.25)


@njit(**KERNEL)
def _add_row(pixels, red, green, blue):  # type: ignore[no-untyped-def]
    most, half = np.float32(65535), np.float32(0.5)
    for x in range(pixels.shape[0]):
        low, high = np.uint32(pixels[x]), np.uint32(pixels[x] >> np.uint64(32))
        r = min(np.float32(low & np.uint32(65535)) + red[x] + half, most)
        g = min(np.float32(low >> np.uint32(16)) + green[x] + half, most)
        b = min(np.float32(high & np.uint32(65535)) + blue[x] + half, most)
        low = np.uint32(np.int32(r)) | (np.uint32(np.int32(g)) << np.uint32(16))
        high = np.uint32(np.int32(b)) | (high & np.uint32(0xFFFF0000))
        pixels[x] = np.uint64(low) | (np.uint64(high) << np.uint64(32))
