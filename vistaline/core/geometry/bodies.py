"""What is not flat: boxes, balls, cylinders and arches, and where rays meet them.

Each is known in coordinates of its own that run from -1 to 1 across it (x), up it (y) and through
it (z, towards its front). An arch is a vault along z: half an ellipse that springs from y = -1,
open at both ends and below; tilted by a quarter it is a curved wall.

Rays and ellipsoids: Glassner (ed.), An Introduction to Ray Tracing, 1989, ch. 2; boxes by slabs,
Kay and Kajiya, "Ray tracing complex scenes", SIGGRAPH 1986.
"""

from __future__ import annotations

from enum import StrEnum
from functools import cache

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray

__all__ = ["Body", "hit_body", "mesh_of"]

MESH_STEPS = 64
"""Facets round a body where it is drawn as a mesh: the live view."""


class Body(StrEnum):
    """What a layer is, if it is not flat."""

    BOX = "box"
    BALL = "ball"
    CYLINDER = "cylinder"
    ARCH = "arch"

    @property
    def number(self) -> int:
        """How kernels know it."""
        return list(Body).index(self)

    @property
    def is_open(self) -> bool:
        """Whether it has an inside that is seen from without: an arch has no ends and no floor."""
        return self is Body.ARCH


_BOX, _BALL, _CYLINDER, _ARCH = (body.number for body in Body)


@njit(cache=True, nogil=True)
def hit_body(kind, ox, oy, oz, dx, dy, dz, least):  # type: ignore[no-untyped-def]
    """Return the least t >= ``least`` at which o + t d meets a body; inf if it does not.

    ``kind`` is a ``Body.number``; o and d in the body's own coordinates. From inside, the far
    side is met.
    """
    if kind == _BOX:
        return _hit_box(ox, oy, oz, dx, dy, dz, least)
    if kind == _BALL:
        a, b, c = dx * dx + dy * dy + dz * dz, ox * dx + oy * dy + oz * dz, -1.0
        c += ox * ox + oy * oy + oz * oz
    elif kind == _CYLINDER:
        a, b, c = dx * dx + dz * dz, ox * dx + oz * dz, ox * ox + oz * oz - 1
    else:
        # (y + 1) / 2 is the height above the springing.
        hy, gy = (oy + 1) / 2, dy / 2
        a, b, c = dx * dx + gy * gy, ox * dx + hy * gy, ox * ox + hy * hy - 1
    best = np.inf
    inside = b * b - a * c
    if inside >= 0 and a > 1e-30:
        root = np.sqrt(inside)
        for sign in (-1.0, 1.0):
            t = (-b + sign * root) / a
            if t < least or t >= best:
                continue
            y, z = oy + t * dy, oz + t * dz
            if (
                kind == _BALL
                or (kind == _CYLINDER and abs(y) <= 1)
                or (kind == _ARCH and y >= -1 and abs(z) <= 1)
            ):
                best = t
    if kind == _CYLINDER and abs(dy) > 1e-30:
        for cap in (-1.0, 1.0):
            t = (cap - oy) / dy
            if t < least or t >= best:
                continue
            x, z = ox + t * dx, oz + t * dz
            if x * x + z * z <= 1:
                best = t
    return best


@njit(inline="always")
def _hit_box(ox, oy, oz, dx, dy, dz, least):  # type: ignore[no-untyped-def]
    near, far = -np.inf, np.inf
    for o, d in ((ox, dx), (oy, dy), (oz, dz)):
        if abs(d) < 1e-30:
            if abs(o) > 1:
                return np.inf
            continue
        one, other = (-1 - o) / d, (1 - o) / d
        near, far = max(near, min(one, other)), min(far, max(one, other))
    if far < near or far < least:
        return np.inf
    return near if near >= least else far


@cache
def mesh_of(body: Body) -> tuple[FloatArray, np.ndarray]:
    """Return a body's points (N, 3), in its own coordinates, and triangles (M, 3) of them.

    Triangles run counter-clockwise, seen from outside.
    """
    if body is Body.BOX:
        points = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float)
        sides = (0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)
        return points, np.array([[[a, b, c], [a, c, d]] for a, b, c, d in sides]).reshape(-1, 3)
    steps, rows = MESH_STEPS, MESH_STEPS // 2 if body is Body.BALL else 1
    turn = np.linspace(0, np.pi if body is Body.ARCH else 2 * np.pi, steps + 1)
    if body is Body.BALL:
        rise = np.linspace(-np.pi / 2, np.pi / 2, rows + 1)[:, None]
        grid = [np.cos(rise) * np.sin(turn), np.sin(rise) + 0 * turn, np.cos(rise) * np.cos(turn)]
    elif body is Body.CYLINDER:
        high = np.array([[-1.0], [1.0]])
        grid = [np.sin(turn) + 0 * high, high + 0 * turn, np.cos(turn) + 0 * high]
    else:
        deep = np.array([[1.0], [-1.0]])
        grid = [np.cos(turn) + 0 * deep, 2 * np.sin(turn) - 1 + 0 * deep, deep + 0 * turn]
    points = np.stack(grid, axis=-1).reshape(-1, 3)
    at = np.arange(rows * (steps + 1)).reshape(rows, -1)[:, :-1].ravel()
    above = at + steps + 1
    faces = [np.stack([at, at + 1, above + 1], 1), np.stack([at, above + 1, above], 1)]
    if body is Body.CYLINDER:
        points = np.vstack([points, [[0, -1, 0], [0, 1, 0]]])
        round_ = np.arange(steps)
        low, top = np.full(steps, len(points) - 2), np.full(steps, len(points) - 1)
        faces.append(np.stack([low, round_ + 1, round_], 1))
        faces.append(np.stack([top, round_ + steps + 1, round_ + steps + 2], 1))
    found = np.concatenate(faces)
    # At a ball's poles every other triangle has no area.
    a, b, c = (points[found[:, k]] for k in range(3))
    return points, found[np.linalg.norm(np.cross(b - a, c - a), axis=1) > 1e-12]
