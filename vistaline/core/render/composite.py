"""The compositing pass: cards front to back, source-over in linear light, straight to codes.

Where cards may cut through each other they are put in order anew along every row; where one is
blended, its stretch of the row is composited back to front.

The kernels run without Python's lock in whatever thread calls them; the renderer gives each of
its threads bands of its own.

Source-over of premultiplied colour: W3C Compositing and Blending Level 1, section 9.1.4.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit

from vistaline.core.picture.colour import srgb_polynomial, srgb_table
from vistaline.core.render.blend import ADD, SUBTRACT, blend_colours
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH

__all__ = ["Cards", "composite_linear", "composite_rgb", "composite_yuv", "coverage"]

SRGB = srgb_table()
# For video, whose codes are rounded once more, a polynomial in the fourth root of light stands
# in for the table: it is never off by more than 0.03 of 255 codes, and it vectorises.
_Q0, _Q1, _Q2, _Q3, _Q4 = srgb_polynomial()


class Cards(NamedTuple):
    """What the kernels are told of the cards in a band, near to far."""

    buffers: np.ndarray
    """(cards, rows, width) uint64: four packed uint16."""
    spans: np.ndarray
    """(cards, 4): x0, y0, x1, y1 in frame pixels."""
    edges: np.ndarray
    """(cards, 4, 3) float32: signed distances a x + b y + c in pixels, positive inside."""
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


_KERNEL: dict[str, Any] = {"nogil": True, "fastmath": True, "cache": True}


@njit(inline="always")
def _span(edges, y, limit, x0, x1):  # type: ignore[no-untyped-def]
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
    """Return how much of pixel ``x``, ``y`` lies within four edges, 0..1."""
    covered = np.float32(1)
    for k in range(edges.shape[0]):
        distance = (
            edges[k, 0] * (x + np.float32(0.5)) + edges[k, 1] * (y + np.float32(0.5)) + edges[k, 2]
        )
        covered *= min(max(distance + np.float32(0.5), np.float32(0)), np.float32(1))
    return covered


@njit(**_KERNEL)
def _row(cards, y0, j, ground, planes):  # type: ignore[no-untyped-def]
    """Composite frame row ``y0 + j`` into ``planes`` (red, green, blue, through).

    Linear, 0..65535; what is left of ``through`` is for the ground. Cards near to far, each in
    stretches of tiles that it fills; tiles hidden behind a nearer card come marked as empty.
    """
    if not cards.plain:
        _row_in_order(cards, y0, j, ground, planes)
        return
    spans, edges, tiles = cards.spans, cards.edges, cards.tiles
    y, line = np.float32(y0 + j), j // TILE_HEIGHT
    red, green, blue, through = planes[0], planes[1], planes[2], planes[3]
    red[:] = 0
    green[:] = 0
    blue[:] = 0
    through[:] = 1
    for i in range(spans.shape[0]):
        if y < spans[i, 1] or y >= spans[i, 3]:
            continue
        touched, left = _span(edges[i], y, np.float32(-0.5), spans[i, 0], spans[i, 2])
        full, end = _span(edges[i], y, np.float32(0.5), spans[i, 0], spans[i, 2])
        column = 0
        while column < tiles.shape[2]:
            if tiles[i, line, column] == 0:
                column += 1
                continue
            start = max(column * TILE_WIDTH, touched)
            while column < tiles.shape[2] and tiles[i, line, column] != 0:
                column += 1
            stop = min(column * TILE_WIDTH, left)
            if start < stop:
                _lay_stretch(cards, i, j, planes, start, stop, full, end, y)


@njit(inline="always")
def _lay_stretch(cards, i, j, planes, start, stop, full, end, y):  # type: ignore[no-untyped-def]
    """Lay pixels ``start`` to ``stop`` of card ``i``; ``full`` to ``end`` it covers wholly."""
    row, weight, edges = cards.buffers[i, j], cards.opacity[i], cards.edges[i]
    a = min(max(full, start), stop)
    b = min(max(end, a), stop)
    if start < a:
        _lay_edge(row[start:a], planes[:, start:a], weight, edges, start, y)
    if a < b:
        _lay(row[a:b], planes[0, a:b], planes[1, a:b], planes[2, a:b], planes[3, a:b], weight)
    if b < stop:
        _lay_edge(row[b:stop], planes[:, b:stop], weight, edges, b, y)


@njit(**_KERNEL)
def _row_in_order(cards, y0, j, ground, planes):  # type: ignore[no-untyped-def]
    """As :func:`_row`, with cards that may cut through each other or be blended.

    1/z of a card is linear along a row, so an order that holds at both ends of a stretch holds
    all along it; where it does not, the stretch is halved, down to single pixels.
    """
    spans, edges, tiles = cards.spans, cards.edges, cards.tiles
    modes, nearness = cards.modes, cards.nearness
    y, line, count = np.float32(y0 + j), j // TILE_HEIGHT, spans.shape[0]
    planes[:3] = 0
    planes[3] = 1
    limits = np.zeros((count, 4), np.int64)
    for i in range(count):
        if spans[i, 1] <= y < spans[i, 3]:
            limits[i, 0], limits[i, 1] = _span(
                edges[i], y, np.float32(-0.5), spans[i, 0], spans[i, 2]
            )
            limits[i, 2], limits[i, 3] = _span(
                edges[i], y, np.float32(0.5), spans[i, 0], spans[i, 2]
            )
    order, depth = np.empty(count, np.int64), np.empty((2, count))
    for column in range(tiles.shape[2]):
        x0, x1 = column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, planes.shape[1])
        found, blended = 0, False
        for i in range(count):
            if tiles[i, line, column] and limits[i, 0] < x1 and limits[i, 1] > x0:
                order[found] = i
                found += 1
                blended |= modes[i] != 0
        # As far as one order holds is laid at once; where two cards meet, stretches get short.
        x, stop = x0, x1
        while found and x < x1:
            for k in range(found):
                i = order[k]
                upright = nearness[i, 1] * (y + 0.5) + nearness[i, 2]
                depth[0, i] = nearness[i, 0] * (x + 0.5) + upright
                depth[1, i] = nearness[i, 0] * (stop - 0.5) + upright
            _sort(order, found, depth[0])
            if stop - x > 1 and not _holds(order, found, depth[1], limits, x, stop):
                stop = (x + stop) // 2
                continue
            if blended:
                _blend_stretch(cards, order, found, limits, x, stop, y, j, ground, planes)
            else:
                for k in range(found):
                    i = order[k]
                    a, b = max(x, limits[i, 0]), min(stop, limits[i, 1])
                    if a < b:
                        _lay_stretch(cards, i, j, planes, a, b, limits[i, 2], limits[i, 3], y)
            x, stop = stop, min(x1, stop + 2 * (stop - x))


@njit(**_KERNEL)
def _sort(order, count, depth):  # type: ignore[no-untyped-def]
    """Sort by how near cards are; those in one plane stay as the list has them."""
    for k in range(1, count):
        i, at = order[k], k
        while at > 0 and _in_front(depth, i, order[at - 1]):
            order[at] = order[at - 1]
            at -= 1
        order[at] = i


@njit(inline="always")
def _in_front(depth, i, other):  # type: ignore[no-untyped-def]
    lead, least = depth[i] - depth[other], 1e-7 * abs(depth[other])
    return lead > least or (lead >= -least and i < other)


@njit(**_KERNEL)
def _holds(order, count, depth, limits, start, stop):  # type: ignore[no-untyped-def]
    """Whether cards that reach into a stretch are in this order at its far end, too."""
    nearest = np.inf
    for k in range(count):
        i = order[k]
        if limits[i, 0] >= stop or limits[i, 1] <= start:
            continue
        if depth[i] > nearest + 1e-7 * abs(nearest):
            return False
        nearest = depth[i]
    return True


@njit(**_KERNEL)
def _blend_stretch(cards, order, count, limits, x0, x1, y, j, ground, planes):  # type: ignore[no-untyped-def]
    """Composite a stretch back to front, each card by its mode, over the ground."""
    buffers, edges, opacity, modes = cards.buffers, cards.edges, cards.opacity, cards.modes
    back, front = np.empty(3, np.float32), np.empty(3, np.float32)
    mixed = np.empty(3, np.float32)
    for x in range(x0, x1):
        for c in range(3):
            planes[c, x] = ground[c]
        through = np.float32(1)
        for k in range(count - 1, -1, -1):
            i = order[k]
            if not limits[i, 0] <= x < limits[i, 1]:
                continue
            weight = opacity[i] * coverage(edges[i], np.float32(x), y)
            pixel = buffers[i, j, x]
            low, high = np.uint32(pixel), np.uint32(pixel >> np.uint64(32))
            alpha = np.float32(high >> np.uint32(16))
            if alpha == 0 or weight == 0:
                continue
            colour = (
                np.float32(low & np.uint32(65535)),
                np.float32(low >> np.uint32(16)),
                np.float32(high & np.uint32(65535)),
            )
            cover = weight * alpha * np.float32(1 / 65535)
            mode = modes[i]
            for c in range(3):
                front[c], back[c] = min(colour[c] / alpha, np.float32(1)), planes[c, x] / 65535
            if mode == 0:
                mixed[:] = front
            elif mode == ADD:
                for c in range(3):
                    mixed[c] = min(back[c] + front[c], np.float32(1))
            elif mode == SUBTRACT:
                for c in range(3):
                    mixed[c] = max(back[c] - front[c], np.float32(0))
            else:
                for c in range(3):
                    front[c], back[c] = _to_srgb(front[c]), _to_srgb(back[c])
                blend_colours(mode, back, front, mixed)
                for c in range(3):
                    mixed[c] = _to_light(mixed[c])
            for c in range(3):
                planes[c, x] += cover * (65535 * mixed[c] - planes[c, x])
            through *= 1 - cover
        # The ground has been counted in; the callers add what is left of it.
        for c in range(3):
            planes[c, x] -= through * ground[c]
        planes[3, x] = through


@njit(inline="always")
def _to_srgb(light):  # type: ignore[no-untyped-def]
    return SRGB[np.uint16(min(light, np.float32(1)) * np.float32(65535) + np.float32(0.5))] / 255


@njit(inline="always")
def _to_light(code):  # type: ignore[no-untyped-def]
    if code <= 0.04045:
        return max(code, np.float32(0)) / np.float32(12.92)
    return ((code + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)


@njit(inline="always")
def _add(pixel, seen, red, green, blue, through, x):  # type: ignore[no-untyped-def]
    """Add a packed pixel, ``seen`` times, behind what is already at ``x``."""
    low, high = np.uint32(pixel), np.uint32(pixel >> np.uint64(32))
    red[x] += seen * np.float32(low & np.uint32(65535))
    green[x] += seen * np.float32(low >> np.uint32(16))
    blue[x] += seen * np.float32(high & np.uint32(65535))
    left = through[x] - seen * np.float32(1 / 65535) * np.float32(high >> np.uint32(16))
    # Exactly none is left behind what is opaque: what rounding leaves would, multiplied on
    # through more layers, become denormal, and those cost a hundred times as much.
    through[x] = left if left > np.float32(1e-5) else np.float32(0)


@njit(**_KERNEL)
def _lay(row, red, green, blue, through, weight):  # type: ignore[no-untyped-def]
    """Lay a stretch of a card behind what is already there.

    Whole arrays from 0 and one load a pixel, because such loops are what LLVM vectorises.
    """
    for x in range(through.shape[0]):
        _add(row[x], through[x] * weight, red, green, blue, through, x)


@njit(**_KERNEL)
def _lay_edge(row, piece, weight, edges, start, y):  # type: ignore[no-untyped-def]
    """Lay a stretch that the card covers in part."""
    for x in range(piece.shape[1]):
        seen = piece[3, x] * weight * coverage(edges, np.float32(start + x), y)
        _add(row[x], seen, piece[0], piece[1], piece[2], piece[3], x)


@njit(inline="always")
def _code(value, table):  # type: ignore[no-untyped-def]
    # An unsigned index spares numba its test for negative ones.
    return table[np.uint16(min(value + np.float32(0.5), np.float32(65535)))]


@njit(**_KERNEL)
def composite_linear(cards, ground, y0, out):  # type: ignore[no-untyped-def]
    """Composite a band into ``out`` (rows, width, 4) uint16: linear, premultiplied, with alpha.

    ``cards`` is :class:`Cards`; ``ground`` (3,) linear, 0..65535; ``y0`` the band's first row.
    """
    width = out.shape[1]
    for j in range(out.shape[0]):
        planes = np.empty((4, width), np.float32)
        _row(cards, y0, j, ground, planes)
        for x in range(width):
            for channel in range(3):
                value = planes[channel, x] + planes[3, x] * ground[channel]
                out[j, x, channel] = np.uint16(min(value + np.float32(0.5), np.float32(65535)))
            alpha = np.float32(65535) * (np.float32(1) - planes[3, x])
            out[j, x, 3] = np.uint16(alpha + np.float32(0.5))


@njit(**_KERNEL)
def composite_rgb(cards, ground, y0, table, out):  # type: ignore[no-untyped-def]
    """Composite a band into ``out`` (rows, width, 3) uint8, sRGB. See :func:`composite_linear`."""
    width = out.shape[1]
    for j in range(out.shape[0]):
        planes = np.empty((4, width), np.float32)
        _row(cards, y0, j, ground, planes)
        for x in range(width):
            for channel in range(3):
                value = planes[channel, x] + planes[3, x] * ground[channel]
                out[j, x, channel] = np.uint8(_code(value, table) + np.float32(0.5))


@njit(**_KERNEL)
def composite_yuv(cards, ground, y0, luma, cb, cr):  # type: ignore[no-untyped-def]
    """Composite a band into 8-bit 4:2:0 planes, narrow range, matrix of ITU-R BT.709-6 item 3.

    ``luma`` (rows, width), ``cb`` and ``cr`` (rows / 2, width / 2). Chroma is sited as H.264
    assumes: on the left column, between the two rows.
    """
    width = luma.shape[1]
    planes = np.empty((4, width), np.float32)
    blue_less = np.empty((2, width), np.float32)
    red_less = np.empty((2, width), np.float32)
    # A mean of 8: two rows, and three columns weighed 1, 2, 1.
    to_cb = np.float32(224 / 255 / 1.8556 / 8)
    to_cr = np.float32(224 / 255 / 1.5748 / 8)
    for pair in range(luma.shape[0] // 2):
        for half in range(2):
            j = 2 * pair + half
            _row(cards, y0, j, ground, planes)
            _encode(planes, ground, luma[j], blue_less[half], red_less[half])
        _mean_of_8(blue_less, to_cb, cb[pair])
        _mean_of_8(red_less, to_cr, cr[pair])


@njit(**_KERNEL)
def _encode(planes, ground, luma, blue_less, red_less):  # type: ignore[no-untyped-def]
    red, green, blue, through = planes[0], planes[1], planes[2], planes[3]
    for x in range(luma.shape[0]):
        r = _encoded(red[x] + through[x] * ground[0])
        g = _encoded(green[x] + through[x] * ground[1])
        b = _encoded(blue[x] + through[x] * ground[2])
        y = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
        luma[x] = np.uint8(np.float32(16.5) + y * np.float32(219 / 255))
        blue_less[x] = b - y
        red_less[x] = r - y


@njit(inline="always")
def _encoded(value):  # type: ignore[no-untyped-def]
    light = min(value * np.float32(1 / 65535), np.float32(1))
    root = np.sqrt(np.sqrt(light))
    curve = (((_Q4 * root + _Q3) * root + _Q2) * root + _Q1) * root + _Q0
    return light * np.float32(12.92 * 255) if light < np.float32(0.0031308) else curve


@njit(**_KERNEL)
def _mean_of_8(rows, factor, out):  # type: ignore[no-untyped-def]
    upper, lower = rows[0], rows[1]
    for x in range(upper.shape[0]):
        upper[x] += lower[x]
    out[0] = np.uint8(np.float32(128.5) + (3 * upper[0] + upper[1]) * factor)
    for x in range(1, out.shape[0]):
        mean = upper[2 * x - 1] + 2 * upper[2 * x] + upper[2 * x + 1]
        out[x] = np.uint8(np.float32(128.5) + mean * factor)
