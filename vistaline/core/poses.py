"""Where a layer stands on the stage, and how large: as the taking camera saw it, or in metres.

Nothing here knows the shot's own camera.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from vistaline.core import space
from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.frame_styles import FrameStyle, margin_of, window_of
from vistaline.core.lettering import extents
from vistaline.core.mounts import carry_of
from vistaline.core.optics import focal_length_px
from vistaline.core.shot import Layer, Shot, TakingCamera

__all__ = [
    "frame_ratio",
    "framed_as",
    "metres_per_pixel",
    "own_size",
    "seen_at",
    "standing_pose",
    "taking_pose",
    "texture_of",
    "unscaled_size",
    "window_aspect",
]


def metres_per_pixel(camera: TakingCamera, distance: float) -> float:
    """Return what one pixel of the taking camera's canvas measures at ``distance``."""
    assert camera.focal_length is not None
    return distance / focal_length_px(camera.focal_length, *camera.canvas)


@lru_cache(maxsize=64)
def taking_pose(camera: TakingCamera) -> Matrix4:
    """Return ``world_from_taking``, to be read only: every card of a shot asks for it."""
    pose = space.pose(camera.position, camera.pan, camera.tilt, camera.roll)
    pose.setflags(write=False)
    return pose


def standing_pose(shot: Shot, layer: Layer) -> tuple[Matrix4, float, float]:
    """Return ``world_from_card`` of a layer that is no backdrop, its width and height (metres).

    What faces the camera or stays with the lens stands as if it did neither.
    """
    taking, carry = shot.taking_camera, carry_of(layer.ride, shot.mounts)
    width, height = (side * layer.scale for side in unscaled_size(shot, layer, layer.distance))
    aside = np.array([layer.across, layer.up, -layer.distance])
    centre = seen_at(shot, layer, width) + aside
    turn = space.rotation(layer.pan, layer.tilt, layer.roll)
    local = np.eye(4)
    frame = frame_ratio(shot, layer)
    pivot = np.array([layer.pivot[0] * width * frame[0], layer.pivot[1] * height * frame[1], 0])
    local[:3, :3], local[:3, 3] = turn, centre + pivot - turn @ pivot
    pose = carry.pose(taking_pose(taking) @ local)
    return pose, width * carry.scale * frame[0], height * carry.scale * frame[1]


def seen_at(shot: Shot, layer: Layer, width: float) -> FloatArray:
    """Return how far (3,) the middle of a layer ``width`` metres wide was seen off the axis."""
    if layer.box is None:
        return np.zeros(3)
    x, y, wide, tall = layer.box
    canvas_width, canvas_height = shot.taking_camera.canvas
    metres = width / wide
    return np.array(
        [
            (x + wide / 2 - canvas_width / 2) * metres,
            -(y + tall / 2 - canvas_height / 2) * metres,
            0.0,
        ]
    )


def unscaled_size(shot: Shot, layer: Layer, distance: float) -> tuple[float, float]:
    if layer.box is None:
        return own_size(shot, layer)
    metres = metres_per_pixel(shot.taking_camera, distance)
    return layer.box[2] * metres, layer.box[3] * metres


def own_size(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return a card's width and height in metres at scale 1, without what stands round it."""
    for drawn in (layer.field, layer.occluder):
        if drawn is not None:
            return drawn.width, drawn.height
    if layer.title is not None:
        return extents(layer.title)
    assert layer.width is not None, "the shot has been completed"
    if layer.height is not None:
        return layer.width, layer.height
    width, height = _picture_size(shot, layer)
    return layer.width, layer.width * height / width


def window_aspect(shot: Shot, layer: Layer) -> float | None:
    """Return width over height of the window a picture is seen in; None: as the picture."""
    if layer.crop is None:
        return None
    if layer.box is not None:
        return layer.box[2] / layer.box[3]
    width, height = own_size(shot, layer)
    return width / height


def framed_as(shot: Shot, layer: Layer) -> FrameStyle | None:
    """Return the style that is drawn round a layer's picture, if one is."""
    style = shot.frame_styles.get(layer.frame_style)
    return style if style and layer.picture and style.draws else None


def texture_of(shot: Shot, layer: Layer) -> str:
    """Return what a layer's look is known by: a picture's key, or its own id if it is drawn."""
    plain = layer.picture and layer.crop is None and framed_as(shot, layer) is None
    return layer.picture if plain else f"~{layer.id}"


def frame_ratio(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return by how much a frame enlarges a layer, across and up."""
    style = framed_as(shot, layer)
    if style is None:
        return 1.0, 1.0
    width, height = window = window_of(_picture_size(shot, layer), window_aspect(shot, layer))
    margin = 2 * margin_of(style, window)
    return (width + margin) / width, (height + margin) / height


def _picture_size(shot: Shot, layer: Layer) -> tuple[int, int]:
    picture = shot.pictures[layer.picture]
    assert picture.width and picture.height, "the shot has been completed"
    return picture.width, picture.height
