"""How a camera is focused: its opening, what it is focused on, and the shape of its disc."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from vistaline.core.errors import ShotError
from vistaline.core.keyable import ANGLE, PERCENT, SHARE, Keyed, Kind
from vistaline.core.model import Degrees, Part

__all__ = ["LEAST_F_NUMBER", "MOST_F_NUMBER", "FNumber", "Focus", "Focusing", "Iris"]

LEAST_F_NUMBER, MOST_F_NUMBER = 0.5, 90.0
FNumber = Annotated[float, Field(ge=LEAST_F_NUMBER, le=MOST_F_NUMBER, allow_inf_nan=False)]
Focus = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
"""Metres from the camera, along the way it looks."""


class Iris(Part):
    """The shape of the opening, and so of a point that is out of focus."""

    blades: int = Field(0, ge=0, le=9, description="5 to 9, or 0 for a round opening.")
    turn: Annotated[Degrees, Keyed("Blades’ turn", "iris_turn", **ANGLE)] = 0.0
    roundness: Annotated[
        float, Field(ge=0, le=1), Keyed("Blades’ roundness", "iris_roundness", **SHARE)
    ] = 0.0
    rims: Annotated[
        float, Field(ge=-1, le=1), Keyed("Rims", "iris_rims", low=-1, high=1, **PERCENT)
    ] = Field(0.0, description="Above 0 a disc's rim is brighter than its middle, below darker.")

    @model_validator(mode="after")
    def _closes(self) -> Iris:
        if 0 < self.blades < 5:
            raise ShotError(
                f"An iris has 5 to 9 blades, or none for a round opening, not {self.blades}.",
                field="blades",
            )
        return self


class Focusing(Part):
    """How sharp a camera sees what; of a camera that sees everything sharp, nothing counts."""

    everything_sharp: bool = Field(True, description="As through a pinhole: nothing is blurred.")
    f_number: Annotated[FNumber, Keyed("f-number", kind=Kind.RATIO, low=0.5, high=90)] = Field(
        2.8, description="The focal length over the diameter of the opening."
    )
    focus: Annotated[Focus, Keyed("Focus", kind=Kind.INVERSE, unit="m", low=1e-6, high=1e6)] = (
        Field(3.0, description="Metres to what is sharp; framings may carry their own.")
    )
    follows: str = Field(
        "", max_length=80, description="The id of a layer that is kept in focus; empty: none."
    )
    strength: Annotated[
        float,
        Field(ge=0, le=3),
        Keyed("Blur’s strength", "blur_strength", low=0, high=3, **PERCENT),
    ] = Field(1.0, description="1 as the lens blurs; an effect beside the optics.")
    iris: Iris = Iris()
