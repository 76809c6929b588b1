"""Focusing a camera: by a click, kept on a layer, travelling with framings, by keys."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.core.test_mounts import do
from vistaline.core.edits.marks import stage_enlarged
from vistaline.core.errors import CoreError
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states, depth_of
from vistaline.core.stage.cards import card_of


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
