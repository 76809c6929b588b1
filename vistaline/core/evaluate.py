"""Shot + frame -> every matrix, opacity, lens and the draw order at that time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from math import exp, log

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core import space
from vistaline.core.arrays import Matrix3, Matrix4
from vistaline.core.channels import Channel, Key
from vistaline.core.optics import focal_length_px
from vistaline.core.ordering import NEAR, PlacedCard, draw_order
from vistaline.core.shot import Layer, Shot, TakingCamera

__all__ = ["CameraState", "Card", "FrameState", "camera_states", "card_of", "evaluate"]

FAR = 4e6
"""Metres: beyond the farthest a layer can stand from a camera."""


@dataclass(frozen=True, kw_only=True, eq=False)
class CameraState:
    """The shot's camera at one time."""

    position: tuple[float, float, float]
    pan: float
    tilt: float
    roll: float
    lens: float
    frame_size: tuple[int, int]

    @cached_property
    def focal_px(self) -> float:
        return focal_length_px(self.lens, *self.frame_size)

    @cached_property
    def world_from_camera(self) -> Matrix4:
        return space.pose(self.position, self.pan, self.tilt, self.roll)

    @cached_property
    def camera_from_world(self) -> Matrix4:
        return space.inverse_pose(self.world_from_camera)

    @cached_property
    def image_from_camera(self) -> Matrix3:
        return space.image_from_camera(self.focal_px, *self.frame_size)

    @cached_property
    def clip_from_world(self) -> Matrix4:
        """For OpenGL; depth is not used there, the draw order is."""
        clip = space.clip_from_camera(self.focal_px, *self.frame_size, near=NEAR, far=FAR)
        return clip @ self.camera_from_world


@dataclass(frozen=True, kw_only=True, eq=False)
class Card:
    """A layer as a flat rectangle in the world, centred on its own origin, +Y its top."""

    layer: Layer
    world_from_card: Matrix4
    width: float
    height: float

    @property
    def card_from_unit(self) -> Matrix3:
        """3 x 3: unit texture coordinates (0..1, y down) to card metres (x, y)."""
        return np.array(
            [
                [self.width, 0, -self.width / 2],
                [0, -self.height, self.height / 2],
                [0, 0, 1],
            ]
        )

    def image_from_unit(self, camera: CameraState) -> Matrix3:
        """3 x 3 homography: unit texture coordinates to frame pixels."""
        camera_from_card = camera.camera_from_world @ self.world_from_card
        return camera.image_from_camera @ camera_from_card[:3, [0, 1, 3]] @ self.card_from_unit

    def nearness(self, camera: CameraState) -> Matrix3:
        """Return a, b, c (3,) of 1/z = a x + b y + c: the card's inverse depth over the frame.

        With q = (u, v, 1) on the card and H its homography, H q = z (x, y, 1); so the last row
        of H^-1 gives 1/z.
        """
        return np.linalg.inv(self.image_from_unit(camera))[2]


@dataclass(frozen=True, kw_only=True, eq=False)
class FrameState:
    """Everything a renderer needs for one frame, whatever draws it."""

    camera: CameraState
    cards: Sequence[Card]
    """The shown layers' cards, in the shot's order."""
    order: Sequence[int]
    """Indices into ``cards``, far to near; cards wholly behind the camera are left out."""
    parallel: bool
    """All cards face one way, so the order holds all over the frame; else it may not."""


def metres_per_pixel(camera: TakingCamera, distance: float) -> float:
    """Return what one pixel of the taking camera's canvas measures at ``distance``."""
    assert camera.focal_length is not None
    return distance / focal_length_px(camera.focal_length, *camera.canvas)


def card_of(shot: Shot, layer: Layer) -> Card:
    """Return where a layer stands. ``layer.scale`` 1 shows it exactly as it was taken."""
    assert layer.box is not None, "the shot has been completed"
    x, y, width, height = layer.box
    canvas_width, canvas_height = shot.taking_camera.canvas
    metres = metres_per_pixel(shot.taking_camera, layer.distance) * layer.scale
    centre = (
        (x + width / 2 - canvas_width / 2) * metres + layer.across,
        -(y + height / 2 - canvas_height / 2) * metres + layer.up,
        -layer.distance,
    )
    taking = shot.taking_camera
    world_from_taking = space.pose(taking.position, taking.pan, taking.tilt, taking.roll)
    return Card(
        layer=layer,
        world_from_card=world_from_taking @ space.pose(centre, layer.pan, layer.tilt, layer.roll),
        width=width * metres,
        height=height * metres,
    )


def camera_states(shot: Shot, frames: ArrayLike) -> list[CameraState]:
    """Return the camera at ``frames`` (N,), whole or fractional."""
    # One channel for all that a framing holds: its ease is solved once. The lens travels by its
    # logarithm, so that equal steps of time change it by equal ratios.
    keys = [
        Key(
            frame=framing.frame,
            value=(*framing.position, framing.pan, framing.tilt, framing.roll, log(framing.lens)),
            ease=framing.curve,
        )
        for framing in shot.route.framings
    ]
    return [
        CameraState(
            position=(x, y, z),
            pan=pan,
            tilt=tilt,
            roll=roll,
            lens=exp(log_lens),
            frame_size=shot.frame.size,
        )
        for x, y, z, pan, tilt, roll, log_lens in Channel(keys)(frames).tolist()
    ]


def evaluate(shot: Shot, frames: ArrayLike) -> list[FrameState]:
    """Return the state at each of ``frames``; times before and after the route stand still."""
    cards = [card_of(shot, layer) for layer in shot.layers if not layer.hidden]
    parallel = _parallel(cards)
    order = _parallel_order if parallel else _exact_order
    return [
        FrameState(
            camera=camera,
            cards=cards,
            order=order(cards, camera) if cards else [],
            parallel=parallel,
        )
        for camera in camera_states(shot, frames)
    ]


def _parallel(cards: list[Card]) -> bool:
    normals = np.array([card.world_from_card[:3, 2] for card in cards])
    return bool(np.all(normals @ normals[0] > 1 - 1e-12)) if cards else True


def _parallel_order(cards: list[Card], camera: CameraState) -> list[int]:
    """Order cards that all face one way, by their planes' distance from the camera."""
    poses = np.array([card.world_from_card for card in cards])
    halves = np.array([(card.width, card.height) for card in cards]) / 2
    eye, ahead = np.array(camera.position), -camera.world_from_camera[:3, 2]
    depth = (poses[:, :3, 3] - eye) @ ahead
    reach = np.abs(poses[:, :3, :2].transpose(0, 2, 1) @ ahead * halves).sum(axis=1)
    # Rounded so that two cards at one distance tie, whatever the last bits say.
    gap = np.round(np.abs((poses[:, :3, 3] - eye) @ poses[0, :3, 2]), 9)
    seen = np.flatnonzero((depth + reach > NEAR) & (gap > 0))
    return [int(i) for i in sorted(seen, key=lambda i: (-gap[i], i))]


def _exact_order(cards: list[Card], camera: CameraState) -> list[int]:
    camera_from_world, image_from_camera = camera.camera_from_world, camera.image_from_camera
    return draw_order(
        [
            PlacedCard.seen(
                camera_from_world @ card.world_from_card,
                (card.width, card.height),
                image_from_camera,
            )
            for card in cards
        ]
    )
