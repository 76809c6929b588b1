"""One plain frame: five layers of 4000 x 2250 to 1920 x 1080, ready for the encoder."""

from __future__ import annotations

from bench import peers, scene
from bench.figures import Figure, interleaved
from vistaline.core.render.frame import Renderer

ROUNDS = 41


def measure() -> list[Figure]:
    """Return our time to yuv420p beside skia's and software OpenGL's to RGBA."""
    renderer = Renderer(scene.shot(), scene.pyramids())
    gl, skia = peers.SoftwareGl(scene.states(), scene.pyramids()), peers.Skia()
    times = interleaved(
        {"ours": lambda n: renderer.yuv(n % scene.FRAMES), "gl": gl, "skia": skia}, ROUNDS
    )
    return [
        Figure("frame, ours", times["ours"] * 1000, "ms"),
        Figure(f"frame, software OpenGL ({gl.renderer.split(',')[0]})", times["gl"] * 1000, "ms"),
        Figure("frame, skia", times["skia"] * 1000, "ms"),
        Figure("frame, ours over software OpenGL", times["ours"] / times["gl"], "x", 0.30),
        Figure("frame, ours over skia", times["ours"] / times["skia"], "x", 0.25),
    ]
