"""Eases: how far a travel has come at each moment, as CSS cubic-bezier curves.

Source: W3C CSS Easing Functions Level 1, section 2.2 (the named curves and the x limits).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
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
        parameters = _parameters_at(float(self.x1), float(self.x2), time.ravel())
        return _bezier(self.y1, self.y2, parameters.reshape(time.shape))


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _parameters_at(x1: float, x2: float, times: FloatArray) -> FloatArray:
    """Return the curve's parameter at each of ``times`` (N,)."""
    # x(parameter) never falls, so halving the interval always closes in; Newton steps are
    # faster but stall where the curve stands still (x1 = 1, x2 = 0).
    parameters = np.empty_like(times)
    for n in range(len(times)):
        low, high = 0.0, 1.0
        for _ in range(48):
            middle = (low + high) / 2
            rest = 1 - middle
            if ((3 * x1 * rest + 3 * x2 * middle) * rest + middle**2) * middle < times[n]:
                low = middle
            else:
                high = middle
        parameters[n] = (low + high) / 2
    return parameters


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
