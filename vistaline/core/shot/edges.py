"""Effects of a layer's edges: where it ends, and what they take from what is round it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from vistaline.core.keyable import ANGLE, PERCENT, SHARE, Keyed
from vistaline.core.model import Degrees, HexColour, Share
from vistaline.core.shot.air import TINT
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.softness import PIXELS, Pixels, Spreading

__all__ = ["ContactShade", "Edge", "LightWrap", "Wipe"]


class Edge(Spreading):
    """A layer's edges: taken in, or spread out, and soft."""

    _moves = ("inward", "soft")
    kind: Literal["edge"] = "edge"
    inward: Annotated[
        Annotated[float, Field(ge=-40, le=40, allow_inf_nan=False)],
        Keyed("Taken in by", unit="px", low=-40.0, high=40.0),
    ] = Field(0.0, description="Below 0 it is spread out.")
    soft: Annotated[Pixels, Keyed("Soft over", **PIXELS)] = 4.0


class Wipe(Effect):
    """A layer that ends softly along a line: only what lies before it is seen."""

    kind: Literal["wipe"] = "wipe"
    angle: Annotated[Degrees, Keyed("Direction", **ANGLE)] = Field(
        0.0, description="Into which it goes on being seen: 0 to the right, 90 upwards."
    )
    place: Annotated[
        Annotated[float, Field(ge=-1, le=2, allow_inf_nan=False)],
        Keyed("Place", low=-1.0, high=2.0, **PERCENT),
    ] = Field(0.5, description="Of the layer's extent that way: 0 all is seen, 1 nothing is.")
    softness: Annotated[Share, Keyed("Softness", **SHARE)] = 0.2


class LightWrap(Effect):
    """Light from behind that comes round a layer's edges, as light: when all else is done to it."""

    kind: Literal["light-wrap"] = "light-wrap"
    strength: Annotated[Share, Keyed("Strength", **SHARE)] = 0.6
    size: Annotated[Pixels, Keyed("Size", **PIXELS)] = Field(
        28.0, description="How far it comes in, and how soft what is behind is seen in it."
    )


class ContactShade(Effect):
    """The shade on the ground under a layer's foot, where it stands; in linear light."""

    kind: Literal["contact"] = "contact"
    strength: Annotated[Share, Keyed("Strength", **SHARE)] = 0.7
    size: Annotated[Pixels, Keyed("Size", **PIXELS)] = Field(
        60.0, description="How far it reaches beyond the foot, to its sides."
    )
    colour: Annotated[HexColour, Keyed("Colour", **TINT)] = "#000000"
