"""What takes a frame: the camera that is seen then, and from when to when it gathers light."""

from __future__ import annotations

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import Stay, parse_ease
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import live_cameras
from vistaline.core.stage.keyed import rows_of, valued

__all__ = ["camera_at", "exposure_of", "gains_at"]

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
    camera = camera_at(shot, frame)
    opens = frame + camera.shutter.phase / 360
    closes = opens + camera.shutter.angle / 360
    if camera.shutter.angle <= 0:
        return frame, frame
    for jump in _jumps(shot, camera):
        if jump <= frame:
            opens = max(opens, jump)
        else:
            closes = min(closes, jump - _JUST)
    return min(opens, closes), closes


def camera_at(shot: Shot, frame: float) -> Camera:
    """Return the camera that is seen at a frame, with the values that its keys have there."""
    live = live_cameras(shot, np.array([frame]))[0] if shot.cuts else shot.directed
    camera = next(each for each in shot.cameras if each.id == live)
    return valued(camera, rows_of(shot, f"camera:{live}"), frame)


def gains_at(shot: Shot, times: FloatArray) -> list[float]:
    """Return how much brighter all is taken at ``times`` (N,) by the camera that is seen then."""
    rows = any(row.value == "exposure" for row in shot.rows)
    if not rows and all(camera.exposure == 0 for camera in shot.cameras):
        return [1.0] * len(times)
    return [2.0 ** camera_at(shot, time).exposure for time in times.tolist()]


def _jumps(shot: Shot, camera: Camera) -> list[int]:
    """Return the frames at which something is at once where it was not."""
    framings = [each.frame for each in camera.route.framings[1:] if isinstance(each.curve, Stay)]
    keys = [
        key.frame
        for row in shot.rows
        for key in row.keys[1:]
        if isinstance(parse_ease(key.ease), Stay)
    ]
    return sorted({*framings, *keys})
