"""What effects lay over a picture: a vignette, grain, screens, ink, paper, a picture of one's own.

Which of linear light and coded values (sRGB) each is defined in is told with each.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from vistaline.core.keyable import ANGLE, PERCENT, SHARE, Keyed
from vistaline.core.looks.blending import Blend
from vistaline.core.model import Degrees, HexColour, Share
from vistaline.core.shot.air import TINT
from vistaline.core.shot.effects import FACTOR, PLACE, Effect, Factor, Place

__all__ = [
    "Grain",
    "Ground",
    "Halftone",
    "Laid",
    "Overlay",
    "Screen",
    "ScreenShape",
    "Stuff",
    "Vignetting",
]


class Vignetting(Effect):
    """Darker, or of another colour, towards the edges, in linear light."""

    kind: Literal["vignette"] = "vignette"
    strength: Annotated[Share, Keyed("Strength", **SHARE)] = 0.6
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#000000"
    x: Annotated[Place, Keyed("Middle across", **PLACE)] = Field(
        0.0, description="Of the frame's width from its middle."
    )
    y: Annotated[Place, Keyed("Middle up", **PLACE)] = 0.0
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
    darks: Annotated[Factor, Keyed("In the dark", **FACTOR)] = 0.7
    lights: Annotated[Factor, Keyed("In the light", **FACTOR)] = 0.4
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


class Laid(StrEnum):
    """How an own picture is laid over another."""

    TILED = "tiled"
    FITTED = "fitted"


class Overlay(Effect):
    """An own picture over the picture, by a blend mode: in codes, but adding in linear light."""

    kind: Literal["overlay"] = "overlay"
    picture: str = Field("", max_length=80, description="A key of the shot's pictures.")
    blend: Blend = Blend.SOFT_LIGHT
    laid: Laid = Field(
        Laid.FITTED, description="Once, so that all is covered, or again and again beside itself."
    )
    size: Annotated[
        Annotated[float, Field(ge=0.02, le=8, allow_inf_nan=False)],
        Keyed("Size", low=0.02, high=8.0, **PERCENT),
    ] = Field(1.0, description="Of a tile: its height, of the frame's or layer's.")
    turn: Annotated[Degrees, Keyed("Turn", **ANGLE)] = 0.0
    x: Annotated[Place, Keyed("Across", **PLACE)] = Field(
        0.0, description="Of the frame's or layer's width from its middle."
    )
    y: Annotated[Place, Keyed("Up", **PLACE)] = 0.0
    fixed: str = Field(
        "", max_length=80, description="The id of the layer it lies on; empty: the frame."
    )
