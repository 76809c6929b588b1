"""Frames as encoders and screens want them, whatever it is that draws them."""

from __future__ import annotations

from abc import ABC, abstractmethod
from fractions import Fraction
from typing import assert_never

import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.errors import RenderError
from vistaline.core.formats.encoders import Layout
from vistaline.core.picture.coding import codes16, straight_codes16
from vistaline.core.picture.colour import straight_codes
from vistaline.core.render import composite
from vistaline.core.render.canvas import CompositeBand
from vistaline.core.render.laying import Cards

__all__ = ["Frames"]


class Frames(ABC):
    """What can be rendered frame by frame: a shot, a film."""

    def __init__(self, size: tuple[int, int], rate: Fraction) -> None:
        """``size``: width and height of a frame in pixels; ``rate``: frames a second."""
        self.size, self.rate = size, rate
        self.width, self.height = size

    @abstractmethod
    def bands(self, frame: float, composite_band: CompositeBand) -> None:
        """Call ``composite_band(y0, y1, cards, ground)`` for bands of rows that are all of it."""

    def nearest(self, frame: float) -> np.ndarray:
        """Return 1/z of what is seen: (height, width) float32 in 1/m, 0 where nothing is.

        Raises
        ------
        RenderError
            Of several pictures laid over each other, as in a film, there is no one depth.
        """
        raise RenderError(
            "A film has no depth of its own. Render its shots with depth, one by one."
        )

    def rgb(self, frame: float) -> np.ndarray:
        """Return a frame as (height, width, 3) uint8, sRGB."""
        out = np.empty((self.height, self.width, 3), np.uint8)

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            composite.composite_rgb(cards, ground, y0, composite.SRGB, out[y0:y1])

        self.bands(frame, encode)
        return out

    def linear(
        self, frame: float, out: Rgba16 | None = None, *, over_ground: bool = True
    ) -> Rgba16:
        """Return a frame as (height, width, 4) uint16: linear, premultiplied; in ``out`` if given.

        The shot's background shows where nothing is, unless ``over_ground`` is false; alpha is
        that of the layers either way.
        """
        if out is None:
            out = np.empty((self.height, self.width, 4), np.uint16)

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            behind = ground if over_ground else np.zeros_like(ground)
            composite.composite_linear(cards, behind, y0, out[y0:y1])

        self.bands(frame, encode)
        return out

    def yuv(self, frame: float, out: np.ndarray | None = None) -> np.ndarray:
        """Return a frame as (height * 3/2, width) uint8: planar 4:2:0, BT.709, narrow range."""
        width, height = self.width, self.height
        if out is None:
            out = np.empty((height * 3 // 2, width), np.uint8)
        chroma = out.reshape(-1)[height * width :].reshape(2, height // 2, width // 2)

        def encode(y0: int, y1: int, cards: Cards, ground: np.ndarray) -> None:
            half = slice(y0 // 2, y1 // 2)
            composite.composite_yuv(cards, ground, y0, out[y0:y1], chroma[0, half], chroma[1, half])

        self.bands(frame, encode)
        return out

    def pixels(self, frame: float, layout: Layout, out: np.ndarray | None = None) -> np.ndarray:
        """Return a frame as an encoder wants it, in ``out`` if that is given and of use."""
        match layout:
            case Layout.YUV420:
                return self.yuv(frame, out)
            case Layout.RGB8:
                return self.rgb(frame)
            case Layout.RGBA8:
                return straight_codes(self.linear(frame, over_ground=False))
            case Layout.LINEAR16:
                return self.linear(frame)
            case Layout.LIGHT16:
                return self.linear(frame, over_ground=False)
            case Layout.RGB16:
                return codes16(self.linear(frame))
            case Layout.RGBA16:
                return straight_codes16(self.linear(frame, over_ground=False))
            case Layout.LINEAR_NEAR | Layout.LIGHT_NEAR:
                light = self.linear(frame, over_ground=layout is Layout.LINEAR_NEAR)
                near = self.nearest(frame)[..., None]
                return np.concatenate([light / np.float32(65535), near], axis=-1)
        assert_never(layout)
