"""A leaf of the trust's logbook, large enough for close-ups: writing, tides, a chart, the lamp."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np
from PIL import Image, ImageDraw

from vistaline.core.looks.typefaces import fonts_of

__all__ = ["SIZE", "draw_leaf"]

SIZE = (3000, 4500)
INK, RED, BLUE = (44, 46, 74), (168, 70, 58), (88, 104, 128)
Box = tuple[int, int, int, int]
Draw = ImageDraw.ImageDraw

_ENTRIES = (
    "Oct. 14. Wind N.W., fresh. Lamp lit 5.20, out 6.41.",
    "Two colliers passed S. before ten, one under tow.",
    "Oil 3 gal. 1 pt. Glass cleaned, wicks trimmed.",
    "",
    "Oct. 15. Fog from four. Bell rung till dawn by turns.",
    "The reeds quite still. No sail seen, none heard.",
    "",
    "Oct. 16. Clear, hard frost. Keeper's boy ill; better",
    "by night. Painted the gallery rail, two coats.",
    "",
    "Oct. 17. Swell from the W. Supply boat could not land.",
    "Her light shewn at eleven; answered with the lamp.",
)


def draw_leaf() -> np.ndarray:
    """Return the page, (height, width, 3) uint8."""
    image = Image.fromarray(_paper())
    draw = ImageDraw.Draw(image)
    title = fonts_of("playfair", 700, 170)[0]
    draw.text((1500, 300), "Sallow Head Light", INK, title, "mm")
    draw.text(
        (1500, 470), "Journal kept on the station", INK, fonts_of("playfair", 400, 76)[0], "mm"
    )
    draw.line((300, 580, 2700, 580), INK, 8)
    draw.line((300, 600, 2700, 600), INK, 3)
    parts: Sequence[tuple[Box, Callable[[Draw, Box], None]]] = (
        ((250, 720, 2750, 2150), _writing),
        ((250, 2330, 1380, 3250), _tides),
        ((1560, 2330, 2750, 3250), _chart),
        ((250, 3430, 2750, 4280), _section),
    )
    for box, part in parts:
        draw.rectangle(box, outline=BLUE, width=5)
        part(draw, box)
    return np.asarray(image)


def _paper() -> np.ndarray:
    rng = np.random.default_rng(1887)
    width, height = SIZE
    # Soft all over: drawn small, where a wide blur costs nothing.
    stain = cv2.resize(rng.normal(0, 1, (11, 8)).astype(np.float32), (width // 8, height // 8))
    stain = cv2.resize(cv2.GaussianBlur(stain, (0, 0), width / 8 / 14), SIZE)
    fibre = cv2.GaussianBlur(rng.normal(0, 9, (height, width)).astype(np.float32), (0, 0), 1.2)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    edge = np.minimum.reduce([x, y, width - x, height - y])
    dark = 26 * np.exp(-edge / 120)
    paper = np.array([233, 219, 186]) + (8 * stain + fibre - dark)[..., None]
    return np.clip(paper, 0, 255).astype(np.uint8)


def _writing(draw: Draw, box: Box) -> None:
    left, top, right, _ = box
    hand = fonts_of("courier", 400, 70)[0]
    for n, line in enumerate(_ENTRIES):
        y = top + 150 + n * 108
        draw.line((left + 60, y + 20, right - 60, y + 20), (168, 172, 178), 3)
        draw.text((left + 210, y), line, INK, hand, "ls")
    draw.line((left + 170, top + 40, left + 170, box[3] - 40), RED, 4)


def _tides(draw: Draw, box: Box) -> None:
    left, top, right, bottom = box
    head, small = fonts_of("playfair", 600, 64)[0], fonts_of("courier", 400, 46)[0]
    draw.text(((left + right) / 2, top + 80), "Tides at the landing", INK, head, "mm")
    for n, hour in enumerate(("I", "IV", "VII", "X", "I", "IV", "VII", "X")):
        draw.text((left + 100 + n * 133, bottom - 60), hour, INK, small, "mm")
    for level in range(5):
        y = bottom - 150 - level * 130
        draw.line((left + 60, y, right - 60, y), (186, 184, 176), 3)
        draw.text((left + 40, y), f"{3 * level}", INK, small, "rm")
    across = np.linspace(left + 90, right - 90, 240)
    height = np.sin((across - left) / 262 * 2 * np.pi / 1.9) * 215
    points = list(zip(across.tolist(), (bottom - 405 - height).tolist(), strict=True))
    draw.line(points, RED, 9, "curve")


def _chart(draw: Draw, box: Box) -> None:
    left, top, right, bottom = box
    head, small = fonts_of("playfair", 600, 64)[0], fonts_of("playfair", 400, 44)[0]
    draw.text(((left + right) / 2, top + 80), "The head and the bay", INK, head, "mm")
    rng = np.random.default_rng(5)
    walk = np.cumsum(rng.normal(0, 16, 120))
    walk -= np.linspace(walk[0], walk[-1], 120)  # it ends as high as it begins
    coast = [
        (left + 80 + n * (right - left - 160) / 119, top + 430 + walk[n] + 90 * np.sin(n / 17))
        for n in range(120)
    ]
    draw.line(coast, INK, 8, "curve")
    for depth in range(1, 5):
        draw.line([(x, min(y + depth * 70, bottom - 30)) for x, y in coast], BLUE, 3, "curve")
    x, y = coast[74]
    draw.regular_polygon((x, y - 40, 30), 3, fill=RED)
    draw.text((x + 50, y - 50), "Light", INK, small, "lm")
    for degrees in range(0, 360, 45):
        a = np.radians(degrees)
        long = 110 if degrees % 90 == 0 else 60
        middle = (left + 210, bottom - 170)
        draw.line((*middle, middle[0] + long * np.sin(a), middle[1] - long * np.cos(a)), INK, 4)


def _section(draw: Draw, box: Box) -> None:
    left, top, right, bottom = box
    head, small = fonts_of("playfair", 600, 64)[0], fonts_of("courier", 400, 46)[0]
    draw.text((left + 620, top + 90), "Lamp of the first order, in section", INK, head, "mm")
    middle, flame = right - 700, (top + bottom) / 2
    for n in range(11):
        y = top + 70 + n * 66
        wide = 210 + 190 * np.sin((n + 1) / 12 * np.pi)
        for side in (-1, 1):
            draw.rectangle(
                (middle + side * wide - 24, y, middle + side * wide + 24, y + 54),
                outline=INK,
                width=5,
            )
    draw.ellipse((middle - 60, flame - 120, middle + 60, flame + 120), outline=RED, width=8)
    for end in np.linspace(top + 60, bottom - 60, 7):
        draw.line((middle, flame, left + 1300, end), RED, 3)
        draw.line((middle, flame, right - 40, end), RED, 3)
    for n, line in enumerate(("Ribs, 22 in all.", "Flame, 4 wicks.", "Seen at 18 miles.")):
        draw.text((left + 140, top + 300 + n * 150), line, INK, small, "ls")
