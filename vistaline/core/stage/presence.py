"""When a layer is seen, and by which camera; whether it is hidden is another matter."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vistaline.core.shot.layouts import layout_round
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import live_cameras

__all__ = ["present_at"]


def present_at(shot: Shot, layers: Sequence[Layer], frames: ArrayLike) -> NDArray[np.bool_]:
    """Return which of ``layers`` are there at ``frames`` (N,), for the camera that is live then.

    (N, layers). A layer's last frame lasts until the next one begins.
    """
    times = np.atleast_1d(np.asarray(frames, dtype=np.float64))
    # Without a cut the camera that is directed is seen, as `camera_states` has it.
    live = np.array(live_cameras(shot, times) if shot.cuts else [shot.directed] * len(times))
    found = np.ones((len(times), len(layers)), bool)
    for n, layer in enumerate(layers):
        found[:, n] = times >= layer.seen_from
        if layer.seen_until is not None:
            found[:, n] &= times < layer.seen_until + 1
        layout = layout_round(shot, layer)
        if layout:
            found[:, n] &= (times >= layout.starts) & (times < layout.ends)
        if layer.seen_by:
            found[:, n] &= live == layer.seen_by
    return found
