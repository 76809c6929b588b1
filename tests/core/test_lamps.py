"""Lamps against the laws of light, glTF's KHR_lights_punctual and colour-science."""

from __future__ import annotations

import math
import warnings
from typing import Any

import numpy as np
import pytest
from scipy.ndimage import binary_erosion

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_bodies import bodied
from tests.core.test_mounts import do
from tests.core.test_render import flat, opaque
from vistaline.core.edits.metres import stage_enlarged
from vistaline.core.errors import CoreError
from vistaline.core.geometry.bodies import Body
from vistaline.core.geometry.light import cone_slope, glowing
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.lamps import Lamp
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.lamps import light_at
from vistaline.core.stage.surfaces import surface_of

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it misses what draws its diagrams
    import colour

SIZE = (960, 540)


def lamp(**values: Any) -> Lamp:
    return Lamp.model_validate({"id": "l", "name": "Lamp"} | values)


def lit(shot: Shot, *lamps: Lamp) -> Shot:
    named = tuple(each.evolve(id=f"l{n}") for n, each in enumerate(lamps))
    return shot.evolve(lamps=named)


@pytest.fixture
def wall() -> tuple[Shot, dict[str, Any]]:
    """A grey wall, a fifth as bright as white, 2 m before the camera, turned by 20 degrees."""
    shot = make_shot(
        {"wall": (640, 360)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[{"name": "wall", "picture": "wall", "distance": 2.0, "scale": 4.0, "pan": 20}],
    )
    return shot, {"wall": pyramid_of(flat((0.2, 0.2, 0.2), 1, (640, 360)))}


def seen(shot: Shot, looks: dict[str, Any], frame: float = 0) -> np.ndarray:
    return Renderer(shot, looks, threads=1).linear(frame)[..., :3] / 65535 / 0.2


def places(shot: Shot, points: np.ndarray, frame: float = 0) -> tuple[np.ndarray, np.ndarray]:
    """The places (N, 3) of the first layer that frame points (N, 2) show, and its normal."""
    state = evaluate(shot, [frame])[0]
    card, camera = state.cards[0], state.camera
    homogeneous = np.column_stack([points, np.ones(len(points))])
    on = homogeneous @ np.linalg.inv(card.image_from_card(camera)).T
    on = on[:, :2] / on[:, 2:]
    at = card.world_from_card[:3, :2] @ on.T + card.world_from_card[:3, 3:]
    return at.T, card.world_from_card[:3, 2]


def test_light_falls_by_the_square_and_the_cosine(
    wall: tuple[Shot, dict[str, Any]], rng: np.random.Generator
) -> None:
    """Lambert's law and the inverse square, at twenty rendered points, to a tenth of a percent."""
    shot, looks = wall
    at = np.array([0.3, 0.2, -1.2])
    frame = seen(lit(shot, lamp(position=at.tolist(), normal=0.9, brightness=1.3)), looks)
    x, y = rng.integers(0, SIZE[0], 20), rng.integers(0, SIZE[1], 20)
    points, normal = places(shot, np.column_stack([x + 0.5, y + 0.5]))
    ways = points - at
    distance = np.linalg.norm(ways, axis=1)
    expected = 1.3 * (0.9 / distance) ** 2 * np.abs(ways @ normal) / distance
    assert frame[y, x] == pytest.approx(np.repeat(expected[:, None], 3, axis=1), rel=1e-3)


def test_a_spots_edge_is_khr_lights_punctuals(wall: tuple[Shot, dict[str, Any]]) -> None:
    """angularAttenuation = saturate(cos * scale + offset) squared, scale 1 / max(0.001, cos inner -
    cos outer), offset -cos outer * scale (from memory)."""
    shot, looks = wall
    spot = lamp(kind="spot", position=(0, 0, 0), cone=26, softness=0.4, falloff="none")
    frame = seen(lit(shot, spot), looks)[270, :, 0]
    points, normal = places(
        shot, np.column_stack([np.arange(SIZE[0]) + 0.5, np.full(SIZE[0], 270.5)])
    )
    ways = points / np.linalg.norm(points, axis=1, keepdims=True)
    outer = math.cos(math.radians(13))
    scale = 1 / (math.cos(math.radians(13 * 0.6)) - outer)
    expected = np.clip((-ways[:, 2] - outer) * scale, 0, 1) ** 2 * np.abs(ways @ normal)
    assert frame == pytest.approx(expected, abs=2e-3)
    assert frame.max() > 0.9 and frame[0] == 0
    assert cone_slope(26, 0.4) == pytest.approx((scale, -outer * scale))


@pytest.mark.parametrize("kelvin", [1700, 2200, 2856, 3200, 4500, 5600, 6500, 9000, 15000, 25000])
def test_what_glows_has_a_black_bodys_colour(kelvin: int) -> None:
    """Planck's law through the CIE's observer and IEC 61966-2-1, by colour-science."""
    spectrum = colour.sd_blackbody(kelvin, colour.SpectralShape(360, 780, 1))
    xyz = colour.sd_to_XYZ(spectrum, method="Integration")
    linear = np.clip(colour.XYZ_to_sRGB(xyz / xyz[1], apply_cctf_encoding=False), 0, None)
    assert glowing(kelvin) == pytest.approx(linear / linear.max(), abs=0.012)


def test_a_ball_is_lit_by_its_own_roundness() -> None:
    """A sun from the side: the cosine between its way and the normal of what is round."""
    shot = bodied(Body.BALL, lens=60)
    shot = lit(shot, lamp(kind="parallel", pan=50, tilt=-20))
    grey = {"photo": pyramid_of(flat((0.2, 0.2, 0.2), 1, (640, 360)))}
    frame = Renderer(shot, grey, threads=1).linear(0)[..., 0] / 65535 / 0.2
    state = evaluate(shot, [0])[0]
    ball = state.card_of("body")
    y, x = np.mgrid[:90, :160] + 0.5
    near = surface_of(ball.layer).trace(ball, state.camera, x, y).near
    points = np.stack([x, y, np.ones_like(x)], axis=-1)
    ways = points @ np.linalg.inv(state.camera.image_from_camera).T
    world = ways / np.where(near > 0, near, 1)[..., None] @ state.camera.world_from_camera[:3, :3].T
    turn, semi = ball.world_from_card[:3, :3], np.array([ball.width, ball.height, ball.depth]) / 2
    on = (world + state.camera.position - ball.world_from_card[:3, 3]) @ turn / semi
    inside = binary_erosion((near > 0) & (abs((on**2).sum(axis=-1) - 1) < 1e-6), iterations=3)
    normals = on / semi @ turn.T
    expected = np.abs(normals @ state.lights[0].way) / np.linalg.norm(normals, axis=-1)
    assert inside.sum() > 500
    assert np.abs(frame - expected)[inside].max() < 0.05
    assert np.abs(frame - expected)[inside].mean() < 0.01


def test_three_lamps_between_cells_are_as_at_every_pixel(
    wall: tuple[Shot, dict[str, Any]],
) -> None:
    """75 dB and more against shading every pixel."""
    shot, looks = wall
    shot = lit(
        shot,
        lamp(position=(0.4, 0.3, -0.9), normal=0.8, colour="#ffc080"),
        lamp(position=(-0.5, -0.2, -0.6), falloff="range", reach=3.0, normal=1.0, kelvin=9000),
        lamp(kind="spot", position=(0, 0.4, -0.2), tilt=-12, cone=30, softness=0.2, normal=1.5),
    )
    state = evaluate(shot, [0])[0]
    y, x = np.mgrid[: SIZE[1], : SIZE[0]] + 0.5
    points, normal = places(shot, np.column_stack([x.ravel(), y.ravel()]))
    exact = light_at(state.lights, points, normal).reshape(*x.shape, 3)
    difference = np.clip(seen(shot, looks) * 0.2, 0, 1) - np.clip(exact * 0.2, 0, 1)
    assert 10 * np.log10(1 / np.mean(difference**2)) > 75


def test_without_lamps_or_for_who_takes_no_light_nothing_changes(rng: np.random.Generator) -> None:
    shot = make_shot({"a": (640, 360)}, frame={"width": 320, "height": 180, "duration": 24})
    looks = {"a": pyramid_of(opaque(textured(rng, 640, 360)))}
    plain = Renderer(shot, looks, threads=1).rgb(3)
    dark = lit(shot, lamp(position=(5, 5, 0), brightness=0.1))
    assert Renderer(dark, looks, threads=1).rgb(3).mean() < plain.mean() / 4
    off = lit(shot, lamp(on=False))
    kept = dark.evolve(layers=tuple(each.evolve(takes_light=False) for each in dark.layers))
    for same in (off, kept, lit(shot, lamp(kind="ambient"))):
        assert np.array_equal(Renderer(same, looks, threads=1).rgb(3), plain)


def test_a_lamp_travels_with_the_camera_and_rides_and_is_keyed(
    wall: tuple[Shot, dict[str, Any]],
) -> None:
    shot, _ = wall
    with_camera = lit(shot, lamp(with_camera=True, position=(0.1, 0, -0.3)))
    first, last = evaluate(with_camera, [0, 23])
    for state in (first, last):
        expected = state.camera.world_from_camera @ [0.1, 0, -0.3, 1]
        assert state.lights[0].place == pytest.approx(expected[:3])
    assert np.abs(first.lights[0].place - last.lights[0].place).max() > 0.1

    ridden = do(do(lit(shot, lamp(position=(1, 0, -1))), "add_mount"), "ride_on",
                rider="lamp:l0", mount="m1")  # fmt: skip
    moved = do(ridden, "set_mount", mount="m1", across=0.5)
    assert evaluate(moved, [0])[0].lights[0].place == pytest.approx((1.5, 0, -1))
    off = do(moved, "ride_off", rider="lamp:l0")
    assert off.lamps[0].ride is None
    assert off.lamps[0].position == pytest.approx((1.5, 0, -1))

    keyed = do(lit(shot, lamp(brightness=1)), "set_key", of="lamp:l0", value="brightness", frame=0)
    keyed = do(keyed, "set_lamp", lamp="l0", brightness=300)
    assert evaluate(keyed, [9])[0].lights[0].colour == pytest.approx([3, 3, 3])


def test_a_larger_stage_is_lit_as_the_smaller_was(wall: tuple[Shot, dict[str, Any]]) -> None:
    shot, looks = wall
    shot = lit(shot, lamp(position=(0.3, 0.2, -1.2), normal=0.9))
    larger = stage_enlarged(shot, 3.0)
    assert seen(larger, looks) == pytest.approx(seen(shot, looks), abs=1e-3)
    keyed = do(shot, "set_key", of="lamp:l0", value="normal", frame=0)
    assert seen(stage_enlarged(keyed, 3.0), looks) == pytest.approx(seen(shot, looks), abs=1e-3)


@pytest.mark.parametrize(
    ("values", "message"),
    [
        ({"cone": 0}, "cone.*1"),
        ({"cone": 180}, "cone.*179"),
        ({"kelvin": 0}, "kelvin.*1667"),
        ({"kelvin": 1e9}, "kelvin.*25000"),
        ({"reach": 0}, "reach.*0"),
        ({"brightness": -1}, "brightness"),
        ({"brightness": math.nan}, "brightness"),
        ({"aim": "gone"}, "Lamp 'Lamp' aims at 'gone', which is not in the shot"),
    ],
)
def test_what_no_lamp_can_be_is_refused_in_words(
    shot: Shot, values: dict[str, Any], message: str
) -> None:
    document = dump_shot(lit(shot, lamp()))
    document["lamps"][0] |= values
    with pytest.raises(CoreError, match=f"(?i){message}"):
        parse_shot(document)
    many = dump_shot(lit(do(shot, "add_field", kind="flat", backdrop=True), lamp()))
    many["lamps"][0]["aim"] = many["layers"][0]["id"]
    with pytest.raises(CoreError, match="aims at the backdrop"):
        parse_shot(many)
    many = dump_shot(lit(shot, *(lamp() for _ in range(32))))
    assert len(parse_shot(many).lamps) == 32
    many["lamps"].append(many["lamps"][0] | {"id": "more"})
    with pytest.raises(CoreError, match="32"):
        parse_shot(many)


def test_no_lamp_makes_a_pixel_that_is_none(
    wall: tuple[Shot, dict[str, Any]], rng: np.random.Generator
) -> None:
    """Whatever its values, and however near: also on the wall, and aimed at where it is."""
    shot, looks = wall
    middle = evaluate(shot, [0])[0].cards[0].world_from_card[:3, 3].tolist()
    for n in range(60):
        one = lamp(
            kind=str(rng.choice(["point", "spot", "parallel", "ambient"])),
            position=middle if n % 5 == 0 else rng.normal(0, 10 ** rng.uniform(-3, 4), 3).tolist(),
            pan=rng.uniform(-400, 400),
            tilt=rng.uniform(-400, 400),
            aim="wall" if n % 3 == 0 else "",
            brightness=10 ** rng.uniform(-3, 3),
            falloff=str(rng.choice(["none", "square", "range"])),
            normal=10 ** rng.uniform(-5, 5),
            reach=10 ** rng.uniform(-5, 5),
            cone=rng.uniform(1, 179),
            softness=rng.uniform(0, 1),
            with_camera=bool(n % 2),
        )
        state = evaluate(lit(shot, one), [7])[0]
        assert np.isfinite(state.lights[0].way).all()
        points, normal = places(shot, rng.uniform(0, 180, (50, 2)), 7)
        assert np.isfinite(light_at(state.lights, points, normal)).all()
        light = Renderer(lit(shot, one), looks, threads=1).linear(7)
        assert (light[..., :3] <= light[..., 3:]).all()
