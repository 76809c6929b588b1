"""Cloth: against the catenary, the pendulum and the law that nothing comes of nothing."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.special import ellipk

from tests.conftest import make_shot, pyramid_of
from vistaline.core import edits
from vistaline.core.errors import EditError, ShotError
from vistaline.core.geometry.bodies import Body
from vistaline.core.kept import forget_all
from vistaline.core.looks import draping
from vistaline.core.looks.cloth import Cloth, ClothHeld
from vistaline.core.looks.cloth_kept import MOTIONS, is_prepared, places_at, prepare
from vistaline.core.looks.cloth_motion import FRAMES_A_SECOND, Hung, rest_of, simulated
from vistaline.core.looks.draping import draped, room_of_cloth
from vistaline.core.looks.obstacles import Obstacle
from vistaline.core.looks.threads import moved
from vistaline.core.render.frame import Renderer
from vistaline.core.scene.cloths import describe_cloth, motion_name, pack_motion
from vistaline.core.scene.held import held_on
from vistaline.core.scene.plan import draw_plans
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage import waving
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.poses import frame_ratio
from vistaline.core.stage.sheet import PlanView
from vistaline.core.stage.surfaces import surface_of
from vistaline.core.stage.waving import hung_of

G = 9.80665
NO_WAVES = np.zeros((0, 8))


class Threads:
    """Points joined by threads alone, in still air."""

    def __init__(self, place: np.ndarray, rest: np.ndarray, held: np.ndarray) -> None:
        self.place, self.rest, self.held = place, rest, held
        self.speed = np.zeros_like(place)

    def go_on(self, steps: int, step: float, damping: float = 0.0) -> None:
        free = np.full(self.held.shape, -1.0)
        moved(self.place, self.speed, self.held, self.rest, free,
              np.zeros((*free.shape, 2), int), 0.01, 0.0, step, steps, -1.0, damping, -1e9,
              np.zeros(0), np.zeros(3), 0.0, 0.0, 0.0, NO_WAVES)  # fmt: skip


def test_a_rope_between_two_nails_hangs_as_a_catenary() -> None:
    """y = a cosh(x / a) through both ends with the rope's length (any handbook of mechanics)."""
    count, span, length = 17, 1.0, 1.25
    rest = np.zeros((1, count, 3))
    rest[0, :, 0] = np.linspace(0, length, count)
    place = np.zeros((1, count, 3))
    place[0, :, 0] = np.linspace(0, span, count)
    held = np.zeros((1, count), bool)
    held[0, [0, -1]] = True
    Threads(place, rest, held).go_on(20 * 30 * 12, 1 / (30 * 20), damping=3.0)
    a = brentq(lambda a: 2 * a * np.sinh(span / 2 / a) - length, 0.1, 10)
    x, y = place[0, :, 0], place[0, :, 1]
    hangs = a * (np.cosh((x - span / 2) / a) - np.cosh(span / 2 / a))
    assert np.abs(y - hangs).max() < 0.004
    assert np.hypot(np.diff(x), np.diff(y)).sum() == pytest.approx(length, rel=0.005)


@pytest.mark.parametrize("degrees", [10.0, 60.0])
def test_a_weight_on_a_thread_swings_as_a_pendulum(degrees: float) -> None:
    """T = 4 sqrt(l / g) K(sin^2(angle / 2)), the period of a pendulum of any swing."""
    length, step = 0.5, 1 / 1200
    start = np.radians(degrees)
    rest = np.array([[[0, 0, 0], [length, 0, 0]]], float)
    place = np.array([[[0, 0, 0], [length * np.sin(start), -length * np.cos(start), 0]]])
    held = np.array([[True, False]])
    pendulum, crossings, last = Threads(place, rest, held), [], place[0, 1, 0]
    for n in range(4800):
        pendulum.go_on(1, step)
        now = place[0, 1, 0]
        if last > 0 >= now:
            crossings.append((n + last / (last - now)) * step)
        last = now
    period = 4 * np.sqrt(length / G) * ellipk(np.sin(start / 2) ** 2)
    assert np.mean(np.diff(crossings)) == pytest.approx(period, rel=0.01)


def test_without_wind_energy_never_grows() -> None:
    """Height and speed of a curtain that falls from one edge, in still air and without damping."""
    cloth = Cloth(held=ClothHeld.HEAD, wind=0, air=0, damping=0, gusts=0, swirls=0, stiff=0)
    rest, held = rest_of(cloth, 1.0)
    place = rest.copy()
    place[1:, :, 1] = rest[0, 0, 1]  # held out level, and let go
    place[1:, :, 2] = np.arange(1, len(rest))[:, None] * (rest[0, 0, 1] - rest[1, 0, 1])
    falling, energies = Threads(place, rest, held), []
    for _ in range(90):
        falling.go_on(20, 1 / 600)
        each = G * place[..., 1] + (falling.speed**2).sum(axis=-1) / 2
        energies.append(float(each[~held].sum()))
    top = energies[0]
    assert max(np.diff(energies)) < 0.002 * abs(top - min(energies))
    assert energies[-1] < top


def test_a_flag_hardly_stretches_stays_finite_and_is_the_same_every_time() -> None:
    """At most 5 % at 16 x 16 points, the first fall included (5.2 % in measurements before)."""
    cloth = Cloth(grid=16)
    places = simulated(Hung(cloth, 1.0), 8.0)
    rest, held = rest_of(cloth, 1.0)
    for axis in (0, 1):
        own = np.linalg.norm(np.diff(rest, axis=axis), axis=-1)
        threads = np.linalg.norm(np.diff(places, axis=axis + 1), axis=-1) / own
        assert threads.max() < 1.05
    assert (places[:, held] == rest[held].astype(np.float32)).all()
    assert np.isfinite(simulated(Hung(Cloth(wind=60, air=4, weight=0.02), 0.4), 3.0)).all()
    assert (simulated(Hung(cloth, 1.0), 8.0) == places).all()
    other = simulated(Hung(cloth.evolve(seed=2), 1.0), 8.0)
    assert np.abs(other - places).max() > 0.05


def test_any_moment_by_itself_settled_late_and_before_a_wall() -> None:
    cloth = Cloth(settles=2.0)
    alone = places_at(Hung(cloth, 1.5), 1.25)
    for seconds in (0.0, 0.5, 7.0):
        places_at(Hung(cloth, 1.5), seconds)
    assert (places_at(Hung(cloth, 1.5), 1.25) == alone).all()
    assert (places_at(Hung(cloth.evolve(delay=1.0), 1.5), 2.25) == alone).all()
    hanging = Cloth(held=ClothHeld.HEAD, wind=4, direction=90, wall=0.1)
    assert (
        min(places_at(Hung(hanging, 1.0), s)[..., 2].min() for s in (0.5, 2.0, 4.0)) >= -0.1 - 1e-6
    )
    through = places_at(Hung(hanging.evolve(wall=None), 1.0), 2.0)
    assert through[..., 2].min() < -0.15
    falls = Cloth(held=ClothHeld.NOWHERE, wind=0, settles=0.0)
    assert (
        places_at(Hung(falls, 1.0), 1.0)[..., 1].max() < -0.5 * G * 2.0
    )  # three seconds of falling


def test_a_loop_has_no_seam() -> None:
    cloth = Cloth(loops=4.0, gusts=0.3)
    step = 1 / FRAMES_A_SECOND
    before, end, start = (places_at(Hung(cloth, 1.5), t) for t in (4 - 2 * step, 4 - 1e-6, 4.0))
    usual = np.abs(end - before).max()
    assert np.abs(start - end).max() < max(usual, 1e-3)
    assert (start == places_at(Hung(cloth, 1.5), 0.0)).all()


def test_a_picture_on_cloth_is_all_there_within_its_room() -> None:
    picture = np.zeros((200, 300, 4), np.uint16)
    picture[..., 3] = 65535
    picture[..., 1] = np.linspace(0, 65535, 300).astype(np.uint16)
    still = Cloth(held=ClothHeld.HEAD, wind=0, air=0, settles=20, folds=0, damping=1)
    found = draped(picture, Hung(still, 1.5), 0.0)
    across, _ = room_of_cloth(Hung(still, 1.5))
    assert found.shape[1] == round(300 * (1 + 2 * across))
    left, top = (found.shape[1] - 300) // 2, (found.shape[0] - 200) // 2
    middle = found[top + 60 : top + 140, left + 20 : left + 280].astype(int)
    own = picture[60:140, 20:280].astype(int)
    # At rest it hangs as it was, but for the little that its weight lengthens it.
    assert np.abs(middle[..., 1] - own[..., 1]).mean() < 0.01 * 65535
    assert middle[..., 3].min() > 65000
    flying = Cloth()
    for seconds in (0.0, 1.0, 4.0):
        alpha = draped(picture, Hung(flying, 1.5), seconds)[..., 3]
        assert alpha.max() == 65535 and not alpha[0].any() and not alpha[-1].any()


def test_cloth_that_is_only_turned_is_drawn_as_opencv_turns_a_picture(
    monkeypatch: pytest.MonkeyPatch, rng: np.random.Generator
) -> None:
    """Points turned, sheared and made smaller, against ``cv2.warpAffine`` of the picture."""
    noise = rng.random((200, 300, 3)).astype(np.float32)
    picture = np.full((200, 300, 4), 65535, np.uint16)
    picture[..., :3] = cv2.GaussianBlur(noise, (0, 0), 4) * 65535
    cloth = Cloth(wide=3.0, folds=0)
    rest, _ = rest_of(cloth, 1.5)
    move = np.array([[0.8, 0.25], [-0.2, 0.85]])
    places = rest.copy()
    places[..., :2] = rest[..., :2] @ move.T
    monkeypatch.setattr(draping, "places_at", lambda *_: places.astype(np.float32))
    monkeypatch.setattr(draping, "room_of_cloth", lambda *_: (0.1, 0.1))
    found = draped(picture, Hung(cloth, 1.5), 0.0).astype(float)
    # 100 pixels a metre, y down; about the middles of both.
    down = np.diag([1.0, -1.0])
    turn = down @ move @ down
    middle = np.array([150.0, 100.0])
    shift = np.array([180.0, 120.0]) - turn @ middle
    # OpenCV's pixels are points, ours are squares: half a pixel apart at both ends.
    shift += turn @ [0.5, 0.5] - 0.5
    matrix = np.column_stack([turn, shift])
    told = cv2.warpAffine(picture, matrix, (360, 240), flags=cv2.INTER_LINEAR).astype(float)
    inner = cv2.erode(told[..., 3], np.ones((7, 7))) == 65535
    assert inner.mean() > 0.4
    apart = found[inner] - told[inner]
    assert np.sqrt((apart**2).mean()) < 0.004 * 65535
    # The rim is as large as it should be, and smooth: its area to a hundredth.
    assert found[..., 3].sum() / 65535 == pytest.approx(300 * 200 * np.linalg.det(turn), rel=0.01)


def test_cloth_in_a_shot_is_kept_rendered_and_refused() -> None:
    shot = make_shot(
        {"back": (640, 360), "flag": (200, 120)},
        frame={"width": 320, "height": 180, "duration": 24},
    )
    key = shot.layers[-1].id
    with pytest.raises(EditError, match="can be at most 60"):
        edits.apply(shot, "set_cloth", {"layer": key, "wind": "1e6"})
    with pytest.raises(EditError, match="at least 2"):
        edits.apply(shot, "set_cloth", {"layer": key, "grid": "1"})
    shot = edits.apply(shot, "set_sway", {"layer": key, "kind": "bends"})
    shot = edits.apply(shot, "set_cloth", {"layer": key, "held": "left", "folds": "80"})
    flag = shot.layer(key)
    assert flag.cloth and flag.cloth.folds == 0.8 and flag.sway is None
    assert parse_shot(dump_shot(shot)).layer(key) == flag
    document = dump_shot(shot)
    document["layers"][-1]["sway"] = {}
    with pytest.raises(ShotError, match="one of them"):
        parse_shot(document)
    white = pyramid_of(np.full((120, 200, 4), 65535, np.uint16))
    renderer = Renderer(shot, Looks(shot, None, lambda _: white))  # type: ignore[arg-type]
    frames = [renderer.rgb(n) for n in (0, 12, 12)]
    assert (frames[1] == frames[2]).all() and (frames[0] != frames[1]).any()
    again = edits.apply(shot, "set_cloth", {"layer": key, "is_cloth": False})
    assert again.layer(key).cloth is None


def test_the_wind_is_drawn_on_the_plan_where_it_goes() -> None:
    """0 degrees is to the right, 90 away from the taking camera."""
    size = {"a": (640, 360)}
    for direction, above, side in ((0, (5, 0), (0, 0)), (90, (0, 5), (5, 0)), (45, None, None)):
        cloth = {"wind": 5, "direction": direction}
        shot = make_shot(size, layers=[{"id": "a", "name": "a", "picture": "a", "cloth": cloth}])
        plans = draw_plans(shot)
        told = [plans[view].winds["a"] for view in (PlanView.ABOVE, PlanView.SIDE)]
        if above:
            np.testing.assert_allclose([wind for _, wind in told], [above, side], atol=1e-9)
        assert np.hypot(*told[0][1]) == pytest.approx(5)
        assert told[0][0] == pytest.approx((0, 2))
    still = make_shot(size, layers=[{"id": "a", "name": "a", "picture": "a", "cloth": {"wind": 0}}])
    assert not draw_plans(still)[PlanView.ABOVE].winds


def test_what_is_painted_holds_the_cloth() -> None:
    """A point near the upper left, a line across: of a free cloth only they stay where they are."""
    pins = [[(0.1, 0.1)], [(0.2, 0.5), (0.8, 0.5)]]
    cloth = Cloth(held=ClothHeld.NOWHERE, grid=11, wide=1.0, pins=pins)
    rest, held = rest_of(cloth, 1.0)
    assert held.sum() == 1 + 7 and held[1, 1] and held[5, 2:9].all()
    places = simulated(Hung(cloth, 1.0), 1.0)
    np.testing.assert_allclose(places[-1][held], rest[held], atol=1e-9)
    assert (np.linalg.norm(places[-1][~held] - rest[~held], axis=1) > 1e-3).mean() > 0.9


def test_pins_are_painted_in_the_picture_where_the_cloth_lies() -> None:
    """Frame pixels to shares of the cloth: as it fills the frame, whatever room it has to move."""
    layer = {"id": "a", "name": "a", "picture": "a", "cloth": {"held": "nowhere"}}
    shot = make_shot(
        {"a": (640, 360)}, layers=[layer], frame={"width": 640, "height": 360, "duration": 24}
    )
    shot = shot.with_camera(route=shot.route.evolve(framings=shot.route.framings[:1]))
    points = [[64.0, 36.0], [320.0, 180.0]]
    pinned = edits.apply(shot, "pin_layer", {"thing": "a", "points": json.dumps(points)})
    cloth = pinned.layer("a").cloth
    assert cloth is not None
    np.testing.assert_allclose(cloth.pins[0], [(0.1, 0.1), (0.5, 0.5)], atol=0.002)
    with pytest.raises(EditError, match="Paint on it"):
        edits.apply(shot, "pin_layer", {"thing": "a", "points": "[[-900, -900]]"})
    free = edits.apply(pinned, "pin_layer", {"thing": "a"})
    assert free.layer("a").cloth.pins == ()  # type: ignore[union-attr]
    assert parse_shot(dump_shot(pinned)) == pinned


# --- on the stage -------------------------------------------------------------------------------


@pytest.mark.parametrize("body", [None, Body.BALL, Body.BOX, Body.CYLINDER])
def test_cloth_stays_before_what_it_hangs_before(body: Body | None) -> None:
    """Against the equations of a plane, a ball, a box and an upright cylinder, half as wide as it:
    no point is within; and without them many would be."""
    cloth = Cloth(held=ClothHeld.HEAD, wind=6, direction=90, swirls=0.2, grid=16)
    place = np.diag([0.4, 0.4, 0.4, 1.0]) if body else np.diag([3.0, 3.0, 1.0, 1.0])
    place[2, 3] = -0.5 if body else -0.3

    def deep(hung: Hung) -> np.ndarray:
        points = simulated(hung, 3.0)[45:].reshape(-1, 3)
        if body is None:
            return np.asarray(points[:, 2] + 0.3)
        x, y, z = ((points - place[:3, 3]) / 0.4).T
        away = {
            Body.BALL: np.sqrt(x * x + y * y + z * z),
            Body.BOX: np.abs([x, y, z]).max(axis=0),
            Body.CYLINDER: np.maximum(np.hypot(x, z), np.abs(y)),
        }[body]
        return away - 1

    hung = Hung(cloth, 1.5, Obstacle.of(body, place, cloth.wide))
    assert deep(hung).min() >= 0
    assert np.mean(deep(Hung(cloth, 1.5)) < -0.01) > 0.02


def _stage(cloth: dict[str, Any], **more: Any) -> Shot:
    layer = {"id": "a", "name": "a", "picture": "a", "cloth": cloth}
    return make_shot(
        {"a": (300, 200)},
        layers=[layer | more, *more.pop("others", ())],
        frame={"width": 600, "height": 400, "duration": 24},
    )


def _still(shot: Shot) -> Shot:
    return shot.with_camera(route=shot.route.evolve(framings=shot.route.framings[:1]))


@pytest.fixture
def hanging(
    monkeypatch: pytest.MonkeyPatch,
) -> Callable[[Callable[[np.ndarray], np.ndarray]], None]:
    """Let every cloth hang as a function of its points as they lie flat says."""

    def hang(as_told: Callable[[np.ndarray], np.ndarray]) -> None:
        def places(hung: Hung, _: float) -> np.ndarray:
            return as_told(rest_of(hung.cloth, hung.aspect)[0])

        monkeypatch.setattr(waving, "places_at", places)

    return hang


def _rendered(shot: Shot, picture: np.ndarray) -> np.ndarray:
    pyramid = pyramid_of(picture)
    renderer = Renderer(shot, Looks(shot, None, lambda _: pyramid))  # type: ignore[arg-type]
    return renderer.rgb(0).astype(float)


def test_cloth_that_lies_flat_is_drawn_as_its_card(
    hanging: Callable[..., None], rng: np.random.Generator
) -> None:
    hanging(lambda rest: rest)
    picture = np.full((200, 300, 4), 65535, np.uint16)
    noise = cv2.GaussianBlur(rng.random((200, 300, 3)).astype(np.float32), (0, 0), 2)
    picture[..., :3] = noise * 65535
    placed = {"pan": 25.0, "tilt": 10.0, "scale": 0.6}
    told = _rendered(_still(_stage({"folds": 0}, **placed)), picture)
    flat = _still(_stage({"folds": 0}, **placed))
    plain = _rendered(flat.evolve(layers=(flat.layers[0].evolve(cloth=None),)), picture)
    off = np.abs(told - plain).max(axis=2)
    shown = plain.max(axis=2) > 0
    inner = cv2.erode(shown.astype(np.uint8), np.ones((5, 5))) > 0
    assert inner.mean() > 0.2 and off[inner].max() <= 3
    # Both rims are smooth, by other means: as much of the frame is covered.
    covered = [(each / 255) ** 2.2 for each in (told, plain)]
    assert covered[0].sum() == pytest.approx(covered[1].sum(), rel=0.003)


def test_cloth_is_where_opencv_projects_its_points(
    hanging: Callable[..., None],
) -> None:
    """A sail bulging to the camera: dots on it against ``cv2.projectPoints`` of where they hang."""
    wide = 3.0

    def bulge(p: np.ndarray) -> np.ndarray:
        out = p.copy()
        out[..., 2] += 0.5 * (1 - (2 * p[..., 0] / wide) ** 2)
        return out

    hanging(bulge)
    picture = np.zeros((200, 300, 4), np.uint16)
    picture[..., 3] = 65535
    places = [(60, 40), (150, 100), (240, 150), (90, 160)]
    for x, y in places:
        cv2.circle(picture, (x, y), 4, (65535, 65535, 65535, 65535), -1, cv2.LINE_AA)
    shot = _still(_stage({"folds": 0, "wide": wide, "grid": 32}, pan=20.0))
    found = _rendered(shot, picture).mean(axis=2)
    card, camera = evaluate(shot, [0])[0].cards[0], evaluate(shot, [0])[0].camera
    flat = np.array([[(x + 0.5) / 300 - 0.5, 0.5 - (y + 0.5) / 200, 0] for x, y in places])
    flat *= [wide, wide / 1.5, 1]
    points = bulge(flat) / wide * card.width
    pose = np.diag([1, -1, -1, 1]) @ camera.camera_from_world @ card.world_from_card
    lens = np.diag([1.0, -1, -1]) @ np.eye(3)
    matrix = camera.image_from_camera @ lens
    told, _ = cv2.projectPoints(points, cv2.Rodrigues(pose[:3, :3])[0], pose[:3, 3], matrix, None)
    for (x, y), there in zip(places, told.reshape(-1, 2), strict=True):
        window = found[int(there[1]) - 12 : int(there[1]) + 13, int(there[0]) - 12 :][:, :25]
        rows, columns = np.mgrid[:25, :25]
        weigh = np.clip(window - 20, 0, None)
        seen = np.array([(columns * weigh).sum(), (rows * weigh).sum()]) / weigh.sum()
        own = seen + [int(there[0]) - 12, int(there[1]) - 12] + 0.5
        assert np.abs(own - there).max() < 0.25, (x, y)


def test_the_nearer_of_two_folds_is_seen_and_both_have_their_depth(
    hanging: Callable[..., None],
) -> None:
    """Folded in half about its middle: the right half lies before the left, mirrored."""

    def in_half(p: np.ndarray) -> np.ndarray:
        right = p[..., 0] > 0
        folded = p.copy()
        folded[..., 0] = np.where(right, -p[..., 0], p[..., 0])
        folded[..., 2] = np.where(right, 0.3, 0.0)
        return folded

    hanging(in_half)
    picture = np.full((200, 300, 4), 65535, np.uint16)
    picture[:, :150, 1:3] = 0  # red on the left
    picture[:, 150:, :2] = 0  # blue on the right
    shot = _still(_stage({"folds": 0, "grid": 33}))
    found = _rendered(shot, picture)
    assert (found[200, 60:280] == [0, 0, 255]).all()
    assert found[200, 320:].max() < 30
    state = evaluate(shot, [0])[0]
    x = np.array([150.0])
    met = surface_of(shot.layers[0]).trace(state.cards[0], state.camera, x, np.array([200.0]))
    depth = 2.0 - 0.3 * state.cards[0].width / shot.layers[0].cloth.wide  # type: ignore[union-attr]
    assert met.near[0] == pytest.approx(1 / depth, rel=1e-3) and met.u[0] > 0.5


def test_a_cloth_that_moves_is_blurred_by_its_own_motion() -> None:
    shot = _still(_stage({"wind": 12.0, "wide": 0.6}))
    open_ = shot.evolve(motion_blur=True)
    white = np.full((200, 300, 4), 65535, np.uint16)
    white[::8, :, :3] = 0
    sharp, blurred = _rendered(shot, white), _rendered(open_, white)
    edges = [np.abs(np.diff(each, axis=0)).mean() for each in (sharp, blurred)]
    assert edges[1] < 0.9 * edges[0]


class Folder:
    """A shelf for motions, as simple as can be."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def find(self, name: str) -> Path | None:
        return self.path / name if (self.path / name).exists() else None

    def keep(self, name: str, data: bytes) -> None:
        (self.path / name).write_bytes(data)


def test_motions_are_kept_in_files_and_go_on_where_they_stopped(tmp_path: Path) -> None:
    hung, seconds = Hung(Cloth(seed=77, grid=6), 1.5), 6.0
    alone = places_at(hung, 5.5)
    MOTIONS.keep_on(Folder(tmp_path))
    try:
        told: list[float] = []

        def stop(share: float) -> None:
            told.append(share)
            if share > 0.5:
                raise InterruptedError

        assert not is_prepared(hung, seconds)
        forget_all()
        with pytest.raises(InterruptedError):
            prepare(hung, seconds, stop)
        assert told == sorted(told) and 0 < len(list(tmp_path.glob("*.npz"))) < 3
        prepare(hung, seconds, lambda _: None)
        assert is_prepared(hung, seconds)
        forget_all()
        kept = list(tmp_path.glob("*.npz"))
        assert (places_at(hung, 5.5) == alone).all()
        kept[0].write_bytes(b"damaged")
        forget_all()
        assert (places_at(hung, 5.5) == alone).all()
    finally:
        MOTIONS.keep_on(None)


def test_what_a_cloth_hangs_before_is_a_layer_of_its_shot() -> None:
    shot = make_shot({"a": (300, 200), "b": (300, 200)}, frame={"duration": 24})
    cloth, wall = (layer.id for layer in shot.layers[:2])
    shot = edits.apply(shot, "set_cloth", {"layer": cloth, "held": "head"})
    assert hung_of(shot, shot.layer(cloth)).thing is None  # type: ignore[union-attr]
    for before, words in ((cloth, "itself"), ("nobody", "no layer")):
        with pytest.raises((EditError, ShotError), match=words):
            edits.apply(shot, "set_cloth", {"layer": cloth, "before": before})
    shot = edits.apply(shot, "set_cloth", {"layer": cloth, "before": wall})
    hung = hung_of(shot, shot.layer(cloth))
    assert hung and hung.thing and hung.thing.body is None
    assert parse_shot(dump_shot(shot)) == shot
    gone = edits.apply(shot, "remove_layer", {"layer": wall})
    assert gone.layer(cloth).cloth.before == ""  # type: ignore[union-attr]
    document = dump_shot(shot)
    document["layers"] = [each for each in document["layers"] if each["id"] != wall]
    with pytest.raises(ShotError, match="which is not in the shot"):
        parse_shot(document)


def test_a_page_is_told_where_the_points_hang() -> None:
    """Sixteen-bit shares of four widths: within 1/8000 of where they are."""
    shot = _stage({"grid": 9})
    told = np.frombuffer(pack_motion(shot, shot.layers[0], 12), "<i2")
    cards = [state.cards[0] for state in evaluate(shot, range(12, 24))]
    described = describe_cloth(cards[0])
    assert described
    rows, columns = described["rows"], described["columns"]
    points = told.reshape(12, rows, columns, 4) / 32767 * described["reach"]
    for card, own in zip(cards, points, strict=True):
        assert card.waving
        np.testing.assert_allclose(own[..., :3], card.waving.points, atol=1 / 8000)
        np.testing.assert_allclose(own[..., 3], card.waving.shades, atol=1 / 8000)
    still = edits.apply(shot, "set_cloth", {"layer": "a", "is_cloth": False})
    assert motion_name(still, still.layers[0]) is None
    other = edits.apply(shot, "set_cloth", {"layer": "a", "wind": 9})
    assert motion_name(shot, shot.layers[0]) != motion_name(other, other.layers[0])


def test_what_holds_is_told_where_it_lies() -> None:
    """In shares of the card from its middle, y up: of what sways the room round it is counted."""
    flag = _stage({"held": "left", "pins": [[(0.5, 0.25)]]})
    assert held_on(flag, flag.layers[0]) == [[[-0.5, 0.5], [-0.5, -0.5]], [[0.0, 0.25]]]
    reed = edits.apply(flag, "set_sway", {"layer": "a", "kind": "bends"})
    ((left, right),) = held_on(reed, reed.layers[0])
    wide, tall = frame_ratio(reed, reed.layers[0])
    assert wide > 1.05 and right[0] == pytest.approx(0.5 / wide, abs=1e-4) == -left[0]
    assert left[1] == right[1] == pytest.approx(-0.5 / tall, abs=1e-4)
    plain = edits.apply(reed, "set_sway", {"layer": "a", "sways": False})
    assert held_on(plain, plain.layers[0]) == []
