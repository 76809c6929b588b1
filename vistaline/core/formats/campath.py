"""The camera's path for other programs: a row a frame, as CSV and as JSON.

Metres, right-handed, +Y up; a camera at rest looks along -Z. Its head turns by pan about Y, then
by tilt about X, then by roll about Z, in degrees (intrinsic Y-X-Z): a positive pan turns to the
left, a positive tilt looks up, a positive roll leans to the left. The quaternion is the same
rotation: x, y, z, w. The focal length and the lens's shift are told in millimetres of a gate of
which the frame's longer side is 36; the shift is where the frame's middle is, right of the axis and
above it.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from vistaline.core.geometry.optics import gate_size
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states, live_cameras
from vistaline.core.timing import rate_label, timecode

__all__ = ["camera_path", "path_csv", "path_json"]


@dataclass(frozen=True, kw_only=True)
class PathRow:
    """The camera at a frame."""

    frame: int
    timecode: str
    camera: str
    """The id of the camera that is seen: another one after a cut."""
    x: float
    y: float
    z: float
    pan: float
    tilt: float
    roll: float
    qx: float
    qy: float
    qz: float
    qw: float
    focal_mm: float
    shift_x_mm: float
    shift_y_mm: float
    focus_m: float | None
    """None: everything is sharp."""
    f_number: float | None
    shutter_deg: float
    """0: nothing is blurred by motion."""


def camera_path(shot: Shot) -> list[PathRow]:
    """Return where the camera is at each of a shot's frames, its shake and what it rides on in."""
    frames = np.arange(shot.frame.duration, dtype=np.float64)
    angles = {each.id: each.shutter.angle if shot.motion_blur else 0.0 for each in shot.cameras}
    rows = []
    states = camera_states(shot, frames)
    for n, camera, state in zip(frames.tolist(), live_cameras(shot, frames), states, strict=True):
        turn = Rotation.from_matrix(state.world_from_camera[:3, :3]).as_quat()
        place = [round(float(value), 9) for value in (*state.position, *turn)]
        optics, focal = state.optics, state.lens * state.enlarged
        rows.append(
            PathRow(
                frame=int(n),
                timecode=timecode(int(n), shot.frame.rate),
                camera=camera,
                **dict(zip(("x", "y", "z", "qx", "qy", "qz", "qw"), place, strict=True)),
                pan=round(state.pan, 7),
                tilt=round(state.tilt, 7),
                roll=round(state.roll, 7),
                focal_mm=round(focal, 7),
                shift_x_mm=round(state.shift[0] * focal, 7),
                shift_y_mm=round(state.shift[1] * focal, 7),
                focus_m=round(optics.focus, 7) if optics else None,
                f_number=round(optics.f_number, 5) if optics else None,
                shutter_deg=angles[camera],
            )
        )
    return rows


def path_csv(rows: Sequence[PathRow]) -> str:
    """Return rows as RFC 4180 has it, with a head; what there is not is empty."""
    out = io.StringIO()
    writer = csv.DictWriter(out, [*PathRow.__dataclass_fields__], lineterminator="\r\n")
    writer.writeheader()
    writer.writerows(asdict(row) for row in rows)
    return out.getvalue()


def path_json(shot: Shot, rows: Sequence[PathRow]) -> str:
    """Return rows with what they are told in."""
    gate = gate_size(*shot.frame.size)
    told = {
        "shot": shot.name,
        "rate": rate_label(shot.frame.rate),
        "rate_exact": [shot.frame.rate.numerator, shot.frame.rate.denominator],
        "frame_px": [*shot.frame.size],
        "gate_mm": [round(side, 6) for side in gate],
        "space": "metres, right-handed, +Y up; a camera at rest looks along -Z",
        "rotation": "degrees; pan about Y, then tilt about X, then roll about Z, each turned along",
        "cuts": [{"frame": cut.frame, "camera": cut.camera} for cut in shot.cuts],
        "cameras": {each.id: each.name for each in shot.cameras},
        "frames": [asdict(row) for row in rows],
    }
    return json.dumps(told, indent=1)
