"""When a frame is exposed: from when to when its light is gathered."""

from __future__ import annotations

import numpy as np

from vistaline.core.easing import Stay, parse_ease
from vistaline.core.shot.rows import values_at
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import live_cameras
from vistaline.core.stage.keyed import row_of

__all__ = ["exposure_of"]

_JUST = 1e-6
"""Frames: so little after a jump it has happened, so little before it has not."""


def exposure_of(shot: Shot, frame: float) -> tuple[float, float]:
    """Return when the shutter opens and closes for a frame, in frames; twice ``frame`` if it is
    not asked for.

    Where something jumps meanwhile, because it is held up to a key or a framing, only what is seen
    at the frame itself is exposed: nothing is smeared over a jump.
    """
    if not shot.motion_blur:
        return frame, frame
    live = live_cameras(shot, np.array([frame]))[0] if shot.cuts else shot.directed
    shot = shot.directed_by(live)
    shutter, of = shot.camera.shutter, f"camera:{live}"

    def told(value: str, own: float) -> float:
        row = row_of(shot, of, value)
        return float(values_at(row, [frame])[0]) if row else own

    angle = told("shutter_angle", shutter.angle)
    opens = frame + told("shutter_phase", shutter.phase) / 360
    closes = opens + angle / 360
    if angle <= 0:
        return frame, frame
    for jump in _jumps(shot):
        if jump <= frame:
            opens = max(opens, jump)
        else:
            closes = min(closes, jump - _JUST)
    return min(opens, closes), closes


def _jumps(shot: Shot) -> list[int]:
    """Return the frames at which something is at once where it was not."""
    framings = [each.frame for each in shot.route.framings[1:] if isinstance(each.curve, Stay)]
    keys = [
        key.frame
        for row in shot.rows
        for key in row.keys[1:]
        if isinstance(parse_ease(key.ease), Stay)
    ]
    return sorted({*framings, *keys})
