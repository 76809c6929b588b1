"""Servers that are away: nothing that was kept is refused, and every page says what is wrong."""

from __future__ import annotations

import io
import json
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from flask import Flask
from flask.testing import FlaskClient

from tests.conftest import private_servers
from tests.web.conftest import PASSWORD, MemoryQueue, bring_in, signed_in
from tests.web.test_web import edit, scene
from vistaline.actions.people import add_person
from vistaline.actions.queue import CeleryQueue, celery_app
from vistaline.core.kept import LIMIT, held
from vistaline.stack.services import free_port
from vistaline.store.models import PictureTask, Revision, ShotRow
from vistaline.store.settings import Settings
from vistaline.web.app import create_app
from vistaline.web.context import Services
from vistaline.web.health import private_bytes

NOWHERE = f"redis://:x@127.0.0.1:{free_port()}/0"


@pytest.fixture
def queueless(servers: tuple[str, str], tmp_path: Path) -> Iterator[Flask]:
    """The application with a queue that does not answer."""
    settings = Settings(
        database_url=servers[0], redis_url=NOWHERE, data=tmp_path / "data", secret_key="test"
    )
    app = create_app(settings, queue=CeleryQueue(celery_app(NOWHERE)))
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    yield app
    app.extensions["vistaline"].sessions.kw["bind"].dispose()


def test_without_the_queue_people_sign_in_and_what_is_kept_says_so(
    queueless: Flask, photo: object, picture_files: dict[str, Path]
) -> None:
    client = signed_in(queueless)
    project = client.post("/projects", data={"name": "Quiet"}).headers["Location"]
    data = (io.BytesIO(picture_files["bay.jpg"].read_bytes()), "bay.jpg")
    began = time.monotonic()
    answer = client.post(f"{project}/pictures", data={"picture": data})
    assert time.monotonic() - began < 15
    assert answer.status_code == 200 and answer.json["new"]
    assert answer.headers["X-Notice"].startswith("Kept. The workers cannot be reached")
    with queueless.extensions["vistaline"].sessions() as session:
        assert session.get(PictureTask, answer.json["task"])  # the sweep will find it
    health = client.get("/healthz")
    assert health.status_code == 503 and not health.json["queue"]["ok"]
    assert health.json["database"]["ok"]
    assert client.get("/readyz").status_code == 503


def test_without_the_database_every_page_says_so(tmp_path: Path) -> None:
    with private_servers() as addresses:
        settings = Settings(
            database_url=addresses.database,
            redis_url=addresses.queue,
            data=tmp_path / "data",
            secret_key="test",
        )
        app = create_app(settings, queue=MemoryQueue())
        app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
        client = signed_in(app)
        project = client.post("/projects", data={"name": "Soon gone"}).headers["Location"]
    pages = ["/projects", project, "/shots/1/direct", "/sign-in", "/pictures/1/separate"]
    for page in pages:
        answer = client.get(page, headers={"Accept": "text/html"})
        if page == "/sign-in" and answer.status_code == 200:
            continue  # it need not ask
        assert answer.status_code == 503, page
        assert "The database does not answer. Nothing was lost" in answer.text
    answer = client.post("/shots/1/edits/rename_shot", data={"version": 1, "name": "x"})
    assert answer.status_code == 503 and "does not answer" in answer.json["error"]
    part = client.get("/projects", headers={"HX-Request": "true", "Accept": "text/html"})
    assert part.status_code == 503 and part.headers["HX-Retarget"] == "#notice"
    health = client.get("/healthz")
    assert health.status_code == 503 and not health.json["database"]["ok"]
    app.extensions["vistaline"].sessions.kw["bind"].dispose()


def test_all_well(client: FlaskClient) -> None:
    answer = client.get("/healthz")
    assert answer.status_code == 200 and answer.json["ok"]
    assert client.get("/readyz").json == {
        "ok": True,
        "database": {"ok": True},
        "queue": {"ok": True},
        "files": {"ok": True},
    }
    assert answer.json["memory"]["cached"] == sum(answer.json["memory"]["caches"].values())


def test_an_edit_that_is_sent_twice_is_made_once(
    client: FlaskClient, shot: str, services: Services
) -> None:
    """Its answer was lost, so it is asked for again under the same key."""
    before = scene(client, shot)["version"]
    values = {"version": before, "kind": "flat"}
    key = {"X-Edit-Key": "a-key-of-its-own"}
    first = client.post(f"{shot}/edits/add_field", data=values, headers=key)
    again = client.post(f"{shot}/edits/add_field", data=values, headers=key)
    assert first.status_code == again.status_code == 200
    assert first.json["version"] == again.json["version"] == before + 1
    number = int(shot.rsplit("/", 1)[1])
    with services.sessions() as session:
        assert session.query(Revision).filter_by(owner_id=number).count() == 2
    undo = {"X-Edit-Key": "another"}
    for _ in range(2):
        gone = client.post(f"{shot}/undo", data={"version": before + 1}, headers=undo)
        assert gone.status_code == 200
    with services.sessions() as session:
        assert session.get(ShotRow, number).position == 1
    # Without the key the second is refused, with a way out.
    refused = client.post(f"{shot}/undo", data={"version": before + 1})
    assert refused.status_code == 409 and refused.json["reload"]
    part = client.post(
        f"{shot}/undo", data={"version": 1}, headers={"HX-Request": "true", "Accept": "text/html"}
    )
    assert part.status_code == 409 and "data-reload" in part.text


@pytest.mark.parametrize("name", ["маяк.jpg", "Wieża świetlna.jpg", "灯台.jpg", 'a"b;c\n.jpg'])
def test_a_picture_named_in_any_script_is_downloaded(
    client: FlaskClient, project: str, picture_files: dict[str, Path], name: str
) -> None:
    picture = bring_in(client, project, name, picture_files["bay.jpg"].read_bytes())
    answer = client.get(f"/pictures/{picture}/picture.png")
    assert answer.status_code == 200
    assert answer.headers["Content-Disposition"].startswith("attachment;")
    answer.close()


def test_a_document_that_cannot_be_kept_is_refused_and_the_old_one_stays(
    client: FlaskClient, project: str, picture_files: dict[str, Path]
) -> None:
    """The 101st step was kept, and then nothing of the picture could be loaded, undo included."""
    picture = bring_in(client, project, "bay.jpg", picture_files["bay.jpg"].read_bytes())
    steps = [{"kind": "levels"}] * 100
    version = client.get(f"/pictures/{picture}/prepare.json").json["version"]
    answer = client.post(
        f"/pictures/{picture}/edits/set_steps",
        data={"version": version, "steps": json.dumps(steps)},
    )
    assert answer.status_code == 200
    version = answer.json["version"]
    refused = client.post(
        f"/pictures/{picture}/edits/add_step", data={"version": version, "kind": "levels"}
    )
    assert refused.status_code == 422 and "at most 100 steps" in refused.json["error"]
    assert client.get(f"/pictures/{picture}/prepare").status_code == 200
    assert client.post(f"/pictures/{picture}/undo", data={"version": version}).status_code == 200


def test_memory_stays_flat_over_100_shots(
    client: FlaskClient, project: str, picture_files: dict[str, Path]
) -> None:
    """Each is made, edited, looked at and left; after the first twenty nothing more is held."""
    pictures = [
        bring_in(client, project, name, picture_files[name].read_bytes())
        for name in ("bay.jpg", "rock.png")
    ]
    form = {"picture": pictures, "name": "Bay", "size": "own", "width": 320, "height": 180,
            "rate": "25", "seconds": 2}  # fmt: skip
    taken: list[int] = []
    for n in range(100):
        answer = client.post(f"{project}/shots", data=form)
        shot = answer.headers["Location"].removesuffix("/arrange")
        edit(client, shot, "add_title", text=f"Shot {n}")
        layer = scene(client, shot)["layers"][-1]["id"]
        edit(client, shot, "set_key", of=f"layer:{layer}", value="across", frame=n % 40)
        scene(client, shot)
        client.get(f"{shot}/panels/layer?layer={layer}")
        if n % 10 == 9:
            taken.append(private_bytes())
    assert sum(held().values()) <= LIMIT
    # Ten readings; the allocator's own room aside, it does not grow with the number of shots.
    assert max(taken[5:]) - taken[1] < 40_000_000, [round(each / 1e6) for each in taken]


def test_somebody_can_be_added_while_others_work(services: Services) -> None:
    with services.sessions.begin() as session:
        assert add_person(session, "somebody else entirely", PASSWORD).id
