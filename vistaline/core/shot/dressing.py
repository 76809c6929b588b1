"""All that is put into a shot's light and air besides lamps, by what each is."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated

from pydantic import Field

from vistaline.core.model import Part
from vistaline.core.shot.air import Fog, Particles, Veils
from vistaline.core.shot.beams import Flare, Glow, Rays, Shaft

__all__ = ["DRESSINGS", "MOST_DRESSING", "Dressing", "OnStage", "Riding", "row_name"]

MOST_DRESSING = 40
"""In one shot: each costs time in every frame."""

Dressing = Annotated[
    Fog | Veils | Particles | Shaft | Rays | Glow | Flare, Field(discriminator="kind")
]

DRESSINGS: Mapping[str, type[Part]] = MappingProxyType(
    {
        "fog": Fog,
        "veils": Veils,
        "particles": Particles,
        "shaft": Shaft,
        "rays": Rays,
        "glow": Glow,
        "flare": Flare,
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
