"""Poses, projections and homographies.

Right-handed, metres, +Y up; a camera at rest looks along -Z (as glTF 2.0 has it). Picture points
are (x, y) with y down and pixel centres at .5. Matrices are named ``to_from``.
"""

from __future__ import annotations

import math

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4

__all__ = [
    "angles_of",
    "clip_from_camera",
    "clip_polygon_near",
    "image_from_camera",
    "inverse_pose",
    "pose",
    "project",
    "rotation",
]


def rotation(pan: float, tilt: float, roll: float) -> Matrix3:
    """Return the 3 x 3 rotation of a camera head, angles in degrees.

    Pan about Y, then tilt about the turned X, then roll about the turned Z: the intrinsic
    sequence Y-X-Z. By the right-hand rule a positive pan turns to the left, a positive tilt
    looks up, a positive roll leans the camera to the left.
    """
    cp, sp = math.cos(math.radians(pan)), math.sin(math.radians(pan))
    ct, st = math.cos(math.radians(tilt)), math.sin(math.radians(tilt))
    cr, sr = math.cos(math.radians(roll)), math.sin(math.radians(roll))
    about_y = np.array([[cp, 0, sp], [0, 1, 0], [-sp, 0, cp]])
    about_x = np.array([[1, 0, 0], [0, ct, -st], [0, st, ct]])
    about_z = np.array([[cr, -sr, 0], [sr, cr, 0], [0, 0, 1]])
    return about_y @ about_x @ about_z


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
    position: tuple[float, float, float], pan: float = 0, tilt: float = 0, roll: float = 0
) -> Matrix4:
    """Return ``world_from_local`` (4 x 4) of something standing at ``position``, in metres."""
    world_from_local = np.eye(4)
    world_from_local[:3, :3] = rotation(pan, tilt, roll)
    world_from_local[:3, 3] = position
    return world_from_local


def inverse_pose(world_from_local: Matrix4) -> Matrix4:
    """Return ``local_from_world``; exact for rotation + translation, with no general inverse."""
    local_from_world = np.eye(4)
    local_from_world[:3, :3] = world_from_local[:3, :3].T
    local_from_world[:3, 3] = -world_from_local[:3, :3].T @ world_from_local[:3, 3]
    return local_from_world


def image_from_camera(focal_px: float, width: int, height: int) -> Matrix3:
    """Return the 3 x 3 projection onto a frame of ``width`` x ``height`` pixels.

    The third homogeneous component is the depth along -Z, positive before the camera.
    """
    return np.array(
        [[focal_px, 0, -width / 2], [0, -focal_px, -height / 2], [0, 0, -1.0]], dtype=np.float64
    )


def clip_from_camera(
    focal_px: float, width: int, height: int, *, near: float, far: float
) -> Matrix4:
    """Return the OpenGL projection (4 x 4) that agrees with :func:`image_from_camera`.

    Depth runs from -1 at ``near`` to 1 at ``far``, both in metres.
    """
    return np.array(
        [
            [2 * focal_px / width, 0, 0, 0],
            [0, 2 * focal_px / height, 0, 0],
            [0, 0, (far + near) / (near - far), 2 * far * near / (near - far)],
            [0, 0, -1, 0],
        ]
    )


def project(image_from_local: FloatArray, points: FloatArray) -> FloatArray:
    """Map points (N, 2) by a 3 x 3, or (N, 3) by a 3 x 4 matrix, and divide; returns (N, 2)."""
    homogeneous = np.column_stack([points, np.ones(len(points))])
    mapped = homogeneous @ image_from_local.T
    return mapped[:, :2] / mapped[:, 2:3]


def clip_polygon_near(corners: FloatArray, near: float) -> FloatArray:
    """Cut away the part of a convex polygon that is not at least ``near`` before the camera.

    ``corners`` is (N, 3) in camera space. Returns (M, 3); M is 0 if nothing is left.
    One plane of Sutherland and Hodgman, "Reentrant polygon clipping" (CACM 1974).
    """
    depth = -corners[:, 2] - near
    kept: list[FloatArray] = []
    for i, (corner, d) in enumerate(zip(corners, depth, strict=True)):
        previous, d_previous = corners[i - 1], depth[i - 1]
        if (d >= 0) != (d_previous >= 0):
            kept.append(corner + (previous - corner) * (d / (d - d_previous)))
        if d >= 0:
            kept.append(corner)
    return np.array(kept).reshape(-1, 3)
