"""Constructed rooms, and photographs through a calibrated lens: what marked edges tell."""

from __future__ import annotations

from functools import partial
from statistics import median

import numpy as np
from scipy.spatial.transform import Rotation

from bench.figures import Figure, timed
from tests.core.rooms import SIZE, room
from tests.photos import BOARDS, board
from vistaline.core.errors import PerspectiveError
from vistaline.core.geometry.perspective import recover_camera

ROOMS = 500
FLOORS = {0.0: (None, None), 0.5: (0.25, 0.1), 1.0: (0.6, 0.2), 2.0: (None, None)}


def measure() -> list[Figure]:
    """Return medians over 500 rooms for each noise, and how often intervals hold the truth."""
    figures = []
    for noise, (focal_floor, turn_floor) in FLOORS.items():
        rng = np.random.default_rng(20260101)
        focal, turn, inside, seconds, untold = [], [], [], [], 0
        for _ in range(ROOMS):
            made = room(rng, noise=noise)
            recover = partial(
                recover_camera, made.edges, SIZE, deviation=noise or 1e-3, off_centre=0
            )
            try:
                found, took = timed(recover)
            except PerspectiveError:
                untold += 1
                continue
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
            figures += [
                Figure(f"{name}: 95 % interval holds", share, "%", 92.0, "higher"),
                Figure(f"{name}: rooms of {ROOMS} said not to tell", untold, ""),
            ]
    figures.append(Figure("perspective, one camera recovered", 1000 * median(seconds), "ms"))
    return figures + _boards()


def _boards() -> list[Figure]:
    """Return what thirteen photographs of a board tell of their lens, 535.9 pixels."""
    off, wide, holds, untold = [], [], 0, 0
    for n in BOARDS:
        edges, size = board(f"left{n:02}.jpg")
        try:
            found = recover_camera(edges, size, deviation=0.5)
        except PerspectiveError:
            untold += 1
            continue
        low, high = found.focal_interval()
        off.append(100 * abs(found.focal_px / 535.9 - 1))
        wide.append(50 * (high - low) / found.focal_px)
        holds += low <= 535.9 <= high
    return [
        Figure("boards: focal length off, median", median(off), "%"),
        Figure("boards: 95 % interval, half its width, mean", float(np.mean(wide)), "%", 12.0),
        Figure("boards of 13 whose interval holds the lens", holds, "", 12.0, "higher"),
        Figure("boards that are said not to tell", untold, ""),
    ]
