"""The shot model: what is accepted, what is refused, and in which words."""

import json
from typing import Any

import jsonschema
import pytest

from tests.conftest import make_shot
from vistaline.core.errors import ShotError
from vistaline.core.shot.document import dump_shot, parse_shot, shot_schema
from vistaline.core.shot.shot import Shot

A: dict[str, Any] = {"name": "A", "shows": {"kind": "picture", "picture": "a"}}
DOCUMENT: dict[str, Any] = {
    "vistaline": 2,
    "frame": {"duration": 24},
    "pictures": {"a": {"file": "a.png"}},
    "layers": [A],
}


def _routed(*framings: dict[str, Any]) -> dict[str, Any]:
    return {"cameras": [{"route": {"framings": list(framings)}}]}


@pytest.mark.parametrize(
    ("change", "field", "sentence"),
    [
        ({"vistaline": 99}, "vistaline", "version 99; this Vistaline reads up to version 2"),
        ({"frame": {"duration": 0}}, "frame.duration", "must be greater than or equal to 1"),
        ({"frame": {}}, "frame.duration", "is missing"),
        ({"frame": {"duration": 9, "width": 101}}, "frame.width", "must be a multiple of 2"),
        ({"frame": {"duration": 9, "rate": "soon"}}, "frame.rate", "frame rate must be"),
        (
            {"layers": [A | {"distance": -2}]},
            "layers.0.distance",
            "must be greater than 0; got -2",
        ),
        (
            {"layers": [A | {"opactiy": 1}]},
            "layers.0.opactiy",
            "Did you mean 'opacity'",
        ),
        (
            {"layers": [A | {"shows": {"kind": "picture", "picture": "b"}}]},
            "layers.0.shows.picture",
            "not in the shot",
        ),
        (
            {"layers": [A | {"shows": {"kind": "picture", "picture": "a", "crop": {"zom": 2}}}]},
            "layers.0.shows.crop.zom",
            "Did you mean 'zoom'",
        ),
        (
            {"layers": [A | {"stands": {"kind": "card", "width": -1}}]},
            "layers.0.stands.width",
            "must be greater than 0",
        ),
        ({"layers": [A | {"stands": {"kind": "card"}}]}, "layers.0.stands.width", "give its width"),
        ({"layers": [A | {"stands": {"kind": "crad"}}]}, "layers.0.stands", "'card'"),
        ({"layers": [A | {"stands": {"kind": "backdrop"}}]}, "layers.0.stands", "only a colour"),
        ({"directed": "b"}, "directed", "which the shot does not have"),
        (
            {"layers": [A | {"id": "x"}] * 2},
            "layers.1.id",
            "Two layers have the id 'x'",
        ),
        ({"taking_camera": {"focal_length": 0}}, "taking_camera.focal_length", "greater than 0"),
        (
            _routed({"frame": 0, "lens": 0}),
            "cameras.0.route.framings.0.lens",
            "must be greater than 0",
        ),
        (
            _routed({"frame": 5}, {"frame": 5}),
            "cameras.0.route.framings.1.frame",
            "Framing 2 is at frame 5, not after framing 1",
        ),
        (_routed({"frame": 24}), "cameras.0.route.framings.0.frame", "ends with frame 23"),
        (
            _routed({"frame": 0, "ease": [2, 0, 1, 1]}),
            "cameras.0.route.framings.0.ease",
            "between 0 and 1 in time",
        ),
        ({"frme": 1}, "frme", "Did you mean 'frame'"),
    ],
)
def test_refusals_name_the_field(change: dict[str, Any], field: str, sentence: str) -> None:
    with pytest.raises(ShotError) as refusal:
        parse_shot(DOCUMENT | change)
    assert sentence in str(refusal.value)
    assert refusal.value.field == field
    assert str(refusal.value).count("\n") == 0


@pytest.mark.parametrize("document", [None, [], {}, {"frame": {}}])
def test_what_is_not_a_shot_file_is_told_apart(document: Any) -> None:
    with pytest.raises(ShotError, match="not a shot file"):
        parse_shot(document)


def test_a_shot_survives_its_document(shot: Shot) -> None:
    document = json.loads(json.dumps(dump_shot(shot)))
    assert parse_shot(document) == shot
    jsonschema.Draft202012Validator(shot_schema()).validate(document)


def test_the_schema_refuses_what_the_model_refuses() -> None:
    validator = jsonschema.Draft202012Validator(shot_schema())
    jsonschema.Draft202012Validator.check_schema(shot_schema())
    assert validator.is_valid(DOCUMENT)
    for change in ({"frme": 1}, {"frame": {"duration": 0}}, {"vistaline": 1}):
        assert not validator.is_valid(DOCUMENT | change)


def test_layers_get_ids_of_their_own() -> None:
    shot = make_shot({"a": (64, 64)}, layers=[{"name": "Old  Pier!", "picture": "a"}] * 2)
    assert [layer.id for layer in shot.layers] == ["old-pier", "old-pier-2"]


def test_completion_covers_the_frame_from_the_farthest_picture() -> None:
    shot = make_shot({"wide": (4000, 1000), "cut": (400, 300)})
    assert shot.taking_camera.canvas == (4000, 1000)
    assert shot.layers[1].box == (1800, 350, 400, 300)
