"""A card placed in a frame: its source, and all that happens to its pixels before compositing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from vistaline.core.looks.blending import MODES, Blend
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.modifier import Band, Modifier, Placement, Tint
from vistaline.core.render.modifiers import modifiers_of
from vistaline.core.render.painted import paint
from vistaline.core.render.redrawn import crew_alone, redrawn
from vistaline.core.render.source import Asked, Quality, Source
from vistaline.core.render.sources import source_on
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.finish import effects_on, lets_through, split_at_spreading
from vistaline.core.stage.surfaces import surface_of

__all__ = ["Placed", "hides", "place"]


@dataclass(frozen=True, eq=False)
class Placed:
    """A card in a frame: its source, and what happens to its pixels."""

    source: Source
    opacity: float
    mode: int
    modifiers: Sequence[Modifier]
    camera: CameraState

    @property
    def tint(self) -> Tint | None:
        """The last of what happens to it, if that can be done as it is laid."""
        last = self.modifiers[-1] if self.modifiers else None
        return last if isinstance(last, Tint) and self.source.nearness is not None else None

    def rows(
        self,
        band: int,
        out: np.ndarray,
        scratch: np.ndarray,
        near: np.ndarray,
        *,
        tinted: bool = False,
    ) -> None:
        """Sample a band of the card into ``out``, with all that happens to it there.

        ``near`` (rows, width) takes 1/z, where the source tells it with its pixels; ``tinted``:
        its :attr:`tint` happens later.
        """
        self.source.rows(band, out, near)
        left = self.modifiers[: len(self.modifiers) - tinted]
        if left:
            given = Band(band, out, scratch, near, self.source, self.camera)
            for modifier in left:
                modifier.modify(given)


def hides(card: Card) -> bool:
    """Return whether what is opaque in a card's picture hides what is behind."""
    layer = card.layer
    return card.opacity == 1 and layer.blend is Blend.NORMAL and layer.matte is None


def _behind(
    index: int,
    state: FrameState,
    looks: Mapping[str, Pyramid],
    quality: Quality,
    camera: CameraState,
) -> np.ndarray:
    """Return what is behind a card, without what is blended, over a raster and the ground."""
    width, height = camera.frame_size
    out = np.empty((height, width, 4), np.uint16)
    ground = np.array(hex_to_linear(state.layout.stage.shot.background)) * state.gain
    out[:] = [*np.rint(np.clip(ground, 0, 1) * 65535), 65535]
    nothing = np.zeros((-(-height // TILE_HEIGHT), -(-width // TILE_WIDTH)))
    for each in state.order:
        if each == index:
            break
        placed = place(each, state, looks, quality, nothing.copy(), camera)
        if placed and placed.mode == MODES[Blend.NORMAL]:
            paint(partial(_rows, placed), placed.source, placed.opacity, out, crew_alone())
    return out


def _rows(placed: Placed, band: int, out: np.ndarray, near: np.ndarray) -> None:
    placed.rows(band, out, np.empty_like(out), near)


def place(
    index: int,
    state: FrameState,
    looks: Mapping[str, Pyramid],
    quality: Quality,
    cover: np.ndarray,
    camera: CameraState | None = None,
) -> Placed | None:
    """Return how the ``index``-th card is seen; None if it is not, or not past what covers it.

    ``cover`` as in :class:`Asked`; ``camera``: another raster than the state's own.
    """
    camera = camera or state.camera
    card = state.cards[index]
    if card.opacity == 0:
        return None
    effects = effects_on(state, card)
    opaque = hides(card) and not lets_through(effects)
    asked = Asked(quality, opaque=opaque, cover=cover)
    source = source_on(surface_of(card.layer), card, camera, looks, asked)
    spreading, _ = split_at_spreading(effects)
    if source is None or not (source.seen or spreading):
        return None
    if spreading:
        source = redrawn(card, source, spreading, state, camera, looks, quality)
        if not source.seen:
            return None
    tiles = cover.shape[0], cover.shape[1]
    behind = partial(_behind, index, state, looks, quality)
    placement = Placement(index, card, source, state, looks, quality, tiles, camera, behind)
    modifiers = modifiers_of(placement)
    if modifiers is None:
        return None
    return Placed(source, card.opacity, MODES[card.layer.blend], modifiers, camera)
