"""Direct's panels, proofs and moves that are only shown, without a browser."""

from __future__ import annotations

import base64
import io
import json
import struct

import numpy as np
import pytest
from flask.testing import FlaskClient
from PIL import Image

from tests.web.test_web import edit


def panel(client: FlaskClient, shot: str, tab: str, **more: object) -> str:
    answer = client.get(f"{shot}/panels/direct", query_string={"tab": tab, **more})
    assert answer.status_code == 200
    return answer.text


def scene(client: FlaskClient, shot: str, **query: object) -> dict:
    return client.get(f"{shot}/scene.json", query_string=query).json


def lightness(data: bytes) -> np.ndarray:
    # JPEG keeps colours at half the size; the pictures here are noise.
    return np.asarray(Image.open(io.BytesIO(data)).convert("L"), np.int16)


def test_a_proof_is_what_will_be_rendered(client: FlaskClient, shot: str) -> None:
    """Each frame behind its length; as the still of it, but for JPEG's rounding."""
    data = client.get(f"{shot}/proof?n=2&count=3&width=160").data
    pictures = []
    while data:
        (length,) = struct.unpack("<I", data[:4])
        pictures.append(lightness(data[4 : 4 + length]))
        data = data[4 + length :]
    assert len(pictures) == 3
    for n, picture in enumerate(pictures, start=2):
        still = client.get(f"{shot}/frame.png?n={n}&width=160").data
        assert np.abs(picture - lightness(still)).mean() < 3
    assert client.get(f"{shot}/proof?n=-1").status_code == 422


def test_every_panel_of_direct_shows(client: FlaskClient, shot: str) -> None:
    edit(client, shot, "set_shake", turn=2)
    edit(client, shot, "add_camera")
    edit(client, shot, "cut_to", frame="12 f", camera="b")
    edit(client, shot, "keep_take", name="First try")
    edit(client, shot, "set_aim", at="rock", across=10)
    edit(client, shot, "keep_ease", framing=1, name="Ours")
    camera = panel(client, shot, "camera")
    for words in ("First try", "To B", "Remove the shake", "Let its head be free"):
        assert words in camera
    client.set_cookie("vistaline-unit", "seconds")
    assert "Ours" in panel(client, shot, "framing", framing=1)
    assert 'value="0 s"' in panel(client, shot, "framing", framing=0)
    assert panel(client, shot, "moves").count("<details") == 12
    assert panel(client, shot, "no such", framing=99)
    edit(client, shot, "set_ease", framing=1, ease="spring(0.3)")
    assert "spring (own)" in panel(client, shot, "framing", framing=1)


def test_what_is_seen_is_cut_or_one_camera_or_a_take(client: FlaskClient, shot: str) -> None:
    edit(client, shot, "keep_take", name="Wide")
    edit(client, shot, "add_camera")
    edit(client, shot, "set_lens", lens=85)
    edit(client, shot, "cut_to", frame=5, camera="b")

    def lenses(**query: object) -> list[float]:
        return [scene(client, shot, **query)["frames"][n]["camera"]["lens"] for n in (0, 5)]

    wide = lenses(take="Wide")[0]
    assert lenses() == [wide, 85] and lenses(**{"as": "camera"}) == [85, 85]
    assert lenses(take="Wide") == [wide, wide]
    assert client.get(f"{shot}/scene.json?take=None").status_code == 422


def test_a_move_is_shown_before_it_is_kept(client: FlaskClient, shot: str) -> None:
    before = scene(client, shot)
    values = {"move": "push_in", "x": 100, "y": 60, "values": '{"closer": 2}'}
    clip = client.post(f"{shot}/clip/apply_move", data=values).json
    assert clip["at"][0] == 0 and len(clip["frames"]) == len(clip["at"]) <= 36
    assert clip["frames"][0]["clip"] != clip["frames"][-1]["clip"]
    assert scene(client, shot)["version"] == before["version"]
    refused = client.post(f"{shot}/clip/apply_move", data=values | {"values": '{"closer": 90}'})
    assert refused.status_code == 422 and "Closer must be" in refused.json["error"]
    peak = client.get(f"{shot}/peak.json?time=0.7&height=2").json
    assert peak["peak"] == pytest.approx([0.7, 2], abs=0.02)
    framing = client.get(f"{shot}/framing.json?framing=0").json
    assert client.get(f"{shot}/framing.json?framing=9").status_code == 404
    edit(client, shot, "paste_framings", framings=json.dumps([framing]), after=0)
    assert len(scene(client, shot)["framings"]) == len(before["framings"]) + 1


@pytest.mark.parametrize(
    ("move", "words"),
    [("zoom", "the lens goes from"), ("dolly", "Dolly: the camera goes"), ("arc", "round")],
)
def test_a_drag_says_what_it_does(client: FlaskClient, shot: str, move: str, words: str) -> None:
    values = {"framing": 0, "move": move, "dx": 12, "dy": -20}
    assert words in client.post(f"{shot}/preview/move_camera?frame=0", data=values).json["said"]


def test_somebody_elses_camera_drives_the_shot(client: FlaskClient, shot: str) -> None:
    """The file is one by hand: a camera that goes a metre to the right in half a second."""
    keys = np.array([0, 0.5, 0, 0, 0, 1, 0, 0], "<f4").tobytes()
    scene = {
        "asset": {"version": "2.0"},
        "nodes": [{"camera": 0, "name": "Crane"}],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.6, "znear": 0.1}}],
        "buffers": [{"uri": "data:;base64," + base64.b64encode(keys).decode(), "byteLength": 32}],
        "bufferViews": [{"buffer": 0, "byteLength": 8},
                        {"buffer": 0, "byteOffset": 8, "byteLength": 24}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "type": "SCALAR", "count": 2},
            {"bufferView": 1, "componentType": 5126, "type": "VEC3", "count": 2},
        ],
        "animations": [{"channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}],
                        "samplers": [{"input": 0, "output": 1}]}],
    }  # fmt: skip
    version = client.get(f"{shot}/scene.json").json["version"]

    def send(data: bytes, name: str):  # type: ignore[no-untyped-def]
        form = {"camera": (io.BytesIO(data), name), "version": str(version)}
        return client.post(f"{shot}/cameras", data=form)

    refused = send(b"no", "no.glb")
    assert refused.status_code == 422 and "no.glb is no glTF file" in refused.json["error"]
    assert send(json.dumps(scene).encode(), "crane.gltf").status_code == 200
    assert "Crane" in panel(client, shot, "camera")
    rows = client.get(f"{shot}/camera.json").json["frames"]
    assert rows[0]["x"] == 0 and rows[-1]["x"] == pytest.approx(1.0, abs=1e-3)
    assert {row["camera"] for row in rows} == {"b"}
    assert client.post(f"{shot}/undo", data={"version": str(version + 1)}).status_code == 200
    assert "Crane" not in panel(client, shot, "camera")
