"""The fast way to blur what is out of focus, against many points of the lens and the disc."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_blurred import MANY, SIZE, focused
from tests.core.test_render import flat, opaque
from vistaline.core.render.discs import BLOCK, blur_rows, discs_of, number_of
from vistaline.core.render.frame import Renderer
from vistaline.core.render.source import Quality
from vistaline.core.shot.shot import Shot


def kernel_of(radius: float, blades: int = 0, turn: float = 0.0, rims: float = 0.0) -> np.ndarray:
    """The weights with which a point is spread, measured with a point."""
    discs, side = discs_of(blades, turn, rims=rims), 4 * BLOCK
    disc = int(number_of(np.array(radius)))
    margin = int(discs.reach[disc])
    texels = np.zeros((side + 2 * margin, side + 2 * margin, 4), np.uint16)
    texels[side // 2 + margin, side // 2 + margin] = 65535
    out = np.zeros((side, side * 4), np.uint16)
    blocks = np.full((4, 4), disc)
    given = texels.reshape(len(texels), -1)
    blur_rows(given, blocks, discs.first, discs.rows, discs.shares, margin, 0, side, out)
    return out.reshape(side, side, 4)[..., 0] / 65535


@pytest.mark.parametrize("radius", [0.3, 1.0, 2.5, 7.0, -7.0, 20.0])
@pytest.mark.parametrize("blades", [0, 5, 6])
def test_a_points_disc_keeps_its_light_and_spreads_it_as_far(radius: float, blades: int) -> None:
    """Second moments: a disc's is r^2 / 2; a polygon's r^2 / 6 (2 + cos(2 pi / n)) (handbooks'
    moment of a regular polygon, from memory). Radii are made in steps of 3 %."""
    kernel = kernel_of(radius, blades)
    y, x = np.indices(kernel.shape) - len(kernel) // 2
    assert kernel.sum() == pytest.approx(1, abs=0.02 if abs(radius) > 10 else 0.003)
    spread = ((x**2 + y**2) * kernel).sum() / kernel.sum()
    share = 1 / 2 if not blades else (2 + math.cos(2 * math.pi / blades)) / 6
    # Between pixels a picture runs straight, which spreads by 1/6 a pixel more each way.
    assert spread == pytest.approx(radius**2 * share + 1 / 3, rel=0.07, abs=0.2)


def test_a_pentagon_points_up_beyond_the_focus_and_down_before_it() -> None:
    """A lens turns its opening over for what lies before the plane it is focused on."""
    beyond, before = kernel_of(9.0, 5, 90.0), kernel_of(-9.0, 5, 90.0)
    np.testing.assert_allclose(beyond[1:], before[:0:-1], atol=2e-4)
    wide = (beyond > 0).sum(axis=1)
    rows = np.flatnonzero(wide)
    assert wide[rows[1]] < wide[rows[-2]]


def layered(rng: np.random.Generator, pan: float = 0.0) -> tuple[Shot, dict[str, Any]]:
    """Three textures, the nearer two with holes, at 4, 2 and 1 m, turned this way and that."""
    size = (640, 360)
    looks = {}
    for n, name in enumerate(("far", "mid", "near")):
        picture = opaque(textured(rng, *size)).astype(np.float64)
        if n:
            y, x = np.indices((size[1], size[0]))
            hole = np.clip(4 * np.sin(x / (31 + 9 * n)) * np.sin(y / (23 + 5 * n)) + 1, 0, 1)
            picture *= hole[..., None]
        looks[name] = pyramid_of(np.rint(picture).astype(np.uint16))
    shot = make_shot(
        {name: size for name in looks},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            {"id": name, "name": name, "shows": {"kind": "picture", "picture": name}}
            | {"distance": distance, "scale": 1.4, "pan": pan * (-1) ** n}
            for n, (name, distance) in enumerate((("far", 4.0), ("mid", 2.0), ("near", 1.0)))
        ],
    )
    return shot, looks


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    return float(10 * np.log10(255**2 / np.mean((one.astype(float) - other) ** 2)))


@pytest.mark.parametrize(
    ("pan", "f_number", "strength", "least"),
    [(0, 2.8, 1, 46), (0, 0.7, 1, 44), (0, 0.5, 3, 40), (40, 2.8, 1, 44), (40, 0.5, 1.5, 38)],
)
def test_blurring_cards_comes_near_many_points_of_the_lens(
    rng: np.random.Generator, pan: float, f_number: float, strength: float, least: float
) -> None:
    shot, looks = layered(rng, pan)
    shot = focused(shot, focus=2.0, f_number=f_number, strength=strength)
    fast = Renderer(shot, looks, threads=2).rgb(0)
    exact = Renderer(shot, looks, threads=2, quality=MANY).rgb(0)
    sharp = Renderer(shot.with_camera(focusing={}), looks, threads=1).rgb(0)
    assert psnr(fast, exact) > max(least, psnr(sharp, exact) + 1)


def test_a_ball_out_of_focus_is_blurred_as_its_distance_asks(rng: np.random.Generator) -> None:
    shot, looks = layered(rng)
    ball = {"id": "near", "name": "Ball", "shows": {"kind": "picture", "picture": "far"}}
    stands = {"kind": "body", "body": "ball", "projection": [0, 0, 640, 360]}
    stands |= dict.fromkeys(("width", "height", "depth"), 0.5)
    shot = make_shot(
        {name: (640, 360) for name in looks},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            {"id": "far", "name": "far", "shows": {"kind": "picture", "picture": "far"}}
            | {"distance": 4.0},
            ball | {"stands": stands, "distance": 1.2},
        ],
    )
    shot = focused(shot, focus=4.0, f_number=1.0)
    fast = Renderer(shot, looks, threads=1).rgb(0)
    exact = Renderer(shot, looks, threads=1, quality=MANY).rgb(0)
    sharp = Renderer(shot.with_camera(focusing={}), looks, threads=1).rgb(0)
    assert psnr(fast, exact) > max(38, psnr(sharp, exact) + 4)


def edged(
    front: float, back: float, focus: float, soft: bool, strength: float
) -> tuple[Shot, dict[str, Any]]:
    """A card with a straight edge, or with hairs, before another that fills the frame."""
    width, height = 640, 360
    half = np.zeros((height, width, 4), np.uint16)
    half[:, : width // 2] = [*([round(front * 65535)] * 3), 65535]
    if soft:
        y, x = np.indices((height, width))
        hair = np.clip(1.5 - np.abs((x + 20 * np.sin(y / 40)) % 16 - 8) / 1.5, 0, 1)
        hair[:, : width // 2] = 1
        half = np.rint(hair[..., None] * [front, front, front, 1] * 65535).astype(np.uint16)
    behind = flat((back,) * 3, 1, (width, height))
    if soft:
        y, x = np.indices((height, width)) // 40
        squares = cv2.GaussianBlur(np.where((x + y) % 2, 65535.0, 0.0), (0, 0), 0.7)
        behind[..., :3] = np.rint(squares)[..., None]
    shot = make_shot(
        dict.fromkeys(("back", "front"), (width, height)),
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            {"id": name, "name": name, "shows": {"kind": "picture", "picture": name}}
            | {"distance": distance, "scale": 1.5 if name == "back" else 1.0}
            for name, distance in (("back", 4.0), ("front", 2.0))
        ],
    )
    looks = {"back": pyramid_of(behind), "front": pyramid_of(half)}
    return focused(shot, focus=focus, f_number=0.5, strength=strength), looks


@pytest.mark.parametrize("focus", [2.0, 4.0])
@pytest.mark.parametrize("strength", [0.5, 1.0, 2.0])
@pytest.mark.parametrize(
    ("front", "back", "soft"), [(0.9, 0.0, False), (0.02, 0.9, False), (0.05, 0.5, True)]
)
def test_no_edge_has_a_halo(
    focus: float, front: float, back: float, soft: bool, strength: float
) -> None:
    """White before black, the reverse, and hairs before a checkerboard: either of them sharp."""
    shot, looks = edged(front, back, focus, soft, strength)
    fast = Renderer(shot, looks, threads=1).rgb(0).astype(int)
    many = Quality(samples=8, bias=0.0, views=1024)
    exact = Renderer(shot, looks, threads=1, quality=many).rgb(0).astype(int)
    # Discs of a few pixels of a half-size copy leave squares no larger than they are less black.
    assert np.abs(fast - exact).max() <= (24 if soft and strength > 1 else 12)
