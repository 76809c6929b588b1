"""Values that change over time: keys, each with the ease of the travel that arrives at it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import Ease

__all__ = ["Channel", "Key"]


@dataclass(frozen=True, kw_only=True)
class Key:
    """One value at one frame; ``ease`` shapes the travel from the key before."""

    frame: float
    value: tuple[float, ...]
    ease: Ease


@dataclass(frozen=True)
class Channel:
    """Keys in order of time. Before the first and after the last the value stands still."""

    keys: Sequence[Key]

    def __call__(self, frames: ArrayLike) -> FloatArray:
        """Return the values at ``frames`` (N,), whole or fractional, as (N, components).

        >>> from vistaline.core.easing import NAMED_EASES
        >>> linear = NAMED_EASES["linear"]
        >>> across = Channel([Key(frame=0, value=(1.0,), ease=linear),
        ...                   Key(frame=10, value=(2.0,), ease=linear)])
        >>> across([-3, 5, 20]).ravel().round(6).tolist()
        [1.0, 1.5, 2.0]
        """
        frames = np.atleast_1d(np.asarray(frames, dtype=np.float64))
        values = np.array([key.value for key in self.keys], dtype=np.float64)
        times = [key.frame for key in self.keys]
        result = np.repeat(values[:1], len(frames), axis=0)
        for i in range(1, len(self.keys)):
            travelling = frames > times[i - 1]
            time = (frames[travelling] - times[i - 1]) / (times[i] - times[i - 1])
            progress = self.keys[i].ease(time)[:, None]
            # Written as a weighted mean so that both ends are met to the last bit.
            result[travelling] = (1 - progress) * values[i - 1] + progress * values[i]
        return result
