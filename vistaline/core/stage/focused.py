"""What a camera is focused on at any time, and how far its lens is open."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import parse_ease
from vistaline.core.geometry.focus import NEAREST, hole_radius
from vistaline.core.shot.focusing import Iris
from vistaline.core.shot.route import Framing
from vistaline.core.shot.rows import values_at
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.keyed import row_of

__all__ = ["LIVE_COPIES", "Optics", "how_blurred", "optics_at"]


@dataclass(frozen=True, kw_only=True)
class Optics:
    """What a camera's lens does to what it is not focused on."""

    focus: float
    """Metres before the camera, along the way it looks."""
    f_number: float
    hole: float
    """Metres: the radius of the hole of a pinhole camera that blurs like this lens, its strength
    counted in; see :func:`focus.hole_radius`."""
    iris: Iris

    def blur(self, focal_px: float, distance: float) -> float:
        """Return the radius in pixels of a point's disc ``distance`` metres before the camera.

        ``focal_px``: the camera's focal length in the pixels that are asked for.
        """
        return focal_px * self.hole * abs(1 / distance - 1 / self.focus)


@dataclass(frozen=True)
class LiveCopy:
    """A blurred copy of a look, as the live view mixes them."""

    radius: int
    """Pixels of the browser's version of the look."""
    smaller: int
    """How many times as small the copy is."""

    @property
    def pad(self) -> int:
        """Its pixels all round that lie beyond the look."""
        return self.radius // self.smaller + 2


LIVE_COPIES = (
    LiveCopy(2, 2),
    LiveCopy(4, 2),
    LiveCopy(8, 2),
    LiveCopy(16, 4),
    LiveCopy(32, 8),
    LiveCopy(64, 16),
)
"""Each blurred twice as much as the one before; what is blurred more is the last of them."""


def how_blurred(radius: float) -> str:
    """Return in a word how a disc of so many pixels' radius is seen.

    >>> how_blurred(0.2), how_blurred(6.0)
    ('sharp', 'soft')
    """
    return next(word for most, word in _WORDS if radius < most)


_WORDS = (
    (0.5, "sharp"),
    (1.5, "nearly sharp"),
    (8.0, "soft"),
    (25.0, "blurred"),
    (math.inf, "far out of focus"),
)


def optics_at(
    shot: Shot, times: FloatArray, focal_lengths: Sequence[float], followed: FloatArray | None
) -> list[Optics]:
    """Return how the directed camera's lens is set at ``times`` (N,).

    ``focal_lengths`` (N) in millimetres; ``followed`` (N,): how far before the camera is what it
    is kept focused on, in metres. A value is told by its keys; else by the framings that carry
    one, on the way between them; else it is the camera's own number. What lies nearer than a lens
    can be focused on is taken as just there.
    """
    focusing, of = shot.camera.focusing, f"camera:{shot.camera.id}"

    def told(value: str, own: float) -> FloatArray:
        row = row_of(shot, of, value)
        return np.asarray(values_at(row, times)) if row else np.full(len(times), own)

    def travelling(
        value: str,
        own: float,
        carried: Callable[[Framing], float | None],
        to: Callable[[FloatArray], FloatArray],
        back: Callable[[FloatArray], FloatArray],
    ) -> FloatArray:
        framings = [each for each in shot.route.framings if carried(each) is not None]
        if not framings or row_of(shot, of, value) is not None:
            return told(value, own)
        values = np.array([carried(each) for each in framings], np.float64)
        return back(_between(framings, to(values), times))

    def inverse(values: FloatArray) -> FloatArray:
        return 1 / np.maximum(values, 1e-9)

    f_numbers = travelling(
        "f_number", focusing.f_number, lambda framing: framing.f_number, np.log, np.exp
    )
    if followed is None:
        focus = travelling("focus", focusing.focus, lambda framing: framing.focus, inverse, inverse)
    else:
        focus = followed
    strengths = told("blur_strength", focusing.strength)
    turns = told("iris_turn", focusing.iris.turn)
    roundness = told("iris_roundness", focusing.iris.roundness)
    rims = told("iris_rims", focusing.iris.rims)
    found = []
    for n, lens in enumerate(focal_lengths):
        at = max(float(focus[n]), lens * NEAREST / 1000)
        opening = float(f_numbers[n])
        found.append(
            Optics(
                focus=at,
                f_number=opening,
                hole=hole_radius(lens, opening, at) * float(strengths[n]),
                iris=Iris(
                    blades=focusing.iris.blades,
                    turn=float(turns[n]),
                    roundness=float(roundness[n]),
                    rims=float(rims[n]),
                ),
            )
        )
    return found


def _between(framings: Sequence[Framing], values: FloatArray, times: FloatArray) -> FloatArray:
    """Return values (N,) at ``times`` that are ``values`` (K,) at framings (K)."""
    found = np.full(len(times), values[0])
    for n in range(1, len(framings)):
        start, end = framings[n - 1].last, framings[n].frame
        on_way, there = (times > start) & (times < end), times >= end
        found[there] = values[n]
        ease = framings[n].focus_ease
        curve = framings[n].curve if ease is None else parse_ease(ease)
        share = curve((times[on_way] - start) / (end - start))
        found[on_way] = (1 - share) * values[n - 1] + share * values[n]
    return found
