"""A surface's picture as if it were seen straight on, thrown there by one projector or more.

Where several throw on one place, each counts by how squarely and from how near it does: the
cosine of the angle to the surface over the square of the distance, as light would. What stands
between a projector and the place keeps it off.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3, Rgba16
from vistaline.core.errors import EditError
from vistaline.core.picture.colour import codes_from_linear, linear16_from_srgb
from vistaline.core.picture.exemplar import Progress, fill_by_texture
from vistaline.core.stage.cards import Card

__all__ = ["Beyond", "Projector", "open_share", "straight_on", "straight_size"]

LONGEST, MOST = 4096, 8_000_000
"""Pixels along a side of a straight picture, and in it."""
_FILLED = 1_500_000
"""Pixels in which texture is filled; what is larger is filled smaller and enlarged."""
_GRID = 4
"""Texels a side of the squares in which it is told what stands between."""
_BETWEEN = 0.999
"""Something hides a place if it is met before this share of the way."""


class Beyond(StrEnum):
    """What a surface shows where no picture falls on it."""

    OPEN = "open"
    MIRROR = "mirror"
    FILL = "fill"


@dataclass(frozen=True, eq=False)
class Projector:
    """A picture and where it is thrown from."""

    picture: Rgba16
    unit_from_world: FloatArray
    """(3, 4): as :func:`poses.projector_of`."""
    position: FloatArray
    """(3,) metres."""
    barred: Sequence[Card] = ()
    """What stands in its way, if that counts."""


def straight_size(card: Card, projector: Projector) -> tuple[int, int]:
    """Return the pixels (width, height) with which nothing of the picture on a card is lost.

    At most ``LONGEST`` along a side and ``MOST`` in all.
    """
    height, width = projector.picture.shape[:2]
    texel_from_card = np.diag([width, height, 1.0]) @ _unit_from_card(card, projector)
    steps = np.linspace(-0.5, 0.5, 17)
    x, y = (each.ravel() for each in np.meshgrid(steps * card.width, steps * card.height))
    u, v, w = texel_from_card @ np.stack([x, y, np.ones(x.size)])
    inside = (w > 0) & (u >= 0) & (v >= 0) & (u <= width * w) & (v <= height * w)
    if not inside.any():
        raise EditError(
            f"Nothing of the picture falls on {card.layer.name}, so there is nothing to show."
        )
    m, at = texel_from_card, np.stack([u, v])[:, inside] / w[inside]
    per_metre = np.hypot(*((m[:2, :1] - at * m[2, 0]) / w[inside]))
    per_metre = np.maximum(per_metre, np.hypot(*((m[:2, 1:2] - at * m[2, 1]) / w[inside])))
    # Where a floor reaches the camera's feet texels have no bound: what is far counts more.
    density = float(np.quantile(per_metre, 0.9))
    density = min(
        density,
        LONGEST / max(card.width, card.height),
        math.sqrt(MOST / (card.width * card.height)),
    )
    return max(16, round(card.width * density)), max(16, round(card.height * density))


def open_share(card: Card) -> float:
    """Return the share (0..1) of a surface on which no picture falls."""
    assert card.projector is not None
    steps = (np.arange(48) + 0.5) / 48 - 0.5
    x, y = (each.ravel() for each in np.meshgrid(steps * card.width, steps * card.height))
    unit_from_card = card.projector @ card.world_from_card[:, [0, 1, 3]]
    u, v, w = unit_from_card @ np.stack([x, y, np.ones(x.size)])
    caught = (w > 0) & (u >= 0) & (v >= 0) & (u <= w) & (v <= w)
    return float(1 - caught.mean())


def straight_on(
    card: Card,
    projectors: Sequence[Projector],
    size: tuple[int, int],
    beyond: Beyond = Beyond.OPEN,
    *,
    progress: Progress = lambda share, words: None,
) -> Rgba16:
    """Return what is thrown on a card (height, width, 4), linear, premultiplied.

    ``size``: width and height in pixels, over the whole card. Raises ``EditError`` if nothing is.
    """
    width, height = size
    total = np.zeros((height, width, 4), np.float32)
    weights = np.zeros((height, width), np.float32)
    for projector in projectors:
        thrown, there = _thrown(card, projector, size, mirrored=beyond is Beyond.MIRROR)
        if len(projectors) > 1:
            there = there * _weight(card, projector, size)
        total += thrown * there[..., None]
        weights += there
    if not weights.any():
        raise EditError(
            f"Nothing of the picture falls on {card.layer.name}, so there is nothing to show."
        )
    mean = total / np.maximum(weights, 1e-12)[..., None]
    found = np.rint(mean).clip(0, 65535).astype(np.uint16)
    return _filled(found, progress) if beyond is Beyond.FILL else found


def _unit_from_card(card: Card, projector: Projector) -> Matrix3:
    return np.asarray(projector.unit_from_world @ card.world_from_card[:, [0, 1, 3]])


def _card_from_texel(card: Card, size: tuple[int, int]) -> Matrix3:
    width, height = card.width / size[0], card.height / size[1]
    return np.array([[width, 0, -card.width / 2], [0, -height, card.height / 2], [0, 0, 1.0]])


def _thrown(
    card: Card, projector: Projector, size: tuple[int, int], *, mirrored: bool
) -> tuple[np.ndarray, np.ndarray]:
    """Return what a projector throws on a card, and where it does (height, width) 0 or 1."""
    tall, wide = projector.picture.shape[:2]
    width, height = size
    source = np.diag([wide, tall, 1.0]) @ _unit_from_card(card, projector)
    source = source @ _card_from_texel(card, size)
    # OpenCV counts pixel centres from 0.
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    thrown = cv2.warpPerspective(
        projector.picture,
        np.linalg.inv(half) @ source @ half,
        size,
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REFLECT_101 if mirrored else cv2.BORDER_REPLICATE,
    )
    x, y = np.arange(width) + 0.5, np.arange(height)[:, None] + 0.5
    u, v, w = (source[k, 0] * x + source[k, 1] * y + source[k, 2] for k in range(3))
    there = w > 0
    if not mirrored:
        there &= (u >= 0) & (v >= 0) & (u <= wide * w) & (v <= tall * w)
    return thrown, there.astype(np.float32)


def _weight(card: Card, projector: Projector, size: tuple[int, int]) -> np.ndarray:
    """Return how much a projector counts on a card (height, width) float32."""
    width, height = (max(1, -(-side // _GRID)) for side in size)
    x = ((np.arange(width) + 0.5) / width - 0.5) * card.width
    y = (0.5 - (np.arange(height) + 0.5) / height) * card.height
    across, up = (each.ravel() for each in np.meshgrid(x, y))
    flat = np.stack([across, up, np.zeros(across.size), np.ones(across.size)])
    places = (card.world_from_card @ flat)[:3].T
    ways = places - projector.position
    distance = np.linalg.norm(ways, axis=1)
    facing = np.abs(ways @ card.world_from_card[:3, 2]) / np.maximum(distance, 1e-9)
    weight = facing / np.maximum(distance, 1e-9) ** 2
    for other in projector.barred:
        weight[_hidden_by(other, projector.position, ways)] = 0
    coarse = weight.reshape(height, width).astype(np.float32)
    return cv2.resize(coarse, size, interpolation=cv2.INTER_LINEAR)


def _hidden_by(card: Card, eye: FloatArray, ways: FloatArray) -> np.ndarray:
    """Tell on which ways (N, 3) from ``eye`` a card is met before their end."""
    turn, place = card.world_from_card[:3, :3], card.world_from_card[:3, 3]
    start, along = turn.T @ (eye - place), ways @ turn
    with np.errstate(divide="ignore", invalid="ignore"):
        share = -start[2] / along[:, 2]
        met = start + share[:, None] * along
    inside = (np.abs(met[:, 0]) <= card.width / 2) & (np.abs(met[:, 1]) <= card.height / 2)
    return np.asarray(inside & (share > 1e-6) & (share < _BETWEEN))


def _filled(picture: Rgba16, progress: Progress) -> Rgba16:
    """Return a picture with texture where it was transparent."""
    hole = picture[..., 3] < 65535
    if not hole.any():
        return picture
    height, width = picture.shape[:2]
    share = min(1.0, math.sqrt(_FILLED / (width * height)))
    small = (max(1, round(width * share)), max(1, round(height * share)))
    shrunk = cv2.resize(picture, small, interpolation=cv2.INTER_AREA)
    codes = codes_from_linear(shrunk.astype(np.uint16))
    gaps = cv2.resize(hole.astype(np.float32), small, interpolation=cv2.INTER_AREA) > 0
    filled = linear16_from_srgb(256)[fill_by_texture(codes, gaps, progress=progress)]
    large = cv2.resize(filled, (width, height), interpolation=cv2.INTER_CUBIC)
    whole = picture.copy()
    whole[hole, :3], whole[hole, 3] = large[hole], 65535
    return whole
