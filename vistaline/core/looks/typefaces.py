"""The type there is: the families that ship, and those that people bring in.

A family's signs may be spread over several files (packages split them by script); a line is then
set in runs, each in the first file that has its signs.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from weakref import WeakKeyDictionary

from PIL import ImageFont

from vistaline.core.confined import Bounds, confined
from vistaline.core.errors import PictureError, ShotError
from vistaline.core.kept import Kept

__all__ = [
    "FACES",
    "OWN",
    "PACKAGES",
    "fonts_of",
    "known_face",
    "open_type",
    "runs_of",
    "shelve",
    "shelved",
    "shelves",
]

PACKAGES = Path(__file__).parents[3] / "node_modules"
OWN = "own-"
"""What the key of a face that somebody brought in begins with; the rest is its content's hash."""
_SHELVES: list[Path] = []
_TRIED = "".join(map(chr, [*range(0x20, 0x7F), *range(0xA0, 0x180)]))
"""Signs that are drawn before a font is accepted: printable ASCII, Latin-1, Latin Extended-A."""
_OPENING = Bounds(memory=300_000_000, seconds=20, output=0)


@dataclass(frozen=True)
class Face:
    """A family of type that ships: its files by weight; one set for all weights if variable."""

    words: str
    files: dict[int, tuple[str, ...]]
    variable: bool = False


def _package(name: str, weights: tuple[int, ...] = (), *scripts: str) -> dict[int, tuple[str, ...]]:
    """Return the files of a fontsource package by weight; no weights: it is variable."""
    short = name.rsplit("/", 1)[-1]
    ends = {weight: f"{weight}-normal" for weight in weights} or {400: "wght-normal"}
    return {
        weight: tuple(f"{name}/files/{short}-{script}-{end}.woff2" for script in scripts)
        for weight, end in ends.items()
    }


_LATIN = ("latin", "latin-ext")
FACES = {
    "source-sans": Face(
        "Source Sans",
        _package("@fontsource-variable/source-sans-3", (), *_LATIN),
        variable=True,
    ),
    "playfair": Face(
        "Playfair Display",
        _package("@fontsource-variable/playfair-display", (), *_LATIN),
        variable=True,
    ),
    "bebas": Face("Bebas Neue", _package("@fontsource/bebas-neue", (400,), *_LATIN)),
    "courier": Face("Courier Prime", _package("@fontsource/courier-prime", (400, 700), *_LATIN)),
    "amiri": Face("Amiri (Arabic)", _package("@fontsource/amiri", (400, 700), "arabic", *_LATIN)),
}


def shelve(folder: Path) -> None:
    """Look for type that people brought in also here: files named by their content's hash."""
    if folder not in _SHELVES:
        _SHELVES.append(folder)


def shelves() -> tuple[Path, ...]:
    """Return the folders that type is looked for in, for a process that has to know them, too."""
    return tuple(_SHELVES)


def known_face(face: str) -> str:
    """Return a face that a title may name; ShotError if there is none of that name."""
    if face not in FACES and not face.startswith(OWN):
        raise ShotError(f"There is no type called {face!r}. Choose one of: {', '.join(FACES)}.")
    return face


def face_words(face: str) -> str:
    """Return what people call a face."""
    if face in FACES:
        return FACES[face].words
    path = shelved(face)
    return open_type(path, path.name) if path else "The type of this title, which is not here,"


def open_type(path: Path, name: str) -> str:
    """Return the words for a TTF, OTF or WOFF2 file: its family and style.

    The file is opened, and all its signs that a title is likely to want are drawn, in a child
    process: damage often lies in the outlines.

    Raises
    ------
    ShotError
        It is not a font, or cannot be used.
    """
    try:
        return confined(_words_of, path, name, name=name, bounds=_OPENING)
    except PictureError as error:
        raise ShotError(str(error)) from error


def _words_of(path: Path, name: str) -> str:
    try:
        font = ImageFont.truetype(path, 32, layout_engine=ImageFont.Layout.RAQM)
        for letter in _TRIED:
            font.getmask(letter, stroke_width=2)
        for line in (_TRIED, _TRIED.upper()):
            font.getlength(line)
            font.getmask(line)
    except Exception as error:
        raise ShotError(
            f"{name} is not a font that can be used. Bring in a TTF, OTF or WOFF2 file."
        ) from error
    family, style = (part or "" for part in font.getname())
    return " ".join(part for part in (family, style if style != "Regular" else "") if part) or name


def shelved(face: str) -> Path | None:
    """Return the file of a face that was brought in; None if it is none, or is not here."""
    named = face.removeprefix(OWN)
    if not named.isalnum():
        return None
    return next((path for shelf in _SHELVES for path in shelf.glob(f"{named}*")), None)


_FONTS: Kept[tuple[ImageFont.FreeTypeFont, ...]] = Kept(
    "fonts", weigh=lambda fonts: 1_000_000 * len(fonts)
)
_SIGNS: WeakKeyDictionary[ImageFont.FreeTypeFont, dict[str, bool]] = WeakKeyDictionary()


def fonts_of(face: str, weight: int, size: float) -> tuple[ImageFont.FreeTypeFont, ...]:
    """Return a face's fonts at ``size`` pixels, the one with most of its signs first.

    A face that was brought in and is gone is stood in for by the first that ships.
    """
    return _FONTS.get((face, weight, size), lambda: _opened(face, weight, size))


def _opened(face: str, weight: int, size: float) -> tuple[ImageFont.FreeTypeFont, ...]:
    found = FACES.get(face)
    if found is None:
        path = shelved(face)
        if path is not None:
            return (_sized(path, size, None),)
        found = FACES["source-sans"]
    nearest = min(found.files, key=lambda each: abs(each - weight))
    wanted = weight if found.variable else None
    return tuple(_sized(PACKAGES / file, size, wanted) for file in found.files[nearest])


def _sized(path: Path, size: float, weight: int | None) -> ImageFont.FreeTypeFont:
    font = ImageFont.truetype(path, size, layout_engine=ImageFont.Layout.RAQM)
    if weight is not None:
        axis = font.get_variation_axes()[0]
        least, most = axis["minimum"] or 0, axis["maximum"] or 1000
        font.set_variation_by_axes([min(max(weight, least), most)])
    return font


def runs_of(
    face: str, fonts: tuple[ImageFont.FreeTypeFont, ...], line: str
) -> list[tuple[str, int]]:
    """Return a line in pieces, each with the font that has its signs.

    Raises
    ------
    ShotError
        None of them has one of the signs.
    """
    placed: list[tuple[str, int]] = []
    for letter in line:
        last = placed[-1][1] if placed else 0
        if letter.isspace() or unicodedata.category(letter) in ("Cf", "Mn"):
            placed.append((letter, last))  # goes with what it follows
            continue
        found = next((n for n, font in enumerate(fonts) if _has(font, letter)), None)
        if found is None:
            raise ShotError(
                f"{face_words(face)} has no sign for “{letter}”. Choose another type, or leave "
                "it out."
            )
        placed.append((letter, found))
    return [
        ("".join(letter for letter, _ in run), font)
        for font, run in groupby(placed, key=lambda each: each[1])
    ]


def _has(font: ImageFont.FreeTypeFont, letter: str) -> bool:
    known = _SIGNS.setdefault(font, {})
    if letter not in known:
        known[letter] = bytes(font.getmask(letter)) != bytes(font.getmask("\U0010fffe"))
    return known[letter]
