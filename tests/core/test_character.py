"""The character of a lens: vignette, fringes, bent lines, breathing, and the rims of its discs."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.test_blurred import focused, spot
from tests.core.test_mounts import do
from tests.core.test_soft import kernel_of
from vistaline.core.errors import CoreError
from vistaline.core.geometry.irises import RIM, points_of, rim_weights
from vistaline.core.render.character import with_character
from vistaline.core.render.crew import Crew
from vistaline.core.render.frame import Renderer
from vistaline.core.render.shelf import Shelf
from vistaline.core.shot.character import Character, Vignette
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states

SIZE = (320, 180)


def drawn(picture: np.ndarray, **character: object) -> np.ndarray:
    return with_character(picture, Character(**character), Crew(1), Shelf()).astype(float)


def grey(value: int = 40000) -> np.ndarray:
    picture = np.full((SIZE[1], SIZE[0], 4), value, np.uint16)
    picture[..., 3] = 65535
    return picture


def test_a_vignette_takes_its_share_in_the_corners_and_none_in_the_middle() -> None:
    vignette = Vignette(amount=0.6, roundness=1, softness=0.5)
    light = drawn(grey(), vignette=vignette)[..., 0] / 40000
    assert light[90, 160] == pytest.approx(1, abs=1e-4)
    assert light[0, 0] == pytest.approx(0.4, abs=0.01)
    circle = [light[90, 160 + 120], light[90 + 72, 160 + 96], light[90 - 72, 160 - 96]]
    assert np.ptp(circle) < 0.02, "as far from the middle, as dark"
    aside = drawn(grey(), vignette=vignette.evolve(middle=(0.5, 0.0)))[90, :, 0]
    assert aside[240] == 40000 and aside[10] < aside[310]


def test_a_vignette_is_a_veil_over_what_is_clear() -> None:
    clear = np.zeros((SIZE[1], SIZE[0], 4), np.uint16)
    veil = drawn(clear, vignette=Vignette(amount=0.5, roundness=1))
    assert veil[0, 0, :3].max() == 0
    assert veil[0, 0, 3] / 65535 == pytest.approx(0.5, abs=0.01)


@pytest.mark.parametrize("distortion", [0.2, -0.2])
def test_lines_are_bent_as_browns_first_term_says_and_the_frame_stays_full(
    distortion: float,
) -> None:
    """r comes from r (1 + k r^2), Brown 1971, and all is enlarged by 1 + k if k is above 0."""
    ramp = grey()
    x = np.arange(SIZE[0]) + 0.5
    ramp[..., 0] = np.rint(x / SIZE[0] * 60000)
    bent = drawn(ramp, distortion=distortion)[90, :, 0] / 60000 * SIZE[0]
    radius = (x - SIZE[0] / 2) / (np.hypot(*SIZE) / 2)
    wanted = radius * (1 + distortion * radius**2) / max(1, 1 + distortion)
    source = wanted * np.hypot(*SIZE) / 2 + SIZE[0] / 2
    assert np.abs(bent - source)[2:-2].max() < 0.05
    assert drawn(grey(), distortion=distortion).min() == 40000


def test_fringes_part_red_from_blue_away_from_the_middle() -> None:
    lines = grey(0)
    for x in (40, 160, 280):
        lines[:, x : x + 2, :3] = 60000
    seen = drawn(lines, fringes=1.0)[90]
    at = [
        [(seen[a:b, c] * np.arange(a, b)).sum() / seen[a:b, c].sum() for a, b in parts]
        for c in (0, 2)
        for parts in [((20, 60), (150, 170), (265, 305))]
    ]
    red, blue = np.array(at)
    assert red[1] == pytest.approx(blue[1], abs=0.05)
    assert blue[2] - red[2] == pytest.approx(0.02 * 120, abs=0.3) and blue[0] < red[0]


def test_a_lens_that_breathes_sees_less_focused_near() -> None:
    """A thin lens focused on s draws s / (s - f) focal lengths behind itself."""
    shot, _ = spot(4.0)
    near = focused(shot, focus=0.5)
    plain = camera_states(near, [0])[0]
    breathing = camera_states(do(near, "set_character", breathing=100), [0])[0]
    assert breathing.focal_px / plain.focal_px == pytest.approx(0.5 / (0.5 - plain.lens / 1000))
    assert breathing.lens == plain.lens


@pytest.mark.parametrize("rims", [0.8, -0.8])
def test_rims_move_light_and_keep_it(rims: float) -> None:
    points = points_of(4000, rims=rims)
    inner = (np.hypot(*points.T) < RIM).mean()
    assert inner == pytest.approx(1 - rim_weights(rims)[0] * (1 - RIM**2), abs=0.01)
    assert (inner < RIM**2) == (rims > 0)
    bright, even = kernel_of(12.0, rims=rims), kernel_of(12.0)
    assert bright.sum() == pytest.approx(1, abs=0.01)
    assert (bright[32, 32] < even[32, 32]) == (rims > 0)


def test_it_is_kept_keyed_and_refused_in_words(shot: Shot) -> None:
    dark = do(shot, "set_character", vignette=40, across=10, fringes=20, distortion=-5)
    assert parse_shot(dump_shot(dark)) == dark
    assert dark.camera.character.vignette.middle == (0.1, 0.0)
    assert do(dark, "set_character", plain=True).camera.character == Character()
    with pytest.raises(CoreError, match="100"):
        do(shot, "set_character", vignette=140)


def test_without_any_a_frame_is_the_frame_itself() -> None:
    shot, looks = spot(2.0)
    before = Renderer(shot, looks, threads=1).rgb(0)
    none = do(do(shot, "set_character", vignette=40), "set_character", plain=True)
    np.testing.assert_array_equal(Renderer(none, looks, threads=1).rgb(0), before)
