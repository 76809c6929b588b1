"""Which card is in front of which.

The inverse depth of a flat card is linear across the frame: 1/z = a x + b y + c. So of two cards
that share a piece of the frame, the one with the larger inverse depth at every corner of that
piece is in front of the other all over it. That is exact unless the two cut through each other.
"""

from __future__ import annotations

from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.space import clip_polygon_near

__all__ = ["PlacedCard", "draw_order"]

NEAR = 0.01
"""Metres: nothing nearer to the lens is seen."""


@dataclass(frozen=True, kw_only=True, eq=False)
class PlacedCard:
    """A card as one camera sees it."""

    outline: FloatArray
    """(M, 2): the part of it before the camera, in frame pixels; M is 0 if none is."""
    inverse_depth: FloatArray
    """(3,): a, b, c of 1/z = a x + b y + c, in 1/metres, at frame pixel (x, y)."""
    camera_from_card: FloatArray

    @classmethod
    def seen(
        cls, camera_from_card: FloatArray, size: tuple[float, float], image_from_camera: Matrix3
    ) -> PlacedCard:
        """Return a card of ``size`` metres (width, height), centred on its own origin."""
        half_width, half_height = size[0] / 2, size[1] / 2
        corners = np.array(
            [
                [-half_width, half_height, 0, 1],
                [half_width, half_height, 0, 1],
                [half_width, -half_height, 0, 1],
                [-half_width, -half_height, 0, 1],
            ]
        )
        visible = clip_polygon_near((corners @ camera_from_card.T)[:, :3], NEAR)
        mapped = visible @ image_from_camera.T
        normal = camera_from_card[:3, 2]
        offset = normal @ camera_from_card[:3, 3]
        # A point seen at p lies at z K^-1 p; on the plane normal . (z K^-1 p) = offset.
        with np.errstate(divide="ignore", invalid="ignore"):
            inverse_depth = (normal @ np.linalg.inv(image_from_camera)) / offset
        return cls(
            outline=mapped[:, :2] / mapped[:, 2:3] if len(mapped) else np.zeros((0, 2)),
            inverse_depth=inverse_depth,
            camera_from_card=camera_from_card,
        )

    @property
    def visible(self) -> bool:
        return len(self.outline) >= 3 and bool(np.all(np.isfinite(self.inverse_depth)))


def draw_order(cards: list[PlacedCard]) -> list[int]:
    """Return indices of the visible cards, far to near.

    Of two in one plane, the later in the list is nearer. Where cards cut through each other or
    overlap in a ring, the order falls back on the depth at their middle.
    """
    visible = [i for i, card in enumerate(cards) if card.visible]
    by_middle = sorted(visible, key=lambda i: (_middle_nearness(cards[i]), i))
    sorter: TopologicalSorter[int] = TopologicalSorter({i: () for i in by_middle})
    for position, i in enumerate(by_middle):
        for j in by_middle[position + 1 :]:
            nearer = _nearer(cards, i, j)
            if nearer is not None:
                sorter.add(nearer, i + j - nearer)
    try:
        sorter.prepare()
    except CycleError:
        return by_middle
    rank = {i: position for position, i in enumerate(by_middle)}
    order: list[int] = []
    while sorter.is_active():
        ready = sorted(sorter.get_ready(), key=rank.__getitem__)
        order.extend(ready)
        sorter.done(*ready)
    return order


def _middle_nearness(card: PlacedCard) -> float:
    x, y = card.outline.mean(axis=0)
    return float(card.inverse_depth @ (x, y, 1))


def _nearer(cards: list[PlacedCard], i: int, j: int) -> int | None:
    """Return which of two cards is in front where they overlap; None if they never meet."""
    low = np.maximum(cards[i].outline.min(axis=0), cards[j].outline.min(axis=0))
    high = np.minimum(cards[i].outline.max(axis=0), cards[j].outline.max(axis=0))
    if np.any(low >= high):
        return None
    # Outlines may reach far beyond the frame; brought to a common scale so float32 suffices.
    centre, spread = (low + high) / 2, max(float(np.max(high - low)), 1e-9)
    area, shared = cv2.intersectConvexConvex(
        ((cards[i].outline - centre) / spread).astype(np.float32),
        ((cards[j].outline - centre) / spread).astype(np.float32),
    )
    if area <= 1e-9 or shared is None:
        return None
    points = np.column_stack([shared[:, 0] * spread + centre, np.ones(len(shared))])
    lead = points @ (cards[i].inverse_depth - cards[j].inverse_depth)
    scale = float(np.max(np.abs(points @ cards[i].inverse_depth)))
    if np.all(np.abs(lead) < 1e-6 * scale):
        return max(i, j)
    return i if lead.mean() > 0 else j
