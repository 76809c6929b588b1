"""What is in the air of a shot: fog, veils, and particles."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from vistaline.core.keyable import ANGLE, COLOUR, METRES, PERCENT, SHARE, SIZE, Keyed
from vistaline.core.model import Degrees, HexColour, Length, Metres, Position, Share
from vistaline.core.shot.mounts import Ride
from vistaline.core.shot.shows import Tagged

__all__ = ["AT", "TINT", "Across", "Dress", "Emits", "Fog", "Particles", "Shape", "Veils"]

TINT = {key: value for key, value in COLOUR.items() if key != "looks"}
"""Marks of a colour that changes nothing about how a layer is drawn."""
AT = (
    Keyed("Across", "x", 0, **METRES),
    Keyed("Up", "y", 1, **METRES),
    Keyed("Forward", "z", 2, **METRES | {"factor": -1.0}),
)
Across = Annotated[
    Position,
    Keyed("Drifts across", "drift_x", 0, unit="m/s", low=-1e6, high=1e6),
    Keyed("Drifts up", "drift_y", 1, unit="m/s", low=-1e6, high=1e6),
    Keyed("Drifts forward", "drift_z", 2, unit="m/s", low=-1e6, high=1e6, factor=-1.0),
]
"""Metres a second along the stage's axes."""
_Seed = Annotated[int, Field(ge=0, le=1_000_000)]
_Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
_Factor = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


class Dress(Tagged):
    """Anything that is put into a shot's light and air."""

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)
    on: bool = True


class Fog(Dress):
    """Fog everywhere: what is farther away is seen less, and the fog's colour instead."""

    kind: Literal["fog"] = "fog"
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#b9c4cc"
    visibility: Annotated[_Positive, Keyed("Visibility", unit="m", **SIZE)] = Field(
        20.0,
        description="Metres at which a fiftieth of a thing's contrast is left (Koschmieder).",
    )
    base: Annotated[Metres, Keyed("Its foot at", unit="m", low=-1e6, high=1e6)] = Field(
        0.0, description="The height on the stage at which it is as dense as that."
    )
    thins: Annotated[float, Keyed("Thins out over", unit="m", low=0, high=1e6)] = Field(
        0.0,
        ge=0,
        le=1e6,
        allow_inf_nan=False,
        description="Metres upwards over which it gets thinner by e; 0: it is the same everywhere.",
    )
    uneven: Annotated[Share, Keyed("Uneven", **SHARE)] = Field(
        0.0, description="How much denser and thinner it is from place to place."
    )
    grain: Annotated[Length, Keyed("Swathes of", unit="m", **SIZE)] = Field(
        3.0, description="Metres from one dense place to the next."
    )
    drift: Across = (0.15, 0.0, 0.0)
    seed: _Seed = 1
    sky: bool = Field(True, description="Whether the background and backdrops lie in it, too.")


class Veils(Dress):
    """Soft sheets of mist, upright, at several depths; they drift."""

    kind: Literal["veils"] = "veils"
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#c8d0d6"
    opacity: Annotated[Share, Keyed("Opacity", **SHARE)] = 0.35
    count: int = Field(3, ge=1, le=6, description="How many sheets there are.")
    nearest: Annotated[Length, Keyed("Nearest", unit="m", **SIZE)] = Field(
        1.5, description="Metres before the taking camera."
    )
    farthest: Annotated[Length, Keyed("Farthest", unit="m", **SIZE)] = 8.0
    base: Annotated[Metres, Keyed("Its foot at", unit="m", low=-1e6, high=1e6)] = 0.0
    height: Annotated[float, Keyed("Height", unit="m", low=0, high=1e6)] = Field(
        0.0,
        ge=0,
        le=1e6,
        allow_inf_nan=False,
        description="Metres over which they fade upwards and downwards; 0: they do not.",
    )
    grain: Annotated[Length, Keyed("Swathes of", unit="m", **SIZE)] = 1.2
    drift: Across = (0.2, 0.0, 0.0)
    seed: _Seed = 1


class Emits(StrEnum):
    """From where particles come."""

    BOX = "box"
    """Anywhere in a box."""
    FLAT = "flat"
    """From a level rectangle: the ground, the sky."""
    LINE = "line"
    LAYER = "layer"
    """From all round a layer's picture."""


class Shape(StrEnum):
    """What a particle looks like."""

    DISC = "disc"
    """Soft to its edge."""
    STAR = "star"
    STREAK = "streak"
    """Drawn out along its way."""
    PICTURE = "picture"
    """A picture of the shot."""


class Particles(Dress):
    """Many small things in the air. All their values are those at the time each comes about."""

    kind: Literal["particles"] = "particles"
    emits: Emits = Emits.BOX
    position: Annotated[Position, *AT] = Field(
        (0.0, 0.0, -3.0), description="The middle of where they come from."
    )
    size: Annotated[
        tuple[_Positive, _Positive, _Positive],
        Keyed("Width", "width", 0, unit="m", **SIZE),
        Keyed("Height", "height", 1, unit="m", **SIZE),
        Keyed("Depth", "depth", 2, unit="m", **SIZE),
    ] = Field((4.0, 2.5, 4.0), description="Of where they come from, in metres.")
    layer: str = Field("", max_length=80, description="The id of the layer they come from.")
    ride: Ride | None = None
    rate: Annotated[float, Keyed("Rate", unit="1/s", low=0, high=1e9)] = Field(
        60.0, ge=0, le=1e9, allow_inf_nan=False
    )
    life: Annotated[float, Keyed("Life", unit="s", low=0, high=600)] = Field(
        6.0, ge=0, le=600, allow_inf_nan=False
    )
    life_spread: Annotated[Share, Keyed("Life differs by", **SHARE)] = 0.3
    radius: Annotated[float, Keyed("Size", unit="mm", factor=1000, low=0, high=1000)] = Field(
        0.004, ge=0, le=1000, allow_inf_nan=False, description="Metres from middle to edge."
    )
    radius_spread: Annotated[Share, Keyed("Size differs by", **SHARE)] = 0.5
    grows: Annotated[_Factor, Keyed("Size at its end", low=0, high=100, **PERCENT)] = 1.0
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#fff1d6"
    colour_end: Annotated[HexColour, Keyed("Colour at its end", **TINT)] = "#fff1d6"
    opacity: Annotated[Share, Keyed("Opacity", **SHARE)] = 0.8
    fades_in: Annotated[Share, Keyed("Fades in over", **SHARE)] = 0.15
    fades_out: Annotated[Share, Keyed("Fades out over", **SHARE)] = 0.3
    speed: Annotated[float, Keyed("Speed", unit="m/s", low=0, high=1e4)] = Field(
        0.05, ge=0, le=1e4, allow_inf_nan=False
    )
    speed_spread: Annotated[Share, Keyed("Speed differs by", **SHARE)] = 0.5
    pan: Annotated[Degrees, Keyed("Turn", **ANGLE)] = 0.0
    tilt: Annotated[Degrees, Keyed("Lean", **ANGLE)] = 90.0
    spread: Annotated[float, Keyed("Spread", unit="°", low=0, high=360)] = Field(
        360.0, ge=0, le=360, allow_inf_nan=False, description="Of their ways, from edge to edge."
    )
    gravity: Annotated[float, Keyed("Gravity", unit="m/s²", low=-1000, high=1000)] = Field(
        0.0, ge=-1000, le=1000, allow_inf_nan=False, description="Downwards; less than 0 upwards."
    )
    drag: Annotated[float, Keyed("Drag", unit="1/s", low=0, high=1000)] = Field(
        0.5, ge=0, le=1000, allow_inf_nan=False, description="How fast the air takes them along."
    )
    drift: Across = (0.03, 0.0, 0.0)
    turbulence: Annotated[float, Keyed("Turbulence", unit="m", low=0, high=1000)] = Field(
        0.06, ge=0, le=1000, allow_inf_nan=False, description="How far whirls carry them off."
    )
    whirls: Annotated[Length, Keyed("Whirls of", unit="m", **SIZE)] = 0.8
    spin: Annotated[float, Keyed("Spin", unit="°/s", low=-36000, high=36000)] = Field(
        0.0, ge=-36000, le=36000, allow_inf_nan=False
    )
    shape: Shape = Shape.DISC
    picture: str = Field("", max_length=200, description="The key of the picture they show.")
    stretch: Annotated[float, Keyed("Streak", unit="s", low=0, high=10)] = Field(
        0.04, ge=0, le=10, allow_inf_nan=False, description="Seconds of its way that are drawn."
    )
    adds: bool = Field(True, description="Whether they shine and add light; else they cover.")
    lit: bool = Field(False, description="Whether lamps light them.")
    seed: _Seed = 1
