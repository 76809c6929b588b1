"""What moves on the stage by its keys, packed for a browser: numbers a frame as 32-bit floats."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.scene.reliefs import told_shape
from vistaline.core.shot.mounts import pose_of
from vistaline.core.shot.rows import values_at
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.drawn import passing_called
from vistaline.core.stage.passing import moves_of, passes, room_of
from vistaline.core.stage.sheet import PlanView, flatten
from vistaline.core.stage.textures import PassingLook, PiecesLook, is_passing, texture_called
from vistaline.core.stage.tracks import Track, moving_mounts, track_of

__all__ = ["describe_passing", "pack_tracks"]

MOST_LOOKS = 48
"""Looks of one layer that a live view is given: fetching each frame's would take longer than
rendering them. Proof and render show them all."""
_AXIS = {PlanView.ABOVE: 0, PlanView.SIDE: 1}
_SHOWN = {"scale": "percent"}


def packed(values: ArrayLike) -> str:
    """Return numbers as base64 of little-endian 32-bit floats, as a ``Float32Array`` takes them."""
    return base64.b64encode(np.ascontiguousarray(values, dtype="<f4").tobytes()).decode()


def pack_tracks(shot: Shot, frames: Sequence[int]) -> dict[str, Any]:
    """Return what changes at ``frames`` by itself: layers by their ids, mounts as ``mount:id``.

    Of a layer: ``matrix`` (frames, 12), a 3 x 4 matrix in column order that takes the unit square
    to the world; ``opacity``, its ``width`` and ``height``, ``bars`` on the plan (frames, 4), the
    keyed ``values``; ``looks``: from which frame on it has which texture; of a relief that has keys
    ``raised`` (frames, 6), see ``reliefs.told_shape``. Of a mount: its ``place`` on the plan
    (frames, 2).
    """
    found: dict[str, Any] = {}
    moves = shot.rows or shot.layouts
    if not moves and not any(_moves(each) for each in shot.layers):
        return found
    for layer in shot.layers:
        if layer.is_backdrop:
            continue
        track = track_of(shot, layer, frames)
        if not track.still:
            found[layer.id] = _layer(shot, layer, track, frames)
    moving = moving_mounts(shot, frames)
    for mount in shot.mounts:
        pose, _ = pose_of(mount, shot.mounts, moving)
        if pose.ndim == 3:
            places = {view.value: packed(flatten(pose[:, :3, 3], view)) for view in PlanView}
            found[f"mount:{mount.id}"] = {"place": places}
    return found


def _layer(shot: Shot, layer: Layer, track: Track, frames: Sequence[int]) -> dict[str, Any]:
    sized = track.poses[:, :3, :].copy()
    sized[..., 0] *= track.sizes[:, :1]
    sized[..., 1] *= track.sizes[:, 1:]
    bars = {}
    for view, axis in _AXIS.items():
        half = sized[..., axis] / 2
        ends = [flatten(track.poses[:, :3, 3] + side * half, view) for side in (-1, 1)]
        bars[view.value] = packed(np.hstack(ends))
    numbers = {
        _SHOWN.get(row.value, row.value): packed(values_at(row, frames) * _factor(row.value))
        for row in shot.rows
        if row.of == f"layer:{layer.id}" and not isinstance(row.keys[0].value, str)
    }
    return {
        "matrix": packed(sized.transpose(0, 2, 1)),
        "opacity": packed(track.opacity),
        "bars": bars,
        "values": numbers
        | {"width": packed(track.sizes[:, 0]), "height": packed(track.sizes[:, 1])},
        "looks": _looks(track.textures),
    } | (_raised(track) if track.raised and len(track.raised) > 1 else {})


def _moves(layer: Layer) -> bool:
    return bool(passes(layer) or layer.moves_by_time)


def _raised(track: Track) -> dict[str, str]:
    assert track.raised
    return {"raised": packed([told_shape(each) for each in track.raised])}


def _factor(value: str) -> float:
    return 100.0 if value == "scale" else 1.0


def _looks(textures: Sequence[str]) -> list[tuple[int, str]]:
    """Return at which entries another texture begins, no more than a browser can take."""
    begins = [n for n, name in enumerate(textures) if n == 0 or textures[n - 1] != name]
    # What is on its way is not fetched but laid by the browser.
    fetched = [n for n in begins if not is_passing(textures[n])]
    every = max(1, -(-len(fetched) // MOST_LOOKS))
    kept = {*fetched[::every], *(n for n in begins if is_passing(textures[n]))}
    return [(n, textures[n]) for n in sorted(kept)]


def describe_passing(shot: Shot, frames: Sequence[int]) -> dict[str, Any]:
    """Return titles on their way at ``frames``, by the names of their looks.

    ``sheet``: the look that has their pieces; ``room``: how many em larger it is to each side;
    ``moves`` (N, 7): em to the right and up, scale, turn in degrees, alpha, blur in em, and which
    share of each piece is uncovered.
    """
    found: dict[str, Any] = {}
    for layer in filter(passes, shot.layers):
        if layer.hidden or layer.is_backdrop:
            continue
        for name in dict.fromkeys(track_of(shot, layer, frames).textures):
            look = texture_called(name, shot.pictures, [layer.id])
            if not isinstance(look, PassingLook):
                continue
            seen, passing = passing_called(shot, look)
            moves = moves_of(seen, passing, look.frame)
            across, up = room_of(seen, passing)
            found[name] = {
                "sheet": str(PiecesLook(passing.passage.by, look.of)),
                "room": [round(across, 4), round(up, 4)],
                "moves": packed(np.stack([*vars(moves).values()], axis=-1)),
            }
    return found
