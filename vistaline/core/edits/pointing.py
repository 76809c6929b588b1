"""What a layer shows at pixels of a frame: how far away it is there, and where on the stage."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import EditError
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.surfaces import surface_of

__all__ = ["nearness_at", "places_at"]


def nearness_at(
    shot: Shot, layer: str, camera: CameraState, pixels: Sequence[tuple[float, float]]
) -> FloatArray:
    """Return 1/z (N,) in 1/m of a layer at frame pixels, 0 where it is not.

    Raises
    ------
    EditError
        There is no layer, it is at no distance, or it is not at the first of the pixels.
    """
    if not layer:
        raise EditError("Nothing is seen there. Click on a layer.")
    found = shot.layer(layer)
    if found.is_backdrop or found.on_lens:
        raise EditError(f"{found.name} is at no distance. Click something that stands.")
    x, y = np.array(pixels, float).T[:, None]
    near = surface_of(found).trace(card_of(shot, found, camera), camera, x, y).near[0]
    if not near[0] > 0:
        raise EditError(f"{found.name} is not seen there. Click on it.")
    return np.asarray(near, float)


def places_at(
    camera: CameraState, pixels: Sequence[tuple[float, float]], near: FloatArray
) -> FloatArray:
    """Return the places (N, 3) on the stage that are seen at pixels, 1/z being ``near`` (N,)."""
    turn, home = camera.world_from_camera[:3, :3], np.array(camera.position)
    each = zip(pixels, near.tolist(), strict=True)
    return np.array([home + turn @ camera.ray(x, y) / one for (x, y), one in each])
