"""Arrange's panels and its edits that need more than the shot, without a browser."""

from __future__ import annotations

import io
import json
from urllib.parse import parse_qs, urlsplit

import pytest
from flask import Flask
from flask.testing import FlaskClient
from PIL import Image

from tests.web.conftest import bring_in, signed_in
from tests.web.test_web import edit
from vistaline.core.looks.typefaces import FACES, PACKAGES


def panel(client: FlaskClient, shot: str, **chosen: object) -> str:
    query = {"several": json.dumps(chosen.pop("several", [])), **chosen}
    answer = client.get(f"{shot}/panels/layer", query_string=query)
    assert answer.status_code == 200
    return answer.text


def scene(client: FlaskClient, shot: str) -> dict:
    return client.get(f"{shot}/scene.json").json


def layers(client: FlaskClient, shot: str) -> dict[str, dict]:
    return {layer["id"]: layer for layer in scene(client, shot)["layers"]}


def test_every_panel_shows_what_is_chosen(client: FlaskClient, shot: str) -> None:
    edit(client, shot, "add_mount", layers=["rock"])
    edit(client, shot, "group_layers", layers=["bay", "rock"], name="Both")
    edit(client, shot, "keep_frame_style", name="White", layers=["rock"])
    assert "Rides on it" in panel(client, shot, layer="mount:m1")
    assert "arranged as one" in panel(client, shot, layer="group:Both", several=["bay", "rock"])
    assert "2 layers chosen" in panel(client, shot, layer="bay", several=["bay", "rock"])
    assert "Shadow on what is behind" in panel(client, shot, layer="rock", several=["rock"])
    # What is gone, or no list at all, is not taken amiss.
    assert "2 layers" in panel(client, shot, layer="mount:m9", several=["gone"])
    assert client.get(f"{shot}/panels/layer?several=%7B").status_code == 200
    folded = client.get(f"{shot}/panels/depth", query_string={"folded": '["Both"]'}).text
    assert folded.count('class="depth-card"') == 1
    for verb, kind in (("add_occluder", "window"), ("add_field", "radial"), ("add_title", None)):
        edit(client, shot, verb, **({"kind": kind} if kind else {}))
    for key in layers(client, shot):
        assert "Opacity" in panel(client, shot, layer=key)


def test_an_edits_answer_brings_the_frame_in_sight(client: FlaskClient, shot: str) -> None:
    version = scene(client, shot)["version"]
    values = {"layer": "rock", "distance": 3, "version": version}
    body = client.post(f"{shot}/edits/move_in_depth?frame=7", data=values).json
    assert body["scene"]["version"] == body["version"] == version + 1
    assert len(body["scene"]["frames"]) == 1
    found = {layer["id"]: layer["distance"] for layer in body["scene"]["layers"]}
    assert found["rock"] == 3
    only = client.get(f"{shot}/scene.json?only=7").json
    assert only["frames"] == body["scene"]["frames"]


def test_a_look_can_be_fetched_after_the_shot_has_gone_on(client: FlaskClient, shot: str) -> None:
    edit(client, shot, "keep_frame_style", name="White", layers=["rock"])
    address = scene(client, shot)["textures"]["~rock"]
    edit(client, shot, "set_frame_style", name="White", border=30)
    with client.get(address) as answer:
        assert answer.mimetype == "image/webp"
    assert address != scene(client, shot)["textures"]["~rock"]
    parts = urlsplit(address)
    other = parts.path.replace(parts.path.rsplit("/", 1)[1], "0" * 64 + ".webp")
    assert client.get(other, query_string=parse_qs(parts.query)).status_code == 404


def test_layers_are_pasted_in_the_same_project_only(
    app: Flask, client: FlaskClient, project: str, shot: str
) -> None:
    version = scene(client, shot)["version"]
    nothing = client.post(f"{shot}/paste", data={"version": version})
    assert nothing.status_code == 422 and "Nothing was copied" in nothing.json["error"]
    assert client.post(f"{shot}/copy", data={"layers": "rock"}).json["words"] == "rock"
    assert client.post(f"{shot}/paste", data={"version": version}).status_code == 200
    assert list(layers(client, shot)) == ["bay", "rock", "rock-2"]
    other = client.post("/projects", data={"name": "Elsewhere"}).headers["Location"]
    picture = bring_in(client, other, "bay.jpg", _photo())
    form = {"picture": [picture], "name": "Bay", "size": "own", "width": 320, "height": 180,
            "rate": "25", "seconds": 1}  # fmt: skip
    elsewhere = client.post(f"{other}/shots", data=form).headers["Location"]
    elsewhere = elsewhere.removesuffix("/arrange")
    refused = client.post(
        f"{elsewhere}/paste", data={"version": scene(client, elsewhere)["version"]}
    )
    assert refused.status_code == 422 and "another project" in refused.json["error"]
    assert signed_in(app).post(f"{shot}/copy", data={"layers": "rock"}).status_code == 404


def _photo() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (64, 48), "#204060").save(out, "JPEG")
    return out.getvalue()


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("notes.ttf", b"no type" * 90, "notes.ttf is not a font"),
        ("notes.txt", b"no type", "not a kind of font"),
        ("", b"", "Choose a font first"),
    ],
)
def test_what_is_no_type_is_refused(
    client: FlaskClient, shot: str, name: str, data: bytes, words: str
) -> None:
    edit(client, shot, "add_title")
    form = {"layer": "title", "version": scene(client, shot)["version"]}
    if name:
        form["font"] = (io.BytesIO(data), name)
    answer = client.post(f"{shot}/type", data=form)
    assert answer.status_code == 422 and words in answer.json["error"]


def test_type_is_kept_once_and_used(client: FlaskClient, shot: str) -> None:
    edit(client, shot, "add_title")
    font = (PACKAGES / FACES["courier"].files[400][0]).read_bytes()
    for _ in range(2):
        version = scene(client, shot)["version"]
        form = {"layer": "title", "version": version, "font": (io.BytesIO(font), "own.woff2")}
        assert client.post(f"{shot}/type", data=form).status_code == 200
    assert panel(client, shot, layer="title").count('value="own-') == 1


def test_a_picture_deleted_meanwhile_cannot_be_swapped_in(
    client: FlaskClient, project: str, shot: str
) -> None:
    picture = bring_in(client, project, "late.jpg", _photo())
    client.post(f"/pictures/{picture}/remove")
    version = scene(client, shot)["version"]
    form = {"layer": "rock", "picture": picture, "version": version}
    answer = client.post(f"{shot}/swap", data=form)
    assert answer.status_code == 404 and "no such picture" in answer.json["error"]
    assert scene(client, shot)["version"] == version
    for verb, values, words in (
        ("move_in_depth", {"distance": 1e9}, "up to a thousand kilometres"),
        ("move_in_depth", {"distance": 0}, "in front of the taking camera"),
        ("size_layer", {"percent": 0}, "above 0 %"),
    ):
        assert words in edit(client, shot, verb, layer="rock", **values).json["error"]
    edit(client, shot, "turn_layer", layer="bay", pan=90)
    assert "exactly from its side" in panel(client, shot, layer="bay")
