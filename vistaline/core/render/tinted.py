"""Cards seen through the air, as they are laid: a share of them is kept, and light is added.

Both are known at the corners of squares and run evenly between them, so no pixel is written twice.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.render.gridded import CELL, mix, run_between
from vistaline.core.render.laying import KERNEL, coverage, lay_marked, lay_stretch

__all__ = ["lay_card", "room"]

PIECE = 512
"""Pixels laid at a time: what is known of them stays in the nearest cache."""


@njit(inline="always")
def lay_card(cards, i, j, planes, start, stop, full, end, y, tint):  # type: ignore[no-untyped-def]
    """Lay pixels ``start`` to ``stop`` of row ``j`` of card ``i``, seen through what is in the air.

    From ``full`` to ``end`` it covers them wholly; ``y``: the row in the frame. ``tint``: of
    :func:`room`.
    """
    if cards.sparse[i] >= 0:
        marks = cards.marks[cards.sparse[i], j]
        lay_marked(cards.buffers[i, j], marks, planes, start, stop, cards.opacity[i])
    elif cards.tinted[i] < 0:
        lay_stretch(cards, i, cards.buffers[i, j], planes, start, stop, full, end, y)
    else:
        cells = cards.tints[cards.tinted[i]]
        row, weight, edges = cards.buffers[i, j], cards.opacity[i], cards.edges[i]
        for x0 in range(start // CELL * CELL, stop, PIECE):
            x1 = min(x0 + PIECE, stop)
            _spread(cells, j, x0, x1, tint)
            first = max(x0, start)
            a = min(max(full, first), x1)
            b = min(max(end, a), x1)
            if first < a:
                air = tint[:, first - x0 :]
                _lay_edge(row[first:a], planes[:, first:a], air, weight, edges, first, y)
            if a < b:
                _lay(
                    row[a:b],
                    planes[0, a:b],
                    planes[1, a:b],
                    planes[2, a:b],
                    planes[3, a:b],
                    tint[0, a - x0 :],
                    tint[1, a - x0 :],
                    tint[2, a - x0 :],
                    tint[3, a - x0 :],
                    weight,
                )
            if b < x1:
                _lay_edge(row[b:x1], planes[:, b:x1], tint[:, b - x0 :], weight, edges, b, y)


@njit(inline="always")
def room():  # type: ignore[no-untyped-def]
    """Return the room that :func:`lay_card` wants."""
    return np.empty((5, PIECE + CELL), np.float32)


@njit(**KERNEL)
def _spread(cells, j, start, stop, tint):  # type: ignore[no-untyped-def]
    """Fill ``tint`` (4 and one, width + CELL) for pixels ``start`` to ``stop`` of row ``j``."""
    at, count = start // CELL, (stop + CELL - 1) // CELL - start // CELL
    down = (np.float32(j) + np.float32(0.5)) * np.float32(1 / CELL)
    line = int(down)
    share = down - np.float32(line)
    known = tint[4, : count + 1]
    for c in range(4):
        mix(cells[line, c, at:], cells[line + 1, c, at:], share, known)
        run_between(known, 0, count * CELL, tint[c])


@njit(inline="always")
def _add_pixel(pixel, seen, kept, r, g, b, red, green, blue, through, x):  # type: ignore[no-untyped-def]
    """Add a packed pixel, ``seen`` times, behind what is already at ``x``; see ``add_pixel``."""
    low, high = np.uint32(pixel), np.uint32(pixel >> np.uint64(32))
    cover = seen * np.float32(1 / 65535) * np.float32(high >> np.uint32(16))
    share = seen * kept
    red[x] += share * np.float32(low & np.uint32(65535)) + cover * r
    green[x] += share * np.float32(low >> np.uint32(16)) + cover * g
    blue[x] += share * np.float32(high & np.uint32(65535)) + cover * b
    left = through[x] - cover
    through[x] = left if left > np.float32(1e-5) else np.float32(0)


@njit(**KERNEL)
def _lay(row, red, green, blue, through, kept, r, g, b, weight):  # type: ignore[no-untyped-def]
    for x in range(through.shape[0]):
        seen = through[x] * weight
        _add_pixel(row[x], seen, kept[x], r[x], g[x], b[x], red, green, blue, through, x)


@njit(**KERNEL)
def _lay_edge(row, piece, tint, weight, edges, start, y):  # type: ignore[no-untyped-def]
    """Lay a stretch that the card covers in part."""
    for x in range(piece.shape[1]):
        seen = piece[3, x] * weight * coverage(edges, np.float32(start + x), y)
        kept, r, g, b = tint[0, x], tint[1, x], tint[2, x], tint[3, x]
        _add_pixel(row[x], seen, kept, r, g, b, piece[0], piece[1], piece[2], piece[3], x)
