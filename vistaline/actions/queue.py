"""Telling workers that there is something to do. The work itself is in ``vistaline.work``."""

from __future__ import annotations

import logging
from typing import Protocol

from celery import Celery
from kombu.exceptions import OperationalError

__all__ = ["PICTURE_QUEUE", "CeleryQueue", "Queue", "celery_app"]

PICTURE_QUEUE = "pictures"
"""Where picture tasks are announced, apart from renders."""
_log = logging.getLogger(__name__)


class Queue(Protocol):
    """Where work is announced; tests use one that only remembers.

    What is announced is kept already, and the workers' sweep finds it too. So a queue that is
    away delays work and loses none: announcing then returns False instead of failing.
    ``lasting`` is for how many seconds an invitation stands; None for ever.
    """

    def announce(self, job_id: int, workers: int, *, lasting: float | None = None) -> bool:
        """Ask ``workers`` workers to take part in a render."""

    def announce_task(self, task_id: int, *, lasting: float | None = None) -> bool:
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
        # A worker waits for its queue as long as it takes; it is restarted by nobody for that.
        broker_connection_max_retries=None,
        task_publish_retry=False,
        broker_transport_options={"socket_connect_timeout": 2, "socket_timeout": 30},
    )
    return app


class CeleryQueue:
    """The real queue."""

    def __init__(self, app: Celery) -> None:
        self._app = app

    def announce(self, job_id: int, workers: int, *, lasting: float | None = None) -> bool:
        """See :class:`Queue`."""
        return all(
            self._send("vistaline.render", job_id, "celery", lasting) for _ in range(workers)
        )

    def announce_task(self, task_id: int, *, lasting: float | None = None) -> bool:
        """See :class:`Queue`."""
        # A queue of their own: pictures come in while a long render runs.
        return self._send("vistaline.picture_task", task_id, PICTURE_QUEUE, lasting)

    def _send(self, task: str, number: int, queue: str, lasting: float | None) -> bool:
        try:
            self._app.send_task(task, [number], queue=queue, expires=lasting)
        except (OperationalError, OSError) as error:
            _log.warning("%s %d could not be announced: %s", task, number, error)
            return False
        return True
