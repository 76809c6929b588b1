"""By how much a move must be enlarged, or carried forward, so that no picture's edge is seen."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.cards import Card, cards_over
from vistaline.core.stage.presence import present_at

__all__ = ["Overscan", "overscan"]


@dataclass(frozen=True)
class Overscan:
    """What covers a shot's edges in every frame."""

    enlargement: float
    """The lens times this never bares an edge; 1 if none is bared as it is."""
    frame: int
    """The frame that asks for the most."""
    forward: float | None
    """Metres the whole route may step forward instead; None if that cannot cover them."""


def overscan(shot: Shot, solid: Collection[str]) -> Overscan | None:
    """Return the smallest enlargement with which one of ``solid`` fills each frame.

    ``solid``: ids of layers that are opaque all over. None: no one of them can fill some frame.
    """
    frames = range(shot.frame.duration)
    cameras = camera_states(shot, frames)
    shown = [
        layer
        for layer in shot.layers
        if layer.id in solid and not (layer.hidden or layer.matte or layer.projection)
    ]
    behind = [layer for layer in shown if layer.is_backdrop]
    if present_at(shot, behind, frames).all(axis=0).any():
        return Overscan(1.0, 0, 0.0)
    standing = [layer for layer in shown if layer.stays == "stage" and not layer.is_backdrop]
    there = present_at(shot, standing, frames)
    cards = [cards_over(shot, layer, frames, cameras) for layer in standing]
    needed = _needed(cards, cameras, there)
    if not len(needed) or not np.isfinite(needed).all():
        return None
    worst = int(needed.argmax())
    enlargement = max(1.0, float(needed[worst]))
    return Overscan(enlargement, worst, _forward(cards, cameras, there) if enlargement > 1 else 0.0)


def _needed(
    cards: list[list[Card]], cameras: list[CameraState], there: NDArray[np.bool_]
) -> FloatArray:
    """Return for each camera (N,) the least enlargement with which a card fills the frame.

    ``cards``: for each layer its card before each of the cameras; ``there`` (N, layers): whether
    it is seen then.
    """
    if not cards:
        return np.zeros(0)
    needed = [[_enlargement(*each) for each in zip(own, cameras, strict=True)] for own in cards]
    return np.asarray(np.where(there.T, needed, np.inf).min(axis=0), np.float64)


def _enlargement(card: Card, camera: CameraState) -> float:
    """Return by how much a frame must be enlarged about its middle to lie within a card.

    A card's edge is a line a x + b y + c = 0 over the frame, measured from its middle; the frame's
    corners, 1 / k as far out, are within it if (|a| w / 2 + |b| h / 2) / k <= c.
    """
    width, height = camera.frame_size
    to_middle = np.array([[1, 0, width / 2], [0, 1, height / 2], [0, 0, 1]])
    homography = card.image_from_unit(camera)
    if card.opacity < 1 or abs(np.linalg.det(homography)) < 1e-12:
        return float("inf")
    sides = np.array([[1, 0, 0], [-1, 0, 1], [0, 1, 0], [0, -1, 1]])
    lines = sides @ np.linalg.inv(homography) @ to_middle
    before = np.linalg.inv(homography)[2] @ to_middle[:, 2] > 0
    if not before or lines[:, 2].min() <= 0:
        return float("inf")
    reach = np.abs(lines[:, 0]) * width / 2 + np.abs(lines[:, 1]) * height / 2
    return float((reach / lines[:, 2]).max())


def _forward(
    cards: list[list[Card]], cameras: list[CameraState], there: NDArray[np.bool_]
) -> float | None:
    """Return the least step ahead, in metres along each camera's axis, that covers all edges."""

    def covered(step: float) -> bool:
        stepped = []
        for camera in cameras:
            x, y, z = (camera.world_from_camera @ space.pose((0, 0, -step)))[:3, 3].tolist()
            stepped.append(replace(camera, position=(x, y, z)))
        return bool((_needed(cards, stepped, there) <= 1 + 1e-9).all())

    far = 0.01
    while not covered(far):
        far *= 2
        if far > 1000:
            return None
    near = 0.0
    for _ in range(20):
        middle = (near + far) / 2
        near, far = (near, middle) if covered(middle) else (middle, far)
    return far
