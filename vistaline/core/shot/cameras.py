"""A shot's cameras, the cuts between them, and takes: other routes to compare."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from vistaline.core.keyable import Keyed, Kind
from vistaline.core.model import Part
from vistaline.core.shot.character import Character
from vistaline.core.shot.focusing import Focusing
from vistaline.core.shot.route import Millimetres, Route
from vistaline.core.shot.shutter import Shutter

__all__ = ["Camera", "Cut", "Take"]


class Camera(Part):
    """One of the shot's cameras."""

    id: str = Field("a", min_length=1, max_length=80)
    name: str = Field("A", min_length=1, max_length=80)
    route: Route = Route()
    lens: Annotated[
        Millimetres | None,
        Keyed("Lens", kind=Kind.RATIO, unit="mm", low=1e-3, high=5000),
    ] = Field(
        None,
        description="A lens in millimetres that it has throughout, or that has keys, whatever "
        "its framings say; left out, the lens travels with the framings.",
    )
    focusing: Focusing = Focusing()
    shutter: Shutter = Shutter()
    character: Character = Character()
    exposure: Annotated[float, Keyed("Exposure", unit="stops", low=-10, high=10)] = Field(
        0.0,
        ge=-10,
        le=10,
        allow_inf_nan=False,
        description="How much brighter everything is taken: 1 is twice as bright.",
    )


class Cut(Part):
    """A change of the camera that is seen, from one frame on."""

    frame: int = Field(ge=0)
    camera: str = Field(min_length=1, max_length=80, description="The id of the camera cut to.")


class Take(Part):
    """Another route over the same stage, kept to compare."""

    name: str = Field(min_length=1, max_length=80)
    route: Route
