"""What cloth hangs before and does not go through: a rectangle, a box, a ball, a cylinder."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.geometry.bodies import Body

__all__ = ["IN_THE_WAY", "Obstacle", "keep_out", "told_obstacle"]

IN_THE_WAY = (Body.BOX, Body.BALL, Body.CYLINDER)
"""Bodies that cloth lies on. Not arches: they are open, so nothing says on which side it is."""
_FLAT = -1
_BOX, _BALL = Body.BOX.number, Body.BALL.number
_GAP = 0.004
"""Of the cloth's width: how far before it points stay, so that what is between them does, too."""
_THICK = 0.5
"""Of the cloth's width: from so far behind a rectangle what went through it is brought back."""


@dataclass(frozen=True)
class Obstacle:
    """A thing as a cloth sees it; hashable, as motions are kept by it."""

    body: Body | None
    """None: a rectangle."""
    own_from_cloth: tuple[float, ...]
    """A 3 x 4 matrix by rows: the cloth's metres to coordinates of the thing's own, which run from
    -1 to 1 across it (x), up it (y) and through it (z). A rectangle's z is in metres instead, above
    0 where the cloth is."""
    half: tuple[float, float, float]
    """Half of its width, height and depth, in the cloth's metres."""
    gap: float
    """How far before a rectangle points stay, in metres."""

    @classmethod
    def of(cls, body: Body | None, cloth_from_own: Matrix4, wide: float) -> Obstacle:
        """Return a thing for a cloth ``wide`` metres wide.

        ``cloth_from_own`` is a rotation and a place, its columns as long as half of the thing's
        sides; what a rectangle's third column is long does not count.
        """
        matrix, gap = cloth_from_own.copy(), _GAP * wide
        half = np.linalg.norm(matrix[:3, :3], axis=0)
        if body is None:
            # From the rectangle, the cloth's own middle is where its coordinates begin.
            before = -matrix[:3, 2] @ matrix[:3, 3] >= 0
            matrix[:3, 2] *= (1 if before else -1) / half[2]
        else:
            matrix[:3, :3] *= (half + gap) / half
        own = np.linalg.inv(matrix)[:3].ravel()
        width, height, depth = (round(float(side), 6) for side in half)
        return cls(
            body, tuple(round(float(value), 6) for value in own), (width, height, depth), gap
        )


def told_obstacle(obstacle: Obstacle | None) -> FloatArray:
    """Return a thing as :func:`keep_out` takes it; empty if there is none."""
    if obstacle is None:
        return np.zeros(0)
    kind = _FLAT if obstacle.body is None else obstacle.body.number
    return np.array([kind, *obstacle.own_from_cloth, *obstacle.half, obstacle.gap], np.float64)


@njit(cache=True, nogil=True)
def keep_out(told, x, y, z):  # type: ignore[no-untyped-def]
    """Return where a point that may be in a thing is brought: to the nearest place on it."""
    m = told[1:13]
    u = m[0] * x + m[1] * y + m[2] * z + m[3]
    v = m[4] * x + m[5] * y + m[6] * z + m[7]
    w = m[8] * x + m[9] * y + m[10] * z + m[11]
    gap, kind = told[16], told[0]
    if kind == _FLAT:
        if abs(u) > 1 or abs(v) > 1 or w >= gap or w < -gap * (_THICK / _GAP):
            return x, y, z
        # Along its normal, which is the third row: it is one metre long.
        more = gap - w
        return x + more * m[8], y + more * m[9], z + more * m[10]
    if kind == _BALL:
        far = np.sqrt(u * u + v * v + w * w)
        if far >= 1 or far < 1e-9:
            return x, y, z
        nu, nv, nw = u / far, v / far, w / far
    else:
        if abs(u) >= 1 or abs(v) >= 1 or abs(w) >= 1:
            return x, y, z
        nu, nv, nw = u, v, w
        up = (1 - abs(v)) * told[14]
        if kind == _BOX:
            aside, through = (1 - abs(u)) * told[13], (1 - abs(w)) * told[15]
            if up <= aside and up <= through:
                nv = 1.0 if v >= 0 else -1.0
            elif aside <= through:
                nu = 1.0 if u >= 0 else -1.0
            else:
                nw = 1.0 if w >= 0 else -1.0
        else:
            far = np.sqrt(u * u + w * w)
            if far >= 1:
                return x, y, z
            if up <= (1 - far) * min(told[13], told[15]) or far < 1e-9:
                nv = 1.0 if v >= 0 else -1.0
            else:
                nu, nw = u / far, w / far
    return _back(m, nu - u, nv - v, nw - w, x, y, z)


@njit(cache=True, nogil=True)
def _back(m, u, v, w, x, y, z):  # type: ignore[no-untyped-def]
    """Return a point moved by a way in the thing's own coordinates.

    The matrix' rows are at right angles to each other, so its inverse is its transpose, each row
    divided by its length twice.
    """
    for row, by in ((0, u), (4, v), (8, w)):
        share = by / (m[row] ** 2 + m[row + 1] ** 2 + m[row + 2] ** 2)
        x += share * m[row]
        y += share * m[row + 1]
        z += share * m[row + 2]
    return x, y, z
