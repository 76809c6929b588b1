"""Cameras from glTF files: our own, and what others write, by the specification."""

import base64
import json
import math
import struct
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import make_shot
from tests.core.test_delivery import looks
from vistaline.core import edits
from vistaline.core.edits.brought import cameras_along, framings_along
from vistaline.core.errors import ShotError
from vistaline.core.formats.gltf_in import read_cameras
from vistaline.core.formats.handing import scene_glb
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states


def brought(shot: Shot, path: Path) -> Shot:
    tracks = read_cameras(path, path.name, float(shot.frame.rate), shot.duration)
    cameras = cameras_along((track.named_path for track in tracks), shot.frame.size)
    return edits.apply(shot, "bring_cameras", {"cameras": cameras})


def test_a_camera_comes_back_as_it_was_handed_over(tmp_path: Path) -> None:
    """Its path, turns and lens in every frame, to a millimetre and a fiftieth of a degree."""
    shot = make_shot({"back": (1600, 900)})
    first, last = shot.route.framings
    route = shot.route.evolve(
        framings=(
            first.evolve(lens=35),
            last.evolve(frame=15, lens=70, pan=-20, tilt=8, roll=3, ease="ease-in-out", hold=3),
            last.evolve(frame=23, position=(0.4, 0.1, -0.6), pan=190, ease="ease-in"),
        )
    )
    shot = shot.evolve(cameras=(shot.camera.evolve(route=route),))
    path = tmp_path / "scene.glb"
    path.write_bytes(scene_glb(shot, looks(shot)))
    found = brought(shot, path)
    assert found.directed == "b" and len(found.cameras) == 2
    assert len(found.camera.route.framings) < 24
    frames = np.arange(24.0)
    for was, now in zip(camera_states(shot, frames), camera_states(found, frames), strict=True):
        np.testing.assert_allclose(now.world_from_camera[:3, 3], was.world_from_camera[:3, 3],
                                   atol=1e-3)  # fmt: skip
        turn = now.world_from_camera[:3, :3].T @ was.world_from_camera[:3, :3]
        assert np.degrees(np.arccos(np.clip((np.trace(turn) - 1) / 2, -1, 1))) < 0.03
        assert now.lens == pytest.approx(was.lens, rel=5e-4)


def scene(keys: dict[str, Any], **changes: Any) -> dict[str, Any]:
    """A camera on a node that hangs on another, which moves, as a .gltf with its numbers in it."""
    data = b"".join(np.asarray(each, "<f4").tobytes() for each in keys.values())
    views, accessors, at = [], [], 0
    for each in keys.values():
        numbers = np.atleast_2d(np.asarray(each, np.float32))
        numbers = numbers.T if np.ndim(each) == 1 else numbers
        views.append({"buffer": 0, "byteOffset": at, "byteLength": numbers.size * 4})
        kind = {1: "SCALAR", 3: "VEC3", 4: "VEC4"}[numbers.shape[1]]
        accessors.append({"bufferView": len(views) - 1, "componentType": 5126, "type": kind,
                          "count": len(numbers)})  # fmt: skip
        at += numbers.size * 4
    uri = "data:application/octet-stream;base64," + base64.b64encode(data).decode()
    return {
        "asset": {"version": "2.0"},
        "nodes": [{"children": [1]}, {"camera": 0, "translation": [0, 0, 2], "name": "Crane"}],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.6, "znear": 0.1}}],
        "buffers": [{"uri": uri, "byteLength": at}],
        "bufferViews": views,
        "accessors": accessors,
    } | changes


def read(document: Any, tmp_path: Path, frames: int = 5) -> Any:
    path = tmp_path / "theirs.gltf"
    path.write_text(document if isinstance(document, str) else json.dumps(document))
    return read_cameras(path, "theirs.gltf", 4.0, frames)


def animation(path: str, how: str) -> list[dict[str, Any]]:
    return [{"channels": [{"sampler": 0, "target": {"node": 0, "path": path}}],
             "samplers": [{"input": 0, "output": 1, "interpolation": how}]}]  # fmt: skip


def test_keys_are_read_as_the_specification_has_it(tmp_path: Path) -> None:
    """glTF 2.0, appendix C: linear, step, the shorter arc, and cubic splines with tangents."""
    times = [0.25, 0.75]
    linear = scene({"t": times, "v": [[0, 0, 0], [2, 0, 0]]},
                   animations=animation("translation", "LINEAR"))  # fmt: skip
    (track,) = read(linear, tmp_path)
    assert track.name == "Crane" and track.tall[0] == pytest.approx(math.tan(0.3))
    assert track.world_from_camera[:, 0, 3].tolist() == [0, 0, 1, 2, 2]
    assert (track.world_from_camera[:, 2, 3] == 2).all()
    step = linear | {"animations": animation("translation", "STEP")}
    assert read(step, tmp_path)[0].world_from_camera[:, 0, 3].tolist() == [0, 0, 0, 2, 2]
    # A quarter round to the left, by the quaternion's other sign: the shorter way, half of it.
    half = math.sqrt(0.5)
    turned = scene({"t": times, "v": [[0, 0, 0, 1], [0, -half, 0, -half]]},
                   animations=animation("rotation", "LINEAR"))  # fmt: skip
    (track,) = read(turned, tmp_path)
    np.testing.assert_allclose(
        track.world_from_camera[2, :3, 3], [2 * half, 0, 2 * half], atol=1e-6
    )
    # p(t) of a Hermite spline by hand at t = 1/2: (p0 + p1) / 2 + long (m0 - m1) / 8.
    spline = scene({"t": times, "v": [[0, 0, 0], [0, 0, 0], [4, 0, 0], [-2, 0, 0], [1, 0, 0],
                                      [0, 0, 0]]},
                   animations=animation("translation", "CUBICSPLINE"))  # fmt: skip
    (track,) = read(spline, tmp_path)
    assert track.world_from_camera[2, 0, 3] == pytest.approx(0.5 + 0.5 * (4 + 2) / 8)


def test_what_is_hostile_or_broken_is_told(tmp_path: Path) -> None:
    good = scene({"t": [0.0, 1.0], "v": [[0, 0, 0], [1, 0, 0]]},
                 animations=animation("translation", "LINEAR"))  # fmt: skip
    accessors = good["accessors"]
    for changes, said in (
        ({"asset": {"version": "1.0"}}, "only 2.0"),
        ({"cameras": [{"type": "orthographic"}]}, "no camera in perspective"),
        ({"nodes": [{"children": [1]}, {"camera": 0, "children": [0]}]}, "without end"),
        ({"nodes": [{"children": [1, 1]}, {"camera": 0}]}, "hangs on two"),
        ({"buffers": [{"uri": "../../etc/passwd", "byteLength": 9}]}, "a file beside it"),
        ({"buffers": [{"uri": "data:x;base64,!!!", "byteLength": 9}]}, "damaged"),
        ({"accessors": [accessors[0] | {"count": 10**9}, accessors[1]]}, "beyond its end"),
        ({"accessors": [accessors[0] | {"count": -5}, accessors[1]]}, "beyond its end"),
        ({"accessors": [accessors[0] | {"byteOffset": -4}, accessors[1]]}, "beyond its end"),
        ({"accessors": accessors[:1]}, "not there"),
        ({"accessors": [accessors[0] | {"type": "MAT4"}, accessors[1]]}, "not there"),
        ({"nodes": [{"children": [1], "scale": [-1, 1, 1]}, {"camera": 0}]}, "mirrored"),
        ({"nodes": [{"children": [1], "scale": [0, 0, 0]}, {"camera": 0}]}, "to nothing"),
        ({"nodes": "x"}, "sound"),
        ({"cameras": [{"type": "perspective", "perspective": {"yfov": math.pi}}]}, "of nothing"),
    ):  # fmt: skip
        with pytest.raises(ShotError, match=said):
            read(good | changes, tmp_path)
    nan = scene({"t": [0.0, 1.0], "v": [[0, 0, 0], [math.nan, 0, 0]]},
                animations=animation("translation", "LINEAR"))  # fmt: skip
    back = scene({"t": [1.0, 0.0], "v": [[0, 0, 0], [1, 0, 0]]},
                 animations=animation("translation", "LINEAR"))  # fmt: skip
    for document, said in (
        (nan, "NaN"), (back, "not in order"), ("[" * 10**6, "no glTF"), ("no", "no glTF"),
    ):  # fmt: skip
        with pytest.raises(ShotError, match=said):
            read(document, tmp_path)
    path = tmp_path / "short.glb"
    for data in (
        b"glTF",
        b"glTF" + struct.pack("<II", 2, 10**9),
        b"glTF" + struct.pack("<II", 1, 12),
    ):
        path.write_bytes(data)
        with pytest.raises(ShotError, match=r"short\.glb"):
            read_cameras(path, "short.glb", 24, 5)


def test_a_path_becomes_as_few_framings_as_it_needs() -> None:
    poses = np.broadcast_to(np.eye(4), (100, 4, 4)).copy()
    poses[:, 0, 3] = np.minimum(np.arange(100), 50) * 0.01
    found = framings_along(poses, np.full(100, 0.3), (1920, 1080))
    assert [each.frame for each in found] == [0, 50, 99]
    assert found[1].position == (0.5, 0, 0)
    rng = np.random.default_rng(4)
    poses[:, 0, 3] = rng.random(100)
    assert len(framings_along(poses, np.full(100, 0.3), (1920, 1080))) == 100
