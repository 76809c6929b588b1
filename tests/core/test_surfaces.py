"""Planes by four points, bodies, known lengths: against the cameras that saw them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.conftest import make_shot
from tests.core.rooms import SIZE, room, seen
from tests.core.test_room import PHOTO, do, lodged, rendered
from vistaline.core import edits
from vistaline.core.errors import CoreError
from vistaline.core.geometry import space
from vistaline.core.geometry.bodies import Body
from vistaline.core.geometry.bowing import bowed
from vistaline.core.geometry.heights import upright_height
from vistaline.core.scene.describe import pick_layer
from vistaline.core.scene.plan import draw_plans
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Taken
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import Card, card_of
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.placing import outline_in
from vistaline.core.stage.poses import projector_of
from vistaline.core.stage.seen import bow_in, ray_of, seen_from
from vistaline.core.stage.sheet import PlanView

TAKING = {"width": 640, "height": 360, "focal_length": 28, "pan": 31, "tilt": -7, "roll": 1}


def street(**taking: Any) -> Shot:
    """A photo seen by a camera that is turned, tilted and rolled, 1.7 m up."""
    shot = make_shot(
        {"photo": PHOTO},
        frame={"width": 640, "height": 360, "duration": 24},
        taking_camera=TAKING | taking,
        route={"framings": [{"frame": 0, "pan": 31, "tilt": -7, "roll": 1, "lens": 28}]},
    )
    return do(shot, "set_ground", horizon=140, eye_height=1.7)


def drawn(shot: Shot, points: np.ndarray) -> list[list[float]]:
    """Where the taking camera sees points (N, 3), in canvas pixels."""
    focal = shot.taking_camera.focal_length / 36 * 640
    x, y, z = space.rotation(31, -7, 1).T @ points.T
    return np.column_stack([320 - focal * x / z, 180 + focal * y / z]).tolist()


def corners_of(card: Card) -> np.ndarray:
    flat = np.column_stack([card.outline[:, :2], np.zeros(4), np.ones(4)])
    return (flat @ card.world_from_card.T)[:, :3]


WALL = np.array([[-4.0, 1.1, -5.0], [-1.0, 1.1, -5.0], [-1.0, -1.7, -5.0], [-4.0, -1.7, -5.0]])
PAVEMENT = np.array([[-3.0, -1.7, -6.0], [-1.5, -1.7, -6.0], [-1.5, -1.7, -3.5], [-3, -1.7, -3.5]])


@pytest.mark.parametrize("world", [WALL, PAVEMENT], ids=["wall", "pavement"])
def test_four_points_stand_where_the_rectangle_stood(world: np.ndarray) -> None:
    shot = street()
    made = do(shot, "project_on_plane", corners=drawn(shot, world))
    found = corners_of(card_of(made, made.layers[-1]))
    apart = np.linalg.norm(found[:, None] - world[None], axis=2).min(axis=1)
    assert apart.max() < 1e-3, "metres, in whatever order"
    assert made.layer("photo").hidden


def test_a_plane_stands_on_another_surface_or_free() -> None:
    shot = street()
    floor = do(shot, "project_on_plane", corners=drawn(shot, PAVEMENT))
    chest = np.array(
        [[-2.8, -1.2, -4.5], [-2.0, -1.2, -4.5], [-2.0, -1.7, -4.5], [-2.8, -1.7, -4.5]]
    )
    on = floor.layers[-1].id
    stood = do(floor, "project_on_plane", corners=drawn(shot, chest), stands=on)
    np.testing.assert_allclose(
        np.sort(corners_of(card_of(stood, stood.layers[-1])), axis=0),
        np.sort(chest, axis=0),
        atol=2e-3,
    )
    free = do(
        shot, "project_on_plane", corners=drawn(shot, WALL + np.array([0, 4, 0])), stands="free"
    )
    card = card_of(free, free.layers[-1])
    assert card.width / card.height == pytest.approx(3 / 2.8, rel=1e-3)


def test_an_edge_is_dragged_to_where_the_new_surface_ends() -> None:
    """The pixel at which a surface of known length ends gives that length back."""
    shot = lodged()
    floor = shot.layers[2].id
    camera = camera_states(shot, [3])[0]
    for side, angle in (("left", 90), ("top", 90), ("right", 60), ("top", 0)):
        grown = do(shot, "grow_surface", layer=floor, side=side, length=0.8, angle=angle)
        # Its far edge: the corners that the floor does not have.
        old = corners_of(card_of(shot, shot.layer(floor)))
        new = corners_of(card_of(grown, grown.layers[-1]))
        far = new[np.linalg.norm(new[:, None] - old[None], axis=2).min(axis=1) > 1e-6]
        middle = camera.camera_from_world @ (*far[np.argmin(far[:, 2])], 1)
        pixel = camera.image_from_camera @ middle[:3]
        x, y = pixel[:2] / pixel[2]
        again = do(shot, "grow_surface", layer=floor, side=side, angle=angle, frame=3, x=x, y=y)
        assert max(again.layers[-1].size) == pytest.approx(max(grown.layers[-1].size))
        np.testing.assert_allclose(corners_of(card_of(again, again.layers[-1])), new, atol=1e-6)


@pytest.mark.parametrize("body", list(Body))
def test_bodies_stand_on_the_ground_where_they_are_seen(body: Body) -> None:
    shot = do(
        make_shot({"photo": PHOTO}, frame={"width": 640, "height": 360, "duration": 24}),
        "set_ground", horizon=180, eye_height=1.6,
    )  # fmt: skip
    made = do(shot, "add_body", body=body.value, x0=260, y0=200, x1=360, y1=290)
    card, layer = card_of(made, made.layers[-1]), made.layers[-1]
    assert layer.body is body
    assert card.world_from_card[1, 3] - card.height / 2 == pytest.approx(-1.6)
    # Its front's foot is as far away as the ground at that row is: similar triangles.
    focal = shot.taking_camera.focal_length / 36 * 640
    front = -card.world_from_card[2, 3] - (0 if body is Body.BALL else card.depth / 2)
    assert front == pytest.approx(focal * 1.6 / (290 - 180))
    if body is not Body.BALL:
        assert card.width == pytest.approx(100 * front / focal)
        assert card.height == pytest.approx(90 * front / focal)
    deeper = do(made, "set_body", layer=layer.id, body=body.value, depth=3)
    assert card_of(deeper, deeper.layers[-1]).depth == pytest.approx(3)


def test_one_point_looks_straight_ahead_and_shows_the_same(photo: np.ndarray) -> None:
    """A vanishing point off the middle: the lens looked there, and the frame shows the same."""
    shot = make_shot({"photo": PHOTO}, frame={"width": 640, "height": 360, "duration": 24})
    shot = do(shot, "set_ground", horizon=180, eye_height=1.6)
    wall = {"vx": 250, "vy": 150, "x0": 180, "y0": 90, "x1": 400, "y1": 240}
    room = do(shot, "project_on_one_point", frame=0, **wall)
    assert room.taking_camera.principal_point == pytest.approx((250, 150))
    off = np.abs(rendered(room, photo) - rendered(shot, photo)).max(axis=2)[6:-6, 6:-6]
    assert np.median(off) <= 1 and np.mean(off > 8) < 0.02
    # Similar triangles about the vanishing point.
    back = card_of(room, room.layers[1])
    focal = shot.taking_camera.focal_length / 36 * 640
    deep = focal * 1.6 / (240 - 150)
    assert back.world_from_card[2, 3] == pytest.approx(-deep)
    ends = np.array([180 - 250, 400 - 250]) * deep / focal
    assert back.world_from_card[0, 3] == pytest.approx(ends.mean())
    assert room.ground.horizon == pytest.approx(150)


def test_a_known_length_sizes_the_stage_and_changes_no_picture(photo: np.ndarray) -> None:
    shot = lodged()
    upright = {"x0": 300, "y0": 250, "x1": 300, "y1": 150}
    sized = do(shot, "set_known_length", metres=2.5, frame=0, **upright)
    rays = [ray_of(sized, 300, y) for y in (250, 150)]
    assert upright_height(*rays, sized.ground.eye_height) == pytest.approx(2.5, rel=1e-6)
    for frame in (0, 15):
        np.testing.assert_allclose(
            rendered(sized, photo, frame), rendered(shot, photo, frame), atol=1
        )
    lying = do(shot, "set_known_length", metres=3, upright=False, x0=250, y0=300, x1=390, y1=300)
    focal = shot.taking_camera.focal_length / 36 * 640
    assert 140 * (focal * lying.ground.eye_height / 120) / focal == pytest.approx(3)
    floor = sized.layers[2].id
    known = do(
        do(sized, "set_known_size", layer=floor, width=2, height=3), "scale_to_known", layer=floor
    )
    assert card_of(known, known.layer(floor)).width == pytest.approx(2)


@pytest.mark.parametrize("at", [0, 7, 15])
def test_all_keys_of_a_size_grow_with_the_stage(at: int) -> None:
    """Wherever the playhead stands, on a key or between: a title that grows by keys, too."""
    shot = do(lodged(), "add_title", text="Lamp")
    of = f"layer:{shot.layers[-1].id}"
    keys = [{"frame": 0, "value": 0.5}, {"frame": 15, "value": 2.0}]
    shot = parse_shot(dump_shot(shot) | {"rows": [{"of": of, "value": "scale", "keys": keys}]})
    upright = {"x0": 300, "y0": 250, "x1": 300, "y1": 150, "metres": 2.5, "frame": 0}
    sized = edits.apply(shot, "set_known_length", upright, at=at)
    ratio = sized.ground.eye_height / shot.ground.eye_height
    assert ratio != pytest.approx(1)
    assert [key.value for key in sized.rows[0].keys] == pytest.approx([0.5 * ratio, 2 * ratio])
    assert sized.layers[-1].distance == pytest.approx(shot.layers[-1].distance * ratio)


def test_flat_marks_keep_the_lens_and_level_cameras_are_kept_level() -> None:
    """Edges that run side by side meet at infinity: they tell the turn, the lens stays."""
    shot = make_shot({"photo": PHOTO}, frame={"width": 640, "height": 360, "duration": 24})
    across = [{"a": (100, y), "b": (540, y), "along": "across"} for y in (60, 300)]
    up = [{"a": (x, 40), "b": (x, 320), "along": "up"} for x in (120, 500)]
    seen = do(do(shot, "mark_edges", edges=[*across, *up]), "see_as_marked")
    assert seen.taking_camera.focal_length == pytest.approx(shot.taking_camera.focal_length)
    assert seen.taking_camera.pan == pytest.approx(0, abs=1e-6)
    deep = [
        {"a": (0, 300), "b": (200, 220), "along": "deep"},
        {"a": (640, 300), "b": (440, 220), "along": "deep"},
    ]
    shot = do(shot, "mark_edges", edges=deep)
    with pytest.raises(CoreError, match="two directions"):
        do(shot, "see_as_marked")
    for what in ("level", "lens"):
        shot = do(shot, "know_camera", what=what, known="true")
    taking = do(shot, "see_as_marked").taking_camera
    assert taking.roll == pytest.approx(0, abs=1e-3)
    focal = shot.taking_camera.focal_length / 36 * 640
    row = 300 - 320 * 80 / 200  # where the two meet, in the middle column
    # What runs away meets above the middle: the camera looks down.
    assert taking.tilt == pytest.approx(-np.degrees(np.arctan((180 - row) / focal)), abs=0.01)


def test_a_rectangle_marked_by_corners_turns_the_camera() -> None:
    shot = street(focal_length=35, pan=0, tilt=0, roll=0)
    truth = street()
    marked = do(shot, "mark_rectangle", corners=drawn(truth, WALL), lies="front")
    seen = do(marked, "see_as_marked").taking_camera
    assert seen.focal_length == pytest.approx(28, rel=1e-4)
    between = Rotation.from_matrix(
        space.rotation(31, -7, 1).T @ space.rotation(seen.pan, seen.tilt, seen.roll)
    )
    assert np.degrees(between.magnitude()) < 0.01


SQUARE = [[100, 300], [200, 300], [200, 340], [100, 340]]


@pytest.mark.parametrize(
    ("verb", "values", "words"),
    [
        (
            "project_on_plane",
            {"corners": [[10, 10], [60, 10.2], [110, 10], [50, 90]]},
            "in one line",
        ),
        (
            "project_on_plane",
            {"corners": [[100, 10], [200, 10], [200, 90], [100, 90]]},
            "below the horizon",
        ),
        ("project_on_plane", {"corners": SQUARE[:3]}, "at least 4"),
        ("project_on_plane", {"corners": SQUARE, "stands": "nobody"}, "nobody"),
        (
            "add_body",
            {"body": "box", "x0": 100, "y0": 20, "x1": 200, "y1": 90},
            "not below the horizon",
        ),
        ("add_body", {"body": "ball", "x0": 100, "y0": 220, "x1": 101, "y1": 290}, "too small"),
        (
            "set_known_length",
            {"x0": 1, "y0": 9, "x1": 1, "y1": 2, "metres": 2},
            "below the horizon",
        ),
        (
            "grow_surface",
            {"layer": "floor", "side": "top", "frame": 0, "x": 320, "y": 359},
            "Drag away",
        ),
        ("set_centre", {"x": 3}, "both x and y"),
        ("scale_to_known", {"layer": "floor"}, "Type first"),
    ],
)
def test_what_cannot_stand_is_refused_in_words(
    verb: str, values: dict[str, Any], words: str
) -> None:
    with pytest.raises(CoreError, match=words):
        do(lodged(), verb, **values)


def test_a_plane_in_the_frame_is_where_it_was_drawn() -> None:
    shot = street()
    made = do(shot, "project_on_plane", corners=drawn(shot, WALL))
    seen = outline_in(card_of(made, made.layers[-1]), camera_states(made, [0])[0])
    np.testing.assert_allclose(seen, drawn(shot, WALL), atol=0.5)


def test_a_bowed_edge_straightens_the_others_before_they_tell(rng: np.random.Generator) -> None:
    """Marks of an exact room, bowed as by a lens: told bowed they mislead, straightened they do
    not."""
    made = room(rng, noise=0)
    centre = np.array(SIZE) / 2
    marks = []
    for edge in made.edges:
        middle = (np.array(edge.a) + edge.b) / 2
        a, b, through = bowed(np.array([edge.a, edge.b, middle]), -0.08, SIZE, centre).tolist()
        marks.append({"a": a, "b": b, "along": edge.along.value, "through": through})
    frame = {"width": 300, "height": 200, "duration": 24}
    shot = do(make_shot({"photo": SIZE}, frame=frame), "mark_edges", edges=marks, within=0.5)
    assert bow_in(shot.taking_camera) == pytest.approx(-0.08, abs=1e-4)
    assert seen_from(shot.taking_camera).focal_px == pytest.approx(made.focal_px, rel=1e-3)
    whole = shot.layers[0].box
    straight = {"file": "s.png", "width": SIZE[0], "height": SIZE[1]}
    part = {"old": "photo", "was": whole, "key": "straight", "picture": straight, "box": whole}
    done = do(shot, "use_straightened", parts=[part], bow=-0.08)
    assert done.layers[0].picture == "straight" and bow_in(done.taking_camera) is None
    for found, edge in zip(done.taking_camera.edges, made.edges, strict=True):
        np.testing.assert_allclose([found.a, found.b], [edge.a, edge.b], atol=1e-3)
    plain = shot
    for n in range(len(marks)):
        plain = do(plain, "bow_edge", edge=n)
    assert seen_from(plain.taking_camera).focal_px != pytest.approx(made.focal_px, rel=5e-3)


def test_a_cutout_on_a_plane_stays_cut_and_in_place() -> None:
    """What is put on the plane is the cutout, its box kept: through its mask the rest is seen."""
    shot = street()
    cut = Layer(
        id="cut",
        name="Cut",
        shows=PictureShown(picture="photo"),
        stands=Taken(box=(100, 80, 200, 150)),
        distance=1,
    )
    shot = shot.evolve(layers=(*shot.layers, cut))
    made = do(shot, "project_on_plane", layer="cut", corners=drawn(shot, WALL))
    added = made.layers[-1]
    assert added.projection == (100, 80, 200, 150) and made.layer("cut").hidden
    # Its unit coordinates are the box's: the box's corner on the canvas is the picture's.
    x, y, z = ray_of(made, 100, 80)
    unit = projector_of(made, added) @ (x, y, z, 1)
    np.testing.assert_allclose(unit[:2] / unit[2], [0, 0], atol=1e-9)


def test_a_horizon_may_lie_outside_the_picture(rng: np.random.Generator) -> None:
    """A camera that looks down by 40 degrees sees its horizon far above the frame: f tan 40."""
    focal, turn = 2500.0, space.rotation(30, -40, 0)
    edges = []
    for way in np.eye(3)[[0, 2]]:
        while sum(np.allclose(way, w) for w, _ in edges) < 3:
            start = rng.uniform([-4, -6, -8], [4, -3, -1])
            ends = [seen(p, focal, turn) for p in (start, start + way * 2)]
            if None not in ends and np.hypot(*np.subtract(*ends)) > 300:
                edges.append((way, ends))
    marks = [{"a": a, "b": b, "along": "across" if way[0] else "deep"} for way, (a, b) in edges]
    frame = {"width": 300, "height": 200, "duration": 24}
    shot = do(make_shot({"photo": SIZE}, frame=frame), "mark_edges", edges=marks, within=0.1)
    shot = do(shot, "see_as_marked")
    assert shot.taking_camera.tilt == pytest.approx(-40, abs=0.01)
    middle = seen(turn @ np.array([0, np.tan(np.radians(40)), -1.0]), focal, turn)
    assert middle and shot.ground.horizon == pytest.approx(middle[1], abs=1) and middle[1] < 0


def test_the_plan_shows_what_floors_and_bodies_cover() -> None:
    """From above a floor is its rectangle and a ball its disc; a wall is a line."""
    shot = do(lodged(), "add_body", body="ball", x0=300, y0=220, x1=360, y1=300)
    plan = draw_plans(shot)[PlanView.ABOVE]
    named = {layer.name: layer for layer in shot.layers}
    assert named["Back wall"].id not in plan.areas and named["Left wall"].id not in plan.areas
    floor, ball = (card_of(shot, named[name]) for name in ("Floor", "Ball"))
    corners = corners_of(floor)[:, [0, 2]] * [1, -1]
    found = plan.areas[named["Floor"].id]
    assert np.linalg.norm(found[:, None] - corners[None], axis=2).min(axis=0).max() < 1e-4
    disc = plan.areas[named["Ball"].id] - ball.world_from_card[[0, 2], 3] * [1, -1]
    np.testing.assert_allclose(np.linalg.norm(disc, axis=1), ball.width / 2, rtol=1e-3)


def test_a_click_chooses_what_is_seen_there_planes_and_bodies_as_far_as_they_go() -> None:
    shot = do(lodged((640, 360)), "add_body", body="ball", x0=300, y0=220, x1=360, y1=300)
    state = evaluate(shot, [0])[0]
    names = {layer.id: layer.name for layer in shot.layers}

    def picked(x: float, y: float) -> str:
        return names[pick_layer(state, x, y, lambda *_: 1.0) or ""]

    assert picked(320, 180) == "Back wall" and picked(320, 350) == "Floor"
    assert picked(10, 180) == "Left wall" and picked(320, 10) == "Ceiling"
    # The ball's disc: its middle, and within its square but beside it the floor or the wall.
    ball = card_of(shot, shot.layers[-1])
    middle = state.camera.camera_from_world @ ball.world_from_card[:, 3]
    x, y = -middle[:2] / middle[2] * state.camera.focal_px * [1, -1] + [320, 180]
    radius = ball.width / 2 / -middle[2] * state.camera.focal_px
    assert picked(x, y) == "Ball"
    assert picked(x + 0.9 * radius, y - 0.9 * radius) != "Ball"
