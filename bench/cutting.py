"""Forty part-transparent cards that cut through each other, beside software OpenGL's painter.

OpenGL draws them in the order of their middles, which is the wrong picture; we sort where they cut.
"""

from __future__ import annotations

import cv2
import numpy as np

from bench import peers, scene
from bench.figures import Figure, interleaved
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.render.source import DRAFT
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate

CARDS, SIZE, FRAMES, ROUNDS = 40, (1600, 900), 24, 11


def measure() -> list[Figure]:
    """Return our time for a frame beside software OpenGL's, and for evaluating 60 layers."""
    shot, pyramids = _shot(), _pyramids()
    # OpenGL takes one trilinear sample a pixel; ours takes more where a card recedes.
    equal, renderer = Renderer(shot, pyramids, quality=DRAFT), Renderer(shot, pyramids)
    gl = peers.SoftwareGl(evaluate(shot, range(FRAMES)), pyramids)
    times = interleaved(
        {
            "ours": lambda n: renderer.yuv(n % FRAMES),
            "equal": lambda n: equal.yuv(n % FRAMES),
            "gl": gl,
        },
        ROUNDS,
    )
    return [
        Figure("stage, 40 cutting cards, ours", times["ours"] * 1000, "ms"),
        Figure("stage, the same with one sample a pixel", times["equal"] * 1000, "ms"),
        Figure("stage, the same by software OpenGL's painter", times["gl"] * 1000, "ms"),
        Figure("stage, ours over software OpenGL", times["ours"] / times["gl"], "x"),
        Figure("stage, at equal sampling", times["equal"] / times["gl"], "x", 1.0),
        *_evaluating(),
    ]


def _pyramids() -> dict[str, Pyramid]:
    store = PyramidStore(scene.CACHE)
    return {f"c{n}": store.get(f"cutting{n}", lambda n=n: _picture(n)) for n in range(4)}


def _picture(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    noise = cv2.GaussianBlur(rng.random((SIZE[1], SIZE[0], 3), dtype=np.float32), (0, 0), 3)
    colour = np.clip((noise - 0.5) * 6 + 0.5, 0, 1)
    field = cv2.GaussianBlur(rng.random((SIZE[1], SIZE[0]), dtype=np.float32), (0, 0), 40)
    alpha = np.clip((field - field.mean()) / field.std() * 2 + 0.6, 0, 1)
    linear = np.dstack([colour * alpha[..., None], alpha])
    return np.rint(linear * 65535).astype(np.uint16)


def _shot() -> Shot:
    rng = np.random.default_rng(3)
    layers = [
        {
            "name": f"card {n}",
            "picture": f"c{n % 4}",
            "distance": float(rng.uniform(2, 5)),
            "across": float(rng.uniform(-1, 1)),
            "up": float(rng.uniform(-0.5, 0.5)),
            "pan": float(rng.uniform(-60, 60)),
            "tilt": float(rng.uniform(-30, 30)),
            "roll": float(rng.uniform(-30, 30)),
            "width": float(rng.uniform(1, 2)),
        }
        for n in range(CARDS)
    ]
    return _complete(layers, FRAMES)


def _complete(layers: list[dict], frames: int) -> Shot:
    keys = [f"c{n}" for n in range(4)]
    document = {
        "vistaline": 1,
        "frame": {"width": 1920, "height": 1080, "duration": frames},
        "pictures": {key: {"file": key} for key in keys},
        "layers": layers,
        "route": {
            "framings": [{"frame": 0}, {"frame": frames - 1, "position": [0.2, 0, -0.4], "pan": 3}]
        },
    }
    return complete(parse_shot(document), dict.fromkeys(keys, SIZE))


def _evaluating() -> list[Figure]:
    layers = [
        {"name": f"layer {n}", "picture": f"c{n % 4}", "distance": 1 + 0.2 * n} for n in range(60)
    ]
    shot = _complete(layers, 480)

    def everything(_: int) -> None:
        for state in evaluate(shot, range(480)):
            assert state.cards and state.order

    times = interleaved({"all": everything}, 5)
    return [Figure("stage, 20 s of 60 layers evaluated", times["all"] * 1000, "ms", 150.0)]
