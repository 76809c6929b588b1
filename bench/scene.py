"""The scene all contenders draw: five layers of 4000 x 2250 before a moving camera, at 1080p."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np

from vistaline.core.picture.colour import encode_srgb
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import FrameState, evaluate

LAYERS = 5
SIZE = (4000, 2250)
FRAME = (1920, 1080)
FRAMES = 48
CACHE = Path("build/bench-pyramids")


def picture(seed: int) -> np.ndarray:
    """Return (height, width, 4) linear premultiplied uint16: texture in soft-edged patches."""
    width, height = SIZE
    rng = np.random.default_rng(seed)
    noise = rng.random((height, width, 3), dtype=np.float32)
    colour = cv2.GaussianBlur(noise, (0, 0), 1.5) * 0.5 + cv2.GaussianBlur(noise, (0, 0), 40) * 4
    colour = np.clip((colour - colour.mean()) * 1.6 + 0.4, 0, 1)
    if seed == 0:
        alpha = np.ones((height, width), np.float32)
    else:
        field = cv2.GaussianBlur(rng.random((height, width), dtype=np.float32), (0, 0), 90)
        alpha = np.clip((field - np.median(field)) / field.std() * 8, 0, 1)
    premultiplied = np.dstack([colour * alpha[..., None], alpha])
    return np.rint(premultiplied * 65535).astype(np.uint16)


@cache
def pyramids() -> dict[str, Pyramid]:
    """Return the layers' pyramids, kept between runs."""
    store = PyramidStore(CACHE)
    return {f"p{n}": store.get(f"layer{n}", lambda n=n: picture(n)) for n in range(LAYERS)}


def shot(frames: int = FRAMES) -> Shot:
    """Return the shot: layers 1 to 5 m away, the camera trucks, dollies and pans."""
    keys = [f"p{n}" for n in range(LAYERS)]
    document = {
        "vistaline": 1,
        "frame": {"width": FRAME[0], "height": FRAME[1], "duration": frames},
        "taking_camera": {"focal_length": 33},
        "pictures": {key: {"file": key} for key in keys},
        "layers": [
            {"name": key, "picture": key, "distance": LAYERS - n} for n, key in enumerate(keys)
        ],
        "route": {
            "framings": [
                {"frame": 0, "position": [-0.02, 0, 0.02]},
                {"frame": frames - 1, "position": [0.03, 0.01, -0.04], "pan": 1, "roll": 0.5},
            ]
        },
    }
    return complete(parse_shot(document), dict.fromkeys(keys, SIZE))


@cache
def states() -> list[FrameState]:
    """Return the state at every frame."""
    return evaluate(shot(), range(FRAMES))


def straight_codes(pyramid: Pyramid) -> np.ndarray:
    """Return a layer as 8-bit premultiplied sRGB codes, what 8-bit peers draw."""
    inner = pyramid.levels[0][2 : 2 + pyramid.height, 2 : 2 + pyramid.width]
    linear = inner.astype(np.float32) / 65535
    alpha = linear[..., 3:]
    codes = encode_srgb(linear[..., :3] / np.maximum(alpha, 1e-5)) * alpha
    return np.rint(np.dstack([codes, alpha]) * 255).clip(0, 255).astype(np.uint8)
