"""Cloth: against the catenary, the pendulum and the law that nothing comes of nothing."""

from __future__ import annotations

import json

import cv2
import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.special import ellipk

from tests.conftest import make_shot, pyramid_of
from vistaline.core import edits
from vistaline.core.errors import EditError, ShotError
from vistaline.core.looks import draping
from vistaline.core.looks.cloth import Cloth, ClothHeld
from vistaline.core.looks.cloth_kept import places_at
from vistaline.core.looks.cloth_motion import FRAMES_A_SECOND, Hung, rest_of, simulated
from vistaline.core.looks.draping import draped, room_of_cloth
from vistaline.core.looks.threads import moved
from vistaline.core.render.frame import Renderer
from vistaline.core.scene.plan import draw_plans
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.sheet import PlanView

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
    assert min(places_at(Hung(hanging, 1.0), s)[..., 2].min() for s in (0.5, 2.0, 4.0)) >= -0.1 - 1e-6
    through = places_at(Hung(hanging.evolve(wall=None), 1.0), 2.0)
    assert through[..., 2].min() < -0.15
    falls = Cloth(held=ClothHeld.NOWHERE, wind=0, settles=0.0)
    assert places_at(Hung(falls, 1.0), 1.0)[..., 1].max() < -0.5 * G * 2.0  # three seconds of falling


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
