"""A project's film: shots in a row, as they are now."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.history import Change, History
from vistaline.actions.shots import current_shot
from vistaline.core.film import edits
from vistaline.core.film.film import Film, ShotRef, dump_film, parse_film
from vistaline.core.formats.shotfile import load_json
from vistaline.core.shot.document import dump_shot
from vistaline.core.shot.shot import Shot
from vistaline.store.models import FilmRevision, FilmRow, Project, ShotRow

__all__ = [
    "add_shot",
    "change_film",
    "current_film",
    "film_of",
    "import_film_file",
    "redo",
    "shot_rows",
    "shots_of_film",
    "undo",
    "undo_labels",
    "whole_film",
]

_FILE = "shot:"
"""Before the id of a shot, in place of its file's name."""


def film_of(session: Session, project: Project) -> FilmRow:
    """Return a project's film; it is begun if there is none yet."""
    found = session.scalar(select(FilmRow).where(FilmRow.project_id == project.id))
    if found is None:
        found = FilmRow(project_id=project.id)
        session.add(found)
        session.flush()
        _history(session, found).start(Film(name=project.name), None)
    return found


def current_film(session: Session, row: FilmRow) -> Film:
    """Return the film as it is now, and what it says of its shots as they are now."""
    return _told(session, row, _history(session, row).current())


def shot_rows(session: Session, film: Film) -> dict[str, ShotRow]:
    """Return the rows of a film's shots, by the film's keys."""
    ids = {key: int(ref.file.removeprefix(_FILE)) for key, ref in film.shots.items()}
    rows = {
        row.id: row for row in session.scalars(select(ShotRow).where(ShotRow.id.in_(ids.values())))
    }
    return {key: rows[shot_id] for key, shot_id in ids.items() if shot_id in rows}


def shots_of_film(session: Session, film: Film) -> dict[str, Shot]:
    """Return a film's shots as they are now, by the film's keys."""
    return {key: current_shot(session, row) for key, row in shot_rows(session, film).items()}


def whole_film(session: Session, row: FilmRow) -> Film:
    """Return the film with its shots as they are now, which it carries along."""
    film = current_film(session, row)
    shots, rows = shots_of_film(session, film), shot_rows(session, film)
    carried = {
        key: ref.evolve(document=dump_shot(shots[key]), version=rows[key].version)
        for key, ref in film.shots.items()
    }
    return film.evolve(shots=carried)


def change_film(
    session: Session, row: FilmRow, verb: str, arguments: Mapping[str, Any], change: Change
) -> Film:
    """Make an edit and keep it.

    Raises
    ------
    Conflict
        The film is no longer at that version: somebody else changed it.
    EditError
        The edit makes no sense.
    """
    history = _history(session, row, change.key)
    if history.repeated():
        return current_film(session, row)
    history.must_be_at(change.version)
    film = edits.apply(_told(session, row, history.current()), verb, arguments)
    history.change(film, edits.label(verb), version=change.version, person_id=change.person_id)
    return film


def add_shot(
    session: Session, row: FilmRow, shot: ShotRow, change: Change, *, at: int | None = None
) -> Film:
    """Add all of a shot of the film's project to it, at its end or ``at`` a place."""
    if shot.project_id != row.project_id:
        raise Refused("That shot is of another project. A film shows shots of its own.")
    now = current_shot(session, shot)
    ref = ShotRef(file=f"{_FILE}{shot.id}", name=now.name, frames=now.duration, rate=now.frame.rate)
    values = {"key": f"s{shot.id}", "shot": ref, "at": at}
    return change_film(session, row, "add_piece", values, change)


def import_film_file(
    session: Session, project: Project, path: Path, shots: Mapping[str, ShotRow]
) -> FilmRow:
    """Bring a film file in as a project's film, of shots that were brought in already.

    ``shots``: by the names of their files, as the film has them.
    """
    film, row = parse_film(load_json(path)), film_of(session, project)
    refs = {key: ref.evolve(file=f"{_FILE}{shots[ref.file].id}") for key, ref in film.shots.items()}
    change = Change(version=row.version, person_id=None)
    history = _history(session, row)
    brought = _told(session, row, film.evolve(shots=refs))
    history.change(brought, "film brought in", version=change.version, person_id=None)
    return row


def undo(session: Session, row: FilmRow, *, version: int, key: str = "") -> None:
    """Go back one revision; does nothing at the first."""
    _history(session, row, key).undo(version=version)


def redo(session: Session, row: FilmRow, *, version: int, key: str = "") -> None:
    """Go forward one revision; does nothing at the last."""
    _history(session, row, key).redo(version=version)


def undo_labels(session: Session, row: FilmRow) -> tuple[str | None, str | None]:
    """Return what undo would take back and what redo would bring again."""
    return _history(session, row).labels()


def _told(session: Session, row: FilmRow, film: Film) -> Film:
    """Return a film without shots that are gone, and with what the others are now."""
    rows = shot_rows(session, film)
    shots = {key: current_shot(session, each) for key, each in rows.items()}
    pieces = tuple(piece for piece in film.pieces if piece.shot in shots)
    if pieces != film.pieces and pieces and pieces[0].join:
        pieces = (pieces[0].evolve(join=None), *pieces[1:])
    refs = {
        key: film.shots[key].evolve(
            name=shot.name, frames=shot.duration, rate=shot.frame.rate, version=rows[key].version
        )
        for key, shot in shots.items()
    }
    return film.evolve(shots=refs, pieces=pieces)


def _history(session: Session, row: FilmRow, key: str = "") -> History[Film]:
    return History(
        session=session,
        row=row,
        revisions=FilmRevision,
        parse=parse_film,
        dump=dump_film,
        name="The film",
        key=key,
    )
