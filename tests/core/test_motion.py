"""What moves while the shutter is open, against the exact integral of its way."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of
from tests.core.test_blurred import SIZE, focused
from tests.core.test_render import flat
from tests.core.test_soft import layered, psnr
from vistaline.core.errors import ShotError
from vistaline.core.render.frame import Renderer
from vistaline.core.render.motion import exposed
from vistaline.core.render.source import DRAFT, STANDARD, Quality
from vistaline.core.shot.document import parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.exposure import exposure_of

FINE = Quality(samples=8, bias=0.0, views=64)
LENS = 36.0
"""As wide as the gate: 1 m at 1 m away fills the frame."""


def trucking(shot: Shot, metres: float, **framing: Any) -> Shot:
    """The shot with a camera that goes evenly to the right for 10 frames, its shutter at work."""
    first = shot.route.framings[0].evolve(lens=LENS, ease="linear")
    last = first.evolve(frame=10, position=(metres, 0.0, 0.0), **framing)
    route = shot.route.evolve(framings=(first, last))
    return shot.with_camera(route=route).evolve(motion_blur=True)


def edge(metres: float) -> tuple[Shot, dict[str, Any]]:
    """A white card 1 m away whose left edge is the frame's middle when the camera is at 0."""
    shot = make_shot(
        {"white": (64, 64)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            {"id": "white", "name": "White", "shows": {"kind": "picture", "picture": "white"}}
            | {"stands": {"kind": "card", "width": 3.0}, "distance": 1.0, "across": 1.5}
        ],
    )
    return trucking(shot, metres), {"white": pyramid_of(flat((1, 1, 1), 1, (64, 64)))}


@pytest.mark.parametrize("quality", [DRAFT, STANDARD, FINE])
@pytest.mark.parametrize("way", [3.0, 20.0, 60.0])
def test_a_moving_edge_is_a_ramp_as_long_as_its_way(way: float, quality: Quality) -> None:
    """Light at a pixel is the share of the exposure in which the edge has not passed it."""
    shot, looks = edge(way * 2 / SIZE[0] * 10)
    row = Renderer(shot, looks, threads=1, quality=quality).linear(5)[90, :, 0] / 65535
    middle = SIZE[0] / 2 - way * 2 * 5
    x = np.arange(SIZE[0]) + 0.5
    ramp = np.clip((x - middle) / way + 0.5, 0, 1)
    assert np.abs(row - ramp).max() < 0.5 / min(way, 7) + 0.02
    assert np.abs(row - ramp).mean() < 0.002


def test_no_exposure_and_nothing_that_moves_are_the_frame_itself(
    rng: np.random.Generator,
) -> None:
    shot, looks = layered(rng)
    moving = trucking(shot, 0.2)
    still = moving.evolve(motion_blur=False)
    shut = moving.with_camera(shutter={"angle": 0})
    held = trucking(shot, 0.0)
    for frame in (0, 5, 10):
        sharp = Renderer(still, looks, threads=1).rgb(frame)
        np.testing.assert_array_equal(Renderer(shut, looks, threads=1).rgb(frame), sharp)
        held_sharp = Renderer(held.evolve(motion_blur=False), looks, threads=1).rgb(frame)
        np.testing.assert_array_equal(Renderer(held, looks, threads=1).rgb(frame), held_sharp)
    assert (Renderer(moving, looks, threads=1).rgb(5) != Renderer(still, looks).rgb(5)).any()


def test_the_shutter_opens_as_its_angle_and_phase_say_and_never_over_a_jump() -> None:
    """360 degrees are from frame to frame (common practice, no source)."""
    shot = trucking(make_shot({"a": (64, 36)}), 1.0)
    assert exposure_of(shot, 5) == (4.75, 5.25)
    long = shot.with_camera(shutter={"angle": 720, "phase": 0})
    assert exposure_of(long, 5) == (5, 7)
    assert exposure_of(shot.evolve(motion_blur=False), 5) == (5, 5)
    framings = shot.route.framings
    jumping = shot.with_camera(
        route=shot.route.evolve(framings=(framings[0], framings[1].evolve(ease="hold"))),
        shutter={"angle": 720, "phase": -360},
    )
    assert exposure_of(jumping, 9)[1] < 10
    assert exposure_of(jumping, 10) == (10, 11)
    document = {"vistaline": 2, "frame": {"width": 64, "height": 36, "duration": 5}}
    with pytest.raises(ShotError, match=r"[Aa]ngle.*720"):
        parse_shot(document | {"cameras": [{"shutter": {"angle": 10_000}}]})


def test_nothing_is_smeared_over_a_cut(rng: np.random.Generator) -> None:
    shot, looks = layered(rng)
    shot = trucking(shot, 0.3).with_camera(shutter={"angle": 360, "phase": -180})
    other = shot.camera.evolve(id="b", name="B")
    aside = tuple(each.evolve(pan=9.0) for each in other.route.framings)
    other = other.evolve(route=other.route.evolve(framings=aside))
    both = shot.evolve(cameras=(*shot.cameras, other))
    cut = both.evolve(cuts=({"frame": 6, "camera": "b"},))
    for frame, seen in ((5, "a"), (6, "b")):
        alone = Renderer(both.directed_by(seen), looks, threads=1).rgb(frame)
        np.testing.assert_array_equal(Renderer(cut, looks, threads=1).rgb(frame), alone)


def test_a_layer_may_be_kept_from_being_blurred() -> None:
    shot, looks = edge(20 * 2 / SIZE[0] * 10)
    sharp = shot.evolve(layers=[each.evolve(motion_blur=False) for each in shot.layers])
    row = Renderer(sharp, looks, threads=1).linear(5)[90, :, 0]
    unblurred = Renderer(shot.evolve(motion_blur=False), looks, threads=1).linear(5)[90, :, 0]
    np.testing.assert_array_equal(row, unblurred)


@pytest.mark.parametrize("move", [{"roll": 20.0}, {"lens": 60.0}, {"pan": 12.0}])
def test_few_moments_with_what_is_between_them_come_near_many(
    rng: np.random.Generator, move: dict[str, float]
) -> None:
    shot, looks = layered(rng)
    shot = trucking(shot, 0.5, **move).with_camera(shutter={"angle": 360, "phase": -180})
    fast = Renderer(shot, looks, threads=1).rgb(5)
    fine = Renderer(shot, looks, threads=1, quality=FINE).rgb(5)
    few = exposed(shot, 5, *exposure_of(shot, 5), fine=False)
    many = exposed(shot, 5, *exposure_of(shot, 5), fine=True)
    assert few and many and 2 * len(few.states) < len(many.states)
    sharp = Renderer(shot.evolve(motion_blur=False), looks, threads=1).rgb(5)
    assert psnr(fast, fine) > max(38, psnr(sharp, fine) + 8)


def test_blurring_once_and_moving_comes_near_lens_and_shutter_together(
    rng: np.random.Generator,
) -> None:
    shot, looks = layered(rng)
    shot = focused(trucking(shot, 0.8), focus=2.0, f_number=0.5, strength=2.0)
    fast = Renderer(shot, looks, threads=2).rgb(5)
    fine = Renderer(shot, looks, threads=1, quality=Quality(8, 0.0, views=300)).rgb(5)
    only = Renderer(shot.evolve(motion_blur=False), looks, threads=1).rgb(5)
    assert psnr(fast, fine) > max(38, psnr(only, fine) + 5)


def test_depth_is_of_the_middle_of_the_exposure_and_bent_as_the_frame() -> None:
    """The white card ends where its light does: half of it is there, at the middle of its ramp."""
    shot, looks = edge(20.0 * 2 / SIZE[0] * 10)
    for bend in (0.0, 0.3):
        bent = shot.with_camera(shutter={"angle": 180, "phase": 40}, character={"distortion": bend})
        drawn = Renderer(bent, looks, threads=1)
        row = drawn.nearest(2)[90] > 0
        light = drawn.linear(2)[90, :, 0] / 65535
        assert abs((~row).sum() - (1 - light).sum()) <= 1
        assert 0 < row.sum() < row.size
