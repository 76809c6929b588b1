"""Edits of how a picture is prepared: sheet -> new sheet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import TypeAdapter, ValidationError

from vistaline.core.errors import EditError
from vistaline.core.picture.strokes import Stroke
from vistaline.core.prepare.mending import Repair
from vistaline.core.prepare.shaping import RATIOS, CropStep, Straighten, crop_of_shape, dragged_crop
from vistaline.core.prepare.steps import PrepareStep, geometry
from vistaline.core.separate.cutset import mapped
from vistaline.core.sheet.sheet import Sheet
from vistaline.core.sheet.verbs import at, step_words, verb
from vistaline.core.verbs import FROM_JSON

__all__ = ["crop_dragged"]

_STEP: TypeAdapter[PrepareStep] = TypeAdapter(PrepareStep)


def _prepared(sheet: Sheet, steps: Sequence[PrepareStep]) -> Sheet:
    """Return the sheet with other steps; what was drawn stays on what it was drawn on."""
    before = geometry(sheet.size, sheet.prepare)[-1][0]
    after = geometry(sheet.size, steps)[-1][0]
    move = after @ np.linalg.inv(before)
    if np.allclose(move, np.eye(3)):
        return sheet.evolve(prepare=tuple(steps))
    return sheet.evolve(
        prepare=tuple(steps), cutset=mapped(sheet.cutset, move), depth=sheet.depth.moved(move)
    )


@verb("add step")
def add_step(sheet: Sheet, *, kind: str) -> Sheet:
    """Add a step of preparing at the end, with its usual values."""
    try:
        step = _STEP.validate_python({"kind": kind})
    except ValidationError as error:
        raise EditError(f"There is no step called {kind!r}.") from error
    return _prepared(sheet, [*sheet.prepare, step])


@verb("change step")
def set_step(sheet: Sheet, *, index: int, values: Annotated[dict[str, Any], FROM_JSON]) -> Sheet:
    """Change values of a step."""
    steps = list(sheet.prepare)
    document = steps[at(steps, index)].model_dump() | values
    try:
        steps[index] = _STEP.validate_python(document)
    except ValidationError as error:
        raise EditError(step_words(error)) from error
    return _prepared(sheet, steps)


@verb("remove step")
def remove_step(sheet: Sheet, *, index: int) -> Sheet:
    """Take a step out."""
    steps = list(sheet.prepare)
    del steps[at(steps, index)]
    return _prepared(sheet, steps)


@verb("move step")
def move_step(sheet: Sheet, *, index: int, to: int) -> Sheet:
    """Do a step earlier or later."""
    steps = list(sheet.prepare)
    step = steps.pop(at(steps, index))
    steps.insert(max(0, min(to, len(steps))), step)
    return _prepared(sheet, steps)


@verb("crop")
def crop_to_shape(sheet: Sheet, *, index: int, ratio: str) -> Sheet:
    """Crop to the largest box of a shape, one of ``RATIOS``, round the middle of the last."""
    steps = list(sheet.prepare)
    step = steps[at(steps, index)]
    if not isinstance(step, CropStep) or ratio not in RATIOS:
        raise EditError(f"A crop takes one of these shapes: {', '.join(RATIOS)}.")
    before = geometry(sheet.size, steps)[index][1]
    steps[index] = step.evolve(box=crop_of_shape(step.box, RATIOS[ratio], before))
    return _prepared(sheet, steps)


@verb("crop")
def drag_crop(
    sheet: Sheet, *, index: int, grips: str = "", dx: float, dy: float, ratio: str = ""
) -> Sheet:
    """Drag a crop's box, or some of its edges; see :func:`crop_dragged`."""
    steps = list(sheet.prepare)
    box = crop_dragged(sheet, index, grips, (dx, dy), ratio)
    steps[index] = steps[index].evolve(box=box)
    return _prepared(sheet, steps)


def crop_dragged(
    sheet: Sheet, index: int, grips: str, by: tuple[float, float], ratio: str
) -> tuple[float, float, float, float]:
    """Return where a drag takes the crop that step ``index`` is; EditError if it is none.

    ``grips`` and ``by`` as in :func:`dragged_crop`; ``ratio``: the name of a shape it keeps, or "".
    """
    step = sheet.prepare[at(sheet.prepare, index)]
    if not isinstance(step, CropStep):
        raise EditError("This step is no crop. Reload the page.")
    size = geometry(sheet.size, sheet.prepare)[index][1]
    return dragged_crop(step.box, grips, by, RATIOS.get(ratio), size)


@verb("straighten")
def level_by_line(
    sheet: Sheet,
    *,
    index: int,
    line: Annotated[tuple[float, float, float, float], FROM_JSON],
) -> Sheet:
    """Turn so that a line drawn in the picture (x, y, x, y) becomes level, or upright if nearer."""
    steps = list(sheet.prepare)
    step = steps[at(steps, index)]
    if not isinstance(step, Straighten):
        raise EditError("Only a straighten step takes a line. Choose one.")
    dx, dy = line[2] - line[0], line[3] - line[1]
    if np.hypot(dx, dy) < 1:
        raise EditError("The line is too short to tell a direction. Draw it longer.")
    angle = float(np.degrees(np.arctan2(dy, dx)))
    steps[index] = step.evolve(degrees=round((angle + 45) % 90 - 45, 3) * -1)
    return _prepared(sheet, steps)


@verb("brush repair")
def brush_repair(
    sheet: Sheet,
    *,
    index: int,
    stroke: Annotated[Stroke, FROM_JSON],
    over: Literal["brush", "protect"] = "brush",
) -> Sheet:
    """Paint where a repair step looks for damage, or what it must leave alone.

    The stroke is in pixels of the picture before this step.
    """
    steps = list(sheet.prepare)
    step = steps[at(steps, index)]
    if not isinstance(step, Repair):
        raise EditError("Only a repair step has a brush. Choose one.")
    to_original = np.linalg.inv(geometry(sheet.size, steps)[index][0])
    painted = (*getattr(step, over), stroke.moved(to_original))
    steps[index] = step.evolve(**{over: painted})
    return _prepared(sheet, steps)


@verb("apply steps")
def set_steps(sheet: Sheet, *, steps: Annotated[list[PrepareStep], FROM_JSON]) -> Sheet:
    """Put these steps in place of the ones there are."""
    return _prepared(sheet, steps)
