"""Focusing a camera: by a click, kept on a layer, travelling with framings, by keys."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.core.test_mounts import do
from vistaline.core.edits.metres import stage_enlarged
from vistaline.core.errors import CoreError
from vistaline.core.geometry.focus import sharp_between
from vistaline.core.scene.describe import describe_scene
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states, depth_of
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.sheet import PlanView, flatten


def focus_at(shot: Shot, frame: float) -> float:
    optics = camera_states(shot, [frame])[0].optics
    assert optics is not None
    return optics.focus


def test_an_old_shot_sees_everything_sharp_and_a_focused_one_is_read_back(shot: Shot) -> None:
    assert all(state.optics is None for state in camera_states(shot, [0, 12]))
    opened = do(do(shot, "set_focus", focus=4), "set_iris", blades=7, turn=10)
    assert parse_shot(dump_shot(opened)) == opened
    assert focus_at(opened, 5) == 4
    assert (
        camera_states(do(opened, "set_everything_sharp", everything_sharp=True), [0])[0].optics
        is None
    )


def test_a_click_focuses_on_what_is_seen_there(shot: Shot) -> None:
    """Of a card that leans, on that point of it: similar triangles along the camera's axis."""
    layer = shot.layers[-1]
    leant = do(shot, "turn_layer", layer=layer.id, pan=40)
    camera = camera_states(leant, [0])[0]
    card = card_of(leant, leant.layer(layer.id))
    point = card.world_from_card @ [card.width * 0.3, card.height * -0.1, 0, 1]
    x, y, w = camera.image_from_camera @ (camera.camera_from_world @ point)[:3]
    focused = do(leant, "focus_on_point", layer=layer.id, frame=0, x=x / w, y=y / w)
    assert focus_at(focused, 0) == pytest.approx(depth_of(camera, point[:3]), rel=1e-6)


def test_a_layer_is_kept_in_focus_while_both_move_and_is_let_go_with_it(shot: Shot) -> None:
    layer = shot.layers[-1].id
    moving = do(shot, "set_framing", framing=1, forward=0.8, across=0.3)
    moving = do(moving, "keep_in_focus", layer=layer)
    frames = np.arange(0, moving.duration)
    middle = card_of(moving, moving.layer(layer)).world_from_card[:3, 3]
    for state in camera_states(moving, frames):
        assert state.optics is not None
        assert state.optics.focus == pytest.approx(depth_of(state, middle))
    gone = do(moving, "remove_layer", layer=layer)
    assert gone.camera.focusing.follows == ""


def test_focus_travels_by_its_inverse_and_the_opening_by_its_logarithm(shot: Shot) -> None:
    """Half way between 2 and 6 m, with an even ease, is their harmonic mean, 3 m."""
    first, last = shot.route.framings[0], shot.route.framings[-1]
    carried = shot.route.evolve(
        framings=(
            first.evolve(focus=2.0, f_number=2.0),
            *shot.route.framings[1:-1],
            last.evolve(focus=6.0, f_number=8.0, focus_ease="linear"),
        )
    )
    camera = shot.camera.evolve(
        route=carried, focusing=shot.camera.focusing.evolve(everything_sharp=False)
    )
    shot = shot.evolve(cameras=(camera,))
    middle = (first.last + last.frame) / 2
    optics = camera_states(shot, [middle])[0].optics
    assert optics is not None
    assert optics.focus == pytest.approx(3)
    assert optics.f_number == pytest.approx(4)
    # Keys say otherwise, and are those that count; they travel the same way.
    keyed = do(shot, "set_key", of="camera:a", value="focus", frame=0)
    keyed = do(keyed, "set_focus", focus=5, playhead=0)
    assert focus_at(keyed, middle) == 5


@pytest.mark.parametrize(
    ("verb", "values", "words"),
    [
        ("set_focus", {"focus": 0}, "cannot be focused nearer"),
        ("set_focus", {"focus": -2}, "cannot be focused nearer"),
        ("set_focus", {"focus": math.nan}, "must be a number|cannot be focused|finite"),
        ("set_opening", {"f_number": 0}, "at least 0.5"),
        ("set_opening", {"strength": 400}, "at most 300"),
        ("set_iris", {"blades": 2}, "5 to 9 blades"),
        ("keep_in_focus", {"layer": "nobody"}, "no layer"),
    ],
)
def test_what_no_lens_does_is_refused_in_words(
    shot: Shot, verb: str, values: dict[str, float], words: str
) -> None:
    with pytest.raises(CoreError, match=words):
        do(shot, verb, **values)


def test_what_passes_the_camera_is_focused_on_as_near_as_the_lens_can(shot: Shot) -> None:
    layer = shot.layers[-1]
    through = do(shot, "set_framing", framing=1, forward=layer.distance + 1)
    through = do(through, "keep_in_focus", layer=layer.id)
    assert focus_at(through, through.duration - 1) == pytest.approx(
        through.route.framings[-1].lens * 1.05 / 1000
    )


def test_focus_grows_with_the_stage_and_runs_back_with_the_route(shot: Shot) -> None:
    """What is sharp stays sharp when a known length says that all is three times as large."""
    first, last = shot.route.framings[0], shot.route.framings[-1]
    route = shot.route.evolve(
        framings=(
            first.evolve(focus=2.0),
            *shot.route.framings[1:-1],
            last.evolve(focus=6.0, focus_ease="quad-in"),
        )
    )
    carried = do(
        do(shot.evolve(cameras=(shot.camera.evolve(route=route),)), "set_opening"),
        "set_focus",
        focus=4,
    )
    larger = stage_enlarged(carried, 3.0)
    assert [each.focus for each in larger.route.framings if each.focus] == [6.0, 18.0]
    assert larger.camera.focusing.focus == 12
    keyed = do(carried, "set_key", of="camera:a", value="focus", frame=0)
    grown = stage_enlarged(keyed, 3.0)
    assert focus_at(grown, 3) == pytest.approx(12)
    assert grown.camera.focusing.focus == 4  # its keys tell
    back = do(carried, "reverse_route").route.framings
    assert (back[0].focus, back[-1].focus, back[-1].focus_ease) == (6.0, 2.0, "quad-out")


def test_a_rack_is_two_keys_from_what_is_sharp_to_what_is_clicked(shot: Shot) -> None:
    layer = shot.layers[-1]
    opened = do(shot, "set_focus", focus=9)
    x, y = opened.frame.width / 2, opened.frame.height / 2
    racked = do(opened, "rack_focus", layer=layer.id, frame=4, x=x, y=y, over="8f")
    (row,) = racked.rows
    assert [key.frame for key in row.keys] == [4, 12]
    assert focus_at(racked, 0) == focus_at(racked, 4) == pytest.approx(9)
    there = focus_at(do(opened, "focus_on_point", layer=layer.id, frame=4, x=x, y=y), 4)
    assert focus_at(racked, 12) == pytest.approx(there)
    # Half the way lies in the middle of the inverses, not of the metres.
    assert focus_at(racked, 8) == pytest.approx(2 / (1 / 9 + 1 / there))


def test_sharp_from_here_to_there_is_what_the_limits_say_then(shot: Shot) -> None:
    opened = do(do(shot, "set_focus", focus=3), "set_sharp", near=1.5, far=6)
    state = camera_states(opened, [0])[0]
    assert state.optics
    limits = sharp_between(state.lens, state.optics.f_number, state.optics.focus)
    assert limits == pytest.approx((1.5, 6))
    softened = do(opened, "soften_beyond", beyond=0.5)
    state = camera_states(softened, [0])[0]
    assert state.optics and state.optics.blur(state.focal_px, math.inf) == pytest.approx(0.5)
    assert state.optics.f_number == camera_states(opened, [0])[0].optics.f_number
    with pytest.raises(CoreError, match="px at most, with a strength of 300 %"):
        do(opened, "soften_beyond", beyond=5000)
    endless = camera_states(do(opened, "set_sharp", far=0), [0])[0]
    assert endless.optics and endless.optics.focus == pytest.approx(3)
    with pytest.raises(CoreError, match=r"takes f/\d+.*nearer together"):
        do(opened, "set_sharp", near=0.1, far=600)
    with pytest.raises(CoreError, match="nearer"):
        do(opened, "set_sharp", near=7)


@pytest.mark.parametrize("view", list(PlanView))
def test_the_line_on_the_plan_goes_where_it_is_dragged(shot: Shot, view: PlanView) -> None:
    opened = do(shot, "set_focus", focus=3)
    camera = camera_states(opened, [0])[0]
    ahead = flatten(-camera.world_from_camera[None, :3, 2], view)[0] * 0.5
    dragged = do(opened, "drag_focus", view=view.value, dx=ahead[0], dy=ahead[1])
    assert focus_at(dragged, 0) == pytest.approx(3.5)
    told = describe_scene(dragged, [0])["frames"][0]["camera"]["focus"]
    apex = flatten(np.array([camera.position]), view)[0]
    for end in np.array(told["lines"][view.value]["at"]):
        assert (end - apex) @ ahead * 2 == pytest.approx(3.5, abs=1e-3)


def test_a_smaller_stage_is_blurred_more_and_looks_the_same(shot: Shot) -> None:
    """A lens blurs what is twice as near as 1 / z says: twice as much."""
    layer = shot.layers[-1].id
    opened = do(shot, "keep_in_focus", layer=layer)
    high = card_of(opened, opened.layer(layer)).height
    small = do(opened, "size_stage", layer=layer, height=high / 2)
    before, after = (camera_states(each, [0])[0] for each in (opened, small))
    assert before.optics and after.optics
    assert after.optics.focus == pytest.approx(before.optics.focus / 2)
    far = shot.layers[0].distance
    ratio = after.optics.blur(after.focal_px, far / 2) / before.optics.blur(before.focal_px, far)
    assert ratio == pytest.approx(2, rel=0.05)


def test_a_framing_carries_its_focus_or_lets_the_camera_say_it(shot: Shot) -> None:
    carried = do(shot, "focus_framing", framing=1, focus=7, f_number=8, ease="linear")
    assert focus_at(carried, carried.duration) == 7
    assert not carried.camera.focusing.everything_sharp
    let = do(carried, "focus_framing", framing=1, none=True)
    assert let.route.framings[1].focus is None
    assert focus_at(let, let.duration) == let.camera.focusing.focus


def test_the_shutter_follows_its_angle_from_the_middle(shot: Shot) -> None:
    wide = do(do(shot, "set_motion_blur", motion_blur=True), "set_shutter", angle=360)
    assert wide.camera.shutter.phase == -180
    later = do(do(wide, "set_shutter", phase=0), "set_shutter", angle=90)
    assert (later.camera.shutter.angle, later.camera.shutter.phase) == (90, 0)
    assert parse_shot(dump_shot(later)) == later
    kept = do(shot, "set_layer_motion_blur", layer=shot.layers[0].id)
    assert not kept.layers[0].motion_blur
    with pytest.raises(CoreError, match="720"):
        do(shot, "set_shutter", angle=10_000)


def test_a_dolly_zoom_focused_on_its_layer_is_sharp_there_in_every_frame(shot: Shot) -> None:
    layer = shot.layers[-1].id
    zoomed = do(
        do(shot, "set_framing", framing=1, forward=0.7), "keep_size", framing=1, layer=layer
    )
    focused = do(do(zoomed, "keep_in_focus", layer=layer), "set_opening", f_number=0.5)
    middle = card_of(focused, focused.layer(layer)).world_from_card[:3, 3]
    states = camera_states(focused, range(focused.duration))
    assert len({round(state.lens, 3) for state in states}) > 3
    for state in states:
        assert state.optics and state.optics.blur(state.focal_px, depth_of(state, middle)) < 1e-6
