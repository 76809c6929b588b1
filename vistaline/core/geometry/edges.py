"""Straight edges marked in a picture: which way each runs in the world, and where they meet."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import PerspectiveError

__all__ = ["Direction", "Edge", "grouped", "vanishing_point"]

_LEAST_LENGTH = 4.0
"""Pixels: a shorter edge has no direction to speak of."""


class Direction(StrEnum):
    """Which way an edge runs in the world, whose axes stand at right angles."""

    ACROSS = "across"
    UP = "up"
    DEEP = "deep"

    @property
    def axis(self) -> int:
        return list(Direction).index(self)


@dataclass(frozen=True)
class Edge:
    """A straight edge marked in the picture: two points (x, y) in pixels, y down."""

    a: tuple[float, float]
    b: tuple[float, float]
    along: Direction
    through: tuple[float, float] | None = None
    """A point on it between its ends, where a lens has bowed it."""

    @property
    def length(self) -> float:
        return math.dist(self.a, self.b)


def vanishing_point(edges: Sequence[Edge]) -> FloatArray:
    """Return where edges meet, homogeneous (3,), of length 1; the last is 0 at infinity.

    The least-squares intersection of their lines, each by its distance from the point: a first
    estimate, not the best one.

    >>> meet = vanishing_point([Edge((0, 0), (10, 0), Direction.ACROSS),
    ...                         Edge((0, 10), (10, 9), Direction.ACROSS)])
    >>> (meet[:2] / meet[2]).round(6).tolist()
    [100.0, 0.0]
    """
    ends = np.array([(edge.a, edge.b) for edge in edges], dtype=np.float64)
    middle, size = ends.mean(axis=(0, 1)), max(float(np.ptp(ends)), 1.0)
    points = np.concatenate([(ends - middle) / size, np.ones((len(ends), 2, 1))], axis=2)
    lines = np.cross(points[:, 0], points[:, 1])
    lines /= np.linalg.norm(lines[:, :2], axis=1, keepdims=True)
    lengths = np.linalg.norm(points[:, 1, :2] - points[:, 0, :2], axis=1)
    found = np.linalg.svd(lines * lengths[:, None])[2][-1]
    x, y, w = (found * [size, size, 1]).tolist()
    meeting = np.array([x + middle[0] * w, y + middle[1] * w, w])
    return meeting / np.linalg.norm(meeting)


def grouped(edges: Sequence[Edge], *, known: bool) -> dict[Direction, list[Edge]]:
    """Return the edges of each direction, two or more.

    ``known``: lens and roll are known, so that one direction will do; otherwise it takes two.

    Raises
    ------
    PerspectiveError
        An edge is too short, alone in its direction, or crosses one that is parallel to it; or
        there are too few directions.
    """
    by_way: dict[Direction, list[Edge]] = {}
    for n, edge in enumerate(edges, start=1):
        if edge.length < _LEAST_LENGTH:
            raise PerspectiveError(
                f"Edge {n} is only {edge.length:.1f} pixels long. Drag its ends apart.", edge=n - 1
            )
        by_way.setdefault(edge.along, []).append(edge)
    for along, own in by_way.items():
        if len(own) < 2:
            raise PerspectiveError(
                f"Only one edge runs {along.value}. Mark another that is parallel to it, far from "
                "the first."
            )
        _uncrossed(edges, own)
    if len(by_way) < (1 if known else 2):
        raise PerspectiveError(
            "Mark edges of two directions that stand at right angles, two or more of each: say "
            "those that run away from you, and uprights."
        )
    return by_way


def _uncrossed(edges: Sequence[Edge], own: Sequence[Edge]) -> None:
    """Refuse edges of one direction that cross: seen from before them, none ever do."""
    for one, other in combinations(own, 2):
        sides = [
            (_side(one, other.a), _side(one, other.b)),
            (_side(other, one.a), _side(other, one.b)),
        ]
        if all(min(pair) < -_LEAST_LENGTH and max(pair) > _LEAST_LENGTH for pair in sides):
            n, m = edges.index(one), edges.index(other)
            raise PerspectiveError(
                f"Edges {n + 1} and {m + 1} are both marked as running {one.along.value}, but "
                "cross in the picture; parallel edges never do. Move one, or mark it as running "
                "another way.",
                edge=m,
            )


def _side(edge: Edge, point: tuple[float, float]) -> float:
    """Return how far a point is from an edge's line, in pixels, signed."""
    (ax, ay), (bx, by) = edge.a, edge.b
    return ((bx - ax) * (point[1] - ay) - (by - ay) * (point[0] - ax)) / edge.length
