"""Starting, editing, undoing. Every edit is saved at once as a revision."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import NotFound, Refused
from vistaline.actions.history import Change, History
from vistaline.actions.nesting import emptied, nested_in, reference_to, with_inner
from vistaline.actions.pictures import Library
from vistaline.core import edits
from vistaline.core.edits.clipboard import clip_of
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.store.models import Person, Revision, ShotRow

__all__ = [
    "add_nested",
    "change_shot",
    "copy_layers",
    "create_shot",
    "current_shot",
    "import_shot_file",
    "paste_layers",
    "redo",
    "shot_at",
    "shot_now",
    "shots_showing",
    "undo",
    "undo_labels",
]


def create_shot(session: Session, project_id: int, shot: Shot, person_id: int | None) -> ShotRow:
    """Keep a new shot; its document is revision 1."""
    row = ShotRow(project_id=project_id, name=shot.name, position=1)
    session.add(row)
    session.flush()
    _history(session, row).start(shot, person_id)
    return row


def import_shot_file(
    session: Session, library: Library, project_id: int, path: Path, person_id: int | None
) -> ShotRow:
    """Bring a shot file in with its pictures."""
    shot, paths = read_shot_file(path)
    return _import(session, library, project_id, shot, paths, person_id)


def _import(
    session: Session,
    library: Library,
    project_id: int,
    shot: Shot,
    paths: Mapping[str, Path],
    person_id: int | None,
) -> ShotRow:
    """Bring a shot in, those that it shows first."""
    inner = {}
    for key, ref in shot.shots.items():
        if ref.document is not None:
            other = parse_shot(ref.document)
            own = {name: Path(each.file) for name, each in other.pictures.items()}
            row = _import(session, library, project_id, other, own, person_id)
            inner[key] = ref.evolve(file=reference_to(row).file, document=None)
    references = {}
    for key, picture_path in paths.items():
        with picture_path.open("rb") as stream:
            picture, _ = library.import_picture(
                session, project_id, picture_path.name, stream, rate=shot.pictures[key].rate
            )
        references[key] = shot.pictures[key].evolve(file=picture.file)
    changed = shot.evolve(pictures=references, shots=shot.shots | inner)
    return create_shot(session, project_id, changed, person_id)


def current_shot(session: Session, row: ShotRow) -> Shot:
    """Return the shot as it is now."""
    return _history(session, row).current()


def shot_now(session: Session, shot_id: int | None) -> Shot:
    """Return the shot with this number as it is now; NotFound if it is gone."""
    row = session.get(ShotRow, shot_id)
    if row is None:
        raise NotFound("The shot is gone.")
    return current_shot(session, row)


def shot_at(session: Session, row: ShotRow, position: int) -> Shot:
    """Return the shot as a revision of it was; NotFound if that is gone."""
    return _history(session, row).at(position)


def change_shot(
    session: Session,
    row: ShotRow,
    verb: str,
    arguments: Mapping[str, Any],
    change: Change,
    *,
    at: int = 0,
    auto_key: bool = False,
) -> Shot:
    """Make an edit at frame ``at`` and keep it; see :class:`History` and :func:`edits.apply`.

    Raises
    ------
    Conflict
        The shot is no longer at that version: somebody else changed it.
    EditError
        The edit makes no sense.
    """
    history = _history(session, row, change.key)
    if history.repeated():
        return history.current()
    history.must_be_at(change.version)
    shot = edits.apply(history.current(), verb, arguments, at=at, auto_key=auto_key)
    words = edits.label(verb)
    history.change(shot, words, version=change.version, person_id=change.person_id)
    return shot


def copy_layers(session: Session, row: ShotRow, layers: list[str], *, person_id: int) -> str:
    """Keep layers to be pasted later; returns words for them."""
    clip = clip_of(current_shot(session, row), layers)
    person = session.get_one(Person, person_id)
    kept = {"project": row.project_id, "clip": clip.model_dump(mode="json")}
    person.clipboard = json.dumps(kept)
    session.flush()
    return clip.layers[0].name if len(clip.layers) == 1 else f"{len(clip.layers)} layers"


def paste_layers(
    session: Session, row: ShotRow, *, version: int, person_id: int, key: str = ""
) -> Shot:
    """Put the layers a person copied last on a shot's stage.

    Raises
    ------
    Refused
        Nothing was copied, or it shows pictures of another project.
    """
    copied = session.get_one(Person, person_id).clipboard
    if not copied:
        raise Refused("Nothing was copied yet. Choose a layer and press Ctrl C.")
    kept = json.loads(copied)
    if kept["project"] != row.project_id and kept["clip"]["pictures"]:
        raise Refused(
            "What was copied shows pictures of another project. Bring them in here first."
        )
    arguments = {"clip": kept["clip"]}
    change = Change(version=version, person_id=person_id, key=key)
    return change_shot(session, row, "paste_layers", arguments, change)


def add_nested(session: Session, row: ShotRow, inner: ShotRow, change: Change, *, at: int) -> Shot:
    """Put another shot of the project on a shot's stage; Refused if the two would be a circle."""
    values = {"nested": nested_in(session, row, inner)}
    return change_shot(session, row, "add_nested", values, change, at=at)


def undo(session: Session, row: ShotRow, *, version: int, key: str = "") -> None:
    """Go back one revision; does nothing at the first."""
    _history(session, row, key).undo(version=version)


def redo(session: Session, row: ShotRow, *, version: int, key: str = "") -> None:
    """Go forward one revision; does nothing at the last."""
    _history(session, row, key).redo(version=version)


def undo_labels(session: Session, row: ShotRow) -> tuple[str | None, str | None]:
    """Return what undo would take back and what redo would bring again."""
    return _history(session, row).labels()


def shots_showing(session: Session, project_id: int, *files: str) -> list[str]:
    """Return the names of a project's shots that show one of these stored pictures."""
    rows = session.scalars(select(ShotRow).where(ShotRow.project_id == project_id))
    return [
        row.name
        for row in rows
        if any(ref.file in files for ref in current_shot(session, row).pictures.values())
    ]


def _history(session: Session, row: ShotRow, key: str = "") -> History[Shot]:
    return History(
        session=session,
        row=row,
        revisions=Revision,
        parse=lambda document: with_inner(session, parse_shot(document), frozenset({row.id})),
        dump=lambda shot: dump_shot(emptied(shot)),
        name=row.name,
        columns=lambda shot: {"name": shot.name},
        key=key,
    )
