"""glTF 2.0 in one file (.glb): its parts, put together and written.

Source: Khronos Group, glTF 2.0 Specification (ISO/IEC 12113:2022); the extensions
KHR_lights_punctual and KHR_materials_unlit.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Sequence
from typing import Any

import numpy as np

from vistaline.core.arrays import FloatArray

__all__ = ["Gltf"]

_FLOAT, _UINT = 5126, 5125
_VERTICES, _INDICES = 34962, 34963
_KINDS = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}


class Gltf:
    """A scene that is being put together; :meth:`packed` returns its file."""

    def __init__(self, generator: str) -> None:
        self.json: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": generator},
            "scene": 0,
            "scenes": [{"nodes": []}],
        }
        self._binary = bytearray()
        self._times: dict[bytes, int] = {}

    def add(self, kind: str, thing: dict[str, Any]) -> int:
        """Add a thing to a list of the file, such as "nodes"; returns its number."""
        listed = self.json.setdefault(kind, [])
        listed.append(thing)
        return len(listed) - 1

    def node(self, thing: dict[str, Any]) -> int:
        """Add a node to the scene."""
        number = self.add("nodes", thing)
        self.json["scenes"][0]["nodes"].append(number)
        return number

    def uses(self, extension: str) -> None:
        """Say that an extension is used."""
        used = self.json.setdefault("extensionsUsed", [])
        if extension not in used:
            used.append(extension)

    def _view(self, data: bytes, target: int | None = None) -> int:
        self._binary += b"\0" * (-len(self._binary) % 4)
        view: dict[str, Any] = {
            "buffer": 0,
            "byteOffset": len(self._binary),
            "byteLength": len(data),
        }
        if target:
            view["target"] = target
        self._binary += data
        return self.add("bufferViews", view)

    def numbers(self, values: FloatArray, *, target: int | None = None, bounds: bool) -> int:
        """Add float32 numbers (N,) or (N, 2 to 4); ``bounds``: with their least and greatest."""
        told = np.ascontiguousarray(values, "<f4")
        flat = told.reshape(len(told), -1)
        accessor: dict[str, Any] = {
            "bufferView": self._view(told.tobytes(), target),
            "componentType": _FLOAT,
            "count": len(flat),
            "type": _KINDS[flat.shape[1]],
        }
        if bounds:
            accessor |= {"min": flat.min(axis=0).tolist(), "max": flat.max(axis=0).tolist()}
        return self.add("accessors", accessor)

    def mesh(
        self, name: str, parts: Sequence[tuple[FloatArray, FloatArray, np.ndarray, int]]
    ) -> int:
        """Add a mesh of parts: points (N, 3), places of a picture (N, 2), faces (M, 3), material.

        Faces run counter-clockwise, seen from the front.
        """
        primitives = []
        for points, places, faces, material in parts:
            corners = np.ascontiguousarray(faces, "<u4")
            indices = self.add(
                "accessors",
                {
                    "bufferView": self._view(corners.tobytes(), _INDICES),
                    "componentType": _UINT,
                    "count": corners.size,
                    "type": "SCALAR",
                },
            )
            primitives.append(
                {
                    "attributes": {
                        "POSITION": self.numbers(points, target=_VERTICES, bounds=True),
                        "TEXCOORD_0": self.numbers(places, target=_VERTICES, bounds=False),
                    },
                    "indices": indices,
                    "material": material,
                }
            )
        return self.add("meshes", {"name": name, "primitives": primitives})

    def picture(self, name: str, png: bytes, opacity: float) -> int:
        """Add a material that shows a picture as it is, whatever light there is."""
        self.uses("KHR_materials_unlit")
        image = {"name": name, "bufferView": self._view(png), "mimeType": "image/png"}
        if "samplers" not in self.json:
            # Linear between texels and levels; nothing beyond the picture's edges.
            edge = 33071
            self.add("samplers", {"magFilter": 9729, "minFilter": 9987, "wrapS": edge,
                                  "wrapT": edge})  # fmt: skip
        texture = self.add("textures", {"sampler": 0, "source": self.add("images", image)})
        return self.add(
            "materials",
            {
                "name": name,
                "pbrMetallicRoughness": {
                    "baseColorTexture": {"index": texture},
                    "baseColorFactor": [1.0, 1.0, 1.0, round(opacity, 6)],
                    "metallicFactor": 0.0,
                    "roughnessFactor": 1.0,
                },
                "alphaMode": "BLEND",
                "doubleSided": True,
                "extensions": {"KHR_materials_unlit": {}},
            },
        )

    def times(self, seconds: FloatArray) -> int:
        """Add the times of keys; the same ones are kept once."""
        told = np.ascontiguousarray(seconds, "<f4").tobytes()
        if told not in self._times:
            self._times[told] = self.numbers(np.asarray(seconds), bounds=True)
        return self._times[told]

    def animate(self, animation: dict[str, Any], node: int, path: str, seconds: int,
                values: FloatArray) -> None:  # fmt: skip
        """Let a node's translation, rotation or scale follow values, evenly between them."""
        sampler = {
            "input": seconds,
            "output": self.numbers(values, bounds=False),
            "interpolation": "LINEAR",
        }
        animation.setdefault("samplers", []).append(sampler)
        channel = {
            "sampler": len(animation["samplers"]) - 1,
            "target": {"node": node, "path": path},
        }
        animation.setdefault("channels", []).append(channel)

    def packed(self) -> bytes:
        """Return the file."""
        if self._binary:
            self._binary += b"\0" * (-len(self._binary) % 4)
            self.json["buffers"] = [{"byteLength": len(self._binary)}]
        told = json.dumps(self.json, separators=(",", ":")).encode()
        told += b" " * (-len(told) % 4)
        chunks = struct.pack("<I4s", len(told), b"JSON") + told
        if self._binary:
            chunks += struct.pack("<I4s", len(self._binary), b"BIN\0") + bytes(self._binary)
        return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks
