"""Lamps: what lights the layers of a shot."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from vistaline.core.geometry.light import COOLEST, HOTTEST
from vistaline.core.keyable import ANGLE, COLOUR, METRES, PERCENT, SHARE, SIZE, Keyed, Kind
from vistaline.core.looks.gobos import Gobo
from vistaline.core.model import Degrees, HexColour, Part, Position, Share
from vistaline.core.shot.mounts import Ride

__all__ = ["MOST_LAMPS", "Falloff", "Lamp", "LampKind"]

MOST_LAMPS = 32
"""In one shot: each costs time in every frame, and more are not told apart."""


class LampKind(StrEnum):
    """How a lamp shines."""

    POINT = "point"
    """To all sides."""
    SPOT = "spot"
    """In a cone."""
    PARALLEL = "parallel"
    """The same way everywhere, as the sun does."""
    AMBIENT = "ambient"
    """From everywhere: nothing casts a shadow, nothing is turned away."""


class Falloff(StrEnum):
    """How a lamp's light grows weaker with distance."""

    NONE = "none"
    SQUARE = "square"
    """By the square of the distance, as light does."""
    RANGE = "range"
    """The same, and to nothing at its range."""


_LIGHT = {key: value for key, value in COLOUR.items() if key != "looks"}


class Lamp(Part):
    """One lamp. It shines along its -z, as a camera looks, unless it is aimed."""

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)
    on: bool = True
    kind: LampKind = LampKind.POINT
    position: Annotated[
        Position,
        Keyed("Across", "x", 0, **METRES),
        Keyed("Up", "y", 1, **METRES),
        Keyed("Forward", "z", 2, **METRES | {"factor": -1.0}),
    ] = Field((0.0, 0.0, 0.0), description="On the stage, or before the camera it travels with.")
    pan: Annotated[Degrees, Keyed("Turn", **ANGLE)] = 0.0
    tilt: Annotated[Degrees, Keyed("Lean", **ANGLE)] = 0.0
    aim: str = Field("", max_length=80, description="The id of a layer it is aimed at, or none.")
    ride: Ride | None = None
    with_camera: bool = Field(
        False, description="It travels with the camera, its place told from there."
    )
    brightness: Annotated[float, Keyed("Brightness", low=0, high=1000, **PERCENT)] = Field(
        1.0,
        ge=0,
        le=1000,
        allow_inf_nan=False,
        description="1 shows what it lights as it is: squarely, at its normal distance.",
    )
    colour: Annotated[HexColour, Keyed("Colour", **_LIGHT)] = "#ffffff"
    kelvin: Annotated[
        float | None, Keyed("Kelvin", kind=Kind.INVERSE, unit="K", low=COOLEST, high=HOTTEST)
    ] = Field(
        None,
        ge=COOLEST,
        le=HOTTEST,
        allow_inf_nan=False,
        description="The colour of what glows so hot, instead of ``colour``.",
    )
    falloff: Falloff = Falloff.SQUARE
    normal: Annotated[float, Keyed("Normal distance", unit="m", **SIZE)] = Field(
        2.0, gt=0, le=1e6, allow_inf_nan=False, description="Metres at which falling light is 1."
    )
    reach: Annotated[float, Keyed("Range", unit="m", **SIZE)] = Field(
        10.0, gt=0, le=1e6, allow_inf_nan=False
    )
    cone: Annotated[float, Keyed("Cone", unit="°", low=1, high=179)] = Field(
        50.0, ge=1, le=179, allow_inf_nan=False, description="Degrees from edge to edge."
    )
    softness: Annotated[Share, Keyed("Soft edge", **SHARE)] = 0.3
    shadows: bool = Field(False, description="Whether what stands in its light throws shadows.")
    size: Annotated[float, Keyed("Lamp's size", unit="m", low=0, high=1000)] = Field(
        0.1,
        ge=0,
        le=1000,
        allow_inf_nan=False,
        description="Its diameter in metres, of parallel light as if it stood 10 m away: the "
        "larger it is, the softer its shadows.",
    )
    gobo: Gobo | None = Field(
        None, description="What it throws, of a spot or a parallel light: a shape or a picture."
    )
    rides_with: str = Field(
        "", max_length=80, description="The id of a layer it travels with, its place told from it."
    )
