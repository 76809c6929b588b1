"""Numbers in a title that count: how each is written at a frame."""

from __future__ import annotations

from enum import StrEnum
from fractions import Fraction

from pydantic import Field

from vistaline.core.easing import EaseName, parse_ease
from vistaline.core.model import Part
from vistaline.core.timing import timecode

__all__ = ["Count", "Marks", "counted", "widest"]

STANDS_FOR = "#"
"""What the number stands in the place of, in a title's text."""


class Marks(StrEnum):
    """What parts thousands."""

    NONE = "none"
    COMMA = "comma"
    POINT = "point"
    """Decimals then have a comma."""
    SPACE = "space"
    """One that does not break (ISO 80000-1, 7.3.1, wants a thin one, which few types have)."""


class Count(Part):
    """A number that goes from one value to another over some frames, and stays there."""

    first: float = Field(0.0, ge=-1e12, le=1e12, allow_inf_nan=False)
    last: float = Field(100.0, ge=-1e12, le=1e12, allow_inf_nan=False)
    start: int = Field(0, ge=0, le=1_000_000, description="The frame from which it counts.")
    frames: int = Field(48, ge=1, le=1_000_000, description="For how many.")
    ease: EaseName = "ease-out"
    decimals: int = Field(0, ge=0, le=6)
    marks: Marks = Marks.COMMA
    timecode: bool = Field(
        False, description="Whether it is written as a time code: it counts frames then."
    )


def counted(text: str, count: Count, frame: float, rate: Fraction) -> str:
    """Return a title's text at a frame, with the number in the place of ``#``; without one, behind
    it.

    >>> counted("# lamps", Count(last=1250.5, decimals=1), 48, Fraction(24))
    '1,250.5 lamps'
    """
    share = float(parse_ease(count.ease)(min(max((frame - count.start) / count.frames, 0.0), 1.0)))
    value = count.first + (count.last - count.first) * share
    if count.timecode:
        written = timecode(max(0, round(value)), rate)
    else:
        written = _written(value, count)
    return text.replace(STANDS_FOR, written) if STANDS_FOR in text else f"{text} {written}"


def widest(text: str, count: Count) -> str:
    """Return a title's text with all signs that its number may ever be written with, and as many as
    it may have."""
    every = "0123456789:;" if count.timecode else _written(-1234567890123.0, count) + "0.,56789"
    return text.replace(STANDS_FOR, every) if STANDS_FOR in text else f"{text} {every}"


def _written(value: float, count: Count) -> str:
    plain = f"{value:,.{count.decimals}f}"
    if plain.strip("-0.,") == "":
        plain = plain.removeprefix("-")  # no minus before nothing
    match count.marks:
        case Marks.NONE:
            return plain.replace(",", "")
        case Marks.POINT:
            return plain.translate({ord(","): ".", ord("."): ","})
        case Marks.SPACE:
            return plain.replace(",", "\u00a0")
    return plain
