"""Film files, which name shot files beside them, read together with what they name."""

from __future__ import annotations

import json
from pathlib import Path

from vistaline.core.files import write_atomically
from vistaline.core.film.film import Film, dump_film, parse_film
from vistaline.core.formats.shotfile import (
    beside,
    completed,
    load_json,
    picture_paths,
    read_shot_file,
    with_paths,
)
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot

__all__ = ["read_reel_file", "write_film_file"]


def read_reel_file(path: Path) -> Shot | Film:
    """Return the shot or the film of a file, its pictures named by their whole paths.

    A film carries its shots along, whether its file did or named theirs.

    Raises
    ------
    ShotError
        A file cannot be read, is not JSON, or makes no sense.
    PictureError
        A picture is missing, lies outside its file's folder, or cannot be read.
    """
    document = load_json(path)
    if not (isinstance(document, dict) and "vistaline_film" in document):
        return with_paths(*read_shot_file(path))
    film, folder = parse_film(document), path.parent.resolve()
    carried = {}
    for key, ref in film.shots.items():
        if ref.document is None:
            shot, pictures = read_shot_file(beside(folder, ref.file))
        else:
            shot = parse_shot(ref.document)
            pictures = picture_paths(shot, folder)
            shot = completed(shot, pictures)
        carried[key] = ref.evolve(
            name=shot.name,
            frames=shot.duration,
            rate=shot.frame.rate,
            document=dump_shot(with_paths(shot, pictures)),
        )
    return film.evolve(shots=carried)


def write_film_file(film: Film, path: Path, shots: dict[str, str]) -> None:
    """Write a film with ``shots`` (relative paths by key) in place of what it names."""
    named = film.evolve(
        shots={key: ref.evolve(file=shots[key], document=None) for key, ref in film.shots.items()}
    )
    write_atomically(path, (json.dumps(dump_film(named), indent=2) + "\n").encode())
