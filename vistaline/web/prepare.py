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
from vistaline.core.picture.colour import encode_srgb
from vistaline.core.picture.pyramid import BORDER
from vistaline.core.prepare.steps import (
    FACTORS,
    RATIOS,
    Crop,
    Curves,
    Enlarge,
    Flip,
    Prepared,
    PrepareStep,
    Repair,
    Straighten,
    Turn,
    damage_of,
    geometry,
    prepare,
)
from vistaline.core.prepare.tone import curve_table
from vistaline.store.models import Picture
from vistaline.web import tasks
from vistaline.web.context import person_id, services, session
from vistaline.web.sheets import Opened, open_sheet, page

__all__ = ["blueprint"]

blueprint = Blueprint("prepare", __name__, url_prefix="/pictures")

STEPS = {
    "crop": "Crop",
    "straighten": "Straighten",
    "turn": "Turn",
    "flip": "Mirror",
    "repair": "Scratches and dust",
    "denoise": "Noise",
    "enlarge": "Enlarge",
    "sharpen": "Sharpen",
    "levels": "Levels",
    "curves": "Curves",
    "saturation": "Saturation",
    "balance": "White balance",
    "restore": "Faded colour",
    "tint": "Tint",
}
"""Kinds of steps and what they are called, in the order they are offered."""
_GEOMETRY = (Crop, Straighten, Turn, Flip, Enlarge)
_SIDE = 1400


def _chosen(opened: Opened) -> int | None:
    index = request.args.get("step", -1, type=int)
    return index if 0 <= index < len(opened.sheet.prepare) else None


@blueprint.get("/<int:picture_id>/prepare")
@login_required
def bench(picture_id: int) -> Any:
    """The picture with its steps."""
    opened = open_sheet(picture_id)
    found = pictures.pictures_of(session(), opened.picture.project_id)
    return page("prepare.html", opened, "prepare", names=STEPS, index=None, strip=found)


@blueprint.get("/<int:picture_id>/panels/steps")
@login_required
def steps_panel(picture_id: int) -> Any:
    """The list of steps; the chosen one is open."""
    opened = open_sheet(picture_id)
    return page(
        "_steps.html",
        opened,
        "prepare",
        names=STEPS,
        index=_chosen(opened),
        ratios=RATIOS,
        factors=FACTORS,
        drawn=_drawn_curves(opened),
    )


def _drawn_curves(opened: Opened) -> dict[str, list[float]]:
    """Return the chosen step's curves as they are, sampled evenly from dark to light."""
    index = _chosen(opened)
    step = opened.sheet.prepare[index] if index is not None else None
    if not isinstance(step, Curves):
        return {}
    curves = {"value": step.value, "red": step.red, "green": step.green, "blue": step.blue}
    return {
        name: curve_table(points)[:: 65535 // 51].round(4).tolist()
        for name, points in curves.items()
    }


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
    upto = index if step is not None and isinstance(step, Crop | Straighten | Repair) else None
    size = places[len(steps) if upto is None else upto][1]
    picker = step is not None and step.kind == "balance"
    return {
        "version": opened.row.version,
        "size": size,
        "step": index,
        "upto": upto,
        "kind": step.kind if step else None,
        "values": step.model_dump(mode="json") if step else None,
        "picks": picker,
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
        done = [step for step in done if isinstance(step, _GEOMETRY)]
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
    counts = np.histogram(prepared.colour, bins=64, range=(0, 1))[0].astype(float)
    return {"counts": (counts / max(1.0, counts[1:-1].max())).clip(0, 1).round(3).tolist()}


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
    places = geometry(opened.sheet.size, steps)
    matrix, (width, height) = places[-1]
    here = places[index][0] @ np.linalg.inv(matrix) @ np.array([x * width, y * height, 1])
    prepared = _after(opened.picture, steps[:index])
    rows, columns = prepared.colour.shape[:2]
    column = int(np.clip(here[0] * prepared.scale, 2, columns - 3))
    row = int(np.clip(here[1] * prepared.scale, 2, rows - 3))
    colour = prepared.colour[row - 2 : row + 3, column - 2 : column + 3].mean(axis=(0, 1))
    return {"neutral": [round(float(value), 4) for value in colour]}


def _small(picture: Picture) -> tuple[np.ndarray, np.ndarray | None, float]:
    """Return colour, alpha and scale of the picture as it came, at most a screen large."""
    pyramid = services().library.pyramid(picture.original)
    level = 0
    while level + 1 < len(pyramid.levels) and max(pyramid.width, pyramid.height) >> level > _SIDE:
        level += 1
    width, height = -(-pyramid.width >> level), -(-pyramid.height >> level)
    linear = pyramid.levels[level][BORDER : BORDER + height, BORDER : BORDER + width]
    share = linear[..., 3:].astype(np.float32) / 65535
    straight = linear[..., :3].astype(np.float32) / 65535 / np.maximum(share, 1e-4)
    colour = encode_srgb(np.clip(straight, 0, 1)).astype(np.float32)
    alpha = None if pyramid.opaque else share[..., 0]
    return colour, alpha, width / pyramid.width


_results: dict[str, Prepared] = {}
_KEPT_RESULTS = 6


def _after(picture: Picture, steps: Sequence[PrepareStep]) -> Prepared:
    """Return a small copy of the picture after steps; the last few are kept, as they come again."""
    name = f"{picture.original} {json.dumps([step.model_dump() for step in steps])}"
    found = _results.get(name)
    if found is None:
        colour, alpha, scale = _small(picture)
        found = prepare(Prepared(colour=colour, alpha=alpha, scale=scale), steps)
        while len(_results) >= _KEPT_RESULTS:
            _results.pop(next(iter(_results)), None)
        _results[name] = found
    return found


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
    # Painted repairs are of this picture alone; what is found automatically is not.
    steps = [
        step.model_dump() | ({"brush": (), "protect": ()} if isinstance(step, Repair) else {})
        for step in opened.sheet.prepare
    ]
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
                version=row.version,
                person_id=person_id(),
            )
        )
    session().commit()
    tasks.announce(*started)
    return tasks.panel(opened.picture.project_id, "prepare")
