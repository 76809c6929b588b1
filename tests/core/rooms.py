"""Constructed rooms: cameras that are known exactly, and edges as they would be marked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.geometry import space
from vistaline.core.geometry.edges import Direction, Edge

__all__ = ["SIZE", "WAYS", "Room", "room"]

WAYS = (Direction.ACROSS, Direction.DEEP)
SIZE = (3000, 2000)


@dataclass(frozen=True, eq=False)
class Room:
    """A camera in a room: 3000 x 2000 pixels, 24 to 50 mm, turned, tilted and rolled."""

    focal_px: float
    world_from_camera: Matrix3
    edges: list[Edge]


def seen(point: FloatArray, focal_px: float, turn: Matrix3) -> tuple[float, float] | None:
    """Return where a camera at the origin sees a point, in pixels; None if it is not before it."""
    x, y, z = (turn.T @ point).tolist()
    if z > -0.3:
        return None
    return SIZE[0] / 2 - focal_px * x / z, SIZE[1] / 2 + focal_px * y / z


def room(
    rng: np.random.Generator,
    *,
    ways: tuple[Direction, ...] = WAYS,
    lines: int = 3,
    noise: float = 1.0,
) -> Room:
    """Return a camera and ``lines`` marked edges of each direction, over 500 pixels long.

    Turned 25 to 60 degrees, tilted up to 8, rolled up to 2; ``noise`` pixels (normal) on the
    edges' ends.
    """
    while True:
        focal = rng.uniform(24, 50) / 36 * SIZE[0]
        turned = rng.choice([-1, 1]) * rng.uniform(25, 60)
        turn = space.rotation(turned, rng.uniform(-8, 8), rng.uniform(-2, 2))
        edges: list[Edge] = []
        for way in ways:
            for _ in range(4000):
                if len(edges) % lines == 0 and any(edge.along is way for edge in edges):
                    break
                start = rng.uniform([-6, -3, -12], [6, 3, 1])
                ends = [
                    seen(point, focal, turn)
                    for point in (start, start + np.eye(3)[way.axis] * rng.uniform(1, 8))
                ]
                if any(end is None for end in ends):
                    continue
                a, b = np.array(ends)
                inside = ((a > 0) & (b > 0) & (a < SIZE) & (b < SIZE)).all()
                if inside and np.hypot(*(b - a)) > 500:
                    a, b = a + rng.normal(0, noise, 2), b + rng.normal(0, noise, 2)
                    edges.append(Edge(tuple(a.tolist()), tuple(b.tolist()), way))
        if len(edges) == lines * len(ways):
            return Room(focal, turn, edges)
