"""The edits of true sizes: how long something is that is seen, and all of the stage with it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.registry import REGISTRY
from vistaline.core.edits.starts import enlarged
from vistaline.core.errors import EditError
from vistaline.core.geometry.heights import length_on_ground, upright_height
from vistaline.core.keyable import value_called
from vistaline.core.shot.dressing import DRESSINGS, Dressing, OnStage, row_name
from vistaline.core.shot.lamps import Lamp
from vistaline.core.shot.route import Route
from vistaline.core.shot.rows import Row
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.seen import canvas_point, plate_settled, ray_of

__all__ = ["larger_row", "stage_enlarged"]

verb = REGISTRY.verb
_METRES = ("distance", "across", "up", "x", "y", "z")
_LENGTHS = ("focus", "normal", "reach")
_IN_METRES = ("m", "m/s", "m/s²", "mm")
"""Values whose keys grow with the stage."""


@verb("a known length")
def set_known_length(
    shot: Shot,
    *,
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    metres: Annotated[float, Field(gt=0, le=100_000)],
    upright: bool = True,
    frame: int | None = None,
) -> Shot:
    """Say how long something is, and so how large everything: the stage grows or shrinks to it.

    From its foot on the ground to its top, or from one point of the ground to another. Nothing
    that is seen changes.
    """
    shot = plate_settled(shot)
    if shot.ground is None:
        raise EditError("Say first where the ground is: set the horizon, under Ground.")
    one, other = (ray_of(shot, *canvas_point(shot, frame, *end)) for end in ((x0, y0), (x1, y1)))
    if upright and one[1] > other[1]:
        one, other = other, one
    measure = upright_height if upright else length_on_ground
    measured = measure(one, other, shot.ground.eye_height)
    if measured < 1e-6:
        raise EditError("Its two ends are in one place. Drag from one end to the other.")
    return stage_enlarged(shot, metres / measured)


def stage_enlarged(shot: Shot, ratio: float) -> Shot:
    """Return the shot with everything ``ratio`` times as large about the taking camera.

    Raises
    ------
    EditError
        Something moves by metres of its own, and would not follow.
    """
    if shot.mounts or any(row.value in _METRES for row in shot.rows):
        raise EditError(
            "Layers here ride on mounts, or have keys in metres, which cannot be changed all at "
            "once. Say how large things are before, or set the eye's height."
        )
    home = np.array(shot.taking_camera.position)

    def moved(route: Route) -> Route:
        return route.evolve(
            framings=tuple(
                each.evolve(
                    position=tuple((home + (each.position - home) * ratio).tolist()),
                    focus=each.focus and each.focus * ratio,
                )
                for each in route.framings
            )
        )

    # Where a size has keys, all of them grow: an edit of the value would be kept in one only.
    sized = {f"layer:{layer.id}" for layer in shot.layers if _has_own_scale(layer)}
    keyed = {row.of for row in shot.rows if row.of in sized and row.value == "scale"}
    racked = {row.of for row in shot.rows if row.value == "focus"}
    grown = shot.with_routes(moved)
    return grown.evolve(
        cameras=tuple(
            each
            if f"camera:{each.id}" in racked
            else each.evolve(focusing=each.focusing.evolve(focus=each.focusing.focus * ratio))
            for each in grown.cameras
        ),
        ground=shot.ground and shot.ground.evolve(eye_height=shot.ground.eye_height * ratio),
        layers=tuple(
            _larger(layer, ratio, sizes=f"layer:{layer.id}" not in keyed) for layer in shot.layers
        ),
        lamps=tuple(
            _larger_lamp(
                lamp,
                np.zeros(3) if lamp.with_camera else home,
                ratio,
                [row.value for row in shot.rows if row.of == f"lamp:{lamp.id}"],
            )
            for lamp in shot.lamps
        ),
        dressing=tuple(
            _larger_dress(each, home, ratio, [r.value for r in shot.rows if r.of == row_name(each)])
            for each in shot.dressing
        ),
        rows=tuple(
            larger_row(row, ratio)
            if (row.of in keyed and row.value == "scale")
            or row.value in _LENGTHS
            or (row.of.partition(":")[0] in {*DRESSINGS, "lamp"} and row.about.unit in _IN_METRES)
            else row
            for row in shot.rows
        ),
    )


def _larger_lamp(lamp: Lamp, home: FloatArray, ratio: float, keyed: list[str]) -> Lamp:
    """Return a lamp that lights the larger stage as it did the smaller; ``keyed`` values stay."""
    x, y, z = (home + (lamp.position - home) * ratio).tolist()
    lengths = {name: getattr(lamp, name) * ratio for name in ("normal", "reach", "size")}
    changes = {name: value for name, value in lengths.items() if name not in keyed}
    return lamp.evolve(position=(x, y, z), **changes)


def _larger_dress(thing: Dressing, home: FloatArray, ratio: float, keyed: list[str]) -> Dressing:
    """Return what is in the air of the larger stage; ``keyed`` values stay."""
    larger = enlarged(thing, ratio)
    if isinstance(thing, OnStage):
        x, y, z = (home + (np.array(thing.position) - home) * ratio).tolist()
        larger = larger.evolve(position=(x, y, z))
    for name in keyed:
        about = value_called(type(thing), name)
        if about:
            larger = about.put(larger, about.of(thing))
    return larger


def _has_own_scale(layer: Layer) -> bool:
    """Whether a layer's size in metres is that of what is drawn, times its scale."""
    return layer.box is None and not layer.picture


def larger_row(row: Row, ratio: float) -> Row:
    """Return a row whose keys are ``ratio`` times as large, within its value's bounds."""
    about = row.about
    return row.evolve(
        keys=tuple(
            key.evolve(value=min(max(float(key.value) * ratio, about.low), about.high))
            for key in row.keys
        )
    )


def _larger(layer: Layer, ratio: float, *, sizes: bool) -> Layer:
    """Return a layer ``ratio`` times as large and as far; its scale only if ``sizes``."""
    at = {name: getattr(layer, name) * ratio for name in ("distance", "across", "up")}
    if layer.box is not None:
        return layer.evolve(**at)
    if _has_own_scale(layer):
        return layer.evolve(**at, scale=layer.scale * ratio if sizes else layer.scale)
    sides = {name: getattr(layer.stands, name, None) for name in ("width", "height", "depth")}
    return layer.evolve(**at).with_stands(**{k: v * ratio for k, v in sides.items() if v})
