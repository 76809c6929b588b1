"""The edits that turn one picture into a room: its taking camera, and planes that catch it."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core import space
from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.camera import camera_states
from vistaline.core.cards import put
from vistaline.core.errors import EditError
from vistaline.core.optics import GATE_LONG_SIDE, focal_length_px
from vistaline.core.perspective import Direction, Edge, SeenFrom, recover_camera
from vistaline.core.placing import point_on, standing_card
from vistaline.core.poses import taking_pose
from vistaline.core.route import Route
from vistaline.core.shot import Ground, Layer, MarkedEdge, Shot, TakingCamera
from vistaline.core.shot_verbs import REGISTRY, unlocked, with_layers
from vistaline.core.verbs import FROM_JSON

__all__ = ["plate_of", "seen_from"]

verb = REGISTRY.verb
_NEAR = 0.05
"""Metres before the taking camera: no surface reaches nearer."""
Side = Literal["left", "right", "top", "bottom"]


# --- how the picture was seen -----------------------------------------------------------------


@lru_cache(maxsize=64)
def seen_from(taking: TakingCamera) -> SeenFrom:
    """Return what the marked edges tell of the taking camera; errors as ``recover_camera``."""
    edges = [Edge(each.a, each.b, each.along) for each in taking.edges]
    return recover_camera(
        edges, taking.canvas, principal_point=taking.centre, deviation=taking.marked_within
    )


def plate_of(shot: Shot) -> Layer:
    """Return the layer that edges are marked on: the farthest that the taking camera saw.

    Raises
    ------
    EditError
        The taking camera saw none of the layers.
    """
    seen = [layer for layer in shot.layers if layer.box and layer.picture]
    if not seen:
        raise EditError(
            "No layer was seen by the taking camera. Bring in the picture as it was taken first."
        )
    return max(seen, key=lambda layer: layer.distance)


def _canvas_point(shot: Shot, frame: int, x: float, y: float) -> tuple[float, float]:
    """Return the canvas pixel that is seen at frame pixel ``x``, ``y``, on the plate."""
    plate = plate_of(shot)
    assert plate.box is not None
    across, up = point_on(standing_card(shot, plate), camera_states(shot, [frame])[0], (x, y))
    left, top, width, height = plate.box
    return left + (across + 0.5) * width, top + (0.5 - up) * height


@verb("mark edges")
def mark_edges(
    shot: Shot,
    *,
    edges: Annotated[list[MarkedEdge], FROM_JSON],
    within: Annotated[float, Field(gt=0, le=100)] | None = None,
) -> Shot:
    """Keep the edges that are marked in the picture; ``within``: how exactly, in pixels."""
    taking = shot.taking_camera
    return shot.evolve(
        taking_camera=taking.evolve(
            edges=tuple(edges), marked_within=within or taking.marked_within
        )
    )


@verb("how exactly edges are marked")
def mark_within(shot: Shot, *, pixels: Annotated[float, Field(gt=0, le=100)]) -> Shot:
    """Say how exactly the ends of edges are marked: one standard deviation, in pixels."""
    return mark_edges(shot, edges=list(shot.taking_camera.edges), within=pixels)


@verb("mark an edge")
def add_edge(
    shot: Shot, *, frame: int, x0: float, y0: float, x1: float, y1: float, along: Direction
) -> Shot:
    """Mark an edge from one frame pixel to another, along a direction of the world."""
    ends = (_canvas_point(shot, frame, x, y) for x, y in ((x0, y0), (x1, y1)))
    a, b = (tuple(round(value, 3) for value in end) for end in ends)
    edge = MarkedEdge.model_validate({"a": a, "b": b, "along": along})
    return mark_edges(shot, edges=[*shot.taking_camera.edges, edge])


@verb("move an edge")
def move_edge(
    shot: Shot, *, edge: int, end: Literal["a", "b"], frame: int, x: float, y: float
) -> Shot:
    """Put an end of a marked edge where a frame pixel shows it."""
    edges = list(shot.taking_camera.edges)
    if not 0 <= edge < len(edges):
        raise EditError("That edge is not marked any more. Reload the page.")
    edges[edge] = edges[edge].evolve(**{end: _canvas_point(shot, frame, x, y)})
    return mark_edges(shot, edges=edges)


@verb("remove edges")
def remove_edges(shot: Shot, *, edge: int | None = None) -> Shot:
    """Take one mark away, or all of them; the taking camera stays as it is."""
    edges = [each for n, each in enumerate(shot.taking_camera.edges) if edge not in (None, n)]
    return mark_edges(shot, edges=edges)


@verb("see it as marked")
def see_as_marked(shot: Shot) -> Shot:
    """Let the taking camera be what the marked edges tell; what each framing sees stays.

    The camera's routes turn with it, and their lenses change as its own does.
    """
    taking = shot.taking_camera
    found = seen_from(taking)
    assert taking.focal_length is not None, "the shot has been completed"
    lens = found.focal_px * GATE_LONG_SIDE / max(taking.canvas)
    pan, tilt, roll = found.angles
    now = taking.evolve(focal_length=lens, pan=pan, tilt=tilt, roll=roll)
    turn = taking_pose(now) @ space.inverse_pose(taking_pose(taking))
    ratio = lens / taking.focal_length
    return shot.evolve(
        taking_camera=now,
        ground=_level_ground(shot, found),
        route=_turned(shot.route, turn, ratio),
        cameras=tuple(each.evolve(route=_turned(each.route, turn, ratio)) for each in shot.cameras),
        takes=tuple(each.evolve(route=_turned(each.route, turn, ratio)) for each in shot.takes),
    )


def _level_ground(shot: Shot, found: SeenFrom) -> Ground:
    horizon = found.horizon_at(shot.taking_camera.canvas[0] / 2)
    ground = shot.ground or Ground(horizon=0)
    return ground.evolve(horizon=float(np.clip(round(horizon, 2), -1e5, 1e5)))


def _turned(route: Route, turn: Matrix4, ratio: float) -> Route:
    framings = []
    for framing in route.framings:
        pose = turn @ space.pose(framing.position, framing.pan, framing.tilt, framing.roll)
        pan, tilt, roll = space.angles_of(pose[:3, :3])
        framings.append(
            framing.evolve(
                position=tuple(pose[:3, 3].tolist()),
                pan=pan,
                tilt=tilt,
                roll=roll,
                lens=min(max(framing.lens * ratio, 1.0), 5000.0),
            )
        )
    return route.evolve(framings=tuple(framings))


# --- surfaces ---------------------------------------------------------------------------------


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
    found = unlocked(shot, layer or plate_of(shot).id)
    if frame is not None:
        (x0, y0), (x1, y1) = (_canvas_point(shot, frame, x, y) for x, y in ((x0, y0), (x1, y1)))
        x0, x1, y0, y1 = min(x0, x1), max(x0, x1), min(y0, y1), max(y0, y1)
    if not found.picture or found.box is None:
        raise EditError(
            f"{found.name} was not seen by the taking camera, so it cannot be projected. "
            "Choose the picture as it was taken."
        )
    if shot.ground is None:
        raise EditError("Say first how high the camera stood: the eye's height, under Ground.")
    if x1 - x0 < 2 or y1 - y0 < 2:
        raise EditError("The back wall is too small. Drag its corners apart.")
    eye = shot.ground.eye_height
    middle = _ray(shot, (x0 + x1) / 2, y1)
    if middle[1] >= -1e-6:
        raise EditError(
            "The back wall's lower edge is not below the horizon, so it does not stand on the "
            "ground. Drag it down, or move the horizon."
        )
    deep = eye / -middle[1] * -middle[2]
    left, right = (_ray(shot, x, (y0 + y1) / 2) for x in (x0, x1))
    west, east = (float(ray[0] / -ray[2] * deep) for ray in (left, right))
    up = _ray(shot, (x0 + x1) / 2, y0)
    high = float(up[1] / -up[2] * deep)
    tall, wide, long = high + eye, east - west, deep - _NEAR * 2
    if long <= 0 or tall <= 0 or wide <= 0:
        raise EditError("That back wall lies behind the camera. Draw it where it is seen.")
    x, y, z = (west + east) / 2, (high - eye) / 2, -(deep + _NEAR * 2) / 2
    walls = (
        ("Back wall", (x, y, -deep), (0, 0), (wide, tall)),
        ("Floor", (x, -eye, z), (0, -90), (wide, long)),
        ("Ceiling", (x, high, z), (0, 90), (wide, long)),
        ("Left wall", (west, y, z), (90, 0), (long, tall)),
        ("Right wall", (east, y, z), (-90, 0), (long, tall)),
    )
    place = np.array(shot.taking_camera.position)
    added = [
        _surface(shot, found, name, space.pose(place + at, pan, tilt), size)
        for name, at, (pan, tilt), size in walls
    ]
    taken = {each.name for each in shot.layers}
    hidden = with_layers(shot, [found.evolve(hidden=True)])
    named = [each.evolve(name=_free(each.name, taken)) for each in added]
    return hidden.evolve(layers=(*hidden.layers, *named))


@verb("grow a surface")
def grow_surface(
    shot: Shot,
    *,
    layer: str,
    side: Side,
    length: Annotated[float, Field(gt=0, le=1e6)],
    angle: Annotated[float, Field(ge=-180, le=180)] = 90,
) -> Shot:
    """Let another surface grow from a side of one, ``length`` metres, turned towards its front.

    At 0 degrees it goes on in the same plane, at 90 it stands up from it.
    """
    found = shot.layer(layer)
    if found.projection is None:
        raise EditError(f"{found.name} catches no picture, so nothing grows from it.")
    card = standing_card(shot, found)
    across = side in ("left", "right")
    sign = 1.0 if side in ("right", "top") else -1.0
    axis = 0 if across else 1
    out = np.zeros(3)
    out[axis] = sign
    turned = np.radians(angle)
    way = np.cos(turned) * out + np.sin(turned) * np.array([0, 0, 1])
    edge = out * (card.width if across else card.height) / 2
    local = np.eye(4)
    # The new card's own axis along the old one keeps its way; the other goes out along ``way``.
    keep = np.array([0.0, 1.0, 0.0]) if across else np.array([1.0, 0.0, 0.0])
    grown = way * sign
    local[:3, axis], local[:3, 1 - axis] = grown, keep
    local[:3, 2] = np.cross(local[:3, 0], local[:3, 1])
    local[:3, 3] = edge + way * length / 2
    size = (length, card.height) if across else (card.width, length)
    taken = {each.name for each in shot.layers}
    name = _free(f"{found.name[:70]} {side}", taken)
    added = _surface(shot, found, name, card.world_from_card @ local, size)
    return shot.evolve(layers=(*shot.layers, added))


def _ray(shot: Shot, x: float, y: float) -> FloatArray:
    """Return the direction (3,) in the world that a canvas pixel was seen in."""
    taking = shot.taking_camera
    assert taking.focal_length is not None, "the shot has been completed"
    focal = focal_length_px(taking.focal_length, *taking.canvas)
    turn, (middle_x, middle_y) = taking_pose(taking)[:3, :3], taking.principal_point
    return np.asarray(turn @ np.array([x - middle_x, middle_y - y, -focal]))


def _surface(shot: Shot, like: Layer, name: str, pose: Matrix4, size: tuple[float, float]) -> Layer:
    """Return a layer that stands like this and catches what ``like`` shows."""
    layer = Layer(
        name=name,
        picture=like.picture,
        projection=like.box or like.projection,
        width=size[0],
        height=size[1],
    )
    placed = put(shot, layer, pose)
    corners = standing_card(shot, placed).outline
    flat = np.column_stack([corners[:, :2], np.zeros(4), np.ones(4)])
    there = flat @ (space.inverse_pose(taking_pose(shot.taking_camera)) @ pose).T
    if (there[:, 2] > -_NEAR / 2).any():
        raise EditError(
            f"{name} would reach behind the taking camera, where no picture falls. Make it "
            "shorter, or turn it the other way."
        )
    return placed


def _free(name: str, taken: set[str]) -> str:
    found, n = name, 1
    while found in taken:
        n += 1
        found = f"{name} {n}"
    return found
