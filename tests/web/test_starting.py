"""How a shot begins: photographs side by side, and pictures that are added as cards."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from flask.testing import FlaskClient

from tests.conftest import textured
from tests.web.conftest import bring_in
from tests.web.test_web import scene
from vistaline.core.picture.still import encode_png


@pytest.fixture
def prints(client: FlaskClient, project: str, rng: np.random.Generator) -> list[int]:
    """Three photographs that have nothing to do with each other, of three shapes."""
    return [
        bring_in(client, project, f"print {n}.png", encode_png(textured(rng, width, 200), level=1))
        for n, width in enumerate((300, 200, 120), start=1)
    ]


def start(client: FlaskClient, project: str, pictures: list[int], **values: object) -> str:
    form = {"picture": pictures, "name": "Prints", "size": "1280x720", "rate": "25", "seconds": 2}
    answer = client.post(f"{project}/shots", data=form | values)
    return answer.headers["Location"].removesuffix("/arrange")


def test_photographs_start_side_by_side_framed_and_captioned(
    client: FlaskClient, project: str, prints: list[int]
) -> None:
    shot = start(client, project, prints, round_them="Mat and frame", captions="true")
    layers = scene(client, shot)["layers"]
    cards = [layer for layer in layers if layer["name"].startswith("print")]
    captions = [layer for layer in layers if layer["name"].startswith("Caption")]
    assert len(cards) == len(captions) == 3
    assert len({layer["distance"] for layer in layers}) == 1
    # In the order they were chosen, and none lies over another: their boxes are apart.
    middles = [np.reshape(card["matrix"], (4, 4), order="F")[0, 3] for card in cards]
    ends = [
        (middle - card["width"] / 2, middle + card["width"] / 2)
        for middle, card in zip(middles, cards, strict=True)
    ]
    assert all(left[1] < right[0] for left, right in pairwise(ends))


def test_a_picture_is_added_as_a_card_and_chosen(
    client: FlaskClient, shot: str, project: str, prints: list[int]
) -> None:
    before = scene(client, shot)
    answer = client.post(
        f"{shot}/cards", data={"picture": prints[1], "version": before["version"]}
    ).json
    after = scene(client, shot)
    (added,) = [
        layer for layer in after["layers"] if layer["id"] not in {b["id"] for b in before["layers"]}
    ]
    assert answer["made"]["layers"] == [added["id"]]
    assert added["name"] == "print 2"
    assert added["width"] == pytest.approx(1)
    client.post(f"{shot}/undo", data={"version": after["version"]})
    assert len(scene(client, shot)["layers"]) == len(before["layers"])
    elsewhere = client.post("/projects", data={"name": "Elsewhere"}).headers["Location"]
    other = bring_in(client, elsewhere, "other.png", encode_png(np.zeros((9, 9, 3), np.uint8)))
    answer = client.post(
        f"{shot}/cards", data={"picture": other, "version": scene(client, shot)["version"]}
    )
    assert answer.status_code == 422
    assert len(scene(client, shot)["layers"]) == len(before["layers"])
