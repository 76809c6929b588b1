"""How a layer stands on the stage: what its size is measured in, and whether it is flat.

Its distance, turn and scale are fields of the layer itself, whichever of these it is.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from vistaline.core.geometry.bodies import Body
from vistaline.core.keyable import SHARE, Keyed, Kind
from vistaline.core.model import Distance, Length
from vistaline.core.shot.areas import MOST_AREAS, ReliefArea
from vistaline.core.shot.shows import Tagged

__all__ = [
    "Backdrop",
    "Box",
    "FreeCard",
    "Projected",
    "Relief",
    "Solid",
    "Stands",
    "Stays",
    "Taken",
]

Box = tuple[float, float, Annotated[float, Field(gt=0)], Annotated[float, Field(gt=0)]]
"""x, y, width, height in the taking camera's pixels; x and y of the top left corner."""
Stays = Literal["stage", "lens", "lens-behind", "facing"]
"""On the stage where it was put; fixed to the frame as in the first frame, before all that stands
or behind it; or facing the camera."""


_REACH: dict[str, Any] = {"kind": Kind.INVERSE, "unit": "m", "low": 1e-6, "high": 1e6}


class _OnStage(Tagged):
    """The ways of standing that have a place on the stage: all but the backdrop."""

    stays: Stays = Field(
        "stage", description="On the stage, with the lens before all or behind all, or facing it."
    )


class _Seen(_OnStage):
    """A part of the taking camera's picture; at any distance that camera sees it unchanged."""

    box: Box | None = Field(
        None,
        description="Place in the taking camera's canvas: x, y, width, height in pixels. Left "
        "out, the picture lies in the canvas by its own size.",
    )


class Taken(_Seen):
    """Upright and flat, at its layer's distance."""

    kind: Literal["taken"] = "taken"


class Relief(_Seen):
    """Raised by a map of its depth: each of its pixels is as far away as the map says.

    All of it is told for a layer that stands ``at`` a distance. One that is moved nearer takes its
    nearest and its farthest along, in proportion, so that it is seen as before.
    """

    kind: Literal["relief"] = "relief"
    depth: str = Field(
        min_length=1,
        description="A key of the shot's pictures: the map, white near, even in 1 / distance.",
    )
    at: Distance = Field(description="The layer's distance for which near and far are told.")
    near: Annotated[Distance, Keyed("Nearest", "relief_near", **_REACH)] = Field(
        description="Metres from the taking camera to what is white."
    )
    far: Annotated[Distance, Keyed("Farthest", "relief_far", **_REACH)] = Field(
        description="Metres to what is black."
    )
    strength: Annotated[float, Keyed("Relief", "relief", **SHARE)] = Field(
        1.0, ge=0, le=1, description="0: flat, at the layer's distance; 1: as deep as it is."
    )
    areas: tuple[ReliefArea, ...] = Field((), max_length=MOST_AREAS)
    texture: bool = Field(
        True,
        description="Whether what is behind its edges is filled with texture from beside them; "
        "else smoothly.",
    )

    def times_at(self, distance: float) -> float:
        """Return how many times as far as told all of it is, once its layer is at a distance."""
        return distance / self.at

    def reach_at(self, distance: float) -> tuple[float, float]:
        """Return its nearest and its farthest, metres, once its layer is at a distance."""
        times = self.times_at(distance)
        return self.near * times, self.far * times


class FreeCard(_OnStage):
    """A flat card with a size of its own in metres; a title's or field's follows from its look."""

    kind: Literal["card"] = "card"
    width: Length | None = Field(None, description="Of a picture: its width in metres.")
    height: Length | None = Field(
        None, description="Of a picture's window, if it is not as the picture: metres."
    )


class Projected(_OnStage):
    """A plane that catches its picture from the taking camera."""

    kind: Literal["plane"] = "plane"
    projection: Box = Field(description="Where the picture lies in the taking camera's canvas.")
    width: Length
    height: Length


class Solid(_OnStage):
    """A body that catches its picture from the taking camera."""

    kind: Literal["body"] = "body"
    body: Body
    projection: Box = Field(description="Where the picture lies in the taking camera's canvas.")
    width: Length = Field(description="Of the section in its middle, in metres.")
    height: Length
    depth: Length = Field(description="Metres from its front to its back.")


class Backdrop(Tagged):
    """It fills the frame behind everything else and has no place on the stage."""

    kind: Literal["backdrop"] = "backdrop"


Stands = Annotated[
    Taken | Relief | FreeCard | Projected | Solid | Backdrop, Field(discriminator="kind")
]
