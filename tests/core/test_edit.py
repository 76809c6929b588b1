"""Edits: new shots from old, framing kept, refusals in words."""

import numpy as np
import pytest

from vistaline.core import edits
from vistaline.core.errors import EditError
from vistaline.core.geometry.space import project
from vistaline.core.shot.route import Framing
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.evaluate import evaluate

CORNERS = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])


def seen(shot: Shot, layer: str, frame: int = 0) -> np.ndarray:
    """A layer's corners in frame pixels."""
    camera = camera_states(shot, [frame])[0]
    return project(card_of(shot, shot.layer(layer)).image_from_unit(camera), CORNERS)


@pytest.mark.parametrize("distance", [0.5, 1.0, 3.7, 40.0])
def test_moved_in_depth_a_layer_keeps_its_framing(shot: Shot, distance: float) -> None:
    """Common practice, no source: seen alike when scaled by b / a."""
    shot = edits.apply(shot, "move_layer", {"layer": "front", "across": 0.2, "up": -0.1})
    moved = edits.apply(shot, "move_in_depth", {"layer": "front", "distance": distance})
    np.testing.assert_allclose(seen(moved, "front"), seen(shot, "front"), atol=1e-6)
    ratio = distance / shot.layer("front").distance
    sizes = [card_of(each, each.layer("front")).width for each in (moved, shot)]
    assert sizes[0] / sizes[1] == pytest.approx(ratio)


def test_moved_freely_a_layer_keeps_its_size(shot: Shot) -> None:
    moved = edits.apply(shot, "move_in_depth", {"layer": "front", "distance": 5, "keep": "size"})
    widths = [card_of(each, each.layer("front")).width for each in (shot, moved)]
    assert widths[0] == pytest.approx(widths[1])
    shrunk = np.ptp(seen(moved, "front")[:, 0]) / np.ptp(seen(shot, "front")[:, 0])
    assert shrunk == pytest.approx(shot.layer("front").distance / 5)


def test_a_dragged_layer_follows_the_pointer(shot: Shot) -> None:
    shot = edits.apply(shot, "set_framing", {"framing": 0, "pan": 8, "tilt": 3, "roll": 11})
    moved = edits.apply(shot, "drag_layer", {"layer": "front", "frame": 0, "dx": "24", "dy": "-10"})
    middle = [
        project(
            card_of(each, each.layer("front")).image_from_unit(camera_states(each, [0])[0]),
            np.array([[0.5, 0.5]]),
        )[0]
        for each in (shot, moved)
    ]
    np.testing.assert_allclose(middle[1] - middle[0], (24, -10), atol=1e-6)


def test_sizing_keeps_the_middle(shot: Shot) -> None:
    sized = edits.apply(shot, "size_layer", {"layer": "front", "percent": 40})
    before, after = (card_of(each, each.layer("front")) for each in (shot, sized))
    np.testing.assert_allclose(before.world_from_card[:3, 3], after.world_from_card[:3, 3])
    assert after.width == pytest.approx(0.4 * before.width)


@pytest.mark.parametrize(
    ("move", "changed"),
    [
        ("truck", {"position"}),
        ("dolly", {"position"}),
        ("pan", {"pan", "tilt"}),
        ("roll", {"roll"}),
    ],
)
def test_a_gesture_moves_only_what_it_names(shot: Shot, move: str, changed: set[str]) -> None:
    moved = edits.apply(shot, "move_camera", {"framing": 0, "move": move, "dx": 30, "dy": -20})
    old, new = shot.route.framings[0], moved.route.framings[0]
    assert {n for n in Framing.model_fields if getattr(old, n) != getattr(new, n)} == changed
    assert moved.route.framings[1] == shot.route.framings[1]


def test_trucking_carries_the_grasped_layer_with_the_pointer(shot: Shot) -> None:
    moved = edits.apply(
        shot, "move_camera", {"framing": 0, "move": "truck", "dx": 31, "dy": 12, "layer": "front"}
    )
    np.testing.assert_allclose(
        seen(moved, "front") - seen(shot, "front"), [(31, 12)] * 4, atol=1e-6
    )


def test_panning_carries_the_middle_with_the_pointer(shot: Shot) -> None:
    moved = edits.apply(shot, "move_camera", {"framing": 0, "move": "pan", "dx": 31})
    middle = card_of(shot, shot.layer("front")).image_from_unit
    at = [project(middle(camera_states(s, [0])[0]), np.array([[0.5, 0.5]])) for s in (shot, moved)]
    np.testing.assert_allclose(at[1] - at[0], [[31, 0]], atol=1e-6)


def test_the_later_of_two_at_one_distance_is_in_front(shot: Shot) -> None:
    flat = edits.apply(shot, "move_in_depth", {"layer": "back", "distance": 2})
    assert evaluate(flat, [0])[0].order == [0, 1]
    turned = edits.apply(flat, "put_in_front", {"layer": "back", "of": "front"})
    state = evaluate(turned, [0])[0]
    assert [state.cards[i].layer.id for i in state.order] == ["front", "back"]


def test_a_longer_shot_keeps_the_whole_move(shot: Shot) -> None:
    longer = edits.apply(
        shot, "set_format", {"width": 320, "height": 180, "rate": "50", "duration": 93}
    )
    assert [framing.frame for framing in longer.route.framings] == [0, 92]
    assert longer.route.framings[1].position == shot.route.framings[1].position


@pytest.mark.parametrize(
    ("verb", "arguments", "sentence"),
    [
        ("fly", {}, "no edit called 'fly'"),
        ("move_in_depth", {"layer": "front", "distance": "-1"}, "in front of the taking camera"),
        ("move_in_depth", {"layer": "nobody", "distance": "1"}, "no layer 'nobody'"),
        ("move_in_depth", {"layer": "front"}, "Distance needs a value"),
        ("set_opacity", {"layer": "front", "percent": 140}, "Percent can be at most 100; got 140"),
        ("set_lens", {"lens": 0}, "Lens must be above 0"),
        ("rename_layer", {"layer": "front", "name": "  "}, "needs a name"),
        ("time_framing", {"framing": 1, "frame": 0}, "later frame"),
        ("time_framing", {"framing": 7, "frame": 0}, "no framing 8"),
        ("add_framing", {"frame": 0}, "framing at frame 0 already"),
        ("set_ease", {"framing": 1, "ease": "own", "x1": 0.1}, "four numbers"),
        ("set_format", {"width": 320, "height": 180, "rate": "24", "duration": 1}, "too few"),
        ("size_layer", {"layer": "front", "percent": 0}, "above 0 %"),
        ("set_framing", {"framing": 0, "forward": 1e9}, "Forward is farther than"),
    ],
)
def test_edits_that_make_no_sense_are_refused(
    shot: Shot, verb: str, arguments: dict[str, object], sentence: str
) -> None:
    with pytest.raises(EditError, match=sentence):
        edits.apply(shot, verb, arguments)


def test_a_locked_layer_stays_where_it_is(shot: Shot) -> None:
    locked = edits.apply(shot, "set_locked", {"layer": "front", "locked": True})
    with pytest.raises(EditError, match="front is locked"):
        edits.apply(locked, "drag_layer", {"layer": "front", "frame": 0, "dx": 1, "dy": 0})
    freed = edits.apply(locked, "set_locked", {"layer": "front", "locked": False})
    assert freed == shot


def test_removing_the_only_framing_is_refused(shot: Shot) -> None:
    one = edits.apply(shot, "remove_framing", {"framing": 0})
    with pytest.raises(EditError, match="at least one framing"):
        edits.apply(one, "remove_framing", {"framing": 0})


def test_a_camera_that_passes_a_layer_loses_it_and_says_so(shot: Shot) -> None:
    from vistaline.core.foresight.watch import findings

    through = edits.apply(shot, "set_framing", {"framing": 1, "forward": 3})
    states = evaluate(through, range(24))
    assert 1 in states[0].order and 1 not in states[23].order
    assert any("Layer front is behind the camera from frame" in each for each in findings(through))
