"""The lens over HTTP: its panel, blurred copies of looks, and renders of three qualities."""

from __future__ import annotations

import io
import re

import numpy as np
from flask.testing import FlaskClient
from PIL import Image

from tests.web.conftest import words_in
from tests.web.test_direct import edit
from tests.web.test_stage import scene


def test_the_panel_says_what_is_sharp_and_how_blurred_the_rest_is(
    client: FlaskClient, shot: str
) -> None:
    address = f"{shot}/panels/direct?tab=camera"
    assert "f-number" not in words_in(client.get(address))
    edit(client, shot, "set_focus", focus=2)
    edit(client, shot, "set_opening", f_number=1.4)
    words = words_in(client.get(address))
    assert "Sharp from" in words and "How blurred each layer is" in words
    edit(client, shot, "set_motion_blur", motion_blur="true", flags="motion_blur")
    edit(client, shot, "set_character", vignette=30)
    words = words_in(client.get(address))
    assert "Open for 1/" in words and "Roundness" in words
    assert "Focus" in words_in(client.get(f"{shot}/panels/direct?tab=framing"))


def test_blurred_copies_are_smaller_softer_and_hold_the_same_light(
    client: FlaskClient, shot: str
) -> None:
    described = scene(client, shot)
    address = next(each for each in described["textures"].values() if "/pictures/" in each)

    def lightness(query: str = "") -> np.ndarray:
        with client.get(address + query) as answer:
            assert answer.mimetype == "image/webp"
            return np.asarray(Image.open(io.BytesIO(answer.data)).convert("L"), float)

    sharp = lightness()
    detail = []
    for number, (radius, pad) in enumerate(described["copies"]):
        seen = lightness(f"&copy={number}")[pad:-pad, pad:-pad]
        assert seen.shape[1] < sharp.shape[1]
        smaller = sharp.shape[1] / seen.shape[1]
        detail.append(np.abs(np.diff(seen, axis=1)).mean() / smaller)
        if 4 * radius < min(sharp.shape):
            rim = round(radius / smaller) + 1
            assert abs(seen[rim:-rim, rim:-rim].mean() - sharp.mean()) < 25
    assert detail[0] > detail[1] > detail[2]
    assert client.get(f"{address}&copy=6").status_code == 404
    assert client.get(f"{address}&copy=-1").status_code == 404


def test_a_render_is_draft_standard_or_final(client: FlaskClient, shot: str) -> None:
    words = words_in(client.get(f"{shot}/renders/expected"))
    assert words.count(" s a frame") == 3
    client.post(f"{shot}/renders", data={"kind": "mp4", "quality": "final"})
    listed = words_in(client.get(f"{shot}/renders"))
    assert "· final ·" in listed
    job = re.search(r'data-job="(\d+)"', listed)
    assert job
    client.post(f"/renders/{job[1]}/stop")  # other tests look for renders that wait
    refused = client.post(f"{shot}/renders", data={"kind": "mp4", "quality": "exquisite"})
    assert refused.status_code == 422 and "draft, standard, final" in words_in(refused)
