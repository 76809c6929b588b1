"""Telling workers that there is something to do. The work itself is in ``vistaline.work``."""

from __future__ import annotations

from typing import Protocol

from celery import Celery

__all__ = ["CeleryQueue", "Queue", "celery_app"]


class Queue(Protocol):
    """Where a render is announced; tests use one that only remembers."""

    def announce(self, job_id: int, workers: int) -> None:
        """Ask ``workers`` workers to take part in a render."""


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
