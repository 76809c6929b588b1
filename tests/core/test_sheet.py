"""The sheet's edits: cutouts, masks, plates, and staying put when the picture is reshaped."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from vistaline.core.errors import EditError
from vistaline.core.prepare.steps import geometry
from vistaline.core.separate.cutset import CutSet, Guess, Likeness, Outline, Paint, Plane
from vistaline.core.separate.masks import mask_of, masks_of
from vistaline.core.sheet.edits import apply, label
from vistaline.core.sheet.sheet import Sheet, dump_sheet, parse_sheet

SIZE = (400, 300)
STROKE = {"points": [[120, 90], [180, 140]], "width": 24, "softness": 0.4}


def edited(sheet: Sheet, *edits: tuple[str, dict[str, Any]]) -> Sheet:
    for verb, values in edits:
        plain = {
            key: value if isinstance(value, str | int | float | bool) else json.dumps(value)
            for key, value in values.items()
        }
        sheet = apply(sheet, verb, plain)
    return sheet


@pytest.fixture
def cut() -> Sheet:
    """Two cutouts; the nearer holds a step of every kind."""
    outline = {"kind": "outline", "points": [
        {"at": [100, 80]}, {"at": [200, 80], "after": [30, 20]},
        {"at": [200, 180], "before": [30, -20]}, {"at": [100, 180]},
    ]}  # fmt: skip
    plane = {"kind": "plane", "corners": [[220, 60], [300, 80], [290, 150], [230, 140]]}
    return edited(
        Sheet(size=SIZE),
        ("add_cutout", {"name": "Hill"}),
        ("add_cutout", {"name": "Keeper"}),
        ("add_mask_step", {"cutout": "c2", "step": outline}),
        ("add_mask_step", {"cutout": "c2", "step": {"kind": "likeness", "at": [50, 60]}}),
        ("paint_mask", {"cutout": "c2", "stroke": STROKE}),
        ("add_mask_step", {"cutout": "c2", "step": plane}),
        ("guess_mask", {"cutout": "c2", "stroke": STROKE}),
        ("guess_mask", {"cutout": "c2", "box": [40, 30, 100, 120]}),
        ("brush_hair", {"cutout": "c2", "stroke": STROKE}),
    )


def test_what_is_kept_is_what_there_was(cut: Sheet) -> None:
    assert parse_sheet(json.loads(json.dumps(dump_sheet(cut)))) == cut
    assert [cutout.name for cutout in cut.cutset.cutouts] == ["Keeper", "Hill"]


def test_a_part_is_cut_right_before_its_whole_and_takes_nothing_from_it(cut: Sheet) -> None:
    """The whole's mask is what it was, and the part goes alone when it is removed."""
    square = {
        "kind": "outline",
        "points": [{"at": at} for at in ([120, 90], [160, 90], [140, 150])],
    }
    parted = edited(
        cut,
        ("cut_part", {"cutout": "c1", "name": "Crown"}),
        ("add_mask_step", {"cutout": "c3", "step": square}),
        ("add_mask_step", {"cutout": "c1", "step": square}),
    )
    assert [each.name for each in parted.cutset.cutouts] == ["Keeper", "Crown", "Hill"]
    assert parted.cutout("c3").part_of == "c1"
    picture = np.zeros((300, 400, 3), np.uint8)
    alone = CutSet(cutouts=parted.cutset.cutouts[1:])
    part, whole = masks_of(alone, picture)
    np.testing.assert_array_equal(whole, mask_of(parted.cutout("c1"), picture))
    assert (part <= whole).all() and part.max() == 255
    with pytest.raises(EditError, match="no such cutout"):
        apply(parted, "cut_part", {"cutout": "c9"})


def test_strokes_of_one_kind_are_one_step(cut: Sheet) -> None:
    plain = edited(Sheet(size=SIZE), ("add_cutout", {}))
    for effect in ("add", "add", "take", "add"):
        plain = edited(plain, ("paint_mask", {"cutout": "c1", "stroke": STROKE, "effect": effect}))
    steps = plain.cutout("c1").steps
    assert [(step.effect, len(step.strokes)) for step in steps] == [  # type: ignore[union-attr]
        ("add", 2), ("take", 1), ("add", 1),
    ]  # fmt: skip
    guess = cut.cutout("c2").steps[-1]
    assert isinstance(guess, Guess) and len(guess.this) == 1 and guess.box == (40, 30, 100, 120)


@pytest.mark.parametrize(
    "steps",
    [
        [{"kind": "crop", "box": [0.1, 0.1, 0.8, 0.8]}],
        [{"kind": "turn", "quarters": 1}, {"kind": "flip", "over": "across"}],
        [{"kind": "straighten", "degrees": 6}, {"kind": "enlarge", "factor": 2.0}],
        [{"kind": "levels", "black": 0.2}],
    ],
)
def test_cutouts_go_where_the_picture_goes(cut: Sheet, steps: list[dict]) -> None:
    """Every point of every kind of step is carried by the geometry; back again is exact."""
    changed = edited(cut, ("set_steps", {"steps": steps}))
    matrix = geometry(SIZE, changed.prepare)[-1][0]

    def carried(point: Any) -> Any:
        return pytest.approx(tuple((matrix @ [*point, 1])[:2]))

    before, after = cut.cutout("c2"), changed.cutout("c2")
    for old, new in zip(before.steps, after.steps, strict=True):
        if isinstance(old, Outline) and isinstance(new, Outline):
            for one, other in zip(old.points, new.points, strict=True):
                assert other.at == carried(one.at)
                if one.after:
                    ends = np.add(one.at, one.after), np.add(other.at, other.after)  # type: ignore[arg-type]
                    assert tuple(ends[1]) == carried(ends[0])
        elif isinstance(old, Likeness) and isinstance(new, Likeness):
            assert new.at == carried(old.at)
        elif isinstance(old, Paint) and isinstance(new, Paint):
            assert new.strokes[0].points[1] == carried(old.strokes[0].points[1])
            scale = abs(np.linalg.det(matrix[:2, :2])) ** 0.5
            assert new.strokes[0].width == pytest.approx(24 * scale)
        elif isinstance(old, Plane) and isinstance(new, Plane):
            assert [carried(corner) for corner in old.corners] == list(new.corners)
        elif isinstance(old, Guess) and isinstance(new, Guess):
            assert new.box and old.box
            x, y, w, h = new.box
            inside = [(matrix @ [old.box[0] + dx * old.box[2], old.box[1] + dy * old.box[3], 1])[:2]
                      for dx in (0, 1) for dy in (0, 1)]  # fmt: skip
            np.testing.assert_allclose(np.min(inside, axis=0), (x, y), atol=1e-6)
            np.testing.assert_allclose(np.max(inside, axis=0), (x + w, y + h), atol=1e-6)
    back = edited(changed, ("set_steps", {"steps": []}))
    for old, new in zip(before.hair, back.cutout("c2").hair, strict=True):
        np.testing.assert_allclose(old.points, new.points, atol=1e-6)


def test_repairs_stay_on_the_scratch() -> None:
    sheet = edited(
        Sheet(size=SIZE),
        ("add_step", {"kind": "crop"}),
        ("add_step", {"kind": "repair"}),
        ("set_step", {"index": 0, "values": {"box": [0.5, 0, 0.5, 1]}}),
        ("brush_repair", {"index": 1, "stroke": {"points": [[10, 20]]}}),
    )
    repair = sheet.prepare[1]
    assert repair.brush[0].points == ((210, 20),)  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("line", "degrees"),
    [((0, 0, 100, 0), 0), ((0, 0, 100, 10), -5.711), ((0, 10, 100, 0), 5.711),
     ((0, 0, 0, 100), 0), ((0, 0, 10, 100), 5.711)],
)  # fmt: skip
def test_a_line_becomes_level_or_upright(line: tuple, degrees: float) -> None:
    sheet = edited(Sheet(size=SIZE), ("add_step", {"kind": "straighten"}),
                   ("level_by_line", {"index": 0, "line": line}))  # fmt: skip
    assert sheet.prepare[0].degrees == pytest.approx(degrees)  # type: ignore[union-attr]
    matrix = geometry(SIZE, sheet.prepare)[-1][0]
    dx, dy = matrix[:2, :2] @ np.subtract(line[2:], line[:2])
    assert min(abs(dx), abs(dy)) < 0.01


@pytest.mark.parametrize("ratio", ["16:9", "1:1", "9:16"])
def test_a_crop_takes_a_shape_after_what_came_before(ratio: str) -> None:
    """Of a picture turned upright; the result has the shape to within a pixel."""
    sheet = edited(Sheet(size=SIZE), ("add_step", {"kind": "turn"}), ("add_step", {"kind": "crop"}),
                   ("crop_to_shape", {"index": 1, "ratio": ratio}))  # fmt: skip
    width, height = sheet.prepared_size
    across, down = (int(side) for side in ratio.split(":"))
    assert width == pytest.approx(height * across / down, abs=1)
    assert width == 300 or height == 400
    with pytest.raises(EditError, match="one of these shapes"):
        edited(sheet, ("crop_to_shape", {"index": 1, "ratio": "7:1"}))


def test_cutouts_are_put_in_order_and_removed(cut: Sheet) -> None:
    moved = edited(cut, ("move_cutout", {"cutout": "c2", "to": 9}))
    assert [cutout.id for cutout in moved.cutset.cutouts] == ["c1", "c2"]
    used = edited(moved, ("use_plate", {"file": "a.png", "behind": "c1"}),
                  ("use_plate", {"file": "b.png"}))  # fmt: skip
    assert {plate.behind for plate in used.plates} == {"c1", ""}
    left = edited(used, ("remove_cutout", {"cutout": "c1"}))
    assert {plate.behind for plate in left.plates} == {""}
    assert label("remove_cutout") == "remove cutout"


def test_clones_are_of_the_fill_in_use(cut: Sheet) -> None:
    clone = {"stroke": STROKE, "offset": [30, 0]}
    with pytest.raises(EditError, match="Choose a fill first"):
        edited(cut, ("clone_plate", {"clone": clone}))
    used = edited(cut, ("use_plate", {"file": "a.png"}), ("clone_plate", {"clone": clone}))
    assert len(used.plate("").clones) == 1  # type: ignore[union-attr]
    # Another fill starts without them; they belong to what they were painted on.
    assert edited(used, ("use_plate", {"file": "b.png"})).plate("").clones == ()  # type: ignore[union-attr]
    assert edited(used, ("drop_plate", {})).plate("") is None


def test_slices_share_what_overlaps_and_leave_nothing_out() -> None:
    depth = np.tile(np.linspace(0, 1, 400, dtype=np.float32), (300, 1))
    sheet = edited(Sheet(size=SIZE), ("slice_by_depth", {"map": "m", "count": 5, "overlap": 0.1}))
    picture = np.zeros((300, 400, 3), np.uint8)
    masks = [mask_of(cutout, picture, {"m": depth}) for cutout in sheet.cutset.cutouts]
    assert len(masks) == 4  # the farthest band is the plate
    together = np.maximum.reduce(masks)[0]
    assert together[: int(400 * 0.75)].min() >= 127
    assert masks[0][0, 0] == 255 and masks[0][0, 200] == 0 and masks[3][0, 399] == 0


def test_no_more_cutouts_than_can_be_worked_with() -> None:
    sheet = Sheet(size=SIZE)
    with pytest.raises(EditError, match="at most 60 cutouts"):
        for _ in range(70):
            sheet = edited(sheet, ("add_cutout", {}))
