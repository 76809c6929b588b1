"""All that dresses a shot besides lamps: what is in its light and air, and its effects."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated, Any, get_args

from pydantic import Field

from vistaline.core.model import Part
from vistaline.core.shot.air import Fog, Particles, Veils
from vistaline.core.shot.beams import Flare, Glow, Rays, Shaft
from vistaline.core.shot.edges import ContactShade, Edge, LightWrap, Wipe
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.grading import (
    BlackAndWhite,
    Colourfulness,
    Contrast,
    Curves,
    Exposure,
    HueRange,
    LevelsOf,
    Match,
    Poster,
    Table,
    ThreeWays,
    Tones,
    WhiteBalance,
)
from vistaline.core.shot.overlays import Grain, Ground, Halftone, Overlay, Screen, Vignetting
from vistaline.core.shot.softness import (
    Blur,
    CoarsePixels,
    ColourSplit,
    InkLines,
    OldFilm,
    Sharpen,
    SoftLights,
)

__all__ = [
    "DRESSINGS",
    "EFFECTS",
    "MOST_DRESSING",
    "MOST_EFFECTS",
    "AnyEffect",
    "Dressing",
    "OnStage",
    "Riding",
    "row_name",
]

MOST_DRESSING = 40
"""In one shot's air: each costs time in every frame."""
MOST_EFFECTS = 200
"""In one shot."""

AnyEffect = (
    Exposure
    | WhiteBalance
    | Contrast
    | LevelsOf
    | Curves
    | Colourfulness
    | ThreeWays
    | HueRange
    | BlackAndWhite
    | Tones
    | Table
    | Match
    | Poster
    | Vignetting
    | Grain
    | Halftone
    | Ground
    | Screen
    | Overlay
    | Blur
    | Sharpen
    | SoftLights
    | CoarsePixels
    | ColourSplit
    | InkLines
    | OldFilm
    | Edge
    | Wipe
    | LightWrap
    | ContactShade
)
_InAir = Fog | Veils | Particles | Shaft | Rays | Glow | Flare
Dressing = Annotated[_InAir | AnyEffect, Field(discriminator="kind")]


def _by_kind(union: object) -> Mapping[str, Any]:
    return MappingProxyType({each.model_fields["kind"].default: each for each in get_args(union)})


EFFECTS: Mapping[str, type[Effect]] = _by_kind(AnyEffect)
"""The classes of effects by their kinds."""

DRESSINGS: Mapping[str, type[Part]] = _by_kind(_InAir | AnyEffect)
"""The classes by their kinds, which is also what stands before the colon in names of rows."""


OnStage = Particles | Shaft | Rays | Flare
"""Those that have a place on the stage."""
Riding = Particles | Shaft | Rays
"""Those that may ride on a mount."""


def row_name(thing: Dressing) -> str:
    """Return how rows of keys call a thing: ``fog:d1``."""
    return f"{thing.kind}:{thing.id}"
