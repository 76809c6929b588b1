"""The plan's sheet: the stage flattened, in metres, from above or from the side."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from vistaline.core.arrays import FloatArray

__all__ = ["PlanView", "flatten", "lifted"]


class PlanView(StrEnum):
    """Where the plan is looked at from."""

    ABOVE = "above"
    SIDE = "side"


def flatten(points: FloatArray, view: PlanView) -> FloatArray:
    """Map stage points (N, 3) to the sheet (N, 2): (x, -z) from above, (-z, y) from the side."""
    if view is PlanView.ABOVE:
        return np.column_stack([points[:, 0], -points[:, 2]])
    return np.column_stack([-points[:, 2], points[:, 1]])


def lifted(dx: float, dy: float, view: PlanView) -> FloatArray:
    """Return the way (3,) on the stage of a way on the sheet: the inverse of :func:`flatten`."""
    return np.array([dx, 0.0, -dy] if view is PlanView.ABOVE else [0.0, dy, -dx])
