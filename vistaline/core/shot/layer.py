"""A layer: what it shows, and where it stands."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from vistaline.core.errors import ShotError
from vistaline.core.geometry.bodies import Body
from vistaline.core.looks.blending import Blend
from vistaline.core.looks.fields import ColourField
from vistaline.core.looks.frame_styles import Crop
from vistaline.core.looks.lettering import Title
from vistaline.core.looks.occluders import Occluder
from vistaline.core.model import Degrees, Distance, Length, Metres, Part
from vistaline.core.shot.mounts import Ride

__all__ = ["Box", "Layer", "Matte", "PictureRef", "Stays"]

Box = tuple[float, float, Annotated[float, Field(gt=0)], Annotated[float, Field(gt=0)]]
"""x, y, width, height in the taking camera's pixels; x and y of the top left corner."""
Pivot = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Stays = Literal["stage", "lens", "facing"]
"""Where it is put; fixed to the frame, as it is seen in the first; or turned to the camera."""


class PictureRef(Part):
    """A picture the shot uses: a file path relative to the shot file, with ``/``."""

    file: str = Field(min_length=1, max_length=500)
    width: int | None = Field(None, ge=1)
    height: int | None = Field(None, ge=1)


class Matte(Part):
    """Another layer that says where this one is seen, as the frame shows both."""

    of: str = Field(description="The id of the other layer; it may be hidden.")
    keep: Literal["inside", "outside"] = "inside"
    by: Literal["alpha", "lightness"] = Field(
        "alpha", description="What counts: how opaque it is, or that times how light it is."
    )


class Layer(Part):
    """Something that stands on the stage, on a plane: a picture, a title, a field, an occluder.

    A layer with a ``box`` is some of the taking camera's pixels, seen from it as they were taken
    at any distance. One without is a card: its size is in metres.
    """

    id: str = Field("", max_length=80)
    name: str = Field(min_length=1, max_length=80)
    picture: str = Field("", description="A key of the shot's pictures, or one of the next three.")
    title: Title | None = None
    field: ColourField | None = None
    occluder: Occluder | None = None
    box: Box | None = Field(
        None, description="Place in the taking camera's canvas: x, y, width, height in pixels."
    )
    width: Length | None = Field(None, description="A card with a picture: its width in metres.")
    height: Length | None = Field(
        None, description="A card's window, if it is not as its picture: its height in metres."
    )
    crop: Crop | None = Field(None, description="Which part of the picture its window shows.")
    projection: Box | None = Field(
        None,
        description="A card that catches its picture from the taking camera: where the picture "
        "lies in that one's canvas.",
    )
    body: Body | None = Field(
        None, description="What it is, if it is not flat; its card is the section in its middle."
    )
    depth: Length | None = Field(None, description="A body: metres from its front to its back.")
    known_size: tuple[Length, Length] | None = Field(
        None, description="What its width and height are in truth, in metres: a check."
    )
    frame_style: str = Field("", max_length=80, description="A name among the frame styles.")
    distance: Distance = Field(2.0, description="Metres from the taking camera, along its axis.")
    across: Metres = Field(0.0, description="Metres to the right of where it was seen.")
    up: Metres = Field(0.0, description="Metres above where it was seen.")
    scale: float = Field(
        1.0, gt=0, le=1e6, allow_inf_nan=False, description="1 = exactly the framing as taken."
    )
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    pivot: tuple[Pivot, Pivot] = Field(
        (0.0, 0.0),
        description="What it turns about: shares of its width and height from its middle.",
    )
    foot: tuple[Pivot, Pivot] = Field(
        (0.0, -0.5), description="Where it touches the ground, as shares like the pivot."
    )
    ride: Ride | None = None
    group: str = Field("", max_length=80, description="The name of the group it belongs to.")
    paired: str = Field("", description="The id of the title it is kept in register with.")
    stays: Stays = Field("stage", description="On the stage, with the lens, or facing it.")
    opacity: float = Field(1.0, ge=0, le=1)
    blend: Blend = Field(Blend.NORMAL, description="What is done with the colour behind.")
    matte: Matte | None = None
    hidden: bool = False
    locked: bool = False

    @model_validator(mode="after")
    def _shows_one_thing(self) -> Self:
        drawn = (self.title, self.field, self.occluder)
        if bool(self.picture) + sum(each is not None for each in drawn) != 1:
            raise ShotError(
                f"Layer {self.name!r} must show one thing: a picture, a title, a colour field or "
                "an occluder.",
                field="picture",
            )
        if self.projection is not None and (
            not self.picture or self.box or self.width is None or self.height is None
        ):
            raise ShotError(
                f"Layer {self.name!r} catches a picture from the taking camera: it needs a "
                "picture, a width and a height, and no box.",
                field="projection",
            )
        if (self.body is None) != (self.depth is None) or (self.body and not self.projection):
            raise ShotError(
                f"Layer {self.name!r} is a body: it needs a depth, and a picture that it catches "
                "from the taking camera.",
                field="body",
            )
        return self

    @property
    def is_card(self) -> bool:
        """Whether its size is its own, in metres, and not what the taking camera saw."""
        return self.width is not None or not self.picture

    @property
    def is_backdrop(self) -> bool:
        """Whether it fills the frame behind everything, and so stands nowhere on the stage."""
        return self.field is not None and self.field.backdrop
