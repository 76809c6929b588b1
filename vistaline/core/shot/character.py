"""What a real lens does besides: darker corners, fringes of colour, bent lines, breathing."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from vistaline.core.keyable import PERCENT, SHARE, Keyed
from vistaline.core.model import Part

__all__ = ["Character", "Vignette"]

Offset = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]
_OFFSET = {**PERCENT, "low": -2.0, "high": 2.0}


class Vignette(Part):
    """How the frame darkens away from a place in it."""

    amount: Annotated[float, Field(ge=0, le=1), Keyed("Vignette", "vignette", **SHARE)] = Field(
        0.0, description="The light that is taken away where it is darkest."
    )
    middle: Annotated[
        tuple[Offset, Offset],
        Keyed("Vignette across", "vignette_across", 0, **_OFFSET),
        Keyed("Vignette up", "vignette_up", 1, **_OFFSET),
    ] = Field((0.0, 0.0), description="Its middle, right of the frame's and above, in half frames.")
    roundness: Annotated[
        float, Field(ge=0, le=1), Keyed("Vignette’s roundness", "vignette_roundness", **SHARE)
    ] = Field(0.5, description="1 is a circle, 0 an ellipse as wide and high as the frame.")
    softness: Annotated[
        float, Field(ge=0.02, le=1), Keyed("Vignette’s softness", "vignette_softness", **SHARE)
    ] = Field(0.7, description="How much of the way to the corners it takes to darken.")


class Character(Part):
    """What a camera's lens does to the whole frame; nothing of it unless it is asked for."""

    vignette: Vignette = Vignette()
    fringes: Annotated[float, Field(ge=0, le=1), Keyed("Colour fringes", "fringes", **SHARE)] = (
        Field(0.0, description="Red over blue in the corners: 1 is 2 % of the way there.")
    )
    distortion: Annotated[
        float,
        Field(ge=-0.5, le=0.5),
        Keyed("Distortion", "distortion", low=-0.5, high=0.5, **PERCENT),
    ] = Field(
        0.0,
        description="By what share of the way to the corners they are drawn in (a barrel, above "
        "0) or out. The frame is enlarged so that it stays full.",
    )
    breathing: Annotated[
        float, Field(ge=0, le=3), Keyed("Breathing", "breathing", low=0, high=3, **PERCENT)
    ] = Field(
        0.0, description="1: focused nearer, the lens sees less, as one does that is moved out."
    )
