"""What the desk asks of the core: a whole scene after an edit, one frame during a drag."""

from __future__ import annotations

import json

from bench import scene
from bench.figures import Figure, interleaved
from vistaline.core import edit
from vistaline.core.scene import describe_scene


def measure() -> list[Figure]:
    """Return milliseconds for a scene of 192 frames and for a drag's preview."""
    shot = scene.shot(192)
    values = {"layer": "p2", "distance": "3.3"}

    def preview(n: int) -> str:
        return json.dumps(describe_scene(edit.apply(shot, "move_in_depth", values), [n]))

    times = interleaved(
        {"scene": lambda n: json.dumps(describe_scene(shot, range(192))), "preview": preview}, 9
    )
    return [
        Figure("desk, scene of 192 frames after an edit", times["scene"] * 1000, "ms"),
        Figure("desk, preview during a drag", times["preview"] * 1000, "ms"),
    ]
