"""Eases: how far a travel has come at each moment, as CSS cubic-bezier curves.

Source: W3C CSS Easing Functions Level 1, section 2.2 (the named curves and the x limits).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import ShotError

__all__ = ["NAMED_EASES", "CubicBezier", "parse_ease"]


@dataclass(frozen=True)
class CubicBezier:
    """A curve from (0, 0) to (1, 1) with two handles; x is time, y is progress."""

    x1: float
    y1: float
    x2: float
    y2: float

    def __post_init__(self) -> None:
        if not (0 <= self.x1 <= 1 and 0 <= self.x2 <= 1):
            raise ShotError(
                "The handles of an ease must lie between 0 and 1 in time (x1 and x2), "
                f"got {self.x1:g} and {self.x2:g}.",
                field="ease",
            )

    def __call__(self, time: ArrayLike) -> FloatArray:
        """Return the progress at ``time`` (any shape, 0..1; clamped outside)."""
        time = np.clip(np.asarray(time, dtype=np.float64), 0, 1)
        parameter = self._parameter_at(time)
        return _bezier(self.y1, self.y2, parameter)

    def _parameter_at(self, time: FloatArray) -> FloatArray:
        # x(parameter) never falls, so halving the interval always closes in; Newton steps are
        # faster but stall where the curve stands still (x1 = 1, x2 = 0).
        low, high = np.zeros_like(time), np.ones_like(time)
        for _ in range(48):
            middle = (low + high) / 2
            below = _bezier(self.x1, self.x2, middle) < time
            low, high = np.where(below, middle, low), np.where(below, high, middle)
        return (low + high) / 2


def _bezier(p1: float, p2: float, t: FloatArray) -> FloatArray:
    return 3 * p1 * t * (1 - t) ** 2 + 3 * p2 * t**2 * (1 - t) + t**3


NAMED_EASES: dict[str, CubicBezier] = {
    "linear": CubicBezier(0, 0, 1, 1),
    "ease": CubicBezier(0.25, 0.1, 0.25, 1),
    "ease-in": CubicBezier(0.42, 0, 1, 1),
    "ease-out": CubicBezier(0, 0, 0.58, 1),
    "ease-in-out": CubicBezier(0.42, 0, 0.58, 1),
}


def parse_ease(ease: str | tuple[float, float, float, float]) -> CubicBezier:
    """Return the curve of a named ease, or of four handle coordinates x1, y1, x2, y2.

    >>> float(parse_ease("linear")(0.25).round(6))
    0.25
    """
    if isinstance(ease, str):
        try:
            return NAMED_EASES[ease]
        except KeyError:
            names = ", ".join(NAMED_EASES)
            raise ShotError(
                f"There is no ease called {ease!r}; use {names}, or four numbers x1, y1, x2, y2.",
                field="ease",
            ) from None
    return CubicBezier(*ease)
