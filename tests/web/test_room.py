"""Marking how a picture was seen, and putting it on a room, over HTTP."""

from __future__ import annotations

import numpy as np
import pytest
from flask.testing import FlaskClient

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
