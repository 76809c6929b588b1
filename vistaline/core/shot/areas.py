"""Areas of a relief: soft-edged parts of it that come nearer or go farther, with keys."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from vistaline.core.keyable import PERCENT, Keyed
from vistaline.core.model import Part

__all__ = ["MOST_AREAS", "ReliefArea"]

MOST_AREAS = 4
"""As many as a page's shader takes."""
_RANGE = {**PERCENT, "low": -1.0, "high": 1.0}
Share = Annotated[float, Field(ge=-1, le=2)]


class ReliefArea(Part):
    """A part of a relief, by its outline on the picture."""

    id: str = Field("1", pattern=r"^[1-9]$")
    outline: tuple[tuple[Share, Share], ...] = Field(
        min_length=3,
        max_length=400,
        description="Corners in shares of the picture's width and height, y down; it closes.",
    )
    soft: float = Field(
        0.05, ge=0, le=0.5, description="Over how much its edge fades, of the picture's width."
    )
    lift: Annotated[float, Keyed("Area", "area", **_RANGE)] = Field(
        0.0, ge=-1, le=1, description="How much nearer it is, of the map's range; below 0 farther."
    )

    @property
    def value(self) -> str:
        """What rows call its lift."""
        return "area" if self.id == "1" else f"area_{self.id}"
