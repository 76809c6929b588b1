"""Rectangles of the world, drawn in the picture by their corners.

The homography of a rectangle's corners, freed of the lens, has its two sides and its place for
columns (Hartley and Zisserman, Multiple View Geometry, 2nd ed., ch. 8.1): they tell how it stands,
and how long it is to how wide, but not how far away.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4
from vistaline.core.errors import PerspectiveError
from vistaline.core.geometry.edges import Direction, Edge

__all__ = ["check_corners", "edges_of_rectangle", "in_order", "rectangle_pose"]

_STRAIGHT = 0.02
"""Three corners in a line: their triangle's height is less than this share of its longest side."""


@dataclass(frozen=True, eq=False)
class RectanglePose:
    """How a rectangle stands before a camera, in widths of its own: its distance is not told."""

    camera_from_card: Matrix4
    """Its middle, its way across (x), up (y) and out of its front (z)."""
    aspect: float
    """Its height over its width."""
    miss: float
    """Pixels: how far the drawn corners lie from those of a true rectangle, at most."""


def in_order(corners: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return four corners (pixels) from the top left on, clockwise as they are seen.

    >>> in_order([(10, 0), (0, 10), (0, 0), (10, 10)])
    [(0, 0), (10, 0), (10, 10), (0, 10)]
    """
    middle = np.mean(corners, axis=0)
    turned = sorted(corners, key=lambda c: math.atan2(c[1] - middle[1], c[0] - middle[0]))
    first = min(range(4), key=lambda n: sum(turned[n]))
    return turned[first:] + turned[:first]


def check_corners(corners: Sequence[tuple[float, float]]) -> None:
    """Refuse what is no rectangle seen from its front.

    Raises
    ------
    PerspectiveError
        The sentence names the corner to move.
    """
    names = "first", "second", "third", "fourth"
    if len(corners) != 4:
        raise PerspectiveError(f"A rectangle has four corners, and {len(corners)} are marked.")
    points = np.array(corners, float)
    turns = []
    for n in range(4):
        before, here, after = (points[(n + k) % 4] for k in (-1, 0, 1))
        sides = here - before, after - here, after - before
        longest = max(float(np.hypot(*side)) for side in sides)
        area = float(sides[0][0] * sides[1][1] - sides[0][1] * sides[1][0])
        if longest < 2 or abs(area) < _STRAIGHT * longest**2:
            raise PerspectiveError(
                f"The {names[n]} corner lies in one line with its neighbours, so this is no "
                "rectangle. Drag it away from that line."
            )
        turns.append(area > 0)
    if all(turns) or not any(turns):
        return
    rare = sum(turns) == 1
    odd = [n for n in range(4) if turns[n] is rare]
    if len(odd) == 2:
        raise PerspectiveError(
            "The sides of this rectangle cross. Mark its corners one after the other, all the "
            "way round."
        )
    raise PerspectiveError(
        f"The {names[odd[0]]} corner points inwards; no rectangle looks like that. Drag it out."
    )


def edges_of_rectangle(
    corners: Sequence[tuple[float, float]], across: Direction, along: Direction
) -> list[Edge]:
    """Return a drawn rectangle's sides as marked edges.

    ``corners`` as from :func:`in_order`; its upper and lower sides run ``across`` in the world,
    the others ``along``. Errors as :func:`check_corners`.
    """
    check_corners(corners)
    a, b, c, d = ((x, y) for x, y in corners)
    return [Edge(a, b, across), Edge(d, c, across), Edge(d, a, along), Edge(c, b, along)]


def rectangle_pose(
    corners: Sequence[tuple[float, float]],
    focal_px: float,
    principal_point: tuple[float, float],
) -> RectanglePose:
    """Return how a rectangle stands before the camera that sees its corners.

    ``corners`` as from :func:`in_order`; the card's y runs up from its lower side as drawn.

    Raises
    ------
    PerspectiveError
        They are no rectangle's, or the rectangle is seen nearly from its side.
    """
    check_corners(corners)
    centre = np.array(principal_point)
    rays = (np.array(corners, float) - centre) / focal_px * [1, -1]
    square = np.array([[-0.5, 0.5], [0.5, 0.5], [0.5, -0.5], [-0.5, -0.5]])
    homography, _ = cv2.findHomography(square, rays)
    # The camera looks along -Z: what is seen at (x, y) lies at (x, y, -1) times its depth.
    columns = np.diag([1.0, 1.0, -1.0]) @ homography
    if columns[2, 2] > 0:
        columns = -columns
    wide, tall = (float(np.linalg.norm(columns[:, n])) for n in (0, 1))
    x, y = columns[:, 0] / wide, columns[:, 1] / tall
    if float(np.linalg.norm(np.cross(x, y))) < 0.05:
        raise PerspectiveError(
            "With this lens these corners would be those of a sheet seen from its side. Drag them "
            "apart, or recover the lens first."
        )
    turn = _nearest_rotation(np.column_stack([x, y, np.cross(x, y)]))
    standing = np.eye(4)
    standing[:3, :3], standing[:3, 3] = turn, columns[:, 2] / wide
    aspect = tall / wide
    there = square * [1, aspect] @ turn[:, :2].T + standing[:3, 3]
    seen = there[:, :2] / -there[:, 2:] * [1, -1] * focal_px + centre
    miss = float(np.linalg.norm(seen - np.array(corners), axis=1).max())
    return RectanglePose(standing, aspect, miss)


def _nearest_rotation(matrix: FloatArray) -> Matrix3:
    u, _, vt = np.linalg.svd(matrix)
    return np.asarray(u @ np.diag([1.0, 1.0, np.linalg.det(u @ vt)]) @ vt)
