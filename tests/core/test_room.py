"""A room from one picture: what its surfaces catch, against the picture and OpenCV."""

from __future__ import annotations

import json
from typing import Any

import cv2
import numpy as np
import pytest
import trimesh

from tests.conftest import make_shot, pyramid_of
from tests.core.rooms import room
from tests.core.test_render import opaque
from vistaline.core import edits
from vistaline.core.errors import CoreError
from vistaline.core.foresight.ahead import map_frame
from vistaline.core.geometry.bodies import Body
from vistaline.core.render.frame import Renderer
from vistaline.core.scene.describe import describe_scene
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.poses import projector_of

PHOTO = (640, 360)
WALL = {"x0": 220, "y0": 110, "x1": 430, "y1": 250}


def do(shot: Shot, verb: str, **values: Any) -> Shot:
    plain = {k: json.dumps(v) if isinstance(v, list) else v for k, v in values.items()}
    return edits.apply(shot, verb, plain)


def lodged(frame: tuple[int, int] = PHOTO) -> Shot:
    """A photo of a room: its back wall in the middle, the camera 1.6 m up."""
    shot = make_shot(
        {"photo": PHOTO}, frame={"width": frame[0], "height": frame[1], "duration": 24}
    )
    shot = do(shot, "set_ground", horizon=180, eye_height=1.6)
    return do(shot, "project_on_room", layer="photo", **WALL)


def rendered(shot: Shot, photo: np.ndarray, frame: float = 0) -> np.ndarray:
    pyramids = {"photo": pyramid_of(opaque(photo))}
    return Renderer(shot, pyramids, threads=1).rgb(frame).astype(np.int16)


def test_seen_from_the_taking_camera_the_room_is_the_picture(photo: np.ndarray) -> None:
    shot = lodged()
    flat = make_shot({"photo": PHOTO}, frame={"width": 640, "height": 360, "duration": 24})
    # Where surfaces meet, and nearer than they reach, nothing is caught.
    off = np.abs(rendered(shot, photo) - rendered(flat, photo)).max(axis=2)
    inside = cv2.erode((off < 256).astype(np.uint8), np.ones((3, 3)))[6:-6, 6:-6] > 0
    assert off[6:-6, 6:-6][inside].mean() <= 0.5
    assert np.mean(off[6:-6, 6:-6] > 8) < 0.01


def test_a_surface_catches_what_a_ray_through_it_saw(rng: np.random.Generator) -> None:
    """The picture's point, the surface's point and the taking camera lie on one ray; a plane's
    homography is OpenCV's of four such points."""
    shot = lodged()
    for layer in shot.layers[1:]:
        card = card_of(shot, layer)
        places = rng.uniform(-0.45, 0.45, (12, 2)) * [card.width, card.height]
        world = np.column_stack([places, np.zeros(12), np.ones(12)]) @ card.world_from_card.T
        caught = world @ projector_of(shot, layer).T
        assert (caught[:, 2] > 0).all(), "all of it is before the taking camera"
        unit = caught[:, :2] / caught[:, 2:]
        camera = camera_states(shot, [0])[0]  # stands where the taking camera does
        seen = world @ (camera.image_from_camera @ camera.camera_from_world[:3]).T
        pixels = seen[:, :2] / seen[:, 2:]
        focal = shot.taking_camera.focal_length / 36 * 640
        canvas = (pixels - [320, 180]) / camera.focal_px * focal + [320, 180]
        np.testing.assert_allclose(unit * PHOTO, canvas, atol=1e-6)
        # OpenCV keeps its points in single precision: what it maps agrees to that.
        reference, _ = cv2.findHomography(places, unit)
        mapped = cv2.perspectiveTransform(places[None], reference)[0]
        ours = cv2.perspectiveTransform(places[None], np.linalg.inv(card.card_from_unit))[0]
        np.testing.assert_allclose(ours, mapped, atol=2e-4)


def test_the_rooms_walls_stand_where_the_eyes_height_says() -> None:
    """Similar triangles: the back wall's foot, 70 px below the horizon, is f h / 70 away."""
    shot = lodged()
    focal = shot.taking_camera.focal_length / 36 * 640
    back = card_of(shot, shot.layers[1])
    deep = focal * 1.6 / (WALL["y1"] - 180)
    assert back.world_from_card[2, 3] == pytest.approx(-deep)
    assert back.height == pytest.approx((WALL["y1"] - WALL["y0"]) * deep / focal)
    assert back.width == pytest.approx((WALL["x1"] - WALL["x0"]) * deep / focal)
    floor = card_of(shot, shot.layers[2])
    np.testing.assert_allclose(floor.world_from_card[:3, 2], [0, 1, 0], atol=1e-12)
    assert floor.world_from_card[1, 3] == pytest.approx(-1.6)


def test_stepping_aside_shows_parallax_and_no_other_picture(photo: np.ndarray) -> None:
    """A floor's point and a wall's move apart by their distances; a renderer of rays agrees."""
    shot = lodged()
    moved = shot.evolve(
        cameras=(
            Camera(
                route=shot.route.evolve(
                    framings=(shot.route.framings[0].evolve(position=(0.3, 0.1, -0.4), pan=4),)
                )
            ),
        )
    )
    state = evaluate(moved, [0])[0]
    camera = state.camera
    ours = rendered(moved, photo)
    focal = shot.taking_camera.focal_length / 36 * 640
    checked = 0
    for x, y in ((320, 190), (300, 330), (90, 200), (560, 190), (330, 60)):
        ray = camera.world_from_camera[:3, :3] @ [
            (x + 0.5 - 320) / camera.focal_px, -(y + 0.5 - 180) / camera.focal_px, -1
        ]  # fmt: skip
        hits = []
        for card in state.cards:
            normal, at = card.world_from_card[:3, 2], card.world_from_card[:3, 3]
            depth = normal @ (at - camera.position) / (normal @ ray)
            place = card.world_from_card[:3, :3].T @ (camera.position + depth * ray - at)
            if depth > 0 and abs(place[0]) <= card.width / 2 and abs(place[1]) <= card.height / 2:
                hits.append((depth, camera.position + depth * ray))
        _, (px, py, pz) = min(hits, key=lambda hit: hit[0])
        u, v = 320 - focal * px / pz - 0.5, 180 + focal * py / pz - 0.5
        expected = cv2.remap(photo, np.float32([[u]]), np.float32([[v]]), cv2.INTER_LINEAR)[0, 0]
        if 1 < u < 638 and 1 < v < 358:
            assert np.abs(ours[y, x] - expected).max() <= 24
            checked += 1
    assert checked >= 4


def test_marked_edges_turn_the_taking_camera_and_framings_with_it(rng: np.random.Generator) -> None:
    made = room(rng, noise=0)
    shot = make_shot({"photo": (3000, 2000)}, frame={"width": 300, "height": 200, "duration": 24})
    marks = [{"a": e.a, "b": e.b, "along": e.along.value} for e in made.edges]
    shot = do(shot, "mark_edges", edges=marks, within=0.5)
    corners = np.array([[0, 0], [1, 0], [1, 1], [0, 1]])

    def outline(shot: Shot) -> np.ndarray:
        homography = card_of(shot, shot.layer("photo")).image_from_unit(camera_states(shot, [0])[0])
        return cv2.perspectiveTransform(corners[None].astype(float), homography)[0]

    turned = do(shot, "see_as_marked")
    taking = turned.taking_camera
    assert taking.focal_length / 36 * 3000 == pytest.approx(made.focal_px, rel=1e-6)
    np.testing.assert_allclose(outline(turned), outline(shot), atol=1e-6)
    # The ground's horizon goes through where level edges meet.
    assert turned.ground is not None
    # In the middle column of a camera that is rolled by little: f tan(tilt) below the middle.
    expected = 1000 + made.focal_px * np.tan(np.radians(taking.tilt))
    assert turned.ground.horizon == pytest.approx(expected, abs=0.02 * abs(expected - 1000) + 2)


def test_a_surface_grows_from_a_side_of_another() -> None:
    shot = lodged()
    floor = shot.layers[2]
    for side, angle in (("top", 90), ("left", 90), ("top", 0), ("right", 45)):
        grown = do(shot, "grow_surface", layer=floor.id, side=side, length=0.6, angle=angle)
        new, old = card_of(grown, grown.layers[-1]), card_of(shot, floor)
        between = np.degrees(np.arccos(new.world_from_card[:3, 2] @ old.world_from_card[:3, 2]))
        assert between == pytest.approx(angle, abs=1e-5)
        # They share the edge: two of its corners are corners of the old one.
        ends = [
            (card.outline[:, [0, 1]] @ card.world_from_card[:3, :2].T) + card.world_from_card[:3, 3]
            for card in (new, old)
        ]
        apart = np.linalg.norm(ends[0][:, None] - ends[1][None], axis=2)
        assert (apart.min(axis=1) < 1e-9).sum() == 2


def corners(shot: Shot, layer: str) -> np.ndarray:
    card = card_of(shot, shot.layer(layer))
    return card.outline[:, :2] @ card.world_from_card[:3, :2].T + card.world_from_card[:3, 3]


def test_a_room_catches_its_picture_as_it_is_seen_its_size_included(photo: np.ndarray) -> None:
    shot = make_shot({"photo": PHOTO}, frame={"width": 640, "height": 360, "duration": 24})
    shot = do(shot, "set_ground", horizon=180, eye_height=1.6)
    shot = do(shot, "size_layer", layer="photo", percent=130)
    shot = do(shot, "move_layer", layer="photo", across=0.2, up=-0.1)
    before = rendered(shot, photo)
    after = rendered(do(shot, "project_on_room", layer="photo", **WALL, frame=0), photo)
    off = np.abs(after - before).max(axis=2)[6:-6, 6:-6]
    assert np.median(off) <= 1
    assert np.mean(off > 8) < 0.02  # where surfaces meet
    with pytest.raises(CoreError, match="is turned"):
        do(do(shot, "turn_layer", layer="photo", pan=5), "project_on_room", **WALL, frame=0)


@pytest.mark.parametrize(
    ("verb", "drawn"),
    [
        ("project_on_floor", {"x0": 220, "y0": 220, "x1": 420, "y1": 340}),
        ("project_on_wall", {"x0": 80, "y0": 330, "x1": 220, "y1": 250}),
    ],
)
def test_a_floor_or_a_wall_alone_shows_the_picture_where_it_was_drawn(
    photo: np.ndarray, verb: str, drawn: dict[str, int]
) -> None:
    """1.6 m over the ground, a row y below the horizon is 1.6 f / y away (similar triangles)."""
    shot = make_shot({"photo": PHOTO}, frame={"width": 640, "height": 360, "duration": 24})
    shot = do(shot, "set_ground", horizon=180, eye_height=1.6)
    assert shot.taking_camera.focal_length is not None
    focal = shot.taking_camera.focal_length / 36 * 640
    made = do(shot, verb, **drawn)
    (added,) = [layer for layer in made.layers if layer.id != "photo"]
    seen, flat = rendered(made, photo), rendered(shot, photo)
    there = corners(made, added.id)
    np.testing.assert_allclose(there[:, 1].min(), -1.6, atol=1e-6)
    y0, y1 = sorted((drawn["y0"], drawn["y1"]))
    np.testing.assert_allclose(
        sorted({*np.round(-there[:, 2], 6)}), [1.6 * focal / (y - 180) for y in (y1, y0)], rtol=1e-5
    )
    rows = slice(y0 + 4, y1 - 4) if verb == "project_on_floor" else slice(12, 200)
    columns = slice(drawn["x0"] + 6, drawn["x1"] - 6)
    assert np.abs(seen - flat)[rows, columns].mean() <= 0.5


def test_one_edge_of_a_wall_moves_by_itself() -> None:
    shot = lodged()
    before = corners(shot, "back-wall")
    typed = corners(do(shot, "move_side", layer="back-wall", side="top", metres=2.5), "back-wall")
    np.testing.assert_allclose(typed[2:], before[2:], atol=1e-9)  # its foot
    np.testing.assert_allclose(np.linalg.norm(typed[0] - typed[3]), 2.5)
    dragged = do(shot, "move_side", layer="back-wall", side="right", frame=0, x=500, y=200)
    after = corners(dragged, "back-wall")
    np.testing.assert_allclose(after[[0, 3]], before[[0, 3]], atol=1e-9)
    camera = camera_states(dragged, [0])[0]
    there = camera.camera_from_world[:3] @ [*after[1], 1]
    edge = camera.image_from_camera @ there
    np.testing.assert_allclose(edge[0] / edge[2], 500, atol=1e-6)
    with pytest.raises(CoreError, match="behind the taking camera"):
        do(shot, "move_side", layer="floor", side="bottom", metres=60)


@pytest.mark.parametrize(
    ("verb", "values", "words"),
    [
        ("project_on_floor", {"x0": 9, "y0": 170, "x1": 90, "y1": 300}, "not below the horizon"),
        ("project_on_wall", {"x0": 9, "y0": 170, "x1": 90, "y1": 300}, "not below the horizon"),
        ("project_on_wall", {"x0": 9, "y0": 300, "x1": 9, "y1": 300}, "no length"),
        ("project_on_room", {"layer": "photo", **WALL, "y1": 170}, "not below the horizon"),
        ("project_on_room", {"layer": "photo", **WALL, "x1": 221}, "too small"),
        ("see_as_marked", {}, "Mark edges of two directions"),
        (
            "grow_surface",
            {"layer": "photo", "side": "top", "length": 1},
            "no plane that catches a picture",
        ),
        ("grow_surface", {"layer": "floor", "side": "bottom", "length": 9, "angle": 0}, "behind"),
    ],
)
def test_rooms_that_cannot_be_are_refused(verb: str, values: dict[str, Any], words: str) -> None:
    with pytest.raises(CoreError, match=words):
        do(lodged(), verb, **values)


def test_a_floors_homography_is_taken_apart_by_opencv() -> None:
    """decomposeHomographyMat of what the floor does between the taking camera and the moved one:
    among its answers are the camera's turn, its way over the floor's distance, and its normal."""
    shot = lodged()
    framing = shot.route.framings[0].evolve(position=(0.4, 0.2, -0.5), pan=8, tilt=-3)
    moved = shot.evolve(cameras=(Camera(route=shot.route.evolve(framings=(framing,))),))
    camera, floor = camera_states(moved, [0])[0], card_of(moved, moved.layers[2])
    focal = shot.taking_camera.focal_length / 36 * 640
    canvas_from_unit = np.diag([640.0, 360.0, 1.0])
    homography = floor.image_from_unit(camera) @ np.linalg.inv(canvas_from_unit)
    taking = np.array([[focal, 0, 320], [0, focal, 180], [0, 0, 1]])
    lens = np.array([[camera.focal_px, 0, 320], [0, camera.focal_px, 180], [0, 0, 1]])
    # Freed of both lenses, as OpenCV takes one for both.
    euclidean = np.linalg.inv(lens) @ homography @ taking
    count, turns, ways, normals = cv2.decomposeHomographyMat(euclidean, np.eye(3))
    flip = np.diag([1.0, -1.0, -1.0])  # OpenCV's y runs down, and z ahead
    turn = flip @ camera.camera_from_world[:3, :3] @ flip
    way = turn @ -(flip @ np.array(camera.position)) / 1.6  # the floor is 1.6 m below the eye
    normal = np.array([0, 1, 0])
    misses = [
        min(
            max(np.abs(w[:, 0] - s * way).max(), np.abs(n[:, 0] - s * normal).max())
            for s in (1, -1)
        )
        + np.abs(t - turn).max()
        for t, w, n in zip(turns, ways, normals, strict=True)
    ]
    assert count == 4 and min(misses) < 1e-6


def test_a_projected_room_is_what_trimesh_casts_rays_into(photo: np.ndarray) -> None:
    """Every fourth pixel's ray through trimesh's meshes of planes, a box and a ball, the first hit
    thrown back to the picture."""
    shot = lodged()
    for body, x in (("box", 250), ("ball", 330)):
        shot = do(shot, "add_body", body=body, x0=x, x1=x + 60, y0=235, y1=300)
    framing = shot.route.framings[0].evolve(position=(0.5, 0.2, -0.6), pan=7)
    shot = shot.evolve(cameras=(Camera(route=shot.route.evolve(framings=(framing,))),))
    camera = camera_states(shot, [0])[0]
    x, y = (each.ravel() for each in np.meshgrid(np.arange(2, 640, 4), np.arange(2, 360, 4)))
    pixels = np.stack([x + 0.5, y + 0.5, np.ones(x.size)])
    ways = (np.linalg.inv(camera.image_from_camera) @ pixels).T @ camera.world_from_camera[:3, :3].T
    nearest, unit = np.full(x.size, np.inf), np.full((x.size, 2), np.nan)
    for layer in shot.layers[1:]:
        card = card_of(shot, layer)
        if layer.body is Body.BALL:
            mesh = trimesh.creation.icosphere(5, radius=card.width / 2)
        else:
            mesh = trimesh.creation.box((card.width, card.height, max(card.depth, 1e-9)))
        mesh.apply_transform(card.world_from_card)
        origins = np.repeat([camera.position], len(ways), axis=0)
        with np.errstate(divide="ignore", invalid="ignore"):  # trimesh's own, at axes
            places, rays, _ = mesh.ray.intersects_location(origins, ways, multiple_hits=True)
        depth = (places - camera.position) @ -camera.world_from_camera[:3, 2]
        order = np.argsort(-depth)  # the nearest is written last
        for place, ray, deep in zip(places[order], rays[order], depth[order], strict=True):
            if 0.05 < deep < nearest[ray]:
                u, v, w = card.projector @ (*place, 1)
                nearest[ray], unit[ray] = deep, (u / w, v / w)
    ours = rendered(shot, photo)[y, x]
    told = np.isfinite(unit).all(axis=1) & ((unit > 0.01) & (unit < 0.99)).all(axis=1)
    at = (unit[told] * PHOTO - 0.5).astype(np.float32)[:, None]
    theirs = cv2.remap(photo, at[..., 0], at[..., 1], cv2.INTER_LINEAR)[:, 0].astype(int)
    off = np.abs(ours[told] - theirs).max(axis=1)
    assert told.mean() > 0.8
    assert np.quantile(off, 0.9) <= 12 and np.median(off) <= 2


def test_a_surface_turned_edge_on_to_its_projector_shows_nothing(photo: np.ndarray) -> None:
    """All of it lies on rays of one plane: no picture falls on it, and nothing breaks."""
    shot = lodged()
    back = shot.layers[1].evolve(pan=90, across=0.0, up=0.0)
    alone = shot.evolve(layers=(shot.layers[0], back))
    moved = alone.route.framings[0].evolve(position=(1.0, 0.0, 0.0), pan=20)
    alone = alone.evolve(cameras=(Camera(route=alone.route.evolve(framings=(moved,))),))
    assert not rendered(alone, photo).any()
    pyramids = {"photo": pyramid_of(opaque(photo))}
    assert map_frame(alone, pyramids, 0).bare.all()
    assert describe_scene(alone, [0])["layers"]
