"""Cameras of somebody else's scene: what moves them in a glTF 2.0 file, frame by frame.

Only cameras are read: nodes, their parents, and the animation of these. Sampling is that of the
specification (glTF 2.0, appendix C: step, linear, with rotations along the shorter arc, and cubic
splines). Files are strangers': all sizes, places and numbers are checked before they are used.
"""

from __future__ import annotations

import base64
import binascii
import json
import math
import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation, Slerp

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import ShotError

__all__ = ["read_cameras"]

_MOST_TOLD = 100_000_000
"""Bytes of the part that is JSON."""
_DEEPEST = 1000
"""Nodes above each other."""
_CODES: Mapping[int, tuple[str, float]] = {
    5126: ("<f4", 1.0), 5120: ("<i1", 127.0), 5121: ("<u1", 255.0),
    5122: ("<i2", 32767.0), 5123: ("<u2", 65535.0),
}  # fmt: skip
"""Component types: how they are stored, and what 1 is stored as where they are normalised."""
_PARTS = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}


@dataclass(frozen=True, kw_only=True)
class CameraTrack:
    """One camera, frame by frame; space as everywhere: metres, +Y up, looking along -Z."""

    name: str
    world_from_camera: FloatArray
    """(frames, 4, 4), without scale."""
    tall: FloatArray
    """(frames,) tangents of the half of what it sees from top to bottom."""

    @property
    def named_path(self) -> tuple[str, FloatArray, FloatArray]:
        """All of it, as the edit that brings cameras is given it."""
        return self.name, self.world_from_camera, self.tall


def read_cameras(path: Path, name: str, rate: float, frames: int) -> list[CameraTrack]:
    """Return the cameras of a .glb or .gltf file, at the times of a shot's frames.

    ``name`` is the file as the person knows it. Before its first key and after its last, what
    moves stands still.

    Raises
    ------
    ShotError
        It is no glTF 2.0, is damaged, makes no sense, or has no camera in perspective.
    """
    try:
        scene = _Scene(path, name)
        found = scene.cameras(np.arange(frames) / rate)
    except (KeyError, IndexError, TypeError, AttributeError, ValueError, struct.error) as error:
        if isinstance(error, ShotError):
            raise
        raise ShotError(f"{name} is no sound glTF file: it says something that is not there "
                        f"({error}).") from error  # fmt: skip
    if not found:
        raise ShotError(f"{name} has no camera in perspective. Export one with it.")
    return found


class _Scene:
    def __init__(self, path: Path, name: str) -> None:
        self._name = name
        data = path.read_bytes()
        self._inner = b""
        if data[:4] == b"glTF":
            told = self._chunks(data)
        else:
            told = data
        if len(told) > _MOST_TOLD:
            raise ShotError(f"{name} tells more than {_MOST_TOLD // 10**6} MB about itself.")
        try:
            self._json = json.loads(told)
        except (ValueError, RecursionError) as error:
            raise ShotError(f"{name} is no glTF file. Choose a .glb or .gltf.") from error
        version = str(self._json["asset"]["version"])
        if not version.startswith("2."):
            raise ShotError(f"{name} is glTF {version[:10]}; only 2.0 is read. Export it as that.")
        self._nodes: list[dict[str, Any]] = self._json.get("nodes", [])
        self._parents = self._parents_of()
        self._moves = self._moves_of()

    def _chunks(self, data: bytes) -> bytes:
        version, length = struct.unpack_from("<II", data, 4)
        if version != 2 or length > len(data):
            raise ShotError(f"{self._name} is not all there, or is no glTF 2.0.")
        at, told = 12, b""
        while at + 8 <= length:
            size, kind = struct.unpack_from("<II", data, at)
            piece = data[at + 8 : at + 8 + size]
            if len(piece) < size:
                raise ShotError(f"{self._name} is not all there. Copy it again.")
            if kind == 0x4E4F534A and not told:
                told = piece
            elif kind == 0x004E4942 and not self._inner:
                self._inner = piece
            at += 8 + size
        return told

    def _parents_of(self) -> dict[int, int]:
        found: dict[int, int] = {}
        for n, node in enumerate(self._nodes):
            for child in node.get("children", []):
                if child in found:
                    raise ShotError(f"{self._name}: node {child} hangs on two others.")
                found[child] = n
        return found

    def _line(self, node: int) -> list[int]:
        """Return a node and all above it, the topmost first."""
        line = [node]
        while line[-1] in self._parents:
            line.append(self._parents[line[-1]])
            if len(line) > _DEEPEST:
                raise ShotError(f"{self._name}: nodes hang on each other without end.")
        return line[::-1]

    def _moves_of(self) -> dict[tuple[int, str], tuple[FloatArray, FloatArray, str]]:
        """Return times, values and interpolation by node and what of it moves."""
        found: dict[tuple[int, str], Any] = {}
        for animation in self._json.get("animations", []):
            for channel in animation["channels"]:
                target = channel["target"]
                if "node" not in target:
                    continue
                sampler = animation["samplers"][channel["sampler"]]
                key = int(target["node"]), str(target["path"])
                found.setdefault(key, sampler)
        return {
            key: (
                self._numbers(sampler["input"])[:, 0],
                self._numbers(sampler["output"]),
                sampler.get("interpolation", "LINEAR"),
            )
            for key, sampler in found.items()
            if self._matters(key[0]) and key[1] in ("translation", "rotation", "scale")
        }

    def _matters(self, node: int) -> bool:
        return any(node in self._line(n) for n, each in enumerate(self._nodes) if "camera" in each)

    def _numbers(self, index: int) -> FloatArray:
        """Return an accessor's numbers, (count, parts) float64."""
        accessor = self._json["accessors"][index]
        if "sparse" in accessor or "bufferView" not in accessor:
            raise ShotError(f"{self._name} stores keys sparsely, which is not read here.")
        stored, one = _CODES[accessor["componentType"]]
        parts, count = _PARTS[accessor["type"]], int(accessor["count"])
        view = self._json["bufferViews"][accessor["bufferView"]]
        data = self._buffer(view["buffer"])
        start = int(view.get("byteOffset", 0)) + int(accessor.get("byteOffset", 0))
        size = np.dtype(stored).itemsize * parts
        stride = int(view.get("byteStride", size))
        if min(start, count, stride) < 0 or start + stride * (count - 1) + size > len(data):
            raise ShotError(f"{self._name} names numbers beyond its end.")
        if count == 0:
            raise ShotError(f"{self._name} has an animation without keys.")
        rows = np.ndarray((count, parts), stored, data, start, (stride, size // parts))
        numbers = rows.astype(np.float64) / (one if accessor.get("normalized") else 1.0)
        if not np.isfinite(numbers).all():
            raise ShotError(f"{self._name} has numbers that are none (NaN or infinite).")
        return numbers

    def _buffer(self, index: int) -> bytes:
        uri = self._json["buffers"][index].get("uri")
        if uri is None:
            return self._inner
        head, comma, body = uri.partition(",")
        if not (head.startswith("data:") and head.endswith(";base64") and comma):
            raise ShotError(
                f"{self._name} has its numbers in a file beside it. Export one file, .glb."
            )
        try:
            return base64.b64decode(body, validate=True)
        except binascii.Error as error:
            raise ShotError(f"{self._name} is damaged: {error}.") from error

    def cameras(self, seconds: FloatArray) -> list[CameraTrack]:
        found: list[CameraTrack] = []
        for n, node in enumerate(self._nodes):
            if "camera" not in node:
                continue
            told = self._json["cameras"][node["camera"]]
            if told.get("type") != "perspective":
                continue
            tall = math.tan(float(told["perspective"]["yfov"]) / 2)
            if not 1e-4 < tall < 1e3:
                raise ShotError(f"{self._name}: a camera sees {tall:.3g} of nothing.")
            world = np.broadcast_to(np.eye(4), (len(seconds), 4, 4))
            for each in self._line(n):
                world = world @ self._local(each, seconds)
            if not np.isfinite(world).all() or np.abs(world).max() > 1e7:
                raise ShotError(f"{self._name}: a camera stands beyond all places.")
            turn = _without_scale(world[:, :3, :3], self._name)
            pose = np.broadcast_to(np.eye(4), world.shape).copy()
            pose[:, :3, :3], pose[:, :3, 3] = turn, world[:, :3, 3]
            name = str(node.get("name") or told.get("name") or f"Camera {len(found) + 1}")[:80]
            lens = _focal_lengths(node, told, len(seconds), tall)
            found.append(CameraTrack(name=name, world_from_camera=pose, tall=lens))
        return found

    def _local(self, index: int, seconds: FloatArray) -> FloatArray:
        node = self._nodes[index]
        if "matrix" in node:
            return np.array(node["matrix"], np.float64).reshape(4, 4).T
        out = np.broadcast_to(np.eye(4), (len(seconds), 4, 4)).copy()
        place = self._part(index, "translation", (0, 0, 0), seconds)
        turn = Rotation.from_quat(self._part(index, "rotation", (0, 0, 0, 1), seconds))
        scale = self._part(index, "scale", (1, 1, 1), seconds)
        out[:, :3, :3] = turn.as_matrix() * scale[:, None, :]
        out[:, :3, 3] = place
        return out

    def _part(
        self, index: int, path: str, usual: Sequence[float], seconds: FloatArray
    ) -> FloatArray:
        if (index, path) not in self._moves:
            still = np.array(self._nodes[index].get(path, usual), np.float64)
            return np.broadcast_to(still, (len(seconds), len(usual)))
        times, values, how = self._moves[index, path]
        if (np.diff(times) <= 0).any():
            raise ShotError(f"{self._name} has keys that are not in order.")
        values = values.reshape(len(times), -1, len(usual))
        return _sampled(times, values, how, seconds, turns=path == "rotation")


def _sampled(
    times: FloatArray, values: FloatArray, how: str, seconds: FloatArray, *, turns: bool
) -> FloatArray:
    """Return keyed values at some times; ``values`` (keys, 1 or, of splines, 3, parts)."""
    at = np.clip(seconds, times[0], times[-1])
    n = np.clip(np.searchsorted(times, at, side="right") - 1, 0, max(len(times) - 2, 0))
    if len(times) == 1:
        return np.broadcast_to(values[0, values.shape[1] // 2], (len(at), values.shape[2]))
    if how == "STEP":
        held = np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(times) - 1)
        return np.asarray(values[held, 0])
    long = times[n + 1] - times[n]
    t = ((at - times[n]) / long)[:, None]
    if how == "CUBICSPLINE":
        (_, p0, m0), (m1, p1, _) = (values[k].transpose(1, 0, 2) for k in (n, n + 1))
        h00, h10 = 2 * t**3 - 3 * t**2 + 1, t**3 - 2 * t**2 + t
        h01, h11 = -2 * t**3 + 3 * t**2, t**3 - t**2
        return np.asarray(h00 * p0 + h10 * long[:, None] * m0 + h01 * p1 + h11 * long[:, None] * m1)
    if turns:
        return np.asarray(Slerp(times, Rotation.from_quat(values[:, 0]))(at).as_quat())
    return np.asarray(values[n, 0] + (values[n + 1, 0] - values[n, 0]) * t)


def _without_scale(turned: FloatArray, name: str) -> FloatArray:
    """Return rotations of what may also be scaled evenly; what is mirrored or skewed is refused."""
    scale = np.linalg.norm(turned, axis=1, keepdims=True)
    if (scale < 1e-9).any():
        raise ShotError(f"{name}: a camera is scaled to nothing.")
    turn = turned / scale
    if (np.linalg.det(turn) < 0.999).any():
        raise ShotError(f"{name}: a camera is mirrored or skewed by what it hangs on.")
    return np.asarray(turn)


def _focal_lengths(
    node: Mapping[str, Any], told: Mapping[str, Any], frames: int, tall: float
) -> FloatArray:
    """Return the half of what is seen, by frame; files of ours say how the lens changes."""
    extras = [each.get("extras") for each in (node, told)]
    focal = next((e["focal_mm"] for e in extras if isinstance(e, dict) and "focal_mm" in e), None)
    if not isinstance(focal, list) or not focal or not all(
        isinstance(each, int | float) and 0 < each < 1e5 for each in focal
    ):  # fmt: skip
        return np.full(frames, tall)
    lens = np.array([*focal, *[focal[-1]] * frames], np.float64)[:frames]
    return tall * lens[0] / lens
