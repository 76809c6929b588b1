"""One card composited into one row of the frame: source-over in linear light, near to far.

Source-over of premultiplied colour: W3C Compositing and Blending Level 1, section 9.1.4.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from vistaline.core.picture.grade import Program

__all__ = [
    "EDGES",
    "KERNEL",
    "PIECE",
    "Cards",
    "Sources",
    "coverage",
    "lay_marked",
    "lay_stretch",
    "span_of",
]

PIECE = 16
"""Pixels of a row of which what is sparse tells whether anything is there."""
EDGES = 8
"""Edges a card may have: its own four, and those of the picture it catches."""
KERNEL: dict[str, Any] = {"nogil": True, "fastmath": True, "cache": True}
"""How kernels are compiled: they run without Python's lock in whatever thread calls them."""


class Sources(NamedTuple):
    """Where the kernels find what cards show, for those that are not warped beforehand."""

    asked: np.ndarray
    """(cards,) bool: sampled here, and not in a buffer."""
    texel_from_image: np.ndarray
    """(cards, 3, 3) float64."""
    codes: np.ndarray
    """(cards, lines, columns) int64: how finely, see ``tiling.plan_tiles``."""
    levels: np.ndarray
    """(cards, levels, 3) int64: address, rows and columns of each level's packed texels."""


class Cards(NamedTuple):
    """What the kernels are told of the cards in a band, near to far."""

    buffers: np.ndarray
    """(cards, rows, width) uint64: four packed uint16."""
    spans: np.ndarray
    """(cards, 4): x0, y0, x1, y1 in frame pixels."""
    edges: np.ndarray
    """(cards, EDGES, 3) float32: signed distances a x + b y + c in pixels, positive inside."""
    opacity: np.ndarray
    """(cards,) float32."""
    tiles: np.ndarray
    """(cards, lines, columns) uint8: 0 where a card shows nothing."""
    modes: np.ndarray
    """(cards,) int64: see ``blend.MODES``."""
    nearness: np.ndarray
    """(cards, 3) float64: 1/z = a x + b y + c."""
    plain: bool
    """Their order holds everywhere, and none is blended."""
    sources: Sources
    """Where those are fetched from that have no buffer."""
    curved: np.ndarray
    """(cards,) int64: a body's place in ``near``; -1 for what is flat."""
    near: np.ndarray
    """(bodies, rows, width) float32: 1/z of bodies, 0 where they are not."""
    tinted: np.ndarray
    """(cards,) int64: a card's place in ``tints``; -1 for what is laid as it is."""
    tints: np.ndarray
    """(tinted, lines, 4, columns) float32; see ``modifier.Tint``."""
    sparse: np.ndarray
    """(cards,) int64: a card's place in ``marks``; -1 for what may show something anywhere."""
    marks: np.ndarray
    """(sparse, rows, pieces) uint8: whether anything is in a piece of ``PIECE`` pixels of a row;
    where not, the buffer means nothing."""
    light: np.ndarray
    """(3, rows, columns) float32: what is added to the whole frame; without rows, nothing."""
    doublings: int
    """See ``added.Added``, as for the next."""
    gain: np.ndarray
    """(3,) float32."""
    program: Program
    """What is done to the whole frame at its end."""
    fields: np.ndarray
    """(P, height, width) uint16: the planes that asks for, of the whole frame."""


@njit(inline="always")
def span_of(edges, y, limit, x0, x1):  # type: ignore[no-untyped-def]
    """Return the pixels of row ``y`` whose distance to all edges is at least ``limit``."""
    low, high = np.float32(x0), np.float32(x1)
    for k in range(edges.shape[0]):
        a = edges[k, 0]
        rest = edges[k, 1] * (y + np.float32(0.5)) + edges[k, 2] - limit
        if abs(a) < np.float32(1e-9):
            if rest < 0:
                return x1, x1
        else:
            crossing = -rest / a - np.float32(0.5)
            if a > 0:
                low = max(low, np.ceil(crossing))
            else:
                high = min(high, np.floor(crossing) + 1)
    if high <= low:
        return x1, x1
    return int(low), int(high)


@njit(inline="always")
def coverage(edges, x, y):  # type: ignore[no-untyped-def]
    """Return how much of pixel ``x``, ``y`` lies within a card's edges, 0..1."""
    covered = np.float32(1)
    for k in range(edges.shape[0]):
        distance = (
            edges[k, 0] * (x + np.float32(0.5)) + edges[k, 1] * (y + np.float32(0.5)) + edges[k, 2]
        )
        covered *= min(max(distance + np.float32(0.5), np.float32(0)), np.float32(1))
    return covered


@njit(inline="always")
def lay_stretch(cards, i, row, planes, start, stop, full, end, y):  # type: ignore[no-untyped-def]
    """Lay pixels ``start`` to ``stop`` of card ``i``; ``full`` to ``end`` it covers wholly.

    ``row`` (width,) has what the card shows in this row of the frame.
    """
    weight, edges = cards.opacity[i], cards.edges[i]
    a = min(max(full, start), stop)
    b = min(max(end, a), stop)
    if start < a:
        _lay_edge(row[start:a], planes[:, start:a], weight, edges, start, y)
    if a < b:
        _lay(row[a:b], planes[0, a:b], planes[1, a:b], planes[2, a:b], planes[3, a:b], weight)
    if b < stop:
        _lay_edge(row[b:stop], planes[:, b:stop], weight, edges, b, y)


@njit(**KERNEL)
def lay_marked(row, marks, planes, start, stop, weight):  # type: ignore[no-untyped-def]
    """Lay what is ``marks`` (pieces,) tells to be there, of pixels ``start`` to ``stop``."""
    piece = start // PIECE
    while piece * PIECE < stop:
        if marks[piece] == 0:
            piece += 1
            continue
        first = max(piece * PIECE, start)
        while piece * PIECE < stop and marks[piece] != 0:
            piece += 1
        last = min(piece * PIECE, stop)
        _lay(
            row[first:last],
            planes[0, first:last],
            planes[1, first:last],
            planes[2, first:last],
            planes[3, first:last],
            weight,
        )


@njit(inline="always")
def add_pixel(pixel, seen, red, green, blue, through, x):  # type: ignore[no-untyped-def]
    """Add a packed pixel, ``seen`` times, behind what is already at ``x``."""
    low, high = np.uint32(pixel), np.uint32(pixel >> np.uint64(32))
    red[x] += seen * np.float32(low & np.uint32(65535))
    green[x] += seen * np.float32(low >> np.uint32(16))
    blue[x] += seen * np.float32(high & np.uint32(65535))
    left = through[x] - seen * np.float32(1 / 65535) * np.float32(high >> np.uint32(16))
    # Exactly none is left behind what is opaque: what rounding leaves would, multiplied on
    # through more layers, become denormal, and those cost a hundred times as much.
    through[x] = left if left > np.float32(1e-5) else np.float32(0)


@njit(**KERNEL)
def _lay(row, red, green, blue, through, weight):  # type: ignore[no-untyped-def]
    """Lay a stretch of a card behind what is already there.

    Whole arrays from 0 and one load a pixel, because such loops are what LLVM vectorises.
    """
    for x in range(through.shape[0]):
        add_pixel(row[x], through[x] * weight, red, green, blue, through, x)


@njit(**KERNEL)
def _lay_edge(row, piece, weight, edges, start, y):  # type: ignore[no-untyped-def]
    """Lay a stretch that the card covers in part."""
    for x in range(piece.shape[1]):
        seen = piece[3, x] * weight * coverage(edges, np.float32(start + x), y)
        add_pixel(row[x], seen, piece[0], piece[1], piece[2], piece[3], x)
