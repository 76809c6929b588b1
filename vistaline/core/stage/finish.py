"""Which effects are put on what, at one time."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vistaline.core.shot.edges import Wipe
from vistaline.core.shot.effects import Effect, MaskShape, On
from vistaline.core.shot.overlays import Halftone
from vistaline.core.shot.softness import Spreading
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState

__all__ = ["effects_in", "effects_on", "effects_over", "lets_through", "split_at_spreading"]


def effects_in(state: FrameState) -> list[Effect]:
    """Return all effects that are on, with their values then, in their order."""
    return [each.thing for each in state.air if isinstance(each.thing, Effect)]


def effects_over(state: FrameState) -> list[Effect]:
    """Return those on the whole frame.

    One that is masked by depth is put on each layer instead: what lies behind another is then
    still changed by its own distance.
    """
    return [
        each for each in effects_in(state) if each.over.kind is On.FRAME and not _by_depth(each)
    ]


def effects_on(state: FrameState, card: Card) -> list[Effect]:
    """Return those on a layer: on itself, its group, or all that is as far away as it is."""
    return [each for each in effects_in(state) if _is_on(each, state, card)]


def _by_depth(effect: Effect) -> bool:
    return effect.mask is not None and effect.mask.shape is MaskShape.DEPTH


def _is_on(effect: Effect, state: FrameState, card: Card) -> bool:
    layer, over = card.layer, effect.over
    if over.kind is On.FRAME:
        return _by_depth(effect)
    if over.kind is On.LAYER:
        return over.of == layer.id
    if over.kind is On.GROUP:
        return bool(layer.group) and over.of == layer.group
    if layer.is_backdrop or layer.on_lens:
        return layer.is_backdrop
    return distance_of(state, card) >= over.distance


def distance_of(state: FrameState, card: Card) -> float:
    """Return how many metres before the taking camera a card's middle is."""
    taking = np.array(state.layout.stage.shot.taking_camera.position)
    return float(np.linalg.norm(card.world_from_card[:3, 3] - taking))


def split_at_spreading(effects: Sequence[Effect]) -> tuple[list[Effect], list[Effect]]:
    """Return effects up to the last for which neighbours count, and those after it.

    What does nothing counts for nothing.
    """
    seen = [each for each in effects if not _neutral(each)]
    last = max((n for n, each in enumerate(seen) if isinstance(each, Spreading)), default=-1)
    return seen[: last + 1], seen[last + 1 :]


def _neutral(effect: Effect) -> bool:
    return effect.amount == 0 or (isinstance(effect, Spreading) and effect.neutral)


def lets_through(effects: Sequence[Effect]) -> bool:
    """Return whether what is opaque in a layer's picture may be seen through by its effects."""
    return any(
        not _neutral(each)
        and (isinstance(each, Spreading | Wipe) or (isinstance(each, Halftone) and each.clear))
        for each in effects
    )
