"""The ordered list of what changes a card's pixels before they are composited: shadows, matte.

Each entry is a function that is given a card as it is placed in a frame and returns the modifier
for it, or nothing. A new one is a class with one method and its function in the list.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.laying import EDGES
from vistaline.core.render.modify import cast_shadow, keep_matte
from vistaline.core.render.outlines import EVERYWHERE, bounds_of, shade_corners
from vistaline.core.render.source import Asked, Quality, Source
from vistaline.core.render.sources import source_on
from vistaline.core.render.tiling import BAND_LINES
from vistaline.core.render.warp import BAND, CardWarp
from vistaline.core.shot.layer import Matte
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.shadows import Cast
from vistaline.core.stage.surfaces import surface_of

__all__ = ["MODIFIERS", "Band", "Modifier", "Placement", "modifiers_of"]


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
        points = np.stack([x, y, np.ones_like(x)], axis=-1)
        # With z towards the viewer, a pixel's ray is the inverse camera's, scaled to depth 1/near.
        ways = points @ np.linalg.inv(self.camera.image_from_camera).T
        with np.errstate(divide="ignore", invalid="ignore"):
            places = ways / self.near[..., None]
        turn, at = self.camera.world_from_camera[:3, :3], self.camera.position
        return places @ turn.T + at


class Modifier(Protocol):
    """Something that happens to a card's pixels in one frame."""

    def modify(self, band: Band) -> None:
        """Change the band's pixels in place; called by several threads, each with its bands."""
        ...


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

    @property
    def unhidden(self) -> Asked:
        """How what belongs to the card is wanted: whatever hides the card hides it anyway."""
        return Asked(self.quality, opaque=False, cover=np.zeros(self.tiles))


Maker = Callable[[Placement], Sequence[Modifier] | None]
"""Says what it does to a card; None: nothing of the card is left, so that it is not drawn."""


@dataclass(frozen=True, eq=False)
class _ShadowOn:
    source: Source
    strength: float

    def modify(self, band: Band) -> None:
        self.source.rows(band.index, band.scratch, band.told)
        cast_shadow(band.pixels, band.scratch, self.source.tiles[band.lines], self.strength)


def _shadows(placed: Placement) -> list[Modifier]:
    """Shadows of other cards that lie on this one."""
    casts = [cast for cast in placed.state.casts if cast.receiver == placed.index]
    lying = ((cast, _lying(cast, placed)) for cast in casts)
    return [_ShadowOn(found, cast.strength) for cast, found in lying if found and found.seen]


def _lying(cast: Cast, placed: Placement) -> CardWarp | None:
    shade, camera = cast.shade, placed.camera
    pyramid = placed.looks[shade.texture]
    corners = shade_corners(shade, pyramid)
    if bounds_of(corners, shade.world_from_plane, camera) is None:
        return None
    image_from_unit = shade.image_from_unit(camera)
    if abs(np.linalg.det(image_from_unit)) < 1e-12:
        return None
    return CardWarp(
        pyramid,
        image_from_unit,
        placed.source.bounds,
        nearness=shade.nearness(camera),
        edges=np.tile(EVERYWHERE, (EDGES, 1)),
        asked=placed.unhidden,
    )


@dataclass(frozen=True, eq=False)
class _MatteOn:
    source: Source
    edges: np.ndarray
    opacity: np.float32
    asks: Matte

    def modify(self, band: Band) -> None:
        near = np.empty(band.told.shape, np.float32)
        self.source.rows(band.index, band.scratch, near)
        keep_matte(
            band.pixels,
            band.scratch,
            self.source.tiles[band.lines],
            self.edges,
            self.opacity,
            self.asks.keep == "inside",
            self.asks.by == "lightness",
            band.index * BAND,
        )


def _matte(placed: Placement) -> list[Modifier] | None:
    """Another layer that says where this one is seen."""
    asks = placed.card.layer.matte
    if asks is None:
        return []
    other = placed.state.mattes[asks.of]
    surface, pyramid = surface_of(other.layer), placed.looks[other.texture]
    source = source_on(surface, other, placed.camera, pyramid, placed.unhidden)
    if source is None or not source.seen:
        return None if asks.keep == "inside" else []
    edges = np.asarray(source.edges, np.float32)
    return [_MatteOn(source, edges, np.float32(other.opacity), asks)]


MODIFIERS: list[Maker] = [_shadows, _matte]
"""In the order in which they happen."""


def modifiers_of(placed: Placement) -> list[Modifier] | None:
    """Return all that happens to a card's pixels; None if nothing of it is left."""
    found: list[Modifier] = []
    for maker in MODIFIERS:
        made = maker(placed)
        if made is None:
            return None
        found += made
    return found
