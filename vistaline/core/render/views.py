"""The exact way: a frame seen through many points of a lens, at many moments of its shutter."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from vistaline.core.geometry.irises import points_of
from vistaline.core.render.discs import LEAST_BLUR
from vistaline.core.render.source import Quality
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState

__all__ = ["View", "is_blurred", "least_blur", "views_of"]

_TEXEL = 0.7
"""How large a texel may be over the distance of two lens points in the disc: measured, more
looks soft."""
_GOLDEN = (math.sqrt(5) - 1) / 2


@dataclass(frozen=True, eq=False)
class View:
    """One of the views whose mean a frame is."""

    state: FrameState
    points: int
    """Through how many points of the lens the frame is seen."""

    def quality_for(self, card: Card, quality: Quality) -> Quality:
        """Return how finely a card is sampled: what is blurred by the mean needs no more detail
        than lies between two lens points, and without it no ghosts are seen."""
        if self.points == 1:
            return quality
        radius = least_blur(card, self.state)
        apart = radius * math.sqrt(math.pi / self.points)
        bias = max(quality.bias, math.log2(max(1.0, _TEXEL * apart)))
        return replace(quality, bias=bias)


def _depths_of(card: Card, state: FrameState) -> list[float]:
    """Return how far each of a card's corners is, in metres; of those that are ahead."""
    corners = card.outline[:, :2] @ card.world_from_card[:3, :2].T + card.world_from_card[:3, 3]
    camera = state.camera
    away = (corners - np.array(camera.position)) @ -camera.world_from_camera[:3, 2]
    return [float(z) for z in away if z > 1e-3]


def _blurs_of(card: Card, state: FrameState) -> list[float]:
    """Return the radius in pixels of the disc at each of a card's corners that is ahead."""
    camera = state.camera
    if camera.optics is None or card.layer.always_sharp:
        return [0.0]
    return [camera.optics.blur(camera.focal_px, z) for z in _depths_of(card, state)]


def least_blur(card: Card, state: FrameState) -> float:
    """Return the least radius in pixels of the discs on a card; 0 where the focus runs through."""
    optics = state.camera.optics
    depths = _depths_of(card, state)
    if optics is None or not depths or min(depths) <= optics.focus <= max(depths):
        return 0.0
    return min(_blurs_of(card, state))


def is_blurred(state: FrameState) -> bool:
    """Return whether anything that is seen is out of focus."""
    optics = state.camera.optics
    if optics is None or optics.hole <= 0:
        return False
    cards = (state.cards[i] for i in state.order)
    return max((radius for card in cards for radius in _blurs_of(card, state)), default=0) >= (
        LEAST_BLUR
    )


def views_of(states: Sequence[FrameState]) -> list[View]:
    """Return the views whose mean a frame is, one for each of the moments ``states``.

    Each moment has another point of the lens. The points lie along a spiral, the moments are
    taken by steps of the golden ratio, so that both are spread evenly over each other.
    """
    optics = states[0].camera.optics
    if optics is None or len(states) == 1:
        return [View(state, 1) for state in states]
    count, iris = len(states), optics.iris
    points = points_of(count, iris.blades, iris.turn, iris.roundness, iris.rims).tolist()
    order = np.argsort(np.arange(count) * _GOLDEN % 1)
    return [
        View(states[n].seen_by(states[n].camera.through(right, up)), count)
        for n, (right, up) in zip(order.tolist(), points, strict=True)
    ]
