"""What a layer shows: a picture, a title, a colour field, an occluder, a line, another shot."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import ConfigDict, Field, model_serializer, model_validator
from pydantic.functional_serializers import SerializerFunctionWrapHandler

from vistaline.core.errors import ShotError
from vistaline.core.looks.counts import Count, widest
from vistaline.core.looks.drifting import Drift
from vistaline.core.looks.fields import ColourField
from vistaline.core.looks.frame_styles import Crop
from vistaline.core.looks.lettering import Title
from vistaline.core.looks.lines import Line
from vistaline.core.looks.occluders import Occluder
from vistaline.core.looks.passages import Passage
from vistaline.core.model import Part
from vistaline.core.shot.running import Running

__all__ = [
    "FieldShown",
    "LineShown",
    "OccluderShown",
    "PictureShown",
    "ShotShown",
    "Shows",
    "Tagged",
    "TitleShown",
]


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
    runs: Running | None = Field(
        None, description="How it runs, if it moves; left out: its first frame stands."
    )
    drifts: Drift | None = Field(None, description="How it passes by without end.")


class TitleShown(Tagged):
    """Text."""

    kind: Literal["title"] = "title"
    title: Title
    arrives: Passage | None = Field(None, description="How it comes; left out: it is there.")
    leaves: Passage | None = Field(None, description="How it goes; left out: it stays.")
    counts: Count | None = Field(
        None, description="A number that counts, in the place of # in the text."
    )

    @model_validator(mode="after")
    def _can_count(self) -> Self:
        if self.counts:
            # Whatever it will say, its type has signs for it, and it is not too long.
            self.title.evolve(text=widest(self.title.text, self.counts))
        return self

    @model_validator(mode="after")
    def _comes_straight(self) -> Self:
        if self.title.bends and (self.arrives or self.leaves):
            raise ShotError(
                "A title along an arc or a path cannot come or go in pieces. Let it be there at "
                "once, and give its opacity keys; or make it straight."
            )
        return self

    @model_validator(mode="after")
    def _comes_before_it_goes(self) -> Self:
        came, goes = self.arrives, self.leaves
        if (
            came
            and goes
            and came.framing is None
            and goes.framing is None
            and goes.start < came.start + came.frames
        ):
            raise ShotError(
                f"The title begins to go at frame {goes.start}, before it has come (frame "
                f"{came.start + came.frames}). Let it come sooner or faster, or go later."
            )
        return self


class FieldShown(Tagged):
    """A flat colour or a gradient."""

    kind: Literal["field"] = "field"
    field: ColourField


class OccluderShown(Tagged):
    """Something dark that is seen past."""

    kind: Literal["occluder"] = "occluder"
    occluder: Occluder


class ShotShown(Tagged):
    """Another shot, frame by frame, as if it were a picture."""

    kind: Literal["shot"] = "shot"
    shot: str = Field(min_length=1, max_length=80, description="A key of the shot's shots.")
    runs: Running = Running()
    crop: Crop | None = Field(None, description="Which part of it its window shows.")


class LineShown(Tagged):
    """A drawn line."""

    kind: Literal["line"] = "line"
    line: Line


Shows = Annotated[
    PictureShown | TitleShown | FieldShown | OccluderShown | LineShown | ShotShown,
    Field(discriminator="kind"),
]
