"""Photographs as worn prints: 22 long scratches, 6 hairs and 70 specks, where each covers what."""

from __future__ import annotations

import cv2
import numpy as np
from skimage.metrics import peak_signal_noise_ratio

from tests.photos import photograph
from vistaline.core.prepare.repair import find_damage, repaired

__all__ = ["PRINTS", "judged", "print_of", "worn", "worn_unevenly"]

PRINTS = ("astronaut", "chelsea", "coffee", "rocket", "motorcycle", "aloeL.jpg", "building.jpg",
          "fruits.jpg", "home.jpg")  # fmt: skip


def worn(photo: np.ndarray, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Return a photo (float32, 0..1) worn, and how much of each pixel is covered, 0 to 1.

    Scratches are nearly straight, one to three pixels wide, three of four light, half to wholly
    opaque, and up to 700 pixels long in a megapixel.
    """
    rng = np.random.default_rng(seed)
    height, width = photo.shape[:2]
    scale = (height * width / 1e6) ** 0.5
    out, cover = photo.copy(), np.zeros((height, width), np.float32)

    def put(mark: np.ndarray, value: float) -> None:
        nonlocal out, cover
        mark = cv2.GaussianBlur(mark, (0, 0), 0.6)
        out = out * (1 - mark[..., None]) + np.float32(value) * mark[..., None]
        cover = np.maximum(cover, mark)

    def line(points: np.ndarray, opaque: float, wide: int) -> np.ndarray:
        mark = np.zeros((height, width), np.float32)
        eighths = np.rint(points * 8).astype(np.int32)
        return cv2.polylines(mark, [eighths], False, opaque, wide, cv2.LINE_AA, 3)

    for _ in range(22):
        angle, length = rng.uniform(0, np.pi), rng.uniform(120, 700) * scale
        start = rng.uniform((0, 0), (width, height))
        points = start + np.linspace(0, length, 60)[:, None] * (np.cos(angle), np.sin(angle))
        points += np.cumsum(rng.normal(0, 0.35, (60, 2)), 0)
        mark = line(points, float(rng.uniform(0.5, 1)), int(rng.integers(1, 4)))
        put(mark, rng.uniform(0.75, 1) if rng.random() < 0.75 else rng.uniform(0, 0.2))
    for _ in range(6):
        start = rng.uniform((0, 0), (width, height))
        angles = rng.uniform(0, 2 * np.pi) + np.cumsum(rng.normal(0, 0.12, 60))
        steps = np.stack([np.cos(angles), np.sin(angles)], axis=1) * 2.5 * scale
        put(line(start + np.cumsum(steps, 0), 0.9, 1), 0.1)
    for _ in range(70):
        mark = np.zeros((height, width), np.float32)
        x, y = rng.uniform((0, 0), (width, height)).astype(int).tolist()
        cv2.circle(mark, (x, y), int(rng.integers(1, 4)), float(rng.uniform(0.5, 1)), -1)
        put(mark, rng.uniform(0.75, 1))
    return out.astype(np.float32), cover


def worn_unevenly(photo: np.ndarray, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """As :func:`worn`, as seen in life: by long scratches only, but more kinds of them.

    The print may be grey or brown; scratches come and go in how opaque they are, break off, and
    are not quite neutral; then all of it is a little out of focus, and a JPEG.
    """
    rng = np.random.default_rng(seed)
    height, width = photo.shape[:2]
    scale = (height * width / 1e6) ** 0.5
    tint = np.float32([(1, 1, 1), (1, 1, 1), (1, 0.9, 0.75)])[kind := int(rng.integers(0, 3))]
    grey = (photo @ np.float32([0.3, 0.59, 0.11]))[..., None]
    out, cover = (grey * tint if kind else photo), np.zeros((height, width), np.float32)
    for _ in range(24):
        angle, length = rng.uniform(0, np.pi), rng.uniform(100, 800) * scale
        start = rng.uniform((0, 0), (width, height))
        points = start + np.linspace(0, length, 80)[:, None] * (np.cos(angle), np.sin(angle))
        points += np.cumsum(rng.normal(0, rng.choice([0.1, 0.35, 0.5]), (80, 2)), 0)
        opaque = rng.uniform(0.35, 1) * np.clip(
            1 + _smooth(rng.normal(0, 1, 100), 21) * rng.uniform(0, 2), 0.3, 1.3
        )
        opaque *= _smooth(rng.normal(0, 1, 88), 9) > rng.choice([-9, -0.5])
        wide, eighths = int(rng.integers(1, 4)), np.rint(points * 8).astype(int).tolist()
        mark = np.zeros((height, width), np.float32)
        for here, a, b in zip(opaque.clip(max=1).tolist(), eighths, eighths[1:], strict=False):
            if here:
                cv2.line(mark, a, b, here, wide, cv2.LINE_AA, 3)
        mark = cv2.GaussianBlur(mark, (0, 0), 0.6)
        value = rng.uniform(0.7, 1) if rng.random() < 0.7 else rng.uniform(0, 0.25)
        colour = np.float32(value * (1 + rng.normal(0, 0.03, 3)) * tint)
        out = out * (1 - mark[..., None]) + colour * mark[..., None]
        cover = np.maximum(cover, mark)
    soft = rng.uniform(0, 0.9)
    if soft > 0.3:
        out = cv2.GaussianBlur(out, (0, 0), soft)
    quality = [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(75, 98))]
    _, data = cv2.imencode(".jpg", np.clip(out * 255, 0, 255).astype(np.uint8), quality)
    return cv2.imdecode(data, cv2.IMREAD_COLOR).astype(np.float32) / 255, cover


def _smooth(values: np.ndarray, over: int) -> np.ndarray:
    return np.convolve(values, np.ones(over) / over, "valid")


def print_of(name: str, megapixels: float | None = None) -> np.ndarray:
    """Return a photograph as float32 (height, width, 3), 0..1: as it is, or made so large."""
    photo = photograph(name).astype(np.float32) / 255
    if megapixels is None:
        return photo
    height, width = photo.shape[:2]
    by = (megapixels * 1e6 / (height * width)) ** 0.5
    how = cv2.INTER_AREA if by < 1 else cv2.INTER_CUBIC
    return cv2.resize(photo, (round(width * by), round(height * by)), interpolation=how).clip(0, 1)


def judged(name: str, megapixels: float | None = None) -> tuple[float, float, float]:
    """Return precision, recall and gain (decibels) of looking for a worn print's damage unaided.

    A pixel is damage if a third of it is covered; where a fiftieth is, marking it is not wrong.
    """
    whole = print_of(name, megapixels)
    broken, cover = worn(whole, 21)
    found = find_damage(broken)
    before, after = (
        float(peak_signal_noise_ratio(whole, each, data_range=1))
        for each in (broken, repaired(broken, found))
    )
    right, of_all = (found & (cover > 0.02)).sum(), (cover > 0.3)
    return float(right / found.sum()), float((found & of_all).sum() / of_all.sum()), after - before
