"""The opening of a lens: which points it has, spread evenly, and its outline."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from vistaline.core.arrays import FloatArray

__all__ = ["RIM", "iris_radius", "points_of", "rim_weights"]

_GOLDEN = math.pi * (3 - math.sqrt(5))


def iris_radius(angles: FloatArray, blades: int, turn: float, roundness: float) -> FloatArray:
    """Return how far an iris is open in directions (N,), in shares of the round opening.

    ``angles`` in radians; ``blades`` 0 for a round opening; ``turn`` in degrees; ``roundness`` 0
    for straight blades to 1 for round ones. A polygon's edge, seen from its middle, is
    cos(pi / n) / cos(angle from the middle of its side) away.

    >>> iris_radius(np.array([0.0, np.pi / 6]), 6, 0, 0).round(4).tolist()
    [1.0, 0.866]
    """
    if not blades:
        return np.ones_like(angles)
    side = 2 * math.pi / blades
    off = np.remainder(angles - math.radians(turn), side) - side / 2
    straight = math.cos(side / 2) / np.cos(off)
    return straight + roundness * (1 - straight)


RIM = 0.75
"""Where a disc's rim begins, in shares of its radius, if that is brighter or darker."""


def rim_weights(rims: float) -> tuple[float, float]:
    """Return how much of the light a whole disc gives, and how much one of ``RIM``'s size takes
    away, or gives if it is below 0: together 1.

    ``rims`` 1: the rim is 2.5 times as bright as the middle; -1: the middle 2.2 times the rim.

    >>> rim_weights(0)
    (1.0, 0.0)
    """
    off = 0.6 * rims if rims > 0 else 1.2 * rims
    whole = 1 / (1 - off * RIM**2)
    return whole, whole - 1


@lru_cache(64)
def points_of(
    count: int, blades: int = 0, turn: float = 0.0, roundness: float = 0.0, rims: float = 0.0
) -> FloatArray:
    """Return ``count`` points (count, 2) spread evenly over an iris whose radius is 1.

    Right and up. A spiral by the golden angle, of equal areas (Vogel, A better way to construct
    the sunflower head, 1979), with what lies beyond the blades left out; more of them towards the
    rim, or fewer, as ``rims`` asks.
    """
    asked = count
    while True:
        n = np.arange(asked, dtype=np.float64)
        radius, angle = _radii((n + 0.5) / asked, rims), n * _GOLDEN
        within = radius <= iris_radius(angle, blades, turn, roundness)
        if within.sum() >= count:
            break
        asked += 1
    chosen = np.flatnonzero(within)[:count]
    radius, angle = radius[chosen], angle[chosen]
    points = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
    points -= points.mean(axis=0)  # so that nothing moves when it is blurred
    points.flags.writeable = False
    return points


def _radii(share: FloatArray, rims: float) -> FloatArray:
    """Return the radii within which ``share`` of the light of a disc lies."""
    inner = 1 - rim_weights(rims)[0] * (1 - RIM**2)
    within = RIM**2 * share / inner
    beyond = RIM**2 + (share - inner) / max(1 - inner, 1e-9) * (1 - RIM**2)
    return np.sqrt(np.where(share < inner, within, beyond))
