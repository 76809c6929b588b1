"""Straight edges found in a picture, and which of them are parallel in the world.

Segments: OpenCV's LSD (Grompone von Gioi et al., IPOL 2, 2012). Directions: RANSAC over cameras,
each made of three segments and a lens: two that meet in one vanishing point, and one that runs to
another at right angles to it; the third direction follows.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import PerspectiveError
from vistaline.core.geometry.edges import Direction, Edge
from vistaline.core.geometry.optics import GATE_LONG_SIDE
from vistaline.core.geometry.perspective import SeenFrom, recover_camera

__all__ = ["as_marks", "find_edges", "find_segments"]

_LOOKED_AT = 1600
"""Pixels along the longer side in which segments are sought: finer ones are texture."""
_LEAST = 0.04
"""The shortest segment, as a share of the longer side."""
_MOST = 240
_TRIES = 600
_LENSES = (14, 18, 24, 28, 35, 50, 70, 100)
_NEAR = np.radians(1.5)
"""How far a segment may point past its vanishing point and still count."""
_KEPT = 6
"""Edges offered of each direction."""


def find_segments(codes: np.ndarray) -> FloatArray:
    """Return straight segments (N, 2, 2) of a picture (height, width, 3) uint8, longest first.

    Ends are in pixels, centres at .5.
    """
    height, width = codes.shape[:2]
    shrunk = min(1.0, _LOOKED_AT / max(height, width))
    grey = cv2.cvtColor(codes[..., :3], cv2.COLOR_RGB2GRAY)
    if shrunk < 1:
        grey = cv2.resize(grey, None, fx=shrunk, fy=shrunk, interpolation=cv2.INTER_AREA)
    found = cv2.createLineSegmentDetector().detect(grey)[0]
    if found is None:
        return np.zeros((0, 2, 2))
    ends = (found.reshape(-1, 2, 2).astype(float) + 0.5) / shrunk
    lengths = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    order = np.argsort(-lengths)
    return ends[order[lengths[order] > _LEAST * max(height, width)]][:_MOST]


def find_edges(
    segments: FloatArray,
    size: tuple[int, int],
    *,
    principal_point: tuple[float, float] | None = None,
    focal_px: float | None = None,
    seed: int = 1,
) -> tuple[list[Edge], SeenFrom]:
    """Return the edges that tell best how a picture was seen, and what they tell.

    ``segments`` (N, 2, 2) in pixels of a picture of ``size``; ``focal_px`` counts where they do not
    tell the lens, as in a picture that looks straight ahead. Up to six edges a direction, those
    of a direction far apart.

    Raises
    ------
    PerspectiveError
        There are too few, or they do not agree.
    """
    if len(segments) < 4:
        raise PerspectiveError(
            f"Only {len(segments)} straight edges were found in the picture. Mark them by hand."
        )
    centre = np.array(principal_point or (size[0] / 2, size[1] / 2))
    ends = (segments - centre) * [1, -1] / max(size)
    axes = _best_camera(ends, np.random.default_rng(seed))
    votes, near = _votes(ends, axes)
    edges: list[Edge] = []
    for axis, along in enumerate(Direction):
        own = [n for n in np.argsort(-votes[:, axis]) if near[n] == axis]
        edges += _spread(segments[own], along, size)
    for _ in range(12):
        try:
            seen = recover_camera(edges, size, principal_point=principal_point)
        except PerspectiveError as error:
            if not error.vague or focal_px is None:
                raise
            seen = recover_camera(edges, size, principal_point=principal_point, focal_px=focal_px)
        worst = int(np.abs(seen.residuals).argmax())
        alike = [edge for edge in edges if edge.along is edges[worst].along]
        if abs(seen.residuals[worst]) < 2 * max(1.0, seen.disagreement) or len(alike) < 3:
            break
        edges.pop(worst)
    return edges, seen


def _best_camera(ends: FloatArray, rng: np.random.Generator) -> FloatArray:
    """Return the world's axes (3, 3), in rows, before the camera that most segments agree with.

    With the focal length last: (x f, y f, z) of each, in longer sides of the picture.
    """
    lengths = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    chance = lengths / lengths.sum()
    count = len(ends)
    best, most = None, 0.0
    for lens in _LENSES:
        focal = lens / GATE_LONG_SIDE
        rays = np.concatenate([ends, np.full((count, 2, 1), -focal)], axis=2)
        normals = np.cross(rays[:, 0], rays[:, 1])
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        drawn = rng.choice(count, (_TRIES, 3), p=chance)
        first = np.cross(normals[drawn[:, 0]], normals[drawn[:, 1]])
        second = np.cross(normals[drawn[:, 2]], first)
        third = np.cross(first, second)
        for axes in zip(first, second, third, strict=True):
            sizes = [float(np.linalg.norm(axis)) for axis in axes]
            if min(sizes) < 1e-6:
                continue
            rows = np.array([axis / size for axis, size in zip(axes, sizes, strict=True)])
            projected = rows * [focal, focal, 1.0]
            votes, near = _votes(ends, projected)
            own = votes[np.arange(count), near]
            # Two directions at least must have two segments each, or a lens is not told.
            held = np.bincount(near[own > 0], minlength=3)
            if np.sort(held)[1] >= 2 and own.sum() > most:
                best, most = rows, float(own.sum())
                best_focal = focal
    if best is None or most < 0.2 * lengths.sum():
        raise PerspectiveError(
            "The straight edges of this picture do not run together in directions at right "
            "angles. Mark the edges that do by hand."
        )
    return np.asarray(_named(best) * [best_focal, best_focal, 1.0])


def _named(rows: FloatArray) -> FloatArray:
    """Return axes (3, 3) as across, up and deep, by how a camera is mostly held."""
    up = int(np.abs(rows[:, 1]).argmax())
    rest = [n for n in range(3) if n != up]
    deep = max(rest, key=lambda n: abs(rows[n, 2]))
    across = next(n for n in rest if n != deep)
    return rows[[across, up, deep]]


def _votes(ends: FloatArray, axes: FloatArray) -> tuple[FloatArray, np.ndarray]:
    """Return how much segments (N, 2, 2) count for axes (3, 3), and which they are nearest to.

    By the angle, seen from a segment's middle, between it and the way to the vanishing point.
    """
    middle, way = ends.mean(axis=1), ends[:, 1] - ends[:, 0]
    lengths = np.linalg.norm(way, axis=1)
    # (x, y, z) is seen at (x, y) / -z: towards it from the middle is (x, y) + z middle.
    to = axes[None, :, :2] + axes[None, :, 2:] * middle[:, None]
    across = np.abs(to[..., 0] * way[:, None, 1] - to[..., 1] * way[:, None, 0])
    angle = across / np.maximum(np.linalg.norm(to, axis=2) * lengths[:, None], 1e-12)
    votes = lengths[:, None] * np.clip(1 - angle / np.sin(_NEAR), 0, None)
    return votes, np.asarray(angle.argmin(axis=1))


def _spread(segments: FloatArray, along: Direction, size: tuple[int, int]) -> list[Edge]:
    """Return up to six edges, best first, none close to another: twice the same tells no more."""
    kept: list[FloatArray] = []
    for segment in segments:
        middle = segment.mean(axis=0)
        if all(np.linalg.norm(middle - other.mean(axis=0)) > 0.06 * max(size) for other in kept):
            kept.append(segment)
        if len(kept) == _KEPT:
            break
    if len(kept) < 2:
        return []
    found = [np.round(segment, 2).tolist() for segment in kept]
    return [Edge((ax, ay), (bx, by), along) for (ax, ay), (bx, by) in found]


def as_marks(edges: Sequence[Edge]) -> list[dict[str, object]]:
    """Return edges as the edit ``mark_edges`` takes them."""
    return [{"a": edge.a, "b": edge.b, "along": edge.along.value} for edge in edges]
