"""What the shot's document is made of: frozen parts, checked when built, changed by copying."""

from __future__ import annotations

from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field

__all__ = ["Degrees", "Distance", "HexColour", "Length", "Metres", "Part", "Position", "Share"]

Metres = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Position = tuple[Metres, Metres, Metres]
Distance = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Length = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Degrees = Annotated[float, Field(ge=-36000, le=36000, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
HexColour = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]


class Part(BaseModel):
    """A part of a document: never changed in place, nothing in it that is not known."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    def evolve(self, **changes: Any) -> Self:
        """Return a copy with ``changes``, checked like a new one."""
        current = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self)(**(current | changes))
