"""What a hand expects: what is seen stays, what is grasped follows, what is made is known."""

from __future__ import annotations

import warnings

import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_edit import seen
from tests.core.test_mounts import do
from tests.core.test_render import opaque
from vistaline.core.edits.made import made_by
from vistaline.core.errors import EditError
from vistaline.core.geometry.optics import gate_size
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.picture.contrasting import OVERLAYS, contrasting_colour
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import evaluate

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it warns of optional packages that are not needed here
    import colour


def card_at(shot: Shot, layer: str, frame: int) -> Card:
    return evaluate(shot, [frame])[0].card_of(layer)


def outline(shot: Shot, layer: str, frame: int) -> np.ndarray:
    """A card's corners (4, 2) in frame pixels, by its own homography."""
    state = evaluate(shot, [frame])[0]
    corners = state.card_of(layer).image_from_unit(state.camera) @ np.array(
        [[0, 1, 1, 0], [0, 0, 1, 1], [1, 1, 1, 1]], float
    )
    return (corners[:2] / corners[2]).T


@pytest.fixture
def away(shot: Shot) -> Shot:
    """At its last frame the camera is far from where the picture was taken."""
    values = {"across": 0.6, "up": -0.2, "forward": 0.5, "pan": 12, "tilt": 3, "lens": 50}
    return do(shot, "set_framing", framing=1, **values)


@pytest.mark.parametrize("distance", [1.2, 3.0, 5.5])
def test_moved_in_depth_as_seen_now_a_layer_stays_where_it_is_seen(
    away: Shot, distance: float
) -> None:
    for layer in ("front", "back"):
        moved = do_at(away, 23, "move_in_depth", layer=layer, distance=distance, keep="seen")
        assert moved.layer(layer).distance == pytest.approx(distance)
        np.testing.assert_allclose(outline(moved, layer, 23), outline(away, layer, 23), atol=1e-6)
        assert np.abs(outline(moved, layer, 0) - outline(away, layer, 0)).max() > 1
    # From where it was taken both ways are one.
    taken = do(away, "move_in_depth", layer="front", distance=distance)
    there = do(away, "move_in_depth", layer="front", distance=distance, keep="seen")
    np.testing.assert_allclose(seen(taken, "front"), seen(there, "front"), atol=1e-6)


def do_at(shot: Shot, frame: int, verb: str, **values: object) -> Shot:
    from vistaline.core import edits

    return edits.apply(shot, verb, values, at=frame)


def test_behind_the_camera_nothing_can_be_seen_the_same(away: Shot) -> None:
    near = do(away, "set_framing", framing=1, forward=1.5)
    with pytest.raises(EditError, match="behind the camera"):
        do_at(near, 23, "move_in_depth", layer="front", distance=1.0, keep="seen")


def test_matched_in_place_and_size_a_copy_lies_over_a_title(away: Shot) -> None:
    shot = do(away, "add_title", text="The Lamp Holds")
    title = shot.layers[-1].id
    shot = do(do(shot, "turn_layer", layer=title, pan=20), "duplicate_layer", layer=title)
    copy = next(
        each.id for each in shot.layers if each.id not in {x.id for x in away.layers} | {title}
    )
    shot = do(shot, "move_in_depth", layer=copy, distance=1.4)
    matched = do_at(shot, 23, "match_place", layer=copy, other=title)
    assert matched.layer(copy).distance == pytest.approx(1.4)
    np.testing.assert_allclose(outline(matched, copy, 23), outline(matched, title, 23), atol=1e-6)


def test_what_is_under_the_pointer_stays_under_it(away: Shot) -> None:
    """A truck by exact pinhole geometry: a point of the turned card goes by just the drag."""
    shot = do(away, "turn_layer", layer="front", pan=35)
    state = evaluate(shot, [23])[0]
    card = state.card_of("front")
    point = card.world_from_card @ np.array([0.3 * card.width, 0.2 * card.height, 0, 1])

    def pixel(of: Shot) -> np.ndarray:
        x, y, w = (
            camera_states(of, [23])[0].image_from_camera
            @ (camera_states(of, [23])[0].camera_from_world @ point)[:3]
        )
        return np.array([x / w, y / w])

    x, y = pixel(shot)
    drag = {"framing": 1, "move": "truck", "layer": "front", "x": x, "y": y, "frame": 23}
    moved = do(shot, "move_camera", dx=17, dy=-9, **drag)
    np.testing.assert_allclose(pixel(moved) - (x, y), (17, -9), atol=1e-6)


def test_the_whole_picture_is_seen_straight_on(away: Shot) -> None:
    whole = do(do(away, "turn_layer", layer="back", pan=15), "see_whole", framing=1)
    corners = outline(whole, "back", 23)
    assert corners.min() > -1e-6 and (corners.max(axis=0) < [320 + 1e-6, 180 + 1e-6]).all()
    # It fills the frame one way: by the formula of the pinhole, width = f w / d on the gate.
    assert np.ptp(corners, axis=0) == pytest.approx([320, 180], abs=0.5)
    assert whole.route.framings[1].lens == 50 and gate_size(320, 180)[0] == 36


# --- on the lens --------------------------------------------------------------------------------


@pytest.mark.parametrize(("stays", "first"), [("lens", False), ("lens-behind", True)])
def test_what_is_on_the_lens_is_before_or_behind_all_that_stands(
    away: Shot, stays: str, first: bool
) -> None:
    shot = do(away, "add_field", kind="flat")
    field = shot.layers[-1].id
    shot = do(shot, "turn_layer", layer=field, pan=40)  # as it stands it cuts through the others
    before = outline(shot, field, 0)
    shot = do(shot, "set_stays", layer=field, stays=stays)
    for frame in (0, 12, 23):
        state = evaluate(shot, [frame])[0]
        order = [state.cards[i].layer.id for i in state.order]
        assert order.index(field) == (0 if first else len(order) - 1)
        np.testing.assert_allclose(outline(shot, field, frame), before, atol=1e-6)
        card = state.card_of(field)
        depth = -(state.camera.camera_from_world @ card.world_from_card[:, 3])[2]
        assert depth > 1e4 if first else NEAR < depth < 2 * NEAR


def test_a_rendered_field_on_the_lens_covers_everything_or_nothing(
    rng: np.random.Generator,
) -> None:
    shot = make_shot({"back": (160, 90)})
    looks = {"back": pyramid_of(opaque(textured(rng, 90, 160)))}
    alone = Renderer(shot, looks).rgb(12)
    shot = do(shot, "add_field", kind="flat")
    field = shot.layers[-1].id
    looks[f"~{field}"] = pyramid_of(opaque(np.full((64, 64, 3), 90, np.uint8)))
    behind = do(shot, "set_stays", layer=field, stays="lens-behind")
    np.testing.assert_array_equal(Renderer(behind, looks).rgb(12), alone)
    ahead = Renderer(do(shot, "set_stays", layer=field, stays="lens"), looks).rgb(12)
    assert np.ptp(ahead.reshape(-1, 3), axis=0).max() == 0


@pytest.mark.parametrize("frame", [0, 23])
def test_a_new_field_fills_the_frame(away: Shot, frame: int) -> None:
    shot = do_at(away, frame, "add_field", kind="linear")
    corners = outline(shot, shot.layers[-1].id, frame)
    assert (corners.min(axis=0) <= 0).all() and (corners.max(axis=0) >= [320, 180]).all()


# --- several ------------------------------------------------------------------------------------


def test_one_value_for_several_layers(away: Shot) -> None:
    both = ["front", "back"]
    shot = do(away, "set_layers", layers=both, opacity=40, blend="multiply", stays="facing")
    for key in both:
        layer = shot.layer(key)
        assert (layer.opacity, layer.blend.value, layer.stays) == (0.4, "multiply", "facing")
    placed = do_at(away, 23, "set_layers", layers=both, distance=3.0)
    for key in both:
        assert placed.layer(key).distance == pytest.approx(3.0)
        np.testing.assert_allclose(outline(placed, key, 23), outline(away, key, 23), atol=1e-6)
    with pytest.raises(EditError, match="front is locked"):
        do(do(away, "set_locked", layer="front", locked=True), "set_layers", layers=both, opacity=1)


def test_cards_of_very_different_sizes_are_scattered_with_none_hidden() -> None:
    keys = [f"l{n}" for n in range(8)]
    shot = make_shot({key: (900, 600) for key in keys})
    for n, key in enumerate(keys):
        shot = do(do(shot, "make_card", layer=key), "size_card", layer=key, width=0.2 * 1.6**n)
    shot = do(shot, "scatter", layers=keys, pattern="volume", near=1.5, far=30, seed=2)
    boxes = [(box.min(axis=0), box.max(axis=0)) for box in (outline(shot, key, 0) for key in keys)]
    for n, (low, high) in enumerate(boxes):
        assert (low > -1).all() and (high < [321, 181]).all()
        for other_low, other_high in boxes[:n]:
            assert (high <= other_low + 1e-6).any() or (low >= other_high - 1e-6).any()


def test_what_an_edit_made_is_told(shot: Shot) -> None:
    assert made_by(shot, do(shot, "rename_layer", layer="front", name="Front")) == {}
    copied = do(shot, "duplicate_layer", layer="front")
    assert made_by(shot, copied) == {"layers": [copied.layers[-1].id]}
    assert made_by(shot, do(shot, "add_mount"))["mount"] == "m1"
    assert made_by(shot, do(shot, "add_framing", frame=9)) == {"framing": 1}
    assert made_by(shot, do(shot, "duplicate_framing", framing=0))["framing"] == 1


# --- real lenses and heights ----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("lens", "measured", "angle"),
    [
        # Handbook values for 36 x 24 mm: the horizontal angle of 50, 35 and 24 mm.
        (50, "35 mm", 39.6),
        (35, "35 mm", 54.4),
        (24, "frame", 73.7),
        (60, "angle", 60.0),
    ],
)
def test_the_photographs_lens_is_typed_in_any_measure(
    lens: float, measured: str, angle: float
) -> None:
    """On a 3 : 2 photograph the equivalent focal length is the one on the gate (CIPA DCG-001)."""
    shot = do(
        make_shot({"back": (3000, 2000), "front": (3000, 2000)}), "turn_layer", layer="front", pan=9
    )
    told = do(shot, "set_photo_lens", lens=lens, measured=measured)
    focal = told.taking_camera.focal_length
    assert focal is not None and told.taking_camera.lens_known
    assert np.degrees(2 * np.arctan(18 / focal)) == pytest.approx(angle, abs=0.06)
    # What a framing sees of the picture stays.
    np.testing.assert_allclose(outline(told, "back", 0), outline(shot, "back", 0), atol=1e-6)


def test_a_phones_lens_is_told_by_the_diagonal() -> None:
    shot = make_shot({"back": (4032, 3024)})
    told = do(shot, "set_photo_lens", lens=26)
    diagonal = 36 * 5 / 4  # of a 4 : 3 gate, 36 mm long
    assert told.taking_camera.focal_length == pytest.approx(26 * diagonal / 43.2666, rel=1e-4)


def test_a_typed_height_brings_a_layer_where_it_is_so_tall(away: Shot) -> None:
    tall = do_at(away, 23, "set_height", layer="front", height=0.7)
    assert card_at(tall, "front", 0).height == pytest.approx(0.7)
    np.testing.assert_allclose(outline(tall, "front", 23), outline(away, "front", 23), atol=1e-6)


def test_a_layer_stands_on_the_ground_by_going_away_or_down(shot: Shot) -> None:
    shot = do(shot, "set_ground", horizon=450, eye_height=1.5)
    away = do(shot, "stand_on_ground", layer="front")
    down = do(shot, "stand_on_ground", layer="front", by="height")
    for placed in (away, down):
        card = card_at(placed, "front", 0)
        foot = card.world_from_card @ np.array([0, -card.height / 2, 0, 1])
        assert foot[1] == pytest.approx(-1.5, abs=1e-9)
    np.testing.assert_allclose(seen(away, "front"), seen(shot, "front"), atol=1e-6)
    assert down.layer("front").distance == shot.layer("front").distance


@pytest.mark.parametrize("shown", ["#f0a53a", "#d98f2b", "#35b8e8", "#ffffff", "#303030"])
def test_the_overlay_tells_from_a_picture_of_any_colour(shown: str) -> None:
    """Distances by colour-science; that 40 in CIELAB is told apart at once: common practice."""
    codes = np.full((40, 60, 3), list(bytes.fromhex(shown[1:])), np.uint8)
    chosen = contrasting_colour(pyramid_of(opaque(codes)), shown)
    one, other = (
        colour.XYZ_to_Lab(colour.sRGB_to_XYZ(np.array(list(bytes.fromhex(each[1:]))) / 255))
        for each in (chosen, shown)
    )
    assert np.linalg.norm(one - other) > 40
    if shown == "#303030":
        assert chosen == OVERLAYS[0]
