"""Edits of what is cut out of a picture: sheet -> new sheet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, TypeAdapter, ValidationError

from vistaline.core.errors import EditError
from vistaline.core.picture.strokes import Stroke
from vistaline.core.separate.cutset import (
    MOST_CUTOUTS,
    OWN_DEPTH,
    Adjust,
    Cutout,
    CutSet,
    DepthBand,
    Effect,
    Guess,
    Outline,
    Paint,
    Plane,
    Step,
)
from vistaline.core.sheet.sheet import Sheet
from vistaline.core.sheet.verbs import at, step_words, verb
from vistaline.core.verbs import FROM_JSON

__all__: list[str] = []

_APART = 0.01
_MASK_STEP: TypeAdapter[Step] = TypeAdapter(Step)


def _with_cutouts(sheet: Sheet, cutouts: Sequence[Cutout]) -> Sheet:
    if len(cutouts) > MOST_CUTOUTS:
        raise EditError(f"A picture has at most {MOST_CUTOUTS} cutouts. Remove some first.")
    return sheet.evolve(cutset=CutSet(cutouts=tuple(cutouts)))


def _with_cutout(sheet: Sheet, key: str, **changes: Any) -> Sheet:
    sheet.cutout(key)
    try:
        changed = [
            Cutout.model_validate(dict(cutout) | changes) if cutout.id == key else cutout
            for cutout in sheet.cutset.cutouts
        ]
    except ValidationError as error:
        raise EditError(step_words(error)) from error
    return _with_cutouts(sheet, changed)


def _new_key(sheet: Sheet, count: int = 1) -> list[str]:
    used = {cutout.id for cutout in sheet.cutset.cutouts}
    free = (f"c{n}" for n in range(1, 1000) if f"c{n}" not in used)
    return [next(free) for _ in range(count)]


@verb("add cutout")
def add_cutout(sheet: Sheet, *, name: str = "") -> Sheet:
    """Begin another cutout, nearest of all."""
    (key,) = _new_key(sheet)
    cutout = Cutout(id=key, name=name.strip() or f"Cutout {key[1:]}")
    return _with_cutouts(sheet, [cutout, *sheet.cutset.cutouts])


@verb("cut a part out")
def cut_part(sheet: Sheet, *, cutout: str, name: str = "") -> Sheet:
    """Begin a cutout of a part of another, right before it; that one stays whole behind it.

    A coat that shall move by itself: what it hides is filled, and the figure wears it no more.
    """
    whole = sheet.cutout(cutout)
    (key,) = _new_key(sheet)
    words = name.strip() or f"Part of {whole.name}"
    part = Cutout(id=key, name=words[:80], takes_away=False, part_of=cutout)
    place = [each.id for each in sheet.cutset.cutouts].index(cutout)
    cutouts = list(sheet.cutset.cutouts)
    return _with_cutouts(sheet, [*cutouts[:place], part, *cutouts[place:]])


@verb("remove cutout")
def remove_cutout(sheet: Sheet, *, cutout: str) -> Sheet:
    """Remove a cutout with its mask, and what was filled behind it."""
    sheet.cutout(cutout)
    left = [each for each in sheet.cutset.cutouts if each.id != cutout]
    plates = tuple(plate for plate in sheet.plates if plate.behind != cutout)
    return _with_cutouts(sheet, left).evolve(plates=plates)


@verb("move cutout")
def move_cutout(sheet: Sheet, *, cutout: str, to: int) -> Sheet:
    """Put a cutout at another place from near to far."""
    found = sheet.cutout(cutout)
    left = [each for each in sheet.cutset.cutouts if each.id != cutout]
    left.insert(max(0, min(to, len(left))), found)
    return _with_cutouts(sheet, left)


@verb("change cutout")
def set_cutout(
    sheet: Sheet,
    *,
    cutout: str,
    name: str | None = None,
    edge_care: bool | None = None,
    band: Annotated[int, Field(ge=0, le=500)] | None = None,
    takes_away: bool | None = None,
    hidden: bool | None = None,
) -> Sheet:
    """Change a cutout's name, edge care (band 0: by the picture's width), what it takes away."""
    changes: dict[str, Any] = {
        "name": name.strip() if name else None,
        "edge_care": edge_care,
        "takes_away": takes_away,
        "hidden": hidden,
    }
    kept = {key: value for key, value in changes.items() if value is not None}
    if band is not None:
        kept["band"] = band or None
    return _with_cutout(sheet, cutout, **kept)


def _clean(step: Step) -> Step:
    """Return a drawn step without points on one spot; refuse what has no area."""
    if isinstance(step, Outline):
        points = [
            point
            for n, point in enumerate(step.points)
            if np.hypot(*np.subtract(point.at, step.points[n - 1].at)) > _APART
        ]
        if len(points) < 3:
            raise EditError("An outline needs three points that do not lie on one spot. Add some.")
        return step.evolve(points=tuple(points))
    if isinstance(step, Plane):
        corners = np.array(step.corners)
        along = np.roll(corners, -1, axis=0) - corners
        turn = along[:, 0] * np.roll(along[:, 1], -1) - along[:, 1] * np.roll(along[:, 0], -1)
        if not (np.all(turn > _APART) or np.all(turn < -_APART)):
            raise EditError(
                "A plane's four corners go round it without crossing. Move them so that no corner "
                "points inwards."
            )
    return step


def _mask_step(document: dict[str, Any]) -> Step:
    try:
        return _clean(_MASK_STEP.validate_python(document))
    except ValidationError as error:
        raise EditError(step_words(error)) from error


@verb("draw mask")
def add_mask_step(
    sheet: Sheet, *, cutout: str, step: Annotated[dict[str, Any], FROM_JSON]
) -> Sheet:
    """Add a step to a mask."""
    found = sheet.cutout(cutout)
    return _with_cutout(sheet, cutout, steps=(*found.steps, _mask_step(step)))


@verb("change mask step")
def set_mask_step(
    sheet: Sheet, *, cutout: str, index: int, values: Annotated[dict[str, Any], FROM_JSON]
) -> Sheet:
    """Change values of a mask's step."""
    steps = list(sheet.cutout(cutout).steps)
    steps[index] = _mask_step(steps[at(steps, index)].model_dump() | values)
    return _with_cutout(sheet, cutout, steps=tuple(steps))


@verb("remove mask step")
def remove_mask_step(sheet: Sheet, *, cutout: str, index: int) -> Sheet:
    """Take a step out of a mask."""
    steps = list(sheet.cutout(cutout).steps)
    del steps[at(steps, index)]
    return _with_cutout(sheet, cutout, steps=tuple(steps))


@verb("move mask step")
def move_mask_step(sheet: Sheet, *, cutout: str, index: int, to: int) -> Sheet:
    """Do a mask's step earlier or later."""
    steps = list(sheet.cutout(cutout).steps)
    step = steps.pop(at(steps, index))
    steps.insert(max(0, min(to, len(steps))), step)
    return _with_cutout(sheet, cutout, steps=tuple(steps))


@verb("paint mask")
def paint_mask(
    sheet: Sheet, *, cutout: str, stroke: Annotated[Stroke, FROM_JSON], effect: Effect = "add"
) -> Sheet:
    """Paint a stroke: onto the last step if that is painted the same way, else as a new one."""
    steps = sheet.cutout(cutout).steps
    last = steps[-1] if steps else None
    if isinstance(last, Paint) and last.effect == effect:
        joined = last.evolve(strokes=(*last.strokes, stroke))
        return _with_cutout(sheet, cutout, steps=(*steps[:-1], joined))
    return _with_cutout(sheet, cutout, steps=(*steps, Paint(effect=effect, strokes=(stroke,))))


@verb("guess")
def guess_mask(
    sheet: Sheet,
    *,
    cutout: str,
    stroke: Annotated[Stroke, FROM_JSON] | None = None,
    says: Literal["this", "not_this"] = "this",
    box: Annotated[tuple[float, float, float, float], FROM_JSON] | None = None,
    alone: bool = False,
    effect: Effect = "add",
) -> Sheet:
    """Say more about a guess: a stroke over the subject or beside it, or a box round it.

    ``alone``: what stands out by itself is meant; strokes then mend it.
    """
    steps = sheet.cutout(cutout).steps
    last = steps[-1] if steps else None
    guess = last if isinstance(last, Guess) else Guess(effect=effect)
    before = steps[:-1] if isinstance(last, Guess) else steps
    if stroke is not None:
        guess = guess.evolve(**{says: (*getattr(guess, says), stroke)})
    if box is not None:
        if box[2] < 2 or box[3] < 2:
            raise EditError("The box is too small. Drag it round the subject.")
        guess = guess.evolve(box=box)
    if alone:
        guess = guess.evolve(alone=True)
    if not guess.this and guess.box is None and not guess.alone:
        raise EditError("Say first what the subject is: a stroke over it, or a box round it.")
    return _with_cutout(sheet, cutout, steps=(*before, guess))


@verb("adjust mask")
def adjust_mask(
    sheet: Sheet, *, cutout: str, grow: float = 0, soften: float = 0, invert: bool = False
) -> Sheet:
    """Grow, shrink, soften or invert the mask so far."""
    steps = sheet.cutout(cutout).steps
    try:
        step = Adjust(grow=grow, soften=soften, invert=invert)
    except ValidationError as error:
        raise EditError(step_words(error)) from error
    return _with_cutout(sheet, cutout, steps=(*steps, step))


@verb("hair brush")
def brush_hair(
    sheet: Sheet, *, cutout: str, stroke: Annotated[Stroke, FROM_JSON] | None = None
) -> Sheet:
    """Widen the edge band under a stroke, over hair and foliage; without one all are removed."""
    hair = (*sheet.cutout(cutout).hair, stroke) if stroke is not None else ()
    return _with_cutout(sheet, cutout, hair=hair)


@verb("slice by depth")
def slice_by_depth(
    sheet: Sheet,
    *,
    map: str,
    count: Annotated[int, Field(ge=2, le=24)] = 4,
    overlap: Annotated[float, Field(ge=0, le=0.5)] = 0.04,
) -> Sheet:
    """Cut by a depth map, or the picture's own depth, into ``count`` bands, the last the plate."""
    if map == OWN_DEPTH and not sheet.depth.says:
        raise EditError("The picture has no depth yet. Make one under Depth first.")
    keys = _new_key(sheet, count - 1)
    bands = [
        Cutout(
            id=key,
            name=f"Slice {n + 1}",
            edge_care=False,
            takes_away=False,
            steps=(DepthBand(map=map, near=n / count, far=(n + 1) / count, overlap=overlap),),
        )
        for n, key in enumerate(keys)
    ]
    return _with_cutouts(sheet, [*bands, *sheet.cutset.cutouts])
