"""Poses, projections and homographies.

Right-handed, metres, +Y up; a camera at rest looks along -Z (as glTF 2.0 has it). Picture points
are (x, y) with y down and pixel centres at .5. Matrices are named ``to_from``.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4

__all__ = [
    "angles_of",
    "clip_from_camera",
    "clip_polygon",
    "clip_polygon_near",
    "image_from_camera",
    "inverse_pose",
    "pose",
    "posed",
    "project",
    "rotation",
]


def rotation(pan: ArrayLike, tilt: ArrayLike, roll: ArrayLike) -> FloatArray:
    """Return the rotation (..., 3, 3) of a camera head, angles (...) in degrees.

    Pan about Y, then tilt about the turned X, then roll about the turned Z: the intrinsic
    sequence Y-X-Z. By the right-hand rule a positive pan turns to the left, a positive tilt
    looks up, a positive roll leans the camera to the left.

    >>> (rotation([0, 90], 0, 0).round(6)[1] + 0.0).tolist()
    [[0.0, 0.0, 1.0], [0.0, 1.0, 0.0], [-1.0, 0.0, 0.0]]
    """
    (cp, sp), (ct, st), (cr, sr) = (
        (np.cos(angle), np.sin(angle)) for angle in map(np.radians, (pan, tilt, roll))
    )
    # The product of the three, written out: it also takes many angles at once.
    turn = np.array(
        np.broadcast_arrays(
            *(cp * cr + sp * st * sr, sp * st * cr - cp * sr, sp * ct),
            *(ct * sr, ct * cr, -st),
            *(cp * st * sr - sp * cr, sp * sr + cp * st * cr, cp * ct),
        )
    )
    return np.moveaxis(turn.reshape(3, 3, *turn.shape[1:]), (0, 1), (-2, -1))


def angles_of(turn: Matrix3) -> tuple[float, float, float]:
    """Return pan, tilt and roll in degrees of a rotation: the inverse of :func:`rotation`.

    Looking straight up or down, pan and roll turn about one axis; all of it is called pan.
    """
    level = math.hypot(turn[0, 2], turn[2, 2])
    tilt = math.atan2(-turn[1, 2], level)
    if level < 1e-9:
        pan, roll = math.atan2(-turn[2, 0], turn[0, 0]), 0.0
    else:
        pan, roll = math.atan2(turn[0, 2], turn[2, 2]), math.atan2(turn[1, 0], turn[1, 1])
    return math.degrees(pan), math.degrees(tilt), math.degrees(roll)


def pose(
    position: ArrayLike, pan: ArrayLike = 0, tilt: ArrayLike = 0, roll: ArrayLike = 0
) -> FloatArray:
    """Return ``world_from_local`` (..., 4, 4) of something at ``position`` (..., 3), in metres."""
    return posed(rotation(pan, tilt, roll), position)


def posed(turn: FloatArray, position: ArrayLike) -> FloatArray:
    """Return the pose (..., 4, 4) of a rotation (..., 3, 3) and a place (..., 3)."""
    place = np.asarray(position, np.float64)
    world_from_local = np.zeros((*np.broadcast_shapes(turn.shape[:-2], place.shape[:-1]), 4, 4))
    world_from_local[..., :3, :3] = turn
    world_from_local[..., :3, 3] = place
    world_from_local[..., 3, 3] = 1
    return world_from_local


def inverse_pose(world_from_local: Matrix4) -> Matrix4:
    """Return ``local_from_world``; exact for rotation + translation, with no general inverse."""
    local_from_world = np.eye(4)
    local_from_world[:3, :3] = world_from_local[:3, :3].T
    local_from_world[:3, 3] = -world_from_local[:3, :3].T @ world_from_local[:3, 3]
    return local_from_world


def image_from_camera(
    focal_px: float, width: int, height: int, shift: tuple[float, float] = (0.0, 0.0)
) -> Matrix3:
    """Return the 3 x 3 projection onto a frame of ``width`` x ``height`` pixels.

    The third homogeneous component is the depth along -Z, positive before the camera. ``shift``:
    how far to the right of the camera's axis and above it the frame's middle is, as tangents.
    """
    x, y = width / 2 - focal_px * shift[0], height / 2 + focal_px * shift[1]
    return np.array([[focal_px, 0, -x], [0, -focal_px, -y], [0, 0, -1.0]], dtype=np.float64)


def clip_from_camera(
    focal_px: float,
    width: int,
    height: int,
    shift: tuple[float, float] = (0.0, 0.0),
    *,
    near: float,
    far: float,
) -> Matrix4:
    """Return the OpenGL projection (4 x 4) that agrees with :func:`image_from_camera`.

    Depth runs from -1 at ``near`` to 1 at ``far``, both in metres.
    """
    return np.array(
        [
            [2 * focal_px / width, 0, 2 * focal_px / width * shift[0], 0],
            [0, 2 * focal_px / height, 2 * focal_px / height * shift[1], 0],
            [0, 0, (far + near) / (near - far), 2 * far * near / (near - far)],
            [0, 0, -1, 0],
        ]
    )


def project(image_from_local: FloatArray, points: FloatArray) -> FloatArray:
    """Map points (N, 2) by a 3 x 3, or (N, 3) by a 3 x 4 matrix, and divide; returns (N, 2)."""
    homogeneous = np.column_stack([points, np.ones(len(points))])
    mapped = homogeneous @ image_from_local.T
    return mapped[:, :2] / mapped[:, 2:3]


def clip_polygon(corners: FloatArray, inside: FloatArray) -> FloatArray:
    """Cut away the part of a convex polygon that lies beyond a line or a plane.

    ``corners`` is (N, D), ``inside`` (N,) how far each is within; returns (M, D), M is 0 if
    nothing is left. One plane of Sutherland and Hodgman, "Reentrant polygon clipping" (CACM 1974).
    """
    kept: list[FloatArray] = []
    for i, (corner, d) in enumerate(zip(corners, inside, strict=True)):
        previous, d_previous = corners[i - 1], inside[i - 1]
        if (d >= 0) != (d_previous >= 0):
            kept.append(corner + (previous - corner) * (d / (d - d_previous)))
        if d >= 0:
            kept.append(corner)
    return np.array(kept).reshape(-1, corners.shape[1])


def clip_polygon_near(corners: FloatArray, near: float) -> FloatArray:
    """Cut away the part of a convex polygon that is not at least ``near`` before the camera.

    ``corners`` is (N, 3) in camera space. Returns (M, 3); M is 0 if nothing is left.
    """
    return clip_polygon(corners, -corners[:, 2] - near)
