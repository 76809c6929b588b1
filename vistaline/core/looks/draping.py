"""Cloth, drawn: its picture laid over its points, seen straight on, its folds in the light."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import Rgba16
from vistaline.core.kept import Kept
from vistaline.core.looks.cloth_kept import places_at
from vistaline.core.looks.cloth_motion import Hung
from vistaline.core.looks.cloth_sheet import refined, shades

__all__ = ["draped", "room_of_cloth"]

_OVER = 2
"""Drawn so many times as large and made smaller: its rim and its folds are smooth."""
_STEPS = 12.0
"""Moments a second at which it is asked how far it reaches."""
_LOOKED_AT = 6.0
"""Seconds for which it is asked that; it hardly reaches farther later."""
_MORE = 0.04
_MOST = 1.5
_ROOM: Kept[tuple[float, float]] = Kept("room of cloths")


def room_of_cloth(hung: Hung) -> tuple[float, float]:
    """Return how much room it needs to each side: shares of its width and its height."""
    told = replace(hung, cloth=hung.cloth.evolve(delay=0.0, folds=0.0))
    return _ROOM.get(told, lambda: _reach(told))


def _reach(hung: Hung) -> tuple[float, float]:
    cloth = hung.cloth
    seconds = min(cloth.loops or _LOOKED_AT, _LOOKED_AT)
    half = np.array([cloth.wide, cloth.wide / hung.aspect]) / 2
    most = np.zeros(2)
    for time in np.arange(0, seconds + 1e-9, 1 / _STEPS):
        places = np.abs(places_at(hung, float(time))[..., :2])
        most = np.maximum(most, places.max(axis=(0, 1)))
    across, up = np.clip(most / half - 1 + _MORE, 0, 2 * _MOST) / 2
    return float(across), float(up)


def draped(picture: Rgba16, hung: Hung, seconds: float, side: float = np.inf) -> Rgba16:
    """Return a picture (height, width, 4) as cloth at a time, with the room it needs round it.

    That is what its shadow is thrown by: on the stage its points are drawn themselves.

    ``side``: so many pixels, at most, its longer side becomes without that room. What flies out
    of its room is not seen.
    """
    height, width = picture.shape[:2]
    cloth, room = hung.cloth, room_of_cloth(hung)
    smaller = min(1.0, side / max(width, height))
    wide, tall = (
        max(1, round(own * smaller * (1 + 2 * more)))
        for own, more in zip((width, height), room, strict=True)
    )
    points = refined(places_at(hung, seconds))
    scale = wide * _OVER / (cloth.wide * (1 + 2 * room[0]))
    seen = np.empty_like(points)
    seen[..., 0] = points[..., 0] * scale + wide * _OVER / 2
    seen[..., 1] = tall * _OVER / 2 - points[..., 1] * scale
    seen[..., 2] = points[..., 2] * scale
    light = shades(points, cloth.folds)
    u, v, lit = (np.zeros((tall * _OVER, wide * _OVER), np.float32) for _ in range(3))
    u[:] = -1.0
    depth = np.full(u.shape, -np.inf, np.float32)
    _laid(seen, light.astype(np.float32), u, v, lit, depth)
    shown = picture
    if smaller < 0.75:
        size = (max(1, round(width * smaller)), max(1, round(height * smaller)))
        shown = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)  # type: ignore[assignment]
    found = np.zeros((tall, wide, 4), np.uint16)
    _shown(shown, u, v, lit, found)
    return found


@njit(cache=True, nogil=True)
def _laid(points, light, u, v, lit, depth):  # type: ignore[no-untyped-def]
    """Draw the cells of a grid of points as two triangles each, the nearest of them seen."""
    rows, columns = light.shape
    for i in range(rows - 1):
        for j in range(columns - 1):
            for half in range(2):
                a = (i, j)
                b = (i + 1, j + 1)
                c = (i + 1, j) if half == 0 else (i, j + 1)
                _triangle(points, light, a, b, c, rows, columns, u, v, lit, depth)


@njit(cache=True, nogil=True)
def _triangle(points, light, a, b, c, rows, columns, u, v, lit, depth):  # type: ignore[no-untyped-def]
    ax, ay = points[a[0], a[1], 0], points[a[0], a[1], 1]
    bx, by = points[b[0], b[1], 0], points[b[0], b[1], 1]
    cx, cy = points[c[0], c[1], 0], points[c[0], c[1], 1]
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if abs(area) < 1e-9:
        return
    # Each corner's share grows by so much for each pixel to the right.
    ra, rb = (by - cy) / area, (cy - ay) / area
    rc = -ra - rb
    y0, y1 = max(0, int(min(ay, by, cy) - 0.5)), min(u.shape[0], int(max(ay, by, cy) + 1.5))
    za, zb, zc = points[a[0], a[1], 2], points[b[0], b[1], 2], points[c[0], c[1], 2]
    la, lb, lc = light[a], light[b], light[c]
    across, down = 1.0 / (columns - 1), 1.0 / (rows - 1)
    for y in range(y0, y1):
        py = y + 0.5
        wa = ((bx - 0.5) * (cy - py) - (by - py) * (cx - 0.5)) / area
        wb = ((cx - 0.5) * (ay - py) - (cy - py) * (ax - 0.5)) / area
        wc = 1.0 - wa - wb
        # Where all shares are above 0, and a hair's breadth beyond: neighbours leave no gap.
        first, last = 0.0, u.shape[1] - 1.0
        for k in range(3):
            w = wa if k == 0 else (wb if k == 1 else wc)
            r = ra if k == 0 else (rb if k == 1 else rc)
            if r > 1e-15:
                first = max(first, (-1e-6 - w) / r)
            elif r < -1e-15:
                last = min(last, (-1e-6 - w) / r)
            elif w < -1e-6:
                last = -1.0
        x0, x1 = int(np.ceil(first)), int(np.floor(last)) + 1
        if x0 >= x1:
            continue
        wa, wb, wc = wa + x0 * ra, wb + x0 * rb, wc + x0 * rc
        z, dz = wa * za + wb * zb + wc * zc, ra * za + rb * zb + rc * zc
        i, di = wa * a[0] + wb * b[0] + wc * c[0], ra * a[0] + rb * b[0] + rc * c[0]
        j, dj = wa * a[1] + wb * b[1] + wc * c[1], ra * a[1] + rb * b[1] + rc * c[1]
        shade, ds = wa * la + wb * lb + wc * lc, ra * la + rb * lb + rc * lc
        for n in range(x1 - x0):
            x, near = x0 + n, z + n * dz
            if near > depth[y, x]:
                depth[y, x] = near
                u[y, x] = (j + n * dj) * across
                v[y, x] = (i + n * di) * down
                lit[y, x] = shade + n * ds


@njit(cache=True, nogil=True, fastmath=True)
def _shown(picture, u, v, lit, out):  # type: ignore[no-untyped-def]
    """Fill ``out`` with what the points of each pixel show, ``_OVER`` across and down.

    Where all of them show the cloth it is fetched once, in their middle.
    """
    height, width = picture.shape[0], picture.shape[1]
    whole = np.float32(_OVER * _OVER)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            count = 0
            across = down = light = least = most = np.float32(0)
            for sy in range(_OVER):
                for sx in range(_OVER):
                    at = u[y * _OVER + sy, x * _OVER + sx]
                    if at >= 0:
                        least = at if count == 0 else min(least, at)
                        most = at if count == 0 else max(most, at)
                        count += 1
                        across += at
                        down += v[y * _OVER + sy, x * _OVER + sx]
                        light += lit[y * _OVER + sy, x * _OVER + sx]
            if count == 0:
                continue
            # One fold before another: they are far apart in the picture and mixed, not averaged.
            if (most - least) * width > 8.0:
                for sy in range(_OVER):
                    for sx in range(_OVER):
                        at = u[y * _OVER + sy, x * _OVER + sx]
                        if at >= 0:
                            _fetched(
                                picture,
                                at * width,
                                v[y * _OVER + sy, x * _OVER + sx] * height,
                                lit[y * _OVER + sy, x * _OVER + sx],
                                1 / whole,
                                out[y, x],
                            )
                continue
            _fetched(
                picture,
                across / count * width,
                down / count * height,
                light / count,
                count / whole,
                out[y, x],
            )


@njit(cache=True, nogil=True, fastmath=True)
def _fetched(picture, x, y, light, share, out):  # type: ignore[no-untyped-def]
    """Add what a picture shows at a point, lit, to a pixel; beyond its rim it shows its rim."""
    height, width = picture.shape[0], picture.shape[1]
    x = min(max(x - 0.5, 0.0), width - 1.0)
    y = min(max(y - 0.5, 0.0), height - 1.0)
    x0, y0 = min(int(x), width - 2), min(int(y), height - 2)
    if width < 2 or height < 2:
        x0, y0 = 0, 0
    x1, y1 = min(x0 + 1, width - 1), min(y0 + 1, height - 1)
    fx, fy = x - x0, y - y0
    a, b = (1 - fx) * (1 - fy), fx * (1 - fy)
    c, d = (1 - fx) * fy, fx * fy
    alpha = (
        a * picture[y0, x0, 3]
        + b * picture[y0, x1, 3]
        + c * picture[y1, x0, 3]
        + d * picture[y1, x1, 3]
    )
    for k in range(3):
        value = light * (
            a * picture[y0, x0, k]
            + b * picture[y0, x1, k]
            + c * picture[y1, x0, k]
            + d * picture[y1, x1, k]
        )
        out[k] = np.uint16(min(65535.0, out[k] + share * min(value, alpha) + 0.5))
    out[3] = np.uint16(min(65535.0, out[3] + share * alpha + 0.5))
