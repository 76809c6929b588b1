"""The camera's route: holds, paths, lens and distance, aim, shake, overscan, moves."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.interpolate import PchipInterpolator
from scipy.signal import welch

from tests.conftest import make_shot, pyramid_of
from vistaline.core import edits
from vistaline.core.edits.shelf import MOVES
from vistaline.core.errors import EditError, ShotError
from vistaline.core.foresight.overscan import overscan
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.retiming import times_of, turned_round
from vistaline.core.shot.route import Framing
from vistaline.core.shot.shakes import Shake
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states, depth_of
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.paths import Stretch, stretches_through
from vistaline.core.stage.shake import sway_of

PLACES = [(0, 0, 0), (0.4, 0.1, -0.3), (0.5, 0.1, -1.0), (-0.2, 0.3, -1.2)]


def routed(*framings: dict[str, Any], duration: int = 200, **route: Any) -> Shot:
    return make_shot(
        {"back": (1600, 900), "front": (1600, 900)},
        frame={"width": 320, "height": 180, "duration": duration},
        route={"framings": list(framings), **route},
    )


@pytest.fixture
def tour() -> Shot:
    """Delay 10, hold 20, travel 30, hold 40, travel 50, hold 29, delay 20: 200 frames."""
    return routed(
        {"frame": 10, "hold": 20},
        {"frame": 60, "hold": 40, "position": [0.1, 0, -0.5], "ease": "quad-in"},
        {"frame": 150, "hold": 29, "position": [-0.2, 0.1, -0.4], "pan": 8},
    )


def made(shot: Shot, verb: str, **arguments: Any) -> Shot:
    return edits.apply(shot, verb, arguments)


def frames_of(shot: Shot) -> list[tuple[int, int]]:
    return [(framing.frame, framing.hold) for framing in shot.route.framings]


# --- in time ----------------------------------------------------------------------------------


def test_a_framing_is_held(tour: Shot) -> None:
    cameras = camera_states(tour, [0, 10, 30, 59, 60, 80, 100, 150, 199])
    places = [camera.position for camera in cameras]
    assert places[0] == places[1] == places[2] != places[3]
    assert places[4] == places[5] == places[6] == (0.1, 0, -0.5)
    assert places[7] == places[8] and cameras[8].pan == 8


@pytest.mark.parametrize(
    ("which", "expected"),
    [
        ("all", [(10, 40), (110, 80), (290, 58)]),
        ("holds", [(10, 58), (98, 116), (264, 85)]),
        ("travels", [(10, 20), (123, 40), (319, 29)]),
    ],
)
def test_stretching_keeps_proportions_and_delays(
    tour: Shot, which: str, expected: list[tuple[int, int]]
) -> None:
    """169 frames without the delays, stretched by as many: twice as long, holds or travels more."""
    longer = made(tour, "stretch_route", duration=369, which=which)
    times = times_of(longer.route, longer.frame.duration)
    assert (times.before, times.after) == (10, 20) and longer.frame.duration == 369
    for (frame, hold), (wanted_frame, wanted_hold) in zip(frames_of(longer), expected, strict=True):
        assert abs(frame - wanted_frame) <= 2 and abs(hold - wanted_hold) <= 2
    again = made(longer, "stretch_route", duration=200, which=which)
    assert np.abs(np.subtract(frames_of(again), frames_of(tour))).max() <= 1


def test_a_second_less_keeps_the_whole_move(tour: Shot) -> None:
    """Common practice, no source: a move shortened by a second still ends where it did."""
    shorter = made(tour, "stretch_route", duration=176)
    for state in (0, -1):
        before = camera_states(tour, [range(200)[state]])[0]
        after = camera_states(shorter, [range(176)[state]])[0]
        assert after.position == before.position and after.pan == before.pan
    with pytest.raises(EditError, match="too few for this route"):
        made(tour, "stretch_route", duration=30)


def test_boundaries_trade_time_or_shift_the_rest(tour: Shot) -> None:
    assert frames_of(made(tour, "time_framing", framing=1, frame=70))[1:] == [(70, 40), (150, 29)]
    shifted = made(tour, "time_framing", framing=1, frame=70, shift=True)
    assert frames_of(shifted) == [(10, 20), (70, 40), (160, 29)]
    assert shifted.frame.duration == 210
    assert frames_of(made(tour, "arrive_at", framing=1, frame=50))[1] == (50, 50)
    assert frames_of(made(tour, "hold_framing", framing=1, hold=60))[1:] == [(60, 60), (150, 29)]
    held = made(tour, "hold_framing", framing=1, hold=10, shift=True)
    assert frames_of(held) == [(10, 20), (60, 10), (120, 29)] and held.frame.duration == 170
    delayed = made(tour, "set_delays", before=0, after=5)
    assert frames_of(delayed)[0] == (0, 20) and delayed.frame.duration == 175
    for verb, wrong in (
        ("hold_framing", {"framing": 1, "hold": 95}),
        ("hold_framing", {"framing": 2, "hold": 500}),
        ("time_framing", {"framing": 1, "frame": 20}),
        ("time_framing", {"framing": 1, "frame": -5}),
        ("arrive_at", {"framing": 1, "frame": 101}),
        ("add_framing", {"frame": 60}),
        ("time_framing", {"framing": 2, "frame": 400}),
    ):
        with pytest.raises((EditError, ShotError)):
            made(tour, verb, **wrong)


def test_a_reversed_route_is_the_same_film_backwards(tour: Shot) -> None:
    back = made(tour, "reverse_route")
    ours, theirs = camera_states(back, range(200)), camera_states(tour, range(200))[::-1]
    for one, other in zip(ours, theirs, strict=True):
        np.testing.assert_allclose(one.position, other.position, atol=1e-7)
        assert one.pan == pytest.approx(other.pan, abs=1e-6)
    assert made(back, "reverse_route").route == tour.route
    assert turned_round("ease") == (0.75, 0.0, 0.75, 0.9)
    both = made(tour, "there_and_back")
    assert both.frame.duration == 399
    ends = camera_states(both, [0, 398, 100, 298])
    assert ends[0].position == ends[1].position
    np.testing.assert_allclose(ends[2].position, ends[3].position, atol=1e-7)
    looped = made(tour, "back_to_first")
    assert looped.route.framings[-1].position == looped.route.framings[0].position


def test_framings_are_copied_pasted_ordered_and_mirrored(tour: Shot) -> None:
    twice = made(tour, "duplicate_framing", framing=1)
    assert len(twice.route.framings) == 4 and twice.frame.duration == 200 + 24 + 40
    assert twice.route.framings[2].position == tour.route.framings[1].position
    copied = [framing.model_dump(mode="json") for framing in tour.route.framings[:2]]
    pasted = made(tour, "paste_framings", framings=copied, after=2)
    assert [f.position for f in pasted.route.framings[3:]] == [(0, 0, 0), (0.1, 0, -0.5)]
    swapped = made(tour, "reorder_framing", framing=2, place=0)
    assert frames_of(swapped) == frames_of(tour) and swapped.route.framings[0].pan == 8
    mirrored = made(tour, "mirror_route").route.framings[2]
    assert mirrored.position == (0.2, 0.1, -0.4) and mirrored.pan == -8
    split = made(tour, "add_framing", frame=80)
    assert frames_of(split)[1:3] == [(60, 19), (80, 20)]
    replaced = made(tour, "replace_framing", framing=0, frame=199)
    assert replaced.route.framings[0].pan == 8


# --- paths ------------------------------------------------------------------------------------


def test_arc_length_against_scipys_quadrature(rng: np.random.Generator) -> None:
    for points in rng.normal(size=(5, 4, 3)):
        stretch = Stretch(points)

        def speed(t: float, p: np.ndarray = points) -> float:
            a, b, c = 3 * np.diff(p, axis=0)
            return float(np.linalg.norm((1 - t) ** 2 * a + 2 * t * (1 - t) * b + t**2 * c))

        whole = quad(speed, 0, 1, epsabs=1e-12, limit=200)[0]
        assert stretch.length == pytest.approx(whole, rel=1e-7)
        places = stretch.along(np.linspace(0, 1, 401))
        steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
        assert steps.std() / steps.mean() < 0.02  # chords of equal arcs, but for the bends
        near = np.linalg.norm(stretch.at(np.linspace(0, 1, 20001)) - places[137], axis=1).argmin()
        covered = quad(speed, 0, near / 20000, epsabs=1e-12, limit=200)[0]
        assert covered == pytest.approx(whole * 137 / 400, rel=1e-3)


def test_smooth_paths_are_scipys_and_do_not_overshoot() -> None:
    framings = [Framing(frame=10 * n, position=place) for n, place in enumerate(PLACES)]
    knots = np.r_[0, np.cumsum(np.linalg.norm(np.diff(PLACES, axis=0), axis=1))]
    theirs = PchipInterpolator(knots, np.array(PLACES, float))
    for n, stretch in enumerate(stretches_through(framings, "smooth")):
        t = np.linspace(0, 1, 21)
        expected = theirs(knots[n] + t * (knots[n + 1] - knots[n]))
        np.testing.assert_allclose(stretch.at(t), expected, atol=1e-9)
        low, high = np.sort([PLACES[n], PLACES[n + 1]], axis=0)
        assert (expected >= low - 1e-9).all() and (expected <= high + 1e-9).all()


def test_the_ease_alone_sets_the_speed() -> None:
    """On a bent path at even ease all steps are equally long; straight paths are lines."""
    shot = routed(
        *({"frame": 60 * n, "position": list(p), "ease": "linear"} for n, p in enumerate(PLACES)),
        path="smooth",
    )
    shot = made(shot, "drag_handle", framing=1, end="leave", view="above", x=0.3, y=0.5)
    assert shot.route.framings[1].arrive == pytest.approx((-0.3, 0, 0.5))
    places = np.array([camera.position for camera in camera_states(shot, range(60, 121))])
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.std() / steps.mean() < 0.005
    free = made(shot, "forget_handles", framing=1)
    assert free.route.framings[1].leave is None


# --- lens, aim --------------------------------------------------------------------------------


def test_dolly_zoom_keeps_focal_length_over_distance() -> None:
    """Optics handbook (pinhole image size f h / d): f over d constant in every frame."""
    shot = routed({"frame": 0}, {"frame": 199, "position": [0, 0, -1.2]})
    kept = made(shot, "keep_size", framing=1, layer="front")
    target = card_of(kept, kept.layer("front")).world_from_card[:3, 3]
    cameras = camera_states(kept, range(200))
    ratios = [camera.lens / depth_of(camera, target) for camera in cameras]
    np.testing.assert_allclose(ratios, ratios[0], rtol=1e-9)
    assert kept.route.framings[1].lens == pytest.approx(35 * 0.8 / 2) == cameras[-1].lens
    # Moved on, the lens follows; let go, it stays as it was reached.
    nearer = made(kept, "set_framing", framing=1, forward=1.6)
    assert nearer.route.framings[1].lens == pytest.approx(35 * 0.4 / 2)
    without = made(kept, "remove_layer", layer="front")
    assert not without.route.framings[1].keeps and without.route.framings[1].lens < 15
    with pytest.raises(EditError, match="too close to front, or passes it"):
        made(made(shot, "set_framing", framing=1, forward=2.5), "keep_size", framing=1,
             layer="front")  # fmt: skip
    with pytest.raises(EditError, match="does not move"):
        made(routed({"frame": 0}, {"frame": 9}), "keep_size", framing=1, layer="front")


def test_an_aimed_camera_keeps_its_layer_in_place() -> None:
    shot = routed(
        {"frame": 0, "position": [-1, 0.4, 0.5], "roll": 7},
        {"frame": 199, "position": [1.5, -0.3, -0.5]},
    )
    shot = made(shot, "set_aim", at="front", across=20, up=-10)
    target = card_of(shot, shot.layer("front")).world_from_card[:3, 3]
    for camera in camera_states(shot, range(0, 200, 11)):
        x, y, z, _ = camera.camera_from_world @ (*target, 1)
        assert x / -z * camera.focal_px / 320 == pytest.approx(0.2, abs=1e-9)
        assert y / -z * camera.focal_px / 180 == pytest.approx(-0.1, abs=1e-9)
    assert camera_states(shot, [0])[0].roll == 7
    with pytest.raises(ValueError, match="not among the layers"):
        shot.evolve(layers=shot.layers[:1])
    assert made(shot, "remove_layer", layer="front").route.aim is None


def test_zoom_leaves_the_camera_and_arc_its_distance() -> None:
    """A zoom changes the lens alone; an arc keeps what is grasped in the middle, as far away."""
    shot = routed({"frame": 0}, {"frame": 199})
    drag = {"framing": 0, "layer": "front", "dx": 30, "dy": -45}
    zoomed = made(shot, "move_camera", move="zoom", **drag).route.framings[0]
    assert zoomed.position == (0, 0, 0) and zoomed.lens == pytest.approx(35 * 2**0.5)
    arced = camera_states(made(shot, "move_camera", move="arc", **drag), [0])[0]
    assert math.dist(arced.position, (0, 0, -2)) == pytest.approx(2)
    x, y, z, _ = arced.camera_from_world @ (0, 0, -2, 1)
    assert abs(x) < 1e-9 and abs(y) < 1e-9 and z == pytest.approx(-2)


def test_a_mount_can_go_whichever_camera_rides_on_it(tour: Shot) -> None:
    shot = made(made(tour, "add_mount"), "ride_on", rider="camera", mount="m1")
    shot = made(made(shot, "set_mount", mount="m1", across=0.4, pan=20), "keep_take", name="Riding")
    shot = made(made(shot, "add_camera"), "direct_camera", camera="a")
    before = camera_states(shot.directed_by("b"), range(0, 200, 20))
    gone = made(shot, "remove_mount", mount="m1")
    after = camera_states(gone.directed_by("b"), range(0, 200, 20))
    assert not gone.mounts and gone.takes[0].route == gone.route
    for one, other in zip(before, after, strict=True):
        np.testing.assert_allclose(one.position, other.position, atol=1e-9)


# --- shake ------------------------------------------------------------------------------------


@pytest.mark.parametrize("frequency", [1.2, 5])
def test_the_power_of_a_shake_lies_at_and_below_its_frequency(frequency: float) -> None:
    """SciPy's welch over ten minutes at 60 samples a second."""
    shake = Shake(frequency=frequency, turn=1, travel=0.01, seed=7)
    sway = sway_of(shake, np.arange(36_000) / 60, 600, 60)
    hertz, power = welch(sway.T, fs=60, nperseg=2048)
    below = power[:, hertz <= frequency * 1.1].sum(axis=1) / power.sum(axis=1)
    assert below.min() > 0.98
    rough = welch(sway_of(shake.evolve(roughness=1), np.arange(36_000) / 60, 600, 60).T, fs=60)
    assert rough[1][:, rough[0] > frequency * 1.3].sum() > 0.02 * rough[1].sum()
    assert np.abs(sway).max(axis=0) == pytest.approx([0.01] * 3 + [1] * 3, rel=0.35)
    assert (np.abs(sway).max(axis=0) <= [0.01] * 3 + [1] * 3).all()


def test_one_seed_is_one_shake_everywhere() -> None:
    """Written down once; SplitMix64's first output for seed 1234567 is published beside it."""
    from vistaline.core.stage.shake import _hashed

    assert _hashed(1234567, 1)[0] == (6457827717110365317 >> 11) / 2**53
    sway = sway_of(Shake(seed=3), np.array([0.5]), 4, 24)[0]
    assert sway[:3].tolist() == [0, 0, 0]
    np.testing.assert_allclose(sway[3:], sway_of(Shake(seed=3), np.array([0.5]), 9, 24)[0, 3:])
    assert np.abs(sway - sway_of(Shake(seed=4), np.array([0.5]), 4, 24)[0]).max() > 0.01


def test_a_shake_ramps_in_and_out() -> None:
    shot = made(routed({"frame": 0}), "set_shake", turn=2, ramp_in=48, ramp_out=24)
    turns = np.array([camera.pan for camera in camera_states(shot, range(200))])
    assert turns[0] == 0 and turns[-1] == pytest.approx(0, abs=1e-9)
    assert np.abs(turns[60:150]).max() > 0.4
    assert made(shot, "stop_shake").route.shake is None


def test_the_overscan_offered_is_the_smallest_that_bares_no_edge() -> None:
    """Common practice, no source: 8 pixels of shake on 1920 are covered by 101 to 102 %.

    Against rendered frames: with it none shows the ground, with half a percent less one does.
    """
    shot = make_shot(
        {"back": (480, 270)},
        background="#ff0000",
        frame={"width": 480, "height": 270, "duration": 48},
        route={"framings": [{"frame": 0}]},
    )
    still = overscan(shot, {"back"})
    assert still and still.enlargement == pytest.approx(1, abs=1e-6)
    focal = camera_states(shot, [0])[0].focal_px
    degrees = math.degrees(math.atan(8 * 480 / 1920 / focal))
    shaken = made(shot, "set_shake", turn=degrees, frequency=4, seed=5)
    found = overscan(shaken, {"back"})
    assert found and 1.005 < found.enlargement < 1.02 and found.forward
    white = {"back": pyramid_of(np.full((270, 480, 4), 65535, np.uint16))}

    def bares(percent: float, forward: float = 0) -> bool:
        enlarged = made(shaken, "enlarge", percent=percent)
        if forward:
            enlarged = made(shaken, "set_framing", framing=0, forward=forward)
        renderer = Renderer(enlarged, white)
        return any(renderer.rgb(frame)[..., 1].min() < 254 for frame in range(48))

    assert not bares(100 * found.enlargement + 0.01)
    assert bares(100 * found.enlargement - 0.5)
    assert not bares(100, found.forward + 1e-4)
    assert overscan(shaken, set()) is None


# --- cameras and cuts ---


def test_a_cut_shows_another_camera(tour: Shot) -> None:
    two = made(tour, "add_camera")
    assert two.directed == "b" and two.route == tour.route
    two = made(made(two, "set_framing", framing=1, across=0.7), "set_lens", lens=85)
    cut = made(two, "cut_to", frame="4 s", camera="b")
    assert [(each.frame, each.camera) for each in cut.cuts] == [(96, "b")]
    lenses = [camera.lens for camera in camera_states(cut, [95, 96, 199])]
    assert lenses == pytest.approx([35, 85, 85])
    # Whichever is directed, what is seen is the same.
    first = made(cut, "direct_camera", camera="a")
    assert first.route == tour.route and first.camera.name == "A"
    for one, other in zip(
        camera_states(first, range(200)), camera_states(cut, range(200)), strict=True
    ):
        assert (one.position, one.lens) == (other.position, other.lens)
    back = made(cut, "cut_to", frame=150, camera="a")
    assert len(back.cuts) == 2 and len(made(back, "remove_cut", cut=0).cuts) == 0
    assert made(back, "move_cut", cut=1, frame=140).cuts[1].frame == 140
    assert made(back, "stretch_route", duration=120).cuts == back.cuts[:1]
    assert not made(back, "remove_camera").cuts
    for wrong in ({"frame": 120, "camera": "b"}, {"frame": 0, "camera": "b"},
                  {"frame": 10, "camera": "z"}, {"frame": 200, "camera": "a"}):  # fmt: skip
        with pytest.raises((EditError, ShotError)):
            made(cut, "cut_to", **wrong)
    with pytest.raises((EditError, ShotError), match="follow each other"):
        made(back, "move_cut", cut=1, frame=90)


def test_a_cut_hides_best_where_the_move_is_fastest() -> None:
    """A travel eased at both ends is fastest in its middle (common practice, no source)."""
    shot = routed({"frame": 0, "hold": 40}, {"frame": 140, "position": [1.5, 0, 0]})
    two = made(shot, "add_camera")
    found = made(two, "cut_to", frame=70, camera="b", fastest=True).cuts[0].frame
    assert abs(found - 90) <= 1


def test_takes_are_kept_exchanged_and_fitted(tour: Shot) -> None:
    kept = made(tour, "keep_take", name="First try")
    other = made(kept, "set_framing", framing=1, across=2)
    used = made(other, "use_take", name="First try")
    assert used.route == tour.route and used.takes[0].route == other.route
    assert made(used, "use_take", name="First try").route == other.route
    shorter = made(used, "stretch_route", duration=100)
    assert shorter.takes[0].route.framings[-1].last < 100
    assert not made(used, "remove_take", name="First try").takes
    with pytest.raises(EditError, match="no take called"):
        made(tour, "use_take", name="First try")


# --- moves and rectangles ---------------------------------------------------------------------


@pytest.mark.parametrize("move", MOVES)
def test_every_move_of_the_shelf_becomes_framings(move: str) -> None:
    shot = routed({"frame": 10}, {"frame": 180, "hold": 4})
    new = made(shot, "apply_move", move=move, x=160, y=90)
    framings = new.route.framings
    assert len(framings) >= 2 and (framings[0].frame, framings[-1].last) == (10, 184)
    assert new.frame.duration == 200
    for slider in MOVES[move].sliders:
        with pytest.raises(EditError, match=slider.label):
            made(shot, "apply_move", move=move, x=160, y=90, values={slider.name: 1e4})


def test_a_tour_stops_all_over_the_frame() -> None:
    shot = routed({"frame": 0}, {"frame": 199})
    new = made(shot, "apply_move", move="tour", x=160, y=90, values={"stops": 6, "closer": 3})
    framings = new.route.framings
    assert len(framings) == 8 and framings[0].position == framings[-1].position
    assert all(framing.hold >= 11 for framing in framings) and framings[-1].last == 199
    # Each stop's frame lies within the first one's: nothing is shown that was not in sight.
    first = camera_states(new, [0])[0]
    for framing in framings[1:-1]:
        camera = camera_states(new, [framing.frame])[0]
        for x, y in ((0, 0), (320, 0), (320, 180), (0, 180)):
            ray = np.array([x - 160, 90 - y, -camera.focal_px]) / camera.focal_px
            point = np.array(camera.position) + ray * (2 + camera.position[2])
            seen = first.image_from_camera @ (first.camera_from_world @ (*point, 1))[:3]
            assert (-1e-6 <= seen[:2] / seen[2]).all()
            assert (seen[:2] / seen[2] <= (320 + 1e-6, 180 + 1e-6)).all()


def test_a_push_in_to_a_point_comes_that_much_closer() -> None:
    shot = routed({"frame": 0}, {"frame": 199})
    new = made(shot, "apply_move", move="push_in", x=250, y=60,
               values={"closer": 2, "settle": 100})  # fmt: skip
    start, end = camera_states(new, [0, 199])
    point = np.array([90 / start.focal_px * 2, 30 / start.focal_px * 2, -2.0])
    assert np.linalg.norm(point - end.position) == pytest.approx(np.linalg.norm(point) / 2)
    x, y, z, _ = end.camera_from_world @ (*point, 1)
    assert abs(x / z) < 1e-9 and abs(y / z) < 1e-9


def test_an_arc_keeps_its_distance_and_its_ease() -> None:
    new = made(routed({"frame": 0}, {"frame": 199}), "apply_move", move="arc", x=160, y=90,
               values={"angle": 40})  # fmt: skip
    cameras = camera_states(new, range(200))
    away = [math.dist(camera.position, (0, 0, -2)) for camera in cameras]
    assert max(away) - min(away) < 1e-4
    turned = np.unwrap([math.atan2(c.position[0], c.position[2] + 2) for c in cameras])
    assert math.degrees(turned[-1] - turned[0]) == pytest.approx(40)
    speed = np.diff(turned)
    assert 85 < speed.argmax() < 115 and speed[[0, -1]].max() < 0.1 * speed.max()


@pytest.mark.parametrize("by", ["dolly", "zoom"])
def test_a_rectangle_fills_the_frame(by: str) -> None:
    shot = routed({"frame": 0}, {"frame": 40, "hold": 10}, duration=60)
    box = {"x0": 200, "y0": 20, "x1": 296, "y1": 74}
    new = made(shot, "frame_rectangle", frame=0, by=by, **box)
    framing = new.route.framings[-1]
    assert (framing.frame, framing.hold, new.frame.duration) == (86, 48, 135)
    before, after = camera_states(new, [0, framing.frame])
    corners = []
    for x, y in ((200, 20), (296, 20), (296, 74), (200, 74)):
        ray = np.array([x - 160, 90 - y, -before.focal_px]) / before.focal_px
        seen = after.image_from_camera @ (after.camera_from_world @ (*(2 * ray), 1))[:3]
        corners.append(seen[:2] / seen[2])
    if by == "dolly":
        np.testing.assert_allclose(corners, [(0, 0), (320, 0), (320, 180), (0, 180)], atol=1e-6)
    else:
        # The head is turned, so it is no rectangle any more: all of it is seen, up to an edge.
        away = np.abs(np.array(corners) - (160, 90)) / (160, 90)
        assert away.max() == pytest.approx(1) and away.min() > 0.8
    with pytest.raises(EditError, match="too small"):
        made(shot, "frame_rectangle", frame=0, x0=1, y0=1, x1=2, y1=2)
