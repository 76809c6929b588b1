"""What documents about pictures are made of: points and brush strokes."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.model import Part
from vistaline.core.picture.select import stroke_mask

__all__ = ["Pixels", "Point", "Stroke", "painted"]

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
