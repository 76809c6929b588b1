"""A shot as glTF: by the Khronos validator, trimesh, and OpenCV's camera."""

from __future__ import annotations

import json
import struct
import subprocess
from itertools import pairwise
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation

from tests.conftest import make_shot, pyramid_of
from tests.core.test_formats import run
from vistaline.core.edits import apply
from vistaline.core.formats.handing import scene_glb
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate

VALIDATE = Path(__file__).parents[1] / "scripts" / "validate.js"
GREY = np.full((90, 160, 4), 40_000, np.uint16)


def moving() -> Shot:
    """Two layers, one of which turns and grows; a camera that pans and comes near; lamps."""
    shot = make_shot({"far": (640, 360), "near": (320, 200)}, frame={"duration": 24})
    first, last = shot.route.framings[0], shot.route.framings[-1]
    route = shot.route.evolve(
        framings=(
            first.evolve(pan=4.0, lens=35.0),
            last.evolve(frame=23, position=(0.4, 0.1, -0.5), pan=-170.0, roll=9.0),
        )
    )
    shot = shot.with_camera(route=route)
    near = shot.layers[-1].id
    for frame, values in ((0, {"pan": 0, "scale": 100}), (23, {"pan": 80, "scale": 180})):
        for value, to in values.items():
            row = {"of": f"layer:{near}", "value": value}
            shot = apply(shot, "set_key", row | {"frame": str(frame)})
            keys = json.dumps([row | {"frame": frame}])
            shot = apply(shot, "value_keys", {"keys": keys, "to": str(to)})
    lamps = [
        {"id": kind, "name": kind, "kind": kind, "position": [1.0, 2.0, -1.0], "pan": 20.0}
        for kind in ("point", "spot", "parallel", "ambient")
    ]
    return parse_shot(dump_shot(shot) | {"lamps": lamps})


def handed(shot: Shot, folder: Path) -> Path:
    pyramid = pyramid_of(GREY)
    path = folder / "scene.glb"
    path.write_bytes(scene_glb(shot, Looks(shot, None, lambda _: pyramid)))  # type: ignore[arg-type]
    return path


def document(path: Path) -> tuple[dict[str, Any], bytes]:
    """The JSON of a file, and its numbers: two chunks (glTF 2.0, 4.4)."""
    data = path.read_bytes()
    magic, version, length = struct.unpack_from("<4sII", data)
    assert (magic, version, length) == (b"glTF", 2, len(data))
    (size,) = struct.unpack_from("<I", data, 12)
    return json.loads(data[20 : 20 + size]), data[20 + size + 8 :]


def numbers(told: dict[str, Any], binary: bytes, accessor: int) -> np.ndarray:
    about = told["accessors"][accessor]
    view = told["bufferViews"][about["bufferView"]]
    width = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[about["type"]]
    found = np.frombuffer(binary, "<f4", about["count"] * width, view["byteOffset"])
    return found.reshape(-1, width).astype(float)


def validated(path: Path) -> dict[str, Any]:
    done = subprocess.run(["node", str(VALIDATE), str(path)], capture_output=True, check=True)
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def test_the_validator_finds_no_error_and_no_warning(tmp_path: Path) -> None:
    report = validated(handed(moving(), tmp_path))
    assert [each for each in report["messages"] if each["severity"] < 2] == []
    assert report["animationCount"] == 1 and report["materialCount"] == 2
    assert {*report["extensionsUsed"]} == {"KHR_lights_punctual", "KHR_materials_unlit"}


def test_all_stands_and_moves_as_on_the_stage(tmp_path: Path) -> None:
    """Every frame's matrices from the file's own numbers against ``evaluate``: 1e-5."""
    shot = moving()
    told, binary = document(handed(shot, tmp_path))
    (animation,) = told["animations"]
    names = {node["name"]: n for n, node in enumerate(told["nodes"])}
    states = evaluate(shot, range(shot.frame.duration))

    def values(node: int, path: str, n: int) -> np.ndarray:
        for channel in animation["channels"]:
            if channel["target"] == {"node": node, "path": path}:
                sampler = animation["samplers"][channel["sampler"]]
                seconds = numbers(told, binary, sampler["input"]).ravel()
                np.testing.assert_allclose(seconds, np.arange(24) / 24, atol=1e-6)
                found: np.ndarray = numbers(told, binary, sampler["output"])[n]
                return found
        usual = {"translation": [0, 0, 0], "rotation": [0, 0, 0, 1], "scale": [1, 1, 1]}
        return np.array(told["nodes"][node].get(path, usual[path]), float)

    def matrix(name: str, n: int) -> np.ndarray:
        out = np.eye(4)
        turn = Rotation.from_quat(values(names[name], "rotation", n)).as_matrix()
        out[:3, :3] = turn * values(names[name], "scale", n)
        out[:3, 3] = values(names[name], "translation", n)
        return out

    for n in (0, 9, 23):
        state = states[n]
        camera = matrix(shot.camera.name, n)
        np.testing.assert_allclose(camera, state.camera.world_from_camera, atol=1e-5)
        for card, first in zip(state.cards, states[0].cards, strict=True):
            grown = np.diag([card.width / first.width, card.height / first.height,
                             card.width / first.width, 1])  # fmt: skip
            own = card.world_from_card @ grown
            np.testing.assert_allclose(matrix(card.layer.name, n), own, atol=1e-5)
        for light in state.lamps:
            if light.lamp.id != "ambient":
                pose = matrix(light.lamp.name, n)
                np.testing.assert_allclose(-pose[:3, 2], light.way, atol=1e-5)
    # Turning by more than half a turn goes the way it goes here, not the short way.
    turns = [values(names[shot.camera.name], "rotation", n) for n in range(24)]
    assert min(a @ b for a, b in pairwise(turns)) > 0
    assert any("ambient" in words for words in told["scenes"][0]["extras"]["left_out"])


def test_a_lamp_that_is_off_has_no_strength(tmp_path: Path) -> None:
    """KHR_lights_punctual: intensity, and nothing that switches a light off."""
    document_of = dump_shot(moving())
    document_of["lamps"][0]["on"] = False
    told, _ = document(handed(parse_shot(document_of), tmp_path))
    lights = told["extensions"]["KHR_lights_punctual"]["lights"]
    assert [light["name"] for light in lights if light["intensity"] == 0] == ["point"]


def test_its_camera_sees_its_meshes_where_ours_sees_the_layers(tmp_path: Path) -> None:
    """trimesh's own reading of the file, seen by OpenCV through the file's lens."""
    shot = moving()
    path = handed(shot, tmp_path)
    told, _ = document(path)
    scene = trimesh.load(path)
    state = evaluate(shot, [0])[0]
    (lens,) = [each["perspective"] for each in told["cameras"]]
    width, height = shot.frame.size
    focal = height / 2 / np.tan(lens["yfov"] / 2)
    assert lens["aspectRatio"] == pytest.approx(width / height)
    matrix = np.array([[focal, 0, width / 2], [0, focal, height / 2], [0, 0, 1]])
    pose, _ = scene.graph.get(shot.camera.name)
    cv_from_world = np.diag([1, -1, -1, 1]) @ np.linalg.inv(pose)
    for card in state.cards:
        place, geometry = scene.graph.get(card.layer.name)
        mesh = scene.geometry[geometry]
        corners = trimesh.transform_points(mesh.vertices, place)
        vector = cv2.Rodrigues(cv_from_world[:3, :3])[0]
        seen, _ = cv2.projectPoints(corners, vector, cv_from_world[:3, 3], matrix, np.zeros(5))
        # trimesh turns v upwards, as OpenGL has it.
        unit = np.column_stack([mesh.visual.uv[:, 0], 1 - mesh.visual.uv[:, 1], np.ones(4)])
        own = unit @ card.image_from_unit(state.camera).T
        np.testing.assert_allclose(seen.reshape(-1, 2), own[:, :2] / own[:, 2:], atol=0.01)
        normal = np.cross(*(corners[mesh.faces[0]][1:] - corners[mesh.faces[0]][0]))
        assert normal @ card.world_from_card[:3, 2] > 0  # its front faces who looks at it


def test_the_command_line_hands_over(shot_file: Path) -> None:
    folder = shot_file.parent
    run("scene", shot_file, "-o", "scene.glb", folder=folder)
    assert not [m for m in validated(folder / "scene.glb")["messages"] if m["severity"] < 2]
    wrong = run("scene", shot_file, "-o", "scene.fbx", folder=folder, fails=True)
    assert "end its name with .glb" in wrong.stderr
