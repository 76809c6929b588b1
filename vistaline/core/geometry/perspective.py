"""How a picture was seen: its lens and how the camera was turned, from edges that are parallel.

Edges of one direction in the world meet, in the picture, in a vanishing point; where that lies
tells how the camera was turned, and two of them at right angles tell its lens. All marked edges
are fitted at once, each weighed by how exactly its ends were marked: maximum likelihood for
normal errors of the ends.

Hartley and Zisserman, Multiple View Geometry, 2nd ed., ch. 8.6 and 8.8; what is minimised is the
first-order (Sampson) distance of an edge's ends from a line through its vanishing point.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

import numpy as np
from scipy.optimize import approx_fprime, least_squares
from scipy.spatial.transform import Rotation

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.errors import PerspectiveError
from vistaline.core.geometry import space

__all__ = ["Direction", "Edge", "SeenFrom", "recover_camera", "vanishing_point"]

_NORMAL_95 = 1.959964
_LEAST_LENGTH = 4.0
"""Pixels: a shorter edge has no direction to speak of."""


_CONTRADICTS = 0.02
"""Edges that miss by more than this share of the picture's longer side tell nothing together."""
_VAGUE = 0.5
"""A lens known no better than within this share of itself (or a turn, in radians) is not known."""


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

    @property
    def length(self) -> float:
        return math.dist(self.a, self.b)


@dataclass(frozen=True, kw_only=True, eq=False)
class SeenFrom:
    """The camera a picture was taken with, as far as its edges tell.

    Uncertainties are standard deviations, propagated from how exactly the edges were marked.
    """

    focal_px: float
    focal_deviation: float
    """Of the focal length, as a share of it."""
    world_from_camera: Matrix3
    rotation_deviation: FloatArray
    """(3,) degrees about the camera's own axes."""
    horizon_deviation: float
    """Pixels, of the horizon's row where the lens looked; inf if it is nowhere near."""
    principal_point: tuple[float, float]
    residuals: FloatArray
    """(N,) pixels: how far each edge's ends lie from its vanishing point's best line, signed."""

    @property
    def angles(self) -> tuple[float, float, float]:
        """Pan, tilt and roll in degrees."""
        return space.angles_of(self.world_from_camera)

    def focal_interval(self) -> tuple[float, float]:
        """Return what contains the focal length (pixels) with 95 percent."""
        reach = math.exp(_NORMAL_95 * self.focal_deviation)
        return self.focal_px / reach, self.focal_px * reach

    def vanishing_point(self, along: Direction) -> FloatArray:
        """Return where edges of a direction meet, homogeneous (3,); the last is 0 at infinity."""
        return _vanishing(self.world_from_camera, self.focal_px, self.principal_point)[along.axis]

    def horizon_at(self, x: float) -> float:
        """Return the picture row (pixels from the top) at which level ground ends, at column x.

        inf if the camera looks straight up or down.
        """
        across, deep = (self.vanishing_point(d) for d in (Direction.ACROSS, Direction.DEEP))
        a, b, c = np.cross(across, deep).tolist()
        return -(a * x + c) / b if abs(b) > 1e-12 * math.hypot(a, b, c) else math.inf

    @property
    def disagreement(self) -> float:
        """Pixels by which edges miss their vanishing points, root mean square."""
        return float(np.sqrt(np.mean(self.residuals**2)))


def vanishing_point(edges: Sequence[Edge]) -> FloatArray:
    """Return where edges meet, homogeneous (3,), of length 1; the last is 0 at infinity.

    The least-squares intersection of their lines, each by its distance from the point: a first
    estimate, not the best one.

    >>> meet = vanishing_point([Edge((0, 0), (10, 0), Direction.ACROSS),
    ...                         Edge((0, 10), (10, 9), Direction.ACROSS)])
    >>> (meet[:2] / meet[2]).round(6).tolist()
    [100.0, 0.0]
    """
    ends = _ends(edges)
    middle, size = ends.mean(axis=(0, 1)), max(float(np.ptp(ends)), 1.0)
    points = np.concatenate([(ends - middle) / size, np.ones((len(ends), 2, 1))], axis=2)
    lines = np.cross(points[:, 0], points[:, 1])
    lines /= np.linalg.norm(lines[:, :2], axis=1, keepdims=True)
    lengths = np.linalg.norm(points[:, 1, :2] - points[:, 0, :2], axis=1)
    found = np.linalg.svd(lines * lengths[:, None])[2][-1]
    x, y, w = (found * [size, size, 1]).tolist()
    meeting = np.array([x + middle[0] * w, y + middle[1] * w, w])
    return meeting / np.linalg.norm(meeting)


def recover_camera(
    edges: Sequence[Edge],
    size: tuple[int, int],
    *,
    principal_point: tuple[float, float] | None = None,
    deviation: float = 1.0,
    focal_px: float | None = None,
    level: bool = False,
    free_centre: bool = False,
) -> SeenFrom:
    """Return the camera that sees edges of one direction run together as they do.

    Parameters
    ----------
    edges
        Two or more of a direction; two directions, or one if ``focal_px`` is known and the
        camera was held ``level`` (its roll is 0).
    size
        The picture's width and height in pixels.
    principal_point
        Where the lens looks, in pixels; the picture's middle if left out (it was not cropped).
    deviation
        How exactly the edges' ends were marked: their standard deviation in pixels.
    focal_px
        The focal length, if it is known.
    free_centre
        The principal point is to be told by the edges, too: it takes all three directions.

    Raises
    ------
    PerspectiveError
        The edges do not tell; the sentence says what to mark or to move.
    """
    centre = principal_point or (size[0] / 2, size[1] / 2)
    by_way = _grouped(edges, known=focal_px is not None and level)
    ends = _ends(edges) - np.array(centre)
    axes = np.array([edge.along.axis for edge in edges])
    turn, guess = _first_guess(by_way, centre, size, focal_px)
    if free_centre and len(by_way) < 3:
        raise PerspectiveError(
            "Where the lens looked is told by edges of all three directions only. Mark two or "
            "more of the third, or say where it looked."
        )

    def fitted(changes: FloatArray) -> FloatArray:
        turned = turn @ Rotation.from_rotvec(changes[1:4]).as_matrix()
        middle = tuple((changes[4:] * max(size)).tolist()) or (0.0, 0.0)
        meeting = _vanishing(turned, guess * math.exp(changes[0]), middle)[axes]
        return _distances(ends, meeting)

    def misses(changes: FloatArray) -> FloatArray:
        turned = turn @ Rotation.from_rotvec(changes[1:4]).as_matrix()
        found = fitted(changes) / deviation
        known = []
        if focal_px is not None:
            known.append(changes[0] * 1e6)
        if level:
            known.append(math.radians(space.angles_of(turned)[2]) * 1e6)
        return np.concatenate([found, known])

    start = np.zeros(6 if free_centre else 4)
    found = least_squares(misses, start, method="trf", x_scale="jac", xtol=1e-13, ftol=1e-13)
    turned = turn @ Rotation.from_rotvec(found.x[1:4]).as_matrix()
    focal, residuals = guess * math.exp(found.x[0]), fitted(found.x)
    if float(np.sqrt(np.mean(residuals**2))) > max(_CONTRADICTS * max(size), 5 * deviation):
        raise PerspectiveError(
            f"These directions contradict each other: {_worst(edges, residuals)}. Move it, or "
            "mark it as running another way.",
            edge=int(np.abs(residuals).argmax()),
        )
    weights = np.linalg.svd(found.jac, compute_uv=False)
    if len(weights) < len(start) or weights[-1] < 1 / _VAGUE:
        raise PerspectiveError(
            "These edges run side by side in the picture, so they do not tell the lens. Mark "
            "edges that run away from you, or type the lens.",
            vague=True,
        )
    if not 0.1 < focal / max(size) < 60:
        raise PerspectiveError(
            f"These edges would ask for a lens of {focal / max(size) * 36:.3g} mm, which no "
            "picture is taken with. Check that each is marked along its own direction; "
            f"{_worst(edges, residuals)}."
        )
    covariance = np.linalg.inv(found.jac.T @ found.jac)
    spread = np.sqrt(np.diag(covariance))

    def horizon(changes: FloatArray) -> float:
        tried = turn @ Rotation.from_rotvec(changes[1:4]).as_matrix()
        middle = changes[4:] * max(size) if free_centre else np.zeros(2)
        across, _, deep = _vanishing(tried, guess * math.exp(changes[0]), (0.0, 0.0))
        a, b, c = np.cross(across, deep).tolist()
        return float(middle[1] - c / b) if abs(b) > 1e-9 * math.hypot(a, b, c) else math.inf

    if math.isfinite(horizon(found.x)):
        slope = approx_fprime(found.x, horizon, 1e-7)
        horizon_deviation = float(np.sqrt(slope @ covariance @ slope))
    else:
        horizon_deviation = math.inf
    return SeenFrom(
        focal_px=focal,
        focal_deviation=float(spread[0]),
        world_from_camera=turned,
        rotation_deviation=np.degrees(spread[1:4]),
        horizon_deviation=horizon_deviation,
        principal_point=_moved(centre, found.x[4:] * max(size)),
        residuals=residuals,
    )


def _moved(point: tuple[float, float], by: FloatArray) -> tuple[float, float]:
    x, y = by.tolist() or (0.0, 0.0)
    return point[0] + x, point[1] + y


def _ends(edges: Sequence[Edge]) -> FloatArray:
    return np.array([(edge.a, edge.b) for edge in edges], dtype=np.float64)


def _grouped(edges: Sequence[Edge], *, known: bool) -> dict[Direction, list[Edge]]:
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


def _vanishing(world_from_camera: Matrix3, focal: float, centre: tuple[float, float]) -> FloatArray:
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


def _worst(edges: Sequence[Edge], misses: FloatArray) -> str:
    n = int(np.abs(misses).argmax())
    return f"edge {n + 1}, marked as running {edges[n].along.value}, fits worst"
