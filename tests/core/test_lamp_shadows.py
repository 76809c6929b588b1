"""Shadows of lamps against rays to 256 points on the lamp."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of
from tests.core.test_lamps import lamp, lit
from tests.core.test_mounts import do
from tests.core.test_render import flat
from vistaline.core.errors import EditError
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


def test_a_lamp_throws_a_picture_as_a_taking_camera_would() -> None:
    """Against OpenCV's pinhole camera (``cv2.projectPoints``) in the lamp's place: 40 dB."""
    shot, looks = stage(hidden=True)
    slide = np.zeros((90, 120, 4), np.uint16)
    slide[..., 3], slide[10:50, 20:70, 0], slide[30:80, 50:110, 2] = 65535, 60000, 40000
    looks["figure"] = pyramid_of(slide)
    shot = shot.evolve(layers=shot.layers[:1])
    thrower = {"kind": "spot", "position": (0.5, 0.4, -1.0), "pan": 8, "tilt": -6, "cone": 40}
    gobo = {"shape": "picture", "picture": "figure", "blur": 0.0}
    thrown = lit(shot, lamp(falloff="none", gobo=gobo, softness=0.0, **thrower))
    state = evaluate(thrown, [0])[0]
    frame = Renderer(thrown, looks, threads=1).linear(0)[..., :3] / 65535
    clear = lit(shot, lamp(falloff="none", **thrower | {"cone": 120}))
    whole = Renderer(clear, looks, threads=1).linear(0)[..., :3] / 65535
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    places, _ = _on(state.cards[0].world_from_card, state.camera, x, y)
    # A camera at the lamp: x to the right, y down, z ahead; its picture just within the cone.
    ahead = state.lights[0].way
    right = np.cross(ahead, [0, 1, 0])
    right /= np.linalg.norm(right)
    turn = np.stack([right, -np.cross(right, ahead), ahead])
    focal = 150 / (2 * math.tan(math.radians(20)))  # the picture's diagonal is 150 texels
    matrix = np.array([[focal, 0, 60], [0, focal, 45], [0, 0, 1.0]])
    own = (places.reshape(-1, 3) - state.lights[0].place) @ turn.T
    seen, _ = cv2.projectPoints(own, np.zeros(3), np.zeros(3), matrix, None)
    u, v = np.floor(seen.reshape(*x.shape, 2)).astype(int).transpose(2, 0, 1)
    inside = (u >= 0) & (v >= 0) & (u < 120) & (v < 90)
    colours = slide[np.clip(v, 0, 89), np.clip(u, 0, 119), :3] / 65535
    wanted = whole * np.where(inside[..., None], colours, 0)
    sure = cv2.Laplacian(encode_srgb(wanted).astype(np.float32), cv2.CV_32F).max(axis=-1) < 0.01
    there = sure & (Renderer(shot, looks, threads=1).linear(0)[..., 3] == 65535)
    error = 255 * (encode_srgb(frame) - encode_srgb(wanted))[there]
    assert inside[there].sum() > 3000
    assert 10 * math.log10(255**2 / np.mean(error**2)) > 40


def test_a_lamp_that_throws_a_shape_is_told_what_is_wrong() -> None:
    shot, _ = stage()
    shot = lit(shot, lamp(kind="point"))
    name = shot.lamps[0].id
    with pytest.raises(EditError, match="Only a spot or a sun"):
        do(shot, "set_gobo", lamp=name, shape="window")
    spot = do(shot, "set_lamp", lamp=name, kind="spot")
    with pytest.raises(EditError, match="no picture 'none such'"):
        do(spot, "set_gobo", lamp=name, shape="picture", picture="none such")
    with pytest.raises(EditError, match="Bars can be at most 100; got 300"):  # as it was typed
        do(spot, "set_gobo", lamp=name, bars=300)
    thrown = do(spot, "set_gobo", lamp=name, shape="picture")
    assert thrown.lamps[0].gobo.picture in shot.pictures
    # The picture stays as long as it is thrown.
    rid = do(thrown, "remove_layers", layers=[each.id for each in shot.layers])
    assert thrown.lamps[0].gobo.picture in rid.pictures
    again = do(thrown, "set_gobo", lamp=name, shape="blinds", rows=7, bars=40, blur=10)
    assert (again.lamps[0].gobo.rows, again.lamps[0].gobo.bars) == (7, 0.4)
    assert do(again, "set_gobo", lamp=name, shape="none").lamps[0].gobo is None


@pytest.mark.parametrize("kind", ["point", "parallel"])
def test_a_ball_throws_the_shadow_that_rays_past_it_leave(kind: str) -> None:
    """Against 256 points on the lamp, and the nearest that each ray comes to the ball's middle."""
    size = {"width": 0.7, "height": 0.7, "depth": 0.7}
    shot = make_shot(
        {"grey": (320, 180)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            {"name": "wall", "picture": "grey", "distance": 6.0, "scale": 3.0, "pan": 12},
            {"name": "ball", "picture": "grey", "body": "ball", "distance": 3.4, **size}
            | {"projection": (0, 0, 320, 180)},
        ],
    )
    looks = {"grey": pyramid_of(flat((0.5, 0.5, 0.5), 1, (320, 180)))}
    there = lamp(kind=kind, position=(-0.8, 0.5, -1.5), pan=-20, tilt=-12, size=0.3, shadows=True)
    shot = lit(shot, there.evolve(falloff="none"))
    state = evaluate(shot, [0])[0]
    card, light = state.card_of("ball"), state.lights[0]
    middle, radius = card.world_from_card[:3, 3], card.width / 2
    assert card.depth == pytest.approx(card.width)
    frame = Renderer(shot, looks, threads=1).linear(0)[..., 0] / 65535
    clear = lit(shot, there.evolve(falloff="none", shadows=False))
    whole = Renderer(clear, looks, threads=1).linear(0)[..., 0] / 65535
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    places, ways = _on(state.cards[0].world_from_card, state.camera, x, y)
    normal = -light.way if kind == "parallel" else light.place - middle
    normal = normal / np.linalg.norm(normal)
    right = np.cross([0, 1, 0], normal)
    right /= np.linalg.norm(right)
    up, seen = np.cross(normal, right), np.zeros(x.shape)
    for a, b in disc() * light.lamp.size:
        if kind == "parallel":
            towards = np.broadcast_to(normal + (right * a + up * b) / 10, places.shape)
        else:
            towards = light.place + right * a + up * b - places
        towards = towards / np.linalg.norm(towards, axis=-1, keepdims=True)
        along = ((middle - places) * towards).sum(axis=-1)
        apart = np.linalg.norm(places + along[..., None] * towards - middle, axis=-1)
        seen += (apart > radius) | (along < 0)
    expected = whole * seen / 256
    # Of the wall, and not of the ball before it.
    home = np.array(state.camera.position)
    ways = ways / np.linalg.norm(ways, axis=-1, keepdims=True)
    along = ((middle - home) * ways).sum(axis=-1)
    beside = np.linalg.norm(home + along[..., None] * ways - middle, axis=-1) > radius * 1.02
    wall = beside & (whole > 0)
    error = 255 * (encode_srgb(frame) - encode_srgb(expected))[wall]
    assert (seen[wall] < 128).sum() > 1000
    assert 10 * math.log10(255**2 / np.mean(error**2)) > 42
