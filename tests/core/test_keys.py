"""Keys: values over time against SciPy and colour-science, and edits of and at keys."""

from __future__ import annotations

import json
import warnings
from typing import Any

import numpy as np
import pytest
from scipy.interpolate import interp1d
from scipy.spatial.transform import Rotation

from tests.conftest import make_shot
from vistaline.core import edits
from vistaline.core.edits.keys import keys_now
from vistaline.core.errors import CoreError, EditError, ShotError
from vistaline.core.keyable import keyables_of
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.rows import MOST_KEYS, Key, Row, values_at
from vistaline.core.shot.shot import Shot
from vistaline.core.stage import tracks
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.drawn import look_called
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.keyed import row_of, shot_at_frame
from vistaline.core.stage.tracks import track_of

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it warns of optional packages that are not needed here
    import colour

FRAMES = np.linspace(-2, 26, 57)


def row(value: str, *keys: tuple[int, Any], of: str = "layer:front", ease: str = "linear") -> Row:
    return Row(of=of, value=value, keys=tuple(Key(frame=f, value=v, ease=ease) for f, v in keys))


def keyed(*rows: Row, **changes: Any) -> Shot:
    shot = make_shot({"back": (640, 360), "front": (200, 150)}, **changes)
    return shot.evolve(rows=rows)


def do(shot: Shot, verb: str, *, at: int = 0, auto_key: bool = False, **values: Any) -> Shot:
    plain = {k: json.dumps(v) if isinstance(v, list | dict) else v for k, v in values.items()}
    return edits.apply(shot, verb, plain, at=at, auto_key=auto_key)


def frames_and_values(shot: Shot, value: str, of: str = "layer:front") -> list[tuple[int, Any]]:
    found = row_of(shot, of, value)
    return [(key.frame, key.value) for key in found.keys] if found else []


# --- values over time -------------------------------------------------------------------------


def test_numbers_with_straight_eases_are_scipys_interpolation() -> None:
    keys = [(0, 1.5), (7, -2.0), (8, 4.0), (24, 0.25)]
    frames, values = zip(*keys, strict=True)
    expected = interp1d(frames, values, bounds_error=False, fill_value=(values[0], values[-1]))(
        FRAMES
    )
    np.testing.assert_allclose(values_at(row("across", *keys), FRAMES), expected, atol=1e-12)


def test_a_border_that_keys_take_away_leaves_the_picture_as_it_is() -> None:
    shot = make_shot({"back": (64, 36)})
    shot = edits.apply(shot, "keep_frame_style", {"name": "White", "layers": ["back"]})
    shot = shot.evolve(
        rows=(
            Row(
                of="style:White",
                value="border",
                keys=(Key(frame=0, value=0.2, ease="hold"), Key(frame=9, value=0.0, ease="hold")),
            ),
        )
    )
    textures = track_of(shot, shot.layers[0], [0, 20]).textures
    assert textures == ("~back@0", "back")
    assert look_called(shot, textures[0]) and look_called(shot, textures[1]) is None


def test_every_travel_has_its_own_ease_and_keys_are_met_exactly() -> None:
    eased = Row(
        of="layer:front",
        value="pan",
        keys=(
            Key(frame=3, value=0.1),
            Key(frame=17, value=0.7, ease="back-out"),
            Key(frame=20, value=-0.3, ease="spring(0.3)"),
            Key(frame=23, value=1.0, ease="hold"),
        ),
    )
    np.testing.assert_array_equal(
        values_at(eased, [0, 3, 17, 20, 23, 40]), [0.1, 0.1, 0.7, -0.3, 1, 1]
    )
    assert values_at(eased, [15])[0] > 0.7, "back goes beyond where it arrives"
    assert values_at(eased, [22.9])[0] == -0.3, "a hold is there at the last moment"


def test_sizes_change_by_equal_ratios() -> None:
    sizes = values_at(row("scale", (0, 0.5), (12, 8.0)), np.arange(13))
    np.testing.assert_allclose(sizes, np.geomspace(0.5, 8, 13), rtol=1e-12)


def test_colours_go_through_the_light_between() -> None:
    """IEC 61966-2-1 by colour-science: half way is the mean of the light, not of the codes."""
    ends = "#102030", "#f0c040"
    codes = [np.array(list(bytes.fromhex(end[1:]))) / 255 for end in ends]
    mean = (colour.cctf_decoding(codes[0], "sRGB") + colour.cctf_decoding(codes[1], "sRGB")) / 2
    expected = np.rint(colour.cctf_encoding(mean, "sRGB") * 255)
    found = values_at(row("fill", (0, ends[0]), (10, ends[1])), [5])[0]
    np.testing.assert_array_equal(list(bytes.fromhex(found[1:])), expected)


def test_what_an_ease_takes_beyond_is_held_at_the_limit() -> None:
    fading = row("opacity", (0, 0.0), (10, 1.0), ease="back-out")
    assert values_at(fading, np.arange(11)).max() == 1.0


# --- the stage over time ----------------------------------------------------------------------


MOVED = (
    row("across", (0, 0.0), (20, 0.4), ease="cubic-in-out"),
    row("distance", (4, 2.0), (20, 1.2), ease="spring"),
    row("pan", (0, 0.0), (23, 400.0)),
    row("scale", (0, 1.0), (11, 0.4), (23, 2.0)),
    row("pivot_up", (0, 0.0), (23, 0.5)),
    row("opacity", (0, 1.0), (23, 0.2)),
    row("y", (0, 0.0), (23, 1.0), of="mount:m"),
    row("roll", (0, 0.0), (23, 90.0), of="mount:m"),
)


def moving() -> Shot:
    shot = keyed(frame={"width": 320, "height": 180, "duration": 24})
    shot = edits.apply(shot, "add_mount", {"layers": ["front"]})
    return shot.evolve(
        rows=tuple(
            each.evolve(of=each.of.replace("mount:m", f"mount:{shot.mounts[0].id}"))
            for each in MOVED
        )
    )


def test_a_layers_track_is_where_it_stands_at_each_frame() -> None:
    """All frames at once against one at a time, by the code for layers without keys."""
    shot = moving()
    for frame, state in zip(range(24), evaluate(shot, range(24)), strict=True):
        at_frame = shot_at_frame(shot, frame)
        expected = card_of(at_frame, at_frame.layer("front"))
        card = state.card_of("front")
        np.testing.assert_allclose(card.world_from_card, expected.world_from_card, atol=1e-12)
        assert (card.width, card.height) == pytest.approx((expected.width, expected.height))
        assert card.opacity == pytest.approx(at_frame.layer("front").opacity)


def test_keyed_turns_are_scipys_rotations() -> None:
    """Pan, tilt, roll: intrinsic Y-X-Z."""
    shot = keyed(row("pan", (0, 0.0), (23, 230.0)), row("tilt", (0, 10.0), (23, -50.0)))
    poses = track_of(shot, shot.layer("front"), range(24)).poses
    angles = np.column_stack([np.linspace(0, 230, 24), np.linspace(10, -50, 24), np.zeros(24)])
    expected = Rotation.from_euler("YXZ", angles, degrees=True).as_matrix()
    np.testing.assert_allclose(poses[:, :3, :3], expected, atol=1e-12)


def test_order_follows_layers_that_pass_each_other() -> None:
    shot = keyed(row("distance", (0, 1.0), (23, 5.0)))
    nearest = [shot.layers[state.order[-1]].id for state in evaluate(shot, [0, 23])]
    assert nearest == ["front", "back"]


def test_the_camera_follows_a_layer_that_moves() -> None:
    shot = keyed(row("across", (0, -0.3), (23, 0.5)), route={"aim": {"at": "front"}})
    for state in evaluate(shot, range(24)):
        seen = state.camera.camera_from_world @ state.card_of("front").world_from_card[:, 3]
        np.testing.assert_allclose(seen[:2], 0, atol=1e-9)


def test_a_camera_rides_on_a_mount_with_keys() -> None:
    shot = edits.apply(keyed(), "add_mount", {"name": "Boat"})
    mount = shot.mounts[0]
    shot = do(shot, "ride_on", rider="camera", mount=mount.id)
    y = mount.position[1]
    shot = shot.evolve(rows=(row("y", (0, y), (23, y + 2.3), of=f"mount:{mount.id}"),))
    heights = [camera.position[1] for camera in camera_states(shot, range(24))]
    np.testing.assert_allclose(heights, np.linspace(0, 2.3, 24), atol=1e-9)


def test_an_edit_to_one_key_computes_only_that_layer_anew(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    rows = [row("across", (0, 0.1 * n), (23, 1.0), of=f"layer:l{n}") for n in range(20)]
    shot = make_shot({f"l{n}": (64, 36) for n in range(20)}).evolve(rows=tuple(rows))
    evaluate(shot, range(24))
    computed: list[str] = []
    compute = tracks._track
    monkeypatch.setattr(
        tracks, "_track", lambda asked, of: computed.append(asked.layer.id) or compute(asked, of)
    )
    changed = do(
        shot, "value_keys", keys=[{"of": "layer:l7", "value": "across", "frame": 23}], to="0.4"
    )
    evaluate(parse_shot(dump_shot(changed)), range(24))
    assert computed == ["l7"]


def test_looks_change_with_their_keys_and_only_then() -> None:
    shot = edits.apply(keyed(), "add_title", {"text": "One"})
    title = shot.layers[-1].id
    words = row("text", (0, "One"), (8, "Two"), (16, "Three"), of=f"layer:{title}")
    shot = shot.evolve(rows=(words,))
    textures = track_of(shot, shot.layer(title), range(24)).textures
    assert [textures[0], textures[8], textures[16]] == sorted(set(textures), key=textures.index)
    drawn = {look_called(shot, name).name for name in textures}  # type: ignore[union-attr]
    assert len(drawn) == 3
    widths = track_of(shot, shot.layer(title), [0, 23]).sizes[:, 0]
    assert widths[1] > widths[0], "its card is as wide as what it says"


# --- edits at the playhead --------------------------------------------------------------------


def test_with_auto_key_an_edit_becomes_a_key_and_what_was_stays_at_the_start() -> None:
    shot = do(keyed(), "move_layer", layer="front", across=0.5, at=12, auto_key=True)
    assert frames_and_values(shot, "across") == [(0, 0.0), (12, 0.5)]
    assert shot.layer("front").across == 0
    shot = do(shot, "move_layer", layer="front", across=0.2, at=20, auto_key=True)
    assert frames_and_values(shot, "across") == [(0, 0.0), (12, 0.5), (20, 0.2)]


def test_without_auto_key_an_edit_between_keys_moves_the_whole() -> None:
    shot = keyed(row("across", (0, 0.0), (20, 1.0)))
    moved = do(shot, "move_layer", layer="front", across=0.75, at=10)
    assert frames_and_values(moved, "across") == [(0, 0.25), (20, 1.25)]
    on_key = do(shot, "move_layer", layer="front", across=0.75, at=20)
    assert frames_and_values(on_key, "across") == [(0, 0.0), (20, 0.75)]
    sized = do(
        keyed(row("scale", (0, 1.0), (20, 4.0))), "size_layer", layer="front", percent=400, at=10
    )
    assert frames_and_values(sized, "scale") == [(0, pytest.approx(2)), (20, pytest.approx(8))]


def test_an_edit_is_seen_at_the_playhead_as_it_was_asked() -> None:
    """Whatever has keys: dragged where the pointer goes, measured in what is seen there."""
    shot = moving()
    for auto_key in (False, True):
        dragged = do(
            shot, "drag_layer", layer="front", frame=9, dx=30, dy=-12, at=9, auto_key=auto_key
        )
        seen = []
        for each in (shot, dragged):
            state = evaluate(each, [9])[0]
            middle = state.camera.camera_from_world @ state.card_of("front").world_from_card[:, 3]
            point = state.camera.image_from_camera @ middle[:3]
            seen.append(point[:2] / point[2])
        np.testing.assert_allclose(seen[1] - seen[0], [30, -12], atol=0.5)


def test_what_is_not_keyed_changes_for_the_whole_shot() -> None:
    shot = do(
        keyed(row("across", (0, 0.0), (20, 1.0))), "set_opacity", layer="front", percent=40, at=7
    )
    assert shot.layer("front").opacity == 0.4
    assert frames_and_values(shot, "across") == [(0, 0.0), (20, 1.0)]


# --- edits of keys ----------------------------------------------------------------------------


def test_keys_are_set_moved_stretched_reversed_and_removed() -> None:
    shot = keyed(row("across", (0, 0.0), (10, 1.0)))
    shot = do(shot, "set_key", of="layer:front", value="across", frame=5, at=5)
    assert frames_and_values(shot, "across") == [(0, 0.0), (5, 0.5), (10, 1.0)]
    picked = [{"of": "layer:front", "value": "across", "frame": frame} for frame in (5, 10)]
    assert [
        f for f, _ in frames_and_values(do(shot, "move_keys", keys=picked, frames=3), "across")
    ] == [0, 8, 13]
    assert [
        f for f, _ in frames_and_values(do(shot, "move_keys", keys=picked, to="12"), "across")
    ] == [0, 12, 17]
    stretched = do(shot, "stretch_keys", keys=picked, about=0, percent=200)
    assert frames_and_values(stretched, "across") == [(0, 0.0), (10, 0.5), (20, 1.0)]
    whole = [{"of": "layer:front", "value": "across", "frame": frame} for frame in (0, 5, 10)]
    assert frames_and_values(do(shot, "reverse_keys", keys=whole), "across") == [
        (0, 1.0),
        (5, 0.5),
        (10, 0.0),
    ]
    bare = do(shot, "remove_keys", keys=whole, at=5)
    assert not bare.rows and bare.layer("front").across == 0.5


def test_a_row_turned_round_runs_backwards() -> None:
    first = row("across", (0, 0.0), (6, 1.0), (20, -1.0), ease="cubic-in")
    shot = keyed(first)
    keys = [{"of": "layer:front", "value": "across", "frame": key.frame} for key in first.keys]
    turned = row_of(do(shot, "reverse_keys", keys=keys), "layer:front", "across")
    assert turned is not None
    np.testing.assert_allclose(
        values_at(turned, np.arange(21)), values_at(first, np.arange(21))[::-1], atol=1e-9
    )


def test_keys_are_pasted_at_the_playhead_on_other_layers_and_rows() -> None:
    source = row("across", (2, 0.0), (6, 1.0))
    shot = keyed(source)
    clip = [source.model_dump(mode="json")]
    there = do(shot, "paste_keys", clip=clip, frame=10, onto="layer:back")
    assert frames_and_values(there, "across", "layer:back") == [(10, 0.0), (14, 1.0)]
    other = do(shot, "paste_keys", clip=clip, frame=0, value="up")
    assert frames_and_values(other, "up") == [(0, 0.0), (4, 1.0)]
    with pytest.raises(EditError, match="would be at frame 26, but the shot ends with frame 23"):
        do(shot, "paste_keys", clip=clip, frame=22)


def test_values_and_eases_of_several_rows_are_set_at_once() -> None:
    shot = keyed(row("opacity", (0, 0.0), (10, 1.0)), row("scale", (0, 1.0), (12, 2.0)))
    keys = [
        {"of": "layer:front", "value": "opacity", "frame": 10},
        {"of": "layer:front", "value": "scale", "frame": 12},
    ]
    eased = do(shot, "ease_keys", keys=keys, ease="own", x1=0.1, y1=0, x2=0.2, y2=1)
    assert {each.keys[-1].ease for each in eased.rows} == {(0.1, 0.0, 0.2, 1.0)}
    half = do(shot, "value_keys", keys=keys, to="50")
    assert [each.keys[-1].value for each in half.rows] == [0.5, 0.5]


def test_what_goes_takes_its_keys_and_what_is_copied_brings_them() -> None:
    shot = keyed(row("across", (0, 0.0), (10, 1.0)))
    assert not do(shot, "remove_layer", layer="front").rows
    doubled = do(shot, "duplicate_layer", layer="front")
    assert [each.of for each in doubled.rows] == ["layer:front", f"layer:{doubled.layers[-1].id}"]
    mounted = edits.apply(shot, "add_mount", {"name": "Boat"})
    mount = f"mount:{mounted.mounts[0].id}"
    boat = mounted.evolve(rows=(row("y", (0, 0.0), (9, 1.0), of=mount),))
    assert not do(boat, "remove_mount", mount=mounted.mounts[0].id).rows


def test_keys_stay_with_the_move_when_the_shot_is_stretched() -> None:
    """Common practice, no source: moves shortened by a second still end where they did."""
    framings = [{"frame": 0, "hold": 10}, {"frame": 60, "hold": 20}]
    shot = keyed(
        row("opacity", (10, 0.0), (60, 1.0), (80, 0.0)),
        frame={"width": 320, "height": 180, "duration": 96},
        route={"framings": framings},
    )
    shorter = do(shot, "stretch_route", duration="72")
    bounds = [
        shorter.route.framings[0].last,
        shorter.route.framings[1].frame,
        shorter.route.framings[1].last,
    ]
    assert [frame for frame, _ in frames_and_values(shorter, "opacity")] == bounds
    longer = do(shot, "hold_framing", framing=0, hold="34", shift=True)
    assert [frame for frame, _ in frames_and_values(longer, "opacity")] == [34, 84, 104]


# --- bad input --------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("verb", "values", "words"),
    [
        ("move_keys", {"frames": 20}, "never be reached: the shot ends with frame 23"),
        ("move_keys", {"frames": -3}, "before the first frame"),
        ("move_keys", {"frames": -2}, "two keys at frame 8"),
        ("value_keys", {"to": "far"}, "Across is a number, not 'far'"),
        ("ease_keys", {"ease": "wobble"}, "There is no ease called 'wobble'"),
        ("set_key", {"of": "layer:gone", "value": "across", "frame": 3}, "not in this shot"),
        ("set_key", {"of": "layer:front", "value": "fill", "frame": 3}, "has no fill now"),
        ("set_key", {"of": "layer:front", "value": "taste", "frame": 3}, "no value 'taste'"),
    ],
)  # fmt: skip
def test_impossible_edits_of_keys_are_refused(
    verb: str, values: dict[str, Any], words: str
) -> None:
    shot = keyed(row("across", (2, 0.0), (8, 0.5), (10, 1.0)))
    frames = (2,) if values.get("frames") == -3 else (10,)
    picked = {"keys": [{"of": "layer:front", "value": "across", "frame": f} for f in frames]}
    with pytest.raises(CoreError, match=words):
        do(shot, verb, **(values if "of" in values else values | picked))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"of": "layer:gone"}, "keys for layer 'gone', which is not in the shot"),
        ({"of": "sun:noon"}, "cannot have keys"),
        ({"keys": [{"frame": 99, "value": 1}]}, "key at frame 99, but the shot ends with frame 23"),
        ({"keys": [{"frame": 3, "value": 1}, {"frame": 3, "value": 2}]}, "each key a later frame"),
        ({"keys": [{"frame": 3, "value": "#ffffff"}]}, "is a number, not '#ffffff'"),
        ({"value": "opacity", "keys": [{"frame": 3, "value": 7}]}, "must be 0 to 100 %, not 700"),
    ],
)  # fmt: skip
def test_a_shot_file_with_impossible_keys_is_refused(changes: dict[str, Any], words: str) -> None:
    document = dump_shot(keyed(row("across", (0, 0.0), (10, 1.0))))
    document["rows"][0] |= changes
    with pytest.raises(ShotError, match=words):
        parse_shot(document)


def test_ten_thousand_keys_are_a_row_and_more_are_refused() -> None:
    many = [{"frame": n, "value": n % 7} for n in range(MOST_KEYS)]
    shot = keyed(
        frame={"width": 320, "height": 180, "duration": MOST_KEYS + 1},
        route={"framings": [{"frame": 0}, {"frame": MOST_KEYS}]},
    )
    document = dump_shot(shot) | {"rows": [{"of": "layer:front", "value": "across", "keys": many}]}
    parsed = parse_shot(document)
    np.testing.assert_array_equal(values_at(parsed.rows[0], [0, 5, 9999]), [0, 5, 9999 % 7])
    document["rows"][0]["keys"].append({"frame": MOST_KEYS, "value": 0})
    with pytest.raises(ShotError, match="10,001 keys; 10,000 are the most"):
        parse_shot(document)
    with pytest.raises(EditError, match="5000 frames are too few for the 10000 keys"):
        do(parsed, "stretch_route", duration="5000")


# --- things of all kinds, and items of lists ---------------------------------------------------


def test_a_cameras_own_lens_has_keys_whatever_its_framings_say() -> None:
    shot = edits.apply(make_shot({"back": (64, 36)}), "set_own_lens", {"lens": 24})
    for frame, lens in ((0, 24), (20, 96)):
        shot = edits.apply(shot, "set_own_lens", {"lens": lens}, at=frame, auto_key=True)
    assert row_of(shot, "camera:a", "lens") is not None
    lenses = [state.lens for state in camera_states(shot, [0, 10, 20, 23])]
    # By equal ratios, as a lens travels: halfway the geometric mean; the ease is symmetrical.
    assert lenses == pytest.approx([24, 48, 96, 96])
    assert parse_shot(json.loads(json.dumps(dump_shot(shot)))) == shot
    two = edits.apply(shot, "add_camera", {})
    assert camera_states(edits.apply(two, "remove_camera", {}), [10])[0].lens == pytest.approx(48)
    free = edits.apply(shot, "set_own_lens", {"none": True})
    assert not free.rows and camera_states(free, [10])[0].lens == pytest.approx(35)
    with pytest.raises(EditError, match="Type the lens"):
        edits.apply(shot, "set_own_lens", {})


def test_a_colours_key_stays_with_it_whatever_the_order_of_the_stops() -> None:
    shot = edits.apply(make_shot({"back": (64, 36)}), "add_field", {"kind": "linear"})
    layer = shot.layers[-1]
    assert layer.field is not None
    assert [stop.id for stop in layer.field.stops] == ["1", "2"]
    values = [name for name in keyables_of(layer) if name.startswith("colour")]
    assert values == ["colour", "colour_2"]
    of = f"layer:{layer.id}"
    keyed = edits.apply(shot, "set_key", {"of": of, "value": "colour_2", "frame": 3})
    first, second = layer.field.stops
    turned = layer.field.evolve(stops=(second, first))
    keyed = keyed.evolve(layers=(*keyed.layers[:-1], layer.with_shows(field=turned)))
    painted = edits.apply(
        keyed, "set_field", {"layer": layer.id, "stop": 0, "colour": "#123456"}, at=3
    )
    row = row_of(painted, of, "colour_2")
    assert row is not None and row.keys[0].value == "#123456"
    more = edits.apply(painted, "set_field", {"layer": layer.id, "add": True})
    assert [stop.id for stop in more.layers[-1].field.stops] == ["2", "1", "3"]  # type: ignore[union-attr]
    with pytest.raises(ValueError, match="Two colours of a gradient have one id"):
        layer.field.evolve(stops=(first, first))


def test_a_drag_stretches_keys_away_from_the_end_that_stays() -> None:
    """As typed: the same ratio; and the answer says where the keys are now."""
    shot = make_shot({"front": (64, 36)})
    row = Row(
        of="layer:front",
        value="opacity",
        keys=tuple(Key(frame=n, value=n / 30) for n in (2, 5, 8, 20)),
    )
    shot = shot.evolve(rows=(row,))
    keys = [{"of": row.of, "value": row.value, "frame": n} for n in (2, 5, 8)]
    asked = json.dumps(keys)
    dragged = edits.apply(shot, "stretch_keys", {"keys": asked, "grip": 8, "by": 3})
    typed = edits.apply(shot, "stretch_keys", {"keys": asked, "about": 2, "percent": 150})
    assert dragged == typed and [key.frame for key in dragged.rows[0].keys] == [2, 7, 11, 20]
    assert [key["frame"] for key in keys_now(shot, dragged, asked)] == [2, 7, 11]
    first = edits.apply(shot, "stretch_keys", {"keys": asked, "grip": 2, "by": 2})
    assert [key.frame for key in first.rows[0].keys] == [4, 6, 8, 20]
    with pytest.raises(EditError, match="past each other"):
        edits.apply(shot, "stretch_keys", {"keys": asked, "grip": 8, "by": -6})
    with pytest.raises(EditError, match="nothing to stretch"):
        edits.apply(shot, "stretch_keys", {"keys": json.dumps(keys[:1]), "grip": 2, "by": 1})
