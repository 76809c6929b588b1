"""A picture's depth without a browser: painted, brought in, taken from a shot, given to one."""

import io
import threading
from collections.abc import Iterator
from http.server import ThreadingHTTPServer
from pathlib import Path

import cv2
import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient
from PIL import Image

from tests.web.conftest import bring_in, do_tasks, signed_in
from tests.web.test_pictures import edit
from vistaline.actions.errors import Refused
from vistaline.actions.estimating import DepthService
from vistaline.core.picture.still import encode_png
from vistaline.stack.depth_service import StandIn, served
from vistaline.store.models import JobState, Picture, PictureRole

RAMP = np.tile(np.linspace(255, 0, 640).astype(np.uint8), (360, 1))


def shown(client: FlaskClient, picture: int) -> np.ndarray:
    name = client.get(f"/pictures/{picture}/separate.json").json["depth"]["name"]
    answer = client.get(f"/pictures/{picture}/depth/{name}.png")
    assert answer.status_code == 200, answer.text
    return np.asarray(Image.open(io.BytesIO(answer.data)))[..., 0]


@pytest.fixture
def picture(client: FlaskClient, project: str, picture_files: dict[str, Path]) -> int:
    return bring_in(client, project, "bay.jpg", picture_files["bay.jpg"].read_bytes())


def file_of(client: FlaskClient, picture: int) -> str:
    with client.application.extensions["vistaline"].sessions() as session:
        return str(session.get(Picture, picture).file)


def test_a_map_comes_in_and_slices_follow_it(
    client: FlaskClient, project: str, picture: int
) -> None:
    nothing = client.get(f"/pictures/{picture}/depth/abc.png")
    assert nothing.status_code == 422 and "Nothing says yet" in nothing.json["error"]
    depth = bring_in(client, project, "depth.png", encode_png(RAMP))
    assert edit(client, picture, "add_depth_map", file=file_of(client, depth)).status_code == 200
    np.testing.assert_allclose(shown(client, picture).astype(int), RAMP, atol=1)
    edit(client, picture, "slice_by_depth", map="own", count="4", overlap="0.1")

    def first() -> np.ndarray:
        cutout = client.get(f"/pictures/{picture}/separate.json").json["cutouts"][0]
        tile = client.get(f"/pictures/{picture}/tiles/mask/{cutout['mask']}/0/0/0")
        return np.asarray(Image.open(io.BytesIO(tile.data)))[100, :, 3].astype(int)

    assert first()[:100].min() == 255 and first()[300:].max() == 0
    edit(client, picture, "add_depth_step", kind="invert")
    assert first()[:300].max() == 0  # the tile ends at column 512: what is nearest now is beyond
    whole = client.get(f"/pictures/{picture}/depth-map.png16")
    codes = cv2.imdecode(np.frombuffer(whole.data, np.uint8), cv2.IMREAD_UNCHANGED)
    assert codes.dtype == np.uint16 and codes[5, 0, 0] < 300 and codes[5, -1, 0] > 65000


def test_maps_that_tell_nothing_are_refused_where_they_are_looked_at(
    app: Flask, client: FlaskClient, project: str, picture: int
) -> None:
    flat = bring_in(client, project, "flat.png", encode_png(np.full((360, 640), 80, np.uint8)))
    edit(client, picture, "add_depth_map", file=file_of(client, flat), name="flat.png")
    answer = client.get(f"/pictures/{picture}/depth/abc.png")
    assert answer.status_code == 422
    assert "flat.png is the same everywhere" in answer.json["error"]
    # The bench itself still opens, and the step can be removed.
    assert client.get(f"/pictures/{picture}/separate").status_code == 200
    assert edit(client, picture, "remove_depth_step", index="0").status_code == 200
    other = signed_in(app)
    theirs = other.post("/projects", data={"name": "Theirs"}).headers["Location"]
    foreign = file_of(other, bring_in(other, theirs, "theirs.png", encode_png(RAMP[:, ::-1])))
    answer = edit(client, picture, "add_depth_map", file=foreign)
    assert answer.status_code == 422 and "not one of this project's" in answer.json["error"]
    assert other.get(f"/pictures/{picture}/depth/abc.png").status_code == 404


def test_a_set_stands_at_its_depth_and_tells_it_back(
    app: Flask, client: FlaskClient, picture: int
) -> None:
    edit(client, picture, "add_cutout", name="Rock")
    box = [(230, 90), (390, 90), (390, 290), (230, 290)]
    outline = {"kind": "outline", "points": [{"at": at} for at in box]}
    edit(client, picture, "add_mask_step", cutout="c1", step=outline)
    edit(client, picture, "set_depth_range", near="2", far="10")
    for value, x in ((0.5, 310), (0.0, 60), (0.0, 600)):
        stroke = {"points": [[x, 100], [x, 250]], "width": 20}
        edit(client, picture, "paint_depth", stroke=stroke, value=value)
    form = {"name": "Rock", "width": 640, "height": 360, "rate": "24", "seconds": 1}
    client.post(f"/pictures/{picture}/send", data=form)
    (sent,) = do_tasks(app)
    assert sent.state is JobState.DONE, sent.error
    shot = sent.result["shot"]
    scene = client.get(f"/shots/{shot}/scene.json").json
    distances = {layer["name"]: layer["distance"] for layer in scene["layers"]}
    # Half of the nearness between 10 and 2 m: 1 / 0.3.
    assert distances["Rock"] == pytest.approx(3.33, abs=0.25)
    assert distances["Plate"] == pytest.approx(10, abs=0.6)
    # And back: the shot's own layers tell the picture's depth.
    at = client.get(f"/pictures/{picture}/separate.json").json["version"]
    answer = client.post(f"/pictures/{picture}/depth/from-shot", data={"version": at, "shot": shot})
    assert answer.status_code == 200, answer.text
    found = shown(client, picture)
    assert found[190, 310] > 240 and found[20, 20] < 20
    again = client.post(f"/pictures/{picture}/depth/to-shot", data={"shot": shot})
    assert "2 layers stand at this depth in Rock" in again.text
    after = client.get(f"/shots/{shot}/scene.json").json
    told = {layer["name"]: layer["distance"] for layer in after["layers"]}
    assert told["Rock"] == pytest.approx(distances["Rock"], rel=0.02)


def test_a_picture_is_raised_in_a_new_shot_and_again_in_that(
    app: Flask, client: FlaskClient, project: str, picture: int
) -> None:
    address = f"/pictures/{picture}/depth/raise"
    refused = client.post(address, data={"shot": 0})
    assert refused.status_code == 422 and "Paint a depth first" in refused.json["error"]
    edit(client, picture, "set_depth_range", near="2", far="10")
    for value, x in ((0.9, 310), (0.0, 60), (0.0, 600)):
        stroke = {"points": [[x, 100], [x, 250]], "width": 20}
        edit(client, picture, "paint_depth", stroke=stroke, value=value)
    assert client.post(address, data={"shot": 0}).status_code == 200
    (raised,) = do_tasks(app)
    assert raised.state is JobState.DONE, raised.error
    shot = raised.result["shot"]
    scene = client.get(f"/shots/{shot}/scene.json").json
    (layer,) = scene["layers"]
    assert layer["relief"]["shape"][0] > 0 and layer["distance"] == pytest.approx(3.333)
    # All that it is drawn of is there, under names that say what they are made of.
    for name in layer["relief"]["sheets"]:
        with client.get(scene["textures"][name]) as look:
            assert Image.open(io.BytesIO(look.data)).size == (640, 360)
    (told,) = scene["reliefs"].values()
    triangles = client.get(told)
    points, faces = np.frombuffer(triangles.data[:8], "<u4")
    assert len(triangles.data) == 8 + 16 * points + 12 * faces
    corners = np.frombuffer(triangles.data[8 + 16 * points :], "<u4")
    assert corners.max() == points - 1
    gone = client.get(told.replace(told.split("/")[-1].split(".")[0], "0" * 64))
    assert gone.status_code == 404
    # The map came in as a picture of its own, of this one.
    with app.extensions["vistaline"].sessions() as session:
        (depth,) = session.query(Picture).filter_by(role=PictureRole.DEPTH)
        assert depth.source_id == picture and depth.bits == 16
    # Once more, deeper, where it is: the layer stays one.
    edit(client, picture, "set_depth_range", near="1", far="10")
    client.post(address, data={"shot": shot, "texture": "on"})
    (again,) = do_tasks(app)
    assert again.state is JobState.DONE, again.error
    (layer,) = client.get(f"/shots/{shot}/scene.json").json["layers"]
    assert layer["distance"] == pytest.approx(1.818)


class Failing(StandIn):
    """Fails twice, then answers; what is black is refused."""

    asked = 0

    def do_POST(self) -> None:
        type(self).asked += 1
        if type(self).asked <= 2:
            self.send_error(503, "Busy")
        else:
            super().do_POST()


@pytest.fixture
def service(monkeypatch: pytest.MonkeyPatch) -> Iterator[ThreadingHTTPServer]:
    found = served(0, Failing)
    Failing.asked = 0
    thread = threading.Thread(target=found.serve_forever, daemon=True)
    thread.start()
    address = f"http://127.0.0.1:{found.server_address[1]}/"
    monkeypatch.setenv("VISTALINE_DEPTH_SERVICE", address)
    yield found
    found.shutdown()
    found.server_close()


def test_a_service_is_asked_again_until_it_answers(
    app: Flask, client: FlaskClient, picture: int, service: ThreadingHTTPServer
) -> None:
    app.config["DEPTH_SERVICE"] = "yes"
    assert client.post(f"/pictures/{picture}/depth/asked").status_code == 200
    (task,) = do_tasks(app)
    assert task.state is JobState.DONE, task.error
    assert Failing.asked == 3
    found = shown(client, picture)
    assert found[5, 300] < 5 and found[-5, 300] > 250
    # Undone, and asked in vain: what was there stays.
    app.config["DEPTH_SERVICE"] = ""
    answer = client.post(f"/pictures/{picture}/depth/asked")
    assert answer.status_code == 422 and "No depth service" in answer.json["error"]


def test_a_service_that_does_not_answer_or_answers_nonsense_is_told(
    service: ThreadingHTTPServer,
) -> None:
    grey = np.full((40, 60, 3), 90, np.uint8)
    gone = DepthService(address="http://127.0.0.1:1/", tries=2, pause=0.01)
    with pytest.raises(Refused, match="asked 2 times and nobody answers"):
        gone.estimate(grey)
    address = f"http://127.0.0.1:{service.server_address[1]}/"
    busy = DepthService(address=address, tries=2, pause=0.01)
    with pytest.raises(Refused, match="it answers 503"):
        busy.estimate(grey)
    codes = busy.estimate(grey)
    assert codes.shape == (40, 60) and codes.dtype == np.uint16
    told: list[str] = []
    busy.estimate(grey, lambda share, words: told.append(words))
    assert told == ["try 1 of 2"]


def test_the_panel_has_a_line_for_every_step(client: FlaskClient, picture: int) -> None:
    for kind in ("ground", "strokes", "planes", "map", "smooth", "curve", "limits", "invert",
                 "area", "brush", "edges", "holes"):  # fmt: skip
        values = {"file": file_of(client, picture)} if kind == "map" else {}
        assert edit(client, picture, "add_depth_step", kind=kind, values=values).status_code == 200
    panel = client.get(f"/pictures/{picture}/panels/depth").text
    assert panel.count("data-depth-step=") == 12
