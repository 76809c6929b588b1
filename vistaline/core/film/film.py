"""A film: shots in a row, each from one frame to another, and how they are joined. Also its file.

The film file names its shots as a shot file names its pictures: by paths relative to itself.
"""

from __future__ import annotations

from enum import StrEnum
from fractions import Fraction
from typing import Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from vistaline.core.easing import EaseName
from vistaline.core.errors import ShotError
from vistaline.core.explaining import explain
from vistaline.core.model import Degrees, HexColour, Part, Share
from vistaline.core.shot.files import check_version, published
from vistaline.core.shot.frame_format import Rate
from vistaline.core.shot.layouts import Side

__all__ = [
    "MOST_PIECES",
    "OVERLAPPING",
    "Film",
    "FilmFormat",
    "Join",
    "JoinKind",
    "Piece",
    "ShotRef",
    "dump_film",
    "film_schema",
    "parse_film",
]

MOST_PIECES = 200
FILM_VERSION = 1


class JoinKind(StrEnum):
    """How one piece follows another, if not by a cut."""

    DISSOLVE = "dissolve"
    DIP = "dip"
    """Through a colour: the first goes to it, the second comes out of it."""
    WIPE = "wipe"
    PUSH = "push"
    SWISH = "swish"
    """The first is torn aside, the second arrives as fast: both as by one turn of the camera."""


OVERLAPPING = (JoinKind.DISSOLVE, JoinKind.WIPE, JoinKind.PUSH)
"""Joins at which both pieces run at once; at the others they follow each other."""


class Join(Part):
    """How a piece is joined to the one before it."""

    kind: JoinKind = JoinKind.DISSOLVE
    frames: int = Field(12, ge=2, le=1000, description="How long it takes, in the film's frames.")
    colour: HexColour = Field("#000000", description="What a dip goes through.")
    angle: Degrees = Field(
        90, description="Where a wipe's edge goes: 0 upwards, 90 to the right, as in CSS."
    )
    softness: Share = Field(0.1, description="Of a wipe's edge, as a share of its way.")
    side: Side = Field(Side.LEFT, description="Where a push or a swish takes the pictures.")
    ease: EaseName = Field("ease-in-out", description="Of wipes and pushes.")


class ShotRef(Part):
    """A shot that the film shows."""

    file: str = Field(min_length=1, max_length=500, description="Its file, relative to the film's.")
    name: str = Field("", max_length=120)
    version: int | None = Field(
        None, ge=1, description="Which version of it was shown when this was written."
    )
    frames: int | None = Field(None, ge=1, description="How long it is; the shot itself tells it.")
    rate: Rate | None = Field(None, description="Its own; the shot itself tells it.")
    document: dict[str, Any] | None = Field(
        None, description="The shot itself, where the film carries it along."
    )


class Piece(Part):
    """A stretch of a shot."""

    id: str = Field(min_length=1, max_length=20)
    shot: str = Field(min_length=1, max_length=80, description="A key of the film's shots.")
    first: int = Field(0, ge=0, le=1_000_000, description="The shot's frame it begins with.")
    last: int | None = Field(
        None, ge=0, le=1_000_000, description="The shot's frame it ends with; left out: its last."
    )
    join: Join | None = Field(
        None,
        description="How it follows the piece before it; left out: by a cut. The film's first "
        "piece can come out of a colour.",
    )

    @model_validator(mode="after")
    def _has_frames(self) -> Self:
        if self.last is not None and self.last < self.first:
            raise ShotError(
                f"A piece cannot end with frame {self.last}, before its first, {self.first}.",
                field="last",
            )
        return self


class FilmFormat(Part):
    """The size of a film's frames in pixels, and its rate."""

    width: int = Field(1920, ge=16, le=8192, multiple_of=2)
    height: int = Field(1080, ge=16, le=8192, multiple_of=2)
    rate: Rate = Fraction(24)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.width, self.height


class Film(Part):
    """Shots in a row."""

    vistaline_film: Literal[1] = Field(1, description="Version of the film file.")
    name: str = Field("Film", min_length=1, max_length=120)
    frame: FilmFormat = FilmFormat()
    shots: dict[str, ShotRef] = Field(default_factory=dict, max_length=MOST_PIECES)
    pieces: tuple[Piece, ...] = Field((), max_length=MOST_PIECES)
    closing: Join | None = Field(
        None, description="A dip: the last piece goes to a colour. Left out: it just ends."
    )

    @model_validator(mode="after")
    def _fits_together(self) -> Self:
        ids = [piece.id for piece in self.pieces]
        if len({*ids}) < len(ids):
            raise ShotError("Two pieces have one id; each needs its own.", field="pieces")
        for n, piece in enumerate(self.pieces):
            if piece.shot not in self.shots:
                raise ShotError(
                    f"Piece {n + 1} shows {piece.shot!r}, which is not among the film's shots.",
                    field=f"pieces.{n}.shot",
                )
        first = self.pieces[0].join if self.pieces else None
        for place, join in (("pieces.0.join", first), ("closing", self.closing)):
            if join and join.kind is not JoinKind.DIP:
                raise ShotError(
                    "A film begins and ends with nothing beside it: there it can only dip from or "
                    "to a colour.",
                    field=place,
                )
        return self

    def piece(self, piece_id: str) -> Piece:
        """Return the piece with this id; ShotError if there is none."""
        for piece in self.pieces:
            if piece.id == piece_id:
                return piece
        raise ShotError(f"There is no piece {piece_id!r} in this film (it may have been removed).")


def parse_film(document: Any) -> Film:
    """Return the film a document describes.

    Raises
    ------
    ShotError
        With one sentence that names the field.
    """
    check_version(document, "vistaline_film", FILM_VERSION, "film")
    try:
        return Film.model_validate(document)
    except ValidationError as error:
        raise explain(error, Film) from error


def dump_film(film: Film) -> dict[str, Any]:
    """Return the document of a film: what JSON can hold, with defaults left out."""
    document = film.model_dump(mode="json", exclude_defaults=True)
    return {"vistaline_film": film.vistaline_film, "name": film.name} | document


def film_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of the film file."""
    return published(Film, "vistaline_film", f"Vistaline film file, version {FILM_VERSION}")
