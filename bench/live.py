"""What the desk asks of the core: a scene after an edit, a frame during a drag, a proof."""

from __future__ import annotations

import json

from bench import scene
from bench.figures import Figure, interleaved
from vistaline.core import edits
from vistaline.core.render.proof import proof_frames
from vistaline.core.scene.describe import describe_scene


def measure() -> list[Figure]:
    """Return milliseconds for a scene and for a drag's preview, and a proof's frames a second."""
    shot = scene.shot(192)
    values = {"layer": "p2", "distance": "3.3"}

    def preview(n: int) -> str:
        return json.dumps(describe_scene(edits.apply(shot, "move_in_depth", values), [n]))

    times = interleaved(
        {"scene": lambda n: json.dumps(describe_scene(shot, range(192))), "preview": preview}, 9
    )
    looks = scene.pyramids()
    batch = interleaved({"proof": lambda n: list(proof_frames(shot, looks, range(48), 960))}, 3)
    return [
        Figure("proof, half size, five layers", 48 / batch["proof"], "fps", 24.0, "higher"),
        Figure("desk, scene of 192 frames after an edit", times["scene"] * 1000, "ms"),
        Figure("desk, preview during a drag", times["preview"] * 1000, "ms"),
    ]
