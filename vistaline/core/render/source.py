"""Protocol of whatever the renderer draws: which part of the frame it covers, and its pixels."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.picture.pyramid import Pyramid

__all__ = [
    "DRAFT",
    "FINAL",
    "QUALITIES",
    "STANDARD",
    "Asked",
    "Fetched",
    "Quality",
    "Source",
    "Sparse",
]


@dataclass(frozen=True)
class Quality:
    """How finely textures are sampled."""

    samples: int
    """Samples a pixel may take where a card recedes."""
    bias: float
    """Added to the level's number: -1 samples a level twice as fine as needed."""
    views: int = 0
    """Through so many points of a lens a frame is seen where something is out of focus; 0: what is
    out of focus is blurred, card by card."""
    moments: int = 0
    """At how many moments of its shutter a frame is seen at least, where something moves."""


DRAFT = Quality(samples=1, bias=0.0)
STANDARD = Quality(samples=8, bias=0.0)
FINAL = Quality(samples=32, bias=-1.0, views=32)
QUALITIES = {"draft": DRAFT, "standard": STANDARD, "final": FINAL}
"""What is asked for by these words."""


@dataclass(frozen=True, eq=False)
class Asked:
    """How a source is wanted."""

    quality: Quality
    opaque: bool
    """Whether what is opaque in its picture hides what is behind: no blending, no matte."""
    cover: np.ndarray
    """(lines, columns) for the tiles of the frame: the least 1/z of the nearest thing that is
    solid all over a tile, 0 if none is. A source leaves out what is hidden, and notes what it
    hides. The camera says how large the frame is, so that a source can be had at any size."""


@dataclass(frozen=True, eq=False)
class Fetched:
    """Where a kernel itself finds the pixels of a flat source, for stacks so deep that most of
    it is hidden; see ``render.sample``."""

    pyramid: Pyramid
    texel_from_image: Matrix3
    codes: np.ndarray
    """(lines, columns) int64: how finely each tile is sampled; see ``tiling.plan_tiles``."""


class Source(Protocol):
    """One thing in one frame."""

    @property
    def seen(self) -> bool:
        """Whether any of it is seen."""
        ...

    @property
    def bounds(self) -> tuple[int, int, int, int]:
        """The frame pixels it may touch: x0, y0, x1, y1."""
        ...

    @property
    def tiles(self) -> np.ndarray:
        """(lines, columns) uint8: a ``tiling.Tile`` for each tile of the frame."""
        ...

    @property
    def edges(self) -> FloatArray:
        """(EDGES, 3): signed distances a x + b y + c in pixels from its edges, positive inside.
        They are smoothed when it is composited."""
        ...

    @property
    def nearness(self) -> FloatArray | None:
        """(3,) of a flat thing: its 1/z = a x + b y + c over the frame. None: it is told with the
        pixels."""
        ...

    @property
    def fetched(self) -> Fetched | None:
        """How a kernel may fetch its pixels without ``rows``; None if it may not."""
        ...

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Put a band of the frame into ``out`` (BAND, frame width, 4), uint16: linear light,
        premultiplied. Only tiles that are not empty are sure to be written.

        ``near`` (BAND, frame width) float32 takes 1/z in 1/m, 0 where it is not, unless
        ``nearness`` tells that.
        """
        ...


class Sparse(ABC):
    """A source that shows little, here and there: only where it does it need be composited."""

    @abstractmethod
    def marked_rows(self, band: int, out: np.ndarray, near: np.ndarray, marks: np.ndarray) -> None:
        """As :meth:`Source.rows`, but only where ``marks`` (BAND, pieces) uint8, all 0 before, is
        set to 1: for each piece of ``laying.PIECE`` pixels where something is."""
