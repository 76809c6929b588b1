"""The real stack: MariaDB, Redis, gunicorn, Celery; Chromium drives the real pages."""

from __future__ import annotations

import os
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import pytest
from playwright.sync_api import (
    Browser,
    FloatRect,
    Locator,
    Page,
    StorageState,
    expect,
    sync_playwright,
)

from tests.conftest import private_servers
from vistaline.actions.shots import create_shot, current_shot
from vistaline.stack.run import DEMO_NAME, DEMO_PASSWORD, load_demo, server_commands
from vistaline.stack.services import free_port
from vistaline.store.database import connect
from vistaline.store.files import FileStore
from vistaline.store.models import PictureTask, SheetRow, ShotRow

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    # Without a graphics card WebGL is drawn by the processor, and so is the page, but not by way
    # of WebGL's driver: what a browser chooses by itself on such a machine.
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--ignore-gpu-blocklist",
    "--disable-gpu-compositing",
]
# A slow machine with others' work on it takes long over what is quick here; a test that fails for
# a reason fails all the same.
PATIENCE = 60_000
expect.set_options(timeout=PATIENCE)


@dataclass
class Stack:
    """A running Vistaline."""

    address: str
    environment: dict[str, str]
    folder: Path
    processes: dict[str, subprocess.Popen]

    def start(self, name: str) -> None:
        port = int(self.address.rsplit(":", 1)[1])
        with (self.folder / f"{name}.log").open("ab") as log:
            self.processes[name] = subprocess.Popen(
                server_commands(sys.executable, port, self.folder)[name],
                env=self.environment,
                stdout=log,
                stderr=log,
            )

    def stop(self, name: str) -> None:
        process = self.processes.pop(name)
        process.terminate()
        process.wait(30)

    def wait(self) -> None:
        for _ in range(1200):
            try:
                urllib.request.urlopen(f"{self.address}/sign-in").close()
                return
            except (urllib.error.URLError, ConnectionError):
                time.sleep(0.1)
        raise AssertionError((self.folder / "web.log").read_text())


@contextmanager
def running_stack(folder: Path) -> Iterator[Stack]:
    """Run everything, with the demo loaded."""
    with private_servers() as (database, queue):
        load_demo(database, FileStore(folder / "data"))
        running = Stack(
            address=f"http://127.0.0.1:{free_port()}",
            environment=os.environ
            | {
                "VISTALINE_DATABASE": database,
                "VISTALINE_REDIS": queue,
                "VISTALINE_DATA": str(folder / "data"),
                "VISTALINE_SECRET": "a secret for the tests",
            },
            folder=folder,
            processes={},
        )
        try:
            running.start("web")
            running.start("worker")
            running.start("pictures")
            running.wait()
            yield running
        finally:
            for name in list(running.processes):
                running.stop(name)


@pytest.fixture(scope="session")
def stack(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    with running_stack(tmp_path_factory.mktemp("stack")) as running:
        yield running


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield chromium
        chromium.close()


@pytest.fixture(scope="session")
def signed_in(browser: Browser, stack: Stack) -> StorageState:
    """The cookies of somebody who has signed in."""
    page = browser.new_page(base_url=stack.address)
    sign_in(page)
    state = page.context.storage_state()
    page.close()
    return state


@pytest.fixture
def page(browser: Browser, stack: Stack, signed_in: StorageState) -> Iterator[Page]:
    """A page of somebody signed in; what the page complains of fails the test."""
    opened = browser.new_page(
        viewport={"width": 1280, "height": 800}, base_url=stack.address, storage_state=signed_in
    )
    opened.set_default_timeout(PATIENCE)
    complaints: list[str] = []
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    opened.on("request", lambda request: complaints.extend(_outside(request.url, stack)))
    opened.goto("/projects")
    yield opened
    opened.close()
    assert complaints == []


def _outside(address: str, stack: Stack) -> list[str]:
    own = address.startswith((stack.address, "blob:", "data:", "about:"))
    return [] if own else [f"left the machine: {address}"]


def sign_in(page: Page) -> None:
    page.goto("/sign-in")
    page.fill("[name=name]", DEMO_NAME)
    page.fill("[name=password]", DEMO_PASSWORD)
    page.click("main button")
    page.wait_for_url("**/projects")


def open_bench(page: Page, shot: int, bench: str) -> None:
    page.goto(f"/shots/{shot}/{bench}")
    # The first to open a shot waits until its looks are drawn.
    page.wait_for_selector(".gate[data-ready]", timeout=180_000)
    page.wait_for_selector("#inspector h2, #inspector .title")
    idle(page)


def idle(page: Page) -> None:
    """Wait until the page is at rest: all that was asked for is answered and shown."""
    page.wait_for_selector("html[data-idle=true]", state="attached", timeout=120_000)


def box_of(locator: Locator) -> FloatRect:
    """Return where something is on the screen, once it is, and stands still.

    What is drawn anew whenever the page changes may be gone just when it is asked for, and may
    move when panels about it are filled.
    """
    deadline = time.monotonic() + PATIENCE / 1000
    seen = None
    while not (box := locator.bounding_box()) or box != seen:
        assert time.monotonic() < deadline, f"{locator} is nowhere, or never stands still"
        seen = box
        time.sleep(0.05)
    return box


# --- a shot of its own for each test -----------------------------------------------------------


class Copies:
    """Copies of the demo's shots, and fresh sheets of its pictures, for one test."""

    def __init__(self, stack: Stack) -> None:
        _, self._sessions = connect(stack.environment["VISTALINE_DATABASE"])
        self._shots: dict[int, int] = {}

    def shot(self, demo: int) -> int:
        """Return this test's own copy of a shot of the demo; the same whenever it is asked for."""
        if demo not in self._shots:
            with self._sessions.begin() as session:
                row = session.get_one(ShotRow, demo)
                copy = create_shot(session, row.project_id, current_shot(session, row), None)
                self._shots[demo] = copy.id
        return self._shots[demo]

    def fresh_sheets(self) -> None:
        """Let every picture be as it came: nothing prepared, nothing cut, nothing filled."""
        with self._sessions.begin() as session:
            for row in (*session.query(SheetRow), *session.query(PictureTask)):
                session.delete(row)

    def drop(self) -> None:
        """Remove the copies."""
        with self._sessions.begin() as session:
            for key in self._shots.values():
                row = session.get(ShotRow, key)
                if row is not None:
                    session.delete(row)


_copies: list[Copies] = []


@pytest.fixture(autouse=True)
def copies(stack: Stack) -> Iterator[Copies]:
    """What this test changes is its own: no test cleans up after another."""
    mine = Copies(stack)
    _copies.append(mine)
    yield mine
    _copies.remove(mine)
    mine.drop()


def own(demo: int) -> int:
    """Return the id of the running test's own copy of a shot of the demo."""
    return _copies[-1].shot(demo)


def fresh_sheets() -> None:
    """Let the pictures be as they came for the running test; a fresh stack has none else."""
    if _copies:
        _copies[-1].fresh_sheets()
