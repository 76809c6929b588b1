"""Rooms of a shot: edges found in its picture, surfaces straight on, and the look ahead."""

from __future__ import annotations

import io
import json
from collections import OrderedDict
from typing import Any

import numpy as np
from flask import Blueprint, Response, render_template, request, send_file
from flask_login import login_required
from PIL import Image

from vistaline.actions import projects
from vistaline.actions.errors import NotFound, Refused
from vistaline.actions.rooms import (
    found_edges,
    found_lines,
    keep_straight,
    straight_picture,
    straighten_plate,
)
from vistaline.core.arrays import Rgba16
from vistaline.core.bodies import Body, mesh_of
from vistaline.core.camera import CameraState, camera_states
from vistaline.core.cards import card_of
from vistaline.core.foresight.ahead import SOFT, Ahead, look_ahead, map_frame, ranges_of
from vistaline.core.foresight.painting import LEVELS, paint_frame, paint_picture
from vistaline.core.formats.still import encode_png
from vistaline.core.scene import card_matrix
from vistaline.core.seen import plate_of
from vistaline.core.shot import Shot
from vistaline.core.straight import Beyond
from vistaline.store.models import ShotRow
from vistaline.web.context import person_id, services, session
from vistaline.web.editing import arguments
from vistaline.web.shots import edited, looked_at, open_shot

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
        response=_json({"points": np.round(points, 6).ravel(), "faces": faces.ravel()}),
        mimetype="application/json",
    )
    answer.cache_control.max_age = 86400
    return answer


def _json(arrays: dict[str, np.ndarray]) -> str:
    return json.dumps({name: array.tolist() for name, array in arrays.items()})


@blueprint.get("/<int:shot_id>/lines.json")
@login_required
def lines(shot_id: int) -> Any:
    """Send straight edges found in the plate, in shares of its size from its middle, y up."""
    _, shot = open_shot(shot_id)
    plate = plate_of(shot)
    assert plate.box is not None
    x, y, width, height = plate.box
    found = _lines_of(shot)
    shares = (found - [x, y]) / [width, height] * [1, -1] + [-0.5, 0.5]
    return {
        "matrix": card_matrix(card_of(shot, plate)),
        "lines": np.round(shares, 5).tolist(),
    }


_lines: dict[tuple[str, tuple[float, ...]], np.ndarray] = {}


def _lines_of(shot: Shot) -> np.ndarray:
    """Return what was found in the plate's picture; it is looked for once."""
    plate = plate_of(shot)
    assert plate.box is not None
    key = (shot.pictures[plate.picture].file, plate.box)
    if key not in _lines:
        if len(_lines) > 32:
            _lines.clear()
        _lines[key] = found_lines(services().library, shot)
    return _lines[key]


@blueprint.post("/<int:shot_id>/find-edges")
@login_required
def find(shot_id: int) -> Any:
    """Mark the edges that are found in the picture, in the place of those that were marked."""
    row, shot = open_shot(shot_id)
    values = {"edges": found_edges(shot, _lines_of(shot)), "within": 1.0}
    return edited(row, "mark_edges", values)


def _straightened(row: ShotRow, shot: Shot, values: Any) -> np.ndarray:
    second: tuple[Rgba16, CameraState] | None = None
    if values.get("second"):
        picture = projects.find_picture(session(), person_id(), int(values["second"]))
        if picture.project_id != row.project_id:
            raise Refused(f"{picture.name} belongs to another project.")
        camera = camera_states(shot, [int(values.get("seen_at", 0))])[0]
        second = services().library.pyramid(picture.file).picture, camera
    beyond = values.get("beyond", Beyond.OPEN)
    if beyond not in list(Beyond):
        raise Refused("Beyond its edge a picture is left open, mirrored or filled.")
    layer = values.get("layer", "")
    return straight_picture(services().library, shot, layer, Beyond(beyond), second)


@blueprint.get("/<int:shot_id>/straight.png")
@login_required
def straight(shot_id: int) -> Any:
    """Send a surface's picture as if it were seen straight on."""
    row, shot = open_shot(shot_id)
    codes = _straightened(row, shot, request.args)
    name = f"{shot.layer(request.args.get('layer', '')).name}, straight on.png"
    data = io.BytesIO(encode_png(codes, level=1))
    return send_file(data, mimetype="image/png", as_attachment=True, download_name=name)


@blueprint.post("/<int:shot_id>/straighten")
@login_required
def straighten(shot_id: int) -> Any:
    """Keep a surface's picture, seen straight on, as one of the project, and show it there."""
    row, shot = open_shot(shot_id)
    form = arguments()
    codes = _straightened(row, shot, form)
    layer = shot.layer(form["layer"])
    library = services().library
    picture = keep_straight(session(), library, row.project_id, layer.name, codes)
    reference = {"file": picture.file, "width": picture.width, "height": picture.height}
    values = {"layer": layer.id, "key": f"p{picture.id}", "picture": reference}
    return edited(row, "show_straight", values)


@blueprint.post("/<int:shot_id>/unbow")
@login_required
def unbow(shot_id: int) -> Any:
    """Straighten the plate's picture as its marks tell, as another picture, and show that."""
    row, shot = open_shot(shot_id)
    values = straighten_plate(session(), services().library, row.project_id, shot)
    return edited(row, "use_straightened", values)


# --- the look ahead ---------------------------------------------------------------------------


_aheads: OrderedDict[tuple[object, ...], Ahead] = OrderedDict()


def _ahead_of(row: ShotRow, shot: Shot) -> Ahead:
    """Return what all frames are like; looked for once a version, and kept for the last shots."""
    key = row.id, row.version, request.args.get("as"), request.args.get("take")
    if key not in _aheads:
        _aheads[key] = look_ahead(shot, services().library.looks_of(shot))
        while len(_aheads) > 8:
            _aheads.popitem(last=False)
    return _aheads[key]


@blueprint.get("/<int:shot_id>/ahead")
@login_required
def ahead(shot_id: int) -> Any:
    """Look at all frames: where they see nothing, and where pictures are stretched."""
    row, shot = open_shot(shot_id)
    seen = looked_at(shot)
    found = _ahead_of(row, seen)
    return render_template(
        "_ahead.html",
        row=row,
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
    seen = looked_at(shot)
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
    seen = looked_at(shot)
    key = request.args.get("key", "")
    least = _ahead_of(row, seen).pictures.get(key)
    if least is None:
        raise NotFound("The shot has no such picture.")
    path = services().library.preview(seen.pictures[key].file, thumbnail=True)
    with Image.open(path, formats=["WEBP"]) as image:
        size = 600, round(600 * image.height / image.width)
        thumbnail = np.asarray(image.convert("RGB").resize(size))
    return Response(encode_png(paint_picture(thumbnail, least), level=1), mimetype="image/png")
