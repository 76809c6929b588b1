"""Bodies in a frame: every pixel's ray meets them, and shows what their projector threw there.

The same interface as :class:`CardWarp`, but how near a body is is known by the pixel.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from vistaline.core.geometry.bodies import Body, hit_body
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.render.laying import EDGES
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.source import Asked
from vistaline.core.render.tiling import BAND_LINES, TILE_WIDTH
from vistaline.core.render.traced import tiles_within
from vistaline.core.render.warp import BAND
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.rays import rays_of, reach_of

__all__ = ["BodyWarp"]

_NOWHERE = -1e6
"""A texel no picture has: sampled, it is transparent."""
_CELL = 4
"""Pixels from ray to ray where a body is smooth."""
_AGREES = 0.02
"""Texels of the level sampled: so near to the truth is what is interpolated in a cell's middle."""
_SOFT = 0.5
"""Levels finer than a pixel's mean footprint: it is longer one way."""


class BodyWarp:
    """One body in one frame."""

    fetched = None
    nearness = None

    def __init__(
        self, body: Body, card: Card, camera: CameraState, pyramid: Pyramid, asked: Asked
    ) -> None:
        self._pyramid, self._kind = pyramid, body.number
        self._bias = asked.quality.bias - _SOFT
        self._origin, self._rays, unit_from_body = rays_of(card, camera)
        self._texel_from_body = np.diag([pyramid.width, pyramid.height, 1.0]) @ unit_from_body
        self.bounds, nearest = reach_of(card, camera)
        self.edges = np.tile(EVERYWHERE, (EDGES, 1))
        self.tiles = tiles_within(self.bounds, asked.cover, nearest)
        self.seen = bool(self.tiles.any())

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Sample a band of the body's picture; see :meth:`Source.rows`."""
        top = band * BAND
        lines = self.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
        for column in np.flatnonzero(lines.any(axis=0)):
            x0, x1 = column * TILE_WIDTH, min((column + 1) * TILE_WIDTH, out.shape[1])
            u, v, covered = np.empty((3, BAND, x1 - x0), np.float32)
            level, softened = _trace(
                *(self._kind, self._origin, self._rays, self._texel_from_body),
                *(self._pyramid.width, self._pyramid.height, len(self._pyramid.levels) - 1),
                *(self._bias, x0, top, u, v, covered, near[:, x0:x1]),
            )
            target = out[:, x0:x1]
            target[:] = cv2.remap(
                self._pyramid.levels[level],
                u,
                v,
                cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_CONSTANT,
            )
            if softened:
                _soften(target, covered)


@njit(cache=True, nogil=True)
def _trace(  # type: ignore[no-untyped-def]
    kind,
    origin,
    rays,
    texel_from_body,
    width,
    height,
    coarsest,
    bias,
    left,
    top,
    u,
    v,
    covered,
    near,
):
    """Fill a level's texels ``u``, ``v``, coverage and 1/z of a block.

    Returns the level, and whether a pixel is covered in part. The block's first pixel is
    ``left``, ``top``. Rays are asked at every ``_CELL``-th pixel; between, where the middle of
    four agrees, what they meet is interpolated.
    """
    rows, columns = u.shape
    down, across = -(-rows // _CELL) + 1, -(-columns // _CELL) + 1
    deep, gu, gv = np.empty((3, down, across), np.float64)
    for j in range(down):
        for i in range(across):
            cx, cy = left + i * _CELL + 0.5, top + j * _CELL + 0.5
            t = _met(kind, origin, rays, cx, cy)
            p, q = _texel(origin, rays, texel_from_body, cx, cy, t, width, height)
            deep[j, i], gu[j, i], gv[j, i] = t, p, q
    total, counted = 0.0, 0
    for j in range(down - 1):
        for i in range(across - 1):
            if min(gu[j, i], gu[j + 1, i], gu[j, i + 1]) > _NOWHERE:
                ux, uy = gu[j, i + 1] - gu[j, i], gu[j + 1, i] - gu[j, i]
                vx, vy = gv[j, i + 1] - gv[j, i], gv[j + 1, i] - gv[j, i]
                area = abs(ux * vy - uy * vx) / _CELL**2
                total += np.log2(max(area, 1.0)) / 2
                counted += 1
    level = int(min(max(np.rint(total / max(counted, 1) + bias), 0), coarsest))
    share, softened = 0.5**level, False
    for j in range(down - 1):
        for i in range(across - 1):
            x0, y0 = i * _CELL, j * _CELL
            x1, y1 = min(x0 + _CELL, columns), min(y0 + _CELL, rows)
            met = 0
            for b in range(max(j - 1, 0), min(j + 3, down)):
                for a in range(max(i - 1, 0), min(i + 3, across)):
                    met += deep[b, a] > 0
            if met == 0:
                for y in range(y0, y1):
                    for x in range(x0, x1):
                        u[y, x] = v[y, x] = _NOWHERE
                        covered[y, x] = near[y, x] = 0
                continue
            plain = min(gu[j, i], gu[j, i + 1], gu[j + 1, i], gu[j + 1, i + 1]) > _NOWHERE
            if plain:
                cx, cy = left + x0 + _CELL / 2 + 0.5, top + y0 + _CELL / 2 + 0.5
                t = _met(kind, origin, rays, cx, cy)
                p, q = _texel(origin, rays, texel_from_body, cx, cy, t, width, height)
                p -= (gu[j, i] + gu[j, i + 1] + gu[j + 1, i] + gu[j + 1, i + 1]) / 4
                q -= (gv[j, i] + gv[j, i + 1] + gv[j + 1, i] + gv[j + 1, i + 1]) / 4
                plain = t > 0 and max(abs(p), abs(q)) * share < _AGREES
            if not plain:
                softened |= _exactly(
                    kind, origin, rays, texel_from_body, width, height, share, left, top,
                    x0, y0, x1, y1, u, v, covered, near,
                )  # fmt: skip
                continue
            n0, n1 = 1 / deep[j, i], 1 / deep[j, i + 1]
            n2, n3 = 1 / deep[j + 1, i], 1 / deep[j + 1, i + 1]
            for y in range(y0, y1):
                off = (y - y0) / _CELL
                ub, vb, nb = gu[j, i], gv[j, i], n0 + (n2 - n0) * off
                ub += (gu[j + 1, i] - ub) * off
                vb += (gv[j + 1, i] - vb) * off
                ue, ve, ne = gu[j, i + 1], gv[j, i + 1], n1 + (n3 - n1) * off
                ue += (gu[j + 1, i + 1] - ue) * off
                ve += (gv[j + 1, i + 1] - ve) * off
                for x in range(x0, x1):
                    on = (x - x0) / _CELL
                    u[y, x] = (ub + (ue - ub) * on) * share + (BORDER - 0.5)
                    v[y, x] = (vb + (ve - vb) * on) * share + (BORDER - 0.5)
                    near[y, x] = nb + (ne - nb) * on
                    covered[y, x] = 1
    return level, softened


@njit(cache=True, nogil=True)
def _exactly(  # type: ignore[no-untyped-def]
    kind,
    origin,
    rays,
    texel_from_body,
    width,
    height,
    share,
    left,
    top,
    x0,
    y0,
    x1,
    y1,
    u,
    v,
    covered,
    near,
):
    """Ask a ray for every pixel of a cell, and sixteen where its silhouette runs."""
    # One pixel more all round: a silhouette is where neighbours differ.
    hits = np.empty((_CELL + 2, _CELL + 2), np.float64)
    for j in range(y1 - y0 + 2):
        for i in range(x1 - x0 + 2):
            hits[j, i] = _met(kind, origin, rays, left + x0 + i - 0.5, top + y0 + j - 0.5)
    softened = False
    for row in range(y0, y1):
        for column in range(x0, x1):
            j, i = row - y0 + 1, column - x0 + 1
            t = hits[j, i]
            there = t > 0
            x, y, part = left + column + 0.5, top + row + 0.5, np.float32(there)
            if (
                (hits[j, i - 1] > 0) != there
                or (hits[j + 1, i] > 0) != there
                or (hits[j - 1, i] > 0) != there
                or (hits[j, i + 1] > 0) != there
            ):
                count, a, b, first = 0, x, y, t
                for k in range(16):
                    sx, sy = left + column + (k % 4 + 0.5) / 4, top + row + (k // 4 + 0.5) / 4
                    found = _met(kind, origin, rays, sx, sy)
                    if found > 0:
                        count += 1
                        if not there:
                            a, b, first = sx, sy, found
                x, y, t, part = a, b, first, np.float32(count / 16)
                softened |= 0 < count < 16
            covered[row, column], near[row, column] = part, 1 / t if t > 0 else 0
            p, q = _texel(origin, rays, texel_from_body, x, y, t, width, height)
            if p > _NOWHERE:
                p, q = p * share + (BORDER - 0.5), q * share + (BORDER - 0.5)
            u[row, column], v[row, column] = p, q
    return softened


@njit(inline="always")
def _met(kind, origin, rays, x, y):  # type: ignore[no-untyped-def]
    """Return how deep the ray of a frame point meets the body; 0 if it does not."""
    dx = rays[0, 0] * x + rays[0, 1] * y + rays[0, 2]
    dy = rays[1, 0] * x + rays[1, 1] * y + rays[1, 2]
    dz = rays[2, 0] * x + rays[2, 1] * y + rays[2, 2]
    t = hit_body(kind, origin[0], origin[1], origin[2], dx, dy, dz, NEAR)
    return t if t < np.inf else 0.0


@njit(inline="always")
def _texel(origin, rays, texel_from_body, x, y, t, width, height):  # type: ignore[no-untyped-def]
    """Return the texel of what a frame point's ray meets at depth ``t``; ``_NOWHERE`` if none."""
    if t <= 0:
        return _NOWHERE, _NOWHERE
    bx = origin[0] + t * (rays[0, 0] * x + rays[0, 1] * y + rays[0, 2])
    by = origin[1] + t * (rays[1, 0] * x + rays[1, 1] * y + rays[1, 2])
    bz = origin[2] + t * (rays[2, 0] * x + rays[2, 1] * y + rays[2, 2])
    m = texel_from_body
    p = m[0, 0] * bx + m[0, 1] * by + m[0, 2] * bz + m[0, 3]
    q = m[1, 0] * bx + m[1, 1] * by + m[1, 2] * bz + m[1, 3]
    w = m[2, 0] * bx + m[2, 1] * by + m[2, 2] * bz + m[2, 3]
    if w <= 0 or not (0 <= p <= width * w and 0 <= q <= height * w):
        return _NOWHERE, _NOWHERE
    return p / w, q / w


@njit(cache=True, nogil=True)
def _soften(pixels, covered):  # type: ignore[no-untyped-def]
    for j in range(covered.shape[0]):
        for i in range(covered.shape[1]):
            share = covered[j, i]
            if 0 < share < 1:
                for c in range(4):
                    pixels[j, i, c] = np.uint16(np.float32(pixels[j, i, c]) * share + 0.5)
