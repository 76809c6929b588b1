"""Packages of shots, by workers: a shot is packed, and a package becomes a shot of a project."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from vistaline.actions.pictures import Library
from vistaline.actions.shots import import_shot_file, shot_now
from vistaline.actions.tasks import Finish, Run, Work
from vistaline.actions.typefaces import bring_type
from vistaline.core.formats.package import pack_shot, unpack_shot
from vistaline.core.formats.shotfile import read_shot_file, with_paths
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.store.models import PictureTask, TaskKind

__all__ = ["PACKAGE_WORKS"]

_KEPT_DOWNLOADS = 6


def _pack(run: Run) -> Finish:
    library = run.library
    with run.sessions() as session:
        shot = shot_now(session, run.task.shot_id)
    path = library.files.derived("packages", f"{run.task.id}.zip")
    size = pack_shot(
        _with_files(shot, library),
        path,
        progress=lambda share: run.progress(share, "packing its pictures"),
    )
    library.files.prune("packages", _KEPT_DOWNLOADS)
    file = library.files.share(path)
    return lambda session, task: {"file": file, "name": f"{shot.name}.zip", "size": size}


def _with_files(shot: Shot, library: Library) -> Shot:
    """Return a shot whose pictures, and those of the shots it shows, are named by whole paths."""
    library.bring_type(shot)
    paths = {key: library.files.path(ref.file) for key, ref in shot.pictures.items()}
    inner = {
        key: ref.evolve(document=dump_shot(_with_files(parse_shot(ref.document), library)))
        for key, ref in shot.shots.items()
        if ref.document is not None
    }
    return with_paths(shot.evolve(shots=shot.shots | inner), paths)


def _unpack(run: Run) -> Finish:
    library, task = run.library, run.task
    folder = Path(run.until_done.enter_context(tempfile.TemporaryDirectory(prefix="vistaline-")))
    file = unpack_shot(
        library.files.path(task.arguments["file"]),
        folder / "shot",
        named=task.name,
        progress=lambda share: run.progress(0.4 * share, "checking its files"),
    )
    _, paths = read_shot_file(file)
    for n, path in enumerate(paths.values()):
        run.progress(0.4 + 0.5 * n / len(paths), "reading its pictures")
        library.foresee(path)

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        for font in sorted((file.parent / "type").glob("*")):
            with font.open("rb") as stream:
                bring_type(session, library.files, task.project_id, font.name, stream)
        row = import_shot_file(session, library, task.project_id, file, task.person_id)
        return {"shot": row.id, "name": row.name, "remarks": []}

    return finish


PACKAGE_WORKS: dict[TaskKind, Work] = {TaskKind.PACK: _pack, TaskKind.UNPACK: _unpack}
