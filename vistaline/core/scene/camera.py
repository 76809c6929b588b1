"""The camera as the desk shows it: its field on the plan, and how its lens is focused."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from vistaline.core.geometry.focus import F_STOPS, LOOKS_SHARP, hyperfocal, sharp_between
from vistaline.core.geometry.irises import points_of
from vistaline.core.geometry.optics import angle_of_view, gate_size
from vistaline.core.scene.plan import across_at, view_cone
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import FAR, CameraState, camera_states, depth_of
from vistaline.core.stage.focused import how_blurred
from vistaline.core.stage.sheet import PlanView
from vistaline.core.stage.tracks import track_of

__all__ = ["describe_camera", "how_focused", "lens_points"]

_GATHERED = 12
"""Points of a lens that the live view gathers at rest."""


def describe_camera(camera: CameraState) -> dict[str, Any]:
    """Return what the live view and the plan draw of the camera in one frame."""
    gate = gate_size(*camera.frame_size)
    cones = {}
    for view in PlanView:
        apex, directions = view_cone(camera, view)
        cones[view.value] = {
            "apex": [round(float(v), 6) for v in apex],
            "edges": [[round(float(v), 6) for v in edge] for edge in directions],
        }
    return {
        "lens": round(camera.lens, 3),
        "angle": round(angle_of_view(camera.lens, gate[0]), 2),
        "cones": cones,
        "focus": _focus(camera),
    }


def lens_points(shot: Shot) -> list[list[float]]:
    """Return points of the directed camera’s opening, right and up of its middle."""
    iris = shot.camera.focusing.iris
    return np.round(
        points_of(_GATHERED, iris.blades, iris.turn, iris.roundness, iris.rims), 4
    ).tolist()


def _focus(camera: CameraState) -> dict[str, Any] | None:
    """Return what is in focus and between where all looks sharp, in metres and on both plans.

    None: everything is sharp. The far limit and its lines may be null: as far as one sees.
    """
    optics = camera.optics
    if optics is None:
        return None
    near, far = sharp_between(camera.lens, optics.f_number, optics.focus)
    distances = {"at": optics.focus, "near": near, "far": far if far < FAR else None}
    lines = {
        view.value: {
            name: None if metres is None else np.round(across_at(camera, view, metres), 4).tolist()
            for name, metres in distances.items()
        }
        for view in PlanView
    }
    told = {name: metres and round(metres, 3) for name, metres in distances.items()}
    return told | {
        "f_number": round(optics.f_number, 2),
        "lines": lines,
        # In shares of the frame's width: the radius of a disc is this times |1 / z - 1 / at|.
        "limit": round(LOOKS_SHARP / 2 / gate_size(*camera.frame_size)[0], 9),
        "blur": round(camera.focal_px * optics.hole / camera.frame_size[0], 9),
        # Added to the first two rows of ``clip`` for a point of the lens, by how far right and up.
        "aside": np.round(camera.clip_aside, 9).tolist(),
    }


def how_focused(shot: Shot, frame: int) -> dict[str, Any]:
    """Return how the directed camera is focused at a frame; nothing of one that sees all sharp."""
    camera = camera_states(shot.evolve(cuts=()), [frame])[0]
    optics = camera.optics
    if optics is None:
        return {}
    far_enough = hyperfocal(camera.lens, optics.f_number)
    return {
        "optics": optics,
        "sharp": sharp_between(camera.lens, optics.f_number, optics.focus),
        "hyperfocal": far_enough,
        "hyperfocal_near": sharp_between(camera.lens, optics.f_number, far_enough)[0],
        "beyond": optics.blur(camera.focal_px, math.inf),
        "stops": F_STOPS,
        "blurs": _blurs(shot, frame, camera),
    }


def _blurs(shot: Shot, frame: int, camera: CameraState) -> list[dict[str, Any]]:
    """Return how blurred each layer's middle is, near to far; what is behind the camera is not."""
    optics, found = camera.optics, []
    assert optics
    for layer in shot.layers:
        if layer.is_backdrop or layer.hidden:
            continue
        pose = track_of(shot, layer, [frame]).poses[0]
        away = depth_of(camera, pose[:3, 3])
        if away <= 0:
            continue
        radius = 0.0 if layer.on_lens else optics.blur(camera.focal_px, away)
        found.append({"name": layer.name, "away": away, "px": radius, "word": how_blurred(radius)})
    return sorted(found, key=lambda each: float(each["away"]))
