"""What runs within a shot in its own time: which of its frames is seen when."""

from __future__ import annotations

import hashlib
import json
from enum import StrEnum
from fractions import Fraction
from functools import cached_property
from typing import Annotated, Self

import numpy as np
from numpy.typing import ArrayLike
from pydantic import Field, model_validator

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import ShotError
from vistaline.core.keyable import Keyed
from vistaline.core.model import Part
from vistaline.core.shot.frame_format import Rate

__all__ = ["Held", "NestedShot", "Running", "frames_seen", "stepped"]

BLENDS = 8
"""Steps from one frame to the next where they blend: no more are told apart in motion."""


class Held(StrEnum):
    """What is seen when it has run to its end."""

    HELD = "held"
    """Its last frame."""
    LOOPED = "looped"
    RETURNING = "returning"
    """It runs back, and forth again."""


class NestedShot(Part):
    """A shot of which another shows frames."""

    file: str = Field(min_length=1, max_length=500, description="Its file, relative to this one.")
    name: str = Field("", max_length=120)
    version: int | None = Field(None, ge=1)
    width: int = Field(1920, ge=1, le=20_000)
    height: int = Field(1080, ge=1, le=20_000)
    frames: int = Field(1, ge=1, le=1_000_000)
    rate: Rate = Fraction(24)
    document: dict[str, object] | None = Field(
        None, description="The shot itself, where it is carried along."
    )

    @cached_property
    def digest(self) -> str:
        """What tells the shot, as it is carried along, from any other."""
        told = json.dumps(self.document, sort_keys=True)
        return hashlib.sha256(told.encode()).hexdigest()


class Running(Part):
    """When something that has frames of its own runs, and how."""

    begins: int = Field(
        0, ge=-1_000_000, le=1_000_000, description="The frame in which its first is seen."
    )
    first: int = Field(0, ge=0, le=1_000_000, description="Its own frame it begins with.")
    last: int | None = Field(
        None, ge=0, le=1_000_000, description="Its own frame it ends with; left out: its last."
    )
    pace: float = Field(1.0, gt=0, le=100, description="2: twice as fast; 1: in its own time.")
    backwards: bool = False
    ends: Held = Held.HELD
    seen: Annotated[float | None, Keyed("Frame seen", "seen", low=0.0, high=1e6, looks=True)] = (
        Field(
            None,
            ge=0,
            le=1_000_000,
            description="Which of its frames is seen at any time: it does not run by itself.",
        )
    )
    blends: bool = Field(
        False,
        description="Whether both are seen between two of its frames, not the first alone.",
    )

    @property
    def begin(self) -> float:
        """Its own frame that it begins with, or stands at."""
        return float(self.first if self.seen is None else self.seen)

    @model_validator(mode="after")
    def _has_frames(self) -> Self:
        if self.last is not None and self.last < self.first:
            raise ShotError(
                f"It cannot end with frame {self.last}, before its first, {self.first}. Let it end "
                "later, or begin earlier.",
                field="last",
            )
        return self


def frames_seen(
    running: Running, times: ArrayLike, rate: Fraction, *, frames: int, own_rate: Fraction
) -> FloatArray:
    """Return which frame (N,) of what runs is seen at ``times`` (N,), in frames of the shot.

    It is a whole one, or, where it blends, in steps of ``BLENDS`` between two. ``rate``: the
    shot's frames a second; ``frames`` and ``own_rate``: what runs has so many.

    >>> run = Running(begins=2, first=1, last=3, ends="returning")
    >>> frames_seen(run, range(9), Fraction(24), frames=10, own_rate=Fraction(24)).tolist()
    [1.0, 1.0, 1.0, 2.0, 3.0, 2.0, 1.0, 2.0, 3.0]
    """
    when = np.atleast_1d(np.asarray(times, np.float64))
    last = min(frames - 1, frames - 1 if running.last is None else running.last)
    first = min(running.first, last)
    if running.seen is not None:
        return stepped(running, np.full(len(when), running.seen), frames)
    if last == first:
        return np.full(len(when), float(first))
    since = np.maximum(0.0, when - running.begins) * running.pace * float(own_rate / rate)
    # What falls just short of a whole frame by rounding is that frame.
    passed = np.floor(since * BLENDS + 1e-6) / BLENDS if running.blends else np.floor(since + 1e-6)
    length = last - first
    if running.ends is Held.LOOPED:
        # Its last frame does not flow into its first.
        passed = passed % (length + 1)
        passed = np.where(passed > length, length, passed)
    elif running.ends is Held.RETURNING:
        passed = length - np.abs(passed % (2 * length) - length)
    else:
        passed = np.minimum(passed, length)
    return last - passed if running.backwards else first + passed


def stepped(running: Running, seen: ArrayLike, frames: int) -> FloatArray:
    """Return frames that were typed or keyed as they are shown: within it, whole or in steps."""
    steps = BLENDS if running.blends else 1
    # The frame is seen until the next begins.
    found = np.floor(np.asarray(seen, np.float64) * steps + 1e-6) / steps
    return np.clip(found, 0, frames - 1)
