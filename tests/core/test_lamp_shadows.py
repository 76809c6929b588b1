"""Shadows of lamps against rays to 256 points on the lamp."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of
from tests.core.test_lamps import lamp, lit
from tests.core.test_render import flat
from vistaline.core.picture.colour import encode_srgb
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.evaluate import FrameState, evaluate

SIZE = (640, 360)


def figure() -> np.ndarray:
    """A tall figure: a head, a body, two legs, and holes where the light comes through."""
    y, x = np.mgrid[:400, :200] + 0.5
    head = (x - 100) ** 2 + (y - 60) ** 2 < 45**2
    body = (abs(x - 100) < 60) & (y > 100) & (y < 260)
    legs = (abs(abs(x - 100) - 35) < 18) & (y >= 250) & (y < 396)
    window = (abs(x - 100) < 18) & (abs(y - 180) < 40)
    picture = np.zeros((400, 200, 4), np.uint16)
    picture[..., 3] = np.where((head | body | legs) & ~window, 65535, 0)
    return picture


def stage(**caster: Any) -> tuple[Shot, dict[str, Any]]:
    """A wall, a floor, and a figure that stands on it."""
    ground = {"picture": "grey", "casts_shadows": False}
    shot = make_shot(
        {"grey": (320, 180), "figure": (200, 400)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            ground | {"name": "wall", "distance": 6.0, "scale": 3.0, "pan": 12},
            ground | {"name": "floor", "distance": 4.0, "scale": 1.5, "tilt": -80, "up": -0.8},
            {"name": "figure", "picture": "figure", "distance": 3.2, "scale": 0.8, "up": -0.1}
            | caster,
        ],
    )
    looks = {"grey": pyramid_of(flat((0.5, 0.5, 0.5), 1, (320, 180)))}
    return shot, looks | {"figure": pyramid_of(figure())}


def disc(n: int = 256) -> np.ndarray:
    """Points (n, 2) spread evenly over a disc of diameter 1 (Vogel's spiral)."""
    k = np.arange(n) + 0.5
    angle = k * math.pi * (3 - math.sqrt(5))
    return 0.5 * np.sqrt(k / n)[:, None] * np.stack([np.cos(angle), np.sin(angle)], axis=-1)


def reference(state: FrameState, picture: np.ndarray, receiver: int) -> np.ndarray:
    """The share (height, width) of the first lamp that each place of a card sees past the figure:
    rays to points on a disc that is parallel to the figure."""
    camera, caster = state.camera, state.card_of("figure")
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    places, _ = _on(state.cards[receiver].world_from_card, camera, x, y)
    light = state.lights[0]
    turn, home = caster.world_from_card[:3, :3], caster.world_from_card[:3, 3]
    own = (places - home) @ turn
    seen = np.zeros(x.shape)
    points = disc()
    for across, up in points * light.lamp.size:
        if light.lamp.kind == "parallel":
            way = -light.way @ turn + np.array([across, up, 0]) / 10  # as if it stood 10 m away
            source = own + way * 1e3
        else:
            source = (light.place - home) @ turn + [across, up, 0]
        share = own[..., 2] / (own[..., 2] - source[..., 2])
        between = (share > 1e-6) & (share < 1)
        met = own + share[..., None] * (source - own)
        u = (met[..., 0] / caster.width + 0.5) * picture.shape[1] - 0.5
        v = (0.5 - met[..., 1] / caster.height) * picture.shape[0] - 0.5
        inside = between & (u > -1) & (v > -1) & (u < picture.shape[1]) & (v < picture.shape[0])
        alpha = np.pad(picture[..., 3] / 65535, 1)
        i, j = (np.floor(np.where(inside, each, 0)).astype(int) for each in (u, v))
        s, t = u - i, v - j
        mixed = (alpha[j + 1, i + 1] * (1 - s) + alpha[j + 1, i + 2] * s) * (1 - t)
        mixed = mixed + (alpha[j + 2, i + 1] * (1 - s) + alpha[j + 2, i + 2] * s) * t
        seen += 1 - np.where(inside, mixed, 0)
    return seen / len(points)


def _on(
    pose: np.ndarray, camera: CameraState, x: np.ndarray, y: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """The places (..., 3) of a plane that frame points show, and their ways from the camera."""
    ways = np.stack([x, y, np.ones_like(x)], -1) @ np.linalg.inv(camera.image_from_camera).T
    ways = ways @ camera.world_from_camera[:3, :3].T
    normal = pose[:3, 2]
    far = ((pose[:3, 3] - camera.position) @ normal) / (ways @ normal)
    return ways * far[..., None] + camera.position, ways


@pytest.mark.parametrize(
    "values",
    [
        {"position": (-0.9, 0.9, -1.4), "size": 0.4},
        {"position": (0.6, 0.3, -2.5), "size": 0.12},
        {"kind": "parallel", "pan": -25, "tilt": -28, "size": 0.5},
    ],
)
def test_soft_shadows_are_those_of_256_points_on_the_lamp(values: dict[str, Any]) -> None:
    """46 dB and more, of the sRGB codes of a wall and a floor; a weak light is everywhere."""
    shot, looks = stage()
    values = {"falloff": "none", "shadows": True} | values
    weak_light = lamp(kind="ambient", brightness=0.1)
    both = lit(shot, lamp(**values), weak_light)
    clear = lit(shot, lamp(**values | {"shadows": False}), weak_light)
    state = evaluate(both, [0])[0]
    frame = Renderer(both, looks, threads=1).rgb(0)[..., 0].astype(float)
    open_air = Renderer(clear, looks, threads=1).linear(0)[..., 0] / 65535
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    nears = [
        a * x + b * y + c for a, b, c in (card.nearness(state.camera) for card in state.cards[:2])
    ]
    figures = Renderer(shot.evolve(layers=shot.layers[2:]), looks, threads=1)
    clear_of = figures.linear(0, over_ground=False)[..., 3] == 0
    for receiver in (0, 1):
        alone = shot.evolve(layers=[shot.layers[receiver], shot.layers[2].evolve(hidden=True)])
        there = Renderer(alone, looks, threads=1).linear(0, over_ground=False)[..., 3] == 65535
        # Where the two meet both are seen.
        there &= clear_of & (nears[receiver] > nears[1 - receiver] + 0.003)
        weak = 0.1 * 0.5
        light = (open_air - weak) * reference(state, figure(), receiver) + weak
        error = (frame - 255 * encode_srgb(light))[there]
        assert there.sum() > 5000
        assert 10 * math.log10(255**2 / np.mean(error**2)) > 46
