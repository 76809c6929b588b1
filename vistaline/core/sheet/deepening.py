"""Edits of how far away a picture's pixels are: sheet -> new sheet."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from vistaline.core.depth.sources import (
    DepthStroke,
    FromGround,
    FromMap,
    FromPlanes,
    FromStrokes,
    SeenPlane,
)
from vistaline.core.depth.steps import KINDS, AnyStep, Depth
from vistaline.core.depth.working import Area, Brush, Holes, Touch
from vistaline.core.errors import EditError
from vistaline.core.model import Share
from vistaline.core.picture.strokes import Stroke
from vistaline.core.separate.cutset import OWN_DEPTH, DepthBand, OutlinePoint
from vistaline.core.sheet.sheet import Sheet
from vistaline.core.sheet.verbs import at, step_words, verb
from vistaline.core.verbs import FROM_JSON

__all__: list[str] = []

_STEP: TypeAdapter[AnyStep] = TypeAdapter(AnyStep)
_HORIZON = 0.35
"""Where the ground's horizon begins, as a share of the height: most pictures look a little down."""


def _with_depth(sheet: Sheet, **changes: Any) -> Sheet:
    try:
        return sheet.evolve(depth=Depth.model_validate(dict(sheet.depth) | changes))
    except ValidationError as error:
        raise EditError(step_words(error)) from error


def _step(document: dict[str, Any]) -> AnyStep:
    try:
        return _STEP.validate_python(document)
    except ValidationError as error:
        raise EditError(step_words(error)) from error


def _with_steps(sheet: Sheet, steps: list[AnyStep]) -> Sheet:
    return _with_depth(sheet, steps=tuple(steps))


def _added(sheet: Sheet, step: AnyStep) -> Sheet:
    """Return the sheet with another step; one that makes a map goes before those after it."""
    steps = list(sheet.depth.steps)
    if step.makes:
        place = max((n + 1 for n, each in enumerate(steps) if each.makes), default=0)
        steps.insert(place, step)
    else:
        steps.append(step)
    return _with_steps(sheet, steps)


def _joined(sheet: Sheet, step: AnyStep, painted: str) -> Sheet:
    """Return the sheet with what a step has ``painted`` added to the last step, if it is alike."""
    last = sheet.depth.steps[-1] if sheet.depth.steps else None
    if type(last) is not type(step):
        return _added(sheet, step)
    together = (*getattr(last, painted), *getattr(step, painted))
    return _with_steps(sheet, [*sheet.depth.steps[:-1], last.evolve(**{painted: together})])


@verb("add depth step")
def add_depth_step(
    sheet: Sheet, *, kind: str, values: Annotated[dict[str, Any], FROM_JSON] | None = None
) -> Sheet:
    """Add a step of the depth with its usual values."""
    if kind not in KINDS:
        raise EditError(f"There is no step called {kind!r}.")
    step = _step({"kind": kind} | (values or {}))
    if isinstance(step, FromGround) and not values:
        height = sheet.prepared_size[1]
        step = step.evolve(horizon=_HORIZON * height, foot=float(height))
    return _added(sheet, step)


@verb("use a depth map")
def add_depth_map(
    sheet: Sheet, *, file: str, near: Literal["white", "black"] = "white", name: str = ""
) -> Sheet:
    """Take the depth from a map that was made elsewhere, a picture of the project."""
    return _added(sheet, FromMap(file=file, near=near, name=name))


@verb("change depth step")
def set_depth_step(
    sheet: Sheet, *, index: int, values: Annotated[dict[str, Any], FROM_JSON]
) -> Sheet:
    """Change values of a step of the depth."""
    steps = list(sheet.depth.steps)
    steps[index] = _step(steps[at(steps, index)].model_dump() | values)
    return _with_steps(sheet, steps)


@verb("remove depth step")
def remove_depth_step(sheet: Sheet, *, index: int) -> Sheet:
    """Take a step of the depth out."""
    steps = list(sheet.depth.steps)
    del steps[at(steps, index)]
    return _with_steps(sheet, steps)


@verb("move depth step")
def move_depth_step(sheet: Sheet, *, index: int, to: int) -> Sheet:
    """Do a step of the depth earlier or later."""
    steps = list(sheet.depth.steps)
    step = steps.pop(at(steps, index))
    steps.insert(max(0, min(to, len(steps))), step)
    return _with_steps(sheet, steps)


@verb("paint depth")
def paint_depth(
    sheet: Sheet,
    *,
    stroke: Annotated[Stroke, FROM_JSON],
    value: Share = 0.5,
    to: Share | None = None,
) -> Sheet:
    """Paint how near something is, or a ramp from ``value`` to ``to`` along the stroke."""
    said = DepthStroke(**dict(stroke), value=value, to=to)
    steps = list(sheet.depth.steps)
    place = max((n for n, step in enumerate(steps) if step.makes), default=-1)
    last = steps[place] if place >= 0 else None
    if isinstance(last, FromStrokes):
        steps[place] = last.evolve(strokes=(*last.strokes, said))
        return _with_steps(sheet, steps)
    return _added(sheet, FromStrokes(strokes=(said,)))


@verb("brush depth")
def brush_depth(
    sheet: Sheet,
    *,
    stroke: Annotated[Stroke, FROM_JSON],
    does: Literal["raise", "lower", "level", "paint"] = "raise",
    value: Share = 0.1,
) -> Sheet:
    """Bring nearer, put farther, level or paint with a brush; onto the last brush step."""
    return _joined(
        sheet, Brush(touches=(Touch(**dict(stroke), does=does, value=value),)), "touches"
    )


@verb("forget depth")
def forget_depth(sheet: Sheet, *, stroke: Annotated[Stroke, FROM_JSON]) -> Sheet:
    """Paint over a hole or a fault of the map: it goes on there from what is round it."""
    return _joined(sheet, Holes(strokes=(stroke,)), "strokes")


@verb("draw area")
def draw_depth_area(
    sheet: Sheet,
    *,
    points: Annotated[tuple[OutlinePoint, ...], FROM_JSON] = (),
    ellipse: bool = False,
    cutout: str = "",
    amount: Annotated[float, Field(ge=-1, le=1)] = 0.1,
) -> Sheet:
    """Raise or lower an area: an outline, an ellipse in a box, or a cutout."""
    if cutout:
        sheet.cutout(cutout)
    elif len(points) < (2 if ellipse else 3):
        raise EditError("An area needs three points, or two corners of an ellipse's box.")
    width = sheet.prepared_size[0]
    return _added(
        sheet,
        Area(points=points, ellipse=ellipse, cutout=cutout, amount=amount, softness=width / 50),
    )


@verb("depth from a shot")
def depth_from_shot(
    sheet: Sheet,
    *,
    name: str,
    planes: Annotated[tuple[SeenPlane, ...], FROM_JSON],
    near: Annotated[float, Field(gt=0, le=1e6)],
    far: Annotated[float, Field(gt=0, le=1e6)],
) -> Sheet:
    """Take the depth from a shot's surfaces and layers, and the metres with it."""
    if not planes:
        raise EditError("Nothing of this picture stands in that shot. Choose another.")
    added = _added(sheet, FromPlanes(name=name[:120], planes=planes))
    return set_depth_range(added, near=near, far=far)


@verb("set near and far")
def set_depth_range(
    sheet: Sheet,
    *,
    near: Annotated[float, Field(gt=0, le=1e6)] | None = None,
    far: Annotated[float, Field(gt=0, le=1e6)] | None = None,
) -> Sheet:
    """Set how many metres away white and black are."""
    near, far = near or sheet.depth.near, far or sheet.depth.far
    if far < near * 1.01:
        raise EditError(
            f"Near ({near:g} m) must be nearer than far ({far:g} m). Change one of them."
        )
    return _with_depth(sheet, near=near, far=far)


@verb("no depth")
def clear_depth(sheet: Sheet) -> Sheet:
    """Remove all steps of the depth."""
    if any(
        isinstance(step, DepthBand) and step.map == OWN_DEPTH
        for cutout in sheet.cutset.cutouts
        for step in cutout.steps
    ):
        raise EditError("Slices are cut by this depth. Remove them first, or change its steps.")
    return sheet.evolve(depth=Depth())
