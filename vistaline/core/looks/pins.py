"""What is painted on a picture that moves, to hold it there: points and lines."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from types import MappingProxyType
from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray

__all__ = ["EDGES", "Pins", "away_from"]

_Place = Annotated[float, Field(ge=-0.5, le=1.5, allow_inf_nan=False)]
Pin = Annotated[tuple[tuple[_Place, _Place], ...], Field(min_length=1, max_length=64)]
"""A point, or a line through several: shares of the picture's width and height from its upper left
corner."""
Pins = Annotated[
    tuple[Pin, ...],
    Field(
        max_length=40,
        description="What is held besides: points and lines, as shares of its width and height "
        "from its upper left corner.",
    ),
]


EDGES: Mapping[str, tuple[Pin, ...]] = MappingProxyType(
    {
        "left": (((0.0, 0.0), (0.0, 1.0)),),
        "right": (((1.0, 0.0), (1.0, 1.0)),),
        "head": (((0.0, 0.0), (1.0, 0.0)),),
        "foot": (((0.0, 1.0), (1.0, 1.0)),),
        "corners": (((0.0, 0.0),), ((1.0, 0.0),)),
        "collar": (((0.25, 0.0), (0.75, 0.0)),),
        "nowhere": (),
    }
)
"""What is held of a picture, by the word for how, told as if it were painted."""


def away_from(line: FloatArray, x: np.ndarray, y: np.ndarray) -> FloatArray:
    """Return how far places are from a line through points (N, 2), or from the only one of them.

    All in one unit; ``x`` and ``y`` of equal shapes.
    """
    points = line
    found = np.hypot(x - points[0, 0], y - points[0, 1])
    for a, b in pairwise(points):
        way = b - a
        along = ((x - a[0]) * way[0] + (y - a[1]) * way[1]) / max(float(way @ way), 1e-12)
        along = np.clip(along, 0, 1)
        beside = np.hypot(x - a[0] - along * way[0], y - a[1] - along * way[1])
        found = np.minimum(found, beside)
    return np.asarray(found)
