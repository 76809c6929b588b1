"""Where a layer stands on the stage, and how large: as the taking camera saw it, or in metres.

Nothing here knows the shot's own camera.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import lru_cache

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.geometry import space
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.looks.frame_styles import (
    LARGEST_SIDE,
    FrameStyle,
    Shadow,
    margin_of,
    room_for,
    window_of,
)
from vistaline.core.looks.lettering import extents
from vistaline.core.looks.lines import Line, line_extents
from vistaline.core.looks.swaying import room_of_sway
from vistaline.core.shot.layouts import layout_of
from vistaline.core.shot.mounts import Carry, carry_of
from vistaline.core.shot.shot import Layer, Shot, TakingCamera
from vistaline.core.stage.runs import runs_of
from vistaline.core.stage.textures import DrawnLook, PictureLook

__all__ = [
    "Place",
    "aspect_of",
    "border_of",
    "drop_of",
    "frame_ratio",
    "framed_as",
    "framed_ratio",
    "largest_drawn",
    "layer_pose",
    "line_shown",
    "look_aspect",
    "metres_per_pixel",
    "own_size",
    "projector_of",
    "seen_at",
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


@dataclass(frozen=True, eq=False)
class Place:
    """A layer's values that say where it stands; each one number, or (N,) at N times."""

    distance: FloatArray
    across: FloatArray
    up: FloatArray
    scale: FloatArray
    pan: FloatArray
    tilt: FloatArray
    roll: FloatArray
    pivot_across: FloatArray
    pivot_up: FloatArray

    @classmethod
    def of(cls, layer: Layer) -> Place:
        """Return a layer's values as they are kept."""
        own = (getattr(layer, field.name) for field in fields(cls)[:7])
        return cls(*(np.array(value, np.float64) for value in (*own, *layer.pivot)))


def layer_pose(
    shot: Shot, layer: Layer, place: Place | None = None, carry: Carry | None = None
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Return ``world_from_card`` of a layer that is no backdrop, its width and height (metres).

    At one time (4, 4), or at the N of ``place`` and ``carry`` (N, 4, 4); left out, they are what
    the shot keeps. What faces the camera or stays with the lens stands as if it did neither.
    """
    place = place or Place.of(layer)
    carry = carry or carry_of(layer.ride, shot.mounts)
    unit_width, unit_height = unscaled_size(shot, layer, 1.0)
    grown = place.scale * place.distance if layer.box else place.scale
    width, height = unit_width * grown, unit_height * grown
    across, up = seen_at(shot, layer, width)
    centre = _point(across + place.across, up + place.up, -place.distance)
    wide, tall = frame_ratio(shot, layer)
    # About a point of what is seen, whatever room it has to sway.
    seen_wide, seen_tall = framed_ratio(shot, layer)
    pivot = _point(
        place.pivot_across * width * seen_wide, place.pivot_up * height * seen_tall, np.zeros(())
    )
    turn = space.rotation(place.pan, place.tilt, place.roll)
    local = space.posed(turn, centre + pivot - (turn @ pivot[..., None])[..., 0])
    pose = carry.pose(taking_pose(shot.taking_camera) @ local)
    return pose, width * carry.scale * wide, height * carry.scale * tall


def _point(x: FloatArray, y: FloatArray, z: FloatArray) -> FloatArray:
    return np.stack(np.broadcast_arrays(x, y, z), axis=-1)


def seen_at(shot: Shot, layer: Layer, width: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return how far across and up the middle of a layer ``width`` metres wide was seen."""
    if layer.box is None:
        return np.zeros(()), np.zeros(())
    x, y, wide, tall = layer.box
    middle_x, middle_y = shot.taking_camera.principal_point
    metres = width / wide
    return (x + wide / 2 - middle_x) * metres, -(y + tall / 2 - middle_y) * metres


def unscaled_size(shot: Shot, layer: Layer, distance: float) -> tuple[float, float]:
    if layer.box is None:
        return own_size(shot, layer)
    metres = metres_per_pixel(shot.taking_camera, distance)
    return layer.box[2] * metres, layer.box[3] * metres


def projector_of(shot: Shot, layer: Layer) -> FloatArray | None:
    """Return ``unit_from_world`` (3, 4) of what a layer catches from the taking camera, or None.

    It takes a point on the stage to the picture's unit coordinates (0 to 1, y down); the third
    component is how far before the taking camera the point is, in metres.
    """
    if layer.projection is None:
        return None
    taking = shot.taking_camera
    assert taking.focal_length is not None, "the shot has been completed"
    x, y, width, height = layer.projection
    unit_from_canvas = np.array(
        [[1 / width, 0, -x / width], [0, 1 / height, -y / height], [0, 0, 1]]
    )
    focal = focal_length_px(taking.focal_length, *taking.canvas)
    canvas_from_taking = space.image_from_camera(focal, *taking.canvas, taking.shift)
    taking_from_world = space.inverse_pose(taking_pose(taking))
    return np.asarray(unit_from_canvas @ canvas_from_taking @ taking_from_world[:3])


def line_shown(shot: Shot, layer: Layer) -> Line:
    """Return the line that a layer shows; if it goes round another layer, as large as that asks."""
    assert layer.line is not None
    line = layer.line
    other = next((each for each in shot.layers if each.id == line.round), None)
    if other is None or other.is_backdrop or other.line is not None:
        return line
    _, width, height = layer_pose(shot, other)
    more = 2 * line.margin
    return line.evolve(width=max(width + more, 1e-3), height=max(height + more, 1e-3))


def own_size(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return a card's width and height in metres at scale 1, without what stands round it."""
    for drawn in (layer.field, layer.occluder):
        if drawn is not None:
            return drawn.width, drawn.height
    if layer.title is not None:
        return extents(layer.title)
    if layer.line is not None:
        return line_extents(line_shown(shot, layer))
    own_width, own_height = layer.size
    assert own_width is not None, "the shot has been completed"
    if own_height is not None:
        return own_width, own_height
    width, height = _picture_size(shot, layer)
    return own_width, own_width * height / width


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
    return style if style and layer.framable and style.draws else None


def drop_of(shot: Shot, layer: Layer) -> tuple[Shadow, float] | None:
    """Return the shadow that is drawn with a picture in a layout, and how far it is lifted.

    What is in the frame itself has no distance to what is behind, so its shadow goes with it.
    """
    layout, style = layout_of(shot, layer.id), shot.frame_styles.get(layer.frame_style)
    if not (layout and style and style.shadow and layer.framable and layer.casts_shadows):
        return None
    return (style.shadow, layout.lift) if style.shadow.strength and layout.lift else None


def largest_drawn(shot: Shot, layer: Layer) -> int:
    """Return how many pixels the longer side of a picture's window is drawn with at most.

    In a layout it is seen as large as the frame, and may be another one in each.
    """
    return max(shot.frame.size) * 5 // 4 if layout_of(shot, layer.id) else LARGEST_SIDE


def aspect_of(shot: Shot, layer: Layer) -> float:
    """Return width over height of what a layer shows by itself, without crop and frame."""
    width, height = _picture_size(shot, layer) if layer.framable else own_size(shot, layer)
    return width / height


def border_of(shot: Shot, layer: Layer) -> float:
    """Return how wide what is drawn round a picture is, as a share of its window's shorter side."""
    style = framed_as(shot, layer)
    return style.border + style.mat if style else 0.0


def texture_of(shot: Shot, layer: Layer) -> str:
    """Return the name of a layer's look; see ``textures``. Of what runs: where it begins."""
    drawn = (
        layer.crop or framed_as(shot, layer) or drop_of(shot, layer) or layer.drifts or layer.sway
    )
    runs = runs_of(shot, layer)
    if runs and not drawn:
        return runs.look(runs.runs.begin)
    plain = layer.picture and not drawn
    return str(PictureLook(layer.picture) if plain else DrawnLook(layer.id))


def frame_ratio(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return by how much a frame, a shadow drawn with it and room to sway enlarge a layer."""
    wide, tall = _enlarging(shot, layer, drop_of(shot, layer))
    if layer.sway is None:
        return wide, tall
    across, up = room_of_sway(layer.sway, look_aspect(shot, layer))
    return wide * (1 + 2 * across), tall * (1 + 2 * up)


def look_aspect(shot: Shot, layer: Layer) -> float:
    """Return width over height of a picture's look, without the room that it sways in."""
    wide, tall = _enlarging(shot, layer, drop_of(shot, layer))
    return (window_aspect(shot, layer) or aspect_of(shot, layer)) * wide / tall


def framed_ratio(shot: Shot, layer: Layer) -> tuple[float, float]:
    """Return by how much its frame alone enlarges a layer, across and up."""
    return _enlarging(shot, layer, None)


def _enlarging(shot: Shot, layer: Layer, drop: tuple[Shadow, float] | None) -> tuple[float, float]:
    style = framed_as(shot, layer)
    if style is None and drop is None:
        return 1.0, 1.0
    width, height = window = window_of(
        _picture_size(shot, layer), window_aspect(shot, layer), largest_drawn(shot, layer)
    )
    margin = 2 * margin_of(style, window) if style else 0
    margin += 2 * room_for(*drop, window) if drop else 0
    return (width + margin) / width, (height + margin) / height


def _picture_size(shot: Shot, layer: Layer) -> tuple[int, int]:
    if layer.nested:
        inner = shot.shots[layer.nested.shot]
        return inner.width, inner.height
    picture = shot.pictures[layer.picture]
    assert picture.width and picture.height, "the shot has been completed"
    return picture.width, picture.height
