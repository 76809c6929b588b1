"""What may happen to a card's pixels before they are composited: the protocol, and what it is told.

``modifiers`` has the list of all that do.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.source import Asked, Quality, Source
from vistaline.core.render.tiling import BAND_LINES
from vistaline.core.render.warp import BAND
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState

__all__ = ["Band", "Maker", "Modifier", "Placement", "Tint"]


@dataclass(frozen=True, eq=False)
class Band:
    """A band of rows of one card, as a modifier is given it."""

    index: int
    """Which band of the frame it is; its first row is ``BAND`` times that."""
    pixels: np.ndarray
    """(BAND, width, 4) uint16, linear light, premultiplied: to be changed in place."""
    scratch: np.ndarray
    """As large as ``pixels``, for whatever is wanted."""
    told: np.ndarray
    """(BAND, width) float32: what the source told with its pixels; ``near`` is for all sources."""
    source: Source
    camera: CameraState

    @property
    def lines(self) -> slice:
        """Its lines among the frame's tiles."""
        return slice(self.index * BAND_LINES, (self.index + 1) * BAND_LINES)

    @cached_property
    def near(self) -> np.ndarray:
        """(BAND, width): 1/z in 1/m at every pixel; 0 or less where the card is not."""
        if self.source.nearness is None:
            return self.told
        a, b, c = self.source.nearness
        rows, columns = self.pixels.shape[:2]
        y = self.index * BAND + np.arange(rows)[:, None] + 0.5
        return np.asarray(a * (np.arange(columns) + 0.5) + b * y + c)

    @cached_property
    def world(self) -> FloatArray:
        """(BAND, width, 3): the place on the stage, in metres, that each pixel shows.

        Where the card is not it means nothing.
        """
        rows, columns = self.pixels.shape[:2]
        x, y = np.meshgrid(np.arange(columns) + 0.5, self.index * BAND + np.arange(rows) + 0.5)
        return shown_places(self.camera, x, y, np.where(self.near > 0, self.near, 1))


def shown_places(camera: CameraState, x: FloatArray, y: FloatArray, near: np.ndarray) -> FloatArray:
    """Return the places (..., 3) on the stage that frame points show at 1/z ``near``, above 0."""
    points = np.stack([x, y, np.ones_like(x)], axis=-1)
    # With z towards the viewer, a pixel's ray is the inverse camera's, scaled to depth 1/near.
    ways = points @ np.linalg.inv(camera.image_from_camera).T / near[..., None]
    return np.asarray(ways @ camera.world_from_camera[:3, :3].T + np.array(camera.position))


class Modifier(Protocol):
    """Something that happens to a card's pixels in one frame."""

    def modify(self, band: Band) -> None:
        """Change the band's pixels in place; called by several threads, each with its bands."""
        ...


class Tint(ABC):
    """A modifier that keeps a share of a card's light and adds to it, slowly changing over it.

    Such a one, where it is the last, is done as a card is laid, and costs no pass of its own.
    """

    @abstractmethod
    def modify(self, band: Band) -> None:
        """As a :class:`Modifier`."""

    @abstractmethod
    def cells(self, index: int, source: Source, size: tuple[int, int]) -> np.ndarray:
        """Return (lines, 4, columns) float32: what is kept, and what is added, 0..65535 a colour.

        At the corners of the squares (``gridded.CELL``) of the ``index``-th band of a flat
        ``source``; ``size``: rows and columns of the band's pixels. Where the source shows nothing
        it means nothing.
        """


@dataclass(frozen=True, eq=False)
class Placement:
    """A card as it is placed in a frame: what modifiers are chosen by."""

    index: int
    """Which of the frame's cards it is."""
    card: Card
    source: Source
    state: FrameState
    looks: Mapping[str, Pyramid]
    quality: Quality
    tiles: tuple[int, int]
    """Lines and columns of the frame."""
    camera: CameraState
    """The state's, or that over another raster."""
    behind: Callable[[CameraState], np.ndarray]
    """Draws what is seen behind the card (height, width, 4) uint16, linear, over a raster."""

    @property
    def unhidden(self) -> Asked:
        """How what belongs to the card is wanted: whatever hides the card hides it anyway."""
        return Asked(self.quality, opaque=False, cover=np.zeros(self.tiles))


Maker = Callable[[Placement], Sequence[Modifier] | None]
"""Says what it does to a card; None: nothing of the card is left, so that it is not drawn."""
