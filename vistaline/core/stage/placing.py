"""Small steps of placing: where a layer stands by itself, and what a drag in the picture means."""

from __future__ import annotations

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.cards import Card, card_of
from vistaline.core.stage.poses import metres_per_pixel, taking_pose

__all__ = ["as_card", "caught_box", "dragged", "outline_in", "point_on", "size_check", "stage_card"]

_RIGHT, _OFF = 0.005, 0.05
"""Shares by which a shape may differ from the truth: not worth telling, and wrong."""


def stage_card(shot: Shot, layer: Layer) -> Card:
    """Return where a layer stands by itself, whether or not it is then turned to the camera."""
    stood = layer if layer.stays == "stage" else layer.with_stands(stays="stage")
    return card_of(shot, stood)


def as_card(shot: Shot, layer: Layer) -> Layer:
    """Return a layer that the taking camera saw as a card of the size it has; not placed yet."""
    if layer.box is None:
        return layer
    metres = metres_per_pixel(shot.taking_camera, layer.distance) * layer.scale
    _, _, width, height = layer.box
    tall = height * metres if layer.crop else None
    card = FreeCard(width=width * metres, height=tall, stays=layer.stays)
    if not layer.picture:
        card = FreeCard(stays=layer.stays)  # what is drawn has a size of its own
    return layer.evolve(stands=card, scale=1.0)


def dragged(shot: Shot, layer: Layer, frame: int, dx: float, dy: float) -> tuple[float, float]:
    """Return by how many metres across and up a drag moves a layer in its plane.

    ``dx``, ``dy``: frame pixels at ``frame``, measured at the layer's middle. The plane it slides
    in is upright before the taking camera, as its mount has turned that.

    Raises
    ------
    EditError
        The plane is seen from its side there.
    """
    camera = camera_states(shot, [frame])[0]
    carry, axes = carry_of(layer.ride, shot.mounts), taking_pose(shot.taking_camera)
    middle = stage_card(shot, layer).world_from_card[:3, 3]
    plane = np.eye(4)
    plane[:3, 0], plane[:3, 1] = carry.vector(axes[:3, 0]), carry.vector(axes[:3, 1])
    plane[:3, 3] = middle
    camera_from_plane = (camera.camera_from_world @ plane)[:3][:, [0, 1, 3]]
    image_from_plane = np.asarray(camera.image_from_camera @ camera_from_plane, np.float64)
    if abs(np.linalg.det(image_from_plane)) < 1e-9:
        raise EditError(f"{layer.name} is seen from its side here. Drag it on the plan instead.")
    seen = space.project(image_from_plane, np.zeros((1, 2)))
    plane_from_image = np.asarray(np.linalg.inv(image_from_plane), np.float64)
    target = space.project(plane_from_image, seen + np.array([dx, dy]))[0]
    return float(target[0]), float(target[1])


def point_on(card: Card, camera: CameraState, at: tuple[float, float]) -> tuple[float, float]:
    """Return where on a card a frame pixel is: shares of its size from its middle, y up.

    Raises
    ------
    EditError
        The card is seen from its side, or is not before the camera there.
    """
    image_from_card = card.image_from_card(camera)
    if abs(np.linalg.det(image_from_card)) < 1e-12:
        raise EditError(f"{card.layer.name} is seen from its side here. Go to another frame.")
    x, y, w = np.linalg.inv(image_from_card) @ (*at, 1.0)
    if w <= 0:
        raise EditError(f"{card.layer.name} is not before the camera there. Point at it.")
    return float(x / w / card.width), float(y / w / card.height)


def outline_in(card: Card, camera: CameraState) -> FloatArray:
    """Return a card's corners (4, 2) in frame pixels, from its top left on, clockwise.

    Raises
    ------
    EditError
        It is not wholly before the camera.
    """
    corners = np.array([[-0.5, 0.5], [0.5, 0.5], [0.5, -0.5], [-0.5, -0.5]])
    flat = np.column_stack([corners * [card.width, card.height], np.zeros(4), np.ones(4)])
    there = flat @ (camera.camera_from_world @ card.world_from_card).T
    if (there[:, 2] >= -1e-6).any():
        raise EditError(f"{card.layer.name} is not wholly before the camera here.")
    seen = there[:, :3] @ camera.image_from_camera.T
    return seen[:, :2] / seen[:, 2:3]


def caught_box(shot: Shot, layer: Layer) -> tuple[float, float, float, float]:
    """Return which part of its picture a surface catches: left, top, width, height in shares.

    The box round what its corners catch, within the picture; all of it for what is no surface.
    """
    card = stage_card(shot, layer)
    if card.projector is None:
        return 0.0, 0.0, 1.0, 1.0
    corners = np.array([[x, y, 0, 1] for x in (-0.5, 0.5) for y in (-0.5, 0.5)])
    corners[:, :2] *= [card.width, card.height]
    caught = card.projector @ card.world_from_card @ corners.T
    # What lies behind the taking camera catches nothing; the rest tells.
    caught = caught[:, caught[2] > 1e-9]
    if not caught.size:
        return 0.0, 0.0, 1.0, 1.0
    u, v = np.clip(caught[:2] / caught[2], 0, 1)
    left, top = float(u.min()), float(v.min())
    return left, top, max(float(np.ptp(u)), 0.01), max(float(np.ptp(v)), 0.01)


def size_check(known: tuple[float, float], size: tuple[float, float]) -> tuple[str, bool]:
    """Return what to say of a surface's shape against its size in truth, and whether it is off.

    Both are width and height in metres. Only their ratio tells: how large all is, is another
    question.

    >>> size_check((0.9, 2.0), (1.0, 2.0))
    ('11.1 % too wide for its height', True)
    """
    ratio = (size[0] / size[1]) / (known[0] / known[1])
    if abs(ratio - 1) < _RIGHT:
        return "its shape is right", False
    words = "wide for its height" if ratio > 1 else "high for its width"
    return f"{100 * (max(ratio, 1 / ratio) - 1):.1f} % too {words}", abs(ratio - 1) > _OFF
