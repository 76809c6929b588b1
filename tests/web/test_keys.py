"""Keys over HTTP: edits at the playhead, what the desk is sent, panels, the last version."""

from __future__ import annotations

import base64
import io
import json

import numpy as np
from flask.testing import FlaskClient
from PIL import Image

from tests.web.conftest import words_in
from tests.web.test_direct import panel
from tests.web.test_web import edit, scene

ROCK = "layer:rock"


def floats(packed: str) -> np.ndarray:
    return np.frombuffer(base64.b64decode(packed), "<f4")


def faded(client: FlaskClient, shot: str) -> dict:
    """The rock is 40 percent opaque at frame 20; what the desk is sent then."""
    answer = edit(
        client, shot, "set_opacity", layer="rock", percent=40, playhead=20, auto_key="true"
    )
    assert answer.status_code == 200
    return scene(client, shot)


def test_an_edit_at_the_playhead_is_keyed_and_sent_as_floats(
    client: FlaskClient, shot: str
) -> None:
    data = faded(client, shot)
    (row,) = data["rows"]
    assert (row["of"], row["name"], row["label"]) == (ROCK, "rock", "Opacity")
    assert [(k["frame"], k["says"]) for k in row["keys"]] == [(0, "100 %"), (20, "40 %")]
    opacity = floats(data["tracks"]["rock"]["opacity"])
    assert len(opacity) == data["duration"]
    np.testing.assert_allclose(opacity[[0, 20, 49]], [1, 0.4, 0.4], rtol=1e-6)
    assert data["layers"][1]["opacity"] == 1, "what is kept besides the keys stays"
    # The unit square's matrix without its last row, as it was before the layer had keys.
    matrix = floats(data["tracks"]["rock"]["matrix"]).reshape(-1, 4, 3)[0]
    whole = np.array(data["layers"][1]["matrix"]).reshape(4, 4)[:, :3]
    np.testing.assert_allclose(matrix, whole, rtol=1e-6, atol=1e-7)


def test_one_frame_alone_is_as_it_is_among_all(client: FlaskClient, shot: str) -> None:
    """What is sent while something is dragged, and first after an edit."""
    faded(client, shot)
    alone = client.get(f"{shot}/scene.json?only=10").json
    every = scene(client, shot)
    assert len(alone["frames"]) == 1
    for name in ("opacity", "matrix"):
        one, all_ = (floats(each["tracks"]["rock"][name]) for each in (alone, every))
        np.testing.assert_array_equal(one, all_.reshape(50, -1)[10])
    shown = client.post(
        f"{shot}/preview/drag_layer?frame=10",
        data={"layer": "rock", "frame": 10, "dx": 5, "dy": 0, "playhead": 10},
    ).json
    assert floats(shown["tracks"]["rock"]["opacity"])[0] == np.float32(0.7)


def test_a_layer_that_goes_farther_takes_its_bar_along(client: FlaskClient, shot: str) -> None:
    edit(client, shot, "move_in_depth", layer="rock", distance=4, playhead=30, auto_key="true")
    data = scene(client, shot)
    bars = floats(data["tracks"]["rock"]["bars"]["above"]).reshape(-1, 4)
    np.testing.assert_allclose(bars[[0, 30], 1], [2, 4], rtol=1e-6)
    widths = bars[:, 2] - bars[:, 0]
    assert widths[30] / widths[0] == np.float32(2), "its framing is kept at the key"
    values = client.get(f"{shot}/scene.json?only=30").json["values"]["layers"]["rock"]
    assert values["move_in_depth.distance"] == 4


def test_what_has_keys_is_rendered_as_they_say(client: FlaskClient, shot: str) -> None:
    def still(n: int) -> np.ndarray:
        data = client.get(f"{shot}/frame.png?n={n}&width=320").data
        return np.asarray(Image.open(io.BytesIO(data)), np.int16)

    # The rock is a part of the photo behind it: alone it tells how much of it is seen.
    edit(client, shot, "set_hidden", layer="bay", hidden="true")
    edit(client, shot, "set_opacity", layer="rock", percent=40)
    pale = still(20)
    version = scene(client, shot)["version"]
    client.post(f"{shot}/undo", data={"version": version})
    faded(client, shot)
    np.testing.assert_array_equal(still(20), pale)
    assert np.abs(still(0) - pale).max() > 10


def test_panels_show_values_and_pins_at_the_playhead(client: FlaskClient, shot: str) -> None:
    faded(client, shot)
    for frame, shown, state in ((0, "100", "here"), (10, "70", "some"), (20, "40", "here")):
        text = words_in(client.get(f"{shot}/panels/layer?layer=rock&playhead={frame}"))
        pin = text.split('data-value="opacity"')[0].rsplit("<button", 1)[1]
        assert f'data-state="{state}"' in pin
        assert f'name="percent" value="{shown}"' in text
    assert 'data-state="none"' in text  # no other value of it has keys


def test_the_panel_of_keys_tells_what_is_chosen(client: FlaskClient, shot: str) -> None:
    empty = panel(client, shot, "keys")
    assert "first key here" in empty and "layer:rock" in empty
    faded(client, shot)
    keys = json.dumps([{"of": ROCK, "value": "opacity", "frame": frame} for frame in (0, 20)])
    text = panel(client, shot, "keys", keys=keys)
    assert "2 keys" in text and "rock · opacity" in text
    assert 'placeholder="various"' in text and 'data-verb="ease_keys"' in text
    gone = json.dumps([{"of": ROCK, "value": "opacity", "frame": 7}, {"of": 3}])
    assert "first key here" in panel(client, shot, "keys", keys=gone)
    assert "first key here" in panel(client, shot, "keys", keys="{")


def test_keys_that_cannot_be_are_refused_in_words(client: FlaskClient, shot: str) -> None:
    faded(client, shot)
    key = json.dumps([{"of": ROCK, "value": "opacity", "frame": 20}])
    for verb, values, words in (
        ("move_keys", {"keys": key, "frames": 60}, "the shot ends with frame 49"),
        ("value_keys", {"keys": key, "to": "250"}, "must be 0 to 100 %, not 250"),
        ("set_key", {"of": ROCK, "value": "text", "frame": 2}, "has no text now"),
        ("move_keys", {"keys": "[]", "frames": 1}, "at least 1 item"),
    ):
        answer = edit(client, shot, verb, **values)
        assert answer.status_code == 422
        assert words in answer.json["error"] if answer.is_json else words in answer.text
    assert [key["frame"] for key in scene(client, shot)["rows"][0]["keys"]] == [0, 20]


def test_the_version_before_the_last_edit_is_sent(client: FlaskClient, shot: str) -> None:
    assert client.get(f"{shot}/scene.json?before=1").status_code == 422
    edit(client, shot, "move_in_depth", layer="rock", distance=3)
    assert client.get(f"{shot}/scene.json?before=1").json["layers"][1]["distance"] == 2
    assert scene(client, shot)["layers"][1]["distance"] == 3
