"""Points and brush strokes, as documents keep them, and the masks that strokes draw."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

import cv2
import numpy as np
from numba import njit
from pydantic import Field

from vistaline.core.model import Part

__all__ = ["Pixels", "Point", "Stroke", "painted", "shrunk", "stroke_mask"]

Pixels = Annotated[float, Field(ge=-100_000, le=100_000, allow_inf_nan=False)]
Point = tuple[Pixels, Pixels]


class Stroke(Part):
    """A brush drawn along points."""

    points: tuple[Point, ...] = Field(min_length=1, max_length=20_000)
    width: float = Field(40, gt=0, le=5000)
    softness: float = Field(0, ge=0, le=1)

    def moved(self, matrix: np.ndarray) -> Stroke:
        """Return the stroke mapped by an affine matrix (3, 3); its width by the mean scale."""
        along = np.array(self.points) @ matrix[:2, :2].T + matrix[:2, 2]
        scale = abs(float(np.linalg.det(matrix[:2, :2]))) ** 0.5
        return self.evolve(
            points=tuple((float(x), float(y)) for x, y in along),
            width=min(5000.0, max(1e-3, self.width * scale)),
        )


def painted(
    strokes: Iterable[Stroke], size: tuple[int, int], matrix: np.ndarray | None = None
) -> np.ndarray:
    """Return uint8 (height, width) of strokes together, mapped by ``matrix`` (3, 3) if given."""
    mask = np.zeros((size[1], size[0]), np.uint8)
    for stroke in strokes:
        here = stroke if matrix is None else stroke.moved(matrix)
        stroke_mask(np.array(here.points), here.width, size, softness=here.softness, onto=mask)
    return mask


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _stroke(points: np.ndarray, radius: float, softness: float, out: np.ndarray) -> None:
    rows, columns = out.shape
    core = radius * (1 - softness)
    for n in range(max(1, len(points) - 1)):
        ax, ay = points[n]
        bx, by = points[min(n + 1, len(points) - 1)]
        dx, dy = bx - ax, by - ay
        length = dx * dx + dy * dy
        y0, y1 = int(min(ay, by) - radius - 1), int(max(ay, by) + radius + 2)
        x0, x1 = int(min(ax, bx) - radius - 1), int(max(ax, bx) + radius + 2)
        for y in range(max(0, y0), min(rows, y1)):
            for x in range(max(0, x0), min(columns, x1)):
                px, py = x + 0.5 - ax, y + 0.5 - ay
                t = 0.0 if length == 0 else min(max((px * dx + py * dy) / length, 0.0), 1.0)
                distance = np.hypot(px - t * dx, py - t * dy)
                fall = max(radius - core, 1.0)
                share = min(max(((core + radius) / 2 - distance) / fall + 0.5, 0.0), 1.0)
                value = np.uint8(255 * share + 0.5)
                if value > out[y, x]:
                    out[y, x] = value


def stroke_mask(
    points: np.ndarray,
    width: float,
    size: tuple[int, int],
    *,
    softness: float = 0.0,
    onto: np.ndarray | None = None,
) -> np.ndarray:
    """Return uint8 (height, width) of a brush drawn along ``points`` (N, 2) x, y in pixels.

    ``width`` is the brush's diameter; ``softness`` 0..1 is the share of its radius that fades.
    ``onto`` is a mask of that size to draw on, where the greater of both is kept.
    """
    out = np.zeros((size[1], size[0]), np.uint8) if onto is None else onto
    along = np.asarray(points, dtype=np.float64).reshape(-1, 2)
    if len(along):
        _stroke(along, float(width) / 2, float(softness), out)
    return out


def shrunk(drawn: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return a drawn shape (bool) at another size (width, height); a thin stroke stays."""
    if not drawn.any():
        return np.zeros(size[::-1], bool)
    share = cv2.resize(drawn.view(np.uint8) * 255, size, interpolation=cv2.INTER_AREA)
    return share > 76
