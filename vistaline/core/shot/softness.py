"""Effects that ask for more of a picture than the pixel itself: blur, sharpening, edges, old film.

All are defined in linear light but for sharpening and ink, which are in codes. Sizes are in pixels
of a frame of 1080 lines.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from vistaline.core.keyable import ANGLE, SHARE, Keyed
from vistaline.core.model import Degrees, HexColour, Share
from vistaline.core.shot.air import TINT
from vistaline.core.shot.effects import FACTOR, PLACE, Effect, Factor, Place

__all__ = [
    "PIXELS",
    "Blur",
    "BlurWay",
    "CoarsePixels",
    "ColourSplit",
    "InkLines",
    "OldFilm",
    "Pixels",
    "Sharpen",
    "SoftLights",
    "SplitWay",
    "Spreading",
]

PIXELS: dict[str, Any] = {"unit": "px", "low": 0.0, "high": 400.0}
Pixels = Annotated[float, Field(ge=0, le=400, allow_inf_nan=False)]


class Spreading(Effect):
    """Anything for which a pixel's neighbours count."""

    @property
    def neutral(self) -> bool:
        """Whether it changes nothing, as it is."""
        values = (getattr(self, name) for name in self._moves)
        return self.amount == 0 or not any(values)

    _moves: ClassVar[tuple[str, ...]] = ("size",)
    """Its values of which one at least is not 0, if it does anything."""


class BlurWay(StrEnum):
    """How it is blurred."""

    SOFT = "soft"
    DISC = "disc"
    ALONG = "along"
    ZOOM = "zoom"
    TURN = "turn"


class Blur(Spreading):
    """Blurred evenly, by a lens's disc, along a direction, or as by a zoom or a turn."""

    kind: Literal["blur"] = "blur"
    way: BlurWay = BlurWay.SOFT
    size: Annotated[Pixels, Keyed("Size", **PIXELS)] = Field(
        12.0, description="How far it is blurred; of a zoom or turn, at the frame's corners."
    )
    angle: Annotated[Degrees, Keyed("Direction", **ANGLE)] = Field(
        0.0, description="Of a blur along a direction: 0 sideways, 90 upwards."
    )
    x: Annotated[Place, Keyed("Middle across", **PLACE)] = Field(
        0.0, description="Of a zoom or turn: of the frame's width from its middle."
    )
    y: Annotated[Place, Keyed("Middle up", **PLACE)] = 0.0


class Sharpen(Spreading):
    """Sharper, or with a large size of more local contrast; halos go no farther than a limit."""

    _moves = ("strength",)
    kind: Literal["sharpen"] = "sharpen"
    strength: Annotated[Factor, Keyed("Strength", **FACTOR)] = 0.6
    size: Annotated[
        Annotated[float, Field(ge=0.3, le=400, allow_inf_nan=False)],
        Keyed("Size", unit="px", low=0.3, high=400.0),
    ] = 1.5
    limit: Annotated[Share, Keyed("Halo limit", **SHARE)] = Field(
        0.05, description="How far beyond the lightest and darkest nearby a pixel may go."
    )


class SoftLights(Spreading):
    """Highlights that are soft: what is bright is blurred, the more the brighter."""

    _moves = ("strength",)
    kind: Literal["soft-lights"] = "soft-lights"
    strength: Annotated[Share, Keyed("Strength", **SHARE)] = 0.6
    size: Annotated[Pixels, Keyed("Size", **PIXELS)] = 18.0
    threshold: Annotated[Share, Keyed("From brightness", **SHARE)] = 0.45


class CoarsePixels(Spreading):
    """Large square pixels, each the mean of what it covers."""

    kind: Literal["pixels"] = "pixels"
    size: Annotated[
        Annotated[float, Field(ge=1, le=400, allow_inf_nan=False)],
        Keyed("Size", unit="px", low=1.0, high=400.0),
    ] = 12.0

    @property
    def neutral(self) -> bool:
        return self.amount == 0 or self.size == 1


class SplitWay(StrEnum):
    """How colours come apart."""

    SIDEWAYS = "sideways"
    RADIAL = "radial"


class ColourSplit(Spreading):
    """Red and blue come apart: to two sides, or towards the corners as a lens's fringes."""

    kind: Literal["split"] = "split"
    way: SplitWay = SplitWay.SIDEWAYS
    size: Annotated[Pixels, Keyed("Apart", **PIXELS)] = Field(
        6.0, description="From red to blue; of a radial one, in the corners."
    )
    angle: Annotated[Degrees, Keyed("Direction", **ANGLE)] = 0.0


class InkLines(Spreading):
    """Edges drawn in ink."""

    _moves = ("strength",)
    kind: Literal["ink"] = "ink"
    strength: Annotated[Factor, Keyed("Strength", **FACTOR)] = 1.0
    size: Annotated[
        Annotated[float, Field(ge=0.5, le=40, allow_inf_nan=False)],
        Keyed("Width", unit="px", low=0.5, high=40.0),
    ] = 1.6
    colour: Annotated[HexColour, Keyed("Ink", **TINT)] = "#1b2430"
    alone: bool = Field(False, description="Whether only the lines are seen, on paper.")
    paper: Annotated[HexColour, Keyed("Paper", **TINT)] = "#f3ead8"


class OldFilm(Spreading):
    """Old film: it flickers and weaves, has dust on it and scratches along it."""

    _moves = ("flicker", "weave", "dust", "scratches")
    kind: Literal["old-film"] = "old-film"
    flicker: Annotated[Share, Keyed("Flicker", **SHARE)] = 0.15
    weave: Annotated[
        Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)],
        Keyed("Weave", unit="px", low=0.0, high=60.0),
    ] = 2.0
    dust: Annotated[Share, Keyed("Dust", **SHARE)] = 0.3
    scratches: Annotated[Share, Keyed("Scratches", **SHARE)] = 0.25
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = 1
