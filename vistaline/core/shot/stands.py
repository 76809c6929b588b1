"""How a layer stands on the stage: what its size is measured in, and whether it is flat.

Its distance, turn and scale are fields of the layer itself, whichever of these it is.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from vistaline.core.geometry.bodies import Body
from vistaline.core.model import Length
from vistaline.core.shot.shows import Tagged

__all__ = ["Backdrop", "Box", "FreeCard", "Projected", "Solid", "Stands", "Stays", "Taken"]

Box = tuple[float, float, Annotated[float, Field(gt=0)], Annotated[float, Field(gt=0)]]
"""x, y, width, height in the taking camera's pixels; x and y of the top left corner."""
Stays = Literal["stage", "lens", "lens-behind", "facing"]
"""On the stage where it was put; fixed to the frame as in the first frame, before all that stands
or behind it; or facing the camera."""


class _OnStage(Tagged):
    """The ways of standing that have a place on the stage: all but the backdrop."""

    stays: Stays = Field(
        "stage", description="On the stage, with the lens before all or behind all, or facing it."
    )


class Taken(_OnStage):
    """A part of the taking camera's picture; at any distance that camera sees it unchanged."""

    kind: Literal["taken"] = "taken"
    box: Box | None = Field(
        None,
        description="Place in the taking camera's canvas: x, y, width, height in pixels. Left "
        "out, the picture lies in the canvas by its own size.",
    )


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


Stands = Annotated[Taken | FreeCard | Projected | Solid | Backdrop, Field(discriminator="kind")]
