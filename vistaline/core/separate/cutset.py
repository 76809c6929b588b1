"""Cutouts of one picture: masks as lists of steps, near to far; the rest is the plate.

Every step stays editable; a mask is computed from its steps each time (``masks``). Points are
pixels of the picture, x right, y down, pixel centres at .5.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal, assert_never

import numpy as np
from pydantic import Field, ValidationError

from vistaline.core.errors import MaskError
from vistaline.core.explaining import explain
from vistaline.core.model import Part
from vistaline.core.picture.strokes import Pixels, Point, Stroke

__all__ = [
    "MOST_CUTOUTS",
    "OWN_DEPTH",
    "Adjust",
    "CutSet",
    "Cutout",
    "DepthBand",
    "DrawnStep",
    "Effect",
    "Guess",
    "Likeness",
    "Outline",
    "OutlinePoint",
    "Paint",
    "Plane",
    "Step",
    "mapped",
    "parse_cutset",
]

Effect = Literal["add", "take", "keep"]
MOST_CUTOUTS = 60
OWN_DEPTH = "own"
"""In place of a map's key: the depth of the picture itself."""


class OutlinePoint(Part):
    """A point of an outline; handles are offsets, none on both sides of a stretch: straight."""

    at: Point
    before: Point | None = None
    after: Point | None = None

    def moved(self, matrix: np.ndarray) -> OutlinePoint:
        """Return the point mapped by an affine matrix (3, 3), its handles with it."""

        def turned(offset: Point | None) -> Point | None:
            if offset is None:
                return None
            x, y = matrix[:2, :2] @ np.array(offset)
            return float(x), float(y)

        x, y = matrix[:2, :2] @ np.array(self.at) + matrix[:2, 2]
        return OutlinePoint(
            at=(float(x), float(y)), before=turned(self.before), after=turned(self.after)
        )


class Outline(Part):
    """A closed outline of straight and cubic Bezier stretches."""

    kind: Literal["outline"] = "outline"
    effect: Effect = "add"
    points: tuple[OutlinePoint, ...] = Field(min_length=3, max_length=5000)


class Likeness(Part):
    """What looks like the picture at a point."""

    kind: Literal["likeness"] = "likeness"
    effect: Effect = "add"
    at: Point
    tolerance: float = Field(12, ge=0, le=150, description="Distance in CIE Lab.")
    touching: bool = True
    sample: int = Field(3, ge=1, le=51)


class Paint(Part):
    """Painted strokes."""

    kind: Literal["paint"] = "paint"
    effect: Effect = "add"
    strokes: tuple[Stroke, ...] = Field(min_length=1)


class Guess(Part):
    """A subject found from strokes over it and beside it, from a box round it, or by itself."""

    kind: Literal["guess"] = "guess"
    effect: Effect = "add"
    this: tuple[Stroke, ...] = ()
    not_this: tuple[Stroke, ...] = ()
    box: tuple[Pixels, Pixels, Pixels, Pixels] | None = None
    alone: bool = Field(
        False, description="Begins with what stands out from the picture's border by itself."
    )


class Adjust(Part):
    """A change to the mask so far."""

    kind: Literal["adjust"] = "adjust"
    grow: float = Field(0, ge=-500, le=500, description="Pixels; below 0 it shrinks.")
    soften: float = Field(0, ge=0, le=500, description="Pixels the edge fades over.")
    invert: bool = False


class DepthBand(Part):
    """What a depth map says lies between two depths; 0 is near (white), 1 is far (black)."""

    kind: Literal["band"] = "band"
    effect: Effect = "add"
    map: str = Field(
        max_length=200,
        description="The depth map's key, a picture of the project; \"own\": the picture's depth.",
    )
    near: float = Field(0, ge=0, le=1)
    far: float = Field(1, ge=0, le=1)
    overlap: float = Field(0.04, ge=0, le=1, description="Depth over which the ends fade.")


class Plane(Part):
    """The shape of a plane in perspective: four corners in order round it."""

    kind: Literal["plane"] = "plane"
    effect: Effect = "add"
    corners: tuple[Point, Point, Point, Point]


DrawnStep = Outline | Likeness | Paint | Guess | DepthBand | Plane
Step = Annotated[DrawnStep | Adjust, Field(discriminator="kind")]


class Cutout(Part):
    """One subject: its mask's steps, and what is done at its edge."""

    id: str = Field("", max_length=16, description="Given by the bench; names it to plates.")
    name: str = Field(min_length=1, max_length=80)
    steps: tuple[Step, ...] = ()
    edge_care: bool = True
    band: int | None = Field(None, ge=1, le=500, description="Half the edge band's width, pixels.")
    hair: tuple[Stroke, ...] = ()
    hidden: bool = Field(False, description="Left out of the picture's set.")
    takes_away: bool = Field(True, description="Cutouts behind lose the pixels this one has.")
    part_of: str = Field("", max_length=16, description="The cutout it is a part of, by id.")


class CutSet(Part):
    """All cutouts of one picture, near to far; the rest is the plate."""

    cutouts: tuple[Cutout, ...] = Field((), max_length=MOST_CUTOUTS)


def parse_cutset(document: Any) -> CutSet:
    """Return the cutouts a document describes.

    Raises
    ------
    MaskError
        With one sentence that names the field.
    """
    try:
        return CutSet.model_validate(document)
    except ValidationError as error:
        raise MaskError(str(explain(error, CutSet))) from error


def mapped(cutset: CutSet, matrix: np.ndarray) -> CutSet:
    """Return the cutouts moved by an affine map (3, 3): what a crop or a turn does to them."""
    return cutset.evolve(
        cutouts=tuple(
            cutout.evolve(
                steps=tuple(_mapped_step(step, matrix) for step in cutout.steps),
                hair=tuple(stroke.moved(matrix) for stroke in cutout.hair),
            )
            for cutout in cutset.cutouts
        )
    )


def _mapped_step(step: Step, matrix: np.ndarray) -> Step:
    def at(point: Point) -> Point:
        x, y = matrix[:2, :2] @ np.array(point) + matrix[:2, 2]
        return float(x), float(y)

    strokes: Callable[[tuple[Stroke, ...]], tuple[Stroke, ...]] = lambda all_: tuple(  # noqa: E731
        stroke.moved(matrix) for stroke in all_
    )
    match step:
        case Outline():
            points = tuple(point.moved(matrix) for point in step.points)
            return step.evolve(points=points)
        case Likeness():
            return step.evolve(at=at(step.at))
        case Paint():
            return step.evolve(strokes=strokes(step.strokes))
        case Plane():
            return step.evolve(corners=tuple(at(corner) for corner in step.corners))
        case Guess():
            change: dict[str, Any] = {
                "this": strokes(step.this),
                "not_this": strokes(step.not_this),
            }
            if step.box:
                x, y, w, h = step.box
                ends = ((x, y), (x + w, y), (x, y + h), (x + w, y + h))
                corners = np.array([at(corner) for corner in ends])
                low, high = corners.min(axis=0), corners.max(axis=0)
                change["box"] = (*map(float, low), *map(float, high - low))
            return step.evolve(**change)
        case DepthBand() | Adjust():
            return step
    assert_never(step)
