"""What a render becomes, chosen on the Output bench, without a browser."""

import io
import tempfile
import zipfile
from pathlib import Path

import av
import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient

from tests.web.conftest import do_tasks, words_in
from tests.web.test_web import edit
from vistaline.actions import rendering
from vistaline.core.formats.outputs import ENCODERS
from vistaline.store.models import JobState, RenderJob
from vistaline.web.context import Services


def rendered(client: FlaskClient, services: Services, shot: str, **form: str) -> bytes:
    """Ask for a render of two frames, do it as a worker would, and fetch it."""
    asked = client.post(f"{shot}/renders", data={"first": "0", "last": "1", "percent": "50"} | form)
    assert asked.status_code == 302, asked.text
    with services.sessions() as session:
        job = max(each.id for each in session.query(RenderJob))
    rendering.work_on(services.sessions, services.library, job, "a worker")
    with client.get(f"/renders/{job}/result") as answer:
        assert answer.status_code == 200, answer.text
        suffix = ENCODERS[form["kind"]].suffix
        assert f"-{job}{suffix}" in answer.headers["Content-Disposition"]
        return bytes(answer.data)


def test_every_output_is_offered_with_what_can_be_chosen(client: FlaskClient, shot: str) -> None:
    page = client.get(f"{shot}/output").text
    for encoder in ENCODERS.values():
        assert f'value="{encoder.key}"' in page
        for name in encoder.options.model_fields:
            assert f'name="{encoder.key}.{name}"' in page
    for use in ("To look at", "For the edit", "For pages", "Frames for others"):
        assert use in words_in(client.get(f"{shot}/output"))


@pytest.mark.parametrize(
    ("form", "codec", "samples"),
    [
        ({"kind": "master", "master.rate": "light"}, "prores", "yuv422p10le"),
        ({"kind": "ffv1", "ffv1.bits": "8", "ffv1.alpha": "true"}, "ffv1", "bgra"),
        ({"kind": "mp4", "mp4.samples": "422", "master.rate": "proxy"}, "h264", "yuv422p10le"),
    ],
)
def test_a_clip_is_made_as_it_was_chosen(
    client: FlaskClient,
    services: Services,
    shot: str,
    form: dict[str, str],
    codec: str,
    samples: str,
) -> None:
    with av.open(io.BytesIO(rendered(client, services, shot, **form))) as clip:
        video = clip.streams.video[0]
        assert (video.codec_context.name, video.pix_fmt) == (codec, samples)
        assert len(list(clip.decode(video))) == 2


def test_frames_come_in_one_archive_with_their_own_ending(
    client: FlaskClient, services: Services, shot: str
) -> None:
    form = {"kind": "exr", "exr.alpha": "true"}
    with zipfile.ZipFile(io.BytesIO(rendered(client, services, shot, **form))) as archive:
        first, second = archive.namelist()
        assert first.endswith("-0000.exr") and second.endswith("-0001.exr")
        assert np.frombuffer(archive.read(second)[:4], "<u4")[0] == 20_000_630


def test_what_makes_no_sense_is_refused_and_nothing_is_kept(
    client: FlaskClient, services: Services, shot: str
) -> None:
    with services.sessions() as session:
        before = session.query(RenderJob).count()
    for form, words in (
        ({"kind": "mp4", "mp4.mbit": "0"}, "mbit must be greater than 0"),
        ({"kind": "master", "master.rate": "best"}, "rate must be"),
        ({"kind": "reel"}, "There is no output"),
    ):
        refused = client.post(f"{shot}/renders", data=form)
        assert refused.status_code == 422 and words in refused.text
    with services.sessions() as session:
        assert session.query(RenderJob).count() == before


def test_the_scene_and_the_path_are_handed_over(
    app: Flask, client: FlaskClient, project: str, shot: str
) -> None:
    path = client.get(f"{shot}/camera.csv")
    assert (
        path.data.startswith(b"frame,timecode,camera")
        and "bay-camera.csv" in (path.headers["Content-Disposition"])
    )
    assert len(client.get(f"{shot}/camera.json").json["frames"]) == 50
    asked = client.post(f"{shot}/scene")
    assert asked.status_code == 202 and client.post(f"{shot}/scene").json == asked.json
    (task,) = do_tasks(app)
    assert task.state is JobState.DONE, task.error
    number = shot.split("/")[-1]
    panel = client.get(f"{project}/tasks?bench=output&shot={number}")
    assert "Bay.glb" in panel.text
    with client.get(f"/tasks/{task.id}/file") as answer:
        assert answer.data[:4] == b"glTF"


def test_a_packed_shot_is_opened_in_another_project(
    app: Flask,
    client: FlaskClient,
    project: str,
    shot: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    edit(client, shot, "add_title", text="Sallow Head")
    client.post(f"{shot}/pack")
    (packed,) = do_tasks(app)
    assert packed.state is JobState.DONE, packed.error
    with client.get(f"/tasks/{packed.id}/file") as answer:
        data = bytes(answer.data)
    other = client.post("/projects", data={"name": "Elsewhere"}).headers["Location"]
    files = {"package": (io.BytesIO(data), "bay.zip")}
    assert client.post(f"{other}/packages", data=files).status_code == 204
    (opened,) = do_tasks(app)
    assert opened.state is JobState.DONE, opened.error
    there = f"/shots/{opened.result['shot']}"
    scenes = [client.get(f"{each}/scene.json").json for each in (shot, there)]
    told = [[(layer["name"], layer["matrix"]) for layer in scene["layers"]] for scene in scenes]
    assert told[0] == told[1]
    page = client.get(f"{other}/tasks?bench=pictures")
    assert "Opening" in page.text and there in page.text
    # What is none, or was altered, is told, and nothing comes of it.
    refused = client.post(f"{other}/packages", data={"package": (io.BytesIO(b"no"), "no.zip")})
    assert refused.status_code == 422 and "no.zip is no package" in refused.json["error"]
    half = len(data) // 2
    changed = bytes([data[half] ^ 1])
    torn = {"package": (io.BytesIO(data[:half] + changed + data[half + 1 :]), "torn.zip")}
    client.post(f"{other}/packages", data=torn)
    (failed,) = do_tasks(app)
    assert failed.state is JobState.FAILED and "torn.zip" in failed.error
    assert not list(tmp_path.glob("vistaline-*"))
