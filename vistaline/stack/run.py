"""``make demo``: everything in one terminal; Ctrl-C stops all of it."""

from __future__ import annotations

import os
import secrets
import sys
import tempfile
from pathlib import Path

from honcho.manager import Manager

from vistaline.actions.people import add_person
from vistaline.actions.pictures import Library
from vistaline.actions.projects import create_project
from vistaline.actions.queue import PICTURE_QUEUE
from vistaline.actions.shots import import_shot_file
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.demo.plates import write_flat_pictures
from vistaline.demo.shots import write_demo_files
from vistaline.stack.services import Ports, services
from vistaline.store.database import connect, migrate
from vistaline.store.files import FileStore
from vistaline.store.models import Person

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
            python, "-m", "gunicorn", "--bind", f"127.0.0.1:{port}", "--workers", "2",
            "--threads", "4", "--timeout", "120", "--graceful-timeout", "3", "--log-level",
            "warning", "--worker-tmp-dir", "/dev/shm", "vistaline.web.app:create_app()",
        ],
        # Stopped, a worker drops what it renders; its range is done again after the next start.
        "worker": [
            *worker, "--beat", "--concurrency", "2", "--hostname", "renders@%h",
            "--schedule", str(folder / "celery-beat"),
        ],
        "pictures": [
            *worker, "--concurrency", "2", "--hostname", "pictures@%h", "--queues", PICTURE_QUEUE,
        ],
    }  # fmt: skip


def load_demo(database: str, data: Path) -> None:
    """Put the demo's project into an empty database; does nothing if somebody is there."""
    engine, sessions = connect(database)
    library = Library(FileStore(data))
    with sessions() as session:
        if session.query(Person).first():
            return
        print("Drawing the demo's pictures, once (about half a minute) ...", flush=True)  # noqa: T201
        person = add_person(session, DEMO_NAME, DEMO_PASSWORD)
        project = create_project(session, person.id, "Sallow Head")
        with tempfile.TemporaryDirectory() as folder:
            paths = write_demo_files(Path(folder))
            for path in paths:
                import_shot_file(session, library, project.id, path, person.id)
            shot, _ = read_shot_file(paths[0])
            for path in write_flat_pictures(Path(folder), shot):
                with path.open("rb") as stream:
                    library.import_picture(session, project.id, path.name, stream)
        session.commit()
    engine.dispose()


def main() -> None:
    """Start MariaDB, Redis, web and workers; return when they are stopped."""
    folder = Path(os.environ.get("VISTALINE_VAR", "var")).resolve()
    offset = int(os.environ.get("VISTALINE_PORT", "33730"))
    ports = Ports(web=offset, database=offset + 1, queue=offset + 2)
    (folder / "data").mkdir(parents=True, exist_ok=True)
    with services(folder, ports) as (database, queue):
        migrate(database)
        load_demo(database, folder / "data")
        environment = os.environ | {
            "VISTALINE_DATABASE": database,
            "VISTALINE_REDIS": queue,
            "VISTALINE_DATA": str(folder / "data"),
            "VISTALINE_SECRET": _secret(folder / "secret"),
        }
        manager = Manager()
        for name, command in server_commands(sys.executable, ports.web, folder).items():
            manager.add_process(name, _quoted(command), env=environment, quiet=False)
        print(  # noqa: T201
            f"\n  Vistaline    http://127.0.0.1:{ports.web}/\n"
            f"  sign in as   {DEMO_NAME}\n  password     {DEMO_PASSWORD}\n\n  Ctrl-C stops it.\n",
            flush=True,
        )
        manager.loop()
    sys.exit(0 if manager.returncode in (0, None, 130, -2) else manager.returncode)


def _quoted(command: list[str]) -> str:
    import shlex

    # exec: the server itself, not a shell around it, gets the signal to stop.
    return "exec " + shlex.join(command)


def _secret(path: Path) -> str:
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_hex(32))
    return path.read_text()


if __name__ == "__main__":
    main()
