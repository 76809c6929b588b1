"""Arrange and Direct: the two benches over one shot, its live scene and its edits."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask_login import login_required

from vistaline.actions import projects, shots
from vistaline.actions.errors import NotFound, Refused
from vistaline.actions.pictures import reference_to
from vistaline.actions.rooms import as_seen
from vistaline.core import edits
from vistaline.core.edits.gestures import CameraMove, told
from vistaline.core.edits.keys import keys_now
from vistaline.core.edits.made import made_by
from vistaline.core.foresight.watch import findings
from vistaline.core.picture.still import encode_jpeg, encode_png
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.render.proof import proof_frames
from vistaline.core.scene.air import motes_live
from vistaline.core.scene.cloths import motion_name
from vistaline.core.scene.describe import describe_scene, pick_layer, textures_in
from vistaline.core.scene.reliefs import maps_name, pack_relief
from vistaline.core.shot.dressing import Dressing, OnStage, row_name
from vistaline.core.shot.lamps import Lamp
from vistaline.core.shot.route import Framing
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.cards import Card
from vistaline.core.stage.drawn import look_called
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.core.timing import RATE_PRESETS
from vistaline.store.models import Picture, ShotRow
from vistaline.web.context import person_id, services, session
from vistaline.web.editing import arguments, asked, change_asked_for, changed, playhead, send_kept
from vistaline.web.frames import SIZES

__all__ = [
    "blueprint",
    "changed_shot",
    "edited",
    "findings_of",
    "open_shot",
    "passing_told",
    "picture_asked_for",
    "shot_drawn_from",
    "texture_address",
]

blueprint = Blueprint("shots", __name__, url_prefix="/shots")


def open_shot(shot_id: int) -> tuple[ShotRow, Shot]:
    row = projects.find_shot(session(), person_id(), shot_id)
    return row, shots.current_shot(session(), row)


def _page(template: str, shot_id: int, **more: Any) -> Any:
    row, shot = open_shot(shot_id)
    undone, redone = shots.undo_labels(session(), row)
    return render_template(
        template, row=row, shot=shot, project=row.project, undone=undone, redone=redone, **more
    )


@blueprint.get("/<int:shot_id>")
@login_required
def shot(shot_id: int) -> Any:
    """Open a shot where its camera moves."""
    return redirect(url_for("shots.direct", shot_id=shot_id))


@blueprint.get("/<int:shot_id>/arrange")
@login_required
def arrange(shot_id: int) -> Any:
    """The Arrange bench."""
    return _page("arrange/arrange.html", shot_id, bench="arrange")


@blueprint.get("/<int:shot_id>/direct")
@login_required
def direct(shot_id: int) -> Any:
    """The Direct bench."""
    return _page("direct/direct.html", shot_id, bench="direct")


@blueprint.get("/<int:shot_id>/dress")
@login_required
def dress(shot_id: int) -> Any:
    """The Dress bench."""
    return _page("dress/dress.html", shot_id, bench="dress")


def shot_asked_for(shot: Shot) -> Shot:
    """Return the shot as it is to be seen: cut, all through the directed camera, or on a take."""
    return as_seen(shot, request.args.get("as"), request.args.get("take"))


def picture_asked_for(row: ShotRow, field: str = "picture") -> tuple[Picture, dict[str, Any]]:
    """Return the picture whose number a form's ``field`` ends with, and what a shot keeps of it."""
    number = request.form.get(field, "").rpartition(":")[2]
    asked = int(number) if number.isdecimal() else 0
    picture = projects.find_picture(session(), person_id(), asked)
    if picture.project_id != row.project_id:
        raise Refused(f"{picture.name} belongs to another project.")
    return picture, reference_to(picture).model_dump(mode="json")


# --- the live scene ---------------------------------------------------------------------------


@blueprint.get("/<int:shot_id>/scene.json")
@login_required
def scene(shot_id: int) -> Any:
    """Send what the live view draws, for every frame, or for one that is wanted soon."""
    row, shot = open_shot(shot_id)
    if "before" in request.args:
        if row.position < 2:
            raise Refused("Nothing was changed yet: there is no version before this one.")
        before = shots.shot_at(session(), row, row.position - 1)
        return _scene(row, before, range(before.frame.duration), at=row.position - 1)
    only = request.args.get("only", type=int)
    if only is not None:
        only = min(max(only, 0), shot.frame.duration - 1)
        return _scene(row, shot, [only]) | {"values": _values(shot, only)}
    return _scene(row, shot, range(shot.frame.duration))


@blueprint.post("/<int:shot_id>/preview/<verb>")
@login_required
def preview(shot_id: int, verb: str) -> Any:
    """Send what an edit would look like at one frame; nothing is kept."""
    row, shot = open_shot(shot_id)
    changed = edits.apply(shot, verb, arguments(), **playhead())
    frame = request.args.get("frame", 0, type=int)
    answer = _scene(row, changed, [frame], kept=shot) | {"values": _values(changed, frame)}
    if verb == "move_camera":
        n = int(request.form["framing"])
        before, after = shot.route.framings[n], changed.route.framings[n]
        answer["said"] = told(before, after, CameraMove(request.form["move"]))
    return answer | _keys_now(shot, changed)


def _keys_now(before: Shot, after: Shot) -> dict[str, Any]:
    """Return where the keys are that an edit was given, for the page to choose them again."""
    keys = request.form.get("keys")
    return {"keys": keys_now(before, after, keys)} if keys else {}


def _scene(
    row: ShotRow, shot: Shot, frames: Any, *, kept: Shot | None = None, at: int | None = None
) -> dict[str, Any]:
    """Describe a shot, or revision ``at`` of it; a preview with the looks of the shot ``kept``.

    A title would be drawn anew for a closer framing, but only what is kept can be asked for.
    """
    described = describe_scene(shot_asked_for(shot), frames)
    return described | {
        "cuts": [{"frame": cut.frame, "camera": cut.camera} for cut in shot.cuts],
        "version": row.version,
        "textures": {
            texture: texture_address(row, kept or shot, texture, at)
            for texture in sorted(textures_in(described))
        },
        "passing": passing_told(row, kept or shot, described["passing"], at),
        "reliefs": reliefs_told(row, kept or shot, at),
        "cloths": cloths_told(row, kept or shot, at),
    }


def reliefs_told(row: ShotRow, shot: Shot, at: int | None = None) -> dict[str, str]:
    """Return where the triangles of a shot's reliefs are, by their layers' ids."""
    found = {}
    for layer in shot.layers:
        drawing = look_called(shot, maps_name(layer.id)) if layer.relief else None
        if drawing is not None:
            at = row.position if at is None else at
            found[layer.id] = url_for(
                "shots.relief", shot_id=row.id, name=drawing.name, of=layer.id, at=at
            )
    return found


def cloths_told(row: ShotRow, shot: Shot, at: int | None = None) -> dict[str, str]:
    """Return where the motions of a shot's cloths are, by their layers' ids."""
    at = row.position if at is None else at
    named = {layer.id: motion_name(shot, layer) for layer in shot.layers if layer.cloth}
    return {
        key: url_for("cloths.motion", shot_id=row.id, name=name, of=key, at=at)
        for key, name in named.items()
        if name
    }


def passing_told(
    row: ShotRow, shot: Shot, passing: dict[str, Any], at: int | None = None
) -> dict[str, Any]:
    """Return titles on their way, as they were described, each with where its pieces are told."""
    return {
        name: told | {"address": _pieces_address(row, shot, told["sheet"], at)}
        for name, told in passing.items()
    }


def _pieces_address(row: ShotRow, shot: Shot, sheet: str, at: int | None) -> str:
    """Return where the pieces of a title are told; empty if the shot has no such title."""
    drawing = look_called(shot, sheet)
    if drawing is None:
        return ""
    at = row.position if at is None else at
    return url_for("shots.pieces", shot_id=row.id, name=drawing.name, of=sheet, at=at)


def texture_address(row: ShotRow, shot: Shot, texture: str, at: int | None = None) -> str:
    """Return where a look is: a picture as it was when the shot took it, or a drawing.

    ``at``: the revision that draws it; left out, the one there is now.

    Empty if the shot has no such look (a preview may: a shadow that is softer than any kept).
    """
    drawing = look_called(shot, texture)
    if drawing is not None:
        # By the time it is asked for, the shot may have gone on: it is drawn as it was then.
        at = row.position if at is None else at
        return url_for("shots.drawn", shot_id=row.id, name=drawing.name, of=texture, at=at)
    if texture not in shot.pictures:
        return ""
    content = Path(shot.pictures[texture].file).stem[:16]
    return url_for("shots.texture", shot_id=row.id, key=texture, v=content)


@blueprint.get("/<int:shot_id>/drawn/<name>.webp")
@login_required
def drawn(shot_id: int, name: str) -> Any:
    """Send a look that is drawn; named by what it is drawn from, its content never changes."""
    _, shot, _ = shot_drawn_from(shot_id)
    args = request.args
    library = services().library
    copy = args.get("copy", type=int)
    of = args.get("of", "")
    return send_kept(library.drawn(shot, of, name, thumbnail="thumb" in args, copy=copy))


def shot_drawn_from(shot_id: int) -> tuple[ShotRow, Shot, int]:
    """Return a shot as it was when what is asked for was named, and which revision that is."""
    row, shot = open_shot(shot_id)
    at = request.args.get("at", row.position, type=int)
    if at != row.position:
        shot = shots.shot_at(session(), row, at)
    return row, shot, at


@blueprint.get("/<int:shot_id>/pieces/<name>.json")
@login_required
def pieces(shot_id: int, name: str) -> Any:
    """Send where the pieces of a title lie on their sheet, and the sheet's own address."""
    row, shot, at = shot_drawn_from(shot_id)
    of = request.args.get("of", "")
    sheet = services().library.pieces(shot, of, name)
    wide = sheet.levels[0].shape[1]
    return {
        "image": url_for("shots.drawn", shot_id=row.id, name=name, of=of, at=at),
        "width": wide,
        "boxes": sheet.boxes.tolist(),
        "places": sheet.places.tolist(),
        "size": sheet.size,
        "em": sheet.em,
    }


@blueprint.get("/<int:shot_id>/relief/<name>.bin")
@login_required
def relief(shot_id: int, name: str) -> Any:
    """Send the triangles of a relief; named by what it is made of, its content never changes."""
    _, shot, _ = shot_drawn_from(shot_id)
    told = services().library.relief(shot, maps_name(request.args.get("of", "")), name)
    answer = Response(pack_relief(told), mimetype="application/octet-stream")
    answer.cache_control.private = True
    answer.cache_control.max_age = 86400
    return answer


@blueprint.get("/<int:shot_id>/motes/<int:frame>.bin")
@login_required
def motes(shot_id: int, frame: int) -> Any:
    """Send the particles of one frame, as the page draws them."""
    _, shot = open_shot(shot_id)
    shot = shot_asked_for(shot)
    told = motes_live(shot, min(frame, shot.frame.duration - 1))
    return Response(told, mimetype="application/octet-stream")


@blueprint.get("/<int:shot_id>/pictures/<key>.webp")
@login_required
def texture(shot_id: int, key: str) -> Any:
    """Send a picture of the shot as the browser draws it; content never changes."""
    _, shot = open_shot(shot_id)
    if key not in shot.pictures:
        raise NotFound("The shot has no such picture.")
    library, file = services().library, shot.pictures[key].file
    copy = request.args.get("copy", type=int)
    if copy is not None:
        return send_kept(library.blurred(file, copy))
    return send_kept(library.preview(file, thumbnail="thumb" in request.args))


def _values(shot: Shot, frame: int) -> dict[str, Any]:
    """Return the numbers that fields show while something is dragged, at ``frame``.

    By the fields' names: the edit that a field makes, and the value it sets.
    """
    shot = shot_at_frame(shot, frame)
    return {
        "layers": {layer.id: _layer_values(layer) for layer in shot.layers},
        "framings": [_framing_values(framing) for framing in shot.route.framings],
        "lamps": {f"lamp:{lamp.id}": _lamp_values(lamp) for lamp in shot.lamps},
        "dressing": {row_name(each): _dress_values(each) for each in shot.dressing},
    }


def _lamp_values(lamp: Lamp) -> dict[str, float]:
    x, y, z = lamp.position
    values = {"across": x, "up": y, "forward": -z}
    return {f"set_lamp.{name}": value for name, value in values.items()}


def _dress_values(thing: Dressing) -> dict[str, float]:
    if not isinstance(thing, OnStage):
        return {}
    x, y, z = thing.position
    return {f"set_dressing.{name}": value for name, value in (("x", x), ("y", y), ("z", -z))}


def _layer_values(layer: Layer) -> dict[str, float]:
    values = {
        "move_in_depth.distance": layer.distance,
        "move_layer.across": layer.across,
        "move_layer.up": layer.up,
        "size_layer.percent": layer.scale * 100,
        "set_pivot.across": layer.pivot[0] * 100,
        "set_pivot.up": layer.pivot[1] * 100,
        "set_opacity.percent": layer.opacity * 100,
    }
    values |= {f"turn_layer.{name}": getattr(layer, name) for name in ("pan", "tilt", "roll")}
    if layer.size[0] is not None:
        values["size_card.width"] = layer.size[0] * layer.scale
    return values


def _framing_values(framing: Framing) -> dict[str, float]:
    across, up, back = framing.position
    values = {"across": across, "up": up, "forward": -back}
    values |= {name: getattr(framing, name) for name in ("pan", "tilt", "roll")}
    return {f"set_framing.{name}": value for name, value in values.items()} | {
        "set_lens.lens": framing.lens
    }


@blueprint.get("/<int:shot_id>/pick")
@login_required
def pick(shot_id: int) -> Any:
    """Say which layer is seen at a point of the frame."""
    _, shot = open_shot(shot_id)
    library = services().library

    def alpha(card: Card, u: float, v: float) -> float:
        return library.alpha(shot, card.texture, u, v)

    args = request.args
    state = evaluate(shot_asked_for(shot), [args.get("frame", 0, type=int)])[0]
    x, y = args.get("x", 0.0, type=float), args.get("y", 0.0, type=float)
    return {"layer": pick_layer(state, x, y, alpha, locked="locked" in args)}


@blueprint.get("/<int:shot_id>/frame.<any(jpg, png):kind>")
@login_required
def frame(shot_id: int, kind: str) -> Any:
    """Send one rendered frame, ``width`` pixels wide; kept by the shot's version."""
    row, shot = open_shot(shot_id)
    number = request.args.get("n", 0, type=int)
    width = min(max(request.args.get("width", 320, type=int), 32), 1920)
    if not 0 <= number < shot.frame.duration:
        raise Refused(f"The shot has frames 0 to {shot.frame.duration - 1}.")
    small = scaled(shot_asked_for(shot), width / shot.frame.width)
    renderer = Renderer(small, services().library.looks_of(small))
    pixels = renderer.rgb(number)
    if kind == "png":
        response = Response(encode_png(pixels), mimetype="image/png")
    else:
        response = Response(encode_jpeg(pixels), mimetype="image/jpeg")
    response.set_etag(f"{row.id}-{row.version}-{number}-{width}-{request.args.get('as')}")
    response.cache_control.private = True
    response.cache_control.max_age = 3600 if request.args.get("v") else 0
    return response.make_conditional(request)


@blueprint.get("/<int:shot_id>/proof")
@login_required
def proof(shot_id: int) -> Any:
    """Send ``count`` rendered frames from ``n`` on, each as soon as it is there.

    See :func:`proof_frames`; a browser keeps what names the shot's version.
    """
    _, shot = open_shot(shot_id)
    args = request.args
    first, count = args.get("n", 0, type=int), min(max(args.get("count", 8, type=int), 1), 48)
    if not 0 <= first < shot.frame.duration:
        raise Refused(f"The shot has frames 0 to {shot.frame.duration - 1}.")
    frames = range(first, min(first + count, shot.frame.duration))
    width = min(max(args.get("width", 480, type=int), 32), 1920)
    seen = shot_asked_for(shot)
    made = proof_frames(seen, services().library.looks_of(seen), frames, width)
    response = Response(made, mimetype="application/octet-stream")
    response.cache_control.private = True
    response.cache_control.max_age = 3600 if args.get("v") else 0
    return response


def findings_of(row: ShotRow, shot: Shot) -> list[str]:
    """Return what to look at in a shot; looked for once a version, as every panel shows it."""
    return services().kept.findings.get((row.id, row.version), lambda: findings(shot))


# --- edits ------------------------------------------------------------------------------------


def changed_shot(row: ShotRow, before: Shot | None = None) -> Any:
    """Answer an edit of a shot; with the shot ``before`` it, say what it added."""
    made = made_by(before, shots.current_shot(session(), row)) if before else {}
    more = {"made": made} if made else {}
    return changed("shotchange", row, url_for("shots.direct", shot_id=row.id), **more)


def edited(row: ShotRow, verb: str, values: Mapping[str, Any]) -> Any:
    """Make an edit with values that are no form's, against the version the form is for."""
    before = shots.current_shot(session(), row)
    shots.change_shot(session(), row, verb, values, change_asked_for())
    return changed_shot(row, before)


@blueprint.post("/<int:shot_id>/edits/<verb>")
@login_required
def make_edit(shot_id: int, verb: str) -> Any:
    """Make an edit and keep it; who names a frame is told at once what it looks like there."""
    row, before = open_shot(shot_id)
    shot = shots.change_shot(session(), row, verb, arguments(), change_asked_for(), **playhead())
    answer = changed_shot(row, before)
    if "frame" not in request.args or not isinstance(answer, tuple):
        return answer
    frame = min(request.args.get("frame", 0, type=int), shot.frame.duration - 1)
    body, *rest = answer
    seen = _scene(row, shot, [frame]) | {"values": _values(shot, frame)}
    return body | {"scene": seen} | _keys_now(before, shot), *rest


@blueprint.post("/<int:shot_id>/undo")
@login_required
def undo(shot_id: int) -> Any:
    """Take the last edit back."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shots.undo(session(), row, **asked())
    return changed_shot(row)


@blueprint.post("/<int:shot_id>/redo")
@login_required
def redo(shot_id: int) -> Any:
    """Make an edit again that was taken back."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shots.redo(session(), row, **asked())
    return changed_shot(row)


# --- panels -----------------------------------------------------------------------------------


@blueprint.get("/<int:shot_id>/panels/head")
@login_required
def head_panel(shot_id: int) -> Any:
    """Name, format, undo and redo."""
    return _page("page/_head.html", shot_id)


@blueprint.get("/<int:shot_id>/panels/format")
@login_required
def format_panel(shot_id: int) -> Any:
    """Frame size, rate and duration."""
    row, shot = open_shot(shot_id)
    return render_template("page/_format.html", row=row, shot=shot, rates=RATE_PRESETS, sizes=SIZES)
