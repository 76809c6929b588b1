"""Files that arrive: looked at at once, decoded in the background.

What is plainly wrong is refused while the person still looks at the file's name; the rest is a
task. A file that holds several parts asks which of them shall come in.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO

from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library, known_picture, plain_name
from vistaline.actions.tasks import start_task
from vistaline.core.errors import PictureError
from vistaline.core.formats.documents import DEFAULT_TALL, Document
from vistaline.core.formats.incoming import inspect_upload
from vistaline.store.models import JobState, Picture, PictureTask, TaskKind

__all__ = ["choose_parts", "receive_picture"]

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
