"""How a relief stands: its map, and where the taking camera is as seen from its card.

A point of a relief is a place of its picture (u, v) and a nearness n. Its picture lies flat on the
layer's card; the point is on the ray from the taking camera through that place, 1 / q times as far
away as the card, with q = a + b n. All of it is one matrix (:func:`card_from_relief`), so a
relief that is moved, turned or raised more or less has the same triangles as before.
"""

from __future__ import annotations

import base64
import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import map_coordinates

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.picture.coverage import coverage_of
from vistaline.core.shot.areas import ReliefArea
from vistaline.core.shot.shot import Layer, Shot

__all__ = ["Raised", "card_from_relief", "raised_of", "told_heights"]

_SIDE = 160
"""Places of a map that are told with a shot, along its longer side."""


@dataclass(frozen=True, eq=False)
class Raised:
    """What makes a card a relief."""

    shape: tuple[float, float]
    """a and b of q = a + b n: how much nearer than the card what has nearness n is."""
    apex: tuple[float, float, float]
    """Where the taking camera is, from the card's middle, in widths of the card."""
    base: np.ndarray
    """float32 (rows, columns): the map at the middles of even parts of the picture."""
    areas: np.ndarray
    """float32 (N, rows, columns), 0..1: where each of its areas is; N may be 0."""
    lifts: tuple[float, ...] = ()
    """By how much each of them is nearer, of the map's range."""

    @cached_property
    def lift(self) -> np.ndarray | None:
        """How much nearer each place is for its areas, (rows, columns); None: no area is."""
        if not any(self.lifts):
            return None
        return np.asarray(np.tensordot(np.array(self.lifts, np.float32), self.areas, axes=1))

    @cached_property
    def heights(self) -> np.ndarray:
        """The map with its areas, float32 (rows, columns)."""
        return self.base if self.lift is None else np.clip(self.base + self.lift, 0, 1)

    def lifted(self, points: np.ndarray) -> np.ndarray:
        """Return points float32 (N, 3), u, v and nearness, with what its areas add to that."""
        lift = self.lift
        if lift is None:
            return points
        rows, columns = lift.shape
        there = points[:, 1] * rows - 0.5, points[:, 0] * columns - 0.5
        more = map_coordinates(lift, there, order=1, mode="nearest")
        found = points.copy()
        found[:, 2] = np.clip(points[:, 2] + more, 0, 1)
        return found


def told_heights(nearness: np.ndarray) -> str:
    """Return a map float32 (height, width), 0..1, as a shot keeps it: coarse, in base64."""
    share = min(1.0, _SIDE / max(nearness.shape))
    size = tuple(max(2, round(side * share)) for side in nearness.shape[::-1])
    small = cv2.resize(nearness, size, interpolation=cv2.INTER_AREA)
    _, png = cv2.imencode(".png", np.rint(np.clip(small, 0, 1) * 255).astype(np.uint8))
    return base64.b64encode(png.tobytes()).decode()


@lru_cache(maxsize=64)
def _heights_of(told: str) -> np.ndarray:
    """Return the map float32 (rows, columns) that a shot keeps; even where it keeps none."""
    found = None
    try:
        data = base64.b64decode(told, validate=True)
        # A PNG's first chunk says how large it is: 4-byte numbers from its 17th byte on.
        size = struct.unpack(">II", data[16:24])
        if max(size) <= _SIDE:
            found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
    except (ValueError, struct.error, cv2.error):
        pass  # not of our making
    if found is None or min(found.shape) < 2:
        return np.full((2, 2), 0.5, np.float32)
    return np.asarray(found, np.float32) / 255


@lru_cache(maxsize=128)
def area_on(outline: tuple[tuple[float, float], ...], soft: float, size: tuple[int, int]) -> Any:
    """Return where an area is, float32 0..1, on a map of ``size`` (columns, rows)."""
    drawn = coverage_of(np.array(outline) * size, size).astype(np.float32) / 255
    # A fade over n pixels is about a Gaussian of a quarter of that.
    spread = soft * size[0] / 4
    return cv2.GaussianBlur(drawn, (0, 0), spread) if spread > 0.3 else drawn


def _areas_on(areas: Sequence[ReliefArea], heights: np.ndarray) -> np.ndarray:
    size = (heights.shape[1], heights.shape[0])
    found = [area_on(each.outline, each.soft, size) for each in areas]
    return np.array(found, np.float32).reshape(len(areas), *heights.shape)


def raised_of(
    shot: Shot,
    layer: Layer,
    near: FloatArray | float | None = None,
    far: FloatArray | float | None = None,
    strength: FloatArray | float | None = None,
    lifts: Mapping[str, FloatArray] | None = None,
) -> list[Raised] | None:
    """Return how a layer is raised, once for each of its values if they are arrays; None: flat.

    ``lifts``: those of its areas that have keys, by their ids.
    """
    relief = layer.relief
    if relief is None:
        return None
    taking = shot.taking_camera
    assert layer.box and taking.focal_length is not None, "the shot has been completed"
    x, y, wide, tall = layer.box
    middle_x, middle_y = taking.principal_point
    focal = focal_length_px(taking.focal_length, *taking.canvas)
    apex = ((middle_x - x - wide / 2) / wide, (y + tall / 2 - middle_y) / wide, focal / wide)
    ref = shot.pictures.get(relief.depth)
    heights = _heights_of(ref.heights if ref else "")
    own = relief.near, relief.far, relief.strength
    asked = [
        np.atleast_1d(np.asarray(mine if keyed is None else keyed, np.float64))
        for mine, keyed in zip(own, (near, far, strength), strict=True)
    ]
    asked += [
        np.atleast_1d(np.asarray((lifts or {}).get(each.id, each.lift), np.float64))
        for each in relief.areas
    ]
    nearest, farthest, much, *lifted = np.broadcast_arrays(*asked)
    a = 1 + much * (relief.at / farthest - 1)
    b = much * (relief.at / nearest - relief.at / farthest)
    areas = _areas_on(relief.areas, heights)
    each_lifts = np.array(lifted).reshape(len(lifted), len(a)).T.tolist()
    return [
        Raised((own_a, own_b), apex, heights, areas, tuple(own))
        for own_a, own_b, own in zip(a.tolist(), b.tolist(), each_lifts, strict=True)
    ]


def card_from_relief(raised: Raised, width: float, height: float) -> Matrix4:
    """Return the matrix that takes (u, v, n, 1) to homogeneous metres of a card of that size."""
    (a, b), (x, y, z) = raised.shape, raised.apex
    return np.array(
        [
            [width, 0, width * x * b, width * (x * (a - 1) - 0.5)],
            [0, -height, width * y * b, width * y * (a - 1) + height / 2],
            [0, 0, width * z * b, width * z * (a - 1)],
            [0, 0, b, a],
        ]
    )
