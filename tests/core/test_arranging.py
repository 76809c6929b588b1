"""Spread, ground, match, scatter: what they promise is measured on the evaluated shot."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from tests.conftest import make_shot
from tests.core.test_edit import CORNERS, seen
from vistaline.core import edits
from vistaline.core.edits.arranging import parallax_step, screen_shift
from vistaline.core.errors import EditError
from vistaline.core.geometry.space import project
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.ground import ground_facts

NAMES = [f"l{n}" for n in range(5)]


@pytest.fixture
def many() -> Shot:
    return make_shot(dict.fromkeys(NAMES, (1600, 900)))


@pytest.fixture
def cards(many: Shot) -> Shot:
    for name in NAMES:
        many = edits.apply(many, "make_card", {"layer": name})
        many = edits.apply(many, "size_card", {"layer": name, "width": 0.6})
    return many


def trucked(shot: Shot, metres: float) -> list[float]:
    """By how many pixels each layer's middle shifts when the camera trucks, near to far."""
    middles = []
    for x in (0.0, metres):
        moved = edits.apply(shot, "set_framing", {"framing": 0, "across": x})
        middles.append([seen(moved, name)[:, 0].mean() for name in NAMES])
    return sorted(np.abs(np.subtract(*middles)), reverse=True)


def test_spread_by_parallax_shifts_alike_from_step_to_step(many: Shot) -> None:
    """Closed form: f t (1 / near - 1 / far) / (n - 1) pixels for a truck of t metres."""
    values = {"layers": NAMES, "near": "1.5", "far": "12", "how": "parallax"}
    spread = edits.apply(many, "spread", values)
    steps = -np.diff(trucked(spread, 0.1))
    expected = parallax_step(spread, 5, 1.5, 12, 0.1)
    np.testing.assert_allclose(steps, expected, rtol=1e-6)
    for name in NAMES:
        np.testing.assert_allclose(seen(spread, name), seen(many, name), atol=1e-6)


@pytest.mark.parametrize(
    ("how", "expected"), [("even", [1, 2, 3, 4, 5]), ("ratio", 5 ** np.arange(0, 1.1, 0.25))]
)
def test_spread_in_steps(many: Shot, how: str, expected: object) -> None:
    spread = edits.apply(many, "spread", {"layers": NAMES, "near": 1, "far": 5, "how": how})
    np.testing.assert_allclose(sorted(layer.distance for layer in spread.layers), expected)


def test_a_subject_stands_where_its_foot_meets_the_ground(many: Shot) -> None:
    """A level camera 1.5 m up, horizon in the middle: the foot comes to lie 1.5 m below it."""
    shot = edits.apply(many, "set_ground", {"horizon": 450, "eye_height": 1.5})
    stood = edits.apply(shot, "stand_on_ground", {"layer": "l4"})
    card = card_of(stood, stood.layer("l4"))
    foot = card.world_from_card @ [0, -card.height / 2, 0, 1]
    assert foot[1] == pytest.approx(-1.5)
    facts = ground_facts(stood, stood.layer("l4"))
    assert facts == pytest.approx((stood.layer("l4").distance, card.height))
    np.testing.assert_allclose(seen(stood, "l4"), seen(many, "l4"), atol=1e-6)


def test_a_layer_that_was_moved_stands_by_where_it_is_seen_now(many: Shot) -> None:
    shot = edits.apply(many, "set_ground", {"horizon": 450, "eye_height": 1.5})
    shot = edits.apply(shot, "size_layer", {"layer": "l2", "percent": 40})
    shot = edits.apply(shot, "move_layer", {"layer": "l2", "up": -0.3})
    stood = edits.apply(shot, "stand_on_ground", {"layer": "l2"})
    card = card_of(stood, stood.layer("l2"))
    assert (card.world_from_card @ [0, -card.height / 2, 0, 1])[1] == pytest.approx(-1.5)
    np.testing.assert_allclose(seen(stood, "l2"), seen(shot, "l2"), atol=1e-6)


def test_what_ends_above_the_horizon_is_refused(many: Shot) -> None:
    with pytest.raises(EditError, match="Say first where the ground is"):
        edits.apply(many, "stand_on_ground", {"layer": "l0"})
    shot = edits.apply(many, "set_ground", {"horizon": 900, "eye_height": 1.5})
    with pytest.raises(EditError, match="above the horizon"):
        edits.apply(shot, "stand_on_ground", {"layer": "l0"})


@pytest.mark.parametrize("pixels", [3.0, 25.0])
def test_a_layer_shifts_as_asked(many: Shot, pixels: float) -> None:
    shot = edits.apply(many, "set_framing", {"framing": 1, "across": 0.3, "forward": 0})
    matched = edits.apply(shot, "match_shift", {"layer": "l2", "pixels": pixels})
    assert screen_shift(matched, matched.layer("l2")) == pytest.approx(pixels, abs=0.01)
    twin = edits.apply(matched, "match_layer", {"layer": "l3", "other": "l2"})
    assert twin.layer("l3").distance == pytest.approx(matched.layer("l2").distance, rel=1e-3)
    with pytest.raises(EditError, match="No distance makes"):
        edits.apply(shot, "match_shift", {"layer": "l2", "pixels": 90_000})


@pytest.mark.parametrize("tilt", [0, 20])
@pytest.mark.parametrize("framing", [{}, {"across": 0.7, "forward": 0.4, "pan": 25, "tilt": -6}])
def test_scattered_cards_hide_nothing_from_the_first_framing(
    cards: Shot, framing: dict, tilt: int
) -> None:
    values = {"layers": NAMES, "near": 5, "far": 9, "tilt": tilt, "seed": 5}
    cards = edits.apply(cards, "set_framing", {"framing": 0, **framing})
    shot = edits.apply(cards, "scatter", values)
    state = evaluate(shot, [0])[0]
    boxes = [project(card.image_from_unit(state.camera), CORNERS) for card in state.cards]
    for a, b in itertools.combinations(boxes, 2):
        apart = (a.max(axis=0) <= b.min(axis=0)) | (b.max(axis=0) <= a.min(axis=0))
        assert apart.any()
    assert edits.apply(cards, "scatter", values) == shot
    assert edits.apply(cards, "scatter", values | {"seed": 6}) != shot
    with pytest.raises(EditError, match="no room for more than"):
        edits.apply(cards, "scatter", values | {"near": 1, "far": 1.1})


@pytest.mark.parametrize("pattern", ["row", "arc", "grid", "spiral"])
def test_cards_set_out_do_not_touch(cards: Shot, pattern: str) -> None:
    shot = edits.apply(cards, "scatter", {"layers": NAMES, "near": 5, "pattern": pattern})
    middles = [card_of(shot, layer).world_from_card[:3, 3] for layer in shot.layers]
    heights = [card_of(shot, layer).height for layer in shot.layers]
    for a, b in itertools.combinations(middles, 2):
        assert np.linalg.norm(a - b) > min(*heights, 0.6)


def test_a_backdrop_stands_nowhere(many: Shot) -> None:
    shot = edits.apply(many, "add_field", {"kind": "flat", "backdrop": True})
    with pytest.raises(EditError, match="stands nowhere"):
        edits.apply(shot, "spread", {"layers": ["l0", "backdrop"], "near": 1, "far": 3})


def test_only_cards_are_set_out(many: Shot) -> None:
    with pytest.raises(EditError, match="Make it a card first"):
        edits.apply(many, "scatter", {"layers": NAMES})


def test_a_layer_made_a_card_is_seen_as_before(many: Shot) -> None:
    many = edits.apply(many, "move_layer", {"layer": "l3", "across": 0.3, "up": 0.1})
    card = edits.apply(many, "make_card", {"layer": "l3"})
    np.testing.assert_allclose(seen(card, "l3"), seen(many, "l3"), atol=1e-6)
    moved = edits.apply(card, "move_in_depth", {"layer": "l3", "distance": 9})
    np.testing.assert_allclose(seen(moved, "l3"), seen(many, "l3"), atol=1e-6)
    free = edits.apply(card, "move_in_depth", {"layer": "l3", "distance": 9, "keep": "size"})
    widths = [card_of(each, each.layer("l3")).width for each in (card, free)]
    assert widths[0] == pytest.approx(widths[1])


def test_with_the_lens_a_layer_is_seen_the_same_in_every_frame(many: Shot) -> None:
    values = {"framing": 1, "across": 0.4, "pan": 20, "tilt": 5, "roll": 3, "lens": 80}
    many = edits.apply(many, "set_framing", values)
    held = edits.apply(many, "set_stays", {"layer": "l1", "stays": "lens"})
    places = [
        project(
            next(c for c in state.cards if c.layer.id == "l1").image_from_unit(state.camera),
            CORNERS,
        )
        for state in evaluate(held, [0, 11, 23])
    ]
    np.testing.assert_allclose(places[1], places[0], atol=1e-6)
    np.testing.assert_allclose(places[2], places[0], atol=1e-6)


def test_facing_the_camera_a_card_is_upright_in_the_frame(cards: Shot) -> None:
    shot = edits.apply(cards, "set_framing", {"framing": 1, "pan": 25, "tilt": -8})
    shot = edits.apply(shot, "set_stays", {"layer": "l4", "stays": "facing"})
    state = evaluate(shot, [23])[0]
    corners = project(
        next(c for c in state.cards if c.layer.id == "l4").image_from_unit(state.camera), CORNERS
    )
    assert corners[0, 1] == pytest.approx(corners[1, 1]) and corners[0, 0] == pytest.approx(
        corners[3, 0]
    )


def test_a_backdrop_fills_the_frame_behind_everything(many: Shot) -> None:
    shot = edits.apply(many, "add_field", {"kind": "linear", "backdrop": True})
    shot = edits.apply(shot, "set_framing", {"framing": 1, "pan": 120, "lens": 15})
    for frame, state in zip((0, 23), evaluate(shot, [0, 23]), strict=True):
        card = state.cards[state.order[0]]
        assert card.layer.is_backdrop, frame
        corners = project(card.image_from_unit(state.camera), CORNERS)
        assert (corners.min(axis=0) <= 0).all() and (corners.max(axis=0) >= (320, 180)).all()


def test_a_swapped_picture_keeps_window_place_and_motion(many: Shot) -> None:
    card = edits.apply(many, "make_card", {"layer": "l0"})
    square = {"file": "other.png", "width": 400, "height": 400}
    for shot in (card, many):
        shot = edits.apply(shot, "keep_frame_style", {"name": "White", "layers": ["l0"]})
        swapped = edits.apply(
            shot, "swap_picture", {"layer": "l0", "key": "new", "picture": square}
        )
        np.testing.assert_allclose(seen(swapped, "l0"), seen(shot, "l0"), atol=0.6)
        assert swapped.layer("l0").crop and swapped.layer("l0").frame_style == "White"
        assert camera_states(swapped, [5])[0].position == camera_states(shot, [5])[0].position
        back = {"file": "l0.png", "width": 1600, "height": 900}
        again = edits.apply(swapped, "swap_picture", {"layer": "l0", "key": "l0", "picture": back})
        np.testing.assert_allclose(seen(again, "l0"), seen(shot, "l0"), atol=0.6)
