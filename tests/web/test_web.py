"""Pages and edits through Flask's test client, on a real MariaDB."""

from __future__ import annotations

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from flask import Flask
from flask.testing import FlaskClient

from tests.core.test_decode import png_header
from tests.web.conftest import MemoryQueue, bring_in, signed_in, upload, words_in
from vistaline.actions import rendering
from vistaline.actions.errors import Conflict
from vistaline.actions.history import Change
from vistaline.actions.shots import change_shot
from vistaline.store.models import JobState, RenderJob, ShotRow
from vistaline.web.context import Services


def scene(client: FlaskClient, shot: str) -> dict:
    return client.get(f"{shot}/scene.json").json


def edit(client: FlaskClient, shot: str, verb: str, **values: object):
    version = scene(client, shot)["version"]
    return client.post(f"{shot}/edits/{verb}", data=values | {"version": version})


def save(client: FlaskClient, address: str, path: Path) -> None:
    with client.get(address) as answer:
        path.write_bytes(answer.data)


def distance(client: FlaskClient, shot: str) -> float:
    return scene(client, shot)["layers"][1]["distance"]


def test_a_shot_starts_with_its_cutout_in_register(client: FlaskClient, shot: str) -> None:
    data = scene(client, shot)
    assert [layer["distance"] for layer in data["layers"]] == [6.0, 2.0]
    assert data["rate"] == [25, 1] and data["duration"] == 50 and len(data["frames"]) == 50
    assert data["frames"][0]["order"] == ["bay", "rock"]
    for address in data["textures"].values():
        picture = client.get(address)
        assert picture.mimetype == "image/webp" and picture.data[8:12] == b"WEBP"
        picture.close()


def test_a_cropped_cutout_finds_its_place(
    client: FlaskClient, project: str, picture_files: dict[str, Path], services: Services
) -> None:
    names = ("bay.jpg", "rock-cropped.png")
    ids = [bring_in(client, project, name, picture_files[name].read_bytes()) for name in names]
    form = {"picture": ids, "size": "1920x1080", "rate": "24", "seconds": 1}
    address = client.post(f"{project}/shots", data=form).headers["Location"]
    with services.sessions() as session:
        from vistaline.actions.shots import current_shot

        row = session.get(ShotRow, int(address.split("/")[2]))
        box = current_shot(session, row).layers[1].box
    # The photo is a JPEG: its pixels are near the cutout's, not the same.
    assert box == (200, 90, 220, 200)


def test_edits_are_undone_and_redone_from_another_process(
    app: Flask, client: FlaskClient, shot: str
) -> None:
    for metres in (3.0, 4.0):
        assert edit(client, shot, "move_in_depth", layer="rock", distance=metres).status_code == 200
    for verb, expected in (("undo", 3.0), ("undo", 2.0), ("undo", 2.0), ("redo", 3.0)):
        version = scene(client, shot)["version"]
        assert client.post(f"{shot}/{verb}", data={"version": version}).status_code == 200
        assert distance(client, shot) == expected
    edit(client, shot, "move_in_depth", layer="rock", distance=9)
    client.post(f"{shot}/redo", data={"version": scene(client, shot)["version"]})
    assert distance(client, shot) == 9  # what had been undone is gone after a new edit


def test_an_edit_against_an_old_version_is_refused(client: FlaskClient, shot: str) -> None:
    old = scene(client, shot)["version"]
    edit(client, shot, "move_in_depth", layer="rock", distance=3)
    values = {"layer": "rock", "distance": 5, "version": old}
    answer = client.post(f"{shot}/edits/move_in_depth", data=values)
    assert answer.status_code == 409
    assert "changed in another window" in answer.json["error"]
    assert distance(client, shot) == 3


def test_two_edits_at_once_leave_one(services: Services, client: FlaskClient, shot: str) -> None:
    """Both read the same version; the row's version decides."""
    shot_id = int(shot.split("/")[2])
    with services.sessions() as one, services.sessions() as other:
        rows = [session.get(ShotRow, shot_id) for session in (one, other)]
        values = {"layer": "rock", "distance": 3}
        asked = [Change(version=row.version, person_id=None) for row in rows]
        change_shot(one, rows[0], "move_in_depth", values, asked[0])
        one.commit()
        with pytest.raises(Conflict):
            change_shot(other, rows[1], "move_in_depth", values, asked[1])


def test_an_edit_asked_for_again_while_it_is_being_made_is_made_once(
    services: Services, client: FlaskClient, shot: str
) -> None:
    asked = Change(version=1, person_id=None, key="lost on its way")
    values = {"layer": "rock", "distance": 3}

    def ask(committing: threading.Event) -> int:
        with services.sessions() as session:
            row = session.get_one(ShotRow, int(shot.split("/")[2]))
            reading.set()
            change_shot(session, row, "move_in_depth", values, asked)
            made.set()
            assert committing.wait(10)
            session.commit()
            return row.version

    reading, made, at_once, later = (threading.Event() for _ in range(4))
    at_once.set()
    with ThreadPoolExecutor() as threads:
        slow = threads.submit(ask, later)
        assert made.wait(10)
        reading.clear()
        again = threads.submit(ask, at_once)
        assert reading.wait(10)  # the version from which the first starts, too
        time.sleep(0.2)
        later.set()
        assert slow.result(10) == again.result(10) == 2
    assert distance(client, shot) == 3


def test_a_preview_keeps_nothing(client: FlaskClient, shot: str) -> None:
    before = scene(client, shot)
    values = {"layer": "rock", "distance": 7}
    answer = client.post(f"{shot}/preview/move_in_depth?frame=3", data=values)
    assert answer.json["layers"][1]["distance"] == 7 and len(answer.json["frames"]) == 1
    assert scene(client, shot) == before


def test_a_refused_edit_says_why(client: FlaskClient, shot: str) -> None:
    answer = edit(client, shot, "move_in_depth", layer="rock", distance=0)
    assert answer.status_code == 422
    assert "rock must stand in front of the taking camera" in answer.json["error"]


def test_picking_sees_through_transparency(client: FlaskClient, shot: str) -> None:
    assert client.get(f"{shot}/pick?x=160&y=90&frame=0").json == {"layer": "rock"}
    assert client.get(f"{shot}/pick?x=5&y=5&frame=0").json == {"layer": "bay"}


@pytest.mark.parametrize(
    ("name", "data", "sentence"),
    [
        ("letter.jpg", b"Dear trust,", "letter.jpg: this is not a picture"),
        ("none.png", b"", "none.png: the file is empty"),
        ("vast.png", png_header(50_000, 50_000), "vast.png: 50,000 × 50,000 pixels"),
        ("../../x/up.gif", b"GIF89a" + bytes(20), "up.gif: "),
    ],
)
def test_uploads_that_are_refused_leave_nothing(
    client: FlaskClient, project: str, services: Services, name: str, data: bytes, sentence: str
) -> None:
    answer = upload(client, project, name, data)
    assert answer.status_code == 422
    assert answer.json["error"].startswith(sentence)
    assert not [path for path in services.library.files.root.rglob("*") if path.is_file()]


def test_the_same_picture_twice_is_kept_once(
    client: FlaskClient, project: str, picture_files: dict[str, Path]
) -> None:
    data = picture_files["bay.jpg"].read_bytes()
    first = bring_in(client, project, "bay.jpg", data)
    again = upload(client, project, "again.jpg", data).json
    assert again == {"id": first, "new": False, "name": "bay.jpg"}


def test_an_upload_above_the_limit_is_refused(app: Flask, client: FlaskClient, project) -> None:
    app.config["MAX_CONTENT_LENGTH"] = 1000
    answer = upload(client, project, "big.png", bytes(5000))
    assert answer.status_code == 413 and "larger than" in answer.json["error"]


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ({"seconds": "0"}, "length in seconds"),
        ({"seconds": "soon"}, "length in seconds"),
        ({"width": "7"}, "width must be a multiple of 2"),
        ({"own_rate": "fast"}, "frame rate must be"),
        ({"picture": []}, "at least one picture"),
    ],
)
def test_a_shot_that_makes_no_sense_is_not_started(
    client: FlaskClient, project: str, picture_files: dict[str, Path], change: dict, sentence: str
) -> None:
    picture = bring_in(client, project, "bay.jpg", picture_files["bay.jpg"].read_bytes())
    form = {"picture": [picture], "size": "own", "width": 320, "height": 180, "seconds": 2}
    answer = client.post(f"{project}/shots", data=form | change)
    assert answer.status_code == 422 and sentence in answer.json["error"]


def test_nobody_sees_anothers_work(
    app: Flask, client: FlaskClient, project: str, shot: str
) -> None:
    client.post(f"{shot}/renders", data={"kind": "mp4"})
    texture = next(iter(scene(client, shot)["textures"].values()))
    pages = ("arrange", "direct", "output", "scene.json", "frame.jpg", "pick", "panels/layer")
    addresses = [project, texture, "/renders/1/result", *(f"{shot}/{page}" for page in pages)]
    stranger = signed_in(app)
    for address in addresses:
        assert stranger.get(address).status_code == 404, address
    version = scene(client, shot)["version"]
    for address in (f"{shot}/edits/set_lens", f"{shot}/undo", f"{project}/shots", f"{shot}/renders",
                    f"{project}/members", f"{project}/remove", f"{project}/pictures"):  # fmt: skip
        assert stranger.post(address, data={"version": version}).status_code == 404, address
    nobody = app.test_client()
    for address in addresses:
        assert nobody.get(address).headers["Location"].startswith("/sign-in")


def test_a_member_works_but_does_not_own(app: Flask, client: FlaskClient, project: str) -> None:
    member = signed_in(app)
    from vistaline.store.models import Person

    with app.extensions["vistaline"].sessions() as session:
        name = session.query(Person).order_by(Person.id.desc()).first().name
    assert client.post(f"{project}/members", data={"name": name}).status_code == 302
    assert member.get(project).status_code == 200
    assert member.post(f"{project}/remove").status_code == 422
    assert client.post(f"{project}/members", data={"name": "no one"}).status_code == 422
    assert client.post(f"{project}/remove").status_code == 302


def test_pages_forbid_what_they_do_not_need(client: FlaskClient, shot: str) -> None:
    for address in ("/projects", f"{shot}/arrange", f"{shot}/direct", f"{shot}/output"):
        answer = client.get(address)
        policy = answer.headers["Content-Security-Policy"]
        assert "script-src 'self'" in policy and "unsafe" not in policy
        assert "<script>" not in answer.text and "style=" not in answer.text
        assert answer.headers["X-Content-Type-Options"] == "nosniff"


def test_cookies_and_forms_are_guarded(app: Flask, services: Services) -> None:
    app.config["WTF_CSRF_ENABLED"] = True
    browser = app.test_client()
    answer = browser.post("/sign-in", data={"name": "x", "password": "y"})
    assert answer.status_code == 400 and "Reload" in answer.text
    cookie = browser.get("/sign-in", base_url="https://localhost").headers["Set-Cookie"]
    assert "Secure" in cookie and "HttpOnly" in cookie and "SameSite=Lax" in cookie


def test_guessing_passwords_is_slowed_down(app: Flask) -> None:
    browser = app.test_client()
    answers = [
        browser.post("/sign-in", data={"name": "guessed", "password": str(n)}).status_code
        for n in range(11)
    ]
    assert answers == [422] * 10 + [429]


def test_signing_in_leads_nowhere_else(app: Flask) -> None:
    from vistaline.web.signing import _safe

    with app.test_request_context():
        assert _safe("/projects/3") == "/projects/3"
        for away in ("https://elsewhere.test/", "//elsewhere.test", "javascript:1", None):
            assert _safe(away) == "/projects"


# --- renders ----------------------------------------------------------------------------------


def start(client: FlaskClient, shot: str, services: Services, **form: object) -> int:
    assert client.post(f"{shot}/renders", data={"kind": "mp4"} | form).status_code in (200, 302)
    with services.sessions() as session:
        return session.query(RenderJob).order_by(RenderJob.id.desc()).first().id


def test_a_render_is_rendered_joined_and_fetched(
    client: FlaskClient, shot: str, services: Services, queue: MemoryQueue, tmp_path: Path
) -> None:
    from tests.core.test_formats import probe

    job = start(client, shot, services, percent="50")
    assert queue.announced == [job]
    rendering.work_on(services.sessions, services.library, job, "one")
    path = tmp_path / "fetched.mp4"
    save(client, f"/renders/{job}/result", path)
    facts = probe(path)
    assert (facts["width"], facts["avg_frame_rate"], facts["nb_read_frames"]) == (160, "25/1", "50")
    assert "Done" in client.get(f"{shot}/output").text
    # Only the result is left of the pieces.
    left = {each.name for each in services.library.files.render_folder(job).iterdir()}
    assert left == {"result.mp4", "newest.jpg"}
    with client.get(f"/renders/{job}/newest.jpg") as answer:
        assert answer.mimetype == "image/jpeg"
    client.post(f"/renders/{job}/name", data={"name": "For the trustees"})
    with client.get(f"/renders/{job}/result") as answer:
        assert "for-the-trustees" in answer.headers["Content-Disposition"]


def test_frames_come_as_an_archive(
    client: FlaskClient, shot: str, services: Services, tmp_path: Path
) -> None:
    import zipfile

    job = start(client, shot, services, kind="png", first=10, last=14)
    rendering.work_on(services.sessions, services.library, job, "one")
    path = tmp_path / "frames.zip"
    save(client, f"/renders/{job}/result", path)
    with zipfile.ZipFile(path) as archive:
        assert archive.namelist() == [f"bay-{job}-{n:04d}.png" for n in range(10, 15)]
        assert archive.testzip() is None


def test_a_stopped_render_goes_on_where_it_was(
    client: FlaskClient,
    shot: str,
    services: Services,
    queue: MemoryQueue,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    edit(client, shot, "set_format", width=320, height=180, rate="25", duration=72)
    job = start(client, shot, services)
    original, calls = rendering._render_range, []

    def first_only(hand, work, piece) -> None:
        calls.append(piece.start)
        original(hand, work, piece)
        if len(calls) == 1:
            client.post(f"/renders/{job}/stop")

    monkeypatch.setattr(rendering, "_render_range", first_only)
    rendering.work_on(services.sessions, services.library, job, "one")
    with services.sessions() as session:
        row = session.get(RenderJob, job)
        assert row.state is JobState.STOPPED and calls == [0]
    assert "Stopped after 24 of 72 frames" in words_in(client.get(f"{shot}/renders"))
    client.post(f"/renders/{job}/resume")
    assert queue.announced == [job, job]
    rendering.work_on(services.sessions, services.library, job, "two")
    assert calls == [0, 24, 48]
    with services.sessions() as session:
        assert session.get(RenderJob, job).state is JobState.DONE


def test_a_render_stopped_before_the_joining_is_joined(
    client: FlaskClient, shot: str, services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = start(client, shot, services)
    with monkeypatch.context() as patch:
        patch.setattr(rendering, "_join", lambda *_: client.post(f"/renders/{job}/stop"))
        rendering.work_on(services.sessions, services.library, job, "one")
    client.post(f"/renders/{job}/resume")
    rendering.work_on(services.sessions, services.library, job, "two")
    with services.sessions() as session:
        assert session.get(RenderJob, job).state is JobState.DONE


def test_a_render_that_cannot_be_made_says_why(
    client: FlaskClient, shot: str, services: Services
) -> None:
    import shutil

    job = start(client, shot, services)
    root = services.library.files.root
    for name in ("pyramids", "pictures"):
        shutil.rmtree(root / name)
    services.library._pyramids.forget()
    rendering.work_on(services.sessions, services.library, job, "one")
    assert "Did not work" in client.get(f"{shot}/renders").text
    assert client.post(f"{shot}/renders", data={"kind": "avi"}).status_code == 422
    assert client.post(f"{shot}/renders", data={"first": 9, "last": 3}).status_code == 422
