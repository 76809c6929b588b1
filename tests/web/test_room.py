"""Marking how a picture was seen, and putting it on a room, over HTTP."""

from __future__ import annotations

import io

import numpy as np
import pytest
from flask.testing import FlaskClient
from PIL import Image

from tests.core.rooms import room
from tests.web.test_web import edit, scene


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
    lines = client.get(f"{shot}/lines.json").get_json()
    assert len(lines["matrix"]) == 16 and isinstance(lines["lines"], list)
    answer = client.post(f"{shot}/find-edges", data={"version": scene(client, shot)["version"]})
    assert answer.status_code in (200, 422)  # a bay has no edges at right angles to speak of
    edit(client, shot, "remove_edges")
    refused = client.post(f"{shot}/unbow", data={"version": scene(client, shot)["version"]})
    assert refused.status_code == 422 and "No edge is marked as bowed" in refused.text
    edit(client, shot, "add_edge", frame=0, x0=10, y0=20, x1=310, y1=20, along="across")
    edit(client, shot, "bow_edge", edge=0, frame=0, x=160, y=16)
    assert "The lens bows straight edges" in client.get(f"{shot}/panels/layer").text
    done = client.post(f"{shot}/unbow", data={"version": scene(client, shot)["version"]})
    assert done.status_code == 200
    assert "The lens bows" not in client.get(f"{shot}/panels/layer").text
    assert len(scene(client, shot)["marks"]["edges"][0]["ends"]) == 2


def test_a_surface_is_seen_straight_on_and_shows_its_own_picture(
    client: FlaskClient, shot: str
) -> None:
    edit(client, shot, "set_ground", horizon=180, eye_height=1.6)
    edit(client, shot, "project_on_room", frame=0, x0=110, y0=60, x1=210, y1=130)
    floor = next(each for each in scene(client, shot)["layers"] if each["name"] == "Floor")
    sent = client.get(f"{shot}/straight.png?layer={floor['id']}&beyond=mirror")
    assert sent.mimetype == "image/png" and "straight on" in sent.headers["Content-Disposition"]
    with Image.open(io.BytesIO(sent.data)) as image:
        seen = image.width / image.height
    assert seen == pytest.approx(floor["width"] / floor["height"], rel=0.02)
    values = {"version": scene(client, shot)["version"], "layer": floor["id"], "beyond": "fill"}
    assert client.post(f"{shot}/straighten", data=values).status_code == 200
    shown = next(each for each in scene(client, shot)["layers"] if each["id"] == floor["id"])
    assert shown["projector"] is None and shown["texture"] != floor["texture"]
    again = {"version": scene(client, shot)["version"], "layer": floor["id"]}
    refused = client.post(f"{shot}/straighten", data=again)
    assert refused.status_code == 422 and "no plane that catches" in refused.text


def test_the_look_ahead_names_frames_and_sends_maps(client: FlaskClient, shot: str) -> None:
    told = client.get(f"{shot}/ahead")
    assert told.status_code == 200 and "Worst of the route" in told.text
    mapped = client.get(f"{shot}/ahead.png?n=3")
    assert mapped.mimetype == "image/png" and 0 <= float(mapped.headers["X-Bare"]) <= 1
    assert client.get(f"{shot}/ahead.png?n=9999").status_code == 422
    key = scene(client, shot)["layers"][0]["texture"]
    assert client.get(f"{shot}/ahead-picture.png?key={key}").status_code == 200
    assert client.get(f"{shot}/ahead-picture.png?key=none").status_code == 404
    assert set(client.get("/shots/bodies/ball.json").get_json()) == {"points", "faces"}
    assert client.get("/shots/bodies/cone.json").status_code == 404
