"""Shot + frame -> every matrix, opacity, lens and the draw order at that time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.camera import CameraState, camera_states
from vistaline.core.cards import Card, card_of
from vistaline.core.ordering import NEAR, draw_order
from vistaline.core.shadows import Cast, casts_of
from vistaline.core.shot import Layer, Shot

__all__ = ["FrameState", "evaluate"]


@dataclass(frozen=True, kw_only=True, eq=False)
class FrameState:
    """Everything a renderer needs for one frame, whatever draws it."""

    camera: CameraState
    cards: Sequence[Card]
    """The shown layers' cards, in the shot's order."""
    order: Sequence[int]
    """Indices into ``cards``, far to near; cards wholly behind the camera are left out."""
    parallel: bool
    """All cards face one way, so the order holds all over the frame; else it may not."""
    mattes: Mapping[str, Card]
    """The cards that say where others are seen, hidden ones too, by their layers' ids."""
    casts: Sequence[Cast]
    """The shadows that lie on cards."""


def evaluate(shot: Shot, frames: ArrayLike) -> list[FrameState]:
    """Return the state at each of ``frames``; times before and after the route stand still."""
    cameras = camera_states(shot, frames)
    shown = [layer for layer in shot.layers if not layer.hidden]
    named = {layer.matte.of for layer in shown if layer.matte}
    sources = [layer for layer in shot.layers if layer.id in named]
    standing = {
        layer.id: None if _moves_with_camera(layer) else card_of(shot, layer)
        for layer in (*shown, *sources)
    }
    still = all(card is not None for card in standing.values())
    states: list[FrameState] = []
    for camera in cameras:
        if states and still:
            first = states[0]
            cards, parallel, mattes, casts = (
                list(first.cards), first.parallel, first.mattes, first.casts,
            )  # fmt: skip
        else:
            cards = [standing[layer.id] or card_of(shot, layer, camera) for layer in shown]
            mattes = {
                layer.id: standing[layer.id] or card_of(shot, layer, camera) for layer in sources
            }
            parallel, casts = _parallel(cards), casts_of(shot, cards)
        states.append(
            FrameState(
                camera=camera,
                cards=cards,
                order=_order(cards, camera, parallel),
                parallel=parallel,
                mattes=mattes,
                casts=casts,
            )
        )
    return states


def _order(cards: list[Card], camera: CameraState, parallel: bool) -> list[int]:
    """Return indices far to near; backdrops are behind everything, whatever it is."""
    last = [i for i, card in enumerate(cards) if card.layer.is_backdrop]
    rest = [i for i, card in enumerate(cards) if not card.layer.is_backdrop]
    order = _parallel_order if parallel else _exact_order
    found = order([cards[i] for i in rest], camera) if rest else []
    return [*last, *(rest[i] for i in found)]


def _moves_with_camera(layer: Layer) -> bool:
    return layer.stays != "stage" or layer.is_backdrop


def _parallel(cards: list[Card]) -> bool:
    normals = np.array(
        [card.world_from_card[:3, 2] for card in cards if not card.layer.is_backdrop]
    )
    return bool(np.all(normals @ normals[0] > 1 - 1e-12)) if len(normals) else True


def _parallel_order(cards: list[Card], camera: CameraState) -> list[int]:
    """Order cards that all face one way, by their planes' distance from the camera."""
    poses = np.array([card.world_from_card for card in cards])
    halves = np.array([(card.width, card.height) for card in cards]) / 2
    eye, ahead = np.array(camera.position), -camera.world_from_camera[:3, 2]
    depth = (poses[:, :3, 3] - eye) @ ahead
    reach = np.abs(poses[:, :3, :2].transpose(0, 2, 1) @ ahead * halves).sum(axis=1)
    # Rounded so that two cards at one distance tie, whatever the last bits say.
    gap = np.round(np.abs((poses[:, :3, 3] - eye) @ poses[0, :3, 2]), 9)
    seen = np.flatnonzero((depth + reach > NEAR) & (gap > 0))
    return [int(i) for i in sorted(seen, key=lambda i: (-gap[i], i))]


def _exact_order(cards: list[Card], camera: CameraState) -> list[int]:
    return draw_order(
        camera.camera_from_world @ np.array([card.world_from_card for card in cards]),
        np.array([(card.width, card.height) for card in cards]),
        camera.image_from_camera,
    )
