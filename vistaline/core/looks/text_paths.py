"""Where letters stand that follow an arc or a path, all in em."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vistaline.core.arrays import FloatArray

__all__ = ["box_along", "is_straight", "places_along"]

Points = Sequence[tuple[float, float]]
_SAMPLES = 65


def is_straight(bend: float, path: Points) -> bool:
    """Return whether letters stand in straight lines after all."""
    return not path and abs(bend) < 0.01


def places_along(
    bend: float, path: Points, width: float, at: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Return places (N, 2), y up, and directions (N,) in radians, along an arc or a path.

    ``at`` (N,): how far along, from the middle. An arc is as long as the text is wide and turns by
    ``bend`` degrees over all of that, its ends down if that is more than 0. Beyond its ends a path
    goes on straight.
    """
    if not path:
        radius = width / math.radians(bend)
        angle = at / radius
        places = np.stack([radius * np.sin(angle), radius * (np.cos(angle) - 1)], axis=-1)
        return places, -angle
    points = np.array(path, float)
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    keep = np.concatenate([[True], steps > 1e-9])
    points, steps = points[keep], steps[steps > 1e-9]
    along = np.concatenate([[0.0], np.cumsum(steps)])
    where = along[-1] / 2 + at
    angles = np.unwrap(np.arctan2(*np.diff(points, axis=0).T[::-1]))
    # Round a corner letters turn over about an em, not at once.
    middles = (along[:-1] + along[1:]) / 2
    inside = np.clip(where, 0, along[-1])
    places = np.column_stack([np.interp(inside, along, points[:, k]) for k in (0, 1)])
    turned = np.interp(where, middles, angles)
    beyond = where - inside
    ends = np.where(beyond < 0, angles[0], angles[-1])
    places += beyond[:, None] * np.stack([np.cos(ends), np.sin(ends)], axis=-1)
    return places, np.asarray(turned)


def box_along(
    bend: float, path: Points, width: float, height: float
) -> tuple[FloatArray, FloatArray]:
    """Return the middle (2,) and the size (2,) of what holds text so wide and high."""
    at = np.linspace(-width / 2, width / 2, _SAMPLES)
    places, turned = places_along(bend, path, width, at)
    aside = np.stack([-np.sin(turned), np.cos(turned)], axis=-1) * height / 2
    edges = np.vstack([places + aside, places - aside])
    low, high = edges.min(axis=0), edges.max(axis=0)
    return (low + high) / 2, high - low
