"""A map of sources found in a small copy of a picture, carried to the picture's own pixels."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.rim import REACH, off_at_rim, rim_of, spread_inwards

__all__ = ["carry", "reduced"]

_TILE = 2048
"""Pixels a side: rims of large pictures are joined piece by piece."""


def reduced(
    picture: np.ndarray, hole: np.ndarray, known: np.ndarray, times: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return a picture (height, width, 3), its hole and what is known (bool), all made smaller.

    A pixel of which any part lies in the hole lies in it; one is known only if all of it is.
    """
    height, width = hole.shape
    size = (-(-width // times), -(-height // times))
    beyond = (0, size[1] * times - height, 0, size[0] * times - width)

    def small(plane: np.ndarray) -> np.ndarray:
        whole = cv2.copyMakeBorder(plane, *beyond, cv2.BORDER_REPLICATE) if any(beyond) else plane
        return cv2.resize(whole, size, interpolation=cv2.INTER_AREA)

    cut = small(hole.astype(np.uint8) * 255) > 0
    return small(picture), cut, (small(known.astype(np.uint8) * 255) == 255) & ~cut


def carry(
    picture: np.ndarray,
    hole: np.ndarray,
    sources: np.ndarray,
    small_hole: np.ndarray,
    correction: FloatArray,
) -> None:
    """Fill a picture, uint8 (height, width, 3), in place, by what was found in a small copy.

    Parameters
    ----------
    hole : bool (height, width)
    sources : int32 (rows, columns, 2)
        Row and column of the copy that each pixel of its hole comes from.
    small_hole : bool (rows, columns)
    correction : float32 (rows, columns, 3)
        Codes that are added.

    Notes
    -----
    A pixel comes from where the pixels of the copy that are nearest say, each by its own way from
    there: where they agree it is one pixel of the picture, and where pieces meet their mean, by
    nearness, so that a seam is as wide as a pixel of the copy.
    """
    times = -(-hole.shape[0] // small_hole.shape[0])
    # Sources lie beside the hole, so nothing that is read is written.
    _carry(picture, hole, sources, small_hole, correction, times)
    edge = math.ceil(6 * REACH)
    for top in range(0, hole.shape[0], _TILE):
        for left in range(0, hole.shape[1], _TILE):
            _join_rim(picture, hole, sources, correction, times, (top, left), edge)


def _join_rim(
    picture: np.ndarray,
    hole: np.ndarray,
    sources: np.ndarray,
    correction: FloatArray,
    times: int,
    corner: tuple[int, int],
    edge: int,
) -> None:
    """Join one tile of a fill to the picture at the hole's rim; ``edge`` pixels beside are seen."""
    start = [max(0, at - edge) for at in corner]
    part = tuple(slice(s, at + _TILE + edge) for s, at in zip(start, corner, strict=True))
    inside = hole[part]
    rim = rim_of(inside) if inside.any() and not inside.all() else np.zeros((0, 2), int)
    if not len(rim):
        return
    there = rim + start
    small = there // times
    source = sources[tuple(small.T)] * times + there - small * times
    off = off_at_rim(picture, hole, there, np.clip(source, 1, np.array(hole.shape) - 2))
    off -= correction[tuple(small.T)]
    own = np.zeros(inside.shape, bool)
    own[tuple(slice(at - s, at - s + _TILE) for s, at in zip(start, corner, strict=True))] = True
    for channel, (near, change) in enumerate(spread_inwards(inside, rim, off)):
        mine = own[near]
        at = tuple(axis[mine] for axis in near)
        plane = picture[part][..., channel]
        plane[at] = np.clip(np.rint(plane[at] + change[mine]), 0, 255)


@njit(cache=True, nogil=True)
def _carry(picture, hole, sources, small_hole, correction, times):  # type: ignore[no-untyped-def]
    rows, columns = hole.shape
    small_rows, small_columns = small_hole.shape
    for y in range(rows):
        down = (y + 0.5) / times - 0.5
        top = int(np.floor(down))
        for x in range(columns):
            if not hole[y, x]:
                continue
            across = (x + 0.5) / times - 0.5
            left = int(np.floor(across))
            total = 0.0
            red, green, blue = 0.0, 0.0, 0.0
            for i in range(2):
                for j in range(2):
                    cy = min(max(top + i, 0), small_rows - 1)
                    cx = min(max(left + j, 0), small_columns - 1)
                    if not small_hole[cy, cx]:
                        continue
                    share = 1 - abs(down - (top + i))
                    share *= 1 - abs(across - (left + j))
                    sy = min(max(sources[cy, cx, 0] * times + y - cy * times, 0), rows - 1)
                    sx = min(max(sources[cy, cx, 1] * times + x - cx * times, 0), columns - 1)
                    total += share
                    red += share * (picture[sy, sx, 0] + correction[cy, cx, 0])
                    green += share * (picture[sy, sx, 1] + correction[cy, cx, 1])
                    blue += share * (picture[sy, sx, 2] + correction[cy, cx, 2])
            picture[y, x, 0] = min(max(red / total + 0.5, 0.0), 255.0)
            picture[y, x, 1] = min(max(green / total + 0.5, 0.0), 255.0)
            picture[y, x, 2] = min(max(blue / total + 0.5, 0.0), 255.0)
