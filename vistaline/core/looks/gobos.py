"""Shapes that stand in a lamp's way: a window, blinds, leaves; what is white lets light through."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray, Rgba16
from vistaline.core.keyable import SHARE, SIZE, Keyed
from vistaline.core.model import Part, Share

__all__ = ["Gobo", "GoboShape", "draw_gobo"]

_SIDE = 512
_FINE = 4
"""Places a pixel and way at which a shape is looked at."""


class GoboShape(StrEnum):
    """What stands in the light."""

    WINDOW = "window"
    ARCH = "arch"
    """A window with a round head."""
    BLINDS = "blinds"
    LEAVES = "leaves"
    PICTURE = "picture"
    """A picture of the shot, in its colours, as a slide is thrown."""


class Gobo(Part):
    """A shape or a picture that a lamp throws: only through it light falls."""

    shape: GoboShape = GoboShape.WINDOW
    picture: str = Field("", max_length=80, description="A key of the shot's pictures.")
    columns: int = Field(2, ge=1, le=12, description="Panes across.")
    rows: int = Field(3, ge=1, le=24, description="Panes up, or slats.")
    bars: Share = Field(0.12, description="How much of a pane its bars take.")
    seed: int = Field(1, ge=0, le=1_000_000, description="Which leaves.")
    blur: Annotated[float, Keyed("Blur", "gobo_blur", **SHARE)] = Field(
        0.03, ge=0, le=1, allow_inf_nan=False, description="Of its width: how soft it falls."
    )
    width: Annotated[float, Keyed("Width", "gobo_width", unit="m", **SIZE)] = Field(
        1.5, gt=0, le=1e4, allow_inf_nan=False, description="Metres, in parallel light."
    )


def draw_gobo(gobo: Gobo) -> Rgba16:
    """Return a shape (side, side, 4) uint16, opaque: white where light goes through.

    Raises ValueError for a picture, which is one already.
    """
    side = _SIDE * _FINE
    x, y = np.meshgrid((np.arange(side) + 0.5) / side, (np.arange(side) + 0.5) / side)
    match gobo.shape:
        case GoboShape.WINDOW:
            open_ = _panes(gobo, x, y, 0.75)
        case GoboShape.ARCH:
            # Its head is half of a circle as wide as the window.
            high = np.minimum(y, 0.375)
            inside = (x - 0.5) ** 2 + (high - 0.375) ** 2 < 0.375**2
            open_ = _panes(gobo, x, y, 0.75) & inside
        case GoboShape.BLINDS:
            open_ = ((y * gobo.rows) % 1 > gobo.bars) & (np.abs(x - 0.5) < 0.5)
        case GoboShape.LEAVES:
            open_ = ~_leaves(gobo.seed, x, y)
        case GoboShape.PICTURE:
            raise ValueError("a picture is not drawn")
    light = open_.reshape(_SIDE, _FINE, _SIDE, _FINE).mean(axis=(1, 3)) * 65535
    out = np.full((_SIDE, _SIDE, 4), 65535, np.uint16)
    out[..., :3] = np.rint(light)[..., None]
    return out


def _panes(gobo: Gobo, x: FloatArray, y: FloatArray, wide: float) -> np.ndarray:
    """Return where panes are (side, side) bool, of a window as high as the shape."""
    across = (x - 0.5) / wide + 0.5
    bar = gobo.bars / 2
    u, v = across * gobo.columns % 1, y * gobo.rows % 1
    clear = (u > bar) & (u < 1 - bar) & (v > bar) & (v < 1 - bar)
    return np.asarray(clear & (across > 0) & (across < 1))


def _leaves(seed: int, x: FloatArray, y: FloatArray) -> np.ndarray:
    """Return where leaves are (side, side) bool: pointed ones, this way and that, on twigs."""
    rng = np.random.default_rng(seed)
    covered = np.zeros(x.shape, bool)
    side = len(x)
    for _ in range(110):
        middle, turn = rng.uniform(-0.05, 1.05, 2), rng.uniform(0, np.pi)
        half = rng.uniform(0.035, 0.075)
        x0, x1 = (int(np.clip((middle[0] + k * half) * side, 0, side)) for k in (-1, 1))
        y0, y1 = (int(np.clip((middle[1] + k * half) * side, 0, side)) for k in (-1, 1))
        dx, dy = x[y0:y1, x0:x1] - middle[0], y[y0:y1, x0:x1] - middle[1]
        along = (dx * np.cos(turn) + dy * np.sin(turn)) / half
        aside = (dy * np.cos(turn) - dx * np.sin(turn)) / half
        covered[y0:y1, x0:x1] |= np.abs(aside) < 0.38 * (1 - along**2)
    return covered
