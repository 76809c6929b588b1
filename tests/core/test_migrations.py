"""Shot files of older versions: read as what they meant when they were written."""

from __future__ import annotations

import copy
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.migrations import migrated
from vistaline.core.stage.poses import layer_pose, own_size

OLD = sorted((Path(__file__).parents[1] / "reference" / "shots-1").glob("*.json"))
"""The demo's nine shots as version 1 wrote them, on 2026-11-27."""


@pytest.mark.parametrize("path", OLD, ids=lambda path: path.stem)
def test_a_demo_shot_of_version_1_is_read_as_it_was(path: Path) -> None:
    document = json.loads(path.read_text())
    _agree(document)


def test_a_thousand_random_shots_of_version_1_are_read_as_they_were() -> None:
    rng = np.random.default_rng(14)
    for _ in range(1000):
        _agree(_random(rng))


def test_what_is_wrong_in_an_old_file_is_told_by_a_sentence() -> None:
    document = _random(np.random.default_rng(3))
    document["layers"] = [{"name": "A", "picture": "p0", "title": {"text": "Two"}}]
    with pytest.raises(Exception, match="Layer 'A': shows is missing"):
        parse_shot(document)


def _agree(document: dict[str, Any]) -> None:
    """Whether a document of version 1 is read as that version read it: by its own fields."""
    before = copy.deepcopy(document)
    shot = parse_shot(document)
    assert document == before, "what was read is left as it was"
    again = parse_shot(json.loads(json.dumps(dump_shot(shot))))
    assert again == shot and dump_shot(again)["vistaline"] == 2
    assert migrated(dump_shot(shot)) == dump_shot(shot)
    route = document.get("route", {"framings": [{"frame": 0}]})
    cameras = {document.get("camera", "a"): route}
    cameras |= {each["id"]: each.get("route", {}) for each in document.get("cameras", ())}
    assert shot.directed == document.get("camera", "a")
    assert {each.id for each in shot.cameras} == set(cameras)
    for each in shot.cameras:
        asked = cameras[each.id].get("framings", [{"frame": 0}])
        assert [framing.frame for framing in each.route.framings] == [f["frame"] for f in asked]
    assert len(shot.rows) == len(document.get("rows", ()))
    for was, layer in zip(document["layers"], shot.layers, strict=True):
        drawn = was.get("title") or was.get("field") or was.get("occluder")
        assert layer.name == was["name"] and layer.picture == was.get("picture", "")
        assert layer.box == (tuple(was["box"]) if was.get("box") else None)
        assert layer.is_backdrop == bool((was.get("field") or {}).get("backdrop"))
        assert (layer.body or "") == was.get("body", "")
        assert layer.projection == (tuple(was["projection"]) if was.get("projection") else None)
        if not layer.is_backdrop:
            assert layer.stays == was.get("stays", "stage")
        if was.get("picture"):
            assert (layer.crop is None) == (was.get("crop") is None)
        for name in ("distance", "across", "up", "scale", "opacity", "pan", "tilt", "roll"):
            if name in was:
                assert getattr(layer, name) == was[name]
        if layer.is_backdrop or not (shot.taking_camera.focal_length and shot.taking_camera.width):
            continue
        if layer.box is None and (drawn or was.get("width")):
            # Version 1 had a card's size from what is drawn, or from its own width and height.
            size = own_size(shot, layer)
            if not drawn:
                assert size[0] == was["width"]
                assert was.get("height") is None or size[1] == was["height"]
            pose, width, height = layer_pose(shot, layer)
            assert np.isfinite(pose).all() and width > 0 and height > 0


def _random(rng: np.random.Generator) -> dict[str, Any]:
    """Return a valid document of version 1: all kinds of layers, cameras, cuts, takes and keys."""
    pictures = {f"p{n}": {"file": f"p{n}.png", "width": 640, "height": 360} for n in range(3)}
    layers = [_layer(rng, n) for n in range(int(rng.integers(1, 8)))]
    duration = int(rng.integers(2, 200))
    document: dict[str, Any] = {
        "vistaline": 1,
        "frame": {"width": 640, "height": 360, "duration": duration},
        "pictures": pictures,
        "frame_styles": {"s": {"border": 0.1, "shadow": {}}},
        "mounts": [{"id": "m", "name": "M", "position": [0, 1, 0]}],
        "layers": layers,
        "taking_camera": {"width": 640, "height": 360, "focal_length": 35},
    }
    if rng.random() < 0.8:
        document["route"] = {"framings": [{"frame": 0}, {"frame": duration - 1, "lens": 50}]}
    if rng.random() < 0.4:
        document |= {"camera": "b", "camera_name": "Close", "cameras": [{"id": "a", "name": "A"}]}
        document["cuts"] = [{"frame": 1, "camera": "b"}]
        document["takes"] = [{"name": "t", "route": {"framings": [{"frame": 0}]}}]
    lit = next((layer for layer in layers if layer.get("field")), None)
    row = {"of": f"layer:{layers[0]['id']}", "value": "opacity", "keys": [{"frame": 0, "value": 1}]}
    document["rows"] = [row] if rng.random() < 0.5 else []
    if lit and rng.random() < 0.5:
        colour = {"frame": 1, "value": "#aabbcc"}
        document["rows"].append({"of": f"layer:{lit['id']}", "value": "colour", "keys": [colour]})
    return document


def _layer(rng: np.random.Generator, n: int) -> dict[str, Any]:
    kind = str(rng.choice(["seen", "whole", "card", "plane", "body", "title", "field", "occluder"]))
    layer: dict[str, Any] = {
        "id": f"l{n}",
        "name": f"L{n}",
        "distance": float(rng.uniform(0.5, 9)),
        "across": float(rng.normal()),
        "pan": float(rng.uniform(-60, 60)),
    }
    box = [float(value) for value in rng.uniform(1, 200, 4)]
    if kind in ("seen", "whole", "card", "plane", "body"):
        layer["picture"] = f"p{rng.integers(3)}"
    layer |= {
        "seen": {"box": box},
        "whole": {},
        "card": {"width": 1.5, "height": 0.7} if rng.random() < 0.5 else {"width": 1.5},
        "plane": {"projection": box, "width": 2.0, "height": 1.0},
        "body": {"projection": box, "width": 2.0, "height": 1.0, "depth": 0.5, "body": "ball"},
        "title": {"title": {"text": "Lamp"}},
        "field": {"field": {"kind": "linear", "stops": [{"at": 0, "colour": "#112233"}] * 2}},
        "occluder": {"occluder": {"kind": "window"}},
    }[kind]
    if kind in ("title", "occluder") and rng.random() < 0.3:
        layer["box"] = box
    if kind == "field" and rng.random() < 0.4:
        layer["field"]["backdrop"] = True
    if rng.random() < 0.3:
        layer["crop"] = {"zoom": 2.0}
    if rng.random() < 0.3:
        layer["stays"] = str(rng.choice(["lens", "facing"]))
    if rng.random() < 0.3:
        layer |= {"frame_style": "s", "ride": {"on": "m"}}
    if rng.random() < 0.2:
        layer |= {"width": 3.0} if kind == "seen" else {}
    return layer
