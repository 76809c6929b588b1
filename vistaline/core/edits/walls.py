"""Single floors and walls under a picture, and surfaces that are made larger or smaller."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.registry import REGISTRY, with_layers
from vistaline.core.edits.surfaces import (
    Side,
    check_ahead,
    eye_height_of,
    plane_of,
    source_of,
    surface_like,
    with_surfaces,
)
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.heights import ground_point, upright_height
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import put
from vistaline.core.stage.placing import point_on, stage_card
from vistaline.core.stage.seen import canvas_box, canvas_point, ray_of

__all__: list[str] = []

verb = REGISTRY.verb
_LEAST = 0.01
"""Metres: no edge is dragged nearer to the one opposite."""


@verb("project on a floor")
def project_on_floor(
    shot: Shot, *, x0: float, y0: float, x1: float, y1: float, frame: int | None = None
) -> Shot:
    """Put the plate on a floor alone, which covers a box drawn on the ground in the picture.

    The pixels are opposite corners of the box, of ``frame`` or of the canvas: its lower edge is
    the floor's near end, its upper edge the far one.
    """
    shot, found = source_of(shot, "")
    eye = eye_height_of(shot)
    left, top, right, foot = canvas_box(shot, frame, (x0, y0), (x1, y1))
    if right - left < 2 or foot - top < 2:
        raise EditError("This floor is too small. Drag from corner to corner.")
    if any(ray_of(shot, x, top)[1] >= -1e-4 for x in (left, right)):
        raise EditError(
            "The upper edge of that box is not below the horizon, and a floor ends before it. "
            "Drag below the horizon."
        )
    corners = np.array(
        [ground_point(ray_of(shot, x, y), eye) for x in (left, right) for y in (top, foot)]
    )
    (west, south), (east, north) = corners[:, [0, 2]].min(axis=0), corners[:, [0, 2]].max(axis=0)
    middle = np.array([(west + east) / 2, -eye, (south + north) / 2])
    pose = space.pose(middle + shot.taking_camera.position, 0, -90)
    size = float(east - west), float(north - south)
    return with_surfaces(shot, [surface_like(shot, found, "Floor", pose, size)], instead_of=found)


@verb("project on a wall")
def project_on_wall(
    shot: Shot, *, x0: float, y0: float, x1: float, y1: float, frame: int | None = None
) -> Shot:
    """Put the plate on a wall alone, which stands upright on a line drawn along its foot.

    The pixels are the line's ends, of ``frame`` or of the canvas. The wall is as high as the
    picture shows at its farther end; its height can be typed, or its upper edge dragged.
    """
    shot, found = source_of(shot, "")
    eye = eye_height_of(shot)
    ends = sorted(canvas_point(shot, frame, x, y) for x, y in ((x0, y0), (x1, y1)))
    rays = [ray_of(shot, *end) for end in ends]
    if any(ray[1] >= -1e-4 for ray in rays):
        raise EditError(
            "The foot of that wall is not below the horizon, so it does not stand on the ground. "
            "Drag along its foot, or move the horizon."
        )
    feet = [ground_point(ray, eye) for ray in rays]
    along: FloatArray = feet[1] - feet[0]
    length = float(np.linalg.norm(along))
    if length < _LEAST:
        raise EditError("This wall has no length. Drag along its foot, from end to end.")
    assert found.box is not None
    tops = [ray_of(shot, x, min(found.box[1], y - 1)) for x, y in ends]
    tall = max(
        _LEAST, *(upright_height(ray, top, eye) for ray, top in zip(rays, tops, strict=True))
    )
    side = along / length
    pose = np.eye(4)
    pose[:3, 0], pose[:3, 1] = side, (0.0, 1.0, 0.0)
    pose[:3, 2] = np.cross(pose[:3, 0], pose[:3, 1])
    pose[:3, 3] = (feet[0] + feet[1]) / 2 + np.array([0, tall / 2, 0])
    pose[:3, 3] += shot.taking_camera.position
    return with_surfaces(
        shot, [surface_like(shot, found, "Wall", pose, (length, tall))], instead_of=found
    )


@verb("move a surface's edge")
def move_side(
    shot: Shot,
    *,
    layer: str,
    side: Side,
    metres: Annotated[float, Field(gt=0, le=1e6)] | None = None,
    frame: int = 0,
    x: float = 0,
    y: float = 0,
) -> Shot:
    """Move one edge of a surface by itself; the one opposite stays where it is.

    To where pixel ``x``, ``y`` of ``frame`` shows it, or so that the surface is ``metres`` long
    that way. The picture it catches stays where it was caught.
    """
    found = plane_of(shot, layer)
    card = stage_card(shot, found)
    axis = 0 if side in ("left", "right") else 1
    sign = 1.0 if side in ("right", "top") else -1.0
    size = [card.width, card.height]
    if metres is None:
        share = point_on(card, camera_states(shot, [frame])[0], (x, y))[axis]
        metres = size[axis] * (0.5 + sign * share)
    metres = max(metres, _LEAST)
    pose = card.world_from_card.copy()
    pose[:3, 3] += pose[:3, axis] * sign * (metres - size[axis]) / 2
    grown = metres / size[axis]
    size[axis] = metres
    check_ahead(shot, found.name, pose, (size[0], size[1], 0.0))
    name = "width" if axis == 0 else "height"
    kept = found.size[axis]
    assert kept is not None, "what catches a picture has a size"
    return with_layers(shot, [put(shot, found.with_stands(**{name: kept * grown}), pose)])
