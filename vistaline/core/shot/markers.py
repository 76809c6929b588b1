"""Markers in a shot's time: where a beat falls, a word is said, something is to happen."""

from __future__ import annotations

import re
from fractions import Fraction

from pydantic import Field

from vistaline.core.errors import ShotError
from vistaline.core.model import HexColour, Part
from vistaline.core.timing import parse_time

__all__ = ["MOST_MARKERS", "Marker", "read_markers"]

MOST_MARKERS = 2000
MARKER_COLOURS = ("#c9770a", "#2e6f8e", "#4c8a4a", "#a2384f", "#6f5a9e")
"""Colours to begin with; each is dark enough for white words on it."""
_LEADING = re.compile(
    r"^\s*([0-9][0-9:;.,]*(?:\s*(?:f|s|frames?|seconds?)\b)?)\s*[,;\t|-]?\s*(.*)$", re.I
)


class Marker(Part):
    """A frame that has a name."""

    frame: int = Field(ge=0, le=1_000_000)
    name: str = Field("", max_length=80)
    colour: HexColour = MARKER_COLOURS[0]
    note: str = Field("", max_length=500)


def read_markers(text: str, rate: Fraction, *, colour: str = MARKER_COLOURS[0]) -> list[Marker]:
    """Return the markers of a text that has a time a line, and a name behind it if one likes.

    A time is what :func:`parse_time` reads; a number with a point and no unit is in seconds, as
    programs that find beats write it.

    >>> text = "12 first\\n1.5\\n00:00:02:00 Refrain"
    >>> [(each.frame, each.name) for each in read_markers(text, Fraction(24))]
    [(12, 'first'), (36, ''), (48, 'Refrain')]

    Raises
    ------
    ShotError
        A line has no time; it is named.
    """
    found: dict[int, Marker] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        if number > 100_000 or len(found) > MOST_MARKERS:
            raise ShotError(
                f"The text has too many times: {MOST_MARKERS:,} markers are the most. Send fewer."
            )
        match = _LEADING.match(line)
        if match is None:
            raise ShotError(
                f"Line {number} begins with no time: {line.strip()[:40]!r}. Begin each with one, "
                "such as 36, 1.5 s or 00:00:01:12."
            )
        when, name = match[1].strip().rstrip(".,;:"), match[2].strip()
        if re.fullmatch(r"\d+[.,]\d+", when):
            when = f"{when.replace(',', '.')} s"
        try:
            frame = parse_time(when, rate)
        except ShotError as error:
            raise ShotError(f"Line {number}: {error}") from error
        found[frame] = Marker(frame=frame, name=name[:80], colour=colour)
    return [found[frame] for frame in sorted(found)]
