"""Titles: text as something that stands on the stage.

Lines are shaped by HarfBuzz and put in reading order by FriBidi (through Pillow's raqm layout),
so scripts that join or run from the right come out as they are written. Lengths are in em: the
size of the type.
"""

from __future__ import annotations

import math
import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal, Self

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont
from pydantic import AfterValidator, Field, model_validator

from vistaline.core.arrays import Rgba16
from vistaline.core.confined import Bounds, confined, is_confined
from vistaline.core.errors import ShotError
from vistaline.core.kept import Kept
from vistaline.core.keyable import COLOUR, PERCENT, SHARE, SIZE, Keyed, Kind
from vistaline.core.looks.frame_styles import rounded
from vistaline.core.looks.text_paths import box_along, is_straight
from vistaline.core.looks.typefaces import OWN, fonts_of, known_face, runs_of, shelve, shelves
from vistaline.core.model import HexColour, Length, Part, Share
from vistaline.core.picture.colour import hex_to_linear

__all__ = [
    "DRAWING",
    "Placed",
    "Title",
    "TitleBox",
    "draw_title",
    "drawn_letters",
    "extents",
    "joins",
    "lines_of",
]

LONGEST = 2000
"""Characters of a title: more is no title."""
_MEASURE = 256
_LARGEST_SIDE = 8192
_MOST_PIXELS = 32_000_000
"""Of a title, however long its lines: it takes eight bytes each, and a quarter more as levels."""
_MOST_FINE = 256_000_000
"""Pixels letters are drawn with before they are averaged, at one byte each."""
_Em = Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)]
_STRIP = 256
"""Rows that are coloured at a time."""
DRAWING = Bounds(memory=1_400_000_000, seconds=120)
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


class TitleBox(Part):
    """What stands behind a title's letters, and is as large as they ask for."""

    colour: Annotated[HexColour, Keyed("Box", "box", **COLOUR)] = "#1c2738"
    opacity: Annotated[Share, Keyed("Box opacity", "box_opacity", looks=True, **SHARE)] = 0.85
    padding: Annotated[float, Keyed("Padding", looks=True, low=0, high=3, **PERCENT)] = Field(
        0.3, ge=0, le=3, description="Em, round the letters."
    )
    corner: Share = Field(0.0, description="How round its corners are; 1: half its height.")


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
    box: TitleBox | None = None
    bend: Annotated[
        Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)],
        Keyed("Bent", looks=True, unit="°", low=-360.0, high=360.0),
    ] = Field(0.0, description="Along an arc of so many degrees, its ends down.")
    path: tuple[tuple[_Em, _Em], ...] = Field(
        (), max_length=512, description="Along a path through these points: em, y up."
    )
    style: str = Field("", max_length=80, description="The title style it has, by name.")

    @model_validator(mode="after")
    def _can_be_set(self) -> Self:
        if self.fill is None and self.outline is None:
            raise ShotError("A title needs a fill or an outline, or it cannot be seen.")
        if len(self.path) == 1:
            raise ShotError("A path goes through two points or more. Draw a longer line.")
        if self.box and self.bends:
            raise ShotError("A title along an arc or a path has no box. Take one of them away.")
        extents(self)
        return self

    @property
    def bends(self) -> bool:
        """Whether its letters stand along an arc or a path."""
        return not is_straight(self.bend, self.path)


def room_round(title: Title) -> float:
    """Return how many em the letters have round them: for what reaches beyond, and for a box."""
    room = _ROOM + (title.outline_width if title.outline else 0)
    return max(room, title.box.padding) if title.box else room


def extents(title: Title) -> tuple[float, float]:
    """Return the width and height in metres of the card that holds a title."""
    width, height, _ = _set(title)
    room = 2 * room_round(title)
    if title.bends:
        _, box = box_along(title.bend, title.path, width + room, height + room)
        return float(box[0]) * title.size, float(box[1]) * title.size
    return (width + room) * title.size, (height + room) * title.size


def draw_title(title: Title, *, em: float) -> Rgba16:
    """Return a title as a picture (height, width, 4), ``em`` pixels to the em.

    It is drawn in a child process: the text, and often the type, are somebody's own.
    """
    return confined(
        _drawn, title, em, shelves(), name=f"The title “{title.text[:20]}”", bounds=DRAWING
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
    behind = _boxed(title, em, size)
    for top in range(0, size[1], _STRIP):
        rows = slice(top, top + _STRIP)
        strip = np.zeros((len(letters[rows]), size[0], 4))
        if title.fill:
            covered = letters[rows].astype(np.float64) / 255
            strip += covered[..., None] * [*hex_to_linear(title.fill), 1.0]
        if title.outline and around is not None:
            covered = around[rows].astype(np.float64) / 255
            strip += covered[..., None] * [*hex_to_linear(title.outline), 1.0]
        if title.box and behind is not None:
            back = behind[rows].astype(np.float64)[..., None] * title.box.opacity
            strip += (1 - strip[..., 3:]) * back * [*hex_to_linear(title.box.colour), 1.0]
        light[rows] = np.rint(np.clip(strip, 0, 1) * 65535)
    return light


def _boxed(title: Title, em: float, size: tuple[int, int]) -> np.ndarray | None:
    """Return how much of each pixel a title's box covers, 0..1."""
    if title.box is None:
        return None
    inset = round((room_round(title) - title.box.padding) * em)
    width, height = size[0] - 2 * inset, size[1] - 2 * inset
    found = np.zeros((size[1], size[0]), np.float32)
    radius = title.box.corner * min(width, height) / 2
    found[inset : inset + height, inset : inset + width] = rounded(width, height, radius)
    return found


def drawn_letters(
    title: Title, letters: Sequence[Placed], em: float, size: tuple[int, int]
) -> tuple[int, int, np.ndarray]:
    """Return some letters of a title that is drawn ``size`` large: the left and the top of a mask,
    and that (rows, columns), 0..255; with their outline, as they lie in it."""
    stroke = title.outline_width * em if title.outline else 0.0
    room = room_round(title)
    fine = 2
    fonts = fonts_of(title.face, title.weight, em * fine)
    wide, left = _set(title)[0], min(each.left for each in letters)
    slack = wide - letters[0].line_width
    shift = room + {"left": 0.0, "centre": slack / 2, "right": slack}[title.align]
    right = max(each.right for each in letters)
    x0 = max(0, int((shift + left - 0.5) * em - stroke))
    x1 = min(size[0], math.ceil((shift + right + 0.5) * em + stroke))
    base = (room + letters[0].base) * em
    y0, y1 = max(0, int(base - 1.6 * em - stroke)), min(size[1], math.ceil(base + em + stroke))
    image = Image.new("L", (max(x1 - x0, 1) * fine, max(y1 - y0, 1) * fine))
    draw = ImageDraw.Draw(image)
    for run in _runs(letters):
        draw.text(
            (((shift + run[0].left) * em - x0) * fine, (base - y0) * fine),
            "".join(each.text for each in run),
            255,
            fonts[run[0].font],
            anchor="ls",
            stroke_width=stroke * fine,
        )
    return x0, y0, np.asarray(image.reduce(fine))


def _runs(letters: Sequence[Placed]) -> list[list[Placed]]:
    """Return letters that are drawn as one: those of one font that follow each other."""
    found: list[list[Placed]] = []
    for each in letters:
        last = found[-1][-1] if found else None
        if last and last.font == each.font and abs(last.right - each.left) < 1e-6:
            found[-1].append(each)
        else:
            found.append([each])
    return found


def lines_of(title: Title) -> tuple[tuple[Placed, ...], ...]:
    """Return the letters of a title, line by line, in reading order.

    Words that join, or are read from the right, are not parted: they stand for letters.
    """
    return tuple(line.letters for line in _set(title)[2])


def _mask(title: Title, em: float, size: tuple[int, int], stroke: float) -> np.ndarray:
    """Return how much of each pixel letters cover, thickened by ``stroke`` pixels, 0..255."""
    width, _, lines = _set(title)
    # Drawn at four times the size and averaged: Pillow places letters at whole pixels.
    fine = max(1, min(4, int(16384 / max(size)), int(math.sqrt(_MOST_FINE / (size[0] * size[1])))))
    fonts = fonts_of(title.face, title.weight, em * fine)
    image = Image.new("L", (size[0] * fine, size[1] * fine))
    draw = ImageDraw.Draw(image)
    room = room_round(title)
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
class Placed:
    """A letter, or a word that is not parted, where it stands in its line."""

    text: str
    left: float
    """Em from where the line begins."""
    right: float
    font: int
    """Which of the face's."""
    base: float
    """Em from the top to the letters' foot."""
    line_width: float


@dataclass(frozen=True)
class _Line:
    pieces: tuple[tuple[str, float, int], ...]
    """Text that is drawn as one, where it begins, in em, and in which of the face's fonts."""
    width: float
    base: float
    """Of the letters, from the top."""
    letters: tuple[Placed, ...] = ()


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
        joined = joins(line)
        runs = [(line, 0)] if joined else runs_of(face, fonts, line)
        if joined:
            runs_of(face, fonts[:1], line)  # refuses what it has no sign for
        pieces: list[tuple[str, float, int]] = []
        at = 0.0
        parted: list[tuple[str, float, float, int]] = []
        for run, font in runs:
            if not joined:
                parted += _parted(run, font, fonts[font], at, spacing)
            letters = [run] if joined or not spacing else _letters(run)
            # Measured as they follow one another, so that pairs keep their kerning.
            starts = [
                fonts[font].getlength("".join(letters[:k])) / _MEASURE + k * spacing * (not joined)
                for k in range(len(letters) + 1)
            ]
            pieces += [
                (each, at + start, font) for each, start in zip(letters, starts, strict=False)
            ]
            at += starts[-1]
        width = max(0.0, at - spacing * (not joined))
        if joined:
            parted = _words_from_the_right(line, fonts[0], width)
        placed = tuple(Placed(*each, base, width) for each in parted)
        lines.append(_Line(tuple(pieces), width, base, placed))
    height = ascent + descent + (len(lines) - 1) * line_spacing
    return max(0.1, *(line.width for line in lines), 0.0), height, tuple(lines)


def _parted(
    run: str, font: int, drawn: ImageFont.FreeTypeFont, at: float, spacing: float
) -> list[tuple[str, float, float, int]]:
    """Return the letters of a run, each from where it stands to where the next one does.

    Measured with the next letter, without it alone: pairs keep their kerning.
    """
    letters = _letters(run)
    ends = [at]
    for k, letter in enumerate([*letters[1:], ""], 1):
        upto = drawn.getlength("".join(letters[:k]) + letter) - drawn.getlength(letter)
        ends.append(at + upto / _MEASURE + k * spacing)
    return [(each, ends[k], ends[k + 1], font) for k, each in enumerate(letters)]


def _words_from_the_right(
    line: str, font: ImageFont.FreeTypeFont, width: float
) -> list[tuple[str, float, float, int]]:
    """Return the words of a line that is read from the right, with spaces between them.

    One in which some words are read from the left, too, stays whole: it is not known here where
    each of them stands.
    """
    strong = {unicodedata.bidirectional(letter) for letter in line} & {"L", "R", "AL", "EN", "AN"}
    if strong - {"R", "AL"}:
        return [(line, 0.0, width, 0)]
    found: list[tuple[str, float, float, int]] = []
    before = ""
    for word in re.findall(r"\S+|\s+", line):
        start = width - font.getlength(before) / _MEASURE
        before += word
        end = width - font.getlength(before) / _MEASURE
        found.append((word, end, start, 0))
    return found


def joins(line: str) -> bool:
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
