"""A shot for other programs and for people, made by workers: scene, contact sheet, layers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vistaline.actions.pictures import Library
from vistaline.actions.shots import shot_now
from vistaline.actions.tasks import Finish, Run, Work
from vistaline.core.delivery.contact_sheet import contact_sheet
from vistaline.core.delivery.layers_at import write_layers
from vistaline.core.files import write_atomically
from vistaline.core.formats.handing import scene_glb
from vistaline.core.shot.shot import Shot
from vistaline.store.models import TaskKind

__all__ = ["HANDING_WORKS"]

_KEPT_DOWNLOADS = 20


def _scene(run: Run) -> Finish:
    shot, library = _shot(run), run.library
    return _kept(run, scene_glb(shot, library.looks_of(shot), run.progress), f"{shot.name}.glb")


def _sheet(run: Run) -> Finish:
    shot, library, kind = _shot(run), run.library, run.task.arguments["as"]
    data = contact_sheet(
        shot,
        library.looks_of(shot),
        kind,
        day=run.task.created.date(),
        progress=lambda share: run.progress(share, "drawing its framings"),
    )
    return _kept(run, data, f"{shot.name}, framings.{kind}")


def _layers(run: Run) -> Finish:
    shot, library, frame = _shot(run), run.library, int(run.task.arguments["frame"])
    path = library.files.derived("scenes", f"{run.task.id}.ora")
    write_layers(
        shot,
        library.looks_of(shot),
        frame,
        path,
        progress=lambda share: run.progress(share, "drawing its layers"),
    )
    return _told(run, path.name, f"{shot.name}, frame {frame}.ora")


def _shot(run: Run) -> Shot:
    with run.sessions() as session:
        return shot_now(session, run.task.shot_id)


def _kept(run: Run, data: bytes, name: str) -> Finish:
    path = run.library.files.derived("scenes", f"{run.task.id}.{name.rsplit('.', 1)[-1]}")
    write_atomically(path, data)
    return _told(run, path.name, name)


def _told(run: Run, file: str, name: str) -> Finish:
    library: Library = run.library
    path = library.files.derived("scenes", file)
    library.files.prune("scenes", _KEPT_DOWNLOADS)
    told: Mapping[str, Any] = {
        "file": library.files.share(path),
        "name": name,
        "size": path.stat().st_size,
    }
    return lambda session, task: dict(told)


HANDING_WORKS: dict[TaskKind, Work] = {
    TaskKind.SCENE: _scene,
    TaskKind.SHEET: _sheet,
    TaskKind.LAYERS: _layers,
}
