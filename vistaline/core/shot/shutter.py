"""A camera's shutter: for how long a frame is exposed, and when it begins."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Annotated

from pydantic import Field

from vistaline.core.keyable import Keyed
from vistaline.core.model import Part

__all__ = ["Shutter"]


class Shutter(Part):
    """How long a frame gathers light, in degrees of which 360 are from frame to frame."""

    angle: Annotated[
        float,
        Field(ge=0, le=720, allow_inf_nan=False),
        Keyed("Shutter’s angle", "shutter_angle", unit="°", low=0, high=720),
    ] = Field(180.0, description="180 is half the time from frame to frame.")
    phase: Annotated[
        float,
        Field(ge=-720, le=720, allow_inf_nan=False),
        Keyed("Shutter’s phase", "shutter_phase", unit="°", low=-720, high=720),
    ] = Field(
        -90.0,
        description="When it opens, from the frame's own time on; half the angle before it, the "
        "frame's time is the middle.",
    )

    def exposures_a_second(self, rate: Fraction) -> float:
        """Return how many exposures this long would fill a second; infinite for none.

        >>> Shutter(angle=180).exposures_a_second(Fraction(24))
        48.0
        """
        return float(rate) * 360 / self.angle if self.angle else math.inf
