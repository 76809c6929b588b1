"""Workers on other machines: hosts with names and networks of their own, in namespaces (Linux)."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

import pytest
from sqlalchemy.orm import Session, sessionmaker

from tests.conftest import private_servers
from tests.core.test_formats import run
from vistaline.actions import renders
from vistaline.actions.people import add_person
from vistaline.actions.pictures import Library
from vistaline.actions.projects import create_project
from vistaline.actions.queue import CeleryQueue, celery_app
from vistaline.actions.shots import import_shot_file
from vistaline.core.delivery.delivery import Delivery
from vistaline.store.database import connect
from vistaline.store.files import FileStore
from vistaline.store.models import JobState, RenderJob, RenderRange

FRAMES = 240


def allowed() -> bool:
    """Whether this account may make networks: root may, where nothing keeps it from that."""
    name = f"vl-try-{os.getpid()}"
    made = subprocess.run(["ip", "netns", "add", name], capture_output=True, check=False)
    subprocess.run(["ip", "netns", "del", name], capture_output=True, check=False)
    return made.returncode == 0


def ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


@contextmanager
def forwarded(address: str, port: int) -> Iterator[None]:
    """Let a port of loopback be reached at an address, too; each byte is passed on."""
    listening = socket.create_server((address, port))

    def serve() -> None:
        while True:
            try:
                near, _ = listening.accept()
            except OSError:
                return
            far = socket.create_connection(("127.0.0.1", port))
            for pair in ((near, far), (far, near)):
                threading.Thread(target=pass_on, args=pair, daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    yield
    listening.close()


def pass_on(source: socket.socket, sink: socket.socket) -> None:
    try:
        while data := source.recv(65536):
            sink.sendall(data)
    except OSError:
        pass
    for end in (source, sink):
        end.close()


@dataclass
class Host:
    """A machine of its own, as far as names and networks go; it sees the same folders."""

    name: str
    number: int
    process: subprocess.Popen[bytes] | None = None

    @property
    def link(self) -> str:
        return f"vl{os.getpid() % 100_000}{self.name}"

    @property
    def address(self) -> str:
        return f"10.77.{self.number}.1"

    def start(self, database: str, queue: str, data: Path, log: Path) -> None:
        def there(url: str) -> str:
            return url.replace("127.0.0.1", self.address)

        environment = os.environ | {
            "VISTALINE_DATABASE": there(database),
            "VISTALINE_REDIS": there(queue),
            "VISTALINE_DATA": str(data),
        }
        worker = [
            sys.executable, "-m", "celery", "--app", "vistaline.work.tasks", "worker",
            "--loglevel", "WARNING", "--without-gossip", "--without-mingle", "--concurrency", "1",
            "--beat", "--scheduler", "celery.beat:Scheduler", "--hostname", f"renders@{self.name}",
        ]  # fmt: skip
        named = ["unshare", "--uts", "sh", "-c", f'hostname {self.name}; exec "$@"', "sh"]
        with log.open("ab") as out:
            self.process = subprocess.Popen(
                ["ip", "netns", "exec", self.link, *named, *worker],
                env=environment,
                stdout=out,
                stderr=subprocess.STDOUT,
                start_new_session=True,
            )

    def kill(self) -> None:
        """End all that runs on it, as if it lost its power."""
        if self.process:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait(30)
            self.process = None

    def cut_off(self) -> None:
        ip("link", "set", self.link, "down")

    def come_back(self) -> None:
        ip("link", "set", self.link, "up")


@contextmanager
def host(name: str, number: int, ports: list[int]) -> Iterator[Host]:
    found = Host(name, number)
    link, inner = found.link, f"{found.link}i"
    with ExitStack() as left:
        ip("netns", "add", link)
        left.callback(ip, "netns", "del", link)
        ip("link", "add", link, "type", "veth", "peer", "name", inner)
        ip("link", "set", inner, "netns", link)
        ip("addr", "add", f"{found.address}/30", "dev", link)
        ip("link", "set", link, "up")
        ip("-n", link, "addr", "add", f"10.77.{number}.2/30", "dev", inner)
        ip("-n", link, "link", "set", inner, "up")
        for port in ports:
            left.enter_context(forwarded(found.address, port))
        left.callback(found.kill)
        yield found


def until(what: Callable[[], bool], seconds: float = 120) -> None:
    deadline = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < deadline
        time.sleep(0.1)


def at_work(sessions: sessionmaker[Session], name: str) -> int | None:
    """The range that a host is at."""
    with sessions() as session:
        query = session.query(RenderRange.id).filter(
            RenderRange.state == JobState.RUNNING, RenderRange.worker.like(f"{name}:%")
        )
        return query.limit(1).scalar()


@pytest.mark.timeout(600)
def test_hosts_come_and_go_and_every_frame_is_there_once(shot_file: Path, tmp_path: Path) -> None:
    if not allowed():
        pytest.skip("only an account that may make networks can try this")
    shot_file.write_text(
        shot_file.read_text()
        .replace('"width": 320, "height": 180', '"width": 1280, "height": 720')
        .replace('"duration": 30', f'"duration": {FRAMES}')
        .replace('"frame": 29', f'"frame": {FRAMES - 1}')
    )
    data = tmp_path / "data"
    with private_servers() as (database, queue), ExitStack() as left:
        ports = [urlsplit(each).port or 0 for each in (database, queue)]
        _, sessions = connect(database)
        library = Library(FileStore(data))
        with sessions.begin() as session:
            person = add_person(session, "farmer", "a long password")
            project = create_project(session, person.id, "Farm")
            row = import_shot_file(session, library, project.id, shot_file, person.id)
            (job,) = renders.start_renders(session, row, Delivery(output="png", name="{frame}"))
        a, b, c = (
            left.enter_context(host(name, n, ports))
            for n, name in enumerate(("one", "two", "six"), 1)
        )
        log = tmp_path / "workers.log"
        for each in (a, b):
            each.start(database, queue, data, log)
        CeleryQueue(celery_app(queue)).announce(job.id, 2)
        until(lambda: at_work(sessions, "one") is not None and at_work(sessions, "two") is not None)
        killed = at_work(sessions, "one")
        a.kill()
        until(lambda: at_work(sessions, "two") is not None)
        stale = at_work(sessions, "two")
        b.cut_off()
        c.start(database, queue, data, log)  # somebody comes, finds what lies about
        until(lambda: at_work(sessions, "six") is not None)
        with sessions() as session:
            taken = session.get_one(RenderRange, stale)
            until(lambda: session.refresh(taken) or not taken.worker.startswith("two:"), 90)
        b.come_back()  # with a range that is another's by now

        def done() -> bool:
            with sessions() as session:
                found = session.get_one(RenderJob, job.id)
                assert found.state is not JobState.FAILED, found.error
                return found.state is JobState.DONE

        until(done, 300)
        with sessions() as session:
            found = session.get_one(RenderJob, job.id)
            again = {each.id for each in found.ranges if each.attempts > 1}
            result = library.files.path(found.result)
            words = [note.words for note in renders.log_of(session, found)]
        assert stale in again and (killed in again or killed is None)
        assert sum("their worker was lost" in each for each in words) >= 1
    with zipfile.ZipFile(result) as archive:
        names = [name for name in archive.namelist() if name.endswith(".png")]
        assert names == [f"{n:04d}.png" for n in range(FRAMES)]
        assert archive.testzip() is None
        # As one process renders them all.
        run("render", shot_file, "-o", "alone/%04d.png", "--frames", "118-121", folder=tmp_path)
        for n in range(118, 122):
            assert (
                archive.read(f"{n:04d}.png") == (tmp_path / "alone" / f"{n:04d}.png").read_bytes()
            )
