"""Effects: what finishes a picture, on one layer, a group, all from a distance on, or the frame."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any, Self

from pydantic import Field, model_validator

from vistaline.core.keyable import ANGLE, METRES, PERCENT, SHARE, SIZE, Keyed
from vistaline.core.model import Degrees, Length, Part, Position, Share
from vistaline.core.shot.air import Dress

__all__ = [
    "FACTOR",
    "MOST_CORNERS",
    "PLACE",
    "SIGNED",
    "Effect",
    "Factor",
    "Mask",
    "MaskShape",
    "On",
    "Over",
    "Place",
    "Signed",
]

MOST_CORNERS = 64
"""Of an outline that is drawn."""
Signed = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
"""From one extreme to the other; 0 changes nothing."""
SIGNED: dict[str, Any] = {**PERCENT, "low": -1.0, "high": 1.0}
Factor = Annotated[float, Field(ge=0, le=4, allow_inf_nan=False)]
"""How much of something there is; 1 is as much as before."""
FACTOR: dict[str, Any] = {**PERCENT, "low": 0.0, "high": 4.0}
Place = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
"""In shares of the frame from its middle."""
PLACE: dict[str, Any] = {**PERCENT, "low": -10.0, "high": 10.0}
_Corner = Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]
_Id = Annotated[str, Field(max_length=80)]


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
    x: Annotated[Place, Keyed("Mask across", "mask_x", **PLACE)] = Field(
        0.0, description="Its middle, in shares of the frame, or of the layer, from the middle."
    )
    y: Annotated[Place, Keyed("Mask up", "mask_y", **PLACE)] = 0.0
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
