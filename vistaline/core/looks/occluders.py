"""Dark, soft-edged things near the camera: a shape, the edge of a wall, a window's opening."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.arrays import Rgba16
from vistaline.core.keyable import COLOUR, SHARE, Keyed
from vistaline.core.model import HexColour, Length, Part, Share
from vistaline.core.picture.colour import hex_to_linear

__all__ = ["Occluder", "draw_occluder"]

_SIDE = 1024
Side = Literal["left", "right", "top", "bottom"]


class Occluder(Part):
    """What is seen past: dark where it is, with a soft edge."""

    kind: Literal["shape", "edge", "window"] = "shape"
    colour: Annotated[HexColour, Keyed("Colour", "dark", **COLOUR)] = "#07090d"
    softness: Annotated[Share, Keyed("Softness", looks=True, **SHARE)] = Field(
        0.15, description="Width of the soft edge, of the shorter side."
    )
    side: Side = Field("left", description="Which side of its card a wall's edge fills.")
    opening: Annotated[
        tuple[Share, Share],
        Keyed("Open across", "open_across", 0, looks=True, **SHARE),
        Keyed("Open up", "open_up", 1, looks=True, **SHARE),
    ] = Field((0.6, 0.6), description="A window's opening: shares of the card's width and height.")
    bars: int = Field(0, ge=0, le=6, description="Glazing bars across a window, each way.")
    seed: int = Field(1, ge=0, le=1_000_000, description="Which of its outlines a shape has.")
    width: Length = 2.0
    height: Length = 1.2


def draw_occluder(occluder: Occluder, *, side: int = _SIDE) -> Rgba16:
    """Return an occluder as a picture, its longer side ``side`` pixels."""
    width = max(2, round(side * min(1.0, occluder.width / occluder.height)))
    height = max(2, round(side * min(1.0, occluder.height / occluder.width)))
    soft = max(1.0, occluder.softness * min(width, height))
    y, x = np.mgrid[:height, :width] + 0.5
    inside = {"shape": _shape, "edge": _edge, "window": _wall}[occluder.kind](
        occluder, x, y, (width, height), soft
    )
    # A smooth step over the soft edge: its middle is the outline.
    t = np.clip(inside / soft + 0.5, 0, 1)
    alpha = t * t * (3 - 2 * t)
    light = alpha[..., None] * [*hex_to_linear(occluder.colour), 1.0]
    return np.rint(light * 65535).astype(np.uint16)


def _shape(
    occluder: Occluder, x: np.ndarray, y: np.ndarray, size: tuple[int, int], soft: float
) -> np.ndarray:
    """Return pixels inside (> 0) an uneven round outline that keeps clear of the card's edge."""
    rng = np.random.default_rng(occluder.seed)
    half = (size[0] - soft) / 2, (size[1] - soft) / 2
    u, v = (x - size[0] / 2) / half[0], (y - size[1] / 2) / half[1]
    angle, radius = np.arctan2(v, u), np.hypot(u, v)
    outline = np.ones_like(angle)
    for wave in range(2, 9):
        phase, strength = rng.uniform(0, 2 * np.pi), rng.uniform(0.3, 1) * 0.22 / wave
        outline -= strength * (1 + np.cos(wave * angle + phase))
    return (outline - radius) * min(half)


def _edge(
    occluder: Occluder, x: np.ndarray, y: np.ndarray, size: tuple[int, int], soft: float
) -> np.ndarray:
    width, height = size
    return {
        "left": width - soft / 2 - x,
        "right": x - soft / 2,
        "top": height - soft / 2 - y,
        "bottom": y - soft / 2,
    }[occluder.side]


def _wall(
    occluder: Occluder, x: np.ndarray, y: np.ndarray, size: tuple[int, int], soft: float
) -> np.ndarray:
    half = size[0] * occluder.opening[0] / 2, size[1] * occluder.opening[1] / 2
    across, up = x - size[0] / 2, y - size[1] / 2
    inside = np.maximum(np.abs(across) - half[0], np.abs(up) - half[1])
    bar = 0.02 * min(size) + soft / 2
    for n in range(occluder.bars):
        share = 2 * (n + 1) / (occluder.bars + 1) - 1
        for along, reach in ((across, half[0]), (up, half[1])):
            inside = np.maximum(inside, bar / 2 - np.abs(along - share * reach))
    return inside
