"""``make demo``: everything in one terminal; Ctrl-C stops all of it."""

from __future__ import annotations

import os
import signal
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from vistaline.actions.films import import_film_file
from vistaline.actions.people import add_person
from vistaline.actions.pictures import Library
from vistaline.actions.projects import DEMO, create_project
from vistaline.actions.queue import PICTURE_QUEUE
from vistaline.actions.relief_work import make_reliefs
from vistaline.actions.shots import current_shot, import_shot_file
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.demo.plates import write_flat_pictures
from vistaline.demo.shots import write_demo_files
from vistaline.stack.metrics import counts_folder
from vistaline.stack.services import Addresses, Ports, Secrets, start_services
from vistaline.stack.supervising import Service, Supervisor
from vistaline.store.bucket import store_of
from vistaline.store.database import connect, migrate
from vistaline.store.files import FileStore
from vistaline.store.models import Person
from vistaline.store.settings import Settings

__all__ = ["load_demo", "main", "server_commands"]

DEMO_NAME, DEMO_PASSWORD = "keeper", "sallow-head-light"


def server_commands(python: str, port: int, folder: Path) -> dict[str, list[str]]:
    """Return the commands of the web server and of the workers."""
    worker = [
        "env", "REMAP_SIGTERM=SIGQUIT", python, "-m", "celery", "--app", "vistaline.work.tasks",
        "worker", "--loglevel", "WARNING", "--without-gossip", "--without-mingle",
    ]  # fmt: skip
    return {
        "web": [
            python, "-m", "gunicorn", "--config", "python:vistaline.web.server",
            "--bind", f"127.0.0.1:{port}", "vistaline.web.app:create_app()",
        ],
        # Stopped, a worker drops what it renders; its range is done again after the next start.
        "worker": [
            # The schedule is kept in memory: a file would be one more thing a full disk breaks.
            *worker, "--beat", "--scheduler", "celery.beat:Scheduler", "--concurrency", "2",
            "--hostname", "renders@%h",
        ],
        "pictures": [
            *worker, "--concurrency", "2", "--hostname", "pictures@%h", "--queues", PICTURE_QUEUE,
        ],
    }  # fmt: skip


def load_demo(database: str, files: FileStore) -> None:
    """Put the demo's project into an empty database; does nothing if somebody is there."""
    engine, sessions = connect(database)
    library = Library(files)
    with sessions() as session:
        if session.query(Person).first():
            return
        with tempfile.TemporaryDirectory() as folder:
            with _step("Drawing the demo's pictures, once"):
                *paths, film = write_demo_files(Path(folder))
                shot, _ = read_shot_file(paths[0])
                flat = write_flat_pictures(Path(folder), shot)
            with _step("Bringing them in"), ThreadPoolExecutor(os.cpu_count()) as pool:
                pictures = {
                    found.resolve() for path in paths for found in read_shot_file(path)[1].values()
                }
                list(pool.map(library.foresee, sorted({*pictures, *flat})))
            person = add_person(session, DEMO_NAME, DEMO_PASSWORD)
            project = create_project(session, person.id, DEMO)
            shots = {
                path.name: import_shot_file(session, library, project.id, path, person.id)
                for path in paths
            }
            import_film_file(session, project, film, shots)
            for row in shots.values():
                make_reliefs(library, current_shot(session, row))
            for path in flat:
                with path.open("rb") as stream:
                    library.import_picture(session, project.id, path.name, stream)
        session.commit()
    engine.dispose()


def main() -> None:
    """Start MariaDB, Redis, web and workers; return when they are stopped."""
    folder = Path(os.environ.get("VISTALINE_VAR", "var")).resolve()
    offset = int(os.environ.get("VISTALINE_PORT", "33730"))
    ports = Ports(web=offset, database=offset + 1, queue=offset + 2)
    folder.mkdir(parents=True, exist_ok=True)
    # Passed through by the database's account, and looked into by none.
    folder.chmod(0o711)
    # What is written from here on is for this account alone.
    os.umask(0o077)
    data = folder / "data"
    data.mkdir(parents=True, exist_ok=True)
    data.chmod(0o700)
    status = Path(tempfile.gettempdir()) / f"vistaline-{os.getpid()}.json"
    supervisor = Supervisor(status)
    supervisor.end_on_signals()
    try:
        with _step("Starting the database and the queue"):
            addresses = start_services(supervisor, folder, ports)
        migrate(addresses.database)
        if os.environ.get("VISTALINE_DEMO") != "no":
            load_demo(addresses.database, store_of(replace(Settings.from_environment(), data=data)))
        with _step("Starting web and workers"):
            for service in _servers(folder, ports, addresses, status):
                supervisor.start(service)
        print(  # noqa: T201
            f"\n  Vistaline    http://127.0.0.1:{ports.web}/\n"
            f"  sign in as   {DEMO_NAME}\n  password     {DEMO_PASSWORD}\n\n  Ctrl-C stops it.\n",
            flush=True,
        )
        supervisor.watch()
    finally:
        supervisor.stop()


def _servers(folder: Path, ports: Ports, addresses: Addresses, status: Path) -> list[Service]:
    commands = server_commands(sys.executable, ports.web, folder)
    watched = {}
    if "VISTALINE_METRICS" in os.environ:
        commands["metrics"] = [sys.executable, "-m", "vistaline.stack.metrics"]
        watched = {"PROMETHEUS_MULTIPROC_DIR": str(counts_folder(str(ports.web)))}
    environment = (
        os.environ
        | watched
        | {
            "VISTALINE_DATABASE": addresses.database,
            "VISTALINE_REDIS": addresses.queue,
            "VISTALINE_DATA": str(folder / "data"),
            "VISTALINE_SECRET": Secrets.of(folder).session,
            "VISTALINE_STATUS": str(status),
        }
    )
    return [
        Service(
            name=name,
            command=command,
            environment=environment,
            # A worker would first look for its queue, which has gone with all the rest; what it
            # is at is done again.
            orphaned=signal.SIGTERM if name == "web" else signal.SIGKILL,
        )
        for name, command in commands.items()
    ]


@contextmanager
def _step(words: str) -> Iterator[None]:
    print(f"{words} ...", flush=True)  # noqa: T201
    began = time.monotonic()
    yield
    print(f"  {time.monotonic() - began:.0f} s", flush=True)  # noqa: T201


if __name__ == "__main__":
    main()
