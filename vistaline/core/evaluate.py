"""Shot + frame -> every matrix, opacity, lens and the draw order at that time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from math import exp, log

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core import space
from vistaline.core.arrays import Matrix3, Matrix4
from vistaline.core.channels import Channel, Key
from vistaline.core.lettering import extents
from vistaline.core.optics import focal_length_px
from vistaline.core.ordering import NEAR, draw_order
from vistaline.core.shot import Layer, Shot, TakingCamera

__all__ = ["CameraState", "Card", "FrameState", "camera_states", "card_of", "evaluate", "own_size"]

FAR = 4e6
"""Metres: beyond the farthest a layer can stand from a camera."""
_BEHIND_ALL = 3e6


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
    """Rigid, but for what stays with the lens: that is also stretched along the frame."""
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


def card_of(shot: Shot, layer: Layer, camera: CameraState | None = None) -> Card:
    """Return where a layer stands, ``layer.scale`` 1 as it was taken or as large as it is.

    ``camera`` counts for what stays with the lens or faces it; without one such a layer stands
    as the first framing has it.
    """
    taking = shot.taking_camera
    centre = (layer.across, layer.up, -layer.distance)
    if layer.box is not None:
        x, y, width, height = layer.box
        canvas_width, canvas_height = taking.canvas
        metres = metres_per_pixel(taking, layer.distance) * layer.scale
        centre = (
            (x + width / 2 - canvas_width / 2) * metres + layer.across,
            -(y + height / 2 - canvas_height / 2) * metres + layer.up,
            -layer.distance,
        )
        size = width * metres, height * metres
    else:
        width, height = own_size(shot, layer)
        size = width * layer.scale, height * layer.scale
    local = space.pose(centre, layer.pan, layer.tilt, layer.roll)
    world_from_taking = space.pose(taking.position, taking.pan, taking.tilt, taking.roll)
    card = Card(
        layer=layer, world_from_card=world_from_taking @ local, width=size[0], height=size[1]
    )
    if layer.is_backdrop:
        return _backdrop(layer, camera or camera_states(shot, [0])[0])
    if layer.stays == "facing":
        return _facing(card, camera or camera_states(shot, [0])[0])
    if layer.stays == "lens" and camera is not None:
        return _with_lens(card, camera, camera_states(shot, [0])[0])
    return card


def own_size(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return a card's width and height in metres at scale 1."""
    if layer.field is not None:
        return layer.field.width, layer.field.height
    if layer.title is not None:
        return extents(layer.title)
    assert layer.width is not None, "the shot has been completed"
    picture = shot.pictures[layer.picture]
    assert picture.width and picture.height, "the shot has been completed"
    return layer.width, layer.width * picture.height / picture.width


def _backdrop(layer: Layer, camera: CameraState) -> Card:
    """Return a card that fills the frame, farther away than anything can stand."""
    width, height = camera.frame_size
    # A little more than the frame: no edge is seen to be smoothed.
    metres = 1.01 * _BEHIND_ALL / camera.focal_px
    behind = space.pose((0.0, 0.0, -_BEHIND_ALL))
    return Card(
        layer=layer,
        world_from_card=camera.world_from_camera @ behind,
        width=width * metres,
        height=height * metres,
    )


def _facing(card: Card, camera: CameraState) -> Card:
    turned = card.world_from_card.copy()
    turned[:3, :3] = camera.world_from_camera[:3, :3] @ space.rotation(0, 0, card.layer.roll)
    return replace(card, world_from_card=turned)


def _with_lens(card: Card, camera: CameraState, first: CameraState) -> Card:
    """Return a card that is seen as the first framing sees it, whatever the camera does."""
    # A longer lens would enlarge it; in the plane of the frame it shrinks by as much.
    zoom = first.focal_px / camera.focal_px
    in_camera = np.diag([zoom, zoom, 1.0, 1.0]) @ first.camera_from_world @ card.world_from_card
    return replace(card, world_from_card=camera.world_from_camera @ in_camera)


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
    cameras = camera_states(shot, frames)
    shown = [layer for layer in shot.layers if not layer.hidden]
    standing = [None if _moves_with_camera(layer) else card_of(shot, layer) for layer in shown]
    still = all(card is not None for card in standing)
    states: list[FrameState] = []
    for camera in cameras:
        if states and still:
            cards, parallel = list(states[0].cards), states[0].parallel
        else:
            cards = [
                card or card_of(shot, layer, camera)
                for layer, card in zip(shown, standing, strict=True)
            ]
            parallel = _parallel(cards)
        states.append(
            FrameState(
                camera=camera, cards=cards, order=_order(cards, camera, parallel), parallel=parallel
            )
        )
    return states


def _order(cards: list[Card], camera: CameraState, parallel: bool) -> list[int]:
    """Return indices far to near; backdrops are behind everything, whatever it is."""
    last = [i for i, card in enumerate(cards) if card.layer.is_backdrop]
    rest = [i for i, card in enumerate(cards) if not card.layer.is_backdrop]
    order = _parallel_order if parallel else _exact_order
    found = order([cards[i] for i in rest], camera) if rest else []
    return [*last, *(rest[i] for i in found)]


def _moves_with_camera(layer: Layer) -> bool:
    return layer.stays != "stage" or layer.is_backdrop


def _parallel(cards: list[Card]) -> bool:
    normals = np.array(
        [card.world_from_card[:3, 2] for card in cards if not card.layer.is_backdrop]
    )
    return bool(np.all(normals @ normals[0] > 1 - 1e-12)) if len(normals) else True


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
    return draw_order(
        camera.camera_from_world @ np.array([card.world_from_card for card in cards]),
        np.array([(card.width, card.height) for card in cards]),
        camera.image_from_camera,
    )
