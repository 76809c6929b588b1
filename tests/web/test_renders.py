"""The list of renders, what is kept, matched and foretold, as requests; without a browser."""

import io
import json
import shutil
import zipfile
from collections import namedtuple
from datetime import timedelta
from pathlib import Path

import av
import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient
from PIL import Image

from tests.core.test_formats import run
from tests.web.conftest import MemoryQueue, do_tasks, words_in
from tests.web.test_web import edit, save, start
from vistaline.actions import rendering
from vistaline.store.models import JobState, Project, RenderJob
from vistaline.web.context import Services


def jobs_in(services: Services, shot: str) -> list[RenderJob]:
    with services.sessions() as session:
        mine = session.query(RenderJob).filter_by(shot_id=int(shot.split("/")[-1]))
        return mine.order_by(RenderJob.id).all()


def test_the_topmost_is_rendered_first_and_what_is_urgent_before_all(
    client: FlaskClient, shot: str, services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    edit(client, shot, "set_format", width=320, height=180, rate="25", duration=72)
    a, b, c, d = (start(client, shot, services, kind="png", percent=20) for _ in range(4))
    client.post("/renders/order", data={"thing": c, "to": 0})
    client.post(f"/renders/{d}/urgency", data={"urgency": 2})
    order: list[tuple[int, int]] = []
    original = rendering._render_range

    def noted(hand, work, piece) -> None:  # type: ignore[no-untyped-def]
        order.append((work.job.id, piece.start))
        original(hand, work, piece)
        if len(order) == 1:  # somebody cannot wait
            client.post(f"/renders/{b}/urgency", data={"urgency": 0})

    monkeypatch.setattr(rendering, "_render_range", noted)
    rendering.work_through(services.sessions, services.library, "one")
    ranges = (0, 24, 48)
    first = [(c, 0), *((b, at) for at in ranges), (c, 24), (c, 48)]
    assert order == [*first, *((a, at) for at in ranges), *((d, at) for at in ranges)]
    assert {job.state for job in jobs_in(services, shot)} == {JobState.DONE}
    said = words_in(client.get(f"/renders/{b}/log"))
    assert "asked for" in said and "frames 24 to 47 in" in said and "done," in said
    refused = client.post("/renders/order", data={"thing": a, "to": 0})
    assert refused.status_code == 422 and "has no place" in refused.json["error"]
    assert client.post(f"/renders/{a}/urgency", data={"urgency": 9}).status_code == 422


def test_a_list_of_a_thousand_is_shown(
    client: FlaskClient, shot: str, services: Services, app: Flask
) -> None:
    """With as many questions to the database as one of ten has."""
    job = start(client, shot, services)
    with services.sessions.begin() as session:
        one = session.get_one(RenderJob, job)
        same = {name: getattr(one, name) for name in ("shot_id", "name", "document", "delivery",
                                                      "span", "frames")}  # fmt: skip
        session.add_all(RenderJob(**same, state=JobState.STOPPED) for _ in range(1000))
    page = client.get("/renders").text
    assert page.count("data-job=") == 1001


def test_takes_and_cameras_in_one_go_and_files_are_called_by_a_pattern(
    client: FlaskClient, shot: str, services: Services, tmp_path: Path, queue: MemoryQueue
) -> None:
    edit(client, shot, "keep_take", name="Slow")
    edit(client, shot, "add_camera")
    form = {
        "kind": "png", "percent": "20", "first": "2", "last": "5", "every": "2", "handles": "1",
        "number": "1001", "name": "{project}_{take}_{camera}.{frame}",
        "take": ["", "Slow"], "camera": ["", "B"],
    }  # fmt: skip
    assert client.post(f"{shot}/renders", data=form).status_code == 302
    jobs = jobs_in(services, shot)
    assert [(job.take, job.camera) for job in jobs] == [
        ("", ""),
        ("", "B"),
        ("Slow", ""),
        ("Slow", "B"),
    ]
    assert queue.announced == [job.id for job in jobs]
    last = jobs[-1].id
    rendering.work_on(services.sessions, services.library, last, "one")
    save(client, f"/renders/{last}/result", tmp_path / "a.zip")
    with zipfile.ZipFile(tmp_path / "a.zip") as archive:
        names = archive.namelist()
    assert names == [f"sallow-head_slow_b.{n}.png" for n in range(1001, 1005)]
    made = client.get(f"/renders/{last}/made.json")
    told = json.loads(made.data)
    assert (told["frames"], told["first"]) == (4, {"frame": 0, "number": 1001})
    assert "sallow-head_slow_b.zip.json" in made.headers["Content-Disposition"]
    assert client.post(f"{shot}/renders", data=form | {"take": "Fast"}).status_code == 422
    assert client.post(f"{shot}/renders", data=form | {"name": "a/b"}).status_code == 422
    assert len(jobs_in(services, shot)) == 4


def test_one_frame_comes_as_itself(
    client: FlaskClient, shot: str, services: Services, tmp_path: Path
) -> None:
    job = start(client, shot, services, kind="png-alpha", first=7, last=7)
    rendering.work_on(services.sessions, services.library, job, "one")
    with client.get(f"/renders/{job}/result") as answer:
        assert f"bay-{job}-0007.png" in answer.headers["Content-Disposition"]
        assert Image.open(io.BytesIO(answer.data)).mode == "RGBA"
    again = client.post(f"/renders/{job}/again")
    assert again.status_code == 302 and len(jobs_in(services, shot)) == 2
    assert jobs_in(services, shot)[1].delivery == jobs_in(services, shot)[0].delivery


def test_choices_are_remembered_kept_by_name_and_forgotten(
    client: FlaskClient, shot: str, services: Services
) -> None:
    chosen = {"kind": "master", "master.rate": "light", "percent": "50", "every": "2"}
    start(client, shot, services, **chosen)
    page = client.get(f"{shot}/output").text
    assert (
        'value="master"\n        checked' in page and 'name="percent"\n        value="50"' in page
    )
    kept = client.post(f"{shot}/renders/keep", data=chosen | {"kept_name": " Cutting room "})
    assert "Cutting room" in kept.text
    assert "Cutting room" in client.get(f"{shot}/output").text
    (number,) = {int(part.split('"')[0]) for part in kept.text.split('name="kept" value="')[1:]}
    filled = client.get(f"{shot}/renders/ask?kept={number}").text
    assert "<option selected>light" in filled
    usual = client.get(f"{shot}/renders/ask?kept=").text
    assert 'value="mp4"\n        checked' in usual
    assert client.post(f"{shot}/renders/keep", data=chosen | {"kept_name": " "}).status_code == 422
    gone = client.post(f"{shot}/renders/forget", data=chosen | {"kept": number})
    assert "Cutting room" not in gone.text
    assert client.get(f"{shot}/renders/ask?kept={number}").status_code == 422


def test_the_form_becomes_like_a_clip(client: FlaskClient, shot: str, tmp_path: Path) -> None:
    path = tmp_path / "theirs.mov"
    with av.open(str(path), "w") as out:
        video = out.add_stream("prores_ks", rate=24, options={"profile": "1"})
        video.width, video.height, video.pix_fmt = 160, 90, "yuv422p10le"
        frame = av.VideoFrame.from_ndarray(np.zeros((90, 160, 3), np.uint8), format="rgb24")
        out.mux(video.encode(frame))
        out.mux(video.encode(None))
    sent = {"clip": (io.BytesIO(path.read_bytes()), "theirs.mov")}
    answer = client.post(f"{shot}/renders/match", data=sent)
    assert "theirs.mov" in answer.text and "Edit master, light" in answer.text
    assert 'value="master"\n        checked' in answer.text
    for data, name in ((b"no", "no.mov"), (path.read_bytes()[:300], "torn.mov")):
        refused = client.post(f"{shot}/renders/match", data={"clip": (io.BytesIO(data), name)})
        assert refused.status_code == 422 and name in refused.json["error"]
    assert client.post(f"{shot}/renders/match").status_code == 422


def test_sizes_and_names_are_foretold_and_what_is_wrong_is_told(
    client: FlaskClient, shot: str
) -> None:
    asked = f"{shot}/renders/expected"
    told = client.get(f"{asked}?kind=png&percent=33&first=0&last=9&name={{shot}}.{{frame}}").text
    assert "bay.0000.png" in told and "rounded to even" in told and "10 frames" in told
    for key in ("mp4", "master", "exr", "gif"):
        assert f'id="size-{key}"' in told
    for wrong, said in (
        ("name=a/b", "cannot have"), ("first=9&last=2", "comes after"), ("every=0", "every"),
        ("percent=x", "number of per cent"), ("kind=png&png.bits=12", "bits"),
    ):  # fmt: skip
        answer = client.get(f"{asked}?{wrong}")
        assert answer.status_code == 200 and said in answer.text


def test_a_render_without_room_on_the_disk_is_refused(
    client: FlaskClient, shot: str, services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(shutil, "disk_usage", lambda path: usage(1, 1, 200_000_001))
    refused = client.post(f"{shot}/renders", data={"kind": "tiff"})
    assert refused.status_code == 422 and "the disk has" in refused.json["error"]
    assert not jobs_in(services, shot)


def test_what_is_finished_is_kept_as_long_as_its_project_says(
    client: FlaskClient, project: str, shot: str, services: Services
) -> None:
    old, new = (start(client, shot, services, kind="png", last=1) for _ in range(2))
    for job in (old, new):
        rendering.work_on(services.sessions, services.library, job, "one")
    with services.sessions.begin() as session:
        session.get_one(RenderJob, old).finished -= timedelta(days=8)
    number = int(project.split("/")[-1])
    for days, kept in (("", [old, new]), ("9", [old, new]), ("7", [new])):
        answer = client.post(f"/projects/{number}/keep-renders", data={"days": days})
        assert answer.status_code == 200
        with services.sessions.begin() as session:
            rendering.tidy_renders(session, services.library)
        assert [job.id for job in jobs_in(services, shot)] == kept
    assert not (services.library.files.root / "renders" / str(old)).exists()
    refused = client.post(f"/projects/{number}/keep-renders", data={"days": "0"})
    assert refused.status_code == 422
    with services.sessions() as session:
        assert session.get_one(Project, number).keep_days == 7


@pytest.mark.parametrize("kind", ["mp4", "ffv1"])
def test_the_bench_and_the_command_line_make_the_same_bytes(
    app: Flask, client: FlaskClient, shot: str, services: Services, tmp_path: Path, kind: str
) -> None:
    """Rendered by workers, with a stop in between; and, packed and opened elsewhere, by hand."""
    edit(client, shot, "set_format", width=320, height=180, rate="25", duration=60)
    job = start(client, shot, services, kind=kind)
    original = rendering._render_range

    def stopped(hand, work, piece) -> None:  # type: ignore[no-untyped-def]
        original(hand, work, piece)
        client.post(f"/renders/{job}/stop")

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(rendering, "_render_range", stopped)
        rendering.work_on(services.sessions, services.library, job, "one")
    client.post(f"/renders/{job}/resume")
    rendering.work_on(services.sessions, services.library, job, "two")
    ending = {"mp4": ".mp4", "ffv1": ".mkv"}[kind]
    save(client, f"/renders/{job}/result", tmp_path / f"bench{ending}")
    client.post(f"{shot}/pack")
    (packed,) = do_tasks(app)
    save(client, f"/tasks/{packed.id}/file", tmp_path / "shot.zip")
    run("unpack", "shot.zip", "-o", "there", folder=tmp_path)
    run("render", "there/shot.json", "-o", f"hand{ending}", "--as", kind, folder=tmp_path)
    bench, hand = ((tmp_path / f"{by}{ending}").read_bytes() for by in ("bench", "hand"))
    assert bench == hand
