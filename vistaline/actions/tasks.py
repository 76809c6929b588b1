"""Work on pictures in the background: asked for, taken by a worker, followed, stopped.

What a kind of task does is in ``picture_work``. A task changes nothing until it is done: what it
made is put in place in one transaction, under the task's row lock, so a worker lost in mid-way,
or a person who stops it, leaves the picture as it was.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import and_, or_, select
from sqlalchemy.orm import Session, sessionmaker

from vistaline.actions.errors import NotFound, Refused
from vistaline.actions.life import (
    LIFE,
    Beating,
    Life,
    Taken,
    alive,
    claim,
    insist,
    renew,
    update_own,
    words_for,
    worn_out,
)
from vistaline.actions.measures import FAILURES
from vistaline.actions.pictures import Library
from vistaline.actions.projects import role_in
from vistaline.actions.queue import Queue
from vistaline.store.models import ACTIVE, JobState, PictureTask, TaskKind, now

__all__ = [
    "Run",
    "Subject",
    "Work",
    "find_task",
    "forget_task",
    "orphaned_tasks",
    "resume_task",
    "start_task",
    "stop_task",
    "tasks_of",
    "work_on_task",
]

Finish = Callable[[Session, PictureTask], dict[str, Any]]


@dataclass(frozen=True, kw_only=True)
class Run:
    """A task under way, as its work sees it."""

    sessions: sessionmaker[Session]
    library: Library
    task: PictureTask
    progress: Callable[[float, str], None]
    """Says how far it is; raises when the task shall stop."""
    until_done: ExitStack
    """What is entered here is left when the task ended, whichever way."""


Work = Callable[[Run], Finish]
"""Does the work; what it returns puts the result in place and says what the result is."""


@dataclass(frozen=True, kw_only=True)
class Subject:
    """What a task works on: a picture, or a picture as a shot sees it, or what is not there yet."""

    picture_id: int | None = None
    shot_id: int | None = None


NOTHING = Subject()


def start_task(
    session: Session,
    project_id: int,
    kind: TaskKind,
    name: str,
    *,
    of: Subject = NOTHING,
    person_id: int | None = None,
    arguments: Mapping[str, Any] | None = None,
) -> PictureTask:
    """Keep a task; announce it after the commit."""
    task = PictureTask(
        project_id=project_id,
        picture_id=of.picture_id,
        shot_id=of.shot_id,
        person_id=person_id,
        kind=kind,
        name=name[:255],
        arguments=dict(arguments or {}),
    )
    session.add(task)
    session.flush()
    return task


def find_task(session: Session, person_id: int, task_id: int) -> PictureTask:
    """Return a task of one of this person's projects."""
    task = session.get(PictureTask, task_id)
    if not task or not role_in(session, person_id, task.project_id):
        raise NotFound("There is no such task.")
    return task


def tasks_of(
    session: Session,
    project_id: int,
    kinds: Sequence[TaskKind],
    *,
    picture_id: int | None = None,
    shot_id: int | None = None,
) -> list[PictureTask]:
    """Return a project's tasks of some kinds, the oldest first."""
    query = (
        select(PictureTask)
        .where(PictureTask.project_id == project_id, PictureTask.kind.in_(kinds))
        .order_by(PictureTask.id)
    )
    if picture_id is not None:
        query = query.where(PictureTask.picture_id == picture_id)
    if shot_id is not None:
        query = query.where(PictureTask.shot_id == shot_id)
    return list(session.scalars(query))


def stop_task(session: Session, task: PictureTask) -> None:
    """Stop a task; its worker notices within a second."""
    if task.state in ACTIVE:
        task.state, task.worker = JobState.STOPPED, ""
        session.flush()


def resume_task(session: Session, task: PictureTask, queue: Queue) -> bool:
    """Do a stopped or failed task again; whether workers were reached."""
    if task.state in (JobState.STOPPED, JobState.FAILED):
        renew(task)
        task.error, task.share, task.words = "", 0.0, ""
        session.commit()
        return queue.announce_task(task.id)
    return True


def forget_task(session: Session, task: PictureTask) -> None:
    """Take a task off the list."""
    if task.state in ACTIVE:
        raise Refused("This is still running. Stop it first.")
    session.delete(task)
    session.flush()


def orphaned_tasks(session: Session, *, life: Life = LIFE) -> list[int]:
    """Return tasks nobody works on any more though they are not done."""
    old = PictureTask.created < now() - timedelta(seconds=life.silence)
    waiting = and_(PictureTask.state == JobState.WAITING, old)
    running = PictureTask.state == JobState.RUNNING
    query = select(PictureTask.id).where(or_(waiting, running), ~alive(PictureTask, life))
    return list(session.scalars(query))


def work_on_task(
    sessions: sessionmaker[Session],
    library: Library,
    task_id: int,
    worker: str,
    works: Mapping[TaskKind, Work],
    *,
    life: Life = LIFE,
) -> None:
    """Do a task, unless somebody else does. Safe to call twice.

    Whatever goes wrong ends the task with a sentence.
    """
    task = insist(lambda: _claim(sessions, task_id, worker, life))
    if task is None:
        return
    said: dict[str, Any] = {"share": 0.0, "words": ""}
    with Beating(
        sessions, PictureTask, task_id, worker, values=lambda: dict(said), life=life
    ) as beating:

        def progress(share: float, words: str) -> None:
            said.update(share=share, words=words[:120])
            beating.check()

        try:
            with ExitStack() as until_done:
                run = Run(
                    sessions=sessions,
                    library=library,
                    task=task,
                    progress=progress,
                    until_done=until_done,
                )
                finish = works[task.kind](run)
                insist(lambda: _finish(sessions, task_id, worker, finish))
        except Taken:
            return
        except Exception as error:
            words = words_for(task.name, error)
            FAILURES.labels(task.kind.value).inc()
            insist(lambda: _fail(sessions, task_id, worker, words))


def _claim(
    sessions: sessionmaker[Session], task_id: int, worker: str, life: Life
) -> PictureTask | None:
    with sessions.begin() as session:
        task = claim(session, PictureTask, PictureTask.id == task_id, worker=worker, life=life)
        if task is None:
            return None
        if not task.worker:
            task.state, task.error = JobState.FAILED, worn_out(task.name)
            return None
        task.started = task.started or now()
        task.share, task.words = 0.0, ""
        return task


def _finish(sessions: sessionmaker[Session], task_id: int, worker: str, finish: Finish) -> None:
    with sessions.begin() as session:
        # The row is locked by this, so that stopping it waits, and then finds it done.
        update_own(session, PictureTask, task_id, worker, share=1.0, finished=now())
        task = session.get_one(PictureTask, task_id)
        task.state, task.worker = JobState.DONE, ""
        # The work may say otherwise, as when something must be chosen first.
        task.result = finish(session, task)


def _fail(sessions: sessionmaker[Session], task_id: int, worker: str, words: str) -> None:
    try:
        with sessions.begin() as session:
            update_own(
                session,
                PictureTask,
                task_id,
                worker,
                state=JobState.FAILED,
                error=words,
                worker="",
            )
    except Taken:
        return
