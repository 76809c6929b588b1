"""A delivery: what a shot or a film is to become, and which of its frames.

The same is asked for on the bench, on the command line and by a choice that was kept by name.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Self

from pydantic import Field, ValidationError, model_validator

from vistaline.core.delivery.naming import FRAME, PATTERN, check_pattern, name_by
from vistaline.core.errors import RenderError, ShotError
from vistaline.core.explaining import explain
from vistaline.core.formats.encoders import Encoder
from vistaline.core.formats.outputs import encoder_called, options_for
from vistaline.core.model import Part
from vistaline.core.render.reel import Reel, reel_at
from vistaline.core.render.source import QUALITIES

__all__ = ["Delivery", "Span", "names_of", "parse_delivery", "sidecar", "span_of"]


class Delivery(Part):
    """How a shot or a film is handed over."""

    output: str = Field("mp4", description="What it becomes: the key of an output.")
    options: dict[str, Any] = Field(
        default_factory=dict, description="What is chosen of the output; the rest is as usual."
    )
    scale: float = Field(1.0, ge=0.05, le=4, description="Size, over that of the frame.")
    quality: str = Field("standard", description="How finely it is rendered.")
    every: int = Field(1, ge=1, le=1000, description="Every nth frame only.")
    handles: int = Field(
        0, ge=0, le=1000, description="How many more, before the first and after the last."
    )
    number: int | None = Field(
        None, ge=0, le=9_999_999, description="Of the first frame; left out: as in the shot."
    )
    name: str = Field(PATTERN, description="How files are called; tokens stand in braces.")

    @model_validator(mode="after")
    def _known(self) -> Self:
        if self.quality not in QUALITIES:
            known = ", ".join(QUALITIES)
            raise ShotError(f"A render is {known}, not {self.quality!r}. Choose one of them.")
        try:
            check_pattern(self.name)
            chosen = options_for(encoder_called(self.output), self.options)
        except RenderError as error:
            raise ShotError(str(error)) from error
        object.__setattr__(self, "options", chosen.model_dump(mode="json"))
        return self

    @property
    def encoder(self) -> Encoder:
        """What writes its frames."""
        return encoder_called(self.output)

    @property
    def chosen(self) -> Part:
        """What is chosen of the output."""
        return self.encoder.options.model_validate(self.options)


def parse_delivery(document: Mapping[str, Any]) -> Delivery:
    """Return the delivery that a document describes.

    Raises
    ------
    RenderError
        It makes no sense; the sentence says what does not.
    """
    try:
        return Delivery.model_validate(document)
    except ValidationError as error:
        raise RenderError(str(explain(error, Delivery))) from error


@dataclass(frozen=True, kw_only=True)
class Span:
    """Which frames are handed over: their places in the shot, and their numbers."""

    start: int
    """Frame of the shot that is handed over first; before 0 if handles begin there."""
    count: int
    every: int
    number: int
    """Of the first."""
    step: int
    """From a number to the next."""
    duration: int
    """Frames that the shot has."""

    def frame_at(self, index: int) -> int:
        """Return the frame of the shot that stands at an index; beyond its ends, it stands still.

        >>> span = span_of(Delivery(handles=2), 0, 9, duration=10)
        >>> [span.frame_at(index) for index in (0, 1, 2, 3, 13)]
        [0, 0, 0, 1, 9]
        """
        return min(max(self.start + index * self.every, 0), self.duration - 1)

    def number_at(self, index: int) -> int:
        """Return the number of the frame that stands at an index."""
        return self.number + index * self.step


def span_of(delivery: Delivery, first: int, last: int, *, duration: int) -> Span:
    """Return which frames a delivery has of a shot's frames ``first`` to ``last``, both with it.

    Raises
    ------
    RenderError
        They are not in the shot, or not in order.
    """
    if first > last:
        raise RenderError(f"The first frame, {first}, comes after the last, {last}. Exchange them.")
    if first < 0 or last >= duration:
        raise RenderError(f"There are frames 0 to {duration - 1}; choose among them.")
    more = delivery.handles * delivery.every
    start, stop = first - more, last + more + 1
    return Span(
        start=start,
        count=-(-(stop - start) // delivery.every),
        every=delivery.every,
        # Files have no numbers below 0: handles before frame 0 begin to count there.
        number=max(start, 0) if delivery.number is None else delivery.number,
        step=delivery.every if delivery.number is None else 1,
        duration=duration,
    )


def names_of(delivery: Delivery, facts: Mapping[str, str], span: Span) -> Callable[[int], str]:
    """Return what tells, by their indices, how the files of frames are called, without ending."""
    digits = max(4, len(str(span.number_at(span.count - 1))))
    pattern = delivery.name
    if f"{{{FRAME}}}" not in pattern:
        # Frames of one name would be one file.
        pattern += f"-{{{FRAME}}}"
    return lambda index: name_by(pattern, {**facts, FRAME: f"{span.number_at(index):0{digits}d}"})


def sidecar(reel: Reel, delivery: Delivery, span: Span, made: str) -> dict[str, Any]:
    """Return what tells how files were made, as it is put beside them in JSON.

    ``made``: the version and the hash, see :func:`vistaline.core.delivery.making.made_by`.
    """
    width, height = reel_at(reel, delivery.scale).frame.size
    last = span.count - 1
    return {
        "made_by": made,
        "name": reel.name,
        "width": width,
        "height": height,
        "frames_a_second": str(reel.frame.rate / span.every),
        "frames": span.count,
        "first": {"frame": span.frame_at(0), "number": span.number_at(0)},
        "last": {"frame": span.frame_at(last), "number": span.number_at(last)},
        "delivery": delivery.model_dump(mode="json"),
    }
