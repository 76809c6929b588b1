"""Soft shadows that cards cast on what is behind them, by its real distance.

Light falls in parallel rays, given in the card's own plane: for every metre that something is
behind it, the shadow lies so far aside and is so much softer. What a ray maps from the card to a
flat receiver is affine (parallel projection), so a shadow is a card that lies on the receiver.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4, Rgba16
from vistaline.core.looks.frame_styles import FrameStyle, Shadow, room_for
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card

__all__ = ["Cast", "Fallen", "Shade", "casts_of", "draw_shadow", "dropped", "softened_shade"]

_STEPS = 4
"""Steps of softness to a doubling."""
_REACH = 3.0
"""Deviations of the blur that a shadow's picture has room for."""
_LEAST_BLUR = 0.004


@dataclass(frozen=True, kw_only=True, eq=False)
class Shade:
    """Where a shadow's picture lies on what it falls on."""

    texture: str
    """What its picture is known by."""
    world_from_plane: Matrix4
    """Takes places (x, y, 0, 1) of the picture's own rectangle, centred on its origin, to the
    stage, homogeneous: affine where light is parallel, projective where it comes from a lamp."""
    width: float
    height: float

    @property
    def plane_from_unit(self) -> Matrix3:
        """3 x 3: unit texture coordinates (0..1, y down) to places in the rectangle."""
        return np.array(
            [[self.width, 0, -self.width / 2], [0, -self.height, self.height / 2], [0, 0, 1]]
        )

    def _image_from_plane(self, camera: CameraState) -> Matrix3:
        camera_from_plane = camera.camera_from_world @ self.world_from_plane
        return camera.image_from_camera @ camera_from_plane[:3, [0, 1, 3]]

    def image_from_unit(self, camera: CameraState) -> Matrix3:
        """3 x 3 homography: unit texture coordinates to frame pixels."""
        return self._image_from_plane(camera) @ self.plane_from_unit

    def nearness(self, camera: CameraState) -> FloatArray:
        """Return a, b, c (3,), proportional to 1/z = a x + b y + c over the frame."""
        return np.linalg.inv(self._image_from_plane(camera))[2]


@dataclass(frozen=True, kw_only=True, eq=False)
class Cast:
    """A shadow that lies on a card."""

    caster: int
    receiver: int
    """Indices into the cards."""
    shade: Shade
    strength: float


Fallen = dict[tuple[Card, Card, Shadow], "Shade | None"]
"""Shadows that have been computed: of a card, on a card, thrown as the style says."""


def casts_of(
    styles: Mapping[str, FrameStyle], cards: Sequence[Card], known: Fallen | None = None
) -> list[Cast]:
    """Return the shadows among the cards of a frame, with the ``styles`` it has then.

    ``known`` is looked up and added to: most cards are the same in every frame.
    """
    known = {} if known is None else known
    found = []
    for i, card in enumerate(cards):
        style = styles.get(card.layer.frame_style)
        if style is None or style.shadow is None or not card.layer.casts_shadows:
            continue
        if not card.layer.stands_lit:
            continue
        for n, receiver in enumerate(cards):
            if receiver is card or not receiver.layer.stands_lit:
                continue
            if not receiver.layer.takes_shadows:
                continue
            pair = card, receiver, style.shadow
            if pair not in known:
                known[pair] = _fallen(*pair)
            shade = known[pair]
            if shade is not None:
                strength = style.shadow.strength * card.opacity
                found.append(Cast(caster=i, receiver=n, shade=shade, strength=strength))
    return found


def _fallen(card: Card, receiver: Card, shadow: Shadow) -> Shade | None:
    pose, plane = card.world_from_card, receiver.world_from_card
    angle = math.radians(shadow.angle)
    aside = math.sin(angle) * pose[:3, 0] + math.cos(angle) * pose[:3, 1]
    ray = -pose[:3, 2] + shadow.distance * aside
    normal = plane[:3, 2]
    slope = float(ray @ normal)
    if abs(slope) < 1e-9:
        return None  # light runs along the receiver
    # The ray's component behind the card is 1: its parameter is the gap in metres.
    gap = float((plane[:3, 3] - pose[:3, 3]) @ normal) / slope
    if gap <= 1e-6:
        return None
    fallen = np.eye(4)
    for k in range(2):
        fallen[:3, k] = pose[:3, k] - ray * float(pose[:3, k] @ normal) / slope
    fallen[:3, 2], fallen[:3, 3] = normal, pose[:3, 3] + gap * ray
    shade = softened_shade(card, fallen, shadow.softness * gap / 2)
    return shade if _touches(fallen, (shade.width, shade.height), receiver) else None


def softened_shade(card: Card, fallen: Matrix4, deviation: float) -> Shade:
    """Return a card's shadow, blurred by a deviation in metres of the card.

    ``fallen`` takes places (x, y, 0, 1) of the card to where they fall.
    """
    texture, width, height = card.silhouette
    longer = max(width, height)
    steps = softness_steps(deviation / longer)
    room = softness_in(steps) * longer * _REACH
    return Shade(
        texture=f"shadow {steps} {texture}",
        world_from_plane=fallen,
        width=width + 2 * room,
        height=height + 2 * room,
    )


def _touches(fallen: FloatArray, size: tuple[float, float], receiver: Card) -> bool:
    corners = np.array([[x, y, 0, 1] for x in (-0.5, 0.5) for y in (-0.5, 0.5)])
    there = (corners * [*size, 1, 1]) @ fallen.T
    own = (there[:, :3] - receiver.world_from_card[:3, 3]) @ receiver.world_from_card[:3, :2]
    half = np.array([receiver.width, receiver.height]) / 2
    return bool((own.min(axis=0) < half).all() and (own.max(axis=0) > -half).all())


def softness_steps(share: float) -> int:
    """Return the nearest step to a blur, as a share of the card's longer side."""
    return round(_STEPS * math.log2(max(share, _LEAST_BLUR)))


def softness_in(steps: int) -> float:
    """Return the blur's deviation, as a share of the card's longer side."""
    return 2.0 ** (steps / _STEPS)


def draw_shadow(look: Rgba16, steps: int, *, side: int = 384) -> Rgba16:
    """Return the shadow of a look as a picture: black, with the room its blur needs all round."""
    share = softness_in(steps)
    # A very soft shadow needs few pixels: its blur is never more than a quarter of them.
    longer = max(16, round(side / (1 + 2 * _REACH * share)))
    scale = longer / max(look.shape[:2])
    width, height = (max(1, round(n * scale)) for n in (look.shape[1], look.shape[0]))
    room = round(_REACH * share * longer)
    alpha = cv2.resize(look[..., 3], (width, height), interpolation=cv2.INTER_AREA)
    padded = cv2.copyMakeBorder(
        alpha.astype(np.float32), room, room, room, room, cv2.BORDER_CONSTANT
    )
    blurred = cv2.GaussianBlur(padded, (0, 0), max(0.3, share * longer))
    shadow = np.zeros((*blurred.shape, 4), np.uint16)
    shadow[..., 3] = np.rint(np.clip(blurred, 0, 65535))
    return shadow


def dropped(look: Rgba16, shadow: Shadow, lift: float, window: tuple[int, int]) -> Rgba16:
    """Return a look with its shadow behind it, and the room that takes on every side.

    ``lift``: how far it is before what is behind, as a share of the shorter side of its
    ``window`` (width, height in pixels).
    """
    gap, room = lift * min(window), room_for(shadow, lift, window)
    height, width = look.shape[0] + 2 * room, look.shape[1] + 2 * room
    angle = math.radians(shadow.angle)
    right, down = shadow.distance * gap * math.sin(angle), -shadow.distance * gap * math.cos(angle)
    deviation = max(0.3, shadow.softness * gap / 2)
    # What is soft needs few pixels.
    coarse = max(1, int(deviation / 3))
    small = math.ceil(width / coarse), math.ceil(height / coarse)
    aside = np.array(
        [[1 / coarse, 0, (room + right) / coarse], [0, 1 / coarse, (room + down) / coarse]]
    )
    aside[:, 2] += 0.5 / coarse - 0.5  # OpenCV counts pixel centres from 0
    alpha = cv2.blur(look[..., 3].astype(np.float32), (coarse, coarse))
    fallen = cv2.warpAffine(alpha, aside, small, flags=cv2.INTER_LINEAR)
    fallen = cv2.GaussianBlur(fallen, (0, 0), deviation / coarse)
    fallen = cv2.resize(fallen, (small[0] * coarse, small[1] * coarse))[:height, :width]
    found = np.zeros((height, width, 4), np.float32)
    found[..., 3] = fallen * shadow.strength
    inside = found[room : room + look.shape[0], room : room + look.shape[1]]
    inside *= 1 - look[..., 3:].astype(np.float32) / 65535
    inside += look
    return np.rint(np.clip(found, 0, 65535)).astype(np.uint16)
