"""Cloth: what a flag, a sail or a coat is made of, how it is held, and the wind that moves it."""

from __future__ import annotations

from enum import StrEnum

from pydantic import Field

from vistaline.core.looks.pins import Pins
from vistaline.core.model import Part

__all__ = ["MOST_SECONDS", "Cloth", "ClothHeld"]

MOST_SECONDS = 120.0
"""After so long it begins again, without a seam: no more is ever computed."""


class ClothHeld(StrEnum):
    """Where it is held: there it does not move."""

    LEFT = "left"
    """By its left edge, as a flag on a pole."""
    RIGHT = "right"
    HEAD = "head"
    """By its upper edge, as a curtain."""
    CORNERS = "corners"
    """By its two upper corners, as washing on a line."""
    COLLAR = "collar"
    """By the middle half of its upper edge, as a coat on its shoulders."""
    NOWHERE = "nowhere"
    """By nothing: it falls."""


class Cloth(Part):
    """A layer's picture as cloth. Lengths are the cloth's own, however large it is on the stage."""

    held: ClothHeld = ClothHeld.LEFT
    pins: Pins = ()
    grid: int = Field(14, ge=2, le=64, description="Points along its longer side.")
    wide: float = Field(
        1.5, ge=0.05, le=100, description="As if it were so wide, in metres: its weight shows."
    )
    weight: float = Field(0.15, ge=0.02, le=5, description="Kilograms a square metre.")
    stiff: float = Field(0.1, ge=0, le=1, description="0: silk; 1: card.")
    damping: float = Field(0.15, ge=0, le=1, description="How soon it comes to rest by itself.")
    air: float = Field(1.0, ge=0, le=4, description="How much of the wind it catches.")
    wind: float = Field(5.0, ge=0, le=60, description="Metres a second.")
    direction: float = Field(
        15.0,
        ge=-360,
        le=360,
        description="Where the wind goes, on the plan: 0 to the right, 90 away, in degrees.",
    )
    gusts: float = Field(0.5, ge=0, le=1, description="How much it freshens and drops.")
    swirls: float = Field(0.4, ge=0, le=1, description="How much it differs from place to place.")
    settles: float = Field(
        2.0, ge=0, le=20, description="Seconds it has moved for before the shot begins."
    )
    wall: float | None = Field(
        None, ge=0, le=100, description="Metres behind it is a wall it does not go through."
    )
    before: str = Field(
        "",
        max_length=64,
        description="The id of a layer that it hangs before and does not go through.",
    )
    loops: float = Field(
        0.0, ge=0, le=MOST_SECONDS, description="Seconds after which it begins again; 0: never."
    )
    folds: float = Field(0.6, ge=0, le=1, description="How its slopes take the light.")
    delay: float = Field(0.0, ge=-1e7, le=1e7, description="Seconds later than others.")
    seed: int = Field(1, ge=0, le=2**31 - 1)
