"""The compositing pass: cards front to back, source-over in linear light, straight to codes.

The renderer gives each of its threads bands of its own.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.picture.colour import srgb_polynomial, srgb_table
from vistaline.core.picture.grade import grade_row
from vistaline.core.render.added import room_for, spread_row
from vistaline.core.render.in_order import row_in_order
from vistaline.core.render.laying import KERNEL, Cards, lay_marked, span_of
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, run_of
from vistaline.core.render.tinted import lay_card, room

__all__ = ["SRGB", "composite_linear", "composite_rgb", "composite_yuv"]

SRGB = srgb_table()
# For video, whose codes are rounded once more, a polynomial in the fourth root of light stands
# in for the table: it is never off by more than 0.03 of 255 codes, and it vectorises.
_Q0, _Q1, _Q2, _Q3, _Q4 = srgb_polynomial()


@njit(inline="always")
def _row(cards, y0, j, ground, planes, tint):  # type: ignore[no-untyped-def]
    """Composite frame row ``y0 + j`` into ``planes`` (red, green, blue, through).

    Linear, 0..65535; what is left of ``through`` is for the ground. Cards near to far, each in
    stretches of tiles that it fills; tiles hidden behind a nearer card come marked as empty.
    """
    if not cards.plain:
        row_in_order(cards, y0, j, ground, planes)
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
        if cards.sparse[i] >= 0:
            # It has no edges, and tells itself where it is.
            marks = cards.marks[cards.sparse[i], j]
            lay_marked(cards.buffers[i, j], marks, planes, 0, through.shape[0], cards.opacity[i])
            continue
        touched, left = span_of(edges[i], y, np.float32(-0.5), spans[i, 0], spans[i, 2])
        full, end = span_of(edges[i], y, np.float32(0.5), spans[i, 0], spans[i, 2])
        column = 0
        while column < tiles.shape[2]:
            first, column = run_of(tiles[i], line, column)
            start, stop = max(first * TILE_WIDTH, touched), min(column * TILE_WIDTH, left)
            if start < stop:
                lay_card(cards, i, j, planes, start, stop, full, end, y, tint)


@njit(inline="always")
def _code(value, table):  # type: ignore[no-untyped-def]
    # An unsigned index spares numba its test for negative ones.
    return table[np.uint16(min(value + np.float32(0.5), np.float32(65535)))]


@njit(**KERNEL)
def _composite(cards, ground, y0, table, light, codes, luma, cb, cr):  # type: ignore[no-untyped-def]
    """Composite a band into whichever of ``light``, ``codes`` and ``luma`` has rows.

    One kernel for all: most of it is how a row is composited, which the compiler would otherwise
    take apart once more for each kind of picture that comes of it, twelve seconds a time.
    """
    rows = max(light.shape[0], codes.shape[0], luma.shape[0])
    width = max(light.shape[1], codes.shape[1], luma.shape[1])
    planes, tint = np.empty((4, width), np.float32), room()
    line, half_line, full = room_for(cards.light, cards.doublings)
    kept = np.empty((4, width if cards.program.stages.shape[0] else 0), np.float32)
    nothing = np.zeros(3, np.float32)
    blue_less = np.empty((2, width), np.float32)
    red_less = np.empty((2, width), np.float32)
    # A mean of 8: two rows, and three columns weighed 1, 2, 1.
    to_cb = np.float32(224 / 255 / 1.8556 / 8)
    to_cr = np.float32(224 / 255 / 1.5748 / 8)
    for j in range(rows):
        _row(cards, y0, j, ground, planes, tint)
        if cards.light.shape[1]:
            spread_row(cards.light, cards.doublings, cards.gain, y0 + j, line, half_line, full)
            for c in range(3):
                _lighten(planes[c], full[c, :width])
        under = ground
        if cards.program.stages.shape[0]:
            _finish(cards, planes, ground, y0 + j, kept)
            under = nothing
        if luma.shape[0]:
            half = j % 2
            _encode(planes, under, luma[j], blue_less[half], red_less[half])
            if half:
                _mean_of_8(blue_less, to_cb, cb[j // 2])
                _mean_of_8(red_less, to_cr, cr[j // 2])
            continue
        if light.shape[0]:
            _pack(planes[0], planes[1], planes[2], planes[3], under, light[j])
            continue
        for x in range(width):
            for channel in range(3):
                value = planes[channel, x] + planes[3, x] * under[channel]
                codes[j, x, channel] = np.uint8(_code(value, table) + np.float32(0.5))


@njit(**KERNEL)
def _finish(cards, planes, ground, y, kept):  # type: ignore[no-untyped-def]
    """Do to a row what is done to the whole frame: over the ground where that has a colour.

    ``planes`` (4, width): as :func:`_row` leaves them; what comes of it has the ground in it.
    """
    one, full = np.float32(1), np.float32(65535)
    over = ground[0] + ground[1] + ground[2] > 0
    through, small = planes[3], one / full
    for c in range(3):
        plane, under = planes[c], ground[c]
        for x in range(plane.shape[0]):
            plane[x] = (plane[x] + through[x] * under) * small
    covered = np.empty(through.shape[0], np.float32)
    for x in range(through.shape[0]):
        covered[x] = one - through[x]
        # Over the ground all is there; what an effect takes away of it shows the ground.
        through[x] = one if over else covered[x]
    if not over:
        for c in range(3):
            plane = planes[c]
            for x in range(plane.shape[0]):
                plane[x] /= max(through[x], np.float32(1e-5))
    grade_row(cards.program, planes, 0, y, cards.fields, kept)
    for c in range(3):
        plane = planes[c]
        for x in range(plane.shape[0]):
            value = min(max(plane[x], np.float32(0)), one) * full * through[x]
            plane[x] = value + (one - through[x]) * ground[c]
    for x in range(through.shape[0]):
        through[x] = one - (through[x] * covered[x] if over else through[x])


@njit(**KERNEL)
def _lighten(plane, light):  # type: ignore[no-untyped-def]
    for x in range(plane.shape[0]):
        plane[x] += light[x]


@njit(**KERNEL)
def _pack(red, green, blue, through, ground, out):  # type: ignore[no-untyped-def]
    """Pack a row over the ground, with alpha, into ``out`` (width,) uint64."""
    most, half = np.float32(65535), np.float32(0.5)
    for x in range(out.shape[0]):
        r = min(red[x] + through[x] * ground[0] + half, most)
        g = min(green[x] + through[x] * ground[1] + half, most)
        b = min(blue[x] + through[x] * ground[2] + half, most)
        a = most * (np.float32(1) - through[x]) + half
        low = np.uint32(np.int32(r)) | (np.uint32(np.int32(g)) << np.uint32(16))
        high = np.uint32(np.int32(b)) | (np.uint32(np.int32(a)) << np.uint32(16))
        out[x] = np.uint64(low) | (np.uint64(high) << np.uint64(32))


_NO_LIGHT = np.empty((0, 0), np.uint64)
_NO_CODES = np.empty((0, 0, 3), np.uint8)
_NO_PLANE = np.empty((0, 0), np.uint8)


def composite_linear(cards: Cards, ground: np.ndarray, y0: int, out: np.ndarray) -> None:
    """Composite a band into ``out`` (rows, width, 4) uint16: linear, premultiplied, with alpha.

    ``ground`` (3,) linear, 0..65535; ``y0`` the band's first row.
    """
    packed = out.view(np.uint64)[..., 0]
    _composite(cards, ground, y0, SRGB, packed, _NO_CODES, _NO_PLANE, _NO_PLANE, _NO_PLANE)


def composite_rgb(
    cards: Cards, ground: np.ndarray, y0: int, table: np.ndarray, out: np.ndarray
) -> None:
    """Composite a band into ``out`` (rows, width, 3) uint8, sRGB. See :func:`composite_linear`."""
    _composite(cards, ground, y0, table, _NO_LIGHT, out, _NO_PLANE, _NO_PLANE, _NO_PLANE)


def composite_yuv(
    cards: Cards,
    ground: np.ndarray,
    y0: int,
    luma: np.ndarray,
    cb: np.ndarray,
    cr: np.ndarray,
) -> None:
    """Composite a band into 8-bit 4:2:0 planes, narrow range, matrix of ITU-R BT.709-6 item 3.

    ``luma`` (rows, width), ``cb`` and ``cr`` (rows / 2, width / 2); the rows are even in number.
    Chroma is sited as H.264 assumes: on the left column, between the two rows.
    """
    _composite(cards, ground, y0, SRGB, _NO_LIGHT, _NO_CODES, luma, cb, cr)


@njit(**KERNEL)
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


@njit(**KERNEL)
def _mean_of_8(rows, factor, out):  # type: ignore[no-untyped-def]
    upper, lower = rows[0], rows[1]
    for x in range(upper.shape[0]):
        upper[x] += lower[x]
    out[0] = np.uint8(np.float32(128.5) + (3 * upper[0] + upper[1]) * factor)
    for x in range(1, out.shape[0]):
        mean = upper[2 * x - 1] + 2 * upper[2 * x] + upper[2 * x + 1]
        out[x] = np.uint8(np.float32(128.5) + mean * factor)
