"""A clip of 1080p as a backdrop, over plain frames, with its memory; and cloth that moves."""

from __future__ import annotations

import resource
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np

from bench import scene
from bench.figures import Figure
from vistaline.core.formats.moving import MovingFrames, forget_runs
from vistaline.core.looks.cloth import Cloth
from vistaline.core.looks.cloth_motion import Hung, simulated
from vistaline.core.picture.pyramid import Pyramid, PyramidStore, drawn_levels
from vistaline.core.render.frame import Renderer
from vistaline.core.render.source import STANDARD, Asked
from vistaline.core.render.sources import source_on
from vistaline.core.render.tiling import BAND_LINES, TILE_HEIGHT, TILE_WIDTH
from vistaline.core.shot.layer import PictureRef, shown_as
from vistaline.core.shot.running import Held
from vistaline.core.shot.shot import FrameFormat, Layer, Shot, TakingCamera
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import FreeCard, Taken
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.surfaces import surface_of

__all__ = ["measure"]

WARM, ROUNDS = 24, 72
FRAMES = 96
SIZE = (1920, 1080)


def measure() -> list[Figure]:
    """Return what a frame costs with a clip behind it, and how much memory a process holds then."""
    shot, pyramids = scene.shot(), scene.pyramids()
    with tempfile.TemporaryDirectory() as folder:
        clip = _written(Path(folder) / "drift.mp4")
        store = PyramidStore(Path(folder))
        moving = MovingFrames(lambda _: (clip, None))
        behind = _with_clip(shot, clip)
        looks = Looks(behind, store, lambda key: pyramids[key], moving=moving)
        plain = Renderer(shot, pyramids)
        forget_runs()
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        with_clip = Renderer(behind, looks)
        took = {"plain": 0.0, "clip": 0.0}
        for n in range(WARM + ROUNDS):
            # In turns; sums, not medians: decoding comes by runs.
            for name, each in (("plain", plain), ("clip", with_clip)):
                began = time.perf_counter()
                each.rgb(n % shot.duration)
                took[name] += (time.perf_counter() - began) * (n >= WARM)
        held = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1000
    return [
        Figure("a clip as a backdrop, plain frames in all", took["clip"] / took["plain"], "x", 1.5),
        Figure("what it holds in memory, above a plain frame", held, "MB", 600),
        *_cloth(lambda: plain.rgb(7)),
    ]


def _cloth(plain: Callable[[], object]) -> list[Figure]:
    """Return what ten seconds of cloth take to move, and one as large as the frame to draw."""
    cloth = Cloth(grid=16)
    simulated(Hung(cloth, 1.0), 0.1)
    began = time.process_time()
    simulated(Hung(cloth, 1.0), 10.0)
    moving = time.process_time() - began
    draw = _drawing(cloth)
    took: dict[str, list[float]] = {"plain": [], "cloth": []}
    for n in range(11):
        for name, each in (("plain", plain), ("cloth", lambda n=n: draw(n))):
            began = time.process_time()
            each()
            took[name].append(time.process_time() - began)
    ratio = float(np.median(took["cloth"]) / np.median(took["plain"]))
    return [
        Figure("cloth of 16 x 16 points, 300 frames", moving, "CPU s", 1.5),
        Figure("cloth as large as the frame, drawn, over plain frames", ratio, "x", 0.45),
    ]


def _drawing(cloth: Cloth) -> Callable[[int], None]:
    """Return what draws a cloth as large as a frame, at one of its moments."""
    picture = np.random.default_rng(2).integers(0, 65535, (1080, 1920, 4), np.uint16)
    ref = PictureRef(file="flag", width=SIZE[0], height=SIZE[1])
    stands = Taken(box=(0.0, 0.0, *map(float, SIZE)))
    flag = Layer(id="it", name="it", shows=PictureShown(picture="flag"), stands=stands, cloth=cloth)
    shot = Shot(
        name="flag",
        frame=FrameFormat(width=SIZE[0], height=SIZE[1], duration=48),
        taking_camera=TakingCamera(width=SIZE[0], height=SIZE[1], focal_length=35),
        pictures={"flag": ref},
        layers=(flag,),
    )
    pyramid = Pyramid(
        width=SIZE[0],
        height=SIZE[1],
        opaque=False,
        content=(0, 0, *SIZE),
        levels=tuple(drawn_levels(SIZE, lambda out: np.copyto(out, picture), to_its_edges=True)),
    )
    states = evaluate(shot, range(22))
    lines, columns = -(-SIZE[1] // TILE_HEIGHT), -(-SIZE[0] // TILE_WIDTH)
    out = np.empty((BAND_LINES * TILE_HEIGHT, SIZE[0], 4), np.uint16)
    near = np.empty(out.shape[:2], np.float32)

    def draw(n: int) -> None:
        card, camera = states[2 * n].cards[0], states[2 * n].camera
        asked = Asked(STANDARD, opaque=True, cover=np.zeros((lines, columns), np.float32))
        source = source_on(surface_of(card.layer), card, camera, {card.texture: pyramid}, asked)
        assert source and source.seen
        for band in range(-(-lines // BAND_LINES)):
            source.rows(band, out, near)

    draw(0)
    return draw


def _with_clip(shot: Shot, clip: Path) -> Shot:
    ref = PictureRef(
        file=str(clip), width=SIZE[0], height=SIZE[1], frames=FRAMES, rate=Fraction(24)
    )
    shows = shown_as("clip", ref)
    runs = shows.runs and shows.runs.evolve(ends=Held.RETURNING)
    far = Layer(
        name="Sky",
        shows=shows.evolve(runs=runs),
        stands=FreeCard(width=60, stays="lens-behind"),
        distance=50,
    )
    return shot.evolve(pictures=shot.pictures | {"clip": ref}, layers=(far, *shot.layers))


def _written(path: Path) -> Path:
    """Write a drifting sky of soft noise with some grain, as cameras give it."""
    rng = np.random.default_rng(3)
    soft = cv2.resize(rng.random((34, 80, 3)).astype(np.float32), (2500, 1080))
    with av.open(str(path), "w") as out:
        stream: Any = out.add_stream("libx264", rate=24, options={"preset": "veryfast"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for n in range(FRAMES):
            window = soft[:, 4 * n : 4 * n + SIZE[0]] * 200 + 20
            grain = rng.normal(0, 3, SIZE[::-1]).astype(np.float32)[..., None]
            codes = np.clip(window + grain, 0, 255).astype(np.uint8)
            out.mux(stream.encode(av.VideoFrame.from_ndarray(codes, "rgb24")))
        out.mux(stream.encode())
    return path
