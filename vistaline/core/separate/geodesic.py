"""How far it is from some pixels to all others, where a change of colour is a long way."""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray

__all__ = ["NEVER", "ways_from"]

_TURNS = 4
_STEP = np.float32(0.003)
"""What a pixel's way costs where no colour changes; Lab / 100 is what changes cost."""
NEVER = 1e6
"""The way from nowhere."""


def ways_from(
    picture: FloatArray, seeds: np.ndarray, others: FloatArray | None = None
) -> FloatArray:
    """Return float32 (height, width): the least way from any of ``seeds`` (bool) to each pixel.

    ``others`` (height, width) says how long the way to further places is at which one may begin,
    1e6 where none may. A way costs the colour that changes along it, and a little for its length.
    ``picture`` is (height, width, 3) float32, in CIE Lab / 100. Raster scans there and back
    (Toivanen, New geodesic distance transforms for gray-scale images, 1996), enough of them for
    ways that wind a little; 1e6 is returned where there are no seeds at all.
    """
    way = np.full(seeds.shape, NEVER, np.float32) if others is None else others.copy()
    way[seeds] = 0
    for _ in range(_TURNS):
        _scan(picture, way)
    return way


@njit(cache=True, nogil=True)
def _scan(picture, way):  # type: ignore[no-untyped-def]
    """Shorten ways from above and the left, then from below and the right."""
    height, width = way.shape
    for turn in range(2):
        back = 1 if turn == 0 else -1
        for row in range(height):
            y = row if turn == 0 else height - 1 - row
            for column in range(width):
                x = column if turn == 0 else width - 1 - column
                best = way[y, x]
                for n in range(4):
                    ny = y if n == 0 else y - back
                    nx = x - back if n == 0 else x + n - 2
                    if ny < 0 or ny >= height or nx < 0 or nx >= width:
                        continue
                    square = np.float32(0)
                    for c in range(3):
                        change = picture[y, x, c] - picture[ny, nx, c]
                        square += change * change
                    length = np.float32(1.0) if n in (0, 2) else np.float32(1.41421356)
                    best = min(best, way[ny, nx] + _STEP * length + np.sqrt(square))
                way[y, x] = best
