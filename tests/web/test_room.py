"""Marking how a picture was seen, and putting it on a room, over HTTP."""

from __future__ import annotations

import io
import re
from pathlib import Path

import numpy as np
import pytest
from flask.testing import FlaskClient
from PIL import Image

from tests.core.rooms import room
from tests.web.conftest import bring_in, do_tasks, signed_in
from tests.web.test_pictures import edit as sheet_edit
from tests.web.test_web import edit, scene
from vistaline.actions.shots import shot_now
from vistaline.core.shot.shot import Layer
from vistaline.store.models import JobState


def marked(client: FlaskClient, shot: str, rng: np.random.Generator) -> None:
    """Edges of a room seen through the photo's canvas, 320 x 180, dragged over the frame."""
    made = room(rng, noise=0)
    # The shot's frame shows the photo whole: its pixels are the canvas' times a scale.
    scale = 320 / 3000
    for each in made.edges:
        (x0, y0), (x1, y1) = (np.array(end) * scale for end in (each.a, each.b))
        answer = edit(
            client, shot, "add_edge", frame=0, x0=x0, y0=y0, x1=x1, y1=y1, along=each.along.value
        )
        assert answer.status_code == 200


def test_marks_are_told_in_words_and_pixels(
    client: FlaskClient, shot: str, rng: np.random.Generator
) -> None:
    assert scene(client, shot)["marks"] is None
    assert "Drag along edges" in client.get(f"{shot}/panels/layer").text
    edit(client, shot, "add_edge", frame=0, x0=10, y0=10, x1=200, y1=20, along="deep")
    assert "Only one edge runs deep" in client.get(f"{shot}/panels/layer").text
    assert scene(client, shot)["marks"]["edges"][0]["off"] is None
    edit(client, shot, "remove_edges")
    marked(client, shot, rng)
    text = client.get(f"{shot}/panels/layer").text
    assert "Seen through" in text and "These lines disagree by" in text
    edit(client, shot, "know_camera", what="level", flags="known", known="true")
    assert "level" in client.get(f"{shot}/panels/layer").text.split("What is known")[1][:80]
    edit(client, shot, "know_camera", what="level", flags="known")
    assert "level" not in client.get(f"{shot}/panels/layer").text.split("What is known")[1][:80]
    marks = scene(client, shot)["marks"]
    assert marks["layer"] == "bay" and len(marks["edges"]) == 6
    # Where they were dragged: a mark's shares of the layer are the frame's, which shows it whole.
    ends = np.array(marks["edges"][0]["ends"])
    assert np.abs(ends).max() <= 0.51
    edit(client, shot, "move_edge", edge=0, end="a", frame=0, x=160, y=90)
    assert scene(client, shot)["marks"]["edges"][0]["ends"][0] == pytest.approx([0, 0], abs=1e-3)
    assert edit(client, shot, "move_edge", edge=9, end="a", frame=0, x=1, y=1).status_code == 422


def test_a_picture_is_put_on_a_room_by_its_back_wall(client: FlaskClient, shot: str) -> None:
    wall = {"frame": 0, "x0": 210, "y0": 130, "x1": 110, "y1": 60}
    refused = edit(client, shot, "project_on_room", **wall)
    assert refused.status_code == 422 and "how high the camera stood" in refused.text
    edit(client, shot, "set_ground", horizon=180, eye_height=1.6)
    assert edit(client, shot, "project_on_room", **wall).status_code == 200
    layers = {layer["name"]: layer for layer in scene(client, shot)["layers"]}
    assert {"Back wall", "Floor", "Ceiling", "Left wall", "Right wall"} <= set(layers)
    assert layers["bay"]["hidden"] and layers["bay"]["projector"] is None
    assert len(layers["Floor"]["projector"]) == 12
    floor = layers["Floor"]["id"]
    assert edit(client, shot, "grow_surface", layer=floor, side="top", length=1).status_code == 200


def test_edges_are_found_and_bowed_ones_straightened(client: FlaskClient, shot: str) -> None:
    # A task looks for lines; while it has not, the page is told to ask again.
    assert client.get(f"{shot}/lines.json").status_code == 202
    assert client.get(f"{shot}/lines.json").status_code == 202  # and is not asked twice
    (task,) = do_tasks(client.application)
    assert task.state is JobState.DONE
    lines = client.get(f"{shot}/lines.json").get_json()
    assert len(lines["matrix"]) == 16 and isinstance(lines["lines"], list)
    begun = client.post(f"{shot}/find-edges")
    assert begun.status_code == 202 and begun.headers["HX-Trigger"] == "taskchange"
    (task,) = do_tasks(client.application)
    # A bay has no edges at right angles to speak of; either way it is told.
    assert task.state is JobState.DONE or "edges" in task.error
    edit(client, shot, "remove_edges")
    refused = client.post(f"{shot}/unbow")
    assert refused.status_code == 422 and "No edge is marked as bowed" in refused.text
    edit(client, shot, "add_edge", frame=0, x0=10, y0=20, x1=310, y1=20, along="across")
    edit(client, shot, "bow_edge", edge=0, frame=0, x=160, y=16)
    assert "The lens bows straight edges" in client.get(f"{shot}/panels/layer").text
    assert client.post(f"{shot}/unbow").status_code == 202
    # What is edited meanwhile stays: the task's own edit comes on top of it.
    edit(client, shot, "rename_shot", name="Meanwhile")
    (task,) = do_tasks(client.application)
    assert task.state is JobState.DONE, task.error
    assert "The lens bows" not in client.get(f"{shot}/panels/layer").text
    assert len(scene(client, shot)["marks"]["edges"][0]["ends"]) == 2
    assert "Meanwhile" in client.get(f"{shot}/direct").text


def test_a_bowed_set_is_straightened_with_what_was_cut_out_of_it(
    client: FlaskClient, project: str, picture_files: dict[str, Path]
) -> None:
    """A cutout lies over its unfilled plate as before: what is seen is the plate, straight."""
    picture = bring_in(client, project, "bay.jpg", picture_files["bay.jpg"].read_bytes())
    sheet_edit(client, picture, "add_cutout", name="Rock")
    outline = {"kind": "plane", "corners": [[20, 20], [200, 30], [210, 180], [30, 170]]}
    sheet_edit(client, picture, "add_mask_step", cutout="c1", step=outline)
    form = {"name": "Bowed", "width": 640, "height": 360, "rate": "24", "seconds": 1}
    client.post(f"/pictures/{picture}/send", data=form)
    (sent,) = do_tasks(client.application)
    shot = f"/shots/{sent.result['shot']}"

    def layers() -> dict[str, Layer]:
        services = client.application.extensions["vistaline"]
        with services.sessions() as session:
            return {each.name: each for each in shot_now(session, sent.result["shot"]).layers}

    def frame() -> np.ndarray:
        answer = client.get(f"{shot}/frame.png?n=0&width=640")
        return np.asarray(Image.open(io.BytesIO(answer.data))).astype(int)

    before = layers()
    edit(client, shot, "add_edge", frame=0, x0=20, y0=30, x1=620, y1=30, along="across")
    edit(client, shot, "bow_edge", edge=0, frame=0, x=320, y=16)
    assert client.post(f"{shot}/unbow").status_code == 202
    (task,) = do_tasks(client.application)
    assert task.state is JobState.DONE and not task.result["remarks"], task.error
    after = layers()
    assert after["Plate"].box == before["Plate"].box
    assert after["Rock"].picture != before["Rock"].picture
    assert after["Rock"].box[2] > before["Rock"].box[2]  # a barrel is pulled outwards
    both = frame()
    edit(client, shot, "set_hidden", layer=after["Rock"].id, flags="hidden", hidden="true")
    assert np.abs(both - frame()).mean() < 1
    for _ in range(2):
        client.post(f"{shot}/undo", data={"version": scene(client, shot)["version"]})
    assert layers()["Rock"] == before["Rock"]


def tasks_panel(client: FlaskClient, shot: str, project: str, stamp: str | None = None):  # type: ignore[no-untyped-def]
    query = {"bench": "desk", "shot": shot.rsplit("/", 1)[1]}
    return client.get(f"{project}/tasks", query_string=query | ({"stamp": stamp} if stamp else {}))


def test_a_surface_is_seen_straight_on_and_shows_its_own_picture(
    client: FlaskClient, shot: str, project: str
) -> None:
    edit(client, shot, "set_ground", horizon=180, eye_height=1.6)
    edit(client, shot, "project_on_room", frame=0, x0=110, y0=60, x1=210, y1=130)
    floor = next(each for each in scene(client, shot)["layers"] if each["name"] == "Floor")
    wish = {"layer": floor["id"], "beyond": "mirror"}
    assert client.post(f"{shot}/straighten", data=wish | {"only": "fetch"}).status_code == 202
    panel = tasks_panel(client, shot, project).text
    assert "Straightening Floor" in panel and "stop" in panel
    (task,) = do_tasks(client.application)
    panel = tasks_panel(client, shot, project, stamp="-")
    assert "Floor, straight on.png" in panel.text
    assert '"shotchange"' in panel.headers["HX-Trigger"]  # whoever watches loads it anew
    sent = client.get(f"/tasks/{task.id}/file")
    assert sent.mimetype == "image/png" and "straight on" in sent.headers["Content-Disposition"]
    with Image.open(io.BytesIO(sent.data)) as image:
        seen = image.width / image.height
    sent.close()
    assert seen == pytest.approx(floor["width"] / floor["height"], rel=0.02)
    assert client.post(f"{shot}/straighten", data=wish | {"beyond": "fill"}).status_code == 202
    (task,) = do_tasks(client.application)
    assert task.state is JobState.DONE, task.error
    shown = next(each for each in scene(client, shot)["layers"] if each["id"] == floor["id"])
    assert shown["projector"] is None and shown["texture"] != floor["texture"]
    refused = client.post(f"{shot}/straighten", data={"layer": floor["id"]})
    assert refused.status_code == 422 and "no plane that catches" in refused.text
    assert client.post(f"{shot}/straighten", data={"layer": "none"}).status_code == 422


def test_a_look_ahead_and_a_list_tell_nothing_of_other_shots(
    client: FlaskClient, shot: str, project: str
) -> None:
    number = client.post(f"{shot}/find-edges").get_json()["task"]
    assert client.get(f"{shot}/ahead?task={number}").status_code == 404
    do_tasks(client.application)
    # A stranger's own project, but this shot's number: its version is not told.
    stranger = signed_in(client.application)
    own = stranger.post("/projects", data={"name": "Elsewhere"}).headers["Location"]
    answer = tasks_panel(stranger, shot, own, stamp="-")
    assert answer.headers["HX-Trigger"] == "picturechange"


def test_a_task_on_a_shot_is_stopped(client: FlaskClient, shot: str, project: str) -> None:
    before = scene(client, shot)["version"]
    number = client.post(f"{shot}/find-edges").get_json()["task"]
    assert client.post(f"/tasks/{number}/stop?bench=desk").status_code == 200
    assert do_tasks(client.application)[0].state is JobState.STOPPED
    assert scene(client, shot)["version"] == before


def test_the_look_ahead_names_frames_and_sends_maps(client: FlaskClient, shot: str) -> None:
    waits = client.get(f"{shot}/ahead")
    assert "Looking at all frames" in waits.text and "stop" in waits.text
    (task,) = do_tasks(client.application)
    told = client.get(f"{shot}/ahead?task={task.id}")
    assert told.status_code == 200 and "Worst of the route" in told.text
    assert client.get(f"{shot}/ahead").text == told.text  # it is not looked for again
    assert not do_tasks(client.application)
    mapped = client.get(f"{shot}/ahead.png?n=3")
    assert mapped.mimetype == "image/png" and 0 <= float(mapped.headers["X-Bare"]) <= 1
    assert client.get(f"{shot}/ahead.png?n=9999").status_code == 422
    key = scene(client, shot)["layers"][0]["texture"]
    assert client.get(f"{shot}/ahead-picture.png?key={key}").status_code == 200
    assert client.get(f"{shot}/ahead-picture.png?key=none").status_code == 404
    assert set(client.get("/shots/bodies/ball.json").get_json()) == {"points", "faces", "open"}
    assert client.get("/shots/bodies/cone.json").status_code == 404
    edit(client, shot, "set_framing", framing=0, across=0.3)
    assert client.get(f"{shot}/ahead-picture.png?key={key}").status_code == 404
    waits = client.get(f"{shot}/ahead")
    number = re.search(r"tasks/(\d+)/stop", waits.text)[1]  # type: ignore[index]
    client.post(f"/tasks/{number}/stop?bench=desk")
    assert "Stopped" in client.get(f"{shot}/ahead?task={number}").text
