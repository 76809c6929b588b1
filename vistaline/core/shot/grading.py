"""Effects of colour: each asks for nothing but the pixel itself.

Which of linear light and coded values (sRGB) each is defined in is told with each; a person sees
equal steps of coded values as about equal.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, Self

from pydantic import Field, field_validator, model_validator

from vistaline.core.keyable import ANGLE, PERCENT, SHARE, Keyed
from vistaline.core.model import Degrees, HexColour, Share
from vistaline.core.picture.cubes import unpacked
from vistaline.core.shot.air import TINT
from vistaline.core.shot.effects import FACTOR, SIGNED, Effect, Factor, Signed

__all__ = [
    "CHANNELS",
    "BlackAndWhite",
    "Colourfulness",
    "Contrast",
    "Curves",
    "Exposure",
    "HueRange",
    "LevelsOf",
    "Match",
    "Poster",
    "Table",
    "ThreeWays",
    "Tones",
    "WhiteBalance",
]

MOST_POINTS = 16
"""Of a curve."""
_Points = tuple[tuple[Share, Share], ...]


def _points(name: str, words: str) -> Sequence[object]:
    """Return the marks of a curve's points: how high each is can have keys."""
    return (
        Field(max_length=MOST_POINTS),
        *(
            Keyed(f"{words}, point {n + 1}", f"{name}_{n + 1}", (n, 1), **SHARE)
            for n in range(MOST_POINTS)
        ),
    )


_Six = tuple[float, float, float, float, float, float]


class Exposure(Effect):
    """Brighter or darker, in linear light."""

    kind: Literal["exposure"] = "exposure"
    stops: Annotated[float, Keyed("Exposure", unit="stops", low=-10, high=10)] = Field(
        0.0, ge=-10, le=10, allow_inf_nan=False, description="One more is twice the light."
    )


class WhiteBalance(Effect):
    """Warmer or cooler, in linear light: as if a light of another colour had been white."""

    kind: Literal["balance"] = "balance"
    kelvin: Annotated[float, Keyed("Its light was", unit="K", low=1667, high=25000)] = Field(
        6504.0,
        ge=1667,
        le=25000,
        allow_inf_nan=False,
        description="What is white by that light becomes white; 6504 changes nothing.",
    )
    tint: Annotated[Signed, Keyed("Green to magenta", **SIGNED)] = 0.0


class Contrast(Effect):
    """More or less contrast about a pivot, in coded values."""

    kind: Literal["contrast"] = "contrast"
    contrast: Annotated[Factor, Keyed("Contrast", **FACTOR)] = Field(
        1.0, description="100 % changes nothing."
    )
    pivot: Annotated[Share, Keyed("About", **SHARE)] = Field(
        0.435, description="The coded value that stays; 43.5 % is middle grey."
    )


class LevelsOf(Effect):
    """Black, white and the middle, in coded values."""

    kind: Literal["levels"] = "levels"
    black: Annotated[Share, Keyed("Black from", **SHARE)] = 0.0
    white: Annotated[Share, Keyed("White from", **SHARE)] = 1.0
    middle: Annotated[float, Keyed("Middle", low=0.1, high=10)] = Field(
        1.0, ge=0.1, le=10, allow_inf_nan=False, description="Above 1 the middle is lighter."
    )
    out_black: Annotated[Share, Keyed("Black to", **SHARE)] = 0.0
    out_white: Annotated[Share, Keyed("White to", **SHARE)] = 1.0

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.black >= self.white:
            raise ValueError("black must lie below white; move one of them")
        return self


CHANNELS = ("value", "red", "green", "blue", "lightness")
"""The curves of an effect: of all colours, of each, and of lightness."""


class Curves(Effect):
    """Curves through points (in, out), in coded values: of all, of one colour, of lightness."""

    kind: Literal["curves"] = "curves"
    value: Annotated[_Points, *_points("value", "All")] = ()
    red: Annotated[_Points, *_points("red", "Red")] = ()
    green: Annotated[_Points, *_points("green", "Green")] = ()
    blue: Annotated[_Points, *_points("blue", "Blue")] = ()
    lightness: Annotated[_Points, *_points("lightness", "Lightness")] = ()

    @model_validator(mode="after")
    def _functions(self) -> Self:
        for name in CHANNELS:
            points = getattr(self, name)
            if len(points) == 1:
                raise ValueError(f"the curve of {name} has one point; it needs two or none")
            if len({x for x, _ in points}) < len(points):
                raise ValueError(f"the curve of {name} has two points above each other; move one")
            if list(points) != sorted(points):
                object.__setattr__(self, name, tuple(sorted(points)))
        return self


class Colourfulness(Effect):
    """More or less colour, in coded values; vividness spares what is colourful already."""

    kind: Literal["colourfulness"] = "colourfulness"
    saturation: Annotated[Factor, Keyed("Saturation", **FACTOR)] = Field(
        1.0, description="100 % changes nothing, 0 is grey."
    )
    vividness: Annotated[Signed, Keyed("Vividness", **SIGNED)] = 0.0
    turned: Annotated[Degrees, Keyed("Hues turned", **ANGLE)] = 0.0


class ThreeWays(Effect):
    """The dark, the middle and the light tones each another way, in coded values.

    Lift moves black, gain moves white, gamma bends between.
    """

    kind: Literal["three-ways"] = "three-ways"
    lift: Annotated[Signed, Keyed("Dark", **SIGNED)] = 0.0
    lift_colour: Annotated[HexColour, Keyed("Dark colour", **TINT)] = "#808080"
    gamma: Annotated[Signed, Keyed("Middle", **SIGNED)] = 0.0
    gamma_colour: Annotated[HexColour, Keyed("Middle colour", **TINT)] = "#808080"
    gain: Annotated[Signed, Keyed("Light", **SIGNED)] = 0.0
    gain_colour: Annotated[HexColour, Keyed("Light colour", **TINT)] = "#808080"


class HueRange(Effect):
    """What is of one range of hues, in coded values: turned, more or less colourful, lighter."""

    kind: Literal["hue-range"] = "hue-range"
    hue: Annotated[float, Keyed("Hue", unit="°", low=0, high=360)] = Field(
        30.0, ge=0, le=360, allow_inf_nan=False, description="0 red, 120 green, 240 blue."
    )
    width: Annotated[float, Keyed("Range", unit="°", low=1, high=360)] = Field(
        60.0, ge=1, le=360, allow_inf_nan=False
    )
    softness: Annotated[Share, Keyed("Soft ends", **SHARE)] = 0.5
    turn: Annotated[float, Keyed("Turn it", unit="°", low=-180, high=180)] = Field(
        0.0, ge=-180, le=180, allow_inf_nan=False
    )
    saturation: Annotated[Factor, Keyed("Its saturation", **FACTOR)] = 1.0
    lightness: Annotated[Signed, Keyed("Its lightness", **SIGNED)] = 0.0


class BlackAndWhite(Effect):
    """Without colour, in coded values: how much each primary weighs."""

    kind: Literal["mono"] = "mono"
    red: Annotated[float, Keyed("Red", low=-2, high=3, **PERCENT)] = Field(
        0.2126, ge=-2, le=3, allow_inf_nan=False
    )
    green: Annotated[float, Keyed("Green", low=-2, high=3, **PERCENT)] = Field(
        0.7152, ge=-2, le=3, allow_inf_nan=False
    )
    blue: Annotated[float, Keyed("Blue", low=-2, high=3, **PERCENT)] = Field(
        0.0722, ge=-2, le=3, allow_inf_nan=False
    )


class Tones(Effect):
    """Two or three tones in place of all colours, by lightness, in coded values."""

    kind: Literal["tones"] = "tones"
    dark: Annotated[HexColour, Keyed("Dark", **TINT)] = "#1f2f3d"
    middle: Annotated[HexColour, Keyed("Middle", **TINT)] = "#8a6a55"
    light: Annotated[HexColour, Keyed("Light", **TINT)] = "#f1e3c8"
    three: bool = Field(False, description="Whether there is a middle tone, too.")
    contrast: Annotated[Factor, Keyed("Contrast", **FACTOR)] = 1.0


class Table(Effect):
    """A table of colours (.cube), in coded values."""

    kind: Literal["table"] = "table"
    table: str = Field(
        "",
        max_length=400_000,
        description="'cube' or 'line', how many it has a side, and its numbers, red fastest: "
        "16 bits each, little-endian, deflated, in base64. Empty: it changes nothing.",
    )
    exact: bool = Field(
        True, description="Whether it is read between four colours (tetrahedral), not eight."
    )

    @field_validator("table")
    @classmethod
    def _whole(cls, value: str) -> str:
        if value:
            unpacked(value)
        return value


class Match(Effect):
    """Nearer to the light and colour of something else, as both were measured; in coded values."""

    kind: Literal["match"] = "match"
    light: Annotated[Share, Keyed("Light", **SHARE)] = Field(
        0.5, description="How much of the way its lightness goes."
    )
    colours: Annotated[Share, Keyed("Colour", **SHARE)] = Field(
        0.5, description="How much of the way its colours go."
    )
    own: _Six = Field(
        (0.5, 0.0, 0.0, 0.2, 0.05, 0.05),
        description="Mean and standard deviation of Y', Cb and Cr of what it is put on,",
    )
    theirs: _Six = Field(
        (0.5, 0.0, 0.0, 0.2, 0.05, 0.05), description="and of what it is brought nearer to."
    )
    to: str = Field("", max_length=80, description="What that was, in words.")


class Poster(Effect):
    """A few steps instead of smooth tones, in coded values."""

    kind: Literal["poster"] = "poster"
    steps: int = Field(5, ge=2, le=32)
