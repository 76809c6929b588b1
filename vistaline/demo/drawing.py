"""A small drawing kit on numpy and OpenCV: gradients, fractal noise, soft-edged shapes.

Colours are sRGB triples 0..255; a picture is (height, width, 4) float32, colour not premultiplied,
alpha 0..1. Lengths are fractions of the canvas height unless they say pixels.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

__all__ = [
    "Colour",
    "Picture",
    "blank",
    "curve",
    "fill",
    "glow",
    "gradient",
    "mix",
    "noise",
    "paint",
    "polygon_mask",
    "to_codes",
]

Colour = tuple[float, float, float]
Picture = NDArray[np.float32]
Mask = NDArray[np.float32]
Points = Sequence[tuple[float, float]]


def blank(width: int, height: int) -> Picture:
    """Return a transparent canvas."""
    return np.zeros((height, width, 4), np.float32)


def gradient(position: NDArray[np.float32], stops: Sequence[tuple[float, Colour]]) -> Picture:
    """Return opaque colours for ``position`` (height, width) between stops (place, colour)."""
    places = [place for place, _ in stops]
    channels = [
        np.interp(position, places, [colour[c] for _, colour in stops]).astype(np.float32)
        for c in range(3)
    ]
    return cv2.merge([*channels, np.ones_like(channels[0])])


def noise(width: int, height: int, *, cells: tuple[float, float], octaves: int, seed: int) -> Mask:
    """Return fractal noise about 0..1; ``cells`` across and down in the coarsest octave."""
    rng = np.random.default_rng(seed)
    total = np.zeros((height, width), np.float32)
    weight = 0.0
    for octave in range(octaves):
        columns = max(2, min(width, round(cells[0] * 2**octave)))
        rows = max(2, min(height, round(cells[1] * 2**octave)))
        grid = rng.random((rows + 2, columns + 2), dtype=np.float32)
        total += cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC) * 0.5**octave
        weight += 0.5**octave
    return np.clip(total / weight, 0, 1)


def curve(points: Points, steps: int = 24) -> list[tuple[float, float]]:
    """Return a smooth line through ``points`` (Catmull-Rom)."""
    p = np.array([points[0], *points, points[-1]], float)
    line: list[tuple[float, float]] = []
    for a, b, c, d in zip(p, p[1:], p[2:], p[3:], strict=False):
        for t in np.linspace(0, 1, steps, endpoint=False):
            x, y = 0.5 * (
                2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2
                + (3 * b - a - 3 * c + d) * t**3
            )  # fmt: skip
            line.append((float(x), float(y)))
    return [*line, (float(p[-1][0]), float(p[-1][1]))]


def polygon_mask(width: int, height: int, *polygons: Points) -> Mask:
    """Return the coverage of polygons given in pixels, antialiased."""
    mask = np.zeros((height, width), np.uint8)
    for polygon in polygons:
        fixed = np.rint(np.array(polygon) * 16).astype(np.int32)
        cv2.fillPoly(mask, [fixed], 255, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / 255


def mix(one: Colour, other: Colour, share: float | Mask) -> NDArray[np.float32]:
    """Return colours between two, (…, 3)."""
    share = np.asarray(share, np.float32)[..., None]
    return (1 - share) * np.float32(one) + share * np.float32(other)


def paint(
    picture: Picture, mask: Mask, colour: Colour | NDArray[np.float32], *, opacity: float = 1
) -> None:
    """Lay ``colour`` over ``picture`` where ``mask`` is."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if not len(rows):
        return
    box = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    ink = np.asarray(colour, np.float32)
    ink = ink[box] if ink.ndim == 3 else ink
    above = mask[box] * opacity
    below = picture[box][..., 3] * (1 - above)
    alpha = above + below
    share = np.where(alpha > 0, above / np.maximum(alpha, 1e-6), 1)[..., None]
    picture[box][..., :3] = picture[box][..., :3] * (1 - share) + ink * share
    picture[box][..., 3] = alpha


def fill(picture: Picture, points: Points, colour: Colour, *, opacity: float = 1) -> None:
    """Lay a polygon given in pixels over ``picture``; only its neighbourhood is touched."""
    corners = np.array(points)
    height, width = picture.shape[:2]
    low = np.clip(np.floor(corners.min(axis=0)) - 1, 0, (width, height)).astype(int)
    high = np.clip(np.ceil(corners.max(axis=0)) + 2, 0, (width, height)).astype(int)
    if np.any(low >= high):
        return
    mask = polygon_mask(high[0] - low[0], high[1] - low[1], corners - low)
    paint(picture[low[1] : high[1], low[0] : high[0]], mask, colour, opacity=opacity)


def glow(width: int, height: int, centre: tuple[float, float], radius: float) -> Mask:
    """Return a round falloff about ``centre`` (pixels), 1 in the middle, 0.37 at ``radius``."""
    y, x = np.ogrid[:height, :width]
    distance = ((x - centre[0]) ** 2 + (y - centre[1]) ** 2) / radius**2
    return np.exp(-distance).astype(np.float32)


def to_codes(picture: Picture) -> NDArray[np.uint8]:
    """Return (height, width, 4) uint8 sRGB codes."""
    codes = np.rint(picture * np.float32([1, 1, 1, 255]))
    return np.clip(codes, 0, 255).astype(np.uint8)
