"""Whatever can be rendered: a shot, or a film of several, told by one document."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from vistaline.core.errors import ShotError
from vistaline.core.film.film import Film, parse_film
from vistaline.core.film.timeline import Timeline
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.film import FilmFrames, film_at, told_by_shots
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.render.frames import Frames
from vistaline.core.render.source import STANDARD, Quality
from vistaline.core.shot.document import parse_shot
from vistaline.core.shot.shot import Shot

__all__ = [
    "LooksOf",
    "Reel",
    "carried",
    "duration_of",
    "frames_of",
    "parse_reel",
    "reel_at",
    "shots_in",
]

Reel = Shot | Film
LooksOf = Callable[[Shot], Mapping[str, Pyramid]]


def parse_reel(document: Any) -> Reel:
    """Return the shot, or the film, that a document describes; ShotError if it makes no sense."""
    is_film = isinstance(document, dict) and "vistaline_film" in document
    return parse_film(document) if is_film else parse_shot(document)


def carried(film: Film) -> dict[str, Shot]:
    """Return the shots that a film carries along, by its keys.

    Raises
    ------
    ShotError
        It only names one of them.
    """
    found = {}
    for key, ref in film.shots.items():
        if ref.document is None:
            raise ShotError(f"The film only names {ref.file!r}; its shots must be read first.")
        found[key] = parse_shot(ref.document)
    return found


def reel_at(reel: Reel, scale: float) -> Reel:
    """Return a shot or film with frames ``scale`` times as large, in whole even pixels."""
    return scaled(reel, scale) if isinstance(reel, Shot) else film_at(reel, scale)


def duration_of(reel: Reel) -> int:
    """Return how many frames it has; a film must carry its shots."""
    if isinstance(reel, Shot):
        return reel.duration
    return Timeline(told_by_shots(reel, carried(reel))).duration


def shots_in(reel: Reel) -> list[Shot]:
    """Return the shot itself, or those that a film carries."""
    return [reel] if isinstance(reel, Shot) else [*carried(reel).values()]


def frames_of(
    reel: Reel, looks_of: LooksOf, *, quality: Quality = STANDARD, threads: int | None = None
) -> Frames:
    """Return what renders a shot, or a film that carries its shots."""
    if isinstance(reel, Shot):
        return Renderer(reel, looks_of(reel), quality=quality, threads=threads)
    return FilmFrames(reel, carried(reel), looks_of, quality=quality, threads=threads)
