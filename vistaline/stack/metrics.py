"""What Prometheus asks for, at an address of its own: ``python -m vistaline.stack.metrics``.

Counts of this machine's processes (requests, frames, failures), from the folder that
``PROMETHEUS_MULTIPROC_DIR`` names; and from the database what waits for all machines. Whoever can
reach the address can read it: it is of loopback unless ``VISTALINE_METRICS`` says otherwise.
"""

from __future__ import annotations

import os
import shutil
import sys
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from prometheus_client import CollectorRegistry, start_http_server
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.multiprocess import MultiProcessCollector
from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from vistaline.core.confined import die_with_parent
from vistaline.store.database import connect
from vistaline.store.models import ACTIVE, PictureTask, RenderJob, RenderRange
from vistaline.store.settings import Settings

__all__ = ["Waiting", "counts_folder", "main"]

USUAL = "127.0.0.1:33733"


class Waiting:
    """What waits and what is worked on, asked of the database each time somebody wants to know."""

    def __init__(self, sessions: sessionmaker[Session], data: Path) -> None:
        self._sessions, self._data = sessions, data

    def collect(self) -> Iterator[Any]:
        """Yield the gauges; without the database, only that it is away."""
        away = GaugeMetricFamily("vistaline_database_away", "1 if the database does not answer")
        try:
            found = self._asked()
        except SQLAlchemyError:
            away.add_metric([], 1)
            yield away
            return
        away.add_metric([], 0)
        yield away
        queue = GaugeMetricFamily(
            "vistaline_queue", "Renders, their ranges and tasks by state", labels=["what", "state"]
        )
        for (what, state), count in found.items():
            queue.add_metric([what, state], count)
        yield queue
        free = GaugeMetricFamily("vistaline_free_bytes", "Room left in the file store")
        free.add_metric([], shutil.disk_usage(self._data).free)
        yield free

    def _asked(self) -> dict[tuple[str, str], int]:
        kinds: dict[str, Any] = {"render": RenderJob, "range": RenderRange, "task": PictureTask}
        found = {(what, state.value): 0 for what in kinds for state in ACTIVE}
        with self._sessions() as session:
            for what, kind in kinds.items():
                query = select(kind.state, func.count()).where(kind.state.in_(ACTIVE))
                for state, count in session.execute(query.group_by(kind.state)):
                    found[what, state.value] = count
        return found


def counts_folder(name: str) -> Path:
    """Return an empty folder for counts, in memory: on a full disk, counting would end programs."""
    folder = Path("/dev/shm") / f"vistaline-counts-{name}"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(mode=0o700)
    return folder


def main() -> None:
    """Serve until the process is ended."""
    die_with_parent()
    settings = Settings.from_environment()
    host, _, port = os.environ.get("VISTALINE_METRICS", USUAL).rpartition(":")
    if not port.isdigit():
        sys.exit("VISTALINE_METRICS: write an address and a port, such as 127.0.0.1:33733.")
    registry = CollectorRegistry()
    if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
        MultiProcessCollector(registry)
    _, sessions = connect(settings.database_url)
    registry.register(Waiting(sessions, settings.data))
    start_http_server(int(port), addr=host or "127.0.0.1", registry=registry)
    threading.Event().wait()


if __name__ == "__main__":
    main()
