"""Constructed rooms with cameras that are known exactly: what marked edges tell of them."""

from __future__ import annotations

from statistics import median

import numpy as np
from scipy.spatial.transform import Rotation

from bench.figures import Figure, timed
from tests.core.rooms import SIZE, room
from vistaline.core.geometry.perspective import recover_camera

ROOMS = 500
FLOORS = {0.0: (None, None), 0.5: (0.25, 0.1), 1.0: (0.6, 0.2), 2.0: (None, None)}


def measure() -> list[Figure]:
    """Return medians over 500 rooms for each noise, and how often intervals hold the truth."""
    figures = []
    for noise, (focal_floor, turn_floor) in FLOORS.items():
        rng = np.random.default_rng(20260101)
        focal, turn, inside, seconds = [], [], [], []
        for _ in range(ROOMS):
            made = room(rng, noise=noise)
            found, took = timed(
                lambda made=made, noise=noise: recover_camera(
                    made.edges, SIZE, deviation=noise or 1e-3
                )
            )
            seconds.append(took)
            focal.append(100 * abs(found.focal_px / made.focal_px - 1))
            between = Rotation.from_matrix(made.world_from_camera.T @ found.world_from_camera)
            turn.append(np.degrees(np.linalg.norm(between.as_rotvec())))
            low, high = found.focal_interval()
            inside.append(low <= made.focal_px <= high)
        name = f"perspective, {noise:g} px on the ends"
        figures += [
            Figure(f"{name}: focal length off, median", median(focal), "%", focal_floor),
            Figure(f"{name}: turned off, median", median(turn), "°", turn_floor),
        ]
        if noise:
            share = 100 * float(np.mean(inside))
            figures.append(Figure(f"{name}: 95 % interval holds", share, "%", 92.0, "higher"))
    figures.append(Figure("perspective, one camera recovered", 1000 * median(seconds), "ms"))
    return figures
