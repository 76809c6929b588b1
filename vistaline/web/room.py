"""Rooms of a shot: edges found in its picture, surfaces straight on, and the look ahead."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from flask import Blueprint, Response, render_template, request
from flask_login import login_required
from PIL import Image

from vistaline.actions import projects
from vistaline.actions.errors import NotFound, Refused
from vistaline.actions.rooms import (
    ask_of_shot,
    check_plane,
    kept_ahead,
    kept_lines,
)
from vistaline.actions.tasks import find_task
from vistaline.actions.unbowing import check_bowed
from vistaline.core.foresight.ahead import SOFT, Ahead, map_frame, ranges_of
from vistaline.core.foresight.painting import LEVELS, paint_frame, paint_picture
from vistaline.core.geometry.bodies import Body, mesh_of
from vistaline.core.picture.still import encode_png
from vistaline.core.render.straight import Beyond
from vistaline.core.scene.describe import card_matrix
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.seen import plate_of
from vistaline.store.models import JobState, ShotRow, TaskKind
from vistaline.web import tasks
from vistaline.web.context import person_id, services, session
from vistaline.web.shots import open_shot, shot_asked_for

__all__ = ["blueprint"]

blueprint = Blueprint("room", __name__, url_prefix="/shots")

_MAP_WIDTH = 960


# --- marks and surfaces -----------------------------------------------------------------------


@blueprint.get("/bodies/<body>.json")
def mesh(body: str) -> Any:
    """Send a body's mesh for the live view; it never changes."""
    if body not in list(Body):
        raise NotFound("There is no such body.")
    points, faces = mesh_of(Body(body))
    answer = Response(
        response=_json(
            {"points": np.round(points, 6).ravel(), "faces": faces.ravel()}, Body(body).is_open
        ),
        mimetype="application/json",
    )
    answer.cache_control.max_age = 86400
    return answer


def _json(arrays: dict[str, np.ndarray], is_open: bool) -> str:
    told = {name: array.tolist() for name, array in arrays.items()}
    return json.dumps(told | {"open": is_open})


@blueprint.get("/<int:shot_id>/lines.json")
@login_required
def lines(shot_id: int) -> Any:
    """Send straight edges found in the plate, in shares of its size from its middle, y up.

    Where they were not looked for yet, a task does that, and the answer is 202.
    """
    row, shot = open_shot(shot_id)
    plate = plate_of(shot)
    assert plate.box is not None
    found = kept_lines(services().library, shot)
    if found is None:
        return _begun(row, TaskKind.FIND_EDGES, plate.name, {}), 202
    x, y, width, height = plate.box
    shares = (found - [x, y]) / [width, height] * [1, -1] + [-0.5, 0.5]
    return {
        "matrix": card_matrix(card_of(shot, plate)),
        "lines": np.round(shares, 5).tolist(),
    }


def _begun(row: ShotRow, kind: TaskKind, name: str, arguments: dict[str, Any]) -> dict[str, int]:
    """Keep and announce a task on a shot, unless it is under way; returns which it is."""
    task, new = ask_of_shot(session(), row, kind, name, arguments, person_id=person_id())
    session().commit()
    if new:
        tasks.announce(task)
    return {"task": task.id}


def _follow(begun: dict[str, int]) -> Any:
    """Answer that something was begun; the list over the picture then shows how far it is."""
    return begun, 202, {"HX-Trigger": "taskchange", "HX-Reswap": "none"}


@blueprint.post("/<int:shot_id>/find-edges")
@login_required
def find(shot_id: int) -> Any:
    """Mark the edges that are found in the picture, in the place of those that were marked."""
    row, shot = open_shot(shot_id)
    return _follow(_begun(row, TaskKind.FIND_EDGES, plate_of(shot).name, {"mark": True}))


@blueprint.post("/<int:shot_id>/straighten")
@login_required
def straighten(shot_id: int) -> Any:
    """See a surface's picture straight on: shown there as one of the project, or to be fetched."""
    row, shot = open_shot(shot_id)
    form = request.form
    layer = check_plane(shot, form.get("layer", ""))
    beyond = form.get("beyond") or Beyond.OPEN
    if beyond not in list(Beyond):
        raise Refused("Beyond its edge a picture is left open, mirrored or filled.")
    wish: dict[str, Any] = {
        "layer": layer.id, "beyond": str(beyond), "keep": form.get("only") != "fetch"
    }  # fmt: skip
    if form.get("second", type=int):
        picture = projects.find_picture(session(), person_id(), int(form["second"]))
        if picture.project_id != row.project_id:
            raise Refused(f"{picture.name} belongs to another project.")
        wish |= {"second": picture.file, "seen_at": form.get("seen_at", 0, type=int)}
    return _follow(_begun(row, TaskKind.STRAIGHTEN, layer.name, wish))


@blueprint.post("/<int:shot_id>/unbow")
@login_required
def unbow(shot_id: int) -> Any:
    """Straighten the plate's picture as its marks tell, as another picture, and show that."""
    row, shot = open_shot(shot_id)
    check_bowed(shot)
    return _follow(_begun(row, TaskKind.UNBOW, plate_of(shot).name, {}))


# --- the look ahead ---------------------------------------------------------------------------


def _wish(row: ShotRow) -> dict[str, Any]:
    """Return of which version all frames are looked at, and how they are seen."""
    seen = {"as": request.args.get("as"), "take": request.args.get("take")}
    return {"position": row.position, "version": row.version, **seen}


@blueprint.get("/<int:shot_id>/ahead")
@login_required
def ahead(shot_id: int) -> Any:
    """Look at all frames: where they see nothing, and where pictures are stretched.

    While a task does, how far it is; then what it found.
    """
    row, shot = open_shot(shot_id)
    seen, wish = shot_asked_for(shot), _wish(row)
    found = kept_ahead(services().library, wish, row.id)
    if found is None:
        follow = request.args.get("task", type=int)
        task_id = follow or _begun(row, TaskKind.LOOK_AHEAD, row.name, wish)["task"]
        task = find_task(session(), person_id(), task_id)
        if task.kind is not TaskKind.LOOK_AHEAD or task.shot_id != row.id:
            raise NotFound("This is no look ahead at the shot.")
        if follow and task.state is JobState.DONE:  # of a version that was edited meanwhile
            found = kept_ahead(services().library, task.arguments, row.id)
        if found is None:
            return render_template("desk/_ahead_waits.html", row=row, task=task)
        wish = task.arguments
    return render_template(
        "desk/_ahead.html",
        row=row,
        version=wish["version"],
        found=found,
        bare=_told(found, found.bare),
        stretched=_told(found, found.stretched),
        soft=SOFT,
        levels=[(below, "#{:02x}{:02x}{:02x}".format(*colour[:3])) for below, colour in LEVELS],
        bars=_bars(found),
        pictures=[key for key, least in found.pictures.items() if np.isfinite(least).any()],
        names={layer.picture: layer.name for layer in reversed(seen.layers) if layer.picture},
    )


def _told(found: Ahead, shares: np.ndarray) -> list[tuple[int, int, int, float]]:
    """Return the stretches of frames with a share over a thousandth: first, last, worst, share."""
    told = []
    for first, last in ranges_of(found.frames, shares > 0.001):
        within = [n for n, frame in enumerate(found.frames) if first <= frame <= last]
        worst = max(within, key=lambda n: shares[n])
        told.append((first, last, found.frames[worst], float(shares[worst])))
    return sorted(told, key=lambda each: -each[3])[:6]


def _bars(found: Ahead) -> list[tuple[float, float, float, float]]:
    """Return for at most 160 columns: x, width, and how high bare and stretched stand.

    The highest of all is 1.
    """
    count = min(160, len(found.frames))
    highest = max(float(found.bare.max()), float(found.stretched.max()), 0.01)
    edges = np.linspace(0, len(found.frames), count + 1).astype(int)
    bars = []
    for n in range(count):
        part = slice(edges[n], max(edges[n] + 1, edges[n + 1]))
        high = [float(each[part].max()) / highest for each in (found.bare, found.stretched)]
        bars.append((n / count, 1 / count, high[0], high[1]))
    return bars


@blueprint.get("/<int:shot_id>/ahead.png")
@login_required
def ahead_frame(shot_id: int) -> Any:
    """Send one frame's map, to be laid over it."""
    row, shot = open_shot(shot_id)
    number = request.args.get("n", 0, type=int)
    if not 0 <= number < shot.frame.duration:
        raise Refused(f"The shot has frames 0 to {shot.frame.duration - 1}.")
    seen = shot_asked_for(shot)
    mapped = map_frame(seen, services().library.looks_of(seen), number)
    step = max(1, shot.frame.width // _MAP_WIDTH)
    painted = paint_frame(np.ascontiguousarray(mapped.stretch[::step, ::step]))
    answer = Response(encode_png(painted, level=1), mimetype="image/png")
    answer.headers["X-Bare"] = f"{mapped.bare.mean():.4f}"
    answer.cache_control.private = True
    answer.cache_control.max_age = 3600 if request.args.get("v") else 0
    answer.set_etag(f"{row.id}-{row.version}-{number}-ahead-{request.args.get('as')}")
    return answer.make_conditional(request)


@blueprint.get("/<int:shot_id>/ahead-picture.png")
@login_required
def ahead_picture(shot_id: int) -> Any:
    """Send a picture of the shot with the least stretch its parts come to in the whole route."""
    row, shot = open_shot(shot_id)
    seen = shot_asked_for(shot)
    key = request.args.get("key", "")
    found = kept_ahead(services().library, _wish(row), row.id)
    least = found.pictures.get(key) if found else None
    if least is None or key not in seen.pictures:
        raise NotFound("The shot has no such picture, or its frames were not looked at yet.")
    path = services().library.preview(seen.pictures[key].file, thumbnail=True)
    with Image.open(path, formats=["WEBP"]) as image:
        size = 600, round(600 * image.height / image.width)
        thumbnail = np.asarray(image.convert("RGB").resize(size))
    return Response(encode_png(paint_picture(thumbnail, least), level=1), mimetype="image/png")
