"""The worker's tasks. Started with ``celery --app vistaline.work.tasks worker --beat``."""

from __future__ import annotations

import os
import signal as signals
import socket
import uuid

from celery.signals import beat_embedded_init, worker_process_init
from sqlalchemy.orm import Session, sessionmaker

from vistaline.actions.pictures import Library
from vistaline.actions.queue import CeleryQueue, celery_app
from vistaline.actions.rendering import orphaned_jobs, tidy_renders, work_through
from vistaline.actions.tasks import orphaned_tasks, work_on_task
from vistaline.actions.works import WORKS
from vistaline.core.confined import die_with_parent
from vistaline.store.bucket import store_of
from vistaline.store.database import connect
from vistaline.store.settings import Settings

__all__ = ["app"]

_SWEEP = 5.0
"""Seconds between two sweeps; what one invited to and nobody came is invited to by the next."""
_PATIENCE = 120.0
"""Seconds a worker waits for a file store that went away."""
_settings = Settings.from_environment()
app = celery_app(_settings.redis_url)
app.conf.beat_schedule = {
    # A sweep that waited behind renders is of no use any more: the next one follows.
    "sweep": {"task": "vistaline.sweep", "schedule": _SWEEP, "options": {"expires": _SWEEP}}
}

_sessions: sessionmaker[Session]
_library: Library


@worker_process_init.connect
def _open(**signal: object) -> None:
    """Open what each worker process needs for itself."""
    global _sessions, _library
    # Its main process may be killed; nobody would take up what this one went on with.
    die_with_parent(signals.SIGKILL)
    _, _sessions = connect(_settings.database_url)
    _library = Library(store_of(_settings, patience=_PATIENCE))


@beat_embedded_init.connect
def _beat(**signal: object) -> None:
    """Let the sweep's clock end with its main process, too."""
    die_with_parent(signals.SIGKILL)


def _worker() -> str:
    return f"{socket.gethostname()}:{os.getpid()}:{uuid.uuid4().hex[:8]}"


@app.task(name="vistaline.render")
def render(job_id: int) -> None:
    """Take part in renders, the first of the list first, until there is none to take part in."""
    work_through(_sessions, _library, _worker())


@app.task(name="vistaline.picture_task")
def picture_task(task_id: int) -> None:
    """Do a picture task."""
    work_on_task(_sessions, _library, task_id, _worker(), WORKS)


@app.task(name="vistaline.sweep")
def sweep() -> None:
    """Invite workers to what lost its worker; tidy away what was kept long enough."""
    with _sessions() as session:
        jobs, tasks = orphaned_jobs(session), orphaned_tasks(session)
    with _sessions.begin() as session:
        tidy_renders(session, _library)
    queue = CeleryQueue(app)
    for job_id in jobs:
        queue.announce(job_id, 1, lasting=_SWEEP)
    for task_id in tasks:
        queue.announce_task(task_id, lasting=_SWEEP)
