"""How a relief stands: its map, and where the taking camera is as seen from its card.

A point of a relief is a place of its picture (u, v) and a nearness n. Its picture lies flat on the
layer's card; the point is on the ray from the taking camera through that place, 1 / q times as far
away as the card, with q = a + b n. All of it is one matrix (:func:`card_from_relief`), so a
relief that is moved, turned or raised more or less has the same triangles as before.
"""

from __future__ import annotations

import base64
import struct
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.geometry.optics import focal_length_px
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
    heights: np.ndarray
    """float32 (rows, columns): the map at the middles of even parts of the picture."""


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


def raised_of(
    shot: Shot,
    layer: Layer,
    near: FloatArray | float | None = None,
    far: FloatArray | float | None = None,
    strength: FloatArray | float | None = None,
) -> list[Raised] | None:
    """Return how a layer is raised, once for each of its values if they are arrays; None: flat."""
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
    nearest, farthest, much = np.broadcast_arrays(*asked)
    a = 1 + much * (relief.at / farthest - 1)
    b = much * (relief.at / nearest - relief.at / farthest)
    return [Raised(shape, apex, heights) for shape in zip(a.tolist(), b.tolist(), strict=True)]


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
