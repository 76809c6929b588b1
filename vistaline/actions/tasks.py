"""Work on pictures in the background: asked for, taken by a worker, followed, stopped.

What a kind of task does is in ``picture_work``. A task changes nothing until it is done: what it
made is put in place in one transaction, under the task's row lock, so a worker lost in mid-way,
or a person who stops it, leaves the picture as it was.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import and_, or_, select, update
from sqlalchemy.orm import Session, sessionmaker

from vistaline.actions.errors import ActionError, NotFound, Refused
from vistaline.actions.pictures import Library
from vistaline.actions.projects import role_in
from vistaline.actions.queue import Queue
from vistaline.core.errors import CoreError
from vistaline.store.models import JobState, PictureTask, TaskKind, now

__all__ = [
    "ACTIVE",
    "Run",
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

SILENCE = timedelta(seconds=12)
"""After this long without a beat a worker counts as lost."""
_BEAT_SECONDS = 0.5
ACTIVE = (JobState.WAITING, JobState.RUNNING)


class _Stopped(Exception):
    """The task was taken away from this worker."""


Finish = Callable[[Session, PictureTask], dict[str, Any]]


@dataclass(frozen=True, kw_only=True)
class Run:
    """A task under way, as its work sees it."""

    sessions: sessionmaker[Session]
    library: Library
    task: PictureTask
    progress: Callable[[float, str], None]
    """Says how far it is; raises when the task shall stop."""


Work = Callable[[Run], Finish]
"""Does the work; what it returns puts the result in place and says what the result is."""


def start_task(
    session: Session,
    project_id: int,
    kind: TaskKind,
    name: str,
    *,
    picture_id: int | None = None,
    person_id: int | None = None,
    arguments: Mapping[str, Any] | None = None,
) -> PictureTask:
    """Keep a task; announce it after the commit."""
    task = PictureTask(
        project_id=project_id,
        picture_id=picture_id,
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
) -> list[PictureTask]:
    """Return a project's tasks of some kinds, the oldest first."""
    query = (
        select(PictureTask)
        .where(PictureTask.project_id == project_id, PictureTask.kind.in_(kinds))
        .order_by(PictureTask.id)
    )
    if picture_id is not None:
        query = query.where(PictureTask.picture_id == picture_id)
    return list(session.scalars(query))


def stop_task(session: Session, task: PictureTask) -> None:
    """Stop a task; its worker notices within a second."""
    if task.state in ACTIVE:
        task.state, task.worker = JobState.STOPPED, ""
        session.flush()


def resume_task(session: Session, task: PictureTask, queue: Queue) -> None:
    """Do a stopped or failed task again."""
    if task.state in (JobState.STOPPED, JobState.FAILED):
        task.state, task.error, task.share, task.words = JobState.WAITING, "", 0.0, ""
        session.commit()
        queue.announce_task(task.id)


def forget_task(session: Session, task: PictureTask) -> None:
    """Take a task off the list."""
    if task.state in ACTIVE:
        raise Refused("This is still running. Stop it first.")
    session.delete(task)
    session.flush()


def _lost() -> Any:
    return or_(PictureTask.beat.is_(None), PictureTask.beat < now() - SILENCE)


def orphaned_tasks(session: Session) -> list[int]:
    """Return tasks nobody works on any more though they are not done."""
    waiting = and_(
        PictureTask.state == JobState.WAITING, PictureTask.created < now() - SILENCE, _lost()
    )
    silent = and_(PictureTask.state == JobState.RUNNING, _lost())
    return list(session.scalars(select(PictureTask.id).where(or_(waiting, silent))))


def work_on_task(
    sessions: sessionmaker[Session],
    library: Library,
    task_id: int,
    worker: str,
    works: Mapping[TaskKind, Work],
) -> None:
    """Do a task, unless somebody else does. Safe to call twice."""
    task = _claim(sessions, task_id, worker)
    if task is None:
        return
    with _Beating(sessions, task_id, worker) as beating:
        run = Run(sessions=sessions, library=library, task=task, progress=beating.progress)
        try:
            finish = works[task.kind](run)
            _finish(sessions, task_id, worker, finish)
        except _Stopped:
            return
        except (CoreError, ActionError, OSError, MemoryError) as error:
            _fail(sessions, task_id, worker, str(error) or "The machine ran out of memory.")
        except Exception:
            # A fault of ours: the person is told, the log has the rest.
            logging.getLogger(__name__).exception("task %d", task_id)
            _fail(sessions, task_id, worker, f"{task.name}: a fault in the program. Try again.")


def _claim(sessions: sessionmaker[Session], task_id: int, worker: str) -> PictureTask | None:
    with sessions.begin() as session:
        free = or_(
            PictureTask.state == JobState.WAITING,
            and_(PictureTask.state == JobState.RUNNING, _lost()),
        )
        task = session.scalars(
            select(PictureTask)
            .where(PictureTask.id == task_id, free)
            .with_for_update(skip_locked=True)
        ).first()
        if task is None:
            return None
        task.state, task.worker, task.beat = JobState.RUNNING, worker, now()
        task.started = task.started or now()
        task.share, task.words = 0.0, ""
        return task


def _mine(session: Session, task_id: int, worker: str) -> PictureTask:
    task = session.scalars(
        select(PictureTask)
        .where(
            PictureTask.id == task_id,
            PictureTask.worker == worker,
            PictureTask.state == JobState.RUNNING,
        )
        .with_for_update()
    ).first()
    if task is None:
        raise _Stopped
    return task


def _finish(sessions: sessionmaker[Session], task_id: int, worker: str, finish: Finish) -> None:
    with sessions.begin() as session:
        task = _mine(session, task_id, worker)
        task.state, task.finished, task.share = JobState.DONE, now(), 1.0
        # The work may say otherwise, as when something must be chosen first.
        task.result = finish(session, task)


def _fail(sessions: sessionmaker[Session], task_id: int, worker: str, words: str) -> None:
    try:
        with sessions.begin() as session:
            task = _mine(session, task_id, worker)
            task.state, task.error = JobState.FAILED, words
    except _Stopped:
        return


class _Beating:
    """Says every half second that this worker is alive, and notices that it shall stop.

    A thread: some work is one long call, and a silent worker counts as lost.
    """

    def __init__(self, sessions: sessionmaker[Session], task_id: int, worker: str) -> None:
        self._sessions, self._task_id, self._worker = sessions, task_id, worker
        self._over, self._stopped = threading.Event(), threading.Event()
        self._said: tuple[float, str] = (0.0, "")
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> _Beating:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def progress(self, share: float, words: str) -> None:
        """See :class:`Run`."""
        self._said = (share, words[:120])
        if self._stopped.is_set():
            raise _Stopped

    def _beat(self) -> None:
        while not self._over.wait(_BEAT_SECONDS):
            share, words = self._said
            with self._sessions.begin() as session:
                mine = session.execute(
                    update(PictureTask)
                    .where(
                        PictureTask.id == self._task_id,
                        PictureTask.worker == self._worker,
                        PictureTask.state == JobState.RUNNING,
                    )
                    .values(beat=now(), share=share, words=words)
                )
                if mine.rowcount == 0:  # type: ignore[attr-defined]
                    self._stopped.set()
                    return
