"""What looks wrong with a shot before anything is rendered, in sentences."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vistaline.core.geometry.ordering import NEAR
from vistaline.core.shot.callouts import callout_of
from vistaline.core.shot.layouts import layout_round
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.cards import card_of, cards_over
from vistaline.core.stage.presence import present_at
from vistaline.core.stage.tracks import track_of

__all__ = ["findings"]


def findings(shot: Shot) -> list[str]:
    """Return one sentence for each thing a person should look at; empty if all is well."""
    found: list[str] = []
    shown = [layer for layer in shot.layers if not layer.hidden]
    if not shown:
        return ["No layer is shown: the frame is empty. Add a layer or show a hidden one."]
    cameras = camera_states(shot, range(shot.frame.duration))
    eyes = np.array([camera.position for camera in cameras])
    ahead = -np.array([camera.world_from_camera[:3, 2] for camera in cameras])
    for layer in shown:
        if layer.is_backdrop:
            continue
        there = present_at(shot, [layer], range(shot.frame.duration))[:, 0]
        if not there.any():
            found.append(
                f"Layer {layer.name} is never seen: its in and out times lie outside the shot, or "
                "its camera is never cut to. Change when it is seen, or hide it."
            )
            continue
        lost = np.flatnonzero(there & ~_before(shot, layer, cameras, eyes, ahead))
        if len(lost) and _edge_on(shot, layer, cameras[0]):
            found.append(
                f"Layer {layer.name} is seen exactly from its side, so nothing of it shows. "
                "Turn it, or let it face the camera."
            )
        elif len(lost):
            found.append(
                f"Layer {layer.name} is behind the camera from frame {lost[0]}"
                + (f" to {lost[-1]}" if lost[-1] < len(cameras) - 1 else "")
                + ". Set it farther away or stop the camera before it."
            )
    by_place: dict[tuple[float, ...], str] = {}
    moving = {row.of for row in shot.rows if row.value in ("distance", "pan", "tilt")}
    for layer in shown:
        # Surfaces of a room are told apart by where they stand in it, not by one distance.
        laid = layout_round(shot, layer) or callout_of(shot, layer.id)
        if f"layer:{layer.id}" in moving or layer.projection or laid:
            continue
        place = tuple(np.round((layer.distance, layer.pan, layer.tilt), 6))
        if place in by_place:
            found.append(
                f"Layers {by_place[place]} and {layer.name} stand at one distance "
                f"({layer.distance:g} m): {layer.name} is drawn in front."
            )
        by_place[place] = layer.name
    return found


def _before(
    shot: Shot, layer: Layer, cameras: Sequence[CameraState], eyes: np.ndarray, ahead: np.ndarray
) -> np.ndarray:
    """Return at which cameras (N,) some of a layer is before the lens, and not from its side.

    ``eyes`` (N, 3): where the cameras are; ``ahead`` (N, 3): unit vectors they look along.
    """
    frames = range(len(cameras))
    if layer.stays == "stage":
        track = track_of(shot, layer, frames)
        poses, sizes = track.poses, track.sizes  # one does for all that stands
    else:
        cards = cards_over(shot, layer, frames, cameras)
        poses = np.array([card.world_from_card for card in cards])
        sizes = np.array([(card.width, card.height) for card in cards])
    halves = sizes / 2
    aside = poses[:, :3, 3] - eyes
    depth = (aside * ahead).sum(axis=1)
    across = [np.abs((poses[:, :3, k] * ahead).sum(axis=1)) * halves[:, k] for k in range(2)]
    gap = np.abs((aside * poses[:, :3, 2]).sum(axis=1))
    seen: np.ndarray = (depth + across[0] + across[1] > NEAR) & (gap > 1e-9)
    return seen


def _edge_on(shot: Shot, layer: Layer, camera: CameraState) -> bool:
    card = card_of(shot, layer, camera)
    aside = card.world_from_card[:3, 3] - np.array(camera.position)
    return bool(abs(aside @ card.world_from_card[:3, 2]) < 1e-6 * np.linalg.norm(aside))
