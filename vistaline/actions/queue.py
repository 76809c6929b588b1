"""Telling workers that there is something to do. The work itself is in ``vistaline.work``."""

from __future__ import annotations

from typing import Protocol

from celery import Celery

__all__ = ["PICTURE_QUEUE", "CeleryQueue", "Queue", "celery_app"]

PICTURE_QUEUE = "pictures"
"""Where picture tasks are announced, apart from renders."""


class Queue(Protocol):
    """Where work is announced; tests use one that only remembers."""

    def announce(self, job_id: int, workers: int) -> None:
        """Ask ``workers`` workers to take part in a render."""

    def announce_task(self, task_id: int) -> None:
        """Ask a worker to do a picture task."""


def celery_app(redis_url: str) -> Celery:
    """Return the queue's client.

    A message is only an invitation, the ranges are rows: one lost or delivered twice does no harm.
    """
    app = Celery("vistaline", broker=redis_url)
    app.conf.update(
        task_acks_late=True,
        task_reject_on_worker_lost=True,
        task_ignore_result=True,
        worker_prefetch_multiplier=1,
        worker_hijack_root_logger=False,
        broker_connection_retry_on_startup=True,
    )
    return app


class CeleryQueue:
    """The real queue."""

    def __init__(self, app: Celery) -> None:
        self._app = app

    def announce(self, job_id: int, workers: int) -> None:
        """See :class:`Queue`."""
        for _ in range(workers):
            self._app.send_task("vistaline.render", [job_id])

    def announce_task(self, task_id: int) -> None:
        """See :class:`Queue`."""
        # A queue of their own: pictures come in while a long render runs.
        self._app.send_task("vistaline.picture_task", [task_id], queue=PICTURE_QUEUE)
