"""Layers as flat rectangles in the world."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.shot.layouts import layout_round
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.poses import (
    frame_ratio,
    layer_pose,
    projector_of,
    seen_at,
    taking_pose,
    texture_of,
    unscaled_size,
)
from vistaline.core.stage.raising import Raised, raised_of
from vistaline.core.stage.textures import DrapedLook, DrawnLook
from vistaline.core.stage.tracks import Track, track_of
from vistaline.core.stage.waving import Waving, hung_of

__all__ = [
    "Card",
    "backdrop_of",
    "card_of",
    "cards_over",
    "followed",
    "in_frame",
    "put",
    "tracked",
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
    opacity: float = 1.0
    framed: tuple[float, float] = (1.0, 1.0)
    """Which share of its width and height it has without the shadow that is drawn with it."""
    projector: FloatArray | None = None
    """(3, 4): it catches its picture from the taking camera; see :func:`poses.projector_of`."""
    raised: Raised | None = None
    """How it is raised, if it is a relief."""
    waving: Waving | None = None
    """How its points hang, if it is cloth."""

    @property
    def depth(self) -> float:
        """Metres from a body's front to its back; 0 of what is flat."""
        layer = self.layer
        wide = layer.size[0]
        return layer.depth * self.width / wide if layer.depth and wide else 0.0

    @property
    def outline(self) -> FloatArray:
        """Its corners (4, 3), homogeneous, in its own metres."""
        x, y = self.width / 2, self.height / 2
        return np.array([[-x, y, 1], [x, y, 1], [x, -y, 1], [-x, -y, 1]])

    @property
    def silhouette(self) -> tuple[str, float, float]:
        """What throws its shadow: what that is known by, its width and its height in metres.

        That of cloth is as it hangs then, seen straight on, with the room it flies in.
        """
        if self.waving is None:
            return self.texture, self.width, self.height
        across, up = self.waving.room
        name = str(DrapedLook(self.waving.frame, self.layer.id))
        return name, self.width * (1 + 2 * across), self.height * (1 + 2 * up)

    @property
    def card_from_unit(self) -> Matrix3:
        """3 x 3: unit texture coordinates (0..1, y down) to card metres (x, y)."""
        if self.projector is not None:
            unit_from_card = self.projector @ self.world_from_card[:, [0, 1, 3]]
            sizes = np.linalg.norm(unit_from_card, axis=0)
            if abs(np.linalg.det(unit_from_card)) < 1e-9 * np.prod(sizes):
                return np.zeros((3, 3))  # edge-on to its projector: it catches nothing
            return np.asarray(np.linalg.inv(unit_from_card), np.float64)
        return np.array(
            [
                [self.width, 0, -self.width / 2],
                [0, -self.height, self.height / 2],
                [0, 0, 1],
            ]
        )

    def image_from_card(self, camera: CameraState) -> Matrix3:
        """3 x 3 homography: card metres to frame pixels."""
        camera_from_card = camera.camera_from_world @ self.world_from_card
        return camera.image_from_camera @ camera_from_card[:3, [0, 1, 3]]

    def image_from_unit(self, camera: CameraState) -> Matrix3:
        """3 x 3 homography: unit texture coordinates to frame pixels."""
        return self.image_from_card(camera) @ self.card_from_unit

    def nearness(self, camera: CameraState) -> Matrix3:
        """Return a, b, c (3,) of 1/z = a x + b y + c: the card's inverse depth over the frame.

        With q = (x, y, 1) on the card and H its homography, H q = z times the frame's point; so
        the last row of H^-1 gives 1/z.
        """
        return np.linalg.inv(self.image_from_card(camera))[2]


def card_of(shot: Shot, layer: Layer, camera: CameraState | None = None) -> Card:
    """Return where a layer stands, ``layer.scale`` 1 as it was taken or as large as it is.

    Its values are those the shot keeps, whatever keys it has; :func:`tracks.track_of` follows
    those. ``camera`` counts for what stays with the lens or faces it; without one such a layer
    stands as the first framing has it.
    """
    if layer.is_backdrop:
        return backdrop_of(layer, camera or camera_states(shot, [0])[0])
    layout = layout_round(shot, layer) if camera else None
    if layout:
        # As it is in the middle of its time.
        middle = layout.starts + layout.frames // 2
        return followed(shot, tracked(layer, track_of(shot, layer, [middle]), 0), camera)
    pose, width, height = layer_pose(shot, layer)
    hung = hung_of(shot, layer)
    card = Card(
        layer=layer,
        texture=texture_of(shot, layer),
        world_from_card=pose,
        width=float(width),
        height=float(height),
        opacity=layer.opacity,
        projector=projector_of(shot, layer),
        raised=next(iter(raised_of(shot, layer) or ()), None),
        waving=Waving(hung, 0.0, 0) if hung else None,
    )
    return followed(shot, card, camera) if layer.stays != "stage" else card


def cards_over(
    shot: Shot, layer: Layer, frames: ArrayLike, cameras: Sequence[CameraState]
) -> list[Card]:
    """Return a layer's cards at ``frames`` (N,) before the cameras (N) of those frames."""
    if layer.is_backdrop:
        return [backdrop_of(layer, camera) for camera in cameras]
    track = track_of(shot, layer, frames)
    cards = [tracked(layer, track, n) for n in range(len(track.poses))] * (
        len(cameras) if track.still else 1
    )
    if layer.stays == "stage":
        return cards
    return [followed(shot, card, camera) for card, camera in zip(cards, cameras, strict=True)]


def tracked(layer: Layer, track: Track, n: int) -> Card:
    """Return a layer's card at the ``n``-th time of its track as it stands by itself."""
    n = 0 if track.still else n
    width, height = track.sizes[n].tolist()
    return Card(
        layer=layer,
        texture=track.textures[n],
        world_from_card=track.poses[n],
        width=width,
        height=height,
        opacity=float(track.opacity[n]),
        framed=(1.0, 1.0) if track.framed is None else _shares(track, n),
        projector=track.projector,
        raised=track.raised[n % len(track.raised)] if track.raised else None,
        waving=track.waving[n] if track.waving else None,
    )


def _shares(track: Track, n: int) -> tuple[float, float]:
    assert track.framed is not None
    across, up = (track.framed[n] / track.sizes[n]).tolist()
    return across, up


def followed(shot: Shot, card: Card, camera: CameraState | None) -> Card:
    """Return a card that faces the camera, or stays with its lens."""
    if card.layer.stays == "facing":
        return _facing(card, camera or camera_states(shot, [0])[0])
    if camera and layout_round(shot, card.layer):
        return in_frame(shot, card, camera)
    return _with_lens(card, camera, camera_states(shot, [0])[0]) if camera else card


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
        side * layer.scale * enlarged for side in unscaled_size(shot, layer, layer.distance)
    )
    turn, frame = local[:3, :3], frame_ratio(shot, layer)
    pivot = np.array([layer.pivot[0] * width * frame[0], layer.pivot[1] * height * frame[1], 0])
    centre = local[:3, 3] - pivot + turn @ pivot
    distance = -float(centre[2])
    if distance <= 0:
        raise EditError(
            f"{layer.name} would stand behind the taking camera, where no layer can be kept. "
            "Move it before the camera first."
        )
    seen = seen_at(shot, layer, np.asarray(width))
    across, up = float(centre[0] - seen[0]), float(centre[1] - seen[1])
    angles = layer.pan, layer.tilt, layer.roll
    if not np.allclose(space.rotation(*angles), turn, atol=1e-12):
        angles = space.angles_of(turn)
    return layer.evolve(
        distance=distance,
        across=across,
        up=up,
        scale=width / unscaled_size(shot, layer, distance)[0],
        pan=angles[0],
        tilt=angles[1],
        roll=angles[2],
    )


def backdrop_of(layer: Layer, camera: CameraState) -> Card:
    """Return a card that fills the frame, farther away than anything can stand."""
    width, height = camera.frame_size
    # A little more than the frame: no edge is seen to be smoothed.
    metres = 1.01 * _BEHIND_ALL / camera.focal_px
    right, up = camera.shift
    behind = space.pose((right * _BEHIND_ALL, up * _BEHIND_ALL, -_BEHIND_ALL))
    return Card(
        layer=layer,
        texture=str(DrawnLook(layer.id)),
        world_from_card=camera.world_from_camera @ behind,
        width=width * metres,
        height=height * metres,
        opacity=layer.opacity,
    )


def _facing(card: Card, camera: CameraState) -> Card:
    turned = card.world_from_card.copy()
    turned[:3, :3] = camera.world_from_camera[:3, :3] @ space.rotation(0, 0, card.layer.roll)
    return replace(card, world_from_card=turned)


_JUST_BEFORE, _FAR_BEHIND = 1.001 * NEAR, 1e5
"""Metres before the camera at which what stays with its lens begins: before or behind all."""


_ROOM_OF_LAID = (0.98, 0.999)
"""Where among what stays with the lens, 0 the nearest to 1 the farthest, layouts and callouts lie:
titles that stand no more than 49 m away are before them."""


def in_frame(shot: Shot, card: Card, camera: CameraState) -> Card:
    """Return a card that lies in the frame itself there, whatever the camera does.

    Its pose and size are told in frame widths, from the frame's middle, y up; z is its order: 0 to
    1, what is in front has more.
    """
    near, far = _ROOM_OF_LAID
    order = float(np.clip(card.world_from_card[2, 3], 0, 1))
    depth = _JUST_BEFORE * (1 + 0.01 * (far - (far - near) * order))
    # Not of the raster: that may have fewer pixels, and some beyond the frame.
    focal = focal_length_px(camera.lens, *shot.frame.size) * camera.enlarged
    metres = depth * shot.frame.width / focal
    in_camera = card.world_from_card.copy()
    right, up = camera.shift
    x, y = (in_camera[:2, 3] * metres).tolist()
    in_camera[:3, 3] = x + right * depth, y + up * depth, -depth
    return replace(
        card,
        world_from_card=camera.world_from_camera @ in_camera,
        width=card.width * metres,
        height=card.height * metres,
    )


def _with_lens(card: Card, camera: CameraState, first: CameraState) -> Card:
    """Return a card that is seen as the first framing sees it, whatever the camera does.

    It is brought along the camera's rays to where it cuts through nothing that stands.
    """
    # A longer lens would enlarge it; in the plane of the frame it shrinks by as much. Through
    # another point of the lens the frame lies elsewhere; it goes there with it.
    zoom = first.focal_px / camera.focal_px
    stretch = np.diag([zoom, zoom, 1.0, 1.0])
    aside = np.subtract(first.shift, camera.shift)
    stretch[:2, 2] = np.multiply(first.shift, zoom - 1) + aside
    in_camera = stretch @ first.camera_from_world @ card.world_from_card
    corners = in_camera[:, [0, 1, 3]] @ card.outline.T
    nearest = float((-corners[2]).min())
    if nearest <= 0:
        return replace(card, world_from_card=camera.world_from_camera @ in_camera)
    # Among themselves they keep their order; a hundredth tells them apart.
    begins = _FAR_BEHIND if card.layer.stays == "lens-behind" else _JUST_BEFORE
    ratio = begins * (1 + 0.01 * nearest / (1 + nearest)) / nearest
    in_camera[:3, 3] *= ratio
    return replace(
        card,
        world_from_card=camera.world_from_camera @ in_camera,
        width=card.width * ratio,
        height=card.height * ratio,
    )
