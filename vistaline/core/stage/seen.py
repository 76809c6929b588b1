"""How the picture was seen: what its marks tell, and which rays its pixels are."""

from __future__ import annotations

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import EditError, PerspectiveError
from vistaline.core.geometry.bowing import bow_of
from vistaline.core.geometry.edges import Edge
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.geometry.perspective import SeenFrom, recover_camera
from vistaline.core.kept import Kept
from vistaline.core.shot.shot import Layer, Shot, TakingCamera
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.placing import point_on, stage_card
from vistaline.core.stage.poses import metres_per_pixel, taking_pose

__all__ = [
    "bow_in",
    "canvas_box",
    "canvas_point",
    "plate_of",
    "plate_settled",
    "ray_of",
    "seen_from",
    "settled",
    "taking_focal",
]


def taking_focal(taking: TakingCamera) -> float:
    """Return the taking camera's focal length in pixels of its canvas."""
    assert taking.focal_length is not None, "the shot has been completed"
    return focal_length_px(taking.focal_length, *taking.canvas)


_SEEN: Kept[SeenFrom] = Kept("taking cameras")
_BOWS: Kept[float | None] = Kept("bows")


def seen_from(taking: TakingCamera) -> SeenFrom:
    """Return what the marked edges tell of the taking camera; errors as ``recover_camera``.

    Where they do not tell the lens, as edges that all lie flat in the picture, it is kept.
    """
    return _SEEN.get(taking, lambda: _seen_from(taking))


def _seen_from(taking: TakingCamera) -> SeenFrom:
    edges = [Edge(each.a, each.b, each.along, each.through) for each in taking.edges]

    def recovered(focal_px: float | None) -> SeenFrom:
        return recover_camera(
            edges,
            taking.canvas,
            principal_point=taking.centre,
            deviation=taking.marked_within,
            focal_px=focal_px,
            level=taking.held_level,
            free_centre=taking.centre_told and focal_px is None,
        )

    if taking.lens_known:
        return recovered(taking_focal(taking))
    try:
        return recovered(None)
    except PerspectiveError as error:
        if not error.vague or taking.focal_length is None:
            raise
        return recovered(taking_focal(taking))


def bow_in(taking: TakingCamera) -> float | None:
    """Return how much the lens bows straight edges; None if no mark tells.

    About where the taking camera looks now, so that a picture can be straightened by it.
    """
    return _BOWS.get(taking, lambda: _bow_in(taking))


def _bow_in(taking: TakingCamera) -> float | None:
    lines = [
        np.array([each.a, each.through, each.b], float) for each in taking.edges if each.through
    ]
    if not lines:
        return None
    return bow_of(lines, taking.canvas, taking.principal_point)


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


def settled(shot: Shot, layer: Layer) -> Shot:
    """Return the shot with a layer's place in the canvas as the taking camera sees it now.

    A layer that was enlarged or moved in its plane is from then on kept as taken like that: what
    is seen of it stays, and so do the marks on it. What is worked out from canvas pixels then
    fits what is seen.

    Raises
    ------
    EditError
        It is turned, so that it has no upright place in the canvas.
    """
    taking = shot.taking_camera
    moved = (layer.scale, layer.across, layer.up) != (1.0, 0.0, 0.0)
    turned = (layer.pan, layer.tilt, layer.roll) != (0.0, 0.0, 0.0)
    if layer.box is None or layer.ride is not None or not (moved or turned):
        return shot
    if turned:
        raise EditError(
            f"{layer.name} is turned, so the taking camera did not see it straight on. Set its "
            "turn, lean and roll to 0 first."
        )
    x, y, width, height = layer.box
    middle_x, middle_y = taking.principal_point
    metres = metres_per_pixel(taking, layer.distance)

    def now(point: tuple[float, float]) -> tuple[float, float]:
        return (
            middle_x + (point[0] - middle_x) * layer.scale + layer.across / metres,
            middle_y + (point[1] - middle_y) * layer.scale - layer.up / metres,
        )

    box = (*now((x, y)), width * layer.scale, height * layer.scale)
    there = layer.with_stands(box=box).evolve(scale=1.0, across=0.0, up=0.0)
    if layer.id == plate_of(shot).id:
        edges = tuple(
            edge.evolve(a=now(edge.a), b=now(edge.b), through=edge.through and now(edge.through))
            for edge in taking.edges
        )
        shot = shot.evolve(taking_camera=taking.evolve(edges=edges))
    return shot.evolve(layers=tuple(there if each.id == layer.id else each for each in shot.layers))


def plate_settled(shot: Shot) -> Shot:
    """Return the shot with its plate, if it has one, kept as taken as it is seen now."""
    try:
        return settled(shot, plate_of(shot))
    except EditError:
        if any(layer.box and layer.picture for layer in shot.layers):
            raise
        return shot


def canvas_point(shot: Shot, frame: int | None, x: float, y: float) -> tuple[float, float]:
    """Return the canvas pixel that is seen at a pixel of ``frame``, on the plate.

    Without a frame, ``x`` and ``y`` are canvas pixels already.
    """
    if frame is None:
        return x, y
    plate = plate_of(shot)
    assert plate.box is not None
    across, up = point_on(stage_card(shot, plate), camera_states(shot, [frame])[0], (x, y))
    left, top, width, height = plate.box
    return left + (across + 0.5) * width, top + (0.5 - up) * height


def canvas_box(
    shot: Shot, frame: int | None, one: tuple[float, float], other: tuple[float, float]
) -> tuple[float, float, float, float]:
    """Return left, top, right and bottom of a box by two corners, as :func:`canvas_point`."""
    (x0, y0), (x1, y1) = (canvas_point(shot, frame, *corner) for corner in (one, other))
    return min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)


def ray_of(shot: Shot, x: float, y: float) -> FloatArray:
    """Return the way (3,) in the world in which a canvas pixel was seen, 1 m deep."""
    taking = shot.taking_camera
    focal, (middle_x, middle_y) = taking_focal(taking), taking.principal_point
    turn = taking_pose(taking)[:3, :3]
    return np.asarray(turn @ np.array([(x - middle_x) / focal, (middle_y - y) / focal, -1.0]))
