"""Marks in a picture beside a camera that may have seen them: by how much they miss each other.

What is minimised is the first-order (Sampson) distance of an edge's ends from a line through its
vanishing point (Hartley and Zisserman, Multiple View Geometry, 2nd ed., ch. 4.2.6 and 8.6).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial.transform import Rotation

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.errors import PerspectiveError
from vistaline.core.geometry.bowing import bow_of, straightened
from vistaline.core.geometry.edges import Direction, Edge, grouped, vanishing_point

__all__ = ["BOW", "CENTRE", "FOCAL", "TURN", "Fit", "vanishing_points"]

FOCAL, TURN, CENTRE, BOW = 0, slice(1, 4), slice(4, 6), 6
"""What of a camera changes: log focal length, turn (radians), centre (shares of the longer side),
bow."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Fit:
    """Marks, and a camera near the one that sees them; what changes (7,) of it make of them."""

    points: FloatArray
    """(N, 3, 2) pixels: both ends of each edge, and its third point or its middle."""
    third: FloatArray
    """bool (N,): whether an edge has a third point."""
    axes: FloatArray
    size: tuple[int, int]
    centre: tuple[float, float]
    guess: float
    turn: Matrix3
    bow: float

    @classmethod
    def begun(
        cls,
        edges: Sequence[Edge],
        size: tuple[int, int],
        centre: tuple[float, float],
        focal_px: float | None,
        *,
        level: bool,
    ) -> Fit:
        """Return a first guess; ``PerspectiveError`` if there are too few edges for one."""
        points = np.array([(e.a, e.b, e.through or np.add(e.a, e.b) / 2) for e in edges], float)
        points = points.reshape(-1, 3, 2)
        third = np.array([edge.through is not None for edge in edges], bool)
        bow = _first_bow(points[third], size, centre)
        ends = straightened(points[:, :2], bow, size, np.array(centre)).tolist()
        straight = [
            replace(edge, a=tuple(a), b=tuple(b)) for edge, (a, b) in zip(edges, ends, strict=True)
        ]
        by_way = grouped(straight, known=focal_px is not None and level)
        turn, guess = _first_guess(by_way, centre, size, focal_px)
        axes = np.array([edge.along.axis for edge in edges])
        return cls(
            points=points,
            third=third,
            axes=axes,
            size=size,
            centre=centre,
            guess=guess,
            turn=turn,
            bow=bow,
        )

    def focal(self, changes: FloatArray) -> float:
        return self.guess * math.exp(float(changes[FOCAL]))

    def turned(self, changes: FloatArray) -> Matrix3:
        return self.turn @ Rotation.from_rotvec(changes[TURN]).as_matrix()

    def looked(self, changes: FloatArray) -> tuple[float, float]:
        """Return the principal point in pixels."""
        x, y = (changes[CENTRE] * max(self.size)).tolist()
        return self.centre[0] + x, self.centre[1] + y

    def misses(self, changes: FloatArray) -> FloatArray:
        """Return by how many pixels each edge's ends miss its vanishing point, and third points.

        (N + T,): of the ends' errors the first order, signed; then how far the T third points lie
        beside their edges' ends, in pixels of one point's error.
        """
        centre, bow = np.array(self.looked(changes)), self.bow + float(changes[BOW])
        points = straightened(self.points, bow, self.size, centre) - centre
        meetings = vanishing_points(self.turned(changes), self.focal(changes), (0.0, 0.0))
        missed = _distances(points[:, :2], meetings[self.axes])
        a, b, through = np.moveaxis(points[self.third], 1, 0)
        way = (b - a) / np.linalg.norm(b - a, axis=1, keepdims=True)
        along = ((through - a) * way).sum(axis=1) / np.linalg.norm(b - a, axis=1)
        beside = way[:, 0] * (through - a)[:, 1] - way[:, 1] * (through - a)[:, 0]
        # Errors of the ends move the line between them, too.
        return np.concatenate([missed, beside / np.sqrt(1 + along**2 + (1 - along) ** 2)])

    def horizon(self, changes: FloatArray) -> float:
        """Return the row (pixels) of the horizon where the lens looked; inf if it looks straight
        up or down."""
        across, _, deep = vanishing_points(self.turned(changes), self.focal(changes), (0.0, 0.0))
        a, b, c = np.cross(across, deep).tolist()
        flat = abs(b) > 1e-9 * math.hypot(a, b, c)
        return self.looked(changes)[1] - c / b if flat else math.inf


def _first_bow(lines: FloatArray, size: tuple[int, int], centre: tuple[float, float]) -> float:
    try:
        return bow_of(list(lines), size, centre)
    except PerspectiveError:
        return 0.0  # they run through the middle, where nothing bows


def _first_guess(
    by_way: Mapping[Direction, Sequence[Edge]],
    centre: tuple[float, float],
    size: tuple[int, int],
    focal_px: float | None,
) -> tuple[Matrix3, float]:
    """Return a rotation and a focal length near the best ones."""
    meetings = {}
    for along, own in by_way.items():
        x, y, w = vanishing_point(own).tolist()
        meetings[along] = np.array([x - centre[0] * w, y - centre[1] * w, w])
    focal = focal_px or _focal_of(list(meetings.values())) or float(max(size))
    # Directions in the camera, which looks along -Z with +Y up; each of the sign that is nearer
    # to a camera that stands upright and looks ahead.
    rays = {}
    for along, (x, y, w) in meetings.items():
        ray = np.array([x / focal, -y / focal, -w])
        ray /= np.linalg.norm(ray)
        rays[along.axis] = ray if ray[along.axis] >= 0 else -ray
    camera_from_world = np.zeros((3, 3))
    for axis, ray in rays.items():
        camera_from_world[:, axis] = ray
    for axis in range(3):
        if axis in rays:
            continue
        others = [rays.get((axis + k) % 3) for k in (1, 2)]
        if others[0] is not None and others[1] is not None:
            camera_from_world[:, axis] = np.cross(others[0], others[1])
        else:
            camera_from_world[axis, axis] = 1.0
    # The nearest rotation (orthogonal Procrustes).
    u, _, vt = np.linalg.svd(camera_from_world)
    rotation = u @ np.diag([1.0, 1.0, np.linalg.det(u @ vt)]) @ vt
    return rotation.T, focal


def _focal_of(meetings: Sequence[FloatArray]) -> float | None:
    """Return the focal length from vanishing points (3,) about the principal point; None: unknown.

    f^2 = -(v1 - p) . (v2 - p) for two at right angles (Hartley and Zisserman, example 8.27).
    """
    found = []
    for i, one in enumerate(meetings):
        for other in meetings[i + 1 :]:
            both = one[2] * other[2]
            if abs(both) < 1e-12:
                continue
            squared = -float(one[:2] @ other[:2]) / both
            if squared > 0:
                found.append((abs(both), math.sqrt(squared)))
    return max(found)[1] if found else None


def vanishing_points(
    world_from_camera: Matrix3, focal: float, centre: tuple[float, float]
) -> FloatArray:
    """Return the vanishing points (3, 3) of the world's axes, homogeneous, one in each row."""
    x, y, z = world_from_camera.T  # the axes in the camera: columns of camera_from_world
    return np.stack([focal * x - centre[0] * z, -focal * y - centre[1] * z, -z], axis=-1)


def _distances(ends: FloatArray, meetings: FloatArray) -> FloatArray:
    """Return how far edges (N, 2, 2) miss points (N, 3), in pixels of one end, signed.

    The three points lie on a line if det [a b v] is 0; what errors of a and b do to it, to the
    first order, is |a w - v| and |b w - v|. Good at infinity, too.
    """
    a, b = ends[:, 0], ends[:, 1]
    x, y, w = meetings.T
    volume = w * (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    volume -= (a[:, 0] - b[:, 0]) * y - (a[:, 1] - b[:, 1]) * x
    reach = [(each * w[:, None] - meetings[:, :2]) for each in (a, b)]
    weight = np.sqrt(sum((each**2).sum(axis=1) for each in reach))
    return np.asarray(volume / np.maximum(weight, 1e-12))
