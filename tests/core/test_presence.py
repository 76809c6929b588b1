"""When layers are seen, and by which camera; mounts that shake."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_mounts import do
from tests.core.test_render import opaque
from vistaline.core.errors import EditError
from vistaline.core.foresight.overscan import overscan
from vistaline.core.foresight.watch import findings
from vistaline.core.render.frame import Renderer
from vistaline.core.scene.describe import describe_scene
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.shake import sway_of
from vistaline.core.stage.tracks import track_of


def seen_ids(shot: Shot, frame: float) -> list[str]:
    (state,) = evaluate(shot, [frame])
    return [state.cards[i].layer.id for i in state.order]


@pytest.fixture
def timed(shot: Shot) -> Shot:
    """The front is seen from frame 6 to frame 12."""
    return do(shot, "set_seen", layer="front", start=6, end="12 f")


def test_in_and_out_are_the_first_and_last_frame(timed: Shot) -> None:
    shows = [frame for frame in range(24) if "front" in seen_ids(timed, frame)]
    assert shows == [*range(6, 13)]
    # A shutter's moments within the last frame still see it.
    assert "front" in seen_ids(timed, 12.9) and "front" not in seen_ids(timed, 13)
    scene = describe_scene(timed, range(24))
    assert [n for n, frame in enumerate(scene["frames"]) if "front" in frame["order"]] == shows
    kept = parse_shot(dump_shot(timed))
    assert (kept.layer("front").seen_from, kept.layer("front").seen_until) == (6, 12)
    always = do(timed, "set_seen", layer="front", always=True).layer("front")
    assert (always.seen_from, always.seen_until) == (0, None)
    assert do(timed, "set_seen", layer="front", end=23).layer("front").seen_until is None


def test_a_frame_without_a_layer_is_that_of_a_shot_without_it(
    timed: Shot, rng: np.random.Generator
) -> None:
    pictures = {key: pyramid_of(opaque(textured(rng, 90, 160))) for key in ("back", "front")}
    renderer = Renderer(timed, pictures)
    alone = Renderer(timed.evolve(layers=(timed.layer("back"),)), pictures)
    both = Renderer(do(timed, "set_seen", layer="front", always=True), pictures)
    np.testing.assert_array_equal(renderer.rgb(5), alone.rgb(5))
    np.testing.assert_array_equal(renderer.rgb(6), both.rgb(6))
    np.testing.assert_array_equal(renderer.rgb(13), alone.rgb(13))


def test_shadows_come_and_go_with_what_throws_them(shot: Shot) -> None:
    shot = do(shot, "keep_frame_style", name="card", layers=["front"])
    shot = do(shot, "set_seen", layer="front", start=10)
    before, after = evaluate(shot, [9, 10])
    assert not before.casts and len(after.casts) == 1
    scene = describe_scene(shot, range(24))
    assert not scene["frames"][0].get("shadows", scene["shadows"])
    assert scene["frames"][10]["shadows"]


def test_out_before_in_and_strange_cameras_are_refused(timed: Shot) -> None:
    with pytest.raises(EditError, match="cannot go with frame 2"):
        do(timed, "set_seen", layer="front", end=2)
    with pytest.raises(EditError, match="camera 'q', which is not in the shot"):
        do(timed, "set_seen", layer="front", camera="q")
    with pytest.raises(EditError, match="84"):
        do(timed, "set_seen", layer="front", start="soon")


def test_times_go_with_the_shot_when_it_is_stretched(timed: Shot) -> None:
    longer = do(timed, "stretch_route", duration=47).layer("front")
    assert (longer.seen_from, longer.seen_until) == (12, 24)
    framings = do(timed, "add_framing", frame=4)
    shifted = do(framings, "hold_framing", framing=1, hold=10, shift=True).layer("front")
    assert (shifted.seen_from, shifted.seen_until) == (16, 22)


def test_a_layer_for_one_camera_is_seen_where_the_shot_is_cut_to_it(shot: Shot) -> None:
    shot = do(do(shot, "add_camera"), "cut_to", frame=12, camera="b")
    shot = do(shot, "set_seen", layer="front", camera="b")
    assert "front" not in seen_ids(shot, 11) and "front" in seen_ids(shot, 12)
    uncut = shot.evolve(cuts=())
    assert "front" in seen_ids(uncut, 0)  # the camera that is directed
    assert "front" not in seen_ids(do(uncut, "direct_camera", camera="a"), 0)
    # What only a camera saw that is gone is not to show up in front of the others.
    rest = do(uncut, "remove_camera").layer("front")
    assert rest.hidden and not rest.seen_by


def test_what_is_never_seen_is_told_and_covers_nothing(timed: Shot) -> None:
    late = do(timed, "set_seen", layer="front", start=400, end=500)
    assert any("front is never seen" in sentence for sentence in findings(late))
    assert overscan(timed, {"front"}) is None  # it is not there in most frames
    assert overscan(do(timed, "set_seen", layer="front", always=True), {"front"}) is not None


# --- mounts that shake ---------------------------------------------------------------------------


def test_what_rides_on_a_shaking_mount_sways_with_it(shot: Shot) -> None:
    shot = do(shot, "add_mount", layers=["front"])
    still = track_of(shot, shot.layer("front"), range(24))
    shot = do(shot, "set_shake", mount="m1", frequency=2, turn=3, travel=0.05, seed=4)
    shaking = track_of(shot, shot.layer("front"), range(24))
    assert still.still and not shaking.still
    mount = shot.mount("m1")
    sways = sway_of(mount.shake, np.arange(24) / 24, 1.0, 24.0)
    for pose, (x, y, z, pan, tilt, roll) in zip(shaking.poses, sways, strict=True):
        # About the mount: SciPy's rotation of the layer's place as seen from there.
        turn = Rotation.from_euler("YXZ", [pan, tilt, roll], degrees=True).as_matrix()
        place = turn @ (still.poses[0, :3, 3] - mount.position) + mount.position + [x, y, z]
        np.testing.assert_allclose(pose[:3, 3], place, atol=1e-9)
        np.testing.assert_allclose(pose[:3, :3], turn @ still.poses[0, :3, :3], atol=1e-9)
    kept = parse_shot(dump_shot(shot))
    assert kept.mount("m1").shake == mount.shake
    assert do(shot, "stop_shake", mount="m1").mount("m1").shake is None


def test_a_camera_on_a_shaking_mount_shakes_but_its_path_does_not(shot: Shot) -> None:
    shot = do(do(shot, "add_mount"), "ride_on", rider="camera", mount="m1")
    before = camera_states(shot, range(24))
    shot = do(shot, "set_shake", mount="m1", travel=0.1, turn=2)
    after = camera_states(shot, range(24))
    assert (
        max(abs(a.position[0] - b.position[0]) for a, b in zip(after, before, strict=True)) > 0.01
    )
    calm = camera_states(shot, range(24), shaken=False)
    for a, b in zip(calm, before, strict=True):
        np.testing.assert_allclose(a.position, b.position, atol=1e-12)


def test_copies_of_a_shot_with_another_rate_shake_in_their_own_time(shot: Shot) -> None:
    shot = do(do(shot, "add_mount", layers=["front"]), "set_shake", mount="m1", travel=0.1)
    poses = track_of(shot, shot.layer("front"), range(24)).poses
    slow = make_shot({"back": (1600, 900), "front": (1600, 900)}).frame.evolve(rate="12")
    other = shot.evolve(frame=slow)
    assert np.abs(track_of(other, other.layer("front"), range(24)).poses - poses).max() > 1e-3


# --- the shot in time as a whole -----------------------------------------------------------------


@pytest.fixture
def cut(shot: Shot) -> Shot:
    """Two cameras with a cut at 10; a layer that fades in by keys, another seen from frame 4."""
    shot = do(do(shot, "add_camera"), "direct_camera", camera="b")
    shot = do(shot, "set_framing", framing=1, across=0.5)
    shot = do(do(shot, "cut_to", frame=10, camera="b"), "set_seen", layer="back", start=4)
    for frame in (2, 20):
        shot = do(shot, "set_key", of="layer:front", value="opacity", frame=frame)
    return do(
        shot, "value_keys", to="20", keys=[{"of": "layer:front", "value": "opacity", "frame": 2}]
    )


def alike(one: Shot, frame: int, other: Shot, there: int) -> None:
    """Two shots show the same at a frame of each."""
    said = []
    for shot, at in ((one, frame), (other, there)):
        (state,) = evaluate(shot, [at])
        cards, camera = [state.cards[i] for i in state.order], state.camera
        numbers = [*(card.opacity for card in cards), *camera.position, camera.pan, camera.lens]
        said.append(([card.layer.id for card in cards], numbers))
    assert said[0][0] == said[1][0]
    np.testing.assert_allclose(said[0][1], said[1][1], atol=1e-6)


def test_the_whole_shot_reversed_shows_the_same_frames_backwards(cut: Shot) -> None:
    back = do(cut, "reverse_route", whole=True)
    assert [(each.frame, each.camera) for each in back.cuts] == [(0, "b"), (14, "a")]
    for frame in range(24):
        alike(back, frame, cut, 23 - frame)
    again = do(back, "reverse_route", whole=True)
    for frame in range(24):
        alike(again, frame, cut, frame)


def test_the_whole_shot_there_and_back_is_the_same_both_ways(cut: Shot) -> None:
    both = do(cut, "there_and_back", whole=True)
    assert both.duration == 47
    assert [(each.frame, each.camera) for each in both.cuts] == [(10, "b"), (37, "a")]
    for frame in range(24):
        alike(both, frame, cut, frame)
        alike(both, 46 - frame, cut, frame)
    gone = do(cut, "set_seen", layer="front", end=9)
    with pytest.raises(EditError, match="front goes out at frame 9"):
        do(gone, "there_and_back", whole=True)


def test_the_whole_shot_at_half_the_speed_shows_each_frame_at_twice_its_time(cut: Shot) -> None:
    slow = do(cut, "change_speed", percent=50, whole=True)
    assert slow.duration == 47
    for frame in range(24):
        alike(slow, 2 * frame, cut, frame)
    with pytest.raises(EditError, match="frame"):
        do(cut, "change_speed", percent=10_000, whole=True)
