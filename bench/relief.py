"""A relief: a frame over plain warps, its triangles, and what preparing it takes."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
import skimage.data

from bench.figures import Figure
from vistaline.core.arrays import Rgba16
from vistaline.core.picture.colour import linear16_from_srgb
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.relief.meshing import mesh_on
from vistaline.core.relief.sheets import sheets_of
from vistaline.core.relief.tearing import tears_of
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.layer import Layer, PictureRef
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Shot, TakingCamera
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Relief
from vistaline.core.stage.drawn import Looks

__all__ = ["measure"]

SIZE = (1920, 1080)
ROUNDS = 11


def measure() -> list[Figure]:
    """Return what a frame of a stereo pair's left view costs, and what it is made of."""
    picture, nearness = _motorcycle()
    with tempfile.TemporaryDirectory() as folder:
        warps = _frame_over_warps(picture, nearness, Path(folder))
    front = mesh_on(nearness, tears_of(nearness))
    dense = 2 * (nearness.shape[0] - 1) * (nearness.shape[1] - 1)
    return [
        Figure("a relief in a 1080p frame, over warps of a picture", warps, "x", 12),
        Figure("triangles of its front, over a dense mesh's", len(front.faces) / dense, "x", 1 / 3),
        *(
            Figure(
                f"preparing 12 MP, filled {way}", _preparing(picture, nearness, way), "CPU s", 12
            )
            for way in ("smoothly", "with texture")
        ),
    ]


def _motorcycle() -> tuple[Rgba16, np.ndarray]:
    """Return the left view that scikit-image ships, and its nearness, holes filled from beside."""
    left, _, disparity = skimage.data.stereo_motorcycle()
    known = np.isfinite(disparity) & (disparity > 0)
    filled = cv2.inpaint(
        np.where(known, disparity, 0).astype(np.float32), (~known).astype(np.uint8), 3, 0
    )
    nearness = (filled - filled.min()) / np.ptp(filled)
    light = linear16_from_srgb(256)[left]
    return np.dstack([light, np.full(left.shape[:2], 65535, np.uint16)]), nearness


def _frame_over_warps(picture: Rgba16, nearness: np.ndarray, folder: Path) -> float:
    store = PyramidStore(folder)
    codes = linear16_from_srgb(65536)[np.rint(nearness * 65535).astype(np.uint16)]
    depth = np.dstack([codes, codes, codes, np.full(codes.shape, 65535, np.uint16)])
    pictures = {"photo": picture, "depth": depth}
    height, width = nearness.shape
    refs = {key: PictureRef(file=key, width=width, height=height) for key in pictures}
    box = (0.0, 0.0, float(width), float(height))
    stands = Relief(box=box, depth="depth", at=4, near=2.4, far=20, texture=False)
    framing = Framing(frame=0, position=(0.15, 0.02, -0.1), lens=38)
    shot = Shot(
        name="relief",
        frame=FrameFormat(width=SIZE[0], height=SIZE[1], duration=1),
        taking_camera=TakingCamera(width=width, height=height, focal_length=35),
        pictures=refs,
        layers=(
            Layer(
                id="it", name="it", shows=PictureShown(picture="photo"), stands=stands, distance=4
            ),
        ),
        cameras=(Camera(route=Route(framings=(framing,))),),
    )
    looks = Looks(shot, store, lambda key: store.get(key, lambda: pictures[key]))
    renderer = Renderer(shot, looks)
    flat = np.random.default_rng(1).integers(0, 65535, (2250, 4000, 4), np.uint16)
    matrix = np.array([[0.48, 0.01, 3], [0.004, 0.48, 2], [1e-6, 2e-6, 1.0]])
    renderer.rgb(0)
    took: dict[str, list[float]] = {"frame": [], "warp": []}
    for _ in range(ROUNDS):
        began = time.process_time()
        renderer.rgb(0)
        took["frame"].append(time.process_time() - began)
        began = time.process_time()
        cv2.warpPerspective(flat, matrix, SIZE, flags=cv2.INTER_LINEAR)
        took["warp"].append(time.process_time() - began)
    return float(np.median(took["frame"]) / np.median(took["warp"]))


def _preparing(picture: Rgba16, nearness: np.ndarray, way: str) -> float:
    size = (4200, 2834)
    large = cv2.resize(picture, size, interpolation=cv2.INTER_CUBIC)
    large[..., 3] = 65535
    fine = cv2.resize(nearness, size, interpolation=cv2.INTER_NEAREST)
    began = time.process_time()
    sheets_of(large, fine, texture=way == "with texture")
    return time.process_time() - began
