"""Whatever an edit makes of a document can be read back, up to every limit and past it."""

from __future__ import annotations

import inspect
import json
import typing
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
import pytest

from tests.conftest import make_shot
from tests.core.strangers import SEEDS
from vistaline.core import edits
from vistaline.core.errors import CoreError, EditError, ShotError
from vistaline.core.sheet import edits as sheet_edits
from vistaline.core.sheet.sheet import Sheet, dump_sheet, parse_sheet
from vistaline.core.sheet.verbs import VERBS
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot

NUMBERS = [0, 1, -1, 0.5, 2.0, 7, 23, 90, 100, 333.3, -45.5, 1e-9, 1e9, -1e9, float("nan"), 1e308]
WORDS = [
    "",
    "a",
    "hold",
    "spring(0.4)",
    "linear(0, 1)",
    "linear(0,,1)",
    "#203040",
    "ground",
    "x" * 200,
]
PICTURE = {"file": "more.png", "width": 800, "height": 450}
STROKE = {"points": [[10, 20], [90, 45]], "width": 30}


def kept(shot: Shot) -> Shot:
    """Return the shot as it is after a restart."""
    return parse_shot(json.loads(json.dumps(dump_shot(shot))))


def kept_sheet(sheet: Sheet) -> Sheet:
    return parse_sheet(json.loads(json.dumps(dump_sheet(sheet))))


def some_value(name: str, kind: Any, shot: Shot, rng: np.random.Generator) -> Any:
    """Return a value for an argument: mostly one that could be meant, at times one that cannot."""

    def one(choices: Any) -> Any:
        choices = list(choices)
        return choices[int(rng.integers(0, len(choices)))] if choices else ""

    ids = [layer.id for layer in shot.layers]
    things = [f"layer:{each}" for each in ids] + [f"mount:{mount.id}" for mount in shot.mounts]
    keys = [
        {"of": row.of, "value": row.value, "frame": key.frame}
        for row in shot.rows
        for key in row.keys
    ]
    named: dict[str, Callable[[], Any]] = {
        "layer": lambda: one(ids),
        "around": lambda: one(ids),
        "other": lambda: one(ids),
        "lead": lambda: one(ids),
        "rider": lambda: one([*things, "camera"]),
        "of": lambda: one([*things, *ids]),
        "mount": lambda: one([mount.id for mount in shot.mounts]),
        "layers": lambda: [one(ids) for _ in range(int(rng.integers(1, 4)))] if ids else [],
        "keys": lambda: [one(keys)] if keys else [],
        "value": lambda: one(["opacity", "across", "up", "pan", "roll", "scale", "size", "text"]),
        "camera": lambda: one([camera.id for camera in shot.cameras]),
        "corners": lambda: rng.uniform(0, 300, (4, 2)).tolist(),
        "face": lambda: one(["bebas", "playfair", "nonesuch"]),
        "move": lambda: one(["push", "truck", "pan", "arc", "dolly"]),
        "text": lambda: one(["Lamp", "two\nlines", "مرحبا", " "]),
        "framing": lambda: int(rng.integers(-1, len(shot.route.framings) + 1)),
        "duration": lambda: int(rng.integers(1, 60)),
        "percent": lambda: one([50, 80, 120, 200, 0, -3]),
        "pictures": lambda: {"more": PICTURE},
        "picture": lambda: PICTURE,
    }
    if name in named and rng.random() < 0.9:
        return named[name]()
    # Literals' words stand in the annotation's text, behind whatever name it has.
    choices = [each for part in (kind, *typing.get_args(kind)) for each in typing.get_args(part)]
    words = [each for each in choices if isinstance(each, str)]
    if words and rng.random() < 0.9:
        return one(words)
    if rng.random() < 0.5 and "frame" in name:
        return int(rng.integers(-2, shot.frame.duration + 2))
    return one(NUMBERS if rng.random() < 0.7 else WORDS)


def random_edit(shot: Shot, verb: str, rng: np.random.Generator) -> dict[str, Any]:
    function = inspect.unwrap(edits.VERBS[verb])
    hints = typing.get_type_hints(function, include_extras=False)
    arguments = {}
    for name, parameter in list(inspect.signature(function).parameters.items())[1:]:
        if parameter.default is inspect.Parameter.empty or rng.random() < 0.4:
            arguments[name] = some_value(name, hints[name], shot, rng)
    return arguments


@pytest.mark.parametrize("seed", range(6))
def test_any_edit_of_a_shot_can_be_read_back_or_is_refused(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shot = make_shot({"back": (1600, 900), "front": (1600, 900)})
    verbs = sorted(edits.VERBS)
    made = 0
    for _ in range(500):
        verb = verbs[int(rng.integers(0, len(verbs)))]
        arguments = random_edit(shot, verb, rng)
        at, auto_key = int(rng.integers(0, 24)), bool(rng.random() < 0.3)
        try:
            changed = edits.apply(shot, verb, arguments, at=at, auto_key=auto_key)
        except CoreError as error:
            assert len(str(error)) > 10
            continue
        assert kept(changed) == changed, (verb, arguments)
        made += 1
        if len(changed.layers) >= 2 and len(changed.layers) <= 14:
            shot = changed
    assert made > 40


@pytest.mark.parametrize("name", ["Nan", "Infinity", "1e999", "12"])
def test_a_name_may_read_like_a_number(name: str) -> None:
    shot = make_shot({"back": (1600, 900)})
    renamed = edits.apply(shot, "rename_shot", {"name": name})
    assert edits.apply(renamed, "add_title", {"text": name}).layers[-1].title.text == name  # type: ignore[union-attr]
    assert renamed.name == name
    for beyond in ("1e300", "nan", 1e300):
        with pytest.raises(EditError):
            edits.apply(shot, "move_layer", {"layer": "back", "across": beyond})


def filled(**changes: Any) -> Shot:
    shot = make_shot({"back": (1600, 900), "front": (1600, 900)}, frame={"duration": 5000})
    document = dump_shot(shot)
    return parse_shot(document | {key: value(document) for key, value in changes.items()})


def _framing(n: int) -> dict[str, Any]:
    return {"frame": 2 * n}


def _camera(framings: Iterable[dict[str, Any]]) -> dict[str, Any]:
    return {"route": {"framings": list(framings)}}


FULL: dict[str, tuple[Callable[[], Shot], str, dict[str, Any], str]] = {
    "layers": (
        lambda: filled(layers=lambda d: [d["layers"][0] | {"id": ""}] * 500),
        "add_field",
        {"kind": "flat"},
        "at most 500 layers",
    ),
    "mounts": (
        lambda: filled(mounts=lambda d: [{"id": f"m{n}", "name": "M"} for n in range(200)]),
        "add_mount",
        {},
        "at most 200 mounts",
    ),
    "framings": (
        lambda: filled(cameras=lambda d: [_camera(_framing(n) for n in range(2000))]),
        "add_framing",
        {"frame": 4999},
        "at most 2,000 framings",
    ),
    "cameras": (
        lambda: filled(
            cameras=lambda d: [{"id": f"c{n}", "name": "C"} for n in range(50)],
            directed=lambda d: "c0",
        ),
        "add_camera",
        {},
        "at most 50 cameras",
    ),
    "cuts": (
        lambda: filled(
            cameras=lambda d: [{}, {"id": "b", "name": "B"}],
            cuts=lambda d: [{"frame": n + 1, "camera": "ba"[n % 2]} for n in range(1000)],
        ),
        "cut_to",
        {"frame": 4000, "camera": "b"},
        "at most 1,000 cuts",
    ),
    "takes": (
        lambda: filled(takes=lambda d: [{"name": f"t{n}", "route": {}} for n in range(100)]),
        "keep_take",
        {"name": "one more"},
        "at most 100 takes",
    ),
    "frame styles": (
        lambda: filled(frame_styles=lambda d: {f"s{n}": {} for n in range(200)}),
        "keep_frame_style",
        {"name": "one more"},
        "at most 200 frame styles",
    ),
    "eases": (
        lambda: filled(
            eases=lambda d: {f"e{n}": "linear" for n in range(200)},
            cameras=lambda d: [_camera([_framing(0), _framing(9)])],
        ),
        "keep_ease",
        {"framing": 1, "name": "one more"},
        "at most 200 eases",
    ),
}


@pytest.mark.parametrize("what", FULL)
def test_a_limit_of_a_shot_is_told_before_it_is_passed(what: str) -> None:
    build, verb, arguments, words = FULL[what]
    shot = build()
    assert kept(shot) == shot
    with pytest.raises(EditError, match=words):
        edits.apply(shot, verb, arguments, at=4999)


def edited(sheet: Sheet, verb: str, **arguments: Any) -> Sheet:
    changed = sheet_edits.apply(sheet, verb, arguments)
    assert kept_sheet(changed) == changed
    return changed


def test_the_101st_step_and_the_501st_clone_are_refused() -> None:
    """They were kept, and could not be loaded again."""
    sheet = Sheet(size=(400, 300))
    for _ in range(100):
        sheet = edited(sheet, "add_step", kind="levels")
    with pytest.raises(EditError, match="at most 100 steps of preparing"):
        edited(sheet, "add_step", kind="levels")
    clone = {"stroke": STROKE, "offset": [30, 0]}
    sheet = edited(Sheet(size=(400, 300)), "use_plate", file="a.png")
    for _ in range(500):
        sheet = sheet_edits.apply(sheet, "clone_plate", {"clone": clone})
    with pytest.raises(EditError, match="at most 500 strokes of the clone brush"):
        sheet_edits.apply(sheet, "clone_plate", {"clone": clone})
    assert kept_sheet(sheet) == sheet


@pytest.mark.parametrize("seed", range(4))
def test_any_edit_of_a_sheet_can_be_read_back_or_is_refused(seed: int) -> None:
    rng = np.random.default_rng(seed)
    sheet = parse_sheet(json.loads(SEEDS["sheet"]()))
    verbs = VERBS.functions
    made = 0
    for _ in range(500):
        verb = sorted(verbs)[int(rng.integers(0, len(verbs)))]
        arguments = {
            name: sheet_value(name, sheet, rng)
            for name, parameter in list(inspect.signature(verbs[verb]).parameters.items())[1:]
            if parameter.default is inspect.Parameter.empty or rng.random() < 0.4
        }
        try:
            changed = sheet_edits.apply(sheet, verb, arguments)
        except CoreError:
            continue
        assert kept_sheet(changed) == changed, (verb, arguments)
        sheet, made = changed, made + 1
    assert made > 80


def sheet_value(name: str, sheet: Sheet, rng: np.random.Generator) -> Any:
    def one(*choices: Any) -> Any:
        return choices[int(rng.integers(0, len(choices)))]

    point = rng.uniform(-10, 400, 2).tolist()
    named: dict[str, Callable[[], Any]] = {
        "cutout": lambda: one("c9", *(cutout.id for cutout in sheet.cutset.cutouts)),
        "behind": lambda: one("", "c9", *(cutout.id for cutout in sheet.cutset.cutouts)),
        "kind": lambda: one("crop", "turn", "levels", "repair", "straighten", "nonesuch"),
        "index": lambda: int(rng.integers(-1, 6)),
        "to": lambda: int(rng.integers(-1, 9)),
        "stroke": lambda: one(STROKE, {"points": []}, STROKE | {"width": 1e9}),
        "clone": lambda: {"stroke": STROKE, "offset": point},
        "values": lambda: one({"box": [0, 0, 0.5, 1]}, {"degrees": 12}, {"on": False}, {"box": []}),
        "steps": lambda: one([{"kind": "turn"}], [], [{"kind": "crop", "box": [0, 0, 1, 0.3]}]),
        "step": lambda: one(
            {"kind": "likeness", "at": point},
            {"kind": "plane", "corners": rng.uniform(0, 300, (4, 2)).tolist()},
            {"kind": "outline", "points": [{"at": rng.uniform(0, 300, 2).tolist()}] * 5},
        ),
        "line": lambda: rng.uniform(0, 300, 4).tolist(),
        "box": lambda: rng.uniform(0, 300, 4).tolist(),
        "ratio": lambda: one("16:9", "1:1", "7:1"),
        "effect": lambda: one("add", "take", "keep"),
        "over": lambda: one("brush", "protect"),
        "says": lambda: one("this", "not_this"),
        "file": lambda: one("a.png", "x" * 300),
        "map": lambda: one("m", "x" * 300),
    }  # fmt: skip
    return named[name]() if name in named and rng.random() < 0.95 else one(*NUMBERS, *WORDS, True)


@pytest.mark.parametrize(
    "ease", [[1, 2, 3], [None] * 4, {}, 7, ["a", 0, 1, 1], "linear(0,,1)", [[], 0, 0, 0], True]
)
def test_an_ease_that_is_none_is_refused(ease: Any) -> None:
    document = dump_shot(make_shot({"back": (1600, 900)}))
    document["cameras"][0]["route"]["framings"][1]["ease"] = ease
    with pytest.raises(ShotError, match="ease"):
        parse_shot(document)
