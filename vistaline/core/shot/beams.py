"""Light that is seen by itself: shafts in the air, rays and glow of what is bright, flare."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from vistaline.core.keyable import ANGLE, METRES, PERCENT, SHARE, SIZE, Keyed
from vistaline.core.model import Degrees, HexColour, Length, Metres, Position, Share
from vistaline.core.shot.air import AT, TINT, Across, Dress
from vistaline.core.shot.mounts import Ride

__all__ = ["MOST_CORNERS", "Flare", "Glow", "Rays", "Shaft"]

MOST_CORNERS = 64
"""Of an opening that is drawn."""
_Corner = Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]
_Bright = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


class Shaft(Dress):
    """Light in dusty air: from an opening, or in a spot's cone."""

    kind: Literal["shaft"] = "shaft"
    lamp: str = Field(
        "", max_length=80, description="The id of a spot whose cone it is, instead of an opening."
    )
    position: Annotated[Position, *AT] = Field(
        (0.0, 0.0, -3.0), description="The opening's middle, in metres on the stage."
    )
    pan: Annotated[Degrees, Keyed("Turn", **ANGLE)] = Field(
        0.0, description="Of the way the light goes: 0 forward, + to the left."
    )
    tilt: Annotated[Degrees, Keyed("Lean", **ANGLE)] = -30.0
    roll: Annotated[Degrees, Keyed("Roll", **ANGLE)] = 0.0
    width: Annotated[Length, Keyed("Width", unit="m", **SIZE)] = 0.6
    height: Annotated[Length, Keyed("Height", unit="m", **SIZE)] = 0.9
    outline: tuple[tuple[_Corner, _Corner], ...] = Field(
        (),
        max_length=MOST_CORNERS,
        description="Corners of an opening of another shape, in shares of its width and height "
        "from its middle, up is +; none: a rectangle.",
    )
    spread: Annotated[float, Keyed("Widens by", unit="°", low=0, high=170)] = Field(
        4.0, ge=0, le=170, allow_inf_nan=False, description="From edge to edge."
    )
    length: Annotated[Length, Keyed("Length", unit="m", **SIZE)] = Field(
        4.0, description="Metres after which nothing of it is left."
    )
    softness: Annotated[Share, Keyed("Soft edge", **SHARE)] = 0.4
    brightness: Annotated[_Bright, Keyed("Brightness", low=0, high=100, **PERCENT)] = Field(
        0.5, description="What is added where one looks across it, at its opening."
    )
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#ffe2b0"
    dust: Annotated[Share, Keyed("Dust", **SHARE)] = Field(
        0.4, description="How uneven it is by the dust in it."
    )
    grain: Annotated[Length, Keyed("Swathes of", unit="m", **SIZE)] = 0.5
    drift: Across = (0.05, 0.02, 0.0)
    cut: bool = Field(True, description="Whether what stands in it cuts it off.")
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = 1
    ride: Ride | None = None

    @model_validator(mode="after")
    def _closed(self) -> Self:
        if 0 < len(self.outline) < 3:
            raise ValueError(f"an opening has three corners or more, not {len(self.outline)}")
        return self


class Rays(Dress):
    """Rays from what is bright in the picture, away from a source."""

    kind: Literal["rays"] = "rays"
    position: Annotated[Position, *AT] = Field(
        (0.0, 0.0, -10.0), description="The source, in metres on the stage."
    )
    ride: Ride | None = None
    threshold: Annotated[Share, Keyed("From brightness", **SHARE)] = Field(
        0.6, description="Of linear light: what is darker gives no rays."
    )
    knee: Annotated[Share, Keyed("Soft knee", **SHARE)] = 0.2
    length: Annotated[float, Keyed("Length", low=0, high=4, **PERCENT)] = Field(
        0.5, ge=0, le=4, allow_inf_nan=False, description="Of the frame's width."
    )
    brightness: Annotated[_Bright, Keyed("Brightness", low=0, high=100, **PERCENT)] = 0.8
    own_colour: bool = Field(False, description="Whether they have one colour, not the picture's.")
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#fff0d0"


class Glow(Dress):
    """What is bright shines over its edges."""

    kind: Literal["glow"] = "glow"
    layers: tuple[str, ...] = Field(
        (), max_length=500, description="The ids of the layers that glow; none: the whole frame."
    )
    threshold: Annotated[Share, Keyed("From brightness", **SHARE)] = 0.6
    knee: Annotated[Share, Keyed("Soft knee", **SHARE)] = 0.2
    size: Annotated[float, Keyed("Size", low=0.001, high=1, **PERCENT)] = Field(
        0.06, ge=0.001, le=1, allow_inf_nan=False, description="Of the frame's height."
    )
    brightness: Annotated[_Bright, Keyed("Brightness", low=0, high=100, **PERCENT)] = 0.6
    colour: Annotated[HexColour, Keyed("Tint", **TINT)] = "#ffffff"


class Flare(Dress):
    """What a lens makes of a lamp in sight: a streak across, and a ring."""

    kind: Literal["flare"] = "flare"
    lamp: str = Field("", max_length=80, description="The id of the lamp; none: a place.")
    position: Annotated[
        tuple[Metres, Metres, Metres],
        Keyed("Across", "x", 0, **METRES),
        Keyed("Up", "y", 1, **METRES),
        Keyed("Forward", "z", 2, **METRES | {"factor": -1.0}),
    ] = (0.0, 0.0, -3.0)
    brightness: Annotated[_Bright, Keyed("Brightness", low=0, high=100, **PERCENT)] = 0.6
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#cfe0ff"
    streak: Annotated[float, Keyed("Streak", low=0, high=2, **PERCENT)] = Field(
        0.5, ge=0, le=2, allow_inf_nan=False, description="Of the frame's width, end to end."
    )
    angle: Annotated[Degrees, Keyed("Turn", **ANGLE)] = 0.0
    ring: Annotated[float, Keyed("Ring", low=0, high=1, **PERCENT)] = Field(
        0.12, ge=0, le=1, allow_inf_nan=False, description="Its radius, of the frame's height."
    )
