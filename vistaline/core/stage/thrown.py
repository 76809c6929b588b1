"""Shadows that lamps throw: which cards stand in their light, and how places look back.

Seen back from a place towards a lamp of a given size, a card hides part of the lamp. That part is
the card's picture, blurred by the lamp's own outline as seen through the card: a disc whose
diameter on the card is the lamp's, times the way from card to place over that from lamp to place.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.geometry import space
from vistaline.core.geometry.bodies import mesh_of
from vistaline.core.looks.gobos import GoboShape
from vistaline.core.relief.sheets import SHEETS, SLICES
from vistaline.core.shot.lamps import LampKind
from vistaline.core.stage.cards import Card
from vistaline.core.stage.lamps import Light
from vistaline.core.stage.raising import Raised
from vistaline.core.stage.textures import GoboLook, RaisedLook

__all__ = ["Thrown", "gobos_of", "thrown_by"]

PARALLEL_AWAY = 10.0
"""Metres at which a parallel lamp's size is told: as if it stood there."""
_GRAZING = 1e-9
_LEAST_OF_A_SLICE = 0.002
"""Of a relief: a slice that has less of it is what lies on its edges."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Thrown:
    """One card in the light of one lamp."""

    caster: Card | None
    """None: what a lamp throws itself, its gobo."""
    texture: str
    width: float
    """Metres of the caster, as its texture is wide,"""
    height: float
    """and as it is high."""
    opacity: float
    unit_from_world: FloatArray
    """(3, 4): from a place, homogeneous, to where it looks back at the lamp through the card: unit
    texture coordinates (0..1, y down)."""
    beyond: FloatArray
    """(4,): metres that a place, homogeneous, lies behind the card, as seen from the lamp."""
    before: float
    """Metres of the lamp before the card's plane; infinite of parallel light."""
    size: float
    """The lamp's diameter in metres; of parallel light, how much the blur grows by a metre; of a
    gobo, whose ``before`` is 0, the blur itself."""
    channel: int = 3
    """Which of the texture's channels hides: alpha; or as far as this colour is dark."""
    dark_around: bool = False
    """Whether beside the caster it is dark."""
    outline: FloatArray | None = None
    """(N, 3, 2) triangles that hide, in unit texture coordinates, of what throws them instead of a
    texture: a body, as the lamp sees it."""

    def blur_at(self, beyond: FloatArray) -> FloatArray:
        """Return the blur's diameter on the card, in metres, for places so far ``beyond`` it."""
        if np.isinf(self.before):
            return self.size * beyond
        return self.size * beyond / (self.before + beyond)


def thrown_by(light: Light, cards: Sequence[Card]) -> list[Thrown]:
    """Return the shadows that a lamp's light throws of cards, whatever they fall on.

    Flat cards that show a picture of their own throw shadows, and bodies, all of them. Planes that
    catch the taking camera's picture do not: a wall that is only drawn where the picture shows it
    would keep the light out of its own room. A relief throws that of a few flat slices of it.
    """
    lamp = light.lamp
    if not lamp.shadows or lamp.kind is LampKind.AMBIENT:
        return []
    found: list[Thrown | None] = []
    for card in filter(_casts, cards):
        if card.raised:
            found += _thrown_by_relief(light, card, card.raised)
        else:
            found.append(_thrown_by_body(light, card) if card.layer.body else _thrown(light, card))
    return [each for each in found if each]


def gobos_of(light: Light, aspect: float) -> list[Thrown]:
    """Return what a lamp throws itself: its gobo, of ``aspect`` (width over height); or nothing.

    A shape is one; a picture is one for each colour, red first. In a cone it is as large as lies
    just within.
    """
    lamp, gobo = light.lamp, light.lamp.gobo
    if gobo is None or lamp.kind not in (LampKind.SPOT, LampKind.PARALLEL):
        return []
    parallel = lamp.kind is LampKind.PARALLEL
    width = gobo.width
    if not parallel:
        across = 2 * math.tan(math.radians(lamp.cone / 2))
        width = across * aspect / math.hypot(aspect, 1)
    height = width / aspect
    way = light.way
    right = np.cross(way, [0.0, 1.0, 0.0])
    if np.linalg.norm(right) < 1e-6:
        right = np.array([1.0, 0.0, 0.0])
    right = right / np.linalg.norm(right)
    up = np.cross(right, way)
    ahead = np.array([*way, -float(way @ light.place)])
    u = np.array([*right, -float(right @ light.place)]) / width
    v = np.array([*-up, float(up @ light.place)]) / height
    scale = np.array([0.0, 0.0, 0.0, 1.0]) if parallel else ahead
    # In front of the lamp only; parallel light comes from anywhere.
    beyond = np.array([0.0, 0.0, 0.0, 1.0]) if parallel else ahead
    picture = gobo.shape is GoboShape.PICTURE
    return [
        Thrown(
            caster=None,
            texture=gobo.picture if picture else str(GoboLook(lamp.id)),
            width=width,
            height=height,
            opacity=1.0,
            unit_from_world=np.stack([u + 0.5 * scale, v + 0.5 * scale, scale]),
            beyond=beyond,
            before=0.0,
            size=gobo.blur * width,
            channel=channel,
            dark_around=True,
        )
        for channel in (range(3) if picture and gobo.picture else [0])
    ]


def _casts(card: Card) -> bool:
    layer = card.layer
    whole = card.projector is None or layer.body is not None
    return layer.casts_shadows and layer.stands_lit and whole and card.opacity > 0


def _thrown(light: Light, card: Card) -> Thrown | None:
    texture, *size = card.silhouette
    thrown = _from_plane(light, card, card.world_from_card, (size[0], size[1]))
    return replace(thrown, texture=texture) if thrown else None


def _thrown_by_relief(light: Light, card: Card, raised: Raised) -> list[Thrown | None]:
    """Return the shadows of a relief's slices, each as if it were flat, at its mean."""
    a, b = raised.shape
    if b == 0:
        return [_thrown(light, card)]
    apex = np.array(raised.apex) * card.width
    slices = np.minimum((raised.base * SLICES).astype(int), SLICES - 1)
    found = []
    for n in range(SLICES):
        here = raised.heights[slices == n]
        if len(here) < _LEAST_OF_A_SLICE * raised.base.size:
            continue
        nearer = a + b * float(here.mean())
        pose = card.world_from_card @ space.pose(tuple((apex * (1 - 1 / nearer)).tolist()))
        thrown = _from_plane(light, card, pose, (card.width / nearer, card.height / nearer))
        look = str(RaisedLook(SHEETS + 1 + n, card.layer.id))
        found.append(replace(thrown, texture=look) if thrown else None)
    return found


def _thrown_by_body(light: Light, card: Card) -> Thrown | None:
    """Return a body's shadow: that of its outline on a plane through its middle, which faces the
    lamp. None where the lamp stands in it."""
    assert card.layer.body
    points, faces = mesh_of(card.layer.body)
    half = np.array([card.width, card.height, card.depth]) / 2
    pose = card.world_from_card
    world = (points * half) @ pose[:3, :3].T + pose[:3, 3]
    parallel = light.lamp.kind is LampKind.PARALLEL
    normal = -light.way if parallel else light.place - pose[:3, 3]
    away = float(np.linalg.norm(normal))
    if away < _GRAZING:
        return None
    normal = normal / away
    beside = [0.0, 1.0, 0.0] if abs(normal[1]) < 0.9 else [1.0, 0.0, 0.0]
    right = np.cross(beside, normal)
    right /= np.linalg.norm(right)
    up = np.cross(normal, right)
    own = (world - pose[:3, 3]) @ np.stack([right, up, normal]).T
    flat = own[:, :2]
    if not parallel:
        if own[:, 2].max() > 0.999 * away:
            return None
        flat = flat * (away / (away - own[:, 2:]))
    low, high = flat.min(axis=0), flat.max(axis=0)
    width, height = np.maximum(high - low, _GRAZING).tolist()
    middle = (low + high) / 2
    facing = np.eye(4)
    facing[:3, :3] = np.stack([right, up, normal], axis=1)
    facing[:3, 3] = pose[:3, 3] + right * middle[0] + up * middle[1]
    unit = (flat - middle) / [width, -height] + 0.5
    thrown = _from_plane(light, card, facing, (width, height))
    return replace(thrown, texture="", outline=unit[faces]) if thrown else None


def _from_plane(
    light: Light, card: Card, pose: Matrix4, size: tuple[float, float]
) -> Thrown | None:
    """Return the shadow of a card that is so large, in metres, and stands like this."""
    parallel = light.lamp.kind is LampKind.PARALLEL
    normal = pose[:3, 2]
    plane = np.array([*normal, -float(normal @ pose[:3, 3])])
    source = np.array([*-light.way, 0.0]) if parallel else np.array([*light.place, 1.0])
    side = float(plane @ source)
    if abs(side) < _GRAZING:
        return None  # the light runs along the card
    # Through the card's plane, from the source: (plane . source) P - (plane . P) source.
    onto = side * np.eye(4) - np.outer(source, plane)
    card_from_world = np.linalg.inv(pose)[[0, 1, 3]]
    unit_from_card = np.array([[1 / size[0], 0, 0.5], [0, -1 / size[1], 0.5], [0, 0, 1]])
    away = PARALLEL_AWAY if parallel else 1.0
    beyond = -plane * (1 / side if parallel else np.sign(side))
    return Thrown(
        caster=card,
        texture=card.texture,
        width=size[0],
        height=size[1],
        opacity=card.opacity,
        unit_from_world=unit_from_card @ card_from_world @ onto * np.sign(side),
        beyond=beyond,
        before=np.inf if parallel else abs(side),
        size=light.lamp.size / away,
    )
