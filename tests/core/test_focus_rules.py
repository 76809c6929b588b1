"""What is no plain picture, out of focus: each kind of thing against many points of the lens.

Which rule holds for which is said in docs/architecture.md.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_blurred import focused
from tests.core.test_looks import do
from tests.core.test_render import opaque
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.render.source import STANDARD, Quality
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate

SIZE = (320, 180)
MANY = Quality(samples=8, bias=0.0, views=144)


def staged() -> Shot:
    """A wall at 4 m, and a picture 1 m wide that stands 2 m away."""
    shot = make_shot(
        {"wall": (640, 360), "card": (320, 240)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        taking_camera={"width": 640, "height": 360, "focal_length": 35},
    )
    for key, width, distance in (("wall", 6.0, 4.0), ("card", 1.0, 2.0)):
        shot = do(shot, "make_card", layer=key)
        shot = do(shot, "size_card", layer=key, width=width)
        shot = do(shot, "move_in_depth", layer=key, distance=distance, keep="size")
    return shot


def only_before_the_wall(shot: Shot) -> Shot:
    return do(shot, "set_hidden", layer="card", hidden=True)


def with_title(shot: Shot) -> Shot:
    shot = only_before_the_wall(do(shot, "add_title", text="Lamp"))
    return do(shot, "move_in_depth", layer="lamp", distance=1.5, keep="taken")


def with_occluder(shot: Shot) -> Shot:
    shot = only_before_the_wall(do(shot, "add_occluder", kind="shape"))
    return do(shot, "move_in_depth", layer=shot.layers[-1].id, distance=1.5, keep="taken")


def with_shadow(shot: Shot) -> Shot:
    shot = do(shot, "keep_frame_style", name="Shadow", layers=["card"])
    values = {"angle": 90, "distance": 40, "softness": 10, "strength": 80, "border": 0}
    return do(shot, "set_frame_style", name="Shadow", **values)


def with_matte(shot: Shot) -> Shot:
    """The wall is seen within the card's edge, which stands where the wall does."""
    shot = do(shot, "move_in_depth", layer="card", distance=3.99, keep="size")
    shot = do(shot, "size_card", layer="card", width=2.0)
    return only_before_the_wall(do(shot, "set_matte", layer="wall", of="card"))


def with_blend(shot: Shot) -> Shot:
    return do(shot, "set_blend", layer="card", blend="multiply")


def looks_of(shot: Shot, folder: Path, rng: np.random.Generator) -> Looks:
    pictures = {
        "wall": pyramid_of(opaque(textured(rng, 640, 360))),
        "card": pyramid_of(opaque(textured(rng, 320, 240))),
    }
    return Looks(shot, PyramidStore(folder), pictures.__getitem__)


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    return float(10 * np.log10(255**2 / np.mean((one.astype(float) - other) ** 2)))


@pytest.mark.parametrize("made", [with_title, with_occluder, with_shadow, with_matte, with_blend])
def test_whatever_it_is_it_is_blurred_as_the_lens_would(
    made: Callable[[Shot], Shot], tmp_path: Path, rng: np.random.Generator
) -> None:
    shot = made(staged())
    looks = looks_of(shot, tmp_path, rng)
    blurred = focused(shot, focus=2.6, f_number=1.0, strength=2.5)
    exact = Renderer(blurred, looks, threads=1, quality=MANY).rgb(0)
    fast, sharp = (psnr(Renderer(each, looks, threads=1).rgb(0), exact) for each in (blurred, shot))
    assert fast > 38
    assert fast > sharp + 5  # it is blurred at all


def test_a_shadow_is_blurred_with_what_it_lies_on(tmp_path: Path, rng: np.random.Generator) -> None:
    """Focused on the wall its shadow is sharp, though what throws it is not."""
    shot = with_shadow(staged())
    looks = looks_of(shot, tmp_path, rng)
    blurred = focused(shot, focus=4.0, f_number=1.0)
    difference = np.abs(
        Renderer(blurred, looks, threads=1).rgb(0).astype(int)
        - Renderer(shot, looks, threads=1).rgb(0)
    ).max(axis=2)
    (cast,) = evaluate(shot, [0])[0].casts
    camera = evaluate(shot, [0])[0].camera
    x, y, z = camera.camera_from_world[:3] @ cast.shade.world_from_plane @ [0.45, 0.3, 0, 1]
    across = round(SIZE[0] / 2 - x / z * camera.focal_px)
    down = round(SIZE[1] / 2 + y / z * camera.focal_px)
    assert difference[down - 4 : down + 4, across - 4 : across + 4].max() <= 2
    assert difference.max() > 20  # the card before it


@pytest.mark.parametrize("quality", [STANDARD, MANY], ids=["fast", "exact"])
def test_a_backdrop_goes_with_the_frame_and_stays_as_it_is(
    quality: Quality, tmp_path: Path
) -> None:
    """It is behind all there is, without detail: its colours are as they were drawn."""
    shot = do(only_before_the_wall(staged()), "set_hidden", layer="wall", hidden=True)
    shot = do(shot, "add_field", kind="linear", backdrop=True)
    looks = Looks(shot, PyramidStore(tmp_path), {}.__getitem__)
    blurred = focused(shot, focus=2.6, f_number=1.0, strength=2.5)
    seen = Renderer(blurred, looks, threads=1, quality=quality).linear(0)
    still = Renderer(shot, looks, threads=1).linear(0)
    assert np.abs(seen.astype(int) - still).max() <= 1


def test_the_page_is_told_how_the_lens_looks_aside() -> None:
    """Its two rows are what looking through the lens's rim changes in the matrix of the frame."""
    camera = evaluate(focused(staged(), focus=2.6, f_number=1.0), [0])[0].camera
    for right, up in ((1.0, 0.0), (0.0, 1.0), (-0.3, 0.7)):
        changed = camera.through(right, up).clip_from_world - camera.clip_from_world
        expected = np.array([right, up])[:, None] * camera.clip_aside
        np.testing.assert_allclose(changed[:2], expected, atol=1e-9)
        np.testing.assert_allclose(changed[2:], 0, atol=1e-9)
