"""What catches the picture: layers that stand somewhere and show what is thrown there."""

from __future__ import annotations

from collections.abc import Sequence

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
from vistaline.core.stage.seen import plate_of

__all__ = ["NEAR_TAKING", "eye_height_of", "source_of", "surface_like", "with_surfaces"]

NEAR_TAKING = 0.05
"""Metres before the taking camera: no surface reaches nearer."""


def source_of(shot: Shot, layer: str) -> Layer:
    """Return the layer whose picture is to be caught; the plate if none is named."""
    found = unlocked(shot, layer or plate_of(shot).id)
    if not found.picture or found.box is None:
        raise EditError(
            f"{found.name} was not seen by the taking camera, so it cannot be projected. "
            "Choose the picture as it was taken."
        )
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
    layer = Layer(name=name, shows=PictureShown(picture=like.picture), stands=stands)
    x, y, z = size[0] / 2, size[1] / 2, (depth or 0.0) / 2
    corners = np.array([[a, b, c, 1] for a in (-x, x) for b in (-y, y) for c in (-z, z)])
    there = corners @ (space.inverse_pose(taking_pose(shot.taking_camera)) @ pose).T
    if (there[:, 2] > -NEAR_TAKING / 2).any():
        raise EditError(
            f"{name} would reach behind the taking camera, where no picture falls. Make it "
            "shorter, or turn it the other way."
        )
    return put(shot, layer, pose)
