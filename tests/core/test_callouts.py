"""Callouts: tied to their points whatever moves, clear of the edge, as large on the screen."""

from __future__ import annotations

import json

import cv2
import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of
from tests.core.test_layouts import corners
from tests.core.test_mounts import do
from tests.core.test_render import flat
from vistaline.core import edits
from vistaline.core.errors import CoreError
from vistaline.core.render.shapes import shape_of
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.evaluate import evaluate

SIZE = (640, 360)


@pytest.fixture
def shot() -> Shot:
    """A camera that trucks and turns past two layers; one of them moves by keys."""
    framings = [{"frame": 0}, {"frame": 47, "position": [0.4, 0.1, -0.5], "pan": 8, "lens": 50}]
    shot = make_shot(
        dict.fromkeys(("back", "front"), (1600, 900)),
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 48},
        route={"framings": framings},
    )
    shot = edits.apply(shot, "move_layer", {"layer": "front", "up": 0.1}, at=0, auto_key=True)
    shot = edits.apply(shot, "move_layer", {"layer": "front", "up": 0.05}, at=47, auto_key=True)
    return do(shot, "add_callout", layer="front", frame=0, x=300, y=240, text="The light")


def part(shot: Shot, which: str) -> str:
    return getattr(shot.callouts[0], which)


def point_seen(shot: Shot, frame: int) -> np.ndarray:
    """Where the point is, by OpenCV's projection of its place on the stage."""
    callout, state = shot.callouts[0], evaluate(shot, [frame])[0]
    card = state.card_of(callout.of)
    x = (callout.at[0] - 0.5) * card.width
    y = (0.5 - callout.at[1]) * card.height
    place = (card.world_from_card @ [x, y, 0, 1])[:3]
    camera = camera_states(shot, [frame])[0]
    focal = camera.focal_px
    inner = np.array([[focal, 0, SIZE[0] / 2], [0, focal, SIZE[1] / 2], [0, 0, 1]])
    # OpenCV's camera looks along +z, y down.
    seen = np.diag([1, -1, -1, 1]) @ camera.camera_from_world
    turn, _ = cv2.Rodrigues(seen[:3, :3])
    points, _ = cv2.projectPoints(place[None], turn, seen[:3, 3], inner, None)
    return points[0, 0]


def test_the_mark_is_on_the_point_whatever_moves(shot: Shot) -> None:
    assert point_seen(shot, 0) == pytest.approx((300, 240), abs=0.02)
    for frame in (0, 17, 33, 47):
        middle = corners(shot, part(shot, "mark"), frame).mean(axis=0)
        np.testing.assert_allclose(middle, point_seen(shot, frame), atol=0.05)


def test_the_label_keeps_its_size_and_stays_in_the_title_safe_area(shot: Shot) -> None:
    """SMPTE ST 2046-1: 90 % of width and height."""
    sizes = []
    for frame in (0, 20, 47):
        label = corners(shot, part(shot, "label"), frame)
        sizes.append(np.ptp(label, axis=0))
        aside = label.mean(axis=0) - point_seen(shot, frame)
        np.testing.assert_allclose(aside, (0.14 * 640, -0.09 * 640), atol=0.1)
    np.testing.assert_allclose(sizes, [sizes[0]] * 3, atol=1e-6)
    far = do(shot, "set_callout", callout="c1", across=90, up=-70)
    label = corners(far, part(far, "label"), 20)
    assert label[:, 0].max() == pytest.approx(0.95 * 640, abs=0.01)
    assert label[:, 1].max() == pytest.approx(0.95 * 360, abs=0.01)


def test_the_line_goes_from_the_mark_to_the_labels_edge(shot: Shot) -> None:
    for frame in (5, 40):
        line = corners(shot, part(shot, "line"), frame)
        # Its card is larger than what is drawn by the room for the pen, 3 % of it.
        ends = np.array([(line[0] + line[3]) / 2, (line[1] + line[2]) / 2])
        ends = ends.mean(axis=0) + (ends - ends.mean(axis=0)) / 1.03
        point, label = point_seen(shot, frame), corners(shot, part(shot, "label"), frame)
        away = np.linalg.norm(ends[0] - point)
        assert away == pytest.approx(0.014 / 2 * 640, abs=0.6), "it begins where the mark ends"
        low, high = label.min(axis=0) - 0.008 * 640, label.max(axis=0) + 0.008 * 640
        assert (ends[1] > low).all() and (ends[1] < high).all()
        inside = (ends[1] > label.min(axis=0)).all() and (ends[1] < label.max(axis=0)).all()
        assert not inside, "and ends before the letters"
        along = (ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0])
        to_label = label.mean(axis=0) - point
        np.testing.assert_allclose(along, to_label / np.linalg.norm(to_label), atol=1e-3)


def test_drags_move_label_and_point(shot: Shot) -> None:
    moved = do(shot, "drag_layer", layer=part(shot, "label"), frame=20, dx=-64, dy=32)
    assert (moved.callouts[0].across, moved.callouts[0].up) == pytest.approx((0.04, 0.04), abs=1e-9)
    before = point_seen(shot, 0)
    moved = do(shot, "drag_layer", layer=part(shot, "mark"), frame=0, dx=10, dy=-6)
    np.testing.assert_allclose(point_seen(moved, 0), before + np.array([10, -6]), atol=0.05)
    other = do(shot, "point_callout", callout="c1", layer="back", frame=0, x=100, y=100)
    assert other.callouts[0].of == "back"
    np.testing.assert_allclose(point_seen(other, 0), (100, 100), atol=0.05)


def test_parts_are_changed_and_go_together(shot: Shot) -> None:
    for mark, left in (("spot", 5), ("arrow", 5), ("none", 4), ("ring", 5)):
        shot = do(shot, "set_callout", callout="c1", mark=mark)
        assert len(shot.layers) == left and bool(shot.callouts[0].mark) is (mark != "none")
    coloured = do(shot, "set_callout", callout="c1", colour="#123456")
    assert {
        coloured.layer(key).line.colour for key in (part(shot, "line"), part(shot, "mark"))
    } == {"#123456"}
    assert parse_shot(json.loads(json.dumps(dump_shot(shot)))) == shot
    gone = do(shot, "remove_callout", callout="c1")
    assert [each.id for each in gone.layers] == ["back", "front"]
    # What it points at is gone: its words stay, by themselves.
    orphan = do(shot, "remove_layer", layer="front")
    assert orphan.callouts == () and [each.name for each in orphan.layers] == ["back", "The light"]


def test_what_makes_no_sense_is_refused(shot: Shot) -> None:
    for verb, values, says in (
        ("add_callout", {"layer": "gone", "frame": 0, "x": 1, "y": 1}, "no layer 'gone'"),
        ("add_callout", {"layer": "", "frame": 0, "x": 1, "y": 1}, "Nothing is seen there"),
        ("add_callout", {"layer": "front", "frame": 0, "x": 4, "y": 4, "text": ""}, "ext"),
        ("add_callout", {"layer": part(shot, "line"), "frame": 0, "x": 4, "y": 4}, "pointed at"),
        ("set_callout", {"callout": "c9", "up": 3}, "no callout 'c9'"),
        ("set_callout", {"callout": "c1", "type_size": 900}, "ize"),
    ):
        with pytest.raises(CoreError, match=says):
            do(shot, verb, **values)
    document = dump_shot(shot)
    document["callouts"][0]["of"] = "gone"
    with pytest.raises(CoreError, match="points at 'gone'"):
        parse_shot(document)


def test_lines_are_drawn_on_what_is_there(shot: Shot) -> None:
    shot = do(shot, "turn_layer", layer="back", pan=30)
    points = [(200, 100), (260, 140), (330, 90)]
    drawn = do(shot, "draw_line", points=points, frame=12, layer="back")
    line = drawn.layers[-1]
    assert line.line and line.pan == pytest.approx(30)
    state = evaluate(drawn, [12])[0]
    card = state.card_of(line.id)
    there = np.array(line.line.points) * (line.line.width, line.line.height)
    seen = np.column_stack([there, np.ones(3)]) @ card.image_from_card(state.camera).T
    np.testing.assert_allclose(seen[:, :2] / seen[:, 2:], points, atol=0.5)
    free = do(shot, "draw_line", points=points, frame=12, thing="outline")
    assert free.layers[-1].line and free.layers[-1].line.closed
    for values, says in (
        ({"points": [(1, 1)]}, "has 1 points; it takes 2"),
        ({"points": [(1, 1), (5, 5)], "thing": "outline"}, "it takes 3"),
        ({"points": [(1, 1)] * 600}, "has 600 points"),
    ):
        with pytest.raises(CoreError, match=says):
            do(shot, "draw_line", frame=0, **values)


def test_a_line_goes_round_what_is_seen_of_a_layer(shot: Shot) -> None:
    """A disc's outline is a circle, some way outside of it (drawn by OpenCV)."""
    look = flat((1, 1, 1), 0.0, (400, 400))
    cv2.circle(look, (240, 160), 100, (65535,) * 4, -1)
    points = np.array(shape_of(shot, {"front": pyramid_of(look)}, "front"))
    pixels = np.column_stack([(points[:, 0] + 0.5) * 400, (0.5 - points[:, 1]) * 400])
    away = np.linalg.norm(pixels - (240, 160), axis=1)
    assert away.min() > 104 and away.max() < 120 and len(points) > 40
    lined = do(shot, "line_round_shape", layer="front", points=points.tolist())
    line = next(each for each in lined.layers if each.line and each.line.round == "front")
    for frame in (0, 30):
        middle = corners(lined, line.id, frame).mean(axis=0)
        np.testing.assert_allclose(middle, corners(lined, "front", frame).mean(axis=0), atol=1.5)
    with pytest.raises(CoreError, match="Nothing of front is opaque"):
        shape_of(shot, {"front": pyramid_of(flat((1, 1, 1), 0.0, (60, 60)))}, "front")
