"""Effects: what finishes a picture, on one layer, a group, all from a distance on, or the frame.

Which of linear light and coded values (sRGB) each is defined in is told with each; a person sees
equal steps of coded values as about equal.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal, Self

from pydantic import Field, field_validator, model_validator

from vistaline.core.keyable import ANGLE, METRES, PERCENT, SHARE, SIZE, Keyed
from vistaline.core.model import Degrees, HexColour, Length, Part, Position, Share
from vistaline.core.picture.cubes import unpacked
from vistaline.core.shot.air import TINT, Dress

__all__ = [
    "MOST_CORNERS",
    "BlackAndWhite",
    "Colourfulness",
    "Contrast",
    "Curves",
    "Effect",
    "Exposure",
    "Grain",
    "Ground",
    "Halftone",
    "HueRange",
    "LevelsOf",
    "Mask",
    "MaskShape",
    "Match",
    "On",
    "Over",
    "Poster",
    "Screen",
    "ScreenShape",
    "Stuff",
    "Table",
    "ThreeWays",
    "Tones",
    "Vignetting",
    "WhiteBalance",
]

MOST_CORNERS = 64
"""Of an outline that is drawn."""
_SIGNED = {"unit": "%", "factor": 100.0, "low": -1.0, "high": 1.0}
_Signed = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
_Factor = Annotated[float, Field(ge=0, le=4, allow_inf_nan=False)]
_FACTOR = {**PERCENT, "low": 0.0, "high": 4.0}
_Place = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
_Corner = Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]
_Id = Annotated[str, Field(max_length=80)]
_Points = Annotated[tuple[tuple[Share, Share], ...], Field(max_length=16)]


class On(StrEnum):
    """What an effect is put on."""

    FRAME = "frame"
    LAYER = "layer"
    GROUP = "group"
    DEPTH = "depth"


class Over(Part):
    """What an effect is put on: the whole frame, a layer, each of a group, or what is far away."""

    kind: On = On.FRAME
    of: _Id = Field("", description="The layer's id, or the group's name.")
    distance: Annotated[Length, Keyed("From a distance of", "from", unit="m", **SIZE)] = Field(
        2.0, description="Metres from the taking camera; nearer layers are left as they are."
    )


class MaskShape(StrEnum):
    """What a mask is made of."""

    ELLIPSE = "ellipse"
    OUTLINE = "outline"
    GRADIENT = "gradient"
    STRIP = "strip"
    LAYER = "layer"
    DEPTH = "depth"


class Mask(Part):
    """Where an effect is seen, and how much."""

    shape: MaskShape = MaskShape.ELLIPSE
    outside: bool = Field(False, description="Whether it is seen outside, and not inside.")
    of: _Id = Field("", description="Of shape layer: the layer whose cutout it is.")
    fixed: str = Field(
        "",
        max_length=80,
        description="What it stays on: the frame (empty), a layer's id, or *stage.",
    )
    x: Annotated[_Place, Keyed("Mask across", "mask_x", low=-10, high=10, **PERCENT)] = Field(
        0.0, description="Its middle, in shares of the frame, or of the layer, from the middle."
    )
    y: Annotated[_Place, Keyed("Mask up", "mask_y", low=-10, high=10, **PERCENT)] = 0.0
    place: Annotated[
        Position,
        Keyed("Mask stands across", "mask_at_x", 0, **METRES),
        Keyed("Mask stands up", "mask_at_y", 1, **METRES),
        Keyed("Mask stands forward", "mask_at_z", 2, **METRES | {"factor": -1.0}),
    ] = Field((0.0, 0.0, -2.0), description="Its middle on the stage, in metres.")
    width: Annotated[
        Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)],
        Keyed("Mask width", "mask_width", low=0.001, high=1000, **PERCENT),
    ] = Field(0.6, description="Shares of the frame's or layer's width; metres on the stage.")
    height: Annotated[
        Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)],
        Keyed("Mask height", "mask_height", low=0.001, high=1000, **PERCENT),
    ] = 0.6
    turn: Annotated[Degrees, Keyed("Mask turn", "mask_turn", **ANGLE)] = 0.0
    softness: Annotated[Share, Keyed("Mask softness", "mask_softness", **SHARE)] = 0.5
    outline: tuple[tuple[_Corner, _Corner], ...] = Field(
        (),
        max_length=MOST_CORNERS,
        description="Corners in shares of its width and height from its middle, up is +.",
    )
    near: Annotated[Length, Keyed("Mask from", "mask_near", unit="m", **SIZE)] = Field(
        1.0, description="Of shape depth: metres before the camera from which it is seen,"
    )
    far: Annotated[Length, Keyed("Mask to", "mask_far", unit="m", **SIZE)] = Field(
        10.0, description="and to which."
    )

    @model_validator(mode="after")
    def _drawn(self) -> Self:
        if self.shape is MaskShape.OUTLINE and len(self.outline) < 3:
            raise ValueError(f"an outline has three corners or more, not {len(self.outline)}")
        return self


class Effect(Dress):
    """Anything that finishes a picture."""

    amount: Annotated[Share, Keyed("Amount", **SHARE)] = Field(
        1.0, description="How much of it is seen; 0: nothing."
    )
    over: Over = Over()
    mask: Mask | None = None


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
    tint: Annotated[_Signed, Keyed("Green to magenta", **_SIGNED)] = 0.0


class Contrast(Effect):
    """More or less contrast about a pivot, in coded values."""

    kind: Literal["contrast"] = "contrast"
    contrast: Annotated[_Factor, Keyed("Contrast", **_FACTOR)] = Field(
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


class Curves(Effect):
    """Curves through points (in, out), in coded values: of all, of one colour, of lightness."""

    kind: Literal["curves"] = "curves"
    value: _Points = ()
    red: _Points = ()
    green: _Points = ()
    blue: _Points = ()
    lightness: _Points = ()

    @model_validator(mode="after")
    def _functions(self) -> Self:
        for name in ("value", "red", "green", "blue", "lightness"):
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
    saturation: Annotated[_Factor, Keyed("Saturation", **_FACTOR)] = Field(
        1.0, description="100 % changes nothing, 0 is grey."
    )
    vividness: Annotated[_Signed, Keyed("Vividness", **_SIGNED)] = 0.0
    turned: Annotated[Degrees, Keyed("Hues turned", **ANGLE)] = 0.0


class ThreeWays(Effect):
    """The dark, the middle and the light tones each another way, in coded values.

    Lift moves black, gain moves white, gamma bends between.
    """

    kind: Literal["three-ways"] = "three-ways"
    lift: Annotated[_Signed, Keyed("Dark", **_SIGNED)] = 0.0
    lift_colour: Annotated[HexColour, Keyed("Dark colour", **TINT)] = "#808080"
    gamma: Annotated[_Signed, Keyed("Middle", **_SIGNED)] = 0.0
    gamma_colour: Annotated[HexColour, Keyed("Middle colour", **TINT)] = "#808080"
    gain: Annotated[_Signed, Keyed("Light", **_SIGNED)] = 0.0
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
    saturation: Annotated[_Factor, Keyed("Its saturation", **_FACTOR)] = 1.0
    lightness: Annotated[_Signed, Keyed("Its lightness", **_SIGNED)] = 0.0


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
    contrast: Annotated[_Factor, Keyed("Contrast", **_FACTOR)] = 1.0


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


_Six = tuple[float, float, float, float, float, float]


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


class Vignetting(Effect):
    """Darker, or of another colour, towards the edges, in linear light."""

    kind: Literal["vignette"] = "vignette"
    strength: Annotated[Share, Keyed("Strength", **SHARE)] = 0.6
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#000000"
    x: Annotated[_Place, Keyed("Middle across", low=-10, high=10, **PERCENT)] = Field(
        0.0, description="Of the frame's width from its middle."
    )
    y: Annotated[_Place, Keyed("Middle up", low=-10, high=10, **PERCENT)] = 0.0
    size: Annotated[float, Keyed("Size", low=0.05, high=5, **PERCENT)] = Field(
        1.25, ge=0.05, le=5, allow_inf_nan=False, description="Of the frame, where it is full."
    )
    roundness: Annotated[Share, Keyed("Roundness", **SHARE)] = Field(
        0.0, description="0: an ellipse as wide as the frame, 100 %: a circle."
    )
    softness: Annotated[Share, Keyed("Softness", **SHARE)] = 0.7


class Grain(Effect):
    """Grain of film, in coded values; as much lighter as darker."""

    kind: Literal["grain"] = "grain"
    strength: Annotated[Share, Keyed("Strength", **SHARE)] = Field(
        0.05, description="Standard deviation, of white."
    )
    size: Annotated[float, Keyed("Size", unit="px", low=0.5, high=12)] = Field(
        1.6, ge=0.5, le=12, allow_inf_nan=False, description="Of a frame of 1080 lines."
    )
    darks: Annotated[_Factor, Keyed("In the dark", **_FACTOR)] = 0.7
    lights: Annotated[_Factor, Keyed("In the light", **_FACTOR)] = 0.4
    coloured: Annotated[Share, Keyed("Coloured", **SHARE)] = 0.0
    moves: bool = Field(True, description="Whether it is another one in each frame.")
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = 1


class ScreenShape(StrEnum):
    """What a screen consists of."""

    DOTS = "dots"
    LINES = "lines"
    CROSSED = "crossed"


class _OnGrid(Effect):
    pitch: Annotated[float, Keyed("Pitch", unit="px", low=2, high=400)] = Field(
        10.0,
        ge=2,
        le=400,
        allow_inf_nan=False,
        description="From one to the next, in pixels of a frame of 1080 lines.",
    )
    angle: Annotated[Degrees, Keyed("Angle", **ANGLE)] = 45.0
    shape: ScreenShape = ScreenShape.DOTS
    fixed: str = Field(
        "", max_length=80, description="The id of the layer it lies on; empty: the frame."
    )


class Halftone(_OnGrid):
    """Dots, lines or cross-hatching of ink on paper, as large as it is dark, in coded values."""

    kind: Literal["halftone"] = "halftone"
    ink: Annotated[HexColour, Keyed("Ink", **TINT)] = "#1b2430"
    paper: Annotated[HexColour, Keyed("Paper", **TINT)] = "#f3ead8"
    clear: bool = Field(False, description="Whether the paper is transparent.")


class Stuff(StrEnum):
    """What a picture is printed on."""

    PAPER = "paper"
    CANVAS = "canvas"


class Ground(Effect):
    """The paper or canvas under a picture, in coded values: lighter and darker by its structure."""

    kind: Literal["ground"] = "ground"
    stuff: Stuff = Stuff.PAPER
    strength: Annotated[Share, Keyed("Strength", **SHARE)] = 0.35
    size: Annotated[
        Annotated[float, Field(ge=0.25, le=8, allow_inf_nan=False)],
        Keyed("Size", low=0.25, high=8.0, **PERCENT),
    ] = 1.0
    fixed: str = Field(
        "", max_length=80, description="The id of the layer it lies on; empty: the frame."
    )


class Screen(_OnGrid):
    """Dots or lines of a printed page or an old screen, over the picture, in linear light."""

    kind: Literal["screen"] = "screen"
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#000000"
    cover: Annotated[Share, Keyed("They cover", **SHARE)] = 0.5
