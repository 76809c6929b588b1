"""Eases: how far a travel has come at each moment.

Sources: W3C CSS Easing Functions Level 1, section 2.2 (cubic-bezier and its names) and Level 2,
section 2.1 (linear()); R. Penner, Programming Macromedia Flash MX, 2002, ch. 7 (the formulas named
sine to back); the spring is the closed form of a damped oscillator.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, Protocol

import numpy as np
from numba import njit
from numpy.typing import ArrayLike
from pydantic import BeforeValidator, Field

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import ShotError
from vistaline.core.near import meant

__all__ = [
    "EASE_NAMES",
    "NAMED_EASES",
    "CubicBezier",
    "Ease",
    "EaseName",
    "Spring",
    "Stay",
    "parse_ease",
]


class Ease(Protocol):
    """Progress, 0 at the start and 1 at the end; between them it may go beyond."""

    def __call__(self, time: ArrayLike) -> FloatArray:
        """Return the progress at ``time`` (any shape, 0..1; clamped outside)."""


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
        """See :class:`Ease`."""
        time = np.clip(np.asarray(time, dtype=np.float64), 0, 1)
        if self.x1 == self.y1 and self.x2 == self.y2:
            return time  # a straight line; solved for, it would be off in the last digits
        parameters = _parameters_at(float(self.x1), float(self.x2), time.ravel())
        return _bezier(self.y1, self.y2, parameters.reshape(time.shape))


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _parameters_at(x1: float, x2: float, times: FloatArray) -> FloatArray:
    """Return the curve's parameter at each of ``times`` (N,)."""
    # x(parameter) never falls, so its root stays between two ends that close in; Newton's step is
    # taken where it stays between them, else the middle: it stalls where the curve stands still
    # (x1 = 1, x2 = 0). "rtsafe" of Press et al., Numerical Recipes, 3rd ed., section 9.4.
    parameters = np.empty_like(times)
    for n in range(len(times)):
        low, high, t = 0.0, 1.0, times[n]
        for _ in range(60):
            rest = 1 - t
            error = ((3 * x1 * rest + 3 * x2 * t) * rest + t * t) * t - times[n]
            if error < 0:
                low = t
            else:
                high = t
            slope = 3 * (rest * rest * x1 + 2 * rest * t * (x2 - x1) + t * t * (1 - x2))
            step = t - error / slope if slope > 1e-9 else -1.0
            if not low < step < high:
                step = (low + high) / 2
            if abs(step - t) < 1e-14:
                break
            t = step
        parameters[n] = t
    return parameters


def _bezier(p1: float, p2: float, t: FloatArray) -> FloatArray:
    return 3 * p1 * t * (1 - t) ** 2 + 3 * p2 * t**2 * (1 - t) + t**3


@dataclass(frozen=True)
class Formula:
    """A closed form for the way in, used as it is, turned round, or both, half each."""

    way_in: Callable[[FloatArray], FloatArray]
    way: str

    def __call__(self, time: ArrayLike) -> FloatArray:
        """See :class:`Ease`."""
        time = np.clip(np.asarray(time, dtype=np.float64), 0, 1)
        if self.way == "in":
            return self.way_in(time)
        if self.way == "out":
            return 1 - self.way_in(1 - time)
        first = self.way_in(2 * time) / 2
        return np.where(time < 0.5, first, 1 - self.way_in(2 - 2 * time) / 2)


@dataclass(frozen=True)
class Linear:
    """Straight stretches between points of time and progress, as CSS's ``linear()``."""

    times: tuple[float, ...]
    progress: tuple[float, ...]

    def __call__(self, time: ArrayLike) -> FloatArray:
        """See :class:`Ease`."""
        time = np.clip(np.asarray(time, dtype=np.float64), 0, 1)
        return np.asarray(np.interp(time, self.times, self.progress), np.float64)


@dataclass(frozen=True)
class Spring:
    """A damped oscillator let go at 0 that comes to rest at 1: ``damping`` 0.05 to 1 (critical).

    Its frequency is such that at the end what is left has fallen to a thousandth; that rest is
    taken off in proportion to time, so that it arrives exactly.
    """

    damping: float

    def __call__(self, time: ArrayLike) -> FloatArray:
        """See :class:`Ease`."""
        time = np.clip(np.asarray(time, dtype=np.float64), 0, 1)
        return 1 - self.left(time) + time * self.left(np.array(1.0))

    def left(self, time: FloatArray) -> FloatArray:
        """Return the oscillator's distance from rest: x'' + 2 d w x' + w^2 x = 0, x(0) = 1."""
        d = self.damping
        if d >= 1:
            w = 9.2334  # (1 + w) exp(-w) = 0.001
            return np.asarray((1 + w * time) * np.exp(-w * time))
        w = math.log(1000) / d
        swing = w * math.sqrt(1 - d**2)
        turn = np.cos(swing * time) + d / math.sqrt(1 - d**2) * np.sin(swing * time)
        return np.asarray(np.exp(-d * w * time) * turn)


@dataclass(frozen=True)
class Stay:
    """Stays, and is there at the last moment: CSS's ``steps(1, jump-end)``."""

    def __call__(self, time: ArrayLike) -> FloatArray:
        """See :class:`Ease`."""
        return np.where(np.asarray(time, dtype=np.float64) < 1, 0.0, 1.0)


NAMED_EASES: dict[str, CubicBezier] = {
    "linear": CubicBezier(0, 0, 1, 1),
    "ease": CubicBezier(0.25, 0.1, 0.25, 1),
    "ease-in": CubicBezier(0.42, 0, 1, 1),
    "ease-out": CubicBezier(0, 0, 0.58, 1),
    "ease-in-out": CubicBezier(0.42, 0, 0.58, 1),
}
_BACK = 1.70158  # Penner's: a tenth too far
_WAYS_IN: dict[str, Callable[[FloatArray], FloatArray]] = {
    "sine": lambda t: 1 - np.cos(t * math.pi / 2),
    "quad": lambda t: t**2,
    "cubic": lambda t: t**3,
    "quart": lambda t: t**4,
    "quint": lambda t: t**5,
    "expo": lambda t: np.where(t > 0, 2.0 ** (10 * t - 10), 0.0),
    "circ": lambda t: 1 - np.sqrt(np.maximum(1 - t**2, 0)),
    "back": lambda t: t**2 * ((_BACK + 1) * t - _BACK),
}
_FORMULAS: dict[str, Ease] = {
    f"{name}-{way}": Formula(way_in, way)
    for name, way_in in _WAYS_IN.items()
    for way in ("in", "out", "in-out")
}
EASE_NAMES: tuple[str, ...] = (*NAMED_EASES, *_FORMULAS, "spring", "hold")
"""All eases that have a name; ``spring(d)`` and ``linear(...)`` besides take numbers."""


def parse_ease(ease: str | tuple[float, float, float, float]) -> Ease:
    """Return the curve of an ease: a name, ``spring(damping)``, ``linear(...)``, four handles.

    >>> float(parse_ease("linear")(0.25).round(6))
    0.25
    >>> float(parse_ease("linear(0, 0.8 25%, 1)")(0.25))
    0.8
    """
    if not isinstance(ease, str):
        if (
            not isinstance(ease, tuple)
            or len(ease) != 4
            or not all(isinstance(each, int | float) and math.isfinite(each) for each in ease)
        ):
            raise ShotError(
                f"An ease is a name or four numbers x1, y1, x2, y2, not {str(ease)[:40]!r}.",
                field="ease",
            )
        return CubicBezier(*ease)
    found = NAMED_EASES.get(ease) or _FORMULAS.get(ease)
    if found is not None:
        return found
    if ease == "hold":
        return Stay()
    name, numbers = _call(ease)
    if name == "spring" and len(numbers) <= 1:
        damping = _number(numbers[0]) if numbers else 0.5
        if not 0.05 <= damping <= 1:
            raise ShotError(
                f"A spring's damping must be 0.05 (it swings long) to 1 (not at all), "
                f"not {damping:g}.",
                field="ease",
            )
        return Spring(damping)
    if name == "linear" and len(numbers) >= 2:
        return _linear(numbers)
    near = meant(ease, EASE_NAMES)
    if near:
        raise ShotError(f"There is no ease called {ease!r}. {near}", field="ease")
    raise ShotError(
        f"There is no ease called {ease!r}; use one of {', '.join(EASE_NAMES)}, spring(0.5), "
        "linear(0, 0.5 20%, 1), or four numbers x1, y1, x2, y2.",
        field="ease",
    )


def _call(text: str) -> tuple[str, list[str]]:
    match = re.fullmatch(r"([a-z]+)(?:\((.*)\))?", text.strip())
    if not match:
        return text, []
    return match[1], [part.strip() for part in match[2].split(",")] if match[2] else []


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise ShotError(f"{text!r} in an ease is no number.", field="ease")
    return value


def _linear(stops: list[str]) -> Linear:
    """CSS Easing 2, section 2.1.1: stops without a time are spread evenly; none goes back."""
    progress: list[float] = []
    times: list[float] = []
    for stop in stops:
        value, *at = stop.split() or [""]
        for time in at or [""]:
            progress.append(_number(value))
            given = _number(time.removesuffix("%")) / 100 if time else math.nan
            times.append(max([given, *(t for t in times if t == t)]) if time else given)
    if len(times) > 1000:
        raise ShotError("An ease may have at most 1000 points.", field="ease")
    times[0] = 0.0 if math.isnan(times[0]) else times[0]
    times[-1] = max(1.0, times[0]) if math.isnan(times[-1]) else times[-1]
    known = ~np.isnan(times)
    index = np.arange(len(times))
    filled = np.interp(index, index[known], np.array(times)[known])
    return Linear(tuple(filled.tolist()), tuple(progress))


def _checked_ease(ease: Any) -> Any:
    parse_ease(tuple(ease) if isinstance(ease, list) else ease)
    return ease


EaseName = Annotated[
    str | tuple[float, float, float, float],
    Field(
        json_schema_extra={
            "anyOf": [
                {"enum": sorted(EASE_NAMES)},
                {"type": "string", "pattern": r"^(spring|linear)\(.*\)$"},
                {"type": "array", "items": {"type": "number"}, "minItems": 4, "maxItems": 4},
            ],
            "description": "An ease by name; spring(damping); CSS's linear(...); or four handles "
            "of a CSS cubic-bezier, x1, y1, x2, y2.",
        }
    ),
    BeforeValidator(_checked_ease),
]
"""An ease as a field: refused by a sentence if there is no such one."""
