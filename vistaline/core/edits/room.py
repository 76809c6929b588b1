"""The edits that put one picture on planes: rooms, four points, what grows from an edge."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.edits.marks import Corners, see_one_point
from vistaline.core.edits.registry import REGISTRY
from vistaline.core.edits.surfaces import (
    NEAR_TAKING,
    Side,
    eye_height_of,
    source_of,
    surface_like,
    with_surfaces,
)
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.rectangles import in_order, rectangle_pose
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import Card
from vistaline.core.stage.placing import stage_card
from vistaline.core.stage.poses import taking_pose
from vistaline.core.stage.seen import canvas_box, canvas_point, plate_of, ray_of, taking_focal

__all__: list[str] = []

verb = REGISTRY.verb
_SQUARE = 4.0
"""Degrees: a plane that stands this nearly square to the world's axes is put so."""
_Angle = Annotated[float, Field(ge=-180, le=180)]


@verb("project on a room")
def project_on_room(
    shot: Shot,
    *,
    layer: str = "",
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    frame: int | None = None,
) -> Shot:
    """Put a picture on floor, ceiling and walls, by where its back wall is in the canvas.

    With ``frame`` its corners are pixels of that frame; ``layer`` is the plate if left out. The
    back wall's lower edge stands on the ground, as far away as the eye's height tells; the
    room's axes are the world's, as the marked edges have told them. The layer itself is hidden.
    """
    shot, found = source_of(shot, layer)
    x0, y0, x1, y1 = canvas_box(shot, frame, (x0, y0), (x1, y1))
    eye = eye_height_of(shot)
    if x1 - x0 < 2 or y1 - y0 < 2:
        raise EditError("The back wall is too small. Drag its corners apart.")
    middle = ray_of(shot, (x0 + x1) / 2, y1)
    if middle[1] >= -1e-6:
        raise EditError(
            "The back wall's lower edge is not below the horizon, so it does not stand on the "
            "ground. Drag it down, or move the horizon."
        )
    deep = eye / -middle[1] * -middle[2]
    left, right = (ray_of(shot, x, (y0 + y1) / 2) for x in (x0, x1))
    west, east = (float(ray[0] / -ray[2] * deep) for ray in (left, right))
    up = ray_of(shot, (x0 + x1) / 2, y0)
    high = float(up[1] / -up[2] * deep)
    tall, wide, long = high + eye, east - west, deep - NEAR_TAKING * 2
    if long <= 0 or tall <= 0 or wide <= 0:
        raise EditError("That back wall lies behind the camera. Draw it where it is seen.")
    x, y, z = (west + east) / 2, (high - eye) / 2, -(deep + NEAR_TAKING * 2) / 2
    walls = (
        ("Back wall", (x, y, -deep), (0, 0), (wide, tall)),
        ("Floor", (x, -eye, z), (0, -90), (wide, long)),
        ("Ceiling", (x, high, z), (0, 90), (wide, long)),
        ("Left wall", (west, y, z), (90, 0), (long, tall)),
        ("Right wall", (east, y, z), (-90, 0), (long, tall)),
    )
    place = np.array(shot.taking_camera.position)
    added = [
        surface_like(shot, found, name, space.pose(place + at, pan, tilt), size)
        for name, at, (pan, tilt), size in walls
    ]
    return with_surfaces(shot, added, instead_of=found)


@verb("project on a one-point room")
def project_on_one_point(
    shot: Shot,
    *,
    vx: float,
    vy: float,
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    frame: int | None = None,
) -> Shot:
    """Put the plate on a room by its vanishing point and its back wall, both in pixels.

    See :func:`see_one_point` and :func:`project_on_room`.
    """
    shot, _ = source_of(shot, "")
    x0, y0, x1, y1 = canvas_box(shot, frame, (x0, y0), (x1, y1))
    seen = see_one_point(shot, x=vx, y=vy, frame=frame)
    return project_on_room(seen, x0=x0, y0=y0, x1=x1, y1=y1)


@verb("project on a plane")
def project_on_plane(
    shot: Shot,
    *,
    corners: Corners,
    stands: str = "ground",
    layer: str = "",
    frame: int | None = None,
) -> Shot:
    """Put a picture on a plane by four points that are a rectangle's corners in the world.

    ``stands``: on the "ground", "free" (as far away as the plate), or the id of a surface that
    its lower left corner is on. ``layer``: the picture, or a cutout whose mask cuts the plane;
    the plate if left out; it is hidden.
    ``corners`` are pixels of ``frame``, or of the canvas.
    """
    shot, found = source_of(shot, layer)
    taking = shot.taking_camera
    drawn = in_order([canvas_point(shot, frame, *corner) for corner in corners])
    standing = rectangle_pose(drawn, taking_focal(taking), taking.principal_point)
    turn = taking_pose(taking)[:3, :3]
    facing = _squared(turn @ standing.camera_from_card[:3, :3])
    middle = turn @ standing.camera_from_card[:3, 3]
    rays = np.array([ray_of(shot, *corner) for corner in drawn])
    facets = rays @ facing[:, 2]
    if (facets * (middle @ facing[:, 2]) <= 1e-9).any():
        raise EditError(
            "This plane would run past the taking camera: one of its corners lies beyond its own "
            "horizon. Drag the corners nearer to each other."
        )
    places = rays * (middle @ facing[:, 2] / facets)[:, None]
    places *= _far(shot, stands, places)
    flat = places @ facing
    low, high = flat.min(axis=0), flat.max(axis=0)
    pose = np.eye(4)
    pose[:3, :3] = facing
    pose[:3, 3] = facing @ ((low + high) / 2) + taking.position
    size = float(high[0] - low[0]), float(high[1] - low[1])
    added = surface_like(shot, found, "Plane", pose, size)
    return with_surfaces(shot, [added], instead_of=found)


def _far(shot: Shot, stands: str, places: FloatArray) -> float:
    """Return by how much a plane's corners (4, 3), seen from the camera, are to be farther."""
    if stands == "ground":
        lowest = float(places[:, 1].min())
        if lowest >= -1e-9:
            raise EditError(
                "None of these corners is below the horizon, so the plane does not stand on the "
                "ground. Let it stand on another surface, or free."
            )
        return eye_height_of(shot) / -lowest
    if stands == "free":
        ahead = taking_pose(shot.taking_camera)[:3, 2]
        return plate_of(shot).distance / -float(places.mean(axis=0) @ ahead)
    card = stage_card(shot, shot.layer(stands))
    normal = card.world_from_card[:3, 2]
    away = normal @ (card.world_from_card[:3, 3] - shot.taking_camera.position)
    # Its lower left corner: the first is at the top left, and they run clockwise.
    towards = float(normal @ places[3])
    if away * towards <= 1e-12:
        raise EditError(
            f"Its lower left corner is not seen on {card.layer.name}. Put that corner on it."
        )
    return float(away / towards)


def _squared(turn: Matrix3) -> Matrix3:
    """Return a rotation, or that of the world's axes it is nearly at."""
    nearest = np.zeros((3, 3))
    for column in range(3):
        axis = int(np.abs(turn[:, column]).argmax())
        nearest[axis, column] = np.sign(turn[axis, column])
    if np.linalg.det(nearest) < 0.5 or (np.abs(nearest).sum(axis=1) != 1).any():
        return turn
    off = np.degrees(np.arccos(np.clip((np.trace(nearest.T @ turn) - 1) / 2, -1, 1)))
    return nearest if off < _SQUARE else turn


@verb("grow a surface")
def grow_surface(
    shot: Shot,
    *,
    layer: str,
    side: Side,
    length: Annotated[float, Field(gt=0, le=1e6)] | None = None,
    angle: _Angle = 90,
    frame: int | None = None,
    x: float = 0,
    y: float = 0,
) -> Shot:
    """Let another surface grow from a side of one, turned by ``angle`` towards its front.

    At 0 degrees it goes on in the same plane, at 90 it stands up from it, between it is a ramp.
    ``length`` metres, or as far as pixel ``x``, ``y`` of ``frame`` shows.
    """
    found = shot.layer(layer)
    if found.projection is None or found.body is not None:
        raise EditError(f"{found.name} is no plane that catches a picture; nothing grows from it.")
    card = stage_card(shot, found)
    across = side in ("left", "right")
    sign = 1.0 if side in ("right", "top") else -1.0
    axis = 0 if across else 1
    out = np.zeros(3)
    out[axis] = sign
    turned = np.radians(angle)
    way = np.cos(turned) * out + np.sin(turned) * np.array([0, 0, 1])
    edge = out * (card.width if across else card.height) / 2
    if length is None:
        length = _reached(shot, card, edge, way, axis, frame or 0, (x, y))
    local = np.eye(4)
    # The new card's own axis along the old one keeps its way; the other goes out along ``way``.
    keep = np.array([0.0, 1.0, 0.0]) if across else np.array([1.0, 0.0, 0.0])
    local[:3, axis], local[:3, 1 - axis] = way * sign, keep
    local[:3, 2] = np.cross(local[:3, 0], local[:3, 1])
    local[:3, 3] = edge + way * length / 2
    size = (length, card.height) if across else (card.width, length)
    name = f"{found.name[:70]} {side}"
    added = surface_like(shot, found, name, card.world_from_card @ local, size)
    return with_surfaces(shot, [added])


def _reached(
    shot: Shot,
    card: Card,
    edge: FloatArray,
    way: FloatArray,
    axis: int,
    frame: int,
    at: tuple[float, float],
) -> float:
    """Return how far along ``way`` from a card's edge the plane grown there reaches a pixel."""
    camera = camera_states(shot, [frame])[0]
    card_from_camera = space.inverse_pose(card.world_from_card) @ camera.world_from_camera
    origin, ray = card_from_camera[:3, 3], card_from_camera[:3, :3] @ camera.ray(*at)
    normal = np.cross(way, np.eye(3)[1 - axis])
    facing = float(normal @ ray)
    depth = float(normal @ (edge - origin)) / facing if abs(facing) > 1e-9 else -1.0
    length = float(way @ (origin + depth * ray - edge))
    if depth <= 0 or length < 1e-3:
        raise EditError(
            "There the new surface would have no size. Drag away from the edge, to where its "
            "other end is to be."
        )
    return length
