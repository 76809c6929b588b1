"""Cloths' motions, computed by a worker: one task for a layer as it is now."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from vistaline.actions.rooms import ask_of_shot
from vistaline.actions.shots import shot_now
from vistaline.actions.tasks import Finish, Run, Work, tasks_of
from vistaline.core.looks.cloth_kept import is_prepared, prepare
from vistaline.core.scene.cloths import motion_name
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.waving import hung_of
from vistaline.store.models import JobState, PictureTask, ShotRow, TaskKind

__all__ = ["CLOTH_WORKS", "ask_for_motion", "motion_kept"]

_KEPT_FILES = 400
_ENDED = (JobState.STOPPED, JobState.FAILED)


def motion_kept(shot: Shot, layer: Layer) -> bool:
    """Return whether a layer's whole motion as cloth is kept."""
    hung = hung_of(shot, layer)
    return hung is not None and is_prepared(hung, float(shot.frame.seconds))


def ask_for_motion(
    session: Session, row: ShotRow, shot: Shot, layer: Layer, *, person_id: int | None
) -> tuple[PictureTask, bool]:
    """Return the task that computes a layer's motion, and whether it is new.

    One that was stopped, or that failed, is not asked for again: whoever did that may go on with
    it. Announce a new one after the commit.
    """
    wish: dict[str, Any] = {"layer": layer.id, "motion": motion_name(shot, layer)}
    known = tasks_of(session, row.project_id, (TaskKind.CLOTH,), shot_id=row.id)
    ended = [each for each in known if each.state in _ENDED and each.arguments == wish]
    if ended:
        return ended[-1], False
    return ask_of_shot(session, row, TaskKind.CLOTH, layer.name, wish, person_id=person_id)


def _move(run: Run) -> Finish:
    wish = run.task.arguments
    with run.sessions() as session:
        shot = shot_now(session, run.task.shot_id)
    layer = next((each for each in shot.layers if each.id == wish["layer"]), None)
    # What was changed since is another task's.
    if layer and motion_name(shot, layer) == wish["motion"]:
        hung = hung_of(shot, layer)
        assert hung
        prepare(
            hung,
            float(shot.frame.seconds),
            lambda share: run.progress(share, f"{share:.0%} of its motion"),
        )
        run.library.files.prune("cloth", _KEPT_FILES)
    return lambda session, task: {}


CLOTH_WORKS: dict[TaskKind, Work] = {TaskKind.CLOTH: _move}
