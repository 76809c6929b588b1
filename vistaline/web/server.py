"""How gunicorn serves the application; read by ``gunicorn --config python:vistaline.web.server``.

Gunicorn looks these names up; see its page of settings.
"""

from __future__ import annotations

import os
import signal
from typing import Any

from prometheus_client.multiprocess import mark_process_dead

from vistaline.core.confined import die_with_parent

__all__: list[str] = []

workers = 2
threads = 4
timeout = 120
graceful_timeout = 3
# A client may ask again over a connection just when the server gives it up: then it hears nothing
# but that. Two seconds, the default, are about what lies between two presses of a person.
keepalive = 75
loglevel = "warning"
# A worker's sign of life is a file; on a full disk it must not be taken for dead.
worker_tmp_dir = "/dev/shm"


def post_fork(server: Any, worker: Any) -> None:
    """Let a worker end with its main process, so that the port is free for the next one."""
    die_with_parent(signal.SIGKILL)


def child_exit(server: Any, worker: Any) -> None:
    """Let the counts of a worker that ended stay, and what it was at go."""
    if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
        mark_process_dead(worker.pid)
