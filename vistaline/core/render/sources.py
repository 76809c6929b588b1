"""From a surface to its source: the fastest way that is known to draw it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import singledispatch

from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.outlines import bounds_of, content_corners, edge_distances
from vistaline.core.render.raised import RaisedSource
from vistaline.core.render.source import Asked, Source
from vistaline.core.render.traced import TracedSource
from vistaline.core.render.tracing import BodyWarp
from vistaline.core.render.warp import CardWarp
from vistaline.core.render.waved import WavedSource
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.surfaces import (
    BodySurface,
    ClothSurface,
    FlatSurface,
    ReliefSurface,
    Surface,
)

__all__ = ["source_on"]


@singledispatch
def source_on(
    surface: Surface,
    card: Card,
    camera: CameraState,
    looks: Mapping[str, Pyramid],
    asked: Asked,
) -> Source | None:
    """Return how a card on a surface is drawn before a camera; None if it is not seen.

    Faster ways are registered by the class of the surface; without one, its rays draw it.
    """
    return TracedSource(surface, card, camera, looks[card.texture], asked)


@source_on.register
def _(
    surface: FlatSurface,
    card: Card,
    camera: CameraState,
    looks: Mapping[str, Pyramid],
    asked: Asked,
) -> Source | None:
    pyramid = looks[card.texture]
    bounds = bounds_of(content_corners(card, pyramid), card.world_from_card, camera)
    edges = edge_distances(card, camera, pyramid.unit_content)
    if bounds is None or edges is None:
        return None
    return CardWarp(
        pyramid,
        card.image_from_unit(camera),
        bounds,
        nearness=card.nearness(camera),
        edges=edges,
        asked=asked,
    )


@source_on.register
def _(
    surface: BodySurface,
    card: Card,
    camera: CameraState,
    looks: Mapping[str, Pyramid],
    asked: Asked,
) -> Source | None:
    return BodyWarp(surface.body, card, camera, looks[card.texture], asked)


@source_on.register
def _(
    surface: ReliefSurface,
    card: Card,
    camera: CameraState,
    looks: Mapping[str, Pyramid],
    asked: Asked,
) -> Source | None:
    return RaisedSource(surface, card, camera, looks, asked)


@source_on.register
def _(
    surface: ClothSurface,
    card: Card,
    camera: CameraState,
    looks: Mapping[str, Pyramid],
    asked: Asked,
) -> Source | None:
    return WavedSource(surface, card, camera, looks[card.texture], asked)
