"""Depth of field and motion blur, beside plain frames, and against many points and moments.

Five layers whose textures are harsher than photographs (noise of one texel), cut out with soft
edges and strands; once upright, once all of them tilted.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np
from skimage.metrics import structural_similarity

from bench.figures import Figure, interleaved
from vistaline.core.geometry.focus import hole_radius
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.render.source import FINAL, Quality
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate

LAYERS = 5
SIZE = (4000, 2250)
FRAME = (1920, 1080)
CACHE = Path("build/bench-pyramids")
FOCUS = 3.0
MANY = Quality(samples=8, bias=0.0, views=1024)
FLOORS = {2: (46, 0.998, 3.0), 8: (46, 0.997, 3.0), 25: (42, 0.99, 2.0), 60: (40, 0.985, 2.0)}
TILTED = {2: 46, 8: 45, 25: 41, 60: 38}
ROUNDS = 9


def picture(seed: int) -> np.ndarray:
    """Return (height, width, 4) linear premultiplied uint16."""
    width, height = SIZE
    rng = np.random.default_rng(seed)
    fine = rng.random((height, width, 3), dtype=np.float32)
    coarse = cv2.GaussianBlur(rng.random((height, width, 3), dtype=np.float32), (0, 0), 30)
    coarse = (coarse - coarse.mean()) / coarse.std()
    colour = np.clip(0.35 + 0.18 * coarse + 0.3 * (fine - 0.5), 0, 1)
    alpha = np.ones((height, width), np.float32)
    if seed:
        field = cv2.GaussianBlur(rng.random((height, width), dtype=np.float32), (0, 0), 110)
        alpha = np.clip((field - np.quantile(field, 0.55)) / field.std() * 20, 0, 1)
        for _ in range(400):
            x, y = rng.uniform(0, width), rng.uniform(0, height)
            turns = np.cumsum(rng.normal(0, 0.05, 60)) + rng.uniform(0, 2 * np.pi)
            line = np.cumsum(np.column_stack([np.cos(turns), np.sin(turns)]) * 12, axis=0)
            points = np.rint((line + np.array([x, y])) * 16).astype(np.int32)
            cv2.polylines(alpha, [points], False, 1.0, int(rng.integers(1, 5)), cv2.LINE_AA, 4)
    return np.rint(np.dstack([colour * alpha[..., None], alpha]) * 65535).astype(np.uint16)


@cache
def pyramids() -> dict[str, Pyramid]:
    """Return the layers' pyramids, kept between runs."""
    store = PyramidStore(CACHE)
    return {f"p{n}": store.get(f"harsh{n}", lambda n=n: picture(n)) for n in range(LAYERS)}


def shot(*, tilted: bool = False) -> Shot:
    """Return the shot: layers 1 to 5 m away, upright or turned 50 degrees this way and that."""
    keys = [f"p{n}" for n in range(LAYERS)]
    turned = {"pan": 50.0} if tilted else {}
    document = {
        "vistaline": 1,
        "frame": {"width": FRAME[0], "height": FRAME[1], "duration": 24},
        "taking_camera": {"focal_length": 33},
        "pictures": {key: {"file": key} for key in keys},
        "layers": [
            {"name": key, "picture": key, "distance": LAYERS - n, "scale": 1.3}
            | {name: value * (-1) ** n for name, value in turned.items()}
            for n, key in enumerate(keys)
        ],
        "route": {"framings": [{"frame": 0, "position": [0.02, 0.01, 0.02]}]},
    }
    return complete(parse_shot(document), dict.fromkeys(keys, SIZE))


def blurred(shot: Shot, radius: float) -> Shot:
    """Return the shot focused so that its most blurred pixel's disc has ``radius`` pixels."""
    state = evaluate(shot, [0])[0]
    x, y = np.meshgrid([0, FRAME[0]], [0, FRAME[1]])
    near = np.array([a * x + b * y + c for a, b, c in _nearness(shot)])
    farthest = np.abs(near - 1 / FOCUS).max()
    hole = radius / (state.camera.focal_px * farthest)
    lens = state.camera.lens
    f_number = min(max(hole_radius(lens, 1, FOCUS) / hole, 0.5), 90)
    strength = hole / hole_radius(lens, f_number, FOCUS)
    focusing = shot.camera.focusing.evolve(
        everything_sharp=False, focus=FOCUS, f_number=f_number, strength=strength
    )
    return shot.with_camera(focusing=focusing)


def _nearness(shot: Shot) -> list[np.ndarray]:
    state = evaluate(shot, [0])[0]
    return [card.nearness(state.camera) for card in state.cards]


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    """Return the peak signal-to-noise ratio of sRGB codes, in dB."""
    return float(10 * np.log10(255**2 / np.mean((one.astype(np.float64) - other) ** 2)))


def measure() -> list[Figure]:
    """Return how near the fast way comes, and how many plain frames it takes."""
    found = [each for tilted in (False, True) for px in FLOORS for each in _measure(px, tilted)]
    for way in MOVING:
        found += _measure_motion(way)
    for radius in (25, 60):
        found += _measure_motion(60, radius)
    return found


def _measure(radius: int, tilted: bool) -> list[Figure]:
    least, alike, most = FLOORS[radius]
    scene = shot(tilted=tilted)
    there = blurred(scene, radius)
    plain, fast = Renderer(scene, pyramids()), Renderer(there, pyramids())
    exact = Renderer(there, pyramids(), quality=MANY).rgb(0)
    seen = fast.rgb(0)
    took = interleaved({"plain": lambda _: plain.yuv(0), "fast": lambda _: fast.yuv(0)}, ROUNDS)
    ratio = took["fast"] / took["plain"]
    name = f"{radius} px out of focus"
    if tilted:
        name += ", all tilted"
        return [
            Figure(name, psnr(seen, exact), "dB", TILTED[radius], "higher"),
            Figure(f"{name}, plain frames", ratio, "x", 4.5),
        ]
    final = Renderer(there, pyramids(), quality=FINAL).rgb(0)
    same = structural_similarity(seen, exact, channel_axis=2)
    return [
        Figure(name, psnr(seen, exact), "dB", least, "higher"),
        Figure(f"{name}, SSIM", same, "", alike, "higher"),
        Figure(f"{name}, plain frames", ratio, "x", most),
        Figure(f"{name}, final", psnr(final, exact), "dB", 44, "higher"),
    ]


# --- what moves ---------------------------------------------------------------------------------

_ENOUGH = Quality(samples=8, bias=0.0, views=1)
_MOMENTS = 1024
MOVING = {20: (45, 6.0), 60: (45, 9.0), 150: (40, 12.0)}


def trucking(scene: Shot, way: float) -> Shot:
    """Return the shot with a camera that goes aside: what is 1 m away ``way`` pixels a shutter."""
    first = scene.route.framings[0].evolve(ease="linear")
    aside = way * 2 / (FRAME[0] * first.lens / 36) * 10
    x, y, z = first.position
    last = first.evolve(frame=10, position=(x + aside, y, z))
    route = scene.route.evolve(framings=(first, last))
    return scene.with_camera(route=route).evolve(motion_blur=True)


def _measure_motion(way: int, radius: int = 0) -> list[Figure]:
    scene = shot()
    moving = trucking(blurred(scene, radius) if radius else scene, way)
    plain, fast = Renderer(scene, pyramids()), Renderer(moving, pyramids())
    least, most = (43, 6.0) if radius else MOVING[way]
    many = Quality(samples=8, bias=0.0, views=1, moments=_MOMENTS)
    close = psnr(fast.rgb(5), Renderer(moving, pyramids(), quality=many).rgb(5))
    took = interleaved({"plain": lambda _: plain.yuv(0), "fast": lambda _: fast.yuv(5)}, ROUNDS)
    name = f"{way} px in the shutter" + (f", {radius} px out of focus" if radius else "")
    return [
        Figure(name, close, "dB", least, "higher"),
        Figure(f"{name}, plain frames", took["fast"] / took["plain"], "x", most),
    ]
