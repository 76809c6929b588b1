"""The list of a project's shots, and what becomes of renders' names."""

from __future__ import annotations

import re

from flask.testing import FlaskClient

from tests.web.conftest import words_in
from tests.web.test_web import scene


def names(client: FlaskClient, project: str) -> list[str]:
    page = client.get(f"{project}/shots").text.split("Removed shots")[0]
    return re.findall(r'name="name" value="([^"]*)"', page)


def test_shots_are_copied_named_and_put_in_order(
    client: FlaskClient, project: str, shot: str
) -> None:
    (first,) = names(client, project)
    assert client.post(f"{shot}/duplicate").status_code == 302
    assert names(client, project) == [first, f"{first} copy"]
    client.post(f"{shot}/duplicate")
    # A copy stands beside what it is a copy of.
    assert names(client, project) == [first, f"{first} copy 2", f"{first} copy"]
    version = scene(client, shot)["version"]
    client.post(f"{shot}/place", data={"by": 5})
    assert names(client, project) == [f"{first} copy 2", f"{first} copy", first]
    assert scene(client, shot)["version"] == version  # open pages may go on with it
    client.post(f"{shot}/name", data={"name": "Last light"})
    assert names(client, project)[2] == "Last light" == scene(client, shot)["name"]
    client.post(f"{shot}/undo", data={"version": scene(client, shot)["version"]})
    assert names(client, project)[2] == first


def test_a_removed_shot_can_be_brought_back(client: FlaskClient, project: str, shot: str) -> None:
    (name,) = names(client, project)
    assert "Removed shots: 1" in words_in(
        client.post(f"{shot}/remove", headers={"HX-Request": "true"})
    )
    assert names(client, project) == []
    client.post(f"{shot}/bring-back")
    assert names(client, project) == [name]


def test_a_picture_that_is_used_stays_and_says_where(
    client: FlaskClient, project: str, shot: str
) -> None:
    picture = re.search(r'data-picture="(\d+)"', client.get(project).text)
    assert picture
    answer = client.post(f"/pictures/{picture[1]}/remove", headers={"HX-Request": "true"})
    assert answer.status_code == 422
    assert f"is used in {scene(client, shot)['name']}" in answer.json["error"]


def test_a_reversed_range_says_so(client: FlaskClient, shot: str) -> None:
    form = {"kind": "png", "first": 12, "last": 3}
    answer = client.post(f"{shot}/renders", data=form, headers={"HX-Request": "true"})
    assert answer.status_code == 422
    assert "The first frame, 12, comes after the last, 3." in words_in(answer)
