"""Lengths in the world, measured in the picture over level ground.

A point on the ground is where its ray comes down to it; what stands upright on it ends where the
ray of its top passes over that point. The same as by cross-ratios along the upright: Criminisi,
Reid and Zisserman, "Single view metrology", IJCV 40(2), 2000, which the tests compare.
"""

from __future__ import annotations

import math

import numpy as np

from vistaline.core.arrays import FloatArray, Vector3
from vistaline.core.errors import PerspectiveError

__all__ = ["ground_point", "length_on_ground", "upright_height"]


def ground_point(ray: Vector3, eye_height: float) -> FloatArray:
    """Return where a ray (3,) in the world, from ``eye_height`` metres up, comes to the ground.

    In metres from the camera. Raises ``PerspectiveError`` if it does not.
    """
    if ray[1] >= -1e-9 * float(np.linalg.norm(ray)):
        raise PerspectiveError(
            "That point is not below the horizon, so it is not on the ground. Move it down, or "
            "the horizon up."
        )
    return np.asarray(ray * (eye_height / -ray[1]))


def upright_height(base: Vector3, top: Vector3, eye_height: float) -> float:
    """Return how high, in metres, something is that stands upright on the ground.

    ``base`` and ``top``: rays (3,) in the world to where it stands and where it ends; the top is
    taken over the base as nearly as its ray passes.
    """
    foot = ground_point(base, eye_height)
    level = math.hypot(top[0], top[2])
    if level < 1e-9:
        raise PerspectiveError(
            "Seen from straight above or below, an upright has no height. Choose another."
        )
    away = (foot[0] * top[0] + foot[2] * top[2]) / level**2
    height = float(away * top[1]) + eye_height
    if away <= 0 or height <= 0:
        raise PerspectiveError("Its top is not above its foot. Begin at the ground, drag upwards.")
    return height


def length_on_ground(one: Vector3, other: Vector3, eye_height: float) -> float:
    """Return how far apart, in metres, two points of the ground are, by their rays (3,)."""
    apart = ground_point(one, eye_height) - ground_point(other, eye_height)
    return float(np.linalg.norm(apart))
