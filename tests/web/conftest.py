"""The application on private servers, with a queue that only remembers."""

from __future__ import annotations

import io
import itertools
from collections.abc import Iterator
from pathlib import Path
from typing import Any, cast

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import update

from vistaline.actions.people import add_person
from vistaline.actions.tasks import work_on_task
from vistaline.actions.works import WORKS
from vistaline.store.models import ACTIVE, JobState, PictureTask, RenderJob
from vistaline.store.settings import Settings
from vistaline.web.app import create_app
from vistaline.web.context import Services
from vistaline.web.signing import limiter

NAMES = (f"person {n}" for n in itertools.count())
PASSWORD = "long enough"


class MemoryQueue:
    """Remembers what was announced."""

    def __init__(self) -> None:
        self.announced: list[int] = []
        self.tasks: list[int] = []

    def announce(self, job_id: int, workers: int, *, lasting: float | None = None) -> bool:
        self.announced.append(job_id)
        return True

    def announce_task(self, task_id: int, *, lasting: float | None = None) -> bool:
        self.tasks.append(task_id)
        return True


@pytest.fixture
def queue() -> MemoryQueue:
    return MemoryQueue()


@pytest.fixture
def app(servers: tuple[str, str], tmp_path: Path, queue: MemoryQueue) -> Iterator[Flask]:
    settings = Settings(
        database_url=servers[0], redis_url=servers[1], data=tmp_path / "data", secret_key="test"
    )
    app = create_app(settings, queue=queue)
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    # All tests sign in from one address; a fast machine would do so too often in a minute.
    with app.app_context():
        limiter.reset()
    sessions = app.extensions["vistaline"].sessions
    # The database outlives a test: what one left waiting, this one's worker would render.
    with sessions.begin() as session:
        waiting = RenderJob.state.in_(ACTIVE)
        session.execute(update(RenderJob).where(waiting).values(state=JobState.STOPPED))
    yield app
    sessions.kw["bind"].dispose()


@pytest.fixture
def services(app: Flask) -> Services:
    return app.extensions["vistaline"]


def signed_in(app: Flask) -> FlaskClient:
    """Return a browser of somebody new."""
    name = next(NAMES)
    with app.extensions["vistaline"].sessions.begin() as session:
        add_person(session, name, PASSWORD)
    client = app.test_client()
    answer = client.post(
        "/sign-in", data={"name": name, "password": PASSWORD}, base_url="https://localhost"
    )
    assert answer.status_code == 302
    client.environ_base["wsgi.url_scheme"] = "https"
    client.environ_base["HTTP_ACCEPT"] = "application/json"
    return client


@pytest.fixture
def client(app: Flask) -> FlaskClient:
    return signed_in(app)


@pytest.fixture
def project(client: FlaskClient) -> str:
    """The address of a new project."""
    answer = client.post("/projects", data={"name": "Sallow Head"})
    return answer.headers["Location"]


def do_tasks(app: Flask) -> list[PictureTask]:
    """Do the picture tasks that were announced, as a worker would; returns them."""
    found: Services = app.extensions["vistaline"]
    queue = cast(MemoryQueue, found.queue)
    done = []
    while queue.tasks:
        task_id = queue.tasks.pop(0)
        work_on_task(found.sessions, found.library, task_id, "a worker", WORKS)
        with found.sessions() as session:
            task = session.get(PictureTask, task_id)
            if task:
                done.append(task)
    return done


def words_in(answer: Any) -> str:
    """Return a page's text with each stretch of space as one, as a browser shows it."""
    return " ".join(answer.text.split())


def upload(client: FlaskClient, project: str, name: str, data: bytes) -> Any:
    """Send a file; returns the answer, and leaves its task to a worker."""
    return client.post(f"{project}/pictures", data={"picture": (io.BytesIO(data), name)})


def bring_in(client: FlaskClient, project: str, name: str, data: bytes) -> int:
    """Send a picture and let it be brought in; returns its id."""
    answer = upload(client, project, name, data).json
    if "task" not in answer:
        return int(answer["id"])
    (task,) = do_tasks(client.application)
    assert task.state is JobState.DONE, task.error
    return int(task.result["picture"])


@pytest.fixture
def shot(client: FlaskClient, project: str, picture_files: dict[str, Path]) -> str:
    """The address of a shot of the photo and its cutout."""
    ids = [
        bring_in(client, project, name, picture_files[name].read_bytes())
        for name in ("bay.jpg", "rock.png")
    ]
    form = {"picture": ids, "name": "Bay", "size": "own", "width": 320, "height": 180,
            "rate": "25", "seconds": 2}  # fmt: skip
    answer = client.post(f"{project}/shots", data=form)
    return answer.headers["Location"].removesuffix("/arrange")
