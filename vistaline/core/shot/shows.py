"""What a layer shows: a picture, a title, a colour field or an occluder."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, model_serializer
from pydantic.functional_serializers import SerializerFunctionWrapHandler

from vistaline.core.looks.fields import ColourField
from vistaline.core.looks.frame_styles import Crop
from vistaline.core.looks.lettering import Title
from vistaline.core.looks.occluders import Occluder
from vistaline.core.model import Part

__all__ = ["FieldShown", "OccluderShown", "PictureShown", "Shows", "Tagged", "TitleShown"]


def _kind_is_required(schema: dict[str, Any]) -> None:
    """In a document it must be told; in code a class says it."""
    schema["required"] = ["kind", *schema.get("required", ())]


class Tagged(Part):
    """A part that says in the document which of several kinds it is, also where that is usual."""

    model_config = ConfigDict(json_schema_extra=_kind_is_required)

    @model_serializer(mode="wrap")
    def _with_kind(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        return {"kind": self.kind} | write(self)  # type: ignore[attr-defined,no-any-return]


class PictureShown(Tagged):
    """One of the shot's pictures, or the part of it that a window shows."""

    kind: Literal["picture"] = "picture"
    picture: str = Field(min_length=1, description="A key of the shot's pictures.")
    crop: Crop | None = Field(None, description="Which part of the picture its window shows.")


class TitleShown(Tagged):
    """Text."""

    kind: Literal["title"] = "title"
    title: Title


class FieldShown(Tagged):
    """A flat colour or a gradient."""

    kind: Literal["field"] = "field"
    field: ColourField


class OccluderShown(Tagged):
    """Something dark that is seen past."""

    kind: Literal["occluder"] = "occluder"
    occluder: Occluder


Shows = Annotated[
    PictureShown | TitleShown | FieldShown | OccluderShown, Field(discriminator="kind")
]
