"""Titles: text as something that stands on the stage.

Lines are shaped by HarfBuzz and put in reading order by FriBidi (through Pillow's raqm layout),
so scripts that join or run from the right come out as they are written. Lengths are in em: the
size of the type.
"""

from __future__ import annotations

import math
import unicodedata
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal, Self

import cv2
import numpy as np
from PIL import Image, ImageDraw
from pydantic import AfterValidator, Field, model_validator

from vistaline.core.arrays import Rgba16
from vistaline.core.confined import Bounds, confined, is_confined
from vistaline.core.errors import ShotError
from vistaline.core.kept import Kept
from vistaline.core.keyable import COLOUR, PERCENT, SIZE, Keyed, Kind
from vistaline.core.looks.typefaces import OWN, fonts_of, known_face, runs_of, shelve, shelves
from vistaline.core.model import HexColour, Length, Part
from vistaline.core.picture.colour import hex_to_linear

__all__ = ["Title", "draw_title", "extents"]

LONGEST = 2000
"""Characters of a title: more is no title."""
_MEASURE = 256
_LARGEST_SIDE = 8192
_MOST_PIXELS = 32_000_000
"""Of a title, however long its lines: it takes eight bytes each, and a quarter more as levels."""
_MOST_FINE = 256_000_000
"""Pixels letters are drawn with before they are averaged, at one byte each."""
_STRIP = 256
"""Rows that are coloured at a time."""
_DRAWING = Bounds(memory=1_400_000_000, seconds=120)
_SETTING = Bounds(memory=300_000_000, seconds=20, output=0)
_ROOM = 0.12
"""Em round the letters, for what reaches beyond their box."""


def _written(text: str) -> str:
    if not text.strip():
        raise ShotError("A title needs some text. Type it, or remove the title.")
    if len(text) > LONGEST:
        raise ShotError(
            f"A title has at most {LONGEST:,} characters, not {len(text):,}. Shorten it."
        )
    return text


class Title(Part):
    """Text, and how it is set."""

    text: Annotated[str, AfterValidator(_written), Keyed("Text", kind=Kind.TEXT, looks=True)]
    face: Annotated[str, AfterValidator(known_face)] = "source-sans"
    weight: int = Field(600, ge=100, le=900)
    size: Annotated[Length, Keyed("Type size", "type_size", unit="m", looks=True, **SIZE)] = Field(
        0.2, description="Metres: one em."
    )
    spacing: Annotated[float, Keyed("Spacing", looks=True, low=-0.2, high=2, **PERCENT)] = Field(
        0, ge=-0.2, le=2, description="Em added between letters."
    )
    line_spacing: Annotated[float, Keyed("Lines apart", looks=True, low=0.5, high=4, **PERCENT)] = (
        Field(1.2, ge=0.5, le=4, description="Em from line to line.")
    )
    align: Literal["left", "centre", "right"] = "centre"
    fill: Annotated[HexColour | None, Keyed("Fill", **COLOUR)] = "#fff6e0"
    outline: Annotated[HexColour | None, Keyed("Outline", **COLOUR)] = None
    outline_width: Annotated[
        float, Keyed("Line", looks=True, kind=Kind.RATIO, low=1e-4, high=0.3, **PERCENT)
    ] = Field(0.03, gt=0, le=0.3, description="Em.")

    @model_validator(mode="after")
    def _can_be_set(self) -> Self:
        if self.fill is None and self.outline is None:
            raise ShotError("A title needs a fill or an outline, or it cannot be seen.")
        extents(self)
        return self


def extents(title: Title) -> tuple[float, float]:
    """Return the width and height in metres of the card that holds a title."""
    width, height, _ = _set(title)
    room = 2 * (_ROOM + (title.outline_width if title.outline else 0))
    return (width + room) * title.size, (height + room) * title.size


def draw_title(title: Title, *, em: float) -> Rgba16:
    """Return a title as a picture (height, width, 4), ``em`` pixels to the em.

    It is drawn in a child process: the text, and often the type, are somebody's own.
    """
    return confined(
        _drawn, title, em, shelves(), name=f"The title “{title.text[:20]}”", bounds=_DRAWING
    )


def _drawn(title: Title, em: float, where: tuple[Path, ...]) -> Rgba16:
    for folder in where:
        shelve(folder)
    wide, tall = (side / title.size for side in extents(title))
    em = min(em, _LARGEST_SIDE / max(wide, tall), math.sqrt(_MOST_PIXELS / (wide * tall)))
    size = (max(1, round(wide * em)), max(1, round(tall * em)))
    stroke = title.outline_width * em if title.outline else 0.0
    letters = _mask(title, em, size, 0.0)
    # Round the letters: what the thickened ones have more. Behind them, where both are.
    around = cv2.subtract(_mask(title, em, size, stroke), letters) if title.outline else None
    light = np.zeros((size[1], size[0], 4), np.uint16)
    for top in range(0, size[1], _STRIP):
        rows = slice(top, top + _STRIP)
        strip = np.zeros((len(letters[rows]), size[0], 4))
        if title.fill:
            covered = letters[rows].astype(np.float64) / 255
            strip += covered[..., None] * [*hex_to_linear(title.fill), 1.0]
        if title.outline and around is not None:
            covered = around[rows].astype(np.float64) / 255
            strip += covered[..., None] * [*hex_to_linear(title.outline), 1.0]
        light[rows] = np.rint(np.clip(strip, 0, 1) * 65535)
    return light


def _mask(title: Title, em: float, size: tuple[int, int], stroke: float) -> np.ndarray:
    """Return how much of each pixel letters cover, thickened by ``stroke`` pixels, 0..255."""
    width, _, lines = _set(title)
    # Drawn at four times the size and averaged: Pillow places letters at whole pixels.
    fine = max(1, min(4, int(16384 / max(size)), int(math.sqrt(_MOST_FINE / (size[0] * size[1])))))
    fonts = fonts_of(title.face, title.weight, em * fine)
    image = Image.new("L", (size[0] * fine, size[1] * fine))
    draw = ImageDraw.Draw(image)
    room = _ROOM + (title.outline_width if title.outline else 0)
    for line in lines:
        slack = width - line.width
        left = room + {"left": 0.0, "centre": slack / 2, "right": slack}[title.align]
        for piece, at, font in line.pieces:
            draw.text(
                ((left + at) * em * fine, (room + line.base) * em * fine),
                piece,
                255,
                fonts[font],
                anchor="ls",
                stroke_width=stroke * fine,
            )
    small = image.reduce(fine) if fine > 1 else image
    return np.ascontiguousarray(np.asarray(small)[: size[1], : size[0]])


@dataclass(frozen=True)
class _Line:
    pieces: tuple[tuple[str, float, int], ...]
    """Text that is drawn as one, where it begins, in em, and in which of the face's fonts."""
    width: float
    base: float
    """Of the letters, from the top."""


_Layout = tuple[float, float, tuple[_Line, ...]]


def _set(title: Title) -> _Layout:
    wish = (title.text, title.face, title.weight, title.spacing, title.line_spacing)
    return _LAYOUTS.get(wish, lambda: _layout(wish))


_LAYOUTS: Kept[_Layout] = Kept("titles")


def _layout(wish: tuple[str, str, int, float, float]) -> _Layout:
    """Return width and height in em, and the lines.

    Type that somebody brought in is opened in a child process only; what ships may be opened here.
    """
    text, face = wish[:2]
    if is_confined() or not face.startswith(OWN):
        return _laid_out(*wish)
    return confined(_laid_out_by, shelves(), wish, name=f"The title “{text[:20]}”", bounds=_SETTING)


def _laid_out_by(where: tuple[Path, ...], wish: tuple[str, str, int, float, float]) -> _Layout:
    for folder in where:
        shelve(folder)
    return _laid_out(*wish)


def _laid_out(text: str, face: str, weight: int, spacing: float, line_spacing: float) -> _Layout:
    fonts = fonts_of(face, weight, _MEASURE)
    ascent, descent = (value / _MEASURE for value in fonts[0].getmetrics())
    lines = []
    for n, line in enumerate(text.splitlines() or [text]):
        base = ascent + n * line_spacing
        joins = _joins(line)
        runs = [(line, 0)] if joins else runs_of(face, fonts, line)
        if joins:
            runs_of(face, fonts[:1], line)  # refuses what it has no sign for
        pieces: list[tuple[str, float, int]] = []
        at = 0.0
        for run, font in runs:
            letters = [run] if joins or not spacing else _letters(run)
            # Measured as they follow one another, so that pairs keep their kerning.
            starts = [
                fonts[font].getlength("".join(letters[:k])) / _MEASURE + k * spacing * (not joins)
                for k in range(len(letters) + 1)
            ]
            pieces += [
                (each, at + start, font) for each, start in zip(letters, starts, strict=False)
            ]
            at += starts[-1]
        lines.append(_Line(tuple(pieces), max(0.0, at - spacing * (not joins)), base))
    height = ascent + descent + (len(lines) - 1) * line_spacing
    return max(0.1, *(line.width for line in lines), 0.0), height, tuple(lines)


def _joins(line: str) -> bool:
    """Whether a line is of a script whose letters join, or that runs from the right."""
    return any(unicodedata.bidirectional(letter) in ("R", "AL") for letter in line)


def _letters(line: str) -> list[str]:
    found: list[str] = []
    for letter in line:
        if found and unicodedata.combining(letter):
            found[-1] += letter
        else:
            found.append(letter)
    return found
