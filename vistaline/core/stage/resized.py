"""Layers moved along the rays of a camera, so that it sees them as before."""

from __future__ import annotations

import numpy as np

from vistaline.core.errors import EditError
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import put
from vistaline.core.stage.placing import stage_card
from vistaline.core.stage.poses import taking_pose

__all__ = ["along_rays", "as_seen_at"]


def as_seen_at(shot: Shot, layer: Layer, distance: float, camera: CameraState) -> Layer:
    """Return a layer at another distance that ``camera`` sees at the same place and size.

    ``distance``: metres from the taking camera along its axis.
    """
    return along_rays(shot, layer, layer, distance, camera)


def along_rays(
    shot: Shot, layer: Layer, like: Layer, distance: float, camera: CameraState
) -> Layer:
    """Return ``layer`` at a distance, where and as wide as ``camera`` sees the layer ``like``.

    What is enlarged about a camera's place looks the same to it (similar triangles).

    Raises
    ------
    EditError
        The distance is not on the side of the camera on which the layer is.
    """
    card, own = stage_card(shot, like), stage_card(shot, layer)
    taking, eye = taking_pose(shot.taking_camera), np.array(camera.position)
    axis = -taking[:3, 2]
    ahead = float((eye - taking[:3, 3]) @ axis)
    way = float((card.world_from_card[:3, 3] - eye) @ axis)
    ratio = (distance - ahead) / way if abs(way) > 1e-9 else 0.0
    if ratio <= 1e-6:
        raise EditError(
            f"From this camera {layer.name} cannot be seen the same at {distance:g} m: that is "
            f"behind the camera, which stands at {ahead:.2f} m. Choose another distance, or keep "
            "it as it was taken."
        )
    pose = card.world_from_card.copy()
    pose[:3, 3] = eye + ratio * (pose[:3, 3] - eye)
    return put(shot, layer, pose, ratio * card.width / own.width)
