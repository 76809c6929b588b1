"""What catches the picture: layers that stand somewhere and show what is thrown there."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from typing import Literal

import numpy as np

from vistaline.core.arrays import Matrix4
from vistaline.core.edits.registry import free_name, unlocked, with_layers
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.bodies import Body
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Projected, Solid
from vistaline.core.stage.cards import put
from vistaline.core.stage.poses import taking_pose
from vistaline.core.stage.seen import plate_of, settled

__all__ = [
    "NEAR_TAKING",
    "Side",
    "check_ahead",
    "eye_height_of",
    "plane_of",
    "source_of",
    "surface_like",
    "with_surfaces",
]

NEAR_TAKING = 0.05
"""Metres before the taking camera: no surface reaches nearer."""
Side = Literal["left", "right", "top", "bottom"]
"""Which edge of a surface, as it faces one."""


def source_of(shot: Shot, layer: str) -> tuple[Shot, Layer]:
    """Return the shot, settled, and in it the layer whose picture is to be caught.

    The plate if none is named. Settled: it is caught as it is seen, its size included.
    """
    found = unlocked(shot, layer or plate_of(shot).id)
    if not found.picture or found.box is None:
        raise EditError(
            f"{found.name} was not seen by the taking camera, so it cannot be projected. "
            "Choose the picture as it was taken."
        )
    shot = settled(shot, found)
    return shot, shot.layer(found.id)


def plane_of(shot: Shot, layer: str) -> Layer:
    """Return a layer that is a plane and catches a picture.

    Raises
    ------
    EditError
        It is none, or it is locked.
    """
    found = unlocked(shot, layer)
    if found.projection is None or found.body is not None:
        raise EditError(f"{found.name} is no plane that catches a picture.")
    return found


def eye_height_of(shot: Shot) -> float:
    """Return how high the taking camera stood above the ground, in metres."""
    if shot.ground is None:
        raise EditError("Say first how high the camera stood: the eye's height, under Ground.")
    return shot.ground.eye_height


def with_surfaces(shot: Shot, added: Sequence[Layer], *, instead_of: Layer | None = None) -> Shot:
    """Return the shot with more layers, each under a name of its own.

    ``instead_of``: the layer whose picture they catch; it is hidden.
    """
    if instead_of is not None:
        shot = with_layers(shot, [instead_of.evolve(hidden=True)])
    for each in added:
        shot = shot.evolve(layers=(*shot.layers, each.evolve(name=free_name(each.name, shot))))
    return shot


def surface_like(
    shot: Shot,
    like: Layer,
    name: str,
    pose: Matrix4,
    size: tuple[float, float],
    body: Body | None = None,
    depth: float | None = None,
) -> Layer:
    """Return a layer that stands like this and catches what ``like`` shows."""
    width, height = size
    caught = like.box or like.projection
    assert caught is not None, "only what the taking camera saw can be caught"
    stands: Projected | Solid = Projected(projection=caught, width=width, height=height)
    if body is not None and depth is not None:
        stands = Solid(body=body, projection=caught, width=width, height=height, depth=depth)
    layer = Layer(
        name=name, shows=PictureShown(picture=like.picture, runs=like.runs), stands=stands
    )
    check_ahead(shot, name, pose, (*size, depth or 0.0))
    return put(shot, layer, pose)


def check_ahead(shot: Shot, name: str, pose: Matrix4, size: tuple[float, float, float]) -> None:
    """Refuse a surface or body of a size (metres) that reaches behind the taking camera."""
    corners = np.array([(*corner, 1.0) for corner in product(*((-m / 2, m / 2) for m in size))])
    there = corners @ (space.inverse_pose(taking_pose(shot.taking_camera)) @ pose).T
    if (there[:, 2] > -NEAR_TAKING / 2).any():
        raise EditError(
            f"{name} would reach behind the taking camera, where no picture falls. Make it "
            "shorter, or turn it the other way."
        )
