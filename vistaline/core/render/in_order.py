"""Rows where cards may cut through each other, or are blended with what is behind them.

Cards are put in order anew along every row; where one is blended, its stretch of the row is
composited back to front.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.looks.blending import ADD, SUBTRACT
from vistaline.core.picture.colour import srgb_table
from vistaline.core.picture.mixing import blend_colours
from vistaline.core.render.laying import KERNEL, coverage, span_of
from vistaline.core.render.sample import UNSEEN, lay_fetched
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH
from vistaline.core.render.tinted import lay_card, room

__all__ = ["row_in_order"]

SRGB = srgb_table()


@njit(**KERNEL)
def row_in_order(cards, y0, j, ground, planes):  # type: ignore[no-untyped-def]
    """Composite a row of cards that may cut through each other or be blended.

    1/z of a flat card is linear along a row, so an order that holds at both ends of a stretch holds
    all along it; where it does not, the stretch is halved, down to single pixels. Where there are
    bodies the order is followed from pixel to pixel.
    """
    spans, edges, tiles = cards.spans, cards.edges, cards.tiles
    modes, nearness, opacity = cards.modes, cards.nearness, cards.opacity
    asked, homographies, codes, levels = cards.sources
    curved, near = cards.curved, cards.near
    at = (y0 + j) // TILE_HEIGHT
    y, line, count = np.float32(y0 + j), j // TILE_HEIGHT, spans.shape[0]
    planes[:3] = 0
    planes[3] = 1
    limits = np.zeros((count, 4), np.int64)
    for i in range(count):
        if spans[i, 1] <= y < spans[i, 3]:
            limits[i, 0], limits[i, 1] = span_of(
                edges[i], y, np.float32(-0.5), spans[i, 0], spans[i, 2]
            )
            limits[i, 2], limits[i, 3] = span_of(
                edges[i], y, np.float32(0.5), spans[i, 0], spans[i, 2]
            )
    order, depth = np.empty(count, np.int64), np.empty((2, count))
    tint = room()
    for column in range(tiles.shape[2]):
        x0, x1 = column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, planes.shape[1])
        found, blended, round_ = 0, False, False
        for i in range(count):
            if tiles[i, line, column] and limits[i, 0] < x1 and limits[i, 1] > x0:
                order[found] = i
                found += 1
                blended |= modes[i] != 0
                round_ |= curved[i] >= 0
        # As far as one order holds is laid at once; where two cards meet, stretches get short.
        x, stop = x0, x1
        while found and x < x1:
            for k in range(found):
                i = order[k]
                if curved[i] >= 0:
                    depth[0, i] = near[curved[i], j, x]
                    continue
                upright = nearness[i, 1] * (y + 0.5) + nearness[i, 2]
                depth[0, i] = nearness[i, 0] * (x + 0.5) + upright
                depth[1, i] = nearness[i, 0] * (stop - 0.5) + upright
            _sort(order, found, depth[0])
            if round_:
                stop = _end_of(order, found, nearness, curved, near, depth, x, x1, y, j)
            elif stop - x > 1 and not _holds(order, found, depth[1], limits, x, stop):
                stop = (x + stop) // 2
                continue
            if blended:
                _blend_stretch(cards, order, found, limits, x, stop, y, j, ground, planes)
            else:
                first, last = x, stop
                for k in range(found):
                    # Near to far, until nothing more would be seen of what is behind.
                    while first < last and planes[3, first] <= UNSEEN:
                        first += 1
                    while first < last and planes[3, last - 1] <= UNSEEN:
                        last -= 1
                    if first == last:
                        break
                    i = order[k]
                    a, b = max(first, limits[i, 0]), min(last, limits[i, 1])
                    if a >= b:
                        continue
                    if asked[i]:
                        code = codes[i, at, column]
                        lay_fetched(
                            levels, homographies, i, code, opacity, edges, limits, planes, a, b, y
                        )
                    else:
                        lay_card(cards, i, j, planes, a, b, limits[i, 2], limits[i, 3], y, tint)
            x, stop = stop, min(x1, stop + 2 * (stop - x))


@njit(**KERNEL)
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


@njit(**KERNEL)
def _end_of(order, count, nearness, curved, near, depth, start, stop, y, j):  # type: ignore[no-untyped-def]
    """Return the first pixel after ``start`` at which cards and bodies are in another order."""
    if count == 1:
        return stop
    for x in range(start + 1, stop):
        nearest = 1e300
        for k in range(count):
            i = order[k]
            if curved[i] >= 0:
                here = np.float64(near[curved[i], j, x])
            else:
                here = nearness[i, 0] * (x + 0.5) + nearness[i, 1] * (y + 0.5) + nearness[i, 2]
            if here > nearest + 1e-7 * abs(nearest):
                return x
            nearest = here
    return stop


@njit(**KERNEL)
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


@njit(**KERNEL)
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
            if pixel == 0 or weight == 0:
                continue
            colour = (
                np.float32(low & np.uint32(65535)),
                np.float32(low >> np.uint32(16)),
                np.float32(high & np.uint32(65535)),
            )
            if max(colour[0], colour[1], colour[2]) > alpha:
                # Light in the air: it is added, however little it covers.
                cover = weight * alpha * np.float32(1 / 65535)
                for c in range(3):
                    planes[c, x] += weight * colour[c] - cover * planes[c, x]
                through *= 1 - cover
                continue
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
