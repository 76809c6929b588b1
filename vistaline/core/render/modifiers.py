"""What changes a card's pixels before compositing, in order: effects, light, shadows, light from
behind, matte, air.

Each entry is a function that is given a card as it is placed in a frame and returns the modifier
for it, or nothing. A new one is a class with one method and its function in the list.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vistaline.core.render.graded import graded
from vistaline.core.render.hazed import hazed
from vistaline.core.render.laying import EDGES
from vistaline.core.render.lit import lit
from vistaline.core.render.modifier import Band, Maker, Modifier, Placement
from vistaline.core.render.modify import cast_shadow, keep_matte
from vistaline.core.render.outlines import EVERYWHERE, bounds_of, shade_corners
from vistaline.core.render.source import Source
from vistaline.core.render.sources import source_on
from vistaline.core.render.warp import BAND, CardWarp
from vistaline.core.render.wrapped import wrapped
from vistaline.core.shot.layer import Matte
from vistaline.core.stage.shadows import Cast
from vistaline.core.stage.surfaces import surface_of

__all__ = ["MODIFIERS", "modifiers_of"]


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
    surface = surface_of(other.layer)
    source = source_on(surface, other, placed.camera, placed.looks, placed.unhidden)
    if source is None or not source.seen:
        return None if asks.keep == "inside" else []
    edges = np.asarray(source.edges, np.float32)
    return [_MatteOn(source, edges, np.float32(other.opacity), asks)]


MODIFIERS: list[Maker] = [graded, lit, _shadows, wrapped, _matte, hazed]
"""In the order in which they happen; the air last, that it is done as cards are laid."""


def modifiers_of(placed: Placement) -> list[Modifier] | None:
    """Return all that happens to a card's pixels; None if nothing of it is left."""
    found: list[Modifier] = []
    for maker in MODIFIERS:
        made = maker(placed)
        if made is None:
            return None
        found += made
    return found
