"""A whole clip: rendering and encoding overlap, so it takes little more than work over cores."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from bench import scene
from bench.figures import Figure
from vistaline.core.formats.coded import H264
from vistaline.core.formats.encoders import ClipFormat
from vistaline.core.formats.outputs import encoder_called
from vistaline.core.formats.video import ClipWriter
from vistaline.core.render.clip import Output, render_frames
from vistaline.core.render.frame import Renderer

FRAMES = 96


def _cpu() -> float:
    times = os.times()
    return times.user + times.system


def measure() -> list[Figure]:
    """Return wall time over (render CPU + encode CPU) / cores, each measured on its own."""
    shot = scene.shot(FRAMES)
    renderer = Renderer(shot, scene.pyramids())
    renderer.yuv(0)
    cores = os.cpu_count() or 1
    with tempfile.TemporaryDirectory() as folder:
        began, cpu = time.perf_counter(), _cpu()
        target = str(Path(folder) / "clip.mp4")
        output = Output(encoder=encoder_called("mp4"), target=target)
        render_frames(renderer, range(FRAMES), output)
        wall, whole = time.perf_counter() - began, _cpu() - cpu

        cpu = _cpu()
        frames = [renderer.yuv(n) for n in range(FRAMES)]
        render = _cpu() - cpu
        cpu = _cpu()
        clip = ClipFormat(shot.frame.size, shot.frame.rate)
        with ClipWriter(Path(folder) / "again.mp4", clip, H264.coding(H264.options())) as writer:
            for n, frame in enumerate(frames):
                writer.write(n, frame)
        encode = _cpu() - cpu
    return [
        Figure("clip, frames a second", FRAMES / wall, "fps", None, "higher"),
        Figure("clip, processor time of both at once", whole, "s"),
        Figure("clip, processor time rendering", render, "s"),
        Figure("clip, processor time encoding", encode, "s"),
        Figure("clip, wall over work / cores", wall / ((render + encode) / cores), "x", 1.15),
    ]
