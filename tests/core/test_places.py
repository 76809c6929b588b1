"""Places: marked by a click, they stay on what they are on, and are handed over by their names."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.core.test_bodies import bodied
from tests.core.test_handing import document, handed, moving, numbers
from vistaline.core.edits import apply
from vistaline.core.errors import EditError, ShotError
from vistaline.core.geometry.bodies import Body
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.places import place_pose


def seen(point: np.ndarray, camera: CameraState) -> np.ndarray:
    """Where OpenCV's own projection sees a point: its camera looks along +Z, y down."""
    view = np.linalg.inv(camera.world_from_camera)
    flip = np.diag([1.0, -1.0, -1.0])
    turn, _ = cv2.Rodrigues(flip @ view[:3, :3])
    width, height = camera.frame_size
    lens = np.array([[camera.focal_px, 0, width / 2], [0, camera.focal_px, height / 2], [0, 0, 1]])
    found, _ = cv2.projectPoints(point[None], turn, flip @ view[:3, 3], lens, None)
    return found.reshape(2)


def middle_of(shot: Shot) -> np.ndarray:
    """Where the middle of the nearest layer is seen at first."""
    state = evaluate(shot, [0])[0]
    middle = state.card_of(shot.layers[-1].id).image_from_card(state.camera) @ (0, 0, 1)
    found: np.ndarray = middle[:2] / middle[2]
    return found


@pytest.mark.parametrize("body", [None, Body.BOX, Body.BALL, Body.CYLINDER])
def test_a_place_is_where_one_clicked(body: Body | None) -> None:
    shot = moving() if body is None else bodied(body)
    state = evaluate(shot, [0])[0]
    layer = shot.layers[-1].id
    x, y = np.add(middle_of(shot), (7, -5))
    marked = apply(shot, "add_place", {"layer": layer, "frame": 0, "x": x, "y": y, "name": "Spark"})
    (place,) = marked.places
    assert (place.name, place.of) == ("Spark", layer)
    pose = place_pose(place, evaluate(marked, [0])[0])
    np.testing.assert_allclose(seen(pose[:3, 3], state.camera), (x, y), atol=1e-2)
    if body is Body.BALL:
        card = state.card_of(layer)
        local = np.linalg.inv(card.world_from_card) @ pose[:, 3]
        half = np.array([card.width, card.height, card.depth]) / 2
        assert np.linalg.norm(local[:3] / half) == pytest.approx(1, abs=1e-4)


def test_places_are_handed_over_with_their_motion(tmp_path: Path) -> None:
    """The file's own numbers against the layer's corners by hand: 1e-5."""
    shot = moving()
    near = shot.layers[-1].id
    places = [{"id": "p", "name": "Spark", "of": near, "at": [0.25, -0.4], "out": 0.1}]
    shot = parse_shot(dump_shot(shot) | {"places": places})
    told, binary = document(handed(shot, tmp_path))
    node = next(n for n, each in enumerate(told["nodes"]) if each["name"] == "Spark")
    (animation,) = told["animations"]
    channel = next(
        each
        for each in animation["channels"]
        if each["target"] == {"node": node, "path": "translation"}
    )
    moved = numbers(told, binary, animation["samplers"][channel["sampler"]]["output"])
    for n in (0, 11, 23):
        card = evaluate(shot, [n])[0].card_of(near)
        by_hand = card.world_from_card @ (0.25 * card.width, -0.4 * card.height, 0.1, 1)
        np.testing.assert_allclose(moved[n], by_hand[:3], atol=1e-5)


def test_a_place_on_what_is_hidden_is_left_out_and_said(tmp_path: Path) -> None:
    shot = moving()
    hidden = shot.layers[-1].evolve(hidden=True)
    places = [{"id": "p", "name": "Spark", "of": hidden.id}]
    shot = parse_shot(
        dump_shot(shot.evolve(layers=(*shot.layers[:-1], hidden), rows=())) | {"places": places}
    )
    told, _ = document(handed(shot, tmp_path))
    assert all(node["name"] != "Spark" for node in told["nodes"])
    assert "Spark: the layer it is on is hidden" in told["scenes"][0]["extras"]["left_out"]


def test_places_are_named_moved_and_gone() -> None:
    shot = moving()
    far, near = (layer.id for layer in shot.layers)
    x, y = middle_of(shot)
    click = {"layer": near, "frame": 0, "x": x, "y": y}
    for _ in range(2):
        shot = apply(shot, "add_place", click | {"name": "  Spark "})
    assert [each.name for each in shot.places] == ["Spark", "Spark 2"]
    one, two = (each.id for each in shot.places)
    with pytest.raises(EditError, match="Another place"):
        apply(shot, "rename_place", {"place": two, "name": "Spark"})
    with pytest.raises(EditError, match="needs a name"):
        apply(shot, "rename_place", {"place": two, "name": " "})
    shot = apply(shot, "rename_place", {"place": two, "name": "Smoke"})
    moved = apply(shot, "move_place", {"place": one, "layer": far, "frame": 0, "x": x, "y": y})
    assert moved.places[0].of == far
    assert [each.id for each in apply(moved, "remove_place", {"place": one}).places] == [two]
    # A layer that goes takes its places along.
    without = apply(moved, "remove_layer", {"layer": near})
    assert [each.of for each in without.places] == [far]
    for values, said in (
        (click | {"layer": ""}, "Click on a layer"),
        (click | {"x": -500}, "not seen there"),
    ):
        with pytest.raises(EditError, match=said):
            apply(shot, "add_place", values)
    for wrong, said in (
        ([{"id": "p", "name": "a", "of": "gone"}], "not among the layers"),
        ([{"id": "p", "name": "a", "of": near}, {"id": "p", "name": "b", "of": near}], "one id"),
        ([{"id": "p", "name": "a", "of": near}, {"id": "q", "name": "a", "of": near}], "own name"),
    ):
        with pytest.raises(ShotError, match=said):
            parse_shot(dump_shot(shot) | {"places": wrong})
    assert isinstance(parse_shot(dump_shot(shot)), Shot)
