"""Layers as flat rectangles in the world."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from vistaline.core import space
from vistaline.core.arrays import FloatArray, Matrix3, Matrix4
from vistaline.core.camera import CameraState, camera_states
from vistaline.core.errors import EditError
from vistaline.core.frame_styles import FrameStyle, margin_of, window_of
from vistaline.core.lettering import extents
from vistaline.core.mounts import carry_of
from vistaline.core.optics import focal_length_px
from vistaline.core.shot import Layer, Shot, TakingCamera

__all__ = [
    "Card",
    "card_of",
    "framed_as",
    "metres_per_pixel",
    "own_size",
    "put",
    "taking_pose",
    "texture_of",
    "window_aspect",
]

_BEHIND_ALL = 3e6


@dataclass(frozen=True, kw_only=True, eq=False)
class Card:
    """A layer as a flat rectangle in the world, centred on its own origin, +Y its top."""

    layer: Layer
    texture: str
    """What its look is known by; see :func:`texture_of`."""
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


def metres_per_pixel(camera: TakingCamera, distance: float) -> float:
    """Return what one pixel of the taking camera's canvas measures at ``distance``."""
    assert camera.focal_length is not None
    return distance / focal_length_px(camera.focal_length, *camera.canvas)


@lru_cache(maxsize=64)
def taking_pose(camera: TakingCamera) -> Matrix4:
    """Return ``world_from_taking``, to be read only: every card of a shot asks for it."""
    pose = space.pose(camera.position, camera.pan, camera.tilt, camera.roll)
    pose.setflags(write=False)
    return pose


def card_of(shot: Shot, layer: Layer, camera: CameraState | None = None) -> Card:
    """Return where a layer stands, ``layer.scale`` 1 as it was taken or as large as it is.

    ``camera`` counts for what stays with the lens or faces it; without one such a layer stands
    as the first framing has it.
    """
    if layer.is_backdrop:
        return _backdrop(layer, camera or camera_states(shot, [0])[0])
    taking, carry = shot.taking_camera, carry_of(layer.ride, shot.mounts)
    width, height = (side * layer.scale for side in _unscaled_size(shot, layer, layer.distance))
    aside = np.array([layer.across, layer.up, -layer.distance])
    centre = _seen_at(shot, layer, width) + aside
    turn = space.rotation(layer.pan, layer.tilt, layer.roll)
    local = np.eye(4)
    frame = _frame_ratio(shot, layer)
    pivot = np.array([layer.pivot[0] * width * frame[0], layer.pivot[1] * height * frame[1], 0])
    local[:3, :3], local[:3, 3] = turn, centre + pivot - turn @ pivot
    card = Card(
        layer=layer,
        texture=texture_of(shot, layer),
        world_from_card=carry.pose(taking_pose(taking) @ local),
        width=width * carry.scale * frame[0],
        height=height * carry.scale * frame[1],
    )
    if layer.stays == "facing":
        return _facing(card, camera or camera_states(shot, [0])[0])
    if layer.stays == "lens" and camera is not None:
        return _with_lens(card, camera, camera_states(shot, [0])[0])
    return card


def put(shot: Shot, layer: Layer, world_from_card: Matrix4, enlarged: float = 1.0) -> Layer:
    """Return a layer placed so that its card stands like this, as large as now times ``enlarged``.

    The inverse of :func:`card_of`, whatever the layer rides on and turns about.

    Raises
    ------
    EditError
        That would be at or behind the taking camera, where no layer can stand.
    """
    carry = carry_of(layer.ride, shot.mounts)
    local = space.inverse_pose(taking_pose(shot.taking_camera)) @ carry.back(world_from_card)
    width, height = (
        side * layer.scale * enlarged for side in _unscaled_size(shot, layer, layer.distance)
    )
    turn, frame = local[:3, :3], _frame_ratio(shot, layer)
    pivot = np.array([layer.pivot[0] * width * frame[0], layer.pivot[1] * height * frame[1], 0])
    centre = local[:3, 3] - pivot + turn @ pivot
    distance = -float(centre[2])
    if distance <= 0:
        raise EditError(
            f"{layer.name} would stand behind the taking camera, where no layer can be kept. "
            "Move it before the camera first."
        )
    across, up, _ = (centre - _seen_at(shot, layer, width)).tolist()
    angles = layer.pan, layer.tilt, layer.roll
    if not np.allclose(space.rotation(*angles), turn, atol=1e-12):
        angles = space.angles_of(turn)
    return layer.evolve(
        distance=distance,
        across=across,
        up=up,
        scale=width / _unscaled_size(shot, layer, distance)[0],
        pan=angles[0],
        tilt=angles[1],
        roll=angles[2],
    )


def _seen_at(shot: Shot, layer: Layer, width: float) -> FloatArray:
    """Return how far (3,) the middle of a layer ``width`` metres wide was seen off the axis."""
    if layer.box is None:
        return np.zeros(3)
    x, y, wide, tall = layer.box
    canvas_width, canvas_height = shot.taking_camera.canvas
    metres = width / wide
    return np.array(
        [
            (x + wide / 2 - canvas_width / 2) * metres,
            -(y + tall / 2 - canvas_height / 2) * metres,
            0.0,
        ]
    )


def _unscaled_size(shot: Shot, layer: Layer, distance: float) -> tuple[float, float]:
    if layer.box is None:
        return own_size(shot, layer)
    metres = metres_per_pixel(shot.taking_camera, distance)
    return layer.box[2] * metres, layer.box[3] * metres


def own_size(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return a card's width and height in metres at scale 1, without what stands round it."""
    for drawn in (layer.field, layer.occluder):
        if drawn is not None:
            return drawn.width, drawn.height
    if layer.title is not None:
        return extents(layer.title)
    assert layer.width is not None, "the shot has been completed"
    if layer.height is not None:
        return layer.width, layer.height
    width, height = _picture_size(shot, layer)
    return layer.width, layer.width * height / width


def window_aspect(shot: Shot, layer: Layer) -> float | None:
    """Return width over height of the window a picture is seen in; None: as the picture."""
    if layer.crop is None:
        return None
    if layer.box is not None:
        return layer.box[2] / layer.box[3]
    width, height = own_size(shot, layer)
    return width / height


def framed_as(shot: Shot, layer: Layer) -> FrameStyle | None:
    """Return the style that is drawn round a layer's picture, if one is."""
    style = shot.frame_styles.get(layer.frame_style)
    return style if style and layer.picture and style.draws else None


def texture_of(shot: Shot, layer: Layer) -> str:
    """Return what a layer's look is known by: a picture's key, or its own id if it is drawn."""
    plain = layer.picture and layer.crop is None and framed_as(shot, layer) is None
    return layer.picture if plain else f"~{layer.id}"


def _frame_ratio(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return by how much a frame enlarges a layer, across and up."""
    style = framed_as(shot, layer)
    if style is None:
        return 1.0, 1.0
    width, height = window = window_of(_picture_size(shot, layer), window_aspect(shot, layer))
    margin = 2 * margin_of(style, window)
    return (width + margin) / width, (height + margin) / height


def _picture_size(shot: Shot, layer: Layer) -> tuple[int, int]:
    picture = shot.pictures[layer.picture]
    assert picture.width and picture.height, "the shot has been completed"
    return picture.width, picture.height


def _backdrop(layer: Layer, camera: CameraState) -> Card:
    """Return a card that fills the frame, farther away than anything can stand."""
    width, height = camera.frame_size
    # A little more than the frame: no edge is seen to be smoothed.
    metres = 1.01 * _BEHIND_ALL / camera.focal_px
    behind = space.pose((0.0, 0.0, -_BEHIND_ALL))
    return Card(
        layer=layer,
        texture=f"~{layer.id}",
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
