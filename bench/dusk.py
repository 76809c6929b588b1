"""The demo's dusk: one plain frame beside software OpenGL, and a clip through lens and shutter."""

from __future__ import annotations

import multiprocessing
import time
from functools import cache
from multiprocessing import Queue
from pathlib import Path

import psutil

from bench import peers, scene
from bench.figures import Figure, interleaved
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.core.picture.decode import decode_picture
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate
from vistaline.demo.shots import write_demo_files

ROUNDS, WARM, FRAMES = 41, 2, 36
_FOLDER = Path("build/bench-demo")


@cache
def _dusk() -> tuple[Shot, dict[str, Path]]:
    """Return the shot and its pictures, drawn if they are not here."""
    path = next(each for each in write_demo_files(_FOLDER) if each.stem.startswith("dusk"))
    return read_shot_file(path)


def _pyramids() -> dict[str, Pyramid]:
    _, pictures = _dusk()
    store = PyramidStore(scene.CACHE)
    return {
        key: store.get(
            f"dusk-{path.stem}-{path.stat().st_size}",
            lambda path=path: decode_picture(path, path.name),
        )
        for key, path in pictures.items()
    }


def _sharp(shot: Shot) -> Shot:
    return shot.with_camera(focusing=shot.camera.focusing.evolve(everything_sharp=True))


def _filmed(start: int, told: Queue[tuple[float, int]]) -> None:
    shot, _ = _dusk()
    renderer = Renderer(shot.evolve(motion_blur=True), _pyramids(), threads=1)
    for n in range(WARM):
        renderer.yuv(start + n)
    began = time.monotonic()
    for n in range(start, start + FRAMES):
        renderer.yuv(n)
    told.put((FRAMES / (time.monotonic() - began), psutil.Process().memory_info().rss))


def measure() -> list[Figure]:
    """Return a plain frame's share of OpenGL's time; frames a second and memory when filmed."""
    shot, pyramids = _dusk()[0], _pyramids()
    plain = _sharp(shot)
    states = evaluate(plain, range(scene.FRAMES))
    renderer, gl = Renderer(plain, pyramids), peers.SoftwareGl(states, pyramids)
    times = interleaved({"ours": lambda n: renderer.yuv(n % scene.FRAMES), "gl": gl}, ROUNDS)
    context = multiprocessing.get_context("spawn")
    told: Queue[tuple[float, int]] = context.Queue()
    workers = [context.Process(target=_filmed, args=(48 + 48 * n, told)) for n in range(2)]
    for worker in workers:
        worker.start()
    found = [told.get() for _ in workers]
    for worker in workers:
        worker.join()
    return [
        Figure("dusk, ours over software OpenGL", times["ours"] / times["gl"], "x", 0.20),
        Figure("dusk with focus and shutter, two processes", sum(f for f, _ in found), "fps"),
        Figure("the same, memory of one", max(m for _, m in found) / 2**30, "GiB", 1.0),
    ]
