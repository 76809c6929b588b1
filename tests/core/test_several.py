"""Layers arranged as one, aligned, distributed, copied to another shot, and titles in pairs."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from tests.conftest import make_shot
from tests.core.test_edit import seen
from vistaline.core import edits
from vistaline.core.edits.clipboard import clip_of
from vistaline.core.errors import EditError
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.cards import card_of

NAMES = ["a", "b", "c"]


def do(shot: Shot, verb: str, **values: object) -> Shot:
    return edits.apply(shot, verb, values)


@pytest.fixture
def cards() -> Shot:
    shot = make_shot(dict.fromkeys(NAMES, (1600, 900)))
    for n, name in enumerate(NAMES):
        shot = do(shot, "make_card", layer=name)
        shot = do(shot, "size_card", layer=name, width=0.3 + 0.1 * n)
        shot = do(shot, "move_layer", layer=name, across=0.5 * n - 0.4, up=0.2 * n - 0.1)
    return do(shot, "turn_layer", layer="b", pan=40, roll=12)


def middles(shot: Shot) -> np.ndarray:
    return np.array([card_of(shot, layer).world_from_card[:3, 3] for layer in shot.layers])


@pytest.mark.parametrize(
    ("edge", "axis", "pick"),
    [("left", 0, np.min), ("right", 0, np.max), ("top", 1, np.min), ("bottom", 1, np.max)],
)
def test_aligned_layers_share_an_edge_in_the_frame(
    cards: Shot, edge: str, axis: int, pick: object
) -> None:
    shot = do(cards, "align_layers", layers=NAMES, edge=edge)
    places = [pick(seen(shot, name)[:, axis]) for name in NAMES]
    outermost = pick([pick(seen(cards, name)[:, axis]) for name in NAMES])
    np.testing.assert_allclose(places, outermost, atol=0.01)


def test_one_layer_is_aligned_with_the_frame(cards: Shot) -> None:
    shot = do(cards, "align_layers", layers=["b"], edge="centre", to="frame")
    span = seen(shot, "b")[:, 0]
    assert (span.min() + span.max()) / 2 == pytest.approx(160, abs=0.01)
    with pytest.raises(EditError, match="at least two"):
        do(cards, "align_layers", layers=["b"], edge="left")


def test_distributed_layers_leave_equal_gaps(cards: Shot) -> None:
    shot = do(cards, "distribute_layers", layers=NAMES, along="up")
    spans = sorted((seen(shot, name)[:, 1].min(), seen(shot, name)[:, 1].max()) for name in NAMES)
    gaps = [after[0] - before[1] for before, after in itertools.pairwise(spans)]
    assert gaps[0] == pytest.approx(gaps[1], abs=0.02)


def test_turned_as_one_layers_keep_their_distances_from_each_other(cards: Shot) -> None:
    shot = do(cards, "transform_layers", layers=NAMES, pan=30, forward=0.5, percent=150)
    before, after = middles(cards), middles(shot)
    for i in range(3):
        ratio = np.linalg.norm(after[i] - after[i - 1]) / np.linalg.norm(before[i] - before[i - 1])
        assert ratio == pytest.approx(1.5)
    np.testing.assert_allclose(after.mean(axis=0) - before.mean(axis=0), [0, 0, -0.5], atol=1e-9)


def test_a_group_is_dragged_as_one_and_parted(cards: Shot) -> None:
    shot = do(cards, "group_layers", layers=["a", "c"], name="Wall")
    assert [layer.group for layer in shot.layers] == ["Wall", "", "Wall"]
    dragged = do(shot, "drag_layers", layers=["a", "c"], lead="a", frame=0, dx=20, dy=0)
    way = middles(dragged) - middles(shot)
    np.testing.assert_allclose(way[0], way[2], atol=1e-9)
    assert not way[1].any()
    shift = seen(dragged, "a").mean(axis=0) - seen(shot, "a").mean(axis=0)
    np.testing.assert_allclose(shift, [20, 0], atol=1e-6)
    deep = do(shot, "move_layers_in_depth", layers=["a", "c"], lead="a", distance=12)
    for name in ("a", "c"):
        np.testing.assert_allclose(seen(deep, name), seen(shot, name), atol=1e-6)
    renamed = do(shot, "rename_group", group="Wall", name="North wall")
    assert not any(layer.group for layer in do(renamed, "part_group", group="North wall").layers)
    with pytest.raises(EditError, match="no group 'Wall' any more"):
        do(renamed, "part_group", group="Wall")


def test_what_is_pasted_stands_as_it_stood(cards: Shot) -> None:
    """A card, and one that another taking camera saw, with mount, style and matte."""
    shot = do(cards, "keep_frame_style", name="White", layers=["b"])
    shot = do(shot, "add_mount", layers=["b"])
    shot = do(shot, "set_mount", mount="m1", pan=20)
    shot = do(shot, "set_matte", layer="b", of="c")
    other = make_shot({"b": (800, 600), "x": (640, 480)})
    other = do(other, "add_mount", layers=["x"])
    clip = clip_of(shot, ["b", "c"]).model_dump(mode="json")
    pasted = do(other, "paste_layers", clip=clip)
    assert [layer.id for layer in pasted.layers] == ["b", "x", "b-2", "c"]
    new = pasted.layer("b-2")
    assert new.matte and new.matte.of == "c" and new.ride and new.ride.on == "m1-2"
    assert pasted.pictures[new.picture] == shot.pictures["b"] and new.picture != "b"
    for old, key in (("b", "b-2"), ("c", "c")):
        np.testing.assert_allclose(
            card_of(pasted, pasted.layer(key)).world_from_card,
            card_of(shot, shot.layer(old)).world_from_card,
            atol=1e-9,
        )
    seen_there = make_shot({"s": (1600, 900)})
    pasted = do(pasted, "keep_in_focus", layer="x")
    twice = do(pasted, "paste_layers", clip=clip_of(seen_there, ["s"]).model_dump(mode="json"))
    assert twice.layer("s").is_card
    assert card_of(twice, twice.layer("s")).width == pytest.approx(
        card_of(seen_there, seen_there.layer("s")).width
    )
    assert parse_shot(dump_shot(twice)) == twice


def test_lamps_and_air_of_what_is_copied_come_along(cards: Shot) -> None:
    shot = do(cards, "add_lamp", kind="spot", layer="b")
    lamp = shot.lamps[0].id
    shot = do(shot, "set_gobo", lamp=lamp, shape="picture", picture=shot.layer("c").picture)
    shot = do(shot, "lamp_with_layer", lamp=lamp, layer="b")
    shot = do(shot, "set_key", of=f"lamp:{lamp}", value="brightness", frame=4)
    shot = do(do(shot, "add_dressing", start="sparks"), "add_dressing", start="fog")
    shot = do(shot, "set_dressing", thing="particles:d1", layer="b")
    clip = clip_of(shot, ["b"]).model_dump(mode="json")
    pasted = do(shot, "paste_layers", clip=clip)
    new = pasted.lamps[-1]
    assert len(pasted.lamps) == len(shot.lamps) + 1 and new.id != lamp
    assert (new.rides_with, new.aim) == ("b-2", "b-2") and new.gobo.picture in pasted.pictures
    # The fog belongs to the shot; the sparks come from the layer.
    assert [each.kind for each in pasted.dressing] == ["particles", "fog", "particles"]
    assert pasted.dressing[-1].layer == "b-2"
    assert {row.of for row in pasted.rows} == {f"lamp:{lamp}", f"lamp:{new.id}"}
    assert parse_shot(dump_shot(pasted)) == pasted


def test_a_pair_of_titles_stays_in_register(cards: Shot) -> None:
    shot = do(do(cards, "add_title", text="Sallow"), "pair_title", layer="sallow", around="b")
    front = shot.layer("sallow").paired

    def letters(shot: Shot, key: str) -> np.ndarray:
        """The lower left corner and the upper right, less the room an outline takes."""
        title = shot.layer(key).title
        room = title.outline_width if title.outline else 0
        card = card_of(shot, shot.layer(key))
        metres = room * title.size * shot.layer(key).scale
        corners = np.array([[-1, -1], [1, 1]]) * [card.width / 2 - metres, card.height / 2 - metres]
        points = np.column_stack([corners, np.zeros(2), np.ones(2)]) @ card.world_from_card.T
        return points[:, :2] / -points[:, 2:3]

    def in_register(shot: Shot) -> None:
        np.testing.assert_allclose(letters(shot, front), letters(shot, "sallow"), atol=1e-9)

    in_register(shot)
    for key, verb, values in (
        ("sallow", "move_layer", {"across": 0.4, "up": -0.2}),
        (front, "set_title", {"text": "Sallow Head", "spacing": 8}),
        (front, "drag_layer", {"frame": 0, "dx": 12, "dy": 3}),
        ("sallow", "size_layer", {"percent": 140}),
        (front, "turn_layer", {"roll": 9}),
    ):
        shot = do(shot, verb, layer=key, **values)
        in_register(shot)
    assert shot.layer("sallow").title.text == shot.layer(front).title.text == "Sallow Head"
    parted = do(do(shot, "part_pair", layer=front), "move_layer", layer=front, up=1)
    with pytest.raises(AssertionError):
        in_register(parted)
    removed = do(shot, "remove_layer", layer=front)
    assert removed.layer("sallow").paired == ""
