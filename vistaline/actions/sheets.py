"""A picture's sheet: found, edited, undone; and what follows when its preparing changes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.history import Change, History
from vistaline.actions.tasks import Subject, start_task, tasks_of
from vistaline.core.depth.sources import FromMap
from vistaline.core.formats.incoming import header_of
from vistaline.core.separate.cutset import OWN_DEPTH, DepthBand
from vistaline.core.sheet.edits import apply, label
from vistaline.core.sheet.sheet import Sheet, dump_sheet, parse_sheet
from vistaline.store.files import FileStore
from vistaline.store.models import (
    Picture,
    PictureTask,
    SheetRevision,
    SheetRow,
    TaskKind,
)

__all__ = ["change_sheet", "current_sheet", "redo", "sheet_of", "undo", "undo_labels"]


def sheet_of(session: Session, files: FileStore, picture: Picture) -> SheetRow:
    """Return a picture's sheet; an empty one is started for a picture that has none.

    Raises
    ------
    Refused
        The picture moves.
    """
    if picture.moving:
        raise Refused(
            f"{picture.name} moves; only still pictures are prepared and cut. Bring a frame of "
            "it in as a picture, beside it on Pictures."
        )
    row = session.scalar(select(SheetRow).where(SheetRow.picture_id == picture.id))
    if row is None:
        info = header_of(files.path(picture.original), picture.name)
        row = SheetRow(picture_id=picture.id, position=1)
        session.add(row)
        session.flush()
        _history(session, row).start(Sheet(size=(info.width, info.height)), None)
    return row


def current_sheet(session: Session, row: SheetRow) -> Sheet:
    """Return the sheet as it is now."""
    return _history(session, row).current()


def change_sheet(
    session: Session,
    row: SheetRow,
    verb: str,
    arguments: Mapping[str, Any],
    change: Change,
) -> PictureTask | None:
    """Make an edit and keep it; returns the task to announce if it changed the preparing.

    Raises
    ------
    Conflict
        The sheet is no longer at that version.
    EditError
        The edit makes no sense.
    """
    history = _history(session, row, change.key)
    if history.repeated():
        return None
    history.must_be_at(change.version)
    before = history.current()
    after = apply(before, verb, arguments)
    _check_files(session, row.picture, before, after)
    history.change(after, label(verb), version=change.version, person_id=change.person_id)
    return _prepare_anew(session, row, before, after, change.person_id)


def undo(session: Session, row: SheetRow, *, version: int, key: str = "") -> PictureTask | None:
    """Go back one revision; returns a task as :func:`change_sheet` does."""
    return _stepped(session, row, version, key, back=True)


def redo(session: Session, row: SheetRow, *, version: int, key: str = "") -> PictureTask | None:
    """Go forward one revision; returns a task as :func:`change_sheet` does."""
    return _stepped(session, row, version, key, back=False)


def undo_labels(session: Session, row: SheetRow) -> tuple[str | None, str | None]:
    """Return what undo would take back and what redo would bring again."""
    return _history(session, row).labels()


def _files_in(sheet: Sheet) -> set[str]:
    maps = {
        step.map
        for cutout in sheet.cutset.cutouts
        for step in cutout.steps
        if isinstance(step, DepthBand) and step.map != OWN_DEPTH
    }
    maps |= {step.file for step in sheet.depth.steps if isinstance(step, FromMap)}
    return maps | {plate.file for plate in sheet.plates}


def _check_files(session: Session, picture: Picture, before: Sheet, after: Sheet) -> None:
    """Refuse a file that is no picture of the project and was not made for this picture.

    A file comes in as a word of a form; without this it could name anything on the server.
    """
    named = _files_in(after) - _files_in(before)
    if not named:
        return
    known = set(
        session.scalars(select(Picture.file).where(Picture.project_id == picture.project_id))
    )
    made = tasks_of(
        session, picture.project_id, (TaskKind.FILL, TaskKind.DEPTH), picture_id=picture.id
    )
    known.update(task.result.get("file", "") for task in made)
    if not named <= known:
        raise Refused("That file is not one of this project's. Choose from the list.")


def _stepped(
    session: Session, row: SheetRow, version: int, key: str, *, back: bool
) -> PictureTask | None:
    history = _history(session, row, key)
    if history.repeated():
        return None
    before = history.current()
    if back:
        history.undo(version=version)
    else:
        history.redo(version=version)
    return _prepare_anew(session, row, before, history.current(), None)


def _prepare_anew(
    session: Session, row: SheetRow, before: Sheet, after: Sheet, person_id: int | None
) -> PictureTask | None:
    if before.prepare == after.prepare:
        return None
    # What is under way prepares by steps that are no longer wanted; its worker stops by itself.
    session.execute(
        delete(PictureTask).where(
            PictureTask.picture_id == row.picture_id,
            PictureTask.kind == TaskKind.PREPARE,
        )
    )
    picture = row.picture
    return start_task(
        session,
        picture.project_id,
        TaskKind.PREPARE,
        picture.name,
        of=Subject(picture_id=picture.id),
        person_id=person_id,
    )


def _history(session: Session, row: SheetRow, key: str = "") -> History[Sheet]:
    return History(
        session=session,
        row=row,
        revisions=SheetRevision,
        parse=parse_sheet,
        dump=dump_sheet,
        name=row.picture.name,
        key=key,
    )
