"""The demo's flat pictures: a photograph to cut, its depth map, an old glass plate to repair.

They are made of the drawn layers, so they show the same headland.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from vistaline.core.files import write_atomically
from vistaline.core.picture.still import encode_jpeg, encode_png
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.stands import Box

__all__ = ["flattened", "write_flat_pictures"]

_PLATE_WIDTH = 2400
_TILT = 1.6


def write_flat_pictures(folder: Path, shot: Shot) -> list[Path]:
    """Write the flat pictures of a shot whose pictures lie in ``folder``; returns their paths."""
    photo, depth = flattened(folder, shot)
    paths = [
        folder / name for name in ("photograph.jpg", "photograph-depth.png", "glass-plate.jpg")
    ]
    write_atomically(paths[0], encode_jpeg(photo, 94))
    write_atomically(paths[1], encode_png(depth))
    write_atomically(paths[2], encode_jpeg(_glass_plate(photo), 90))
    return paths


def flattened(folder: Path, shot: Shot) -> tuple[np.ndarray, np.ndarray]:
    """Return the layers laid over one another, and how near each pixel is (white is near)."""
    width, height = shot.taking_camera.canvas
    photo = np.zeros((height, width, 3), np.float32)
    depth = np.zeros((height, width), np.float32)
    far = max(layer.distance for layer in shot.layers)
    for layer in sorted(shot.layers, key=lambda layer: -layer.distance):
        codes = cv2.imread(str(folder / shot.pictures[layer.picture].file), cv2.IMREAD_UNCHANGED)
        assert codes is not None and layer.box is not None
        part, alpha = _place(layer.box), np.ones(codes.shape[:2], np.float32)
        if codes.shape[2] == 4:
            alpha = codes[..., 3].astype(np.float32) / 255
        rgb = cv2.cvtColor(codes[..., :3], cv2.COLOR_BGR2RGB).astype(np.float32)
        photo[part] = photo[part] * (1 - alpha[..., None]) + rgb * alpha[..., None]
        nearness = 255 * (1 - np.log1p(layer.distance) / np.log1p(far))
        depth[part] = np.where(alpha > 0.5, nearness, depth[part])
    return np.rint(photo).astype(np.uint8), np.rint(depth).astype(np.uint8)


def _place(box: Box) -> tuple[slice, slice]:
    x, y, width, height = (round(side) for side in box)
    return slice(y, y + height), slice(x, x + width)


def _glass_plate(photo: np.ndarray) -> np.ndarray:
    """Return the photograph as an old plate: grey, faded, tilted, scratched, dusty."""
    rng = np.random.default_rng(1907)
    scale = _PLATE_WIDTH / photo.shape[1]
    small = cv2.resize(photo, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    height, width = small.shape[:2]
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), _TILT, 1.06)
    turned = cv2.warpAffine(small, turn, (width, height), flags=cv2.INTER_CUBIC)
    grey = cv2.cvtColor(turned, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    grey += rng.normal(0, 0.018, grey.shape).astype(np.float32)
    damage = np.zeros_like(grey)
    for _ in range(26):
        start = rng.uniform((0, 0), (width, height))
        angle = rng.normal(1.3, 0.5)
        steps = np.cumsum(rng.normal(0, 0.5, (60, 2)), axis=0)
        along = np.linspace(0, rng.uniform(120, 700), 60)[:, None]
        points = start + along * (np.cos(angle), np.sin(angle)) + steps
        line = np.rint(points * 8).astype(np.int32)
        strength, thickness = float(rng.uniform(0.5, 1)), int(rng.integers(1, 3))
        cv2.polylines(damage, [line], False, strength, thickness, cv2.LINE_AA, shift=3)
    for _ in range(240):
        spot = tuple(int(c) for c in rng.uniform((0, 0), (width, height)))
        cv2.circle(damage, spot, int(rng.integers(1, 4)), float(rng.uniform(0.4, 1)), -1)
    grey = grey * (1 - damage) + damage * 0.95
    across = np.linspace(-1, 1, width) ** 2 + (np.linspace(-1, 1, height) ** 2)[:, None]
    faded = (0.26 + 0.5 * np.clip(grey, 0, 1)) * (1 - 0.1 * across)
    tone = np.stack([faded * 1.06, faded * 0.97, faded * 0.82], axis=-1)
    return np.rint(np.clip(tone, 0, 1) * 255).astype(np.uint8)
