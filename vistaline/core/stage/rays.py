"""A camera's rays in a body's own coordinates, and the part of the frame a body may cover."""

from __future__ import annotations

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card

__all__ = ["rays_of", "reach_of"]


def rays_of(card: Card, camera: CameraState) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Return a camera's place (3,) and its rays (3, 3) in a body's coordinates, and its picture.

    The rays take frame pixels to ways that are 1 m deep; the last, (3, 4), takes what they meet
    to the picture's unit coordinates.
    """
    assert card.projector is not None
    half = np.diag([card.width / 2, card.height / 2, card.depth / 2, 1])
    body_from_world = np.linalg.inv(half) @ space.inverse_pose(card.world_from_card)
    body_from_camera = body_from_world @ camera.world_from_camera
    rays = body_from_camera[:3, :3] @ np.linalg.inv(camera.image_from_camera)
    return body_from_camera[:3, 3], rays, card.projector @ card.world_from_card @ half


def reach_of(card: Card, camera: CameraState) -> tuple[tuple[int, int, int, int], float]:
    """Return the frame pixels a body may touch, and the greatest 1/z it may have there."""
    width, height = camera.frame_size
    corners = np.array([[x, y, z, 1] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)])
    half = np.array([card.width / 2, card.height / 2, card.depth / 2, 1])
    there = (corners * half) @ (camera.camera_from_world @ card.world_from_card).T[:, :3]
    if (there[:, 2] > -NEAR).all():
        return (0, 0, 0, 0), 0.0
    if (there[:, 2] > -NEAR).any():
        return (0, 0, width, height), np.inf
    seen = there @ camera.image_from_camera.T
    points = seen[:, :2] / seen[:, 2:]
    x0, y0 = np.clip(np.floor(points.min(axis=0)) - 1, 0, (width, height)).astype(int).tolist()
    x1, y1 = np.clip(np.ceil(points.max(axis=0)) + 1, 0, (width, height)).astype(int).tolist()
    return (x0, y0, max(x0, x1), max(y0, y1)), float(1 / -there[:, 2].max())
