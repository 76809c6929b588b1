"""A frame as the mean of many: the same moment seen through many points of a lens."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from vistaline.core.geometry.irises import points_of
from vistaline.core.render import composite
from vistaline.core.render.canvas import CompositeBand
from vistaline.core.render.discs import LEAST_BLUR
from vistaline.core.render.laying import EDGES, Cards
from vistaline.core.render.sample import fetchable
from vistaline.core.render.source import Quality
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState

__all__ = ["Mean", "View", "views_of"]

_TEXEL = 0.7
"""How large a texel may be over the distance of two lens points in the disc: measured, more
looks soft."""


@dataclass(frozen=True, eq=False)
class View:
    """One of the views whose mean a frame is."""

    state: FrameState
    count: int
    """How many views there are."""

    def quality_for(self, card: Card, quality: Quality) -> Quality:
        """Return how finely a card is sampled: what is blurred by the mean needs no more detail
        than lies between two lens points, and without it no ghosts are seen."""
        if self.count == 1:
            return quality
        radius = min(blurs_of(card, self.state), default=0.0)
        apart = radius * math.sqrt(math.pi / self.count)
        bias = max(quality.bias, math.log2(max(1.0, _TEXEL * apart)))
        return replace(quality, bias=bias)


def blurs_of(card: Card, state: FrameState) -> list[float]:
    """Return the radius in pixels of the disc at each of a card's corners that is ahead."""
    camera = state.camera
    if camera.optics is None or card.layer.on_lens or card.layer.is_backdrop:
        return [0.0]
    corners = card.outline[:, :2] @ card.world_from_card[:3, :2].T + card.world_from_card[:3, 3]
    away = (corners - np.array(camera.position)) @ -camera.world_from_camera[:3, 2]
    return [camera.optics.blur(camera.focal_px, float(z)) for z in away if z > 1e-3]


def views_of(state: FrameState, quality: Quality) -> Sequence[View]:
    """Return what a frame is the mean of: one view, where all that is seen is sharp."""
    optics = state.camera.optics
    if optics is None or optics.hole <= 0 or not quality.views:
        return [View(state, 1)]
    blur = max(
        (radius for i in state.order for radius in blurs_of(state.cards[i], state)), default=0.0
    )
    if blur < LEAST_BLUR:
        return [View(state, 1)]
    iris = optics.iris
    points = points_of(quality.views, iris.blades, iris.turn, iris.roundness)
    return [
        View(state.seen_by(state.camera.through(right, up)), quality.views)
        for right, up in points.tolist()
    ]


class Mean:
    """The mean of frames in linear light, with their alpha."""

    def __init__(self, size: tuple[int, int]) -> None:
        width, height = size
        self._sum = np.zeros((height, width, 4), np.uint32)
        self._count = 0

    def add(self, y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
        """Add a band of a frame; bands may be added by several threads."""
        band = np.empty((y1 - y0, self._sum.shape[1], 4), np.uint16)
        composite.composite_linear(cards, ground, y0, band)
        self._sum[y0:y1] += band
        if y0 == 0:
            self._count += 1

    def finished(self, ground: np.ndarray, composite_band: CompositeBand) -> None:
        """Hand the mean on, over a ground, in one band."""
        height, width = self._sum.shape[:2]
        mean = ((self._sum + self._count // 2) // self._count).astype(np.uint16)
        lines, columns = -(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)
        edges = np.zeros((1, EDGES, 3), np.float32)
        edges[..., 2] = 1e6  # nowhere near one
        told = Cards(
            buffers=mean.view(np.uint64)[..., 0][None],
            spans=np.array([[0, 0, width, height]], np.int64),
            edges=edges,
            opacity=np.ones(1, np.float32),
            tiles=np.full((1, lines, columns), Tile.MIXED, np.uint8),
            modes=np.zeros(1, np.int64),
            nearness=np.zeros((1, 3)),
            plain=True,
            sources=fetchable([None], (lines, columns)),
            curved=np.full(1, -1, np.int64),
            near=np.zeros((1, height, width), np.float32),
        )
        composite_band(0, height, told, ground)
