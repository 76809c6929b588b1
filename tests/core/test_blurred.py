"""Frames through a lens: what is focused on stays, what is not is the disc that optics says."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_render import flat, opaque
from vistaline.core.geometry.focus import hole_radius
from vistaline.core.geometry.irises import iris_radius, points_of
from vistaline.core.render.frame import Renderer
from vistaline.core.render.source import Quality
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.evaluate import evaluate

SIZE = (320, 180)
MANY = Quality(samples=8, bias=0.0, views=400)


def focused(shot: Shot, **values: Any) -> Shot:
    camera = shot.camera
    focusing = camera.focusing.evolve(everything_sharp=False, **values)
    return shot.evolve(cameras=(camera.evolve(focusing=focusing),))


def spot(distance: float) -> tuple[Shot, dict[str, Any]]:
    """A white square of 5 cm before nothing, ``distance`` metres away, seen through 35 mm."""
    shot = make_shot(
        {"spot": (8, 8)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            {
                "id": "spot",
                "name": "Spot",
                "shows": {"kind": "picture", "picture": "spot"},
                "stands": {"kind": "card", "width": 0.05},
                "distance": distance,
            }
        ],
    )
    return shot, {"spot": pyramid_of(flat((0.9, 0.9, 0.9), 1, (8, 8)))}


@pytest.mark.parametrize(("blades", "at"), [(0, 4.0), (0, 1.2), (5, 4.0), (7, 1.2)])
def test_a_spots_disc_has_its_light_its_size_and_its_shape(blades: int, at: float) -> None:
    """The light of a spot is the spot's; its disc has the second moment of the iris: that of a
    disc is r^2 / 2, that of a polygon of radius r r^2 / 12 (2 + cos(2 pi / n)) x 2 (handbooks'
    moment of a regular polygon, from memory)."""
    shot, looks = spot(at)
    sharp = Renderer(shot, looks, threads=1).linear(0)[..., 0].astype(float)
    blurred = focused(shot, focus=2.0, f_number=0.5, strength=3.0, iris={"blades": blades})
    seen = Renderer(blurred, looks, threads=1, quality=MANY).linear(0)[..., 0].astype(float)
    assert seen.sum() == pytest.approx(sharp.sum(), rel=0.01)
    focal = camera_states(blurred, [0])[0].focal_px
    radius = focal * 3 * hole_radius(35, 0.5, 2) * abs(1 / at - 1 / 2)
    assert radius > 6
    square = (0.05 / at * focal) ** 2 / 6
    share = 1 / 2 if not blades else (2 + math.cos(2 * math.pi / blades)) / 6
    y, x = np.indices(seen.shape) + 0.5
    spread = (((x - SIZE[0] / 2) ** 2 + (y - SIZE[1] / 2) ** 2) * seen).sum() / seen.sum()
    assert spread == pytest.approx(radius**2 * share + square, rel=0.04)


def test_an_irises_points_fill_its_area() -> None:
    """A regular polygon's area is n / 2 sin(2 pi / n) of its circle's radius squared."""
    for blades in (0, 5, 9):
        points = points_of(2000, blades)
        assert np.abs(points.mean(axis=0)).max() < 1e-12
        area = math.pi if not blades else blades / 2 * math.sin(2 * math.pi / blades)
        near = np.hypot(*points.T) < 0.5
        assert near.mean() == pytest.approx(math.pi / 4 / area, rel=0.03)
    assert iris_radius(np.array([0.3]), 6, 10, 1).tolist() == [1.0]


def test_what_is_focused_on_and_what_is_all_sharp_is_not_blurred(rng: np.random.Generator) -> None:
    pictures = {"far": textured(rng, 640, 360), "near": textured(rng, 640, 360)}
    shot = make_shot(
        {name: (640, 360) for name in pictures},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
    )
    looks = {name: pyramid_of(opaque(picture)) for name, picture in pictures.items()}
    before = Renderer(shot, looks, threads=1).rgb(0)
    distance = shot.layers[-1].distance
    for same in (shot.camera.focusing, focused(shot, strength=0.0).camera.focusing):
        now = shot.evolve(cameras=(shot.camera.evolve(focusing=same),))
        np.testing.assert_array_equal(Renderer(now, looks, threads=1).rgb(0), before)
    at = Renderer(focused(shot, focus=distance, f_number=1.0), looks, threads=1).rgb(0)
    assert np.abs(at.astype(int) - before)[8:-8, 8:-8].mean() < 1.0


def test_video_and_stills_of_a_blurred_frame_agree(rng: np.random.Generator) -> None:
    shot, looks = spot(4.0)
    renderer = Renderer(focused(shot, focus=2.0, f_number=1.0, strength=3.0), looks, threads=2)
    luma = renderer.yuv(0)[: SIZE[1]].astype(float)
    grey = renderer.rgb(0)[..., 1].astype(float)
    assert np.abs((luma - 16) / 219 * 255 - grey).max() < 1.5


def test_what_stays_with_the_lens_is_sharp_through_every_point_of_it() -> None:
    shot, looks = spot(4.0)
    shot = shot.evolve(layers=tuple(each.with_stands(stays="lens") for each in shot.layers))
    sharp = Renderer(shot, looks, threads=1).linear(0).astype(int)
    blurred = focused(shot, focus=2.0, f_number=0.5, strength=3.0)
    camera = camera_states(blurred, [0])[0]
    through = evaluate(blurred, [0])[0].seen_by(camera.through(0.7, -0.6))
    moved = through.cards[0].image_from_unit(through.camera)
    still = evaluate(shot, [0])[0]
    np.testing.assert_allclose(moved, still.cards[0].image_from_unit(still.camera), atol=1e-6)
    assert np.abs(Renderer(blurred, looks, threads=1).linear(0).astype(int) - sharp).max() <= 1
