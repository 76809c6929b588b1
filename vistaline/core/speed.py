"""The speed of a travel: how its ease's slope rises and falls, and a curve for a wished peak."""

from __future__ import annotations

import numpy as np
from scipy.optimize import least_squares

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import CubicBezier, Ease

__all__ = ["eased_with_peak", "peak_of", "speed_of"]

_STEPS = 400


def speed_of(ease: Ease, count: int = _STEPS) -> FloatArray:
    """Return the speed (count,) at the middles of equal parts of the time; 1 is even speed."""
    return np.asarray(np.diff(ease(np.linspace(0, 1, count + 1))) * count)


def peak_of(ease: Ease) -> tuple[float, float]:
    """Return when a travel is fastest, 0..1, and how fast it is then; 1 is even speed."""
    speed = speed_of(ease)
    n = int(speed.argmax())
    if not 0 < n < len(speed) - 1:
        return (n + 0.5) / _STEPS, float(speed[n])
    # The peak of the parabola through the three fastest parts.
    a, b, c = speed[n - 1 : n + 2].tolist()
    bend = a - 2 * b + c
    off = 0.5 * (a - c) / bend if bend else 0.0
    return (n + 0.5 + off) / _STEPS, b - 0.25 * (a - c) * off


def eased_with_peak(time: float, height: float) -> CubicBezier:
    """Return the curve, at rest at both ends, that is fastest at ``time`` and ``height`` fast.

    As near as a cubic-bezier with level handles can come: its peak lies between about 0.1 and
    0.9 and is 1.1 to 8 times even speed.
    """
    time, height = min(max(time, 0.05), 0.95), min(max(height, 1.1), 8.0)

    def error(handles: FloatArray) -> FloatArray:
        at, fast = peak_of(CubicBezier(handles[0], 0.0, handles[1], 1.0))
        return np.array([2 * (at - time), (fast - height) / height])

    best = None
    for start in ((0.42, 0.58), (0.8, 0.6), (0.4, 0.2), (0.9, 0.9), (0.1, 0.1)):
        found = least_squares(error, start, bounds=(0.0, 1.0), diff_step=1e-3)
        if best is None or found.cost < best.cost:
            best = found
        if best.cost < 1e-7:
            break
    assert best is not None
    x1, x2 = best.x.tolist()
    return CubicBezier(round(x1, 4), 0.0, round(x2, 4), 1.0)
