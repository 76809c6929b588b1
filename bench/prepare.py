"""Putting a 12-megapixel picture in shape: CPU seconds of the heavy steps, and what they gain."""

from __future__ import annotations

import cv2
import numpy as np
import skimage.data

from bench.figures import Figure, timed
from tests.core.test_prepare import blocks_in, compressed
from tests.photos import halved
from tests.worn import PRINTS, judged
from vistaline.core.prepare.compressed import without_blocks
from vistaline.core.prepare.detail import denoised, enlarged
from vistaline.core.prepare.repair import find_damage

SIZE = (4000, 3000)


def measure() -> list[Figure]:
    """Return CPU seconds; enlarging is from 3 to 12 megapixels."""
    photo = skimage.data.astronaut().astype(np.float32) / 255
    large = cv2.resize(photo, SIZE, interpolation=cv2.INTER_CUBIC)
    small = cv2.resize(photo, (SIZE[0] // 2, SIZE[1] // 2), interpolation=cv2.INTER_CUBIC)
    enlarged(photo, (1024, 1024), fine=True)
    works = {
        "prepare, finding scratches at 12 MP": (lambda: find_damage(large), 12.0),
        "prepare, enlarging 3 to 12 MP along edges": (
            lambda: enlarged(small, SIZE, fine=True),
            5.0,
        ),
        "prepare, noise at 12 MP": (lambda: denoised(large, strength=0.4, colour=0.5), None),
    }
    figures = []
    for name, (work, floor) in works.items():
        figures.append(Figure(name, timed(work)[1], "CPU s", floor))
    return [*figures, *_scratches(), _gain(), *_compressed(70), *_compressed(50)]


def _scratches() -> list[Figure]:
    """Return how well damage is found without a brush, and what repairing it gains."""
    figures = []
    for words, megapixels, floor in (("at a megapixel", 1.0, 0.6), ("as they are", None, None)):
        precisions, recalls, gains = np.transpose([judged(name, megapixels) for name in PRINTS])
        named = f"prepare, scratches by themselves, photographs {words}:"
        figures += [
            Figure(f"{named} precision", float(np.mean(precisions)), "", 0.75, "higher"),
            Figure(f"{named} recall of all damage", float(np.mean(recalls)), "", floor, "higher"),
            Figure(f"{named} gain", float(np.mean(gains)), "dB"),
            Figure(f"{named} the worst", float(gains.min()), "dB", -1.0, "higher"),
        ]
    return figures


def _compressed(quality: int) -> list[Figure]:
    """Return what taking blocks out first gains, and what is left of them."""
    gains, left = [], []
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        whole, half = halved(name)
        size = whole.shape[1::-1]
        found = compressed(half, quality)
        clean = without_blocks(found)
        error = [np.mean((enlarged(each, size, fine=True) - whole) ** 2) for each in (found, clean)]
        gains.append(10 * np.log10(error[0] / error[1]))
        left.append(blocks_in(clean) / blocks_in(half))
    words = f"prepare, enlarging a JPEG of quality {quality}:"
    return [
        Figure(f"{words} gain of taking blocks out", float(np.mean(gains)), "dB", 0.0, "higher"),
        Figure(f"{words} blocks left over the photograph's", float(np.mean(left)), "x", 1.05),
    ]


def _gain() -> Figure:
    gains = []
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        whole = getattr(skimage.data, name)().astype(np.float32) / 255
        height, width = (side // 4 * 4 for side in whole.shape[:2])
        whole = np.ascontiguousarray(whole[:height, :width])
        half = cv2.resize(whole, (width // 2, height // 2), interpolation=cv2.INTER_AREA)
        error = [
            np.mean((enlarged(half, (width, height), fine=fine) - whole) ** 2)
            for fine in (False, True)
        ]
        gains.append(10 * np.log10(error[0] / error[1]))
    return Figure(
        "prepare, enlarging along edges over Lanczos", float(np.mean(gains)), "dB", 0.5, "higher"
    )
