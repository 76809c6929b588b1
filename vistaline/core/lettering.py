"""Titles: text as something that stands on the stage.

Lines are shaped by HarfBuzz and put in reading order by FriBidi (through Pillow's raqm layout),
so scripts that join or run from the right come out as they are written. Lengths are in em: the
size of the type.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Literal, Self

import numpy as np
from PIL import Image, ImageDraw, ImageFont
from pydantic import AfterValidator, Field, model_validator

from vistaline.core.arrays import Rgba16
from vistaline.core.errors import ShotError
from vistaline.core.model import HexColour, Length, Part
from vistaline.core.picture.colour import hex_to_linear

__all__ = ["FACES", "LONGEST", "Face", "Title", "draw_title", "extents"]

LONGEST = 2000
"""Characters of a title: more is no title."""
_PACKAGES = Path(__file__).parents[2] / "node_modules"
_MEASURE = 256
_LARGEST_SIDE = 8192
_ROOM = 0.12
"""Em round the letters, for what reaches beyond their box."""


@dataclass(frozen=True)
class Face:
    """A family of type that ships: its files by weight; one file for all weights if variable."""

    words: str
    files: dict[int, str]
    variable: bool = False
    scripts: Literal["latin", "arabic"] = "latin"


FACES = {
    "source-sans": Face(
        "Source Sans",
        {400: "@fontsource-variable/source-sans-3/files/source-sans-3-latin-wght-normal.woff2"},
        variable=True,
    ),
    "playfair": Face(
        "Playfair Display",
        {
            400: "@fontsource-variable/playfair-display/files/"
            "playfair-display-latin-wght-normal.woff2"
        },
        variable=True,
    ),
    "bebas": Face(
        "Bebas Neue", {400: "@fontsource/bebas-neue/files/bebas-neue-latin-400-normal.woff2"}
    ),
    "courier": Face(
        "Courier Prime",
        {
            weight: f"@fontsource/courier-prime/files/courier-prime-latin-{weight}-normal.woff2"
            for weight in (400, 700)
        },
    ),
    "amiri": Face(
        "Amiri (Arabic)",
        {
            weight: f"@fontsource/amiri/files/amiri-arabic-{weight}-normal.woff2"
            for weight in (400, 700)
        },
        scripts="arabic",
    ),
}


def _known(face: str) -> str:
    if face not in FACES:
        raise ShotError(f"There is no type called {face!r}. Choose one of: {', '.join(FACES)}.")
    return face


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

    text: Annotated[str, AfterValidator(_written)]
    face: Annotated[str, AfterValidator(_known)] = "source-sans"
    weight: int = Field(600, ge=100, le=900)
    size: Length = Field(0.2, description="Metres: one em.")
    spacing: float = Field(0, ge=-0.2, le=2, description="Em added between letters.")
    line_spacing: float = Field(1.2, ge=0.5, le=4, description="Em from line to line.")
    align: Literal["left", "centre", "right"] = "centre"
    fill: HexColour | None = "#fff6e0"
    outline: HexColour | None = None
    outline_width: float = Field(0.03, gt=0, le=0.3, description="Em.")

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
    """Return a title as a picture (height, width, 4), ``em`` pixels to the em."""
    wide, tall = (side / title.size for side in extents(title))
    em = min(em, _LARGEST_SIDE / max(wide, tall))
    size = (max(1, round(wide * em)), max(1, round(tall * em)))
    stroke = title.outline_width * em if title.outline else 0.0
    letters = _mask(title, em, size, 0.0)
    light = np.zeros((size[1], size[0], 4))
    if title.fill:
        light += letters[..., None] * [*hex_to_linear(title.fill), 1.0]
    if title.outline:
        # Round the letters: what the thickened ones have more. Behind them, where both are.
        around = np.clip(_mask(title, em, size, stroke) - letters, 0, 1)
        light += around[..., None] * [*hex_to_linear(title.outline), 1.0]
    return np.rint(np.clip(light, 0, 1) * 65535).astype(np.uint16)


def _mask(title: Title, em: float, size: tuple[int, int], stroke: float) -> np.ndarray:
    """Return how much of each pixel letters cover, thickened by ``stroke`` pixels, 0..1."""
    width, _, lines = _set(title)
    # Drawn at four times the size and averaged: Pillow places letters at whole pixels.
    fine = max(1, min(4, int(16384 / max(size))))
    font = _font(title.face, title.weight, em * fine)
    image = Image.new("L", (size[0] * fine, size[1] * fine))
    draw = ImageDraw.Draw(image)
    room = _ROOM + (title.outline_width if title.outline else 0)
    for line in lines:
        slack = width - line.width
        left = room + {"left": 0.0, "centre": slack / 2, "right": slack}[title.align]
        for piece, at in line.pieces:
            draw.text(
                ((left + at) * em * fine, (room + line.base) * em * fine),
                piece,
                255,
                font,
                anchor="ls",
                stroke_width=stroke * fine,
            )
    small = image.reduce(fine) if fine > 1 else image
    return np.asarray(small, np.float64)[: size[1], : size[0]] / 255


@dataclass(frozen=True)
class _Line:
    pieces: tuple[tuple[str, float], ...]
    """Text that is drawn as one, and where it begins, in em."""
    width: float
    base: float
    """Of the letters, from the top."""


def _set(title: Title) -> tuple[float, float, tuple[_Line, ...]]:
    return _layout(title.text, title.face, title.weight, title.spacing, title.line_spacing)


@lru_cache(maxsize=256)
def _layout(
    text: str, face: str, weight: int, spacing: float, line_spacing: float
) -> tuple[float, float, tuple[_Line, ...]]:
    """Return width and height in em, and the lines."""
    font = _font(face, weight, _MEASURE)
    _refuse_missing(font, face, text)
    ascent, descent = (value / _MEASURE for value in font.getmetrics())
    lines = []
    for n, line in enumerate(text.splitlines() or [text]):
        base = ascent + n * line_spacing
        if not spacing or _joins(line):
            pieces: tuple[tuple[str, float], ...] = ((line, 0.0),)
            width = font.getlength(line) / _MEASURE
        else:
            letters = _letters(line)
            starts = [
                font.getlength("".join(letters[:k])) / _MEASURE + k * spacing
                for k in range(len(letters) + 1)
            ]
            pieces = tuple(zip(letters, starts, strict=False))
            width = starts[-1] - spacing if letters else 0.0
        lines.append(_Line(pieces, width, base))
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


def _refuse_missing(font: ImageFont.FreeTypeFont, face: str, text: str) -> None:
    nothing = bytes(font.getmask("\U0010fffe"))
    for letter in dict.fromkeys(text):
        if letter.isspace() or unicodedata.category(letter) in ("Cf", "Mn"):
            continue
        if bytes(font.getmask(letter)) == nothing:
            raise ShotError(
                f"{FACES[face].words} has no sign for “{letter}”. Choose another type, or leave "
                "it out."
            )


@lru_cache(maxsize=32)
def _font(face: str, weight: int, size: float) -> ImageFont.FreeTypeFont:
    found = FACES[face]
    nearest = min(found.files, key=lambda each: abs(each - weight))
    font = ImageFont.truetype(
        _PACKAGES / found.files[nearest], size, layout_engine=ImageFont.Layout.RAQM
    )
    if found.variable:
        axis = font.get_variation_axes()[0]
        least, most = axis["minimum"] or 0, axis["maximum"] or 1000
        font.set_variation_by_axes([min(max(weight, least), most)])
    return font
