"""The frame of a shot: its size, its rate, how long it lasts."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated

from pydantic import BeforeValidator, Field, PlainSerializer, WithJsonSchema

from vistaline.core.model import Part
from vistaline.core.timing import parse_rate, rate_label

__all__ = ["FrameFormat", "Rate"]

Rate = Annotated[
    Fraction,
    BeforeValidator(parse_rate),
    PlainSerializer(rate_label, return_type=str),
    WithJsonSchema(
        {
            "anyOf": [{"type": "string"}, {"type": "number", "minimum": 1, "maximum": 240}],
            "description": "Frames a second: 24, 23.976 or 24000/1001.",
        }
    ),
]


class FrameFormat(Part):
    """The frame's size in pixels, its rate, and how many frames the shot lasts."""

    width: int = Field(1920, ge=16, le=8192, multiple_of=2)
    height: int = Field(1080, ge=16, le=8192, multiple_of=2)
    rate: Rate = Fraction(24)
    duration: int = Field(ge=1, le=1_000_000, description="Length of the shot in frames.")

    @property
    def size(self) -> tuple[int, int]:
        return self.width, self.height

    @property
    def seconds(self) -> Fraction:
        return self.duration / self.rate
