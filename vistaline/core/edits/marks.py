"""The edits that tell how the picture was seen: marks in it, and what they measure."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.arrays import Matrix4
from vistaline.core.edits.metres import larger_row
from vistaline.core.edits.registry import REGISTRY, pictures_used
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.bowing import straightened
from vistaline.core.geometry.edges import Direction
from vistaline.core.geometry.optics import GATE_LONG_SIDE
from vistaline.core.geometry.perspective import SeenFrom
from vistaline.core.geometry.rectangles import edges_of_rectangle, in_order
from vistaline.core.model import Part
from vistaline.core.shot.route import Route
from vistaline.core.shot.shot import Ground, Layer, MarkedEdge, PictureRef, Shot, TakingCamera
from vistaline.core.shot.stands import Box
from vistaline.core.stage.poses import taking_pose
from vistaline.core.stage.seen import canvas_point, plate_settled, seen_from
from vistaline.core.verbs import FROM_JSON

__all__ = ["Corners", "see_one_point"]

verb = REGISTRY.verb
Corners = Annotated[list[tuple[float, float]], Field(min_length=4, max_length=4), FROM_JSON]
_SIDES = {
    "front": (Direction.ACROSS, Direction.UP),
    "side": (Direction.DEEP, Direction.UP),
    "level": (Direction.ACROSS, Direction.DEEP),
}
"""Which ways the sides of a rectangle run that faces the camera, stands beside it, or lies."""
_SEEN_BESIDE = 0.01
"""Pixels: nearer to where the lens is said to look, edges tell nothing else."""


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
    ends = (canvas_point(shot, frame, x, y) for x, y in ((x0, y0), (x1, y1)))
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
    edges[edge] = edges[edge].evolve(**{end: canvas_point(shot, frame, x, y)})
    return mark_edges(shot, edges=edges)


@verb("bow an edge")
def bow_edge(
    shot: Shot, *, edge: int, frame: int | None = None, x: float | None = None, y: float = 0
) -> Shot:
    """Put a point of an edge, between its ends, where the picture shows it; left out: straight.

    What a lens has bowed tells by how much; the other edges are then taken to be bowed alike.
    """
    edges = list(shot.taking_camera.edges)
    if not 0 <= edge < len(edges):
        raise EditError("That edge is not marked any more. Reload the page.")
    through = None if x is None else canvas_point(shot, frame, x, y)
    edges[edge] = edges[edge].evolve(through=through)
    return mark_edges(shot, edges=edges)


class StraightPart(Part):
    """A picture that was straightened, and where it lay in the canvas and lies now."""

    old: str
    was: Box
    key: str
    picture: PictureRef
    box: Box


@verb("straighten what the lens bowed")
def use_straightened(
    shot: Shot, *, bow: float, parts: Annotated[list[StraightPart], Field(min_length=1), FROM_JSON]
) -> Shot:
    """Show straightened pictures where their bowed ones were shown; the marks are straightened.

    The first is the plate's, which is shown straight on surfaces, too; a relief keeps what it
    shows, as that belongs to its map.
    """
    taking = shot.taking_camera
    middle = np.array(taking.principal_point)

    def straight(point: tuple[float, float]) -> tuple[float, float]:
        x, y = straightened(np.array(point), bow, taking.canvas, middle).tolist()
        return x, y

    def shown(layer: Layer) -> Layer:
        if layer.relief:
            return layer
        for part in parts:
            if (layer.picture, layer.box) == (part.old, part.was):
                return layer.with_shows(picture=part.key).with_stands(box=part.box)
        if layer.picture == parts[0].old:
            return layer.with_shows(picture=parts[0].key)
        return layer

    edges = tuple(
        each.evolve(a=straight(each.a), b=straight(each.b), through=None) for each in taking.edges
    )
    layers = tuple(shown(layer) for layer in shot.layers)
    seen = shot.evolve(
        pictures=shot.pictures | {part.key: part.picture for part in parts},
        layers=layers,
        taking_camera=taking.evolve(edges=edges),
    )
    return seen.evolve(pictures=pictures_used(seen, layers))


@verb("remove edges")
def remove_edges(shot: Shot, *, edge: int | None = None) -> Shot:
    """Take one mark away, or all of them; the taking camera stays as it is."""
    edges = [each for n, each in enumerate(shot.taking_camera.edges) if edge not in (None, n)]
    return mark_edges(shot, edges=edges)


@verb("what is known of the camera")
def know_camera(shot: Shot, *, what: Literal["level", "lens", "centre"], known: bool) -> Shot:
    """Say what is known beside the edges: that it was held level, that its lens is as it is.

    ``centre``: whether the edges are to tell where the lens looked, too, as for a cropped picture.
    """
    field = {"level": "held_level", "lens": "lens_known", "centre": "centre_told"}[what]
    taking = shot.taking_camera.evolve(**{field: known})
    return shot.evolve(taking_camera=taking)


@verb("where the lens looked")
def set_centre(shot: Shot, *, x: float | None = None, y: float | None = None) -> Shot:
    """Say where the middle of the picture was before it was cropped, in canvas pixels.

    Left out: it was not cropped. What each framing sees stays.
    """
    if (x is None) != (y is None):
        raise EditError("Where the lens looked is a place: it needs both x and y.")
    centre = None if x is None or y is None else (x, y)
    return _seen_anew(shot, shot.taking_camera.evolve(centre=centre, seen_centre=None))


@verb("mark a rectangle")
def mark_rectangle(
    shot: Shot,
    *,
    corners: Corners,
    lies: Literal["front", "side", "level"],
    frame: int | None = None,
) -> Shot:
    """Mark the sides of something that is a rectangle in the world, by its four corners.

    Its front is seen (a facade ahead), or it stands at the side, or it lies level. ``corners`` are
    pixels of ``frame``, or of the canvas.
    """
    drawn = in_order([canvas_point(shot, frame, *corner) for corner in corners])
    edges = edges_of_rectangle(drawn, *_SIDES[lies])
    marked = [MarkedEdge(a=each.a, b=each.b, along=each.along) for each in edges]
    return mark_edges(shot, edges=[*shot.taking_camera.edges, *marked])


@verb("see it as marked")
def see_as_marked(shot: Shot) -> Shot:
    """Let the taking camera be what the marked edges tell; what each framing sees stays.

    The camera's routes turn with it, and their lenses change as its own does.
    """
    shot = plate_settled(shot)
    taking = shot.taking_camera
    found = seen_from(taking)
    lens = found.focal_px * GATE_LONG_SIDE / max(taking.canvas)
    pan, tilt, roll = found.angles
    looked = found.principal_point
    if taking.centre_told:
        where = {"centre": looked, "seen_centre": None}
    else:  # what is said of it stays; seen again, it is told from there again
        beside = math.dist(looked, taking.evolve(seen_centre=None).principal_point)
        where = {"seen_centre": looked if beside > _SEEN_BESIDE else None}
    now = taking.evolve(focal_length=lens, pan=pan, tilt=tilt, roll=roll, **where)
    return _seen_anew(shot, now).evolve(ground=_level_ground(shot, found))


@verb("lens of the photograph")
def set_photo_lens(
    shot: Shot,
    *,
    lens: Annotated[float, Field(gt=0, le=5000)],
    measured: Literal["frame", "35 mm", "angle"] = "35 mm",
) -> Shot:
    """Set through which lens the picture was taken; what each framing sees of it stays.

    ``measured``: ``frame``, millimetres on this program's gate, 36 mm along the longer side;
    ``35 mm``, the equivalent focal length that cameras and phones write into their files, by the
    frame's diagonal (CIPA DCG-001, 43.27 mm for 36 x 24); ``angle``, degrees across the longer
    side.
    """
    taking = shot.taking_camera
    long, short = max(taking.canvas), min(taking.canvas)
    if measured == "angle":
        if not 1 <= lens <= 170:
            raise EditError("A lens sees 1 to 170 degrees across. Type an angle between.")
        lens = GATE_LONG_SIDE / 2 / math.tan(math.radians(lens) / 2)
    elif measured == "35 mm":
        lens *= math.hypot(long, short) / long * GATE_LONG_SIDE / math.hypot(36, 24)
    return _seen_anew(shot, taking.evolve(focal_length=lens, lens_known=True))


@verb("see it in one-point perspective")
def see_one_point(shot: Shot, *, x: float, y: float, frame: int | None = None) -> Shot:
    """Let the taking camera look straight at a wall: what runs away meets at ``x``, ``y``.

    Uprights and level edges stay so in the picture, so its middle need not be where the lens
    looked (a picture cropped, or a lens shifted); the lens itself is not told, and stays.
    """
    shot = plate_settled(shot)
    point = canvas_point(shot, frame, x, y)
    taking = shot.taking_camera.evolve(centre=point, seen_centre=None, pan=0.0, tilt=0.0, roll=0.0)
    ground = (shot.ground or Ground(horizon=0)).evolve(horizon=round(point[1], 2))
    return _seen_anew(shot, taking).evolve(ground=ground)


def _seen_anew(shot: Shot, now: TakingCamera) -> Shot:
    """Return the shot with another taking camera in the place of its own; its framings follow."""
    taking = shot.taking_camera
    assert taking.focal_length is not None and now.focal_length is not None
    turn = taking_pose(now) @ space.inverse_pose(taking_pose(taking))
    ratio = now.focal_length / taking.focal_length
    seen = shot.evolve(taking_camera=now).with_routes(lambda route: _turned(route, turn, ratio))
    return seen.evolve(
        cameras=tuple(
            each.evolve(lens=each.lens * ratio) if each.lens else each for each in seen.cameras
        ),
        rows=tuple(
            larger_row(row, ratio) if row.of.startswith("camera:") and row.value == "lens" else row
            for row in seen.rows
        ),
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
