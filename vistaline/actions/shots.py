"""Starting, editing, undoing. Every edit is saved at once as a revision."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from vistaline.actions.errors import Conflict, Refused
from vistaline.actions.pictures import Library
from vistaline.core import edit
from vistaline.core.errors import CoreError
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.core.optics import DEFAULT_LENS, covering_focal_length
from vistaline.core.picture.decode import decode_picture
from vistaline.core.picture.register import find_place
from vistaline.core.shot import (
    Box,
    FrameFormat,
    Framing,
    Layer,
    PictureRef,
    Route,
    Shot,
    TakingCamera,
    dump_shot,
    explain,
    fit_box,
    parse_shot,
)
from vistaline.store.models import Picture, Revision, ShotRow, now

__all__ = [
    "change_shot",
    "create_shot",
    "current_shot",
    "import_shot_file",
    "redo",
    "shots_of",
    "shots_showing",
    "start_shot",
    "undo",
    "undo_labels",
]

_NEAREST, _FARTHEST = 2.0, 6.0


def shots_of(session: Session, project_id: int) -> list[ShotRow]:
    """Return a project's shots in the order they were started."""
    query = select(ShotRow).where(ShotRow.project_id == project_id).order_by(ShotRow.id)
    return list(session.scalars(query))


def create_shot(session: Session, project_id: int, shot: Shot, person_id: int | None) -> ShotRow:
    """Keep a new shot; its document is revision 1."""
    row = ShotRow(project_id=project_id, name=shot.name, position=1)
    session.add(row)
    session.flush()
    _add_revision(session, row, 1, "start", shot, person_id)
    return row


def start_shot(
    session: Session,
    library: Library,
    pictures: Sequence[Picture],
    *,
    person_id: int,
    name: str,
    width: int,
    height: int,
    rate: str,
    duration: int,
) -> tuple[ShotRow, list[str]]:
    """Start a shot from pictures of one project, far to near.

    The first picture without transparency, else the largest, is taken as the photo: it is the
    taking camera's canvas and stands farthest. A cutout of the same size is in register; a
    smaller one is looked for in the photo. Returns the shot and remarks for the person.
    """
    if not pictures:
        raise Refused("Choose at least one picture to start a shot from.")
    photo = _photo(pictures)
    ordered = [photo, *(picture for picture in pictures if picture is not photo)]
    boxes, remarks = _places(library, photo, ordered)
    try:
        frame = FrameFormat(width=width, height=height, rate=rate, duration=duration)  # type: ignore[arg-type]
        framings = [Framing(frame=0, name="First")]
        if duration > 1:
            framings.append(Framing(frame=duration - 1, name="Last"))
        shot = Shot(
            name=name.strip() or "Untitled",
            frame=frame,
            taking_camera=TakingCamera(
                width=photo.width,
                height=photo.height,
                focal_length=covering_focal_length(
                    DEFAULT_LENS, frame=frame.size, picture=(photo.width, photo.height)
                ),
            ),
            pictures={
                f"p{picture.id}": PictureRef(
                    file=picture.file, width=picture.width, height=picture.height
                )
                for picture in ordered
            },
            layers=tuple(
                Layer(
                    name=Path(picture.name).stem[:80] or "Layer",
                    picture=f"p{picture.id}",
                    box=boxes[picture.id],
                    distance=distance,
                )
                for picture, distance in zip(ordered, _distances(len(ordered)), strict=True)
            ),
            route=Route(framings=tuple(framings)),
        )
    except ValidationError as error:
        raise Refused(str(explain(error, Shot))) from error
    except CoreError as error:
        raise Refused(str(error)) from error
    return create_shot(session, pictures[0].project_id, shot, person_id), remarks


def _photo(pictures: Sequence[Picture]) -> Picture:
    opaque = [picture for picture in pictures if not picture.has_alpha]
    return max(opaque or pictures, key=lambda picture: picture.width * picture.height)


def _distances(count: int) -> list[float]:
    """Return first distances, far to near: each a fixed ratio nearer than the one behind."""
    if count == 1:
        return [_NEAREST]
    ratio = (_NEAREST / _FARTHEST) ** (1 / (count - 1))
    return [round(_FARTHEST * ratio**i, 2) for i in range(count)]


def _places(
    library: Library, photo: Picture, pictures: Sequence[Picture]
) -> tuple[dict[int, Box], list[str]]:
    canvas = (photo.width, photo.height)
    boxes: dict[int, Box] = {}
    remarks = []
    pixels = None
    for picture in pictures:
        box = fit_box((picture.width, picture.height), canvas)
        if (picture.width, picture.height) != canvas:
            if pixels is None:
                pixels = decode_picture(library.files.path(photo.file), photo.name)
            cutout = decode_picture(library.files.path(picture.file), picture.name)
            place = find_place(cutout, pixels)
            if place:
                box = (float(place[0]), float(place[1]), picture.width, picture.height)
            else:
                remarks.append(
                    f"{picture.name} was not found in {photo.name}; it stands in the middle."
                )
        boxes[picture.id] = box
    return boxes, remarks


def import_shot_file(
    session: Session, library: Library, project_id: int, path: Path, person_id: int | None
) -> ShotRow:
    """Bring a shot file in with its pictures."""
    shot, paths = read_shot_file(path)
    references = {}
    for key, picture_path in paths.items():
        with picture_path.open("rb") as stream:
            picture, _ = library.import_picture(session, project_id, picture_path.name, stream)
        references[key] = shot.pictures[key].evolve(file=picture.file)
    return create_shot(session, project_id, shot.evolve(pictures=references), person_id)


def current_shot(session: Session, row: ShotRow) -> Shot:
    """Return the shot as it is now."""
    return parse_shot(json.loads(_revision(session, row, row.position).document))


def change_shot(
    session: Session,
    row: ShotRow,
    verb: str,
    arguments: Mapping[str, Any],
    *,
    version: int,
    person_id: int | None,
) -> Shot:
    """Make an edit and keep it; what had been undone can no longer be redone.

    Raises
    ------
    Conflict
        The shot is no longer at ``version``: somebody else changed it.
    EditError
        The edit makes no sense.
    """
    _must_be_at(row, version)
    shot = edit.apply(current_shot(session, row), verb, arguments)
    session.execute(
        delete(Revision).where(Revision.shot_id == row.id, Revision.number > row.position)
    )
    row.name = shot.name
    _move_to(session, row, row.position + 1)
    _add_revision(session, row, row.position, edit.label(verb), shot, person_id)
    return shot


def undo(session: Session, row: ShotRow, *, version: int) -> None:
    """Go back one revision; does nothing at the first."""
    _must_be_at(row, version)
    if row.position > 1:
        _move_to(session, row, row.position - 1)
        row.name = current_shot(session, row).name


def redo(session: Session, row: ShotRow, *, version: int) -> None:
    """Go forward one revision; does nothing at the last."""
    _must_be_at(row, version)
    if row.position < _last(session, row):
        _move_to(session, row, row.position + 1)
        row.name = current_shot(session, row).name


def undo_labels(session: Session, row: ShotRow) -> tuple[str | None, str | None]:
    """Return what undo would take back and what redo would bring again."""
    undone = _revision(session, row, row.position).label if row.position > 1 else None
    last = _last(session, row)
    redone = _revision(session, row, row.position + 1).label if row.position < last else None
    return undone, redone


def shots_showing(session: Session, project_id: int, file: str) -> list[str]:
    """Return the names of a project's shots that show a stored picture."""
    return [
        row.name
        for row in shots_of(session, project_id)
        if any(ref.file == file for ref in current_shot(session, row).pictures.values())
    ]


def _revision(session: Session, row: ShotRow, number: int) -> Revision:
    return session.scalars(
        select(Revision).where(Revision.shot_id == row.id, Revision.number == number)
    ).one()


def _last(session: Session, row: ShotRow) -> int:
    return session.scalar(select(func.max(Revision.number)).where(Revision.shot_id == row.id)) or 1


def _must_be_at(row: ShotRow, version: int) -> None:
    if row.version != version:
        raise _conflict(row)


def _move_to(session: Session, row: ShotRow, position: int) -> None:
    row.position = position
    row.changed = now()
    name = row.name
    try:
        session.flush()
    except StaleDataError as error:
        session.rollback()
        raise Conflict(_changed(name)) from error


def _conflict(row: ShotRow) -> Conflict:
    return Conflict(_changed(row.name))


def _changed(name: str) -> str:
    return f"{name} was changed in another window meanwhile. Reload to see it, then try again."


def _add_revision(
    session: Session, row: ShotRow, number: int, label: str, shot: Shot, person_id: int | None
) -> None:
    session.add(
        Revision(
            shot_id=row.id,
            number=number,
            label=label,
            document=json.dumps(dump_shot(shot)),
            person_id=person_id,
        )
    )
    session.flush()
