"""All that dresses a shot besides lamps: what is in its light and air, and its effects."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated

from pydantic import Field

from vistaline.core.model import Part
from vistaline.core.shot.air import Fog, Particles, Veils
from vistaline.core.shot.beams import Flare, Glow, Rays, Shaft
from vistaline.core.shot.effects import (
    BlackAndWhite,
    Colourfulness,
    Contrast,
    Curves,
    Effect,
    Exposure,
    Grain,
    Ground,
    Halftone,
    HueRange,
    LevelsOf,
    Match,
    Poster,
    Screen,
    Table,
    ThreeWays,
    Tones,
    Vignetting,
    WhiteBalance,
)
from vistaline.core.shot.softness import (
    Blur,
    CoarsePixels,
    ColourSplit,
    Edge,
    InkLines,
    OldFilm,
    Sharpen,
    SoftLights,
    Wipe,
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
    | Blur
    | Sharpen
    | SoftLights
    | CoarsePixels
    | ColourSplit
    | InkLines
    | OldFilm
    | Edge
    | Wipe
)
Dressing = Annotated[
    Fog | Veils | Particles | Shaft | Rays | Glow | Flare | AnyEffect, Field(discriminator="kind")
]

EFFECTS: Mapping[str, type[Effect]] = MappingProxyType(
    {
        "exposure": Exposure,
        "balance": WhiteBalance,
        "contrast": Contrast,
        "levels": LevelsOf,
        "curves": Curves,
        "colourfulness": Colourfulness,
        "three-ways": ThreeWays,
        "hue-range": HueRange,
        "mono": BlackAndWhite,
        "tones": Tones,
        "table": Table,
        "match": Match,
        "poster": Poster,
        "vignette": Vignetting,
        "grain": Grain,
        "halftone": Halftone,
        "screen": Screen,
        "ground": Ground,
        "blur": Blur,
        "sharpen": Sharpen,
        "soft-lights": SoftLights,
        "pixels": CoarsePixels,
        "split": ColourSplit,
        "ink": InkLines,
        "old-film": OldFilm,
        "edge": Edge,
        "wipe": Wipe,
    }
)
"""The classes of effects by their kinds."""

DRESSINGS: Mapping[str, type[Part]] = MappingProxyType(
    {
        "fog": Fog,
        "veils": Veils,
        "particles": Particles,
        "shaft": Shaft,
        "rays": Rays,
        "glow": Glow,
        "flare": Flare,
        **EFFECTS,
    }
)
"""The classes by their kinds, which is also what stands before the colon in names of rows."""


OnStage = Particles | Shaft | Rays | Flare
"""Those that have a place on the stage."""
Riding = Particles | Shaft | Rays
"""Those that may ride on a mount."""


def row_name(thing: Dressing) -> str:
    """Return how rows of keys call a thing: ``fog:d1``."""
    return f"{thing.kind}:{thing.id}"
