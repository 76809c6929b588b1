"""A picture's depth: a list of steps, each of which can be changed, moved, switched off.

Steps that make a map come first; a later one of them takes its place. Points and strokes are
pixels of the picture as prepared, and stay on what they were put on (:func:`moved`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Annotated, get_args

import numpy as np
from pydantic import Field

from vistaline.core.depth.sources import FromGround, FromMap, FromPlanes, FromStrokes
from vistaline.core.depth.step import DepthStep, Seen
from vistaline.core.depth.working import (
    Area,
    Brush,
    Curve,
    Edges,
    Holes,
    Invert,
    Limits,
    Smooth,
)
from vistaline.core.errors import DepthError
from vistaline.core.model import Distance, Part

__all__ = ["KINDS", "AnyStep", "Depth", "distance_at", "nearness_at", "nearness_of"]

AnyStep = Annotated[
    FromMap
    | FromStrokes
    | FromPlanes
    | FromGround
    | Smooth
    | Curve
    | Limits
    | Invert
    | Area
    | Brush
    | Edges
    | Holes,
    Field(discriminator="kind"),
]

KINDS: Mapping[str, type[DepthStep]] = MappingProxyType(
    {kind.model_fields["kind"].default: kind for kind in get_args(get_args(AnyStep)[0])}
)
"""Kinds of steps, in the order in which they are offered."""


class Depth(Part):
    """How far away a picture's pixels are: the steps of its map, and what its ends mean."""

    steps: tuple[AnyStep, ...] = Field((), max_length=100)
    near: Distance = Field(2.0, description="Metres from the taking camera to what is white.")
    far: Distance = Field(12.0, description="Metres to what is black.")

    def moved(self, matrix: np.ndarray) -> Depth:
        """Return the depth of the picture after its pixels were moved by ``matrix`` (3, 3)."""
        return self.evolve(steps=tuple(step.moved(matrix) for step in self.steps))

    @property
    def says(self) -> bool:
        """Whether any step that is on makes a map."""
        return any(step.on and step.makes for step in self.steps)


def nearness_of(steps: Sequence[DepthStep], seen: Seen) -> np.ndarray:
    """Return the map, float32 (height, width), 0 farthest to 1 nearest.

    Raises
    ------
    DepthError
        No step makes a map, or one of them cannot.
    """
    used = [step for step in steps if step.on]
    first = max((n for n, step in enumerate(used) if step.makes), default=None)
    if first is None:
        raise DepthError(
            "Nothing says yet how far away anything is. Paint a depth, or begin with the ground."
        )
    found = np.zeros(seen.shape, np.float32)
    for step in used[first:]:
        found = step.done(found, seen)
    return np.ascontiguousarray(found, dtype=np.float32)


def distance_at(nearness: np.ndarray | float, near: float, far: float) -> np.ndarray | float:
    """Return metres from the taking camera, along its look, for nearness 0..1.

    Even in 1 / distance, as a plane's picture is (Hartley and Zisserman, Multiple View Geometry,
    2nd ed., ch. 8.1).

    >>> distance_at(1.0, 2, 10), distance_at(0.0, 2, 10)
    (2.0, 10.0)
    """
    return 1 / (1 / far + nearness * (1 / near - 1 / far))


def nearness_at(distance: np.ndarray | float, near: float, far: float) -> np.ndarray | float:
    """Return the nearness of what is so many metres away: what :func:`distance_at` undoes.

    >>> nearness_at(2.0, 2, 10)
    1.0
    """
    return (1 / distance - 1 / far) / (1 / near - 1 / far)
