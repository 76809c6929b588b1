"""Triangles of a relief or a cloth in a band of a frame: the place of the picture at each pixel.

A point of a relief is (u, v, n): where it is in the picture, and its nearness. A camera sees it at
``image @ (u, v, n, 1)``, a homography and a parallax in one (Hartley and Zisserman, Multiple View
Geometry, 2nd ed., ch. 13.3), so all that is kept of a triangle runs evenly over the frame once it
is divided by the third of those. A cloth's points are told as they are seen (:func:`as_seen`).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.relief.meshing import Mesh

__all__ = ["SQUARE", "as_seen", "asked_of", "bands_of", "draw_band", "projected"]

_NEAR_W = 1e-6


@njit(cache=True, nogil=True)
def projected(points, image):  # type: ignore[no-untyped-def]
    """Return float64 (N, 6): x and y in the frame, u / w, v / w, n / w and 1 / w.

    ``points`` float32 (N, 3), ``image`` (3, 4). All six are 0 of a point that is not before the
    camera.
    """
    out = np.empty((len(points), 6))
    for k in range(len(points)):
        u, v, n = points[k]
        w = image[2, 0] * u + image[2, 1] * v + image[2, 2] * n + image[2, 3]
        if w < _NEAR_W:
            out[k] = 0.0
            continue
        x = image[0, 0] * u + image[0, 1] * v + image[0, 2] * n + image[0, 3]
        y = image[1, 0] * u + image[1, 1] * v + image[1, 2] * n + image[1, 3]
        out[k, 0], out[k, 1] = x / w, y / w
        out[k, 2], out[k, 3], out[k, 4], out[k, 5] = u / w, v / w, n / w, 1 / w
    return out


def as_seen(points: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Return a sheet's points as :func:`projected` has them (N, 6), each with nothing for n.

    ``points`` (N, 3): x and y in the frame, and 1/z, 0 of what is not before the camera; ``u``,
    ``v`` (N,): where they are in the picture.
    """
    near = points[:, 2]
    ahead = (near > 0)[:, None]
    there = np.column_stack([points[:, :2], u * near, v * near, np.zeros(len(near)), near])
    return np.where(ahead, there, 0.0)


@njit(cache=True, nogil=True)
def bands_of(seen, faces, width, bands, side):  # type: ignore[no-untyped-def]
    """Return which faces touch each band of ``side`` rows: where they begin (bands + 1), and which.

    Faces that are not wholly before the camera, or beside the frame, touch none.
    """
    counts = np.zeros(bands + 1, np.int64)
    spans = np.empty((len(faces), 2), np.int32)
    for k in range(len(faces)):
        a, b, c = faces[k]
        spans[k, 0], spans[k, 1] = 1, 0
        if seen[a, 5] <= 0 or seen[b, 5] <= 0 or seen[c, 5] <= 0:
            continue
        left = min(seen[a, 0], seen[b, 0], seen[c, 0])
        right = max(seen[a, 0], seen[b, 0], seen[c, 0])
        if right < 0 or left > width:
            continue
        top = min(seen[a, 1], seen[b, 1], seen[c, 1])
        bottom = max(seen[a, 1], seen[b, 1], seen[c, 1])
        first = max(int(np.floor((top - _MIDDLE) / side)), 0)
        last = min(int(np.floor((bottom - 1 + _MIDDLE) / side)), bands - 1)
        spans[k, 0], spans[k, 1] = first, last
        for band in range(first, last + 1):
            counts[band + 1] += 1
    starts = np.cumsum(counts)
    listed = np.empty(starts[-1], np.int32)
    at = starts[:-1].copy()
    for k in range(len(faces)):
        for band in range(spans[k, 0], spans[k, 1] + 1):
            listed[at[band]] = k
            at[band] += 1
    return starts, listed


def asked_of(mesh: Mesh, cover: np.ndarray) -> np.ndarray:
    """Return for which faces of a mesh ``cover`` (rows, columns) must be asked: uint8 (N,).

    They lie where it is 0 somewhere.
    """
    rows, columns = cover.shape
    bare = np.pad(np.cumsum(np.cumsum(cover == 0, axis=0), axis=1), ((1, 0), (1, 0)))
    u, v = (mesh.points[mesh.faces, axis] * side for axis, side in ((0, columns), (1, rows)))
    x0, y0 = (np.clip(each.min(axis=1).astype(int) - 1, 0, most)
              for each, most in ((u, columns), (v, rows)))  # fmt: skip
    x1, y1 = (np.clip(each.max(axis=1).astype(int) + 2, 0, most)
              for each, most in ((u, columns), (v, rows)))  # fmt: skip
    count = bare[y1, x1] - bare[y0, x1] - bare[y1, x0] + bare[y0, x0]
    return (count > 0).astype(np.uint8)


_SLACK = 1e-3
"""Of a triangle: so little outside still counts, that no pixel between two is missed."""
SQUARE = 8
"""Pixels of the squares of which it is told what hides all of them."""
_MIDDLE = 0.501
"""Where in a pixel its middle is, with as much to spare."""


@njit(cache=True, nogil=True, fastmath=True)
def draw_band(  # type: ignore[no-untyped-def]
    seen, faces, listed, corner, shape, cover, partly, hidden, near, u, v
):
    """Put the nearest of some faces into ``near`` (rows, width), and its place into ``u``, ``v``.

    Only what is nearer than ``near`` was before. ``corner`` (2,): the frame's pixel, to the right
    and down, at which those begin.
    ``shape``: (a, b) of 1/z = (a + b n) / w. ``cover`` uint8 (rows, columns): where the sheet has
    nothing to show it is 0, and what lies there hides nothing; () if it shows something all over;
    ``partly`` uint8: of which faces that must be asked.
    ``hidden``: the least of ``near`` in squares of :data:`SQUARE` pixels, for what lies behind all
    of it to be left out; () if it is not known.
    """
    rows, width = near.shape
    tall, wide = cover.shape
    aside, top = corner
    closed = len(hidden) > 0
    for k in listed:
        p, q, r = faces[k]
        x0, y0 = seen[p, 0] - aside, seen[p, 1] - top
        x1, y1 = seen[q, 0] - aside, seen[q, 1] - top
        x2, y2 = seen[r, 0] - aside, seen[r, 1] - top
        asks = wide > 0 and partly[k] > 0
        twice = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if abs(twice) < 1e-9:
            continue
        first = max(int(np.ceil(min(y0, y1, y2) - _MIDDLE)), 0)
        last = min(int(np.floor(max(y0, y1, y2) - 1 + _MIDDLE)), rows - 1)
        left = max(int(np.ceil(min(x0, x1, x2) - _MIDDLE)), 0)
        right = min(int(np.floor(max(x0, x1, x2) - 1 + _MIDDLE)), width - 1)
        if first > last or left > right:
            continue
        one0, one1, one2 = seen[p, 5], seen[q, 5], seen[r, 5]
        near0 = shape[0] * one0 + shape[1] * seen[p, 4]
        near1 = shape[0] * one1 + shape[1] * seen[q, 4]
        near2 = shape[0] * one2 + shape[1] * seen[r, 4]
        if closed:
            most, passes = max(near0, near1, near2), False
            for j in range(first // SQUARE, last // SQUARE + 1):
                for i in range(left // SQUARE, right // SQUARE + 1):
                    passes |= hidden[j, i] < most
            if not passes:
                continue
        # How much of each corner a pixel has, and by how much more the next one.
        s = 1 / twice
        b1x, b1y = (y2 - y0) * s, (x0 - x2) * s
        b2x, b2y = (y0 - y1) * s, (x1 - x0) * s
        b0x = -b1x - b2x
        deep_on = b0x * near0 + b1x * near1 + b2x * near2
        one_on = b0x * one0 + b1x * one1 + b2x * one2
        u_on = b0x * seen[p, 2] + b1x * seen[q, 2] + b2x * seen[r, 2]
        v_on = b0x * seen[p, 3] + b1x * seen[q, 3] + b2x * seen[r, 3]
        for y in range(first, last + 1):
            dy = y + 0.5 - y0
            # Where all three shares are not negative.
            ax = left + 0.5 - x0
            s1, s2 = b1x * ax + b1y * dy, b2x * ax + b2y * dy
            s0 = 1 - s1 - s2
            low, high = 0.0, float(right - left)
            for share, step in ((s0, b0x), (s1, b1x), (s2, b2x)):
                if step > 1e-15:
                    low = max(low, (-_SLACK - share) / step)
                elif step < -1e-15:
                    high = min(high, (-_SLACK - share) / step)
                elif share < -_SLACK:
                    high = -1.0
            if high < low:
                continue
            begin, end = left + int(np.ceil(low)), left + int(np.floor(high))
            # Evenly on from there.
            ax = begin + 0.5 - x0
            t1, t2 = b1x * ax + b1y * dy, b2x * ax + b2y * dy
            t0 = 1 - t1 - t2
            deep = t0 * near0 + t1 * near1 + t2 * near2
            one = t0 * one0 + t1 * one1 + t2 * one2
            over_u = t0 * seen[p, 2] + t1 * seen[q, 2] + t2 * seen[r, 2]
            over_v = t0 * seen[p, 3] + t1 * seen[q, 3] + t2 * seen[r, 3]
            for x in range(begin, end + 1):
                if deep > near[y, x]:
                    w = 1 / one
                    pu, pv = over_u * w, over_v * w
                    shown = True
                    if asks:
                        j = min(max(int(pv * tall), 0), tall - 1)
                        i = min(max(int(pu * wide), 0), wide - 1)
                        shown = cover[j, i] > 0
                    if shown:
                        near[y, x] = deep
                        u[y, x], v[y, x] = pu, pv
                deep, one = deep + deep_on, one + one_on
                over_u, over_v = over_u + u_on, over_v + v_on
