"""A separation on disk: layers and plate as PNG files, and a shot that stacks them in register."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np

from vistaline.core.files import write_atomically
from vistaline.core.formats.shotfile import write_shot_file
from vistaline.core.picture.still import encode_png
from vistaline.core.separate.separation import Separation
from vistaline.core.shot.document import parse_shot

__all__ = ["write_separation"]

_FARTHEST, _NEAREST = 6.0, 2.0


def write_separation(separation: Separation, folder: Path, *, name: str) -> list[Path]:
    """Write plate, layers and ``shot.json`` into ``folder``; returns the files, the shot last.

    The shot's frame has the picture's shape, and its framing is the picture's: seen from the
    taking camera the stack looks like the picture, whatever the distances.
    """
    folder.mkdir(parents=True, exist_ok=True)
    height, width = separation.plate.shape[:2]
    written = [_write(folder / "plate.png", separation.plate)]
    pictures = {"plate": {"file": "plate.png"}}
    layers: list[dict[str, Any]] = [
        {
            "name": "Plate",
            "shows": {"kind": "picture", "picture": "plate"},
            "distance": _FARTHEST,
        }
    ]
    count = len(separation.layers)
    for n, layer in enumerate(reversed(separation.layers)):
        slug = re.sub(r"[^a-z0-9]+", "-", layer.name.lower()).strip("-") or "layer"
        key = f"{count - n:02d}-{slug}"
        written.append(_write(folder / f"{key}.png", layer.rgba))
        distance = _FARTHEST * (_NEAREST / _FARTHEST) ** ((n + 1) / count)
        pictures[key] = {"file": f"{key}.png"}
        layers.append(
            {
                "name": layer.name,
                "shows": {"kind": "picture", "picture": key},
                "stands": {"kind": "taken", "box": layer.box},
                "distance": round(distance, 2),
            }
        )
    scale = min(1.0, 1920 / max(width, height))
    frame = [max(16, 2 * round(side * scale / 2)) for side in (width, height)]
    shot = parse_shot(
        {
            "vistaline": 2,
            "name": name or "Untitled",
            "frame": {"width": frame[0], "height": frame[1], "duration": 96},
            "taking_camera": {"width": width, "height": height},
            "pictures": pictures,
            "layers": layers,
            "cameras": [
                {"route": {"framings": [{"frame": 0}, {"frame": 95, "position": [0, 0, -0.4]}]}}
            ],
        }
    )
    path = folder / "shot.json"
    write_shot_file(shot, path, {key: ref.file for key, ref in shot.pictures.items()})
    return [*written, path]


def _write(path: Path, codes: np.ndarray) -> Path:
    write_atomically(path, encode_png(codes))
    return path
