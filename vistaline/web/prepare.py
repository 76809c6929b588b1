"""Pictures, put in shape: the steps, the picture before and after, the same for many."""

from __future__ import annotations

import io
import json
from collections.abc import Sequence
from typing import Any

import numpy as np
from flask import Blueprint, Response, request
from flask_login import login_required
from PIL import Image

from vistaline.actions import pictures, projects, sheets
from vistaline.actions.errors import Refused
from vistaline.actions.history import Change
from vistaline.core.prepare.mending import Repair, damage_of
from vistaline.core.prepare.shaping import FACTORS, RATIOS
from vistaline.core.prepare.step import Prepared
from vistaline.core.prepare.steps import (
    STEPS,
    PrepareStep,
    geometry,
    neutral_at,
    prepare,
    small_copy,
    tones_of,
)
from vistaline.core.prepare.toning import Curves
from vistaline.core.sheet.preparing import crop_dragged
from vistaline.store.models import Picture
from vistaline.web import tasks
from vistaline.web.context import person_id, services, session
from vistaline.web.sheets import Opened, open_sheet, page

__all__ = ["blueprint"]

blueprint = Blueprint("prepare", __name__, url_prefix="/pictures")

_NAMES = {kind: step.label for kind, step in STEPS.items()}
"""What each kind of step is called, in the order in which they are offered."""
_SIDE = 1400
"""Pixels that a preview is long."""


def _chosen(opened: Opened) -> int | None:
    index = request.args.get("step", -1, type=int)
    return index if 0 <= index < len(opened.sheet.prepare) else None


@blueprint.get("/<int:picture_id>/prepare")
@login_required
def bench(picture_id: int) -> Any:
    """The picture with its steps."""
    opened = open_sheet(picture_id)
    found = pictures.pictures_of(session(), opened.picture.project_id)
    return page("sheet/prepare.html", opened, "prepare", names=_NAMES, index=None, strip=found)


@blueprint.get("/<int:picture_id>/panels/steps")
@login_required
def steps_panel(picture_id: int) -> Any:
    """The list of steps; the chosen one is open."""
    opened = open_sheet(picture_id)
    return page(
        "sheet/_steps.html",
        opened,
        "prepare",
        names=_NAMES,
        index=_chosen(opened),
        ratios=RATIOS,
        factors=FACTORS,
        drawn=_drawn_curves(opened),
    )


def _drawn_curves(opened: Opened) -> dict[str, list[float]]:
    """Return the chosen step's curves as they are, sampled evenly from dark to light."""
    index = _chosen(opened)
    step = opened.sheet.prepare[index] if index is not None else None
    return step.drawn() if isinstance(step, Curves) else {}


@blueprint.get("/<int:picture_id>/prepare.json")
@login_required
def state(picture_id: int) -> Any:
    """Send what the canvas draws: sizes, the chosen step, what it works on."""
    opened = open_sheet(picture_id)
    index = _chosen(opened)
    steps = opened.sheet.prepare
    places = geometry(opened.sheet.size, steps)
    step = steps[index] if index is not None else None
    # A step that is set in the picture is shown the picture as it comes to the step.
    upto = index if step is not None and step.shown_before else None
    size = places[len(steps) if upto is None else upto][1]
    return {
        "version": opened.row.version,
        "size": size,
        "step": index,
        "upto": upto,
        "kind": step.kind if step else None,
        "values": step.model_dump(mode="json") if step else None,
        "picks": step is not None and step.picks,
        "divided": upto is None and bool(steps),
        "ratios": RATIOS,
    }


@blueprint.get("/<int:picture_id>/prepared.jpg")
@login_required
def preview(picture_id: int) -> Any:
    """Send the picture after its first ``upto`` steps, at the size of a screen.

    ``before``: only those that move pixels, for comparison; ``damage``: what the next step, a
    repair, would repair is marked.
    """
    opened = open_sheet(picture_id)
    steps = opened.sheet.prepare
    upto = min(max(request.args.get("upto", len(steps), type=int), 0), len(steps))
    done = list(steps[:upto])
    if "before" in request.args:
        done = [step for step in done if step.shapes]
    prepared = _after(opened.picture, done)
    colour = prepared.colour
    if "damage" in request.args and upto < len(steps):
        step = steps[upto]
        if isinstance(step, Repair):
            matrix = geometry(opened.sheet.size, steps)[upto][0]
            damage = damage_of(prepared, step, matrix)
            colour = np.where(damage[..., None], np.array((1.0, 0.25, 0.1), np.float32), colour)
    return _sent(colour, prepared.alpha)


@blueprint.get("/<int:picture_id>/histogram.json")
@login_required
def histogram(picture_id: int) -> Any:
    """Send how often each tone comes to a step: 64 counts, the largest 1."""
    opened = open_sheet(picture_id)
    index = _chosen(opened) or 0
    prepared = _after(opened.picture, opened.sheet.prepare[:index])
    return {"counts": tones_of(prepared)}


@blueprint.get("/<int:picture_id>/crop.json")
@login_required
def crop(picture_id: int) -> Any:
    """Say where a drag takes the chosen step's crop; nothing is kept."""
    opened, args = open_sheet(picture_id), request.args
    by = args.get("dx", 0.0, type=float), args.get("dy", 0.0, type=float)
    index = args.get("step", -1, type=int)
    return {
        "box": crop_dragged(opened.sheet, index, args.get("grips", ""), by, args.get("ratio", ""))
    }


@blueprint.get("/<int:picture_id>/neutral")
@login_required
def neutral(picture_id: int) -> Any:
    """Say what colour a point of the canvas (x, y: 0..1) has as it comes to the chosen step."""
    opened = open_sheet(picture_id)
    index = _chosen(opened)
    steps = opened.sheet.prepare
    if index is None:
        raise Refused("Choose the white balance step first.")
    x, y = request.args.get("x", 0.5, type=float), request.args.get("y", 0.5, type=float)
    # The canvas shows the end of the steps; the point is carried back to this one.
    prepared = _after(opened.picture, steps[:index])
    return {"neutral": neutral_at(prepared, opened.sheet.size, steps, index, (x, y))}


def _after(picture: Picture, steps: Sequence[PrepareStep]) -> Prepared:
    """Return a small copy of the picture after steps; kept, as the same come again."""
    found = services()
    name = f"{picture.original} {json.dumps([step.model_dump() for step in steps])}"

    def make() -> Prepared:
        return prepare(small_copy(found.library.pyramid(picture.original), _SIDE), steps)

    return found.kept.prepared.get(name, make)


def _sent(colour: np.ndarray, alpha: np.ndarray | None) -> Response:
    codes = np.rint(np.clip(colour, 0, 1) * 255).astype(np.uint8)
    data = io.BytesIO()
    if alpha is None:
        Image.fromarray(codes).save(data, "JPEG", quality=92)
        kind = "jpeg"
    else:
        share = np.rint(alpha * 255).astype(np.uint8)
        Image.fromarray(np.dstack([codes, share])).save(data, "WEBP", quality=90, method=1)
        kind = "webp"
    response = Response(data.getvalue(), mimetype=f"image/{kind}")
    response.cache_control.private = True
    response.cache_control.max_age = 600 if request.args.get("v") else 0
    return response


@blueprint.post("/<int:picture_id>/steps/many")
@login_required
def same_for_many(picture_id: int) -> Any:
    """Prepare other pictures by the same steps, each as a task of its own."""
    opened = open_sheet(picture_id)
    wanted = [key for key in request.form.getlist("picture", type=int) if key != picture_id]
    if not wanted:
        raise Refused("Tick the pictures that shall get the same steps, in the strip below.")
    steps = [step.for_another().model_dump() for step in opened.sheet.prepare]
    started = []
    for key in wanted:
        picture = projects.find_picture(session(), person_id(), key)
        if picture.project_id != opened.picture.project_id:
            raise Refused(f"{picture.name} belongs to another project.")
        row = sheets.sheet_of(session(), services().library.files, picture)
        started.append(
            sheets.change_sheet(
                session(),
                row,
                "set_steps",
                {"steps": steps},
                Change(version=row.version, person_id=person_id()),
            )
        )
    session().commit()
    tasks.announce(*started)
    return tasks.panel(opened.picture.project_id, "prepare")
