"""Cloth on the stage: where its points are at a time, and what it hangs before."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.geometry import space
from vistaline.core.looks.cloth_kept import places_at
from vistaline.core.looks.cloth_motion import Hung, grid_of
from vistaline.core.looks.cloth_sheet import drawn, refined, shades
from vistaline.core.looks.draping import room_of_cloth
from vistaline.core.looks.obstacles import IN_THE_WAY, Obstacle
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.poses import layer_pose, look_aspect

__all__ = ["Waving", "hung_of", "in_the_way"]


@dataclass(frozen=True, eq=False)
class Waving:
    """What makes a card cloth; its points are found when they are asked for."""

    hung: Hung
    seconds: float
    """The time since the shot's first frame."""
    frame: int
    """The nearest whole one."""

    @cached_property
    def points(self) -> FloatArray:
        """Where its points are (rows, columns, 3), in widths of the card from its middle: to the
        right, up, and towards who looks at it."""
        return refined(places_at(self.hung, self.seconds)) / self.hung.cloth.wide

    @cached_property
    def shades(self) -> FloatArray:
        """By how much the slope at each point lights it, (rows, columns) float32."""
        return shades(self.points, self.hung.cloth.folds).astype(np.float32)

    @property
    def drawn(self) -> tuple[int, int]:
        """How many rows and columns of points it has."""
        return drawn(*grid_of(self.hung.cloth, self.hung.aspect))

    @property
    def room(self) -> tuple[float, float]:
        """How far it flies beyond its card to each side: shares of its width and its height."""
        return room_of_cloth(self.hung)


def hung_of(shot: Shot, layer: Layer) -> Hung | None:
    """Return what a layer's motion as cloth follows from; None if it is none.

    What it hangs before stands where the shot keeps it, whatever keys either of them has.
    """
    cloth = layer.cloth
    if cloth is None or layer.is_backdrop:
        return None
    aspect, other = look_aspect(shot, layer), _thing_of(shot, layer)
    if other is None:
        return Hung(cloth, aspect)
    pose, width, _ = layer_pose(shot, layer)
    scale = np.diag([*[cloth.wide / float(width)] * 3, 1.0])
    thing = scale @ space.inverse_pose(pose) @ _box_of(shot, other)
    return Hung(cloth, aspect, Obstacle.of(other.body, thing, cloth.wide))


def in_the_way(layer: Layer) -> bool:
    """Return whether cloth may hang before a layer: it is flat, or a body that has a front."""
    flat = layer.body is None and layer.relief is None and layer.cloth is None
    stands = not layer.is_backdrop and layer.stays == "stage"
    return stands and (flat or layer.body in IN_THE_WAY)


def _thing_of(shot: Shot, layer: Layer) -> Layer | None:
    assert layer.cloth
    before = layer.cloth.before
    found = next((each for each in shot.layers if each.id == before), None)
    return found if found and found is not layer and in_the_way(found) else None


def _box_of(shot: Shot, layer: Layer) -> Matrix4:
    """Return the matrix that takes -1..1 across, up and through a layer to the stage."""
    pose, width, height = layer_pose(shot, layer)
    own = layer.size[0]
    depth = layer.depth * float(width) / own if layer.depth and own else 1.0
    return pose @ np.diag([float(width) / 2, float(height) / 2, depth / 2, 1.0])
