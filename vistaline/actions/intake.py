"""Files that arrive: looked at at once, decoded in the background.

What is plainly wrong is refused while the person still looks at the file's name; the rest is a
task. A file that holds several parts asks which of them shall come in.
"""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO
from zipfile import is_zipfile

from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library, known_picture, plain_name
from vistaline.actions.tasks import start_task
from vistaline.core.errors import PictureError
from vistaline.core.formats.documents import DEFAULT_TALL, Document
from vistaline.core.formats.incoming import inspect_upload
from vistaline.core.picture.still_rows import pack_row
from vistaline.core.timing import parse_rate, rate_label
from vistaline.store.models import JobState, Picture, PictureTask, TaskKind

__all__ = [
    "choose_parts",
    "receive_frames",
    "receive_package",
    "receive_picture",
    "take_frame",
]

_DOCUMENTS = {"openraster": "ora", "pdf": "pdf", "svg": "svg", "tiff": "tif"}
_MOST_AT_ONCE = 200


def receive_picture(
    session: Session,
    library: Library,
    project_id: int,
    name: str,
    stream: BinaryIO,
    *,
    person_id: int | None,
) -> PictureTask | Picture:
    """Keep a file and a task that brings it in; a picture that is here already is returned.

    Raises
    ------
    PictureError
        The file is not a picture, or has too many pixels.
    """
    name = plain_name(name)
    with library.files.receive(stream) as incoming:
        known = known_picture(session, project_id, incoming.sha256)
        if known:
            return known
        if incoming.size == 0:
            raise PictureError(name, "the file is empty. Choose another.")
        found = inspect_upload(incoming.path, name)
        if isinstance(found, Document):
            file = library.files.keep(incoming, _DOCUMENTS[found.kind], folder="documents")
        else:
            file = library.files.keep(incoming, found.extension)
    return start_task(
        session,
        project_id,
        TaskKind.IMPORT,
        name,
        person_id=person_id,
        arguments={"file": file},
    )


def receive_package(
    session: Session,
    library: Library,
    project_id: int,
    name: str,
    stream: BinaryIO,
    *,
    person_id: int | None,
) -> PictureTask:
    """Keep a package of a shot and a task that opens it; Refused if it is none at all."""
    name = plain_name(name)
    with library.files.receive(stream) as incoming:
        if not is_zipfile(incoming.path):
            raise Refused(f"{name} is no package of a shot. Choose one that was packed on Output.")
        file = library.files.keep(incoming, "zip", folder="documents")
    return start_task(
        session,
        project_id,
        TaskKind.UNPACK,
        name,
        person_id=person_id,
        arguments={"file": file},
    )


def receive_frames(
    session: Session,
    library: Library,
    project_id: int,
    stills: Sequence[tuple[str, BinaryIO]],
    *,
    rate: str,
    person_id: int | None,
) -> PictureTask | Picture:
    """Keep numbered stills as one moving picture, shown at ``rate``, and a task that brings it in.

    Raises
    ------
    Refused
        There are fewer than two, or they are here already at another rate.
    ShotError
        The rate is none.
    """
    if len(stills) < 2:
        raise Refused("One picture does not move. Choose all frames together, at least two.")
    shown = rate_label(parse_rate(rate))
    first = plain_name(stills[0][0])
    name = f"{Path(first).stem.rstrip('0123456789').rstrip('-_. ') or Path(first).stem}.zip"
    with tempfile.TemporaryFile(dir=library.files.root) as packed:
        pack_row(((plain_name(each), stream) for each, stream in stills), packed)
        packed.seek(0)
        with library.files.receive(packed) as incoming:
            known = known_picture(session, project_id, incoming.sha256)
            before = ((known and known.moving) or {}).get("rate", shown)
            if known and before != shown:
                raise Refused(
                    f"These frames are here already, as {known.name} at {before} fps. Set the "
                    "speed where a layer shows it, or remove it first."
                )
            if known:
                return known
            inspect_upload(incoming.path, name)
            file = library.files.keep(incoming, "zip")
    return start_task(
        session,
        project_id,
        TaskKind.IMPORT,
        name,
        person_id=person_id,
        arguments={"file": file, "rate": shown},
    )


def take_frame(
    session: Session, picture: Picture, frame: int, *, person_id: int | None
) -> PictureTask:
    """Begin a task that brings a frame of a picture that moves in as a picture of its own."""
    if not picture.moving:
        raise Refused(f"{picture.name} does not move; it is a picture already.")
    frames = picture.moving["frames"]
    if not 0 <= frame < frames:
        raise Refused(f"{picture.name} has frames 0 to {frames - 1}. Choose one of them.")
    return start_task(
        session,
        picture.project_id,
        TaskKind.IMPORT,
        f"{Path(picture.name).stem}, frame {frame}.png",
        person_id=person_id,
        arguments={"file": picture.file, "frame": frame},
    )


def choose_parts(
    session: Session, task: PictureTask, chosen: Sequence[int], *, height: int | None
) -> list[PictureTask]:
    """Answer a file that asked which of its parts shall come in; one task each."""
    if task.state is not JobState.ASKING:
        raise Refused(f"{task.name} does not ask for anything any more.")
    parts = task.result["parts"]
    wanted = [n for n in dict.fromkeys(chosen) if 0 <= n < len(parts)]
    if not wanted:
        raise Refused(f"Choose at least one part of {task.name}, or remove it from the list.")
    if len(wanted) > _MOST_AT_ONCE:
        raise Refused(f"At most {_MOST_AT_ONCE} parts come in at once. Choose fewer.")
    tall = height or DEFAULT_TALL
    if not 16 <= tall <= 32_000:
        raise Refused("Give a height of 16 to 32,000 pixels.")
    started = [
        start_task(
            session,
            task.project_id,
            TaskKind.IMPORT,
            f"{Path(task.name).stem}, {parts[n]['name']}",
            person_id=task.person_id,
            arguments={**task.arguments, "part": n, "height": tall, "document": task.name},
        )
        for n in wanted
    ]
    session.delete(task)
    session.flush()
    return started
