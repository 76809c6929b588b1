"""A cloth's motion without a browser: computed by a worker, stopped, gone on with, sent."""

import numpy as np
from flask import Flask
from flask.testing import FlaskClient

from tests.web.conftest import do_tasks
from tests.web.test_web import edit
from vistaline.store.models import JobState


def told(client: FlaskClient, shot: str) -> str:
    scene = client.get(f"{shot}/scene.json").json
    (address,) = scene["cloths"].values()
    return str(address)


def test_a_motion_is_computed_once_and_sent_frame_by_frame(
    app: Flask, client: FlaskClient, project: str, shot: str
) -> None:
    layer = client.get(f"{shot}/scene.json").json["layers"][-1]
    assert layer["cloth"] is None
    edit(client, shot, "set_cloth", layer=layer["id"], held="left", seed="4711")
    first = told(client, shot)
    waits = client.get(first)
    assert waits.status_code == 202
    assert client.get(first).json == waits.json  # one task, however often it is asked
    panel = client.get(f"{project}/tasks?bench=desk&shot={shot.split('/')[-1]}")
    assert "Letting the wind move" in panel.text
    (task,) = do_tasks(app)
    assert task.state is JobState.DONE, task.error
    sent = client.get(first)
    cloth = client.get(f"{shot}/scene.json").json["layers"][-1]["cloth"]
    numbers = np.frombuffer(sent.data, "<i2").reshape(24, cloth["rows"], cloth["columns"], 4)
    assert sent.status_code == 200 and np.ptp(numbers[:, -1, -1, 2]) > 100
    last = client.get(f"{first}&first=48")
    assert len(last.data) == 2 * numbers[0].nbytes  # two of its fifty frames are left
    assert client.get(f"{first}&first=50").status_code == 404
    assert client.get(first.replace("/cloth/", "/cloth/0")).status_code == 404
    # What moves alike is not computed again: a darker fold, a later one.
    edit(client, shot, "set_cloth", layer=layer["id"], folds="90", delay="0.5")
    assert told(client, shot) != first and client.get(told(client, shot)).status_code == 200


def test_one_that_was_stopped_waits_until_somebody_goes_on(
    app: Flask, client: FlaskClient, shot: str
) -> None:
    layer = client.get(f"{shot}/scene.json").json["layers"][-1]["id"]
    edit(client, shot, "set_cloth", layer=layer, held="head", seed="4712")
    task = client.get(told(client, shot)).json["task"]
    assert client.post(f"/tasks/{task}/stop").status_code == 200
    assert client.get(told(client, shot)).status_code == 409
    assert not [each for each in do_tasks(app) if each.state is JobState.DONE]
    client.post(f"/tasks/{task}/resume")
    do_tasks(app)
    assert client.get(told(client, shot)).status_code == 200
    other = app.test_client()
    assert other.get(told(client, shot)).status_code in (302, 401, 404)
