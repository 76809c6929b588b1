"""Peak memory of two workers that render twenty 12-megapixel layers side by side."""

from __future__ import annotations

import multiprocessing
import time
from pathlib import Path

import numpy as np
import psutil

from bench import scene
from bench.figures import Figure
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.shot import Shot

LAYERS, SIZE = 20, (4000, 3000)


def _shot() -> Shot:
    keys = [f"m{n}" for n in range(LAYERS)]
    document = {
        "vistaline": 1,
        "frame": {"width": 1920, "height": 1080, "duration": 48},
        "pictures": {key: {"file": key} for key in keys},
        "layers": [
            {"name": key, "picture": key, "distance": 1 + 0.5 * (LAYERS - n), "opacity": 0.5}
            for n, key in enumerate(keys)
        ],
        "route": {"framings": [{"frame": 0}, {"frame": 47, "position": [0.05, 0, -0.1]}]},
    }
    return complete(parse_shot(document), dict.fromkeys(keys, SIZE))


def _picture(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    small = rng.integers(0, 65535, (SIZE[1] // 8, SIZE[0] // 8, 4), dtype=np.uint16)
    large = small.repeat(8, axis=0).repeat(8, axis=1)
    large[..., :3] = np.minimum(large[..., :3], large[..., 3:])
    return large


def _render(start: int, frames: int) -> None:
    store = PyramidStore(scene.CACHE)
    pyramids = {f"m{n}": store.get(f"memory{n}", lambda n=n: _picture(n)) for n in range(LAYERS)}
    renderer = Renderer(_shot(), pyramids, threads=1)
    for n in range(start, start + frames):
        renderer.yuv(n)


def measure() -> list[Figure]:
    """Return the largest sum of both workers' proportional set sizes, pyramids' pages included."""
    for n in range(LAYERS):
        PyramidStore(scene.CACHE).get(f"memory{n}", lambda n=n: _picture(n))
    context = multiprocessing.get_context("spawn")
    workers = [context.Process(target=_render, args=(24 * n, 24)) for n in range(2)]
    for worker in workers:
        worker.start()
    peak = 0
    while any(worker.is_alive() for worker in workers):
        total = 0
        for worker in workers:
            try:
                total += psutil.Process(worker.pid).memory_full_info().pss
            except (psutil.NoSuchProcess, FileNotFoundError, ProcessLookupError):
                continue
        peak = max(peak, total)
        time.sleep(0.05)
    assert all(worker.exitcode == 0 for worker in workers)
    on_disk = sum(p.stat().st_size for p in Path(scene.CACHE).glob("memory*.p*"))
    return [
        Figure("memory, twenty 12 MP layers, two workers", peak / 2**30, "GiB", 4.0),
        Figure("memory, their pyramids on disk", on_disk / 2**30, "GiB"),
    ]
