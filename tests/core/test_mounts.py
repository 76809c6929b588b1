"""What rides on mounts is where SciPy's rotations and OpenCV's composition put it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.conftest import make_shot
from tests.core.test_edit import seen
from vistaline.core import edits
from vistaline.core.edits.mounts import riders_of
from vistaline.core.errors import EditError, ShotError
from vistaline.core.geometry.space import angles_of, rotation
from vistaline.core.shot.mounts import Mount, standing_of
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of

ALL = ["position", "rotation", "scale"]


def do(shot: Shot, verb: str, **values: object) -> Shot:
    return edits.apply(shot, verb, values)


@pytest.fixture
def carried() -> Shot:
    """Two mounts, turned, one on the other; a turned layer on the upper."""
    shot = make_shot({"back": (1600, 900), "front": (1600, 900)})
    shot = do(shot, "turn_layer", layer="front", pan=20, tilt=-5, roll=8)
    for n in (1, 2):
        shot = do(shot, "add_mount")
        shot = do(shot, "set_mount", mount=f"m{n}", across=0.3 * n, up=-0.2, pan=15, roll=4 * n)
    shot = do(shot, "ride_on", rider="mount:m2", mount="m1", follows=ALL)
    return do(shot, "ride_on", rider="layer:front", mount="m2", follows=ALL)


def test_angles_are_those_of_scipys_intrinsic_yxz(rng: np.random.Generator) -> None:
    for pan, tilt, roll in rng.uniform(-89, 89, (50, 3)):
        turn = Rotation.from_euler("YXZ", [pan, tilt, roll], degrees=True).as_matrix()
        np.testing.assert_allclose(rotation(pan, tilt, roll), turn, atol=1e-12)
        np.testing.assert_allclose(angles_of(turn), (pan, tilt, roll), atol=1e-9)
    up = rotation(30, 90, 10)
    np.testing.assert_allclose(rotation(*angles_of(up)), up, atol=1e-9)


def test_riding_on_and_off_moves_nothing(carried: Shot) -> None:
    plain = do(make_shot({"back": (1600, 900), "front": (1600, 900)}), "turn_layer",
               layer="front", pan=20, tilt=-5, roll=8)  # fmt: skip
    np.testing.assert_allclose(seen(carried, "front"), seen(plain, "front"), atol=1e-6)
    moved = do(carried, "set_mount", mount="m1", across=0.5, pan=40, tilt=3, percent=130)
    assert np.abs(seen(moved, "front") - seen(carried, "front")).max() > 5
    off = do(moved, "ride_off", rider="layer:front")
    assert off.layer("front").ride is None
    np.testing.assert_allclose(seen(off, "front"), seen(moved, "front"), atol=1e-6)
    gone = do(do(moved, "remove_mount", mount="m2"), "remove_mount", mount="m1")
    assert not gone.mounts
    np.testing.assert_allclose(seen(gone, "front"), seen(moved, "front"), atol=1e-6)


def test_nested_mounts_compose_as_opencv_composes(carried: Shot) -> None:
    """Rigid: OpenCV's composeRT of what each mount changed, in SciPy's rotations."""
    before = {mount.id: mount for mount in carried.mounts}
    moved = do(carried, "set_mount", mount="m1", across=-0.4, forward=2.5, pan=50, tilt=12)
    moved = do(moved, "set_mount", mount="m2", up=0.6, pan=-30, roll=25)

    def change(mount: str, then: Mount) -> tuple[np.ndarray, np.ndarray]:
        """As OpenCV has it, rotation vector and translation: x -> R x + t."""
        was, now = (
            Rotation.from_euler("YXZ", [m.pan, m.tilt, m.roll], degrees=True)
            for m in (before[mount], then)
        )
        turn = now * was.inv()
        shift = np.array(then.position) - turn.apply(before[mount].position)
        return turn.as_rotvec(), shift

    inner, outer = change("m2", moved.mount("m2")), change("m1", moved.mount("m1"))
    vector, shift = cv2.composeRT(*inner, *outer)[:2]
    card, was = (card_of(s, s.layer("front")).world_from_card for s in (moved, carried))
    turn = cv2.Rodrigues(vector)[0]
    np.testing.assert_allclose(card[:3, :3], turn @ was[:3, :3], atol=1e-9)
    np.testing.assert_allclose(card[:3, 3], turn @ was[:3, 3] + shift.ravel(), atol=1e-9)


@pytest.mark.parametrize("follows", [["position"], ["rotation"], ["scale"], ["position", "scale"]])
def test_a_rider_follows_only_what_it_is_told_to(carried: Shot, follows: list[str]) -> None:
    shot = do(carried, "ride_on", rider="layer:front", mount="m2", follows=follows)
    was = card_of(shot, shot.layer("front"))
    shot = do(shot, "set_mount", mount="m2", across=1.1, roll=33, percent=250)
    card = card_of(shot, shot.layer("front"))
    turned = not np.allclose(card.world_from_card[:3, :3], was.world_from_card[:3, :3])
    assert turned == ("rotation" in follows)
    assert card.width / was.width == pytest.approx(2.5 if "scale" in follows else 1)
    moved = not np.allclose(card.world_from_card[:3, 3], was.world_from_card[:3, 3])
    assert moved == ("position" in follows)


def test_the_camera_rides_with_its_whole_route(carried: Shot) -> None:
    shot = do(carried, "set_framing", framing=1, pan=370, tilt=4)
    shot = do(shot, "ride_on", rider="camera", mount="m2")
    frames = [0, 12, 23]
    places = [camera.position for camera in camera_states(shot, frames)]
    shot = do(shot, "drag_mount", mount="m1", dx=0.5, dy=-0.25)
    moved = camera_states(shot, frames)
    for camera, place in zip(moved, places, strict=True):
        np.testing.assert_allclose(camera.position, np.add(place, [0.5, 0, 0.25]), atol=1e-9)
    shot = do(shot, "set_mount", mount="m1", pan=30)
    ridden = camera_states(shot, frames)
    off = camera_states(do(shot, "ride_off", rider="camera"), frames)
    for one, other in zip(ridden, off, strict=True):
        np.testing.assert_allclose(one.position, other.position, atol=1e-9)
    for n in (0, 2):
        np.testing.assert_allclose(ridden[n].world_from_camera, off[n].world_from_camera, atol=1e-9)
    # It still goes once round.
    assert off[2].pan - off[0].pan == pytest.approx(370, abs=5)
    assert riders_of(shot, "m2") == ["camera", "layer:front"]


def test_a_mount_cannot_ride_on_itself_through_any_chain(carried: Shot) -> None:
    shot = do(carried, "add_mount", layers=["back"])
    shot = do(shot, "ride_on", rider="mount:m3", mount="m2")
    with pytest.raises(EditError, match="Mount 1 cannot ride on Mount 3, which rides on Mount 2 a"):
        do(shot, "ride_on", rider="mount:m1", mount="m3")
    with pytest.raises(EditError, match="cannot ride on itself"):
        do(shot, "ride_on", rider="mount:m1", mount="m1")
    circle = Mount(id="a", name="A", ride={"on": "b"}), Mount(id="b", name="B", ride={"on": "a"})
    with pytest.raises(ShotError, match="A on B on A"):
        standing_of(circle[0], circle)
    with pytest.raises(EditError, match="must follow something"):
        do(shot, "ride_on", rider="layer:back", mount="m3", follows=[])


def test_turning_and_sizing_leave_the_pivot_where_it_is(carried: Shot) -> None:
    """On a mount, and with the pivot outside the layer: nothing moves when it is set."""
    shot = do(carried, "set_mount", mount="m1", pan=40, percent=120)
    before = seen(shot, "front")
    shot = do(shot, "set_pivot", layer="front", across=-50, up=80)
    np.testing.assert_allclose(seen(shot, "front"), before, atol=1e-6)

    def pivot(shot: Shot) -> np.ndarray:
        card = card_of(shot, shot.layer("front"))
        return card.world_from_card @ [-0.5 * card.width, 0.8 * card.height, 0, 1]

    there = pivot(shot)
    turned = do(shot, "turn_layer", layer="front", pan=-35, roll=70)
    np.testing.assert_allclose(pivot(turned), there, atol=1e-9)
    sized = do(turned, "size_layer", layer="front", percent=37)
    np.testing.assert_allclose(pivot(sized), there, atol=1e-9)
    assert not np.allclose(seen(sized, "front"), seen(turned, "front"))


def test_sized_about_the_taking_camera_a_layer_is_seen_as_before() -> None:
    shot = make_shot({"back": (1600, 900)})
    sized = do(shot, "size_layer", layer="back", percent=300, about="camera")
    assert sized.layer("back").distance == pytest.approx(3 * shot.layer("back").distance)
    np.testing.assert_allclose(seen(sized, "back"), seen(shot, "back"), atol=1e-6)
