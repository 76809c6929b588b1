"""Cameras that somebody else moved: their paths, as framings of cameras of the shot."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.registry import REGISTRY
from vistaline.core.errors import EditError
from vistaline.core.geometry.optics import gate_size
from vistaline.core.geometry.space import angles_of
from vistaline.core.model import Part
from vistaline.core.shot.cameras import Camera, Cut
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import Shot

__all__ = ["cameras_along", "framings_along"]

verb = REGISTRY.verb

_NEAR_ENOUGH = np.array([5e-4, 5e-4, 5e-4, 0.01, 0.01, 0.01, 1e-4])
"""How far framings may be off: metres, degrees, and the logarithm of the lens."""


class BroughtCamera(Part):
    """A camera that is brought in."""

    name: str = Field(min_length=1, max_length=80)
    framings: tuple[Framing, ...] = Field(min_length=1, max_length=2000)


@verb("bring camera")
def bring_cameras(shot: Shot, *, cameras: list[BroughtCamera]) -> Shot:
    """Add cameras with routes made elsewhere; the first is directed, and seen throughout."""
    if not cameras:
        raise EditError("There is no camera to bring. Choose a file that has one.")
    taken = {each.id for each in shot.cameras}
    free = [letter for letter in "abcdefghijklmnopqrstuvwxyz" if letter not in taken]
    if len(free) < len(cameras):
        raise EditError(f"A shot has at most 26 cameras; {len(cameras)} more are too many.")
    new = tuple(
        Camera(id=letter, name=each.name, route=Route(framings=each.framings))
        for letter, each in zip(free, cameras, strict=False)
    )
    shot = shot.evolve(cameras=(*shot.cameras, *new), cuts=(Cut(frame=0, camera=new[0].id),))
    return shot.directed_by(new[0].id)


def cameras_along(
    paths: Iterable[tuple[str, FloatArray, FloatArray]], frame_size: tuple[int, int]
) -> list[dict[str, Any]]:
    """Return what :func:`bring_cameras` takes, of names and paths; see :func:`framings_along`."""
    return [
        {
            "name": name,
            "framings": [
                each.model_dump(mode="json") for each in framings_along(poses, tall, frame_size)
            ],
        }
        for name, poses, tall in paths
    ]


def framings_along(
    world_from_camera: FloatArray, tall: FloatArray, frame_size: tuple[int, int]
) -> list[Framing]:
    """Return the fewest framings, one after the other, whose travels keep to a path.

    The path: poses (frames, 4, 4), and tangents (frames,) of half of what is seen from top to
    bottom. Travels between framings are even; they are nowhere farther off than half a millimetre,
    a hundredth of a degree, and a ten-thousandth of the lens.
    """
    angles = np.unwrap([angles_of(pose[:3, :3]) for pose in world_from_camera], axis=0, period=360)
    lens = gate_size(*frame_size)[1] / 2 / tall
    path = np.column_stack([world_from_camera[:, :3, 3], angles, np.log(lens)])
    kept = [0]
    while kept[-1] < len(path) - 1:
        kept.append(_farthest(path, kept[-1]))
    return [
        Framing(
            frame=n,
            position=tuple(np.round(path[n, :3], 6).tolist()),
            pan=round(float(path[n, 3]), 5),
            tilt=round(float(path[n, 4]), 5),
            roll=round(float(path[n, 5]), 5),
            lens=round(float(lens[n]), 4),
            ease="linear",
        )
        for n in kept
    ]


def _farthest(path: FloatArray, start: int) -> int:
    """Return the last frame to which an even travel from ``start`` keeps to the path."""
    found = start + 1
    step = 1
    while found < len(path) - 1:
        end = min(found + step, len(path) - 1)
        if _keeps(path[start : end + 1]):
            found, step = end, step * 2
        elif step == 1:
            break
        else:
            step = 1
    return found


def _keeps(stretch: FloatArray) -> bool:
    share = np.linspace(0, 1, len(stretch))[:, None]
    even = stretch[0] + (stretch[-1] - stretch[0]) * share
    return bool((np.abs(stretch - even) <= _NEAR_ENOUGH).all())
