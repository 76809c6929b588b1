"""The film's page, and shots within shots, through Flask's test client on a real MariaDB."""

from __future__ import annotations

import struct

from flask.testing import FlaskClient

from tests.web.conftest import MemoryQueue, signed_in
from tests.web.test_web import edit, scene
from vistaline.actions import rendering
from vistaline.store.models import JobState, RenderJob
from vistaline.web.context import Services


def film(client: FlaskClient, project: str) -> dict:
    return client.get(f"{project}/film/film.json").json


def post(client: FlaskClient, project: str, what: str, **values: object):
    version = film(client, project)["version"]
    return client.post(f"{project}/film/{what}", data=values | {"version": version})


def copy_of(client: FlaskClient, shot: str) -> str:
    assert client.post(f"{shot}/duplicate").status_code in (200, 302)
    return f"/shots/{int(shot.rsplit('/', 1)[1]) + 1}"


def number(shot: str) -> str:
    return shot.rsplit("/", 1)[1]


def test_shots_are_joined_played_and_rendered_as_one(
    services: Services, client: FlaskClient, project: str, shot: str, queue: MemoryQueue
) -> None:
    assert "No shot yet" in client.get(f"{project}/film").text
    assert post(client, project, "renders", kind="mp4").status_code == 422
    second = copy_of(client, shot)
    for each in (shot, second):
        assert post(client, project, "shots", shot=number(each)).status_code == 200
    told = film(client, project)
    assert (told["duration"], told["rate"]) == (100, [25, 1])
    edited = post(client, project, "edits/set_join", piece="p2", kind="dissolve", frames=10)
    assert edited.status_code == 200 and film(client, project)["duration"] == 90
    refused = post(client, project, "edits/set_join", piece="p2", frames=200)
    assert refused.status_code == 422 and "its joins take 200" in refused.json["error"]
    post(client, project, "edits/set_format", width=160, height=90)
    # Frames come one behind the other, each behind its length.
    data = client.get(f"{project}/film/proof?n=44&count=3&width=160").data
    count = 0
    while data:
        (length,) = struct.unpack_from("<I", data)
        assert data[4:6] == b"\xff\xd8"
        data, count = data[4 + length :], count + 1
    assert count == 3
    assert client.get(f"{project}/film/still.jpg?n=50").data[:2] == b"\xff\xd8"
    # A shot that changes is seen as it is now; the job keeps what it was when it was asked for.
    before = film(client, project)["kept"]
    edit(client, second, "stretch_route", duration=30)
    assert film(client, project)["kept"] != before and film(client, project)["duration"] == 70
    assert post(client, project, "renders", kind="mp4", first=30, last=49).status_code == 302
    (job_id,) = queue.announced
    rendering.work_on(services.sessions, services.library, job_id, "a worker")
    with services.sessions() as session:
        job = session.get_one(RenderJob, job_id)
        assert job.state is JobState.DONE, job.error
        assert job.frames == 20 and '"version"' in job.document
    with client.get(f"/renders/{job_id}/result") as clip:
        assert clip.status_code == 200 and clip.data[4:8] == b"ftyp"
    assert "Done" in client.get(f"{project}/film/output").text
    # Undone and redone, as everything.
    version = film(client, project)["version"]
    client.post(f"{project}/film/undo", data={"version": version})
    assert film(client, project)["width"] == 1920


def test_a_film_is_there_for_its_projects_members_alone(
    client: FlaskClient, project: str, shot: str
) -> None:
    post(client, project, "shots", shot=number(shot))
    other = signed_in(client.application)
    for path in ("film", "film/film.json", "film/proof?n=0", "film/still.jpg", "film/output"):
        assert other.get(f"{project}/{path}").status_code == 404
    own = other.post("/projects", data={"name": "Elsewhere"}).headers["Location"]
    assert post(other, own, "shots", shot=number(shot)).status_code == 404


def test_a_shot_in_another_changes_with_it_and_makes_no_circle(
    client: FlaskClient, shot: str
) -> None:
    inner = copy_of(client, shot)

    def put(outer: str, into: str):
        version = scene(client, outer)["version"]
        values = {"shot": number(into), "version": version, "playhead": 0}
        return client.post(f"{outer}/nested", data=values)

    assert put(shot, inner).status_code == 200
    layer = next(each for each in scene(client, shot)["layers"] if "nested" in each["texture"])
    looks = scene(client, shot)["tracks"][layer["id"]]["looks"]
    assert len(looks) > 20 and looks[0][1] == "nested 0 shot"
    assert client.get(f"{shot}/proof?n=3&count=1&width=160").status_code == 200
    before = client.get(f"{shot}/frame.jpg?n=3&width=160").data
    edit(client, inner, "set_hidden", layer="bay", hidden="true")
    assert client.get(f"{shot}/frame.jpg?n=3&width=160").data != before
    for outer, into, says in (
        (shot, shot, "cannot show itself"),
        (inner, shot, "the two cannot show each other"),
    ):
        refused = put(outer, into)
        assert refused.status_code == 422 and says in refused.json["error"]
    panel = client.get(f"{shot}/panels/layer?layer={layer['id']}").text
    assert "Runs from" in panel and number(inner) in panel
