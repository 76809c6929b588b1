"""What the Finish panel asks for besides edits: scopes, and tables of colours in and out."""

from __future__ import annotations

import base64
from contextlib import closing
from typing import Any

import numpy as np
from flask import Blueprint, Response, request
from flask_login import login_required

from vistaline.actions import projects
from vistaline.actions.errors import Refused
from vistaline.actions.kept_looks import effects_of, forget_look, keep_look
from vistaline.core.geometry.light import neutral_of
from vistaline.core.picture.colour import straight_codes
from vistaline.core.picture.cubes import MOST_TEXT, cube_text
from vistaline.core.picture.scopes import Scope, clipped_in, scope_of, vector_targets
from vistaline.core.picture.still import encode_png
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.render.measured import (
    around_statistics,
    colour_at,
    colours_of,
    layer_alone,
    layer_statistics,
    picture_statistics,
)
from vistaline.core.scene.finish import LIVE_SIDE, colour_table
from vistaline.core.shot.dressing import row_name
from vistaline.core.shot.effects import Effect, On
from vistaline.core.shot.grading import Match, Tones, WhiteBalance
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.finish import effects_in
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.web.context import person_id, services, session
from vistaline.web.editing import arguments, playhead
from vistaline.web.effect_fields import over_word
from vistaline.web.shots import edited, open_shot, picture_asked_for, shot_asked_for

__all__ = ["blueprint"]

blueprint = Blueprint("finish", __name__, url_prefix="/shots")

_WIDE = 480


@blueprint.get("/<int:shot_id>/scope.json")
@login_required
def scope(shot_id: int) -> Any:
    """Measure a frame, or one layer of it alone, and send what a scope shows."""
    _, kept = open_shot(shot_id)
    shot = shot_asked_for(kept)
    number = min(max(request.args.get("n", 0, type=int), 0), shot.frame.duration - 1)
    kind = request.args.get("scope", Scope.WAVEFORM.value)
    if kind not in set(Scope):
        raise Refused(f"There is no scope {kind!r}.")
    layer = request.args.get("layer", "")
    if layer:
        shot = layer_alone(shot, layer)
    small = scaled(shot, _WIDE / shot.frame.width)
    renderer = Renderer(small, services().library.looks_of(small))
    pixels = straight_codes(renderer.linear(number, over_ground=not layer))
    alpha = pixels[..., 3] / 255 if layer else np.ones(pixels.shape[:2])
    codes = np.ascontiguousarray(pixels[..., :3])
    seen = alpha > 0
    clipped = clipped_in(codes[seen], alpha[seen])
    image = base64.b64encode(encode_png(scope_of(codes, alpha, Scope(kind)))).decode()
    words = [
        f"{share * 100:.1f} % clipped {where}"
        for share, where in ((clipped.light, "in the light"), (clipped.dark, "in the dark"))
        if share >= 0.0005
    ]
    return {
        "image": f"data:image/png;base64,{image}",
        "lines": [{"at": 100 - each, "name": f"{each}"} for each in (0, 25, 50, 75, 100)]
        if kind in (Scope.WAVEFORM, Scope.PARADE)
        else [],
        "spots": [
            {"x": 50 + b * 100, "y": 50 - r * 100, "name": name}
            for name, (b, r) in vector_targets().items()
        ]
        if kind == Scope.VECTORS
        else [],
        "words": ", ".join(words) if words else "Nothing is clipped.",
    }


@blueprint.post("/<int:shot_id>/match")
@login_required
def match(shot_id: int) -> Any:
    """Bring what an effect is on nearer to a layer, to what is round it, or to a picture."""
    row, shot = open_shot(shot_id)
    thing, to = request.form.get("thing", ""), request.form.get("to", "")
    effect = shot.dress(thing)
    if not isinstance(effect, Match) or effect.over.kind is not On.LAYER or not effect.over.of:
        raise Refused("Put the match on a layer first.")
    at = min(playhead()["at"], shot.frame.duration - 1)
    now = shot_at_frame(shot, at)
    looks, layer = services().library.looks_of(now), effect.over.of
    own = layer_statistics(now, looks, at, layer, bare=True)
    if to.startswith("picture:"):
        picture, _ = picture_asked_for(row, "to")
        theirs, words = picture_statistics(services().library.pyramid(picture.file)), picture.name
    elif to == "around":
        theirs, words = around_statistics(now, looks, at, layer), "what is round it"
    else:
        other = now.layer(to.removeprefix("layer:"))
        theirs, words = layer_statistics(now, looks, at, other.id, bare=False), other.name
    values = {"thing": thing, "own": own, "theirs": theirs, "to": words}
    return edited(row, "set_match", values)


@blueprint.post("/<int:shot_id>/overlay")
@login_required
def overlay(shot_id: int) -> Any:
    """Let an effect lay a picture of the project over what it is on."""
    row = projects.find_shot(session(), person_id(), shot_id)
    picture, reference = picture_asked_for(row)
    values = {"thing": request.form.get("thing", ""), "key": f"p{picture.id}"}
    return edited(row, "lay_picture", values | {"picture": reference})


@blueprint.post("/<int:shot_id>/neutral")
@login_required
def neutral(shot_id: int) -> Any:
    """Set a white balance so that what is seen at a pixel becomes grey."""
    row, shot = open_shot(shot_id)
    thing = request.form.get("thing", "")
    effect = shot.dress(thing)
    if not isinstance(effect, WhiteBalance):
        raise Refused(f"{effect.name} is no white balance.")
    at = min(max(request.form.get("frame", 0, type=int), 0), shot.frame.duration - 1)
    # Without it, and all that comes after it.
    before = shot.dressing[: [row_name(each) for each in shot.dressing].index(thing)]
    kept = {row_name(each) for each in before}
    gone = {row_name(each) for each in shot.dressing} - kept
    bare = shot.evolve(
        dressing=before,
        solo="" if shot.solo in gone else shot.solo,
        rows=tuple(each for each in shot.rows if each.of not in gone),
    )
    x, y = (request.form.get(name, 0.0, type=float) for name in ("x", "y"))
    kelvin, tint = neutral_of(colour_at(bare, services().library.looks_of(bare), at, x, y))
    values = {"thing": thing, "kelvin": round(kelvin), "tint": round(tint * 100, 1)}
    return edited(row, "set_dressing", values)


@blueprint.post("/<int:shot_id>/palette")
@login_required
def tones_of_picture(shot_id: int) -> Any:
    """Give two or three tones the colours of what they are put on."""
    row, shot = open_shot(shot_id)
    thing = request.form.get("thing", "")
    effect = shot.dress(thing)
    if not isinstance(effect, Tones):
        raise Refused(f"{effect.name} has no tones.")
    at = min(playhead()["at"], shot.frame.duration - 1)
    now = shot_at_frame(shot, at)
    layer = effect.over.of if effect.over.kind is On.LAYER else ""
    found = colours_of(now, services().library.looks_of(now), at, layer)
    values = {"thing": thing, "dark": found[0], "middle": found[len(found) // 2]}
    return edited(row, "set_dressing", values | {"light": found[-1]})


@blueprint.post("/<int:shot_id>/table")
@login_required
def bring_table(shot_id: int) -> Any:
    """Bring a .cube file in, as an effect."""
    row = projects.find_shot(session(), person_id(), shot_id)
    file = request.files.get("table")
    if file is None or not file.filename:
        raise Refused("No file was sent. Choose a .cube file first.")
    with closing(file):
        text = file.stream.read(MOST_TEXT + 1)
    if len(text) > MOST_TEXT:
        raise Refused(f"{file.filename} is larger than {MOST_TEXT >> 20} MB.")
    values = {"name": file.filename[-80:], "text": text.decode("utf-8", "replace")}
    given = arguments()
    values |= {name: given[name] for name in ("over", "thing") if name in given}
    return edited(row, "add_table", values)


@blueprint.post("/<int:shot_id>/looks")
@login_required
def keep(shot_id: int) -> Any:
    """Keep the effects that are on the same as one by a name."""
    row = projects.find_shot(session(), person_id(), shot_id)
    keep_look(session(), row, request.form.get("thing", ""), request.form.get("name", ""))
    session().commit()
    return "", 204, {"HX-Trigger": "chosen"}


@blueprint.post("/<int:shot_id>/looks/<int:look>/put")
@login_required
def put(shot_id: int, look: int) -> Any:
    """Put a kept look on something."""
    row = projects.find_shot(session(), person_id(), shot_id)
    values = effects_of(session(), row.project_id, look)
    return edited(row, "put_look", values | {"over": request.form.get("over", "frame")})


@blueprint.post("/<int:shot_id>/looks/<int:look>/forget")
@login_required
def forget(shot_id: int, look: int) -> Any:
    """Remove a kept look."""
    row = projects.find_shot(session(), person_id(), shot_id)
    forget_look(session(), row.project_id, look)
    session().commit()
    return "", 204, {"HX-Trigger": "chosen"}


@blueprint.get("/<int:shot_id>/table.cube")
@login_required
def send_table(shot_id: int) -> Any:
    """Send what the effects on something do to colours, at a frame, as a .cube file."""
    row, shot = open_shot(shot_id)
    number = min(max(request.args.get("n", 0, type=int), 0), shot.frame.duration - 1)
    over = request.args.get("over", "frame")
    effects: list[Effect] = [
        each for each in effects_in(evaluate(shot, [number])[0]) if over_word(each) == over
    ]
    table = colour_table(effects, LIVE_SIDE)
    text = cube_text(table.astype(np.float64), row.name)
    response = Response(text, mimetype="text/plain")
    name = "".join(each if each.isalnum() else "-" for each in row.name).strip("-") or "table"
    response.headers.set("Content-Disposition", "attachment", filename=f"{name}.cube")
    return response
