"""What each kind of task on a shot does. The heavy part changes nothing; ``finish`` does.

An edit that comes of it is made to the shot as it is then, whatever was edited meanwhile.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vistaline.actions.history import Change
from vistaline.actions.pictures import Admitted, reference_to
from vistaline.actions.rooms import (
    as_seen,
    found_edges,
    found_lines,
    keep_ahead,
    straight_picture,
)
from vistaline.actions.shots import change_shot, shot_at, shot_now
from vistaline.actions.tasks import Finish, Run, Work
from vistaline.actions.unbowing import added_parts, bowed_parts, check_bowed, straight_parts
from vistaline.core.arrays import Rgba16
from vistaline.core.files import write_atomically
from vistaline.core.foresight.ahead import look_ahead
from vistaline.core.picture.still import encode_png
from vistaline.core.render.straight import Beyond
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.store.models import PictureTask, ShotRow, TaskKind

__all__ = ["ROOM_WORKS"]

_KEPT_DOWNLOADS = 20


def _shot(run: Run) -> Shot:
    with run.sessions() as session:
        return shot_now(session, run.task.shot_id)


def _edit(session: Session, task: PictureTask, verb: str, values: Mapping[str, Any]) -> None:
    """Make an edit to the task's shot, whatever version it is at; edits wait until it is made."""
    row = session.get_one(ShotRow, task.shot_id, with_for_update=True, populate_existing=True)
    change_shot(session, row, verb, values, Change(version=row.version, person_id=task.person_id))


def _find_edges(run: Run) -> Finish:
    shot = _shot(run)
    run.progress(0.1, "looking for straight lines")
    lines = found_lines(run.library, shot)
    if not run.task.arguments.get("mark"):
        return lambda session, task: {"lines": len(lines)}
    run.progress(0.6, "choosing those that agree")
    values = {"edges": found_edges(shot, lines), "within": 1.0}

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        _edit(session, task, "mark_edges", values)
        return {"edges": len(values["edges"])}  # type: ignore[arg-type]

    return finish


def _straighten(run: Run) -> Finish:
    shot, library, wish = _shot(run), run.library, run.task.arguments
    layer = shot.layer(wish["layer"])
    second: tuple[Rgba16, CameraState] | None = None
    if wish.get("second"):
        camera = camera_states(shot, [wish["seen_at"]])[0]
        second = library.pyramid(wish["second"]).picture, camera
    run.progress(0.05, "turning it straight on")
    codes = straight_picture(
        library,
        shot,
        layer.id,
        Beyond(wish["beyond"]),
        second,
        progress=lambda share, words: run.progress(0.1 + 0.7 * share, words),
    )
    run.progress(0.85, "keeping it")
    title = f"{Path(layer.name).stem}, straight on.png"
    if not wish.get("keep"):
        path = library.files.derived("straight", f"{run.task.id}.png")
        write_atomically(path, encode_png(codes, level=1))
        library.files.prune("straight", _KEPT_DOWNLOADS)
        file = library.files.share(path)
        return lambda session, task: {"file": file, "name": title, "size": path.stat().st_size}
    admitted = _admitted(run, codes, title)

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        picture, reference = _added(run, session, task, admitted, title)
        values = {"layer": layer.id, "key": f"p{picture}", "picture": reference}
        _edit(session, task, "show_straight", values)
        return {"picture": picture}

    return finish


def _unbow(run: Run) -> Finish:
    shot = _shot(run)
    bow = check_bowed(shot)
    with run.sessions() as session:
        bowed = bowed_parts(session, shot, run.task.project_id)
    straight = list(straight_parts(run, shot, bowed))
    run.progress(0.92, "keeping it")

    def finish(session: Session, task: PictureTask) -> dict[str, Any]:
        parts = added_parts(run.library, session, task, straight)
        _edit(session, task, "use_straightened", {"parts": parts, "bow": bow})
        left = [layer.name for layer in shot.layers if layer.relief and layer.picture]
        remarks = [f"{name} is a relief and stays as it was: raise it again." for name in left]
        return {"picture": int(parts[0]["key"][1:]), "remarks": remarks}

    return finish


def _admitted(run: Run, codes: np.ndarray, title: str) -> Admitted:
    return run.library.admit(run.library.keep_codes(codes), title)


def _added(
    run: Run, session: Session, task: PictureTask, admitted: Admitted, title: str
) -> tuple[int, dict[str, Any]]:
    """Add a picture to the task's project; returns its id, and how a shot names it."""
    picture, _ = run.library.add(session, task.project_id, title, admitted)
    return picture.id, reference_to(picture).model_dump(mode="json")


def _look_ahead(run: Run) -> Finish:
    wish, shot_id = run.task.arguments, run.task.shot_id
    assert shot_id is not None
    with run.sessions() as session:
        row = session.get_one(ShotRow, shot_id)
        shot = as_seen(shot_at(session, row, wish["position"]), wish["as"], wish["take"])
    found = look_ahead(
        shot,
        run.library.looks_of(shot),
        threads=1,
        progress=lambda share: run.progress(share, f"{share:.0%} of the frames"),
    )
    keep_ahead(run.library, wish, shot_id, found)
    return lambda session, task: {"frames": len(found.frames)}


ROOM_WORKS: dict[TaskKind, Work] = {
    TaskKind.FIND_EDGES: _find_edges,
    TaskKind.STRAIGHTEN: _straighten,
    TaskKind.UNBOW: _unbow,
    TaskKind.LOOK_AHEAD: _look_ahead,
}
