"""Arrange and Direct: the two benches over one shot, its live scene and its edits."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask_login import login_required

from vistaline.actions import projects, shots
from vistaline.actions.errors import NotFound, Refused
from vistaline.actions.pictures import pictures_of
from vistaline.core import edit
from vistaline.core.arranging import ground_facts, parallax_step, screen_shift
from vistaline.core.blending import Blend
from vistaline.core.drawn import drawing_of
from vistaline.core.easing import NAMED_EASES
from vistaline.core.evaluate import camera_states, card_of, evaluate
from vistaline.core.formats.still import encode_jpeg, encode_png
from vistaline.core.lettering import FACES
from vistaline.core.optics import LENS_PRESETS, angle_of_view, gate_size
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.scene import describe_scene, pick_layer
from vistaline.core.shot import Layer, Shot
from vistaline.core.timing import RATE_PRESETS
from vistaline.core.watch import findings
from vistaline.store.models import Picture, ShotRow
from vistaline.web.context import person_id, services, session
from vistaline.web.editing import arguments, changed, send_kept, version

__all__ = ["blueprint"]

blueprint = Blueprint("shots", __name__, url_prefix="/shots")


def _open(shot_id: int) -> tuple[ShotRow, Shot]:
    row = projects.find_shot(session(), person_id(), shot_id)
    return row, shots.current_shot(session(), row)


def _page(template: str, shot_id: int, **more: Any) -> Any:
    row, shot = _open(shot_id)
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
    return _page("arrange.html", shot_id, bench="arrange")


@blueprint.get("/<int:shot_id>/direct")
@login_required
def direct(shot_id: int) -> Any:
    """The Direct bench."""
    return _page("direct.html", shot_id, bench="direct")


# --- the live scene ---------------------------------------------------------------------------


@blueprint.get("/<int:shot_id>/scene.json")
@login_required
def scene(shot_id: int) -> Any:
    """Send what the live view draws, for every frame."""
    row, shot = _open(shot_id)
    return _scene(row, shot, range(shot.frame.duration))


@blueprint.post("/<int:shot_id>/preview/<verb>")
@login_required
def preview(shot_id: int, verb: str) -> Any:
    """Send what an edit would look like at one frame; nothing is kept."""
    row, shot = _open(shot_id)
    changed = edit.apply(shot, verb, arguments())
    frame = request.args.get("frame", 0, type=int)
    return _scene(row, changed, [frame], kept=shot) | {"values": _values(changed)}


def _scene(row: ShotRow, shot: Shot, frames: Any, *, kept: Shot | None = None) -> dict[str, Any]:
    """Describe a shot; a preview is shown with the looks of the shot that is kept.

    A title would be drawn anew for a closer framing, but only what is kept can be asked for.
    """
    looks = {layer.id: layer for layer in kept.layers} if kept else {}
    return describe_scene(shot, frames) | {
        "version": row.version,
        "textures": {
            layer.texture: _texture_address(row, kept or shot, looks.get(layer.id, layer))
            for layer in shot.layers
        },
    }


def _texture_address(row: ShotRow, shot: Shot, layer: Layer) -> str:
    """Return where a layer's look is: a picture as it was when the shot took it, or a drawing."""
    drawing = drawing_of(shot, layer)
    if drawing is not None:
        return url_for("shots.drawn", shot_id=row.id, name=drawing.name)
    content = Path(shot.pictures[layer.picture].file).stem[:16]
    return url_for("shots.texture", shot_id=row.id, key=layer.picture, v=content)


@blueprint.get("/<int:shot_id>/drawn/<name>.webp")
@login_required
def drawn(shot_id: int, name: str) -> Any:
    """Send a layer's drawn look; named by what it is drawn from, its content never changes."""
    _, shot = _open(shot_id)
    found = next(
        (d for d in (drawing_of(shot, x) for x in shot.layers) if d and d.name == name), None
    )
    if found is None:
        raise NotFound("The shot has no such drawing any more.")
    return send_kept(services().library.drawn(found, thumbnail="thumb" in request.args))


@blueprint.get("/<int:shot_id>/pictures/<key>.webp")
@login_required
def texture(shot_id: int, key: str) -> Any:
    """Send a picture of the shot as the browser draws it; content never changes."""
    _, shot = _open(shot_id)
    if key not in shot.pictures:
        raise NotFound("The shot has no such picture.")
    library = services().library
    return send_kept(library.preview(shot.pictures[key].file, thumbnail="thumb" in request.args))


def _values(shot: Shot) -> dict[str, Any]:
    """Return the numbers a drag shows while it happens."""
    layers = {
        layer.id: {
            "distance": layer.distance,
            "across": layer.across,
            "up": layer.up,
            "percent": layer.scale * 100,
        }
        for layer in shot.layers
    }
    framings = [
        {
            "frame": framing.frame,
            "across": framing.position[0],
            "up": framing.position[1],
            "forward": -framing.position[2],
            "pan": framing.pan,
            "tilt": framing.tilt,
            "roll": framing.roll,
            "lens": framing.lens,
        }
        for framing in shot.route.framings
    ]
    return {"layers": layers, "framings": framings}


@blueprint.get("/<int:shot_id>/pick")
@login_required
def pick(shot_id: int) -> Any:
    """Say which layer is seen at a point of the frame."""
    _, shot = _open(shot_id)
    library = services().library

    def alpha(layer: Layer, u: float, v: float) -> float:
        return library.alpha(shot, layer, u, v)

    args = request.args
    state = evaluate(shot, [args.get("frame", 0, type=int)])[0]
    x, y = args.get("x", 0.0, type=float), args.get("y", 0.0, type=float)
    return {"layer": pick_layer(state, x, y, alpha)}


@blueprint.get("/<int:shot_id>/frame.<any(jpg, png):kind>")
@login_required
def frame(shot_id: int, kind: str) -> Any:
    """Send one rendered frame, ``width`` pixels wide; kept by the shot's version."""
    row, shot = _open(shot_id)
    number = request.args.get("n", 0, type=int)
    width = min(max(request.args.get("width", 320, type=int), 32), 1920)
    if not 0 <= number < shot.frame.duration:
        raise Refused(f"The shot has frames 0 to {shot.frame.duration - 1}.")
    small = scaled(shot, width / shot.frame.width)
    renderer = Renderer(small, services().library.pyramids_of(small))
    pixels = renderer.rgb(number)
    if kind == "png":
        response = Response(encode_png(pixels), mimetype="image/png")
    else:
        response = Response(encode_jpeg(pixels), mimetype="image/jpeg")
    response.set_etag(f"{row.id}-{row.version}-{number}-{width}")
    response.cache_control.private = True
    response.cache_control.max_age = 3600 if request.args.get("v") else 0
    return response.make_conditional(request)


_found: dict[int, tuple[int, list[str]]] = {}


def _findings(row: ShotRow, shot: Shot) -> list[str]:
    """Return what to look at in a shot; looked for once a version, as every panel shows it."""
    kept = _found.get(row.id)
    if kept is None or kept[0] != row.version:
        kept = _found[row.id] = (row.version, findings(shot))
    return kept[1]


# --- edits ------------------------------------------------------------------------------------


def _changed(row: ShotRow) -> Any:
    return changed("shotchange", row.version, url_for("shots.direct", shot_id=row.id))


@blueprint.post("/<int:shot_id>/edits/<verb>")
@login_required
def make_edit(shot_id: int, verb: str) -> Any:
    """Make an edit and keep it."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shots.change_shot(session(), row, verb, arguments(), version=version(), person_id=person_id())
    return _changed(row)


def _reference(row: ShotRow) -> tuple[Picture, dict[str, Any]]:
    """Return the picture that a form names, and what a shot keeps of it."""
    picture = projects.find_picture(
        session(), person_id(), request.form.get("picture", 0, type=int)
    )
    if picture.project_id != row.project_id:
        raise Refused(f"{picture.name} belongs to another project.")
    return picture, {"file": picture.file, "width": picture.width, "height": picture.height}


@blueprint.post("/<int:shot_id>/swap")
@login_required
def swap(shot_id: int) -> Any:
    """Show another picture of the project in a layer's place."""
    row = projects.find_shot(session(), person_id(), shot_id)
    picture, reference = _reference(row)
    values = {
        "layer": request.form.get("layer", ""),
        "key": f"p{picture.id}",
        "picture": reference,
    }
    shots.change_shot(
        session(), row, "swap_picture", values, version=version(), person_id=person_id()
    )
    return _changed(row)


@blueprint.post("/<int:shot_id>/cards")
@login_required
def add_card(shot_id: int) -> Any:
    """Add a picture of the project as a card, a metre wide."""
    row = projects.find_shot(session(), person_id(), shot_id)
    picture, reference = _reference(row)
    key = f"p{picture.id}"
    layer = {"name": Path(picture.name).stem[:80] or "Card", "picture": key, "width": 1.0}
    values = {"pictures": {key: reference}, "layers": [layer]}
    shots.change_shot(
        session(), row, "add_layers", values, version=version(), person_id=person_id()
    )
    return _changed(row)


@blueprint.post("/<int:shot_id>/undo")
@login_required
def undo(shot_id: int) -> Any:
    """Take the last edit back."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shots.undo(session(), row, version=version())
    return _changed(row)


@blueprint.post("/<int:shot_id>/redo")
@login_required
def redo(shot_id: int) -> Any:
    """Make an edit again that was taken back."""
    row = projects.find_shot(session(), person_id(), shot_id)
    shots.redo(session(), row, version=version())
    return _changed(row)


# --- panels -----------------------------------------------------------------------------------


@blueprint.get("/<int:shot_id>/panels/head")
@login_required
def head_panel(shot_id: int) -> Any:
    """Name, format, undo and redo."""
    return _page("_head.html", shot_id)


@blueprint.get("/<int:shot_id>/panels/depth")
@login_required
def depth_panel(shot_id: int) -> Any:
    """The depth scale: layers far to near as pictures of themselves."""
    row, shot = _open(shot_id)
    ordered = sorted(
        enumerate(shot.layers),
        key=lambda pair: (pair[1].is_backdrop, pair[1].distance, -pair[0]),
    )
    return render_template(
        "_depth.html",
        row=row,
        shot=shot,
        layers=[layer for _, layer in ordered],
        address=lambda layer: _texture_address(row, shot, layer),
        selected=request.args.get("layer", ""),
    )


@blueprint.get("/<int:shot_id>/panels/layer")
@login_required
def layer_panel(shot_id: int) -> Any:
    """The chosen layer's values."""
    row, shot = _open(shot_id)
    wanted = request.args.get("layer", "")
    layer = next((each for each in shot.layers if each.id == wanted), None)
    neighbours = [
        each
        for each in shot.layers
        if layer and each.id != layer.id and abs(each.distance - layer.distance) < 1e-9
    ]
    camera = camera_states(shot, [request.args.get("frame", 0, type=int)])[0]
    standing = (each for each in shot.layers if not each.is_backdrop)
    nearest_first = sorted(standing, key=lambda each: each.distance)
    step = 0.0
    if len(nearest_first) > 1 and nearest_first[0].distance < nearest_first[-1].distance:
        ends = nearest_first[0].distance, nearest_first[-1].distance
        step = parallax_step(shot, len(nearest_first), *ends, 0.1)
    card = card_of(shot, layer) if layer else None
    return render_template(
        "_layer.html",
        row=row,
        shot=shot,
        layer=layer,
        size=(card.width, card.height) if card else None,
        shift=screen_shift(shot, layer) if layer else 0.0,
        facts=ground_facts(shot, layer) if layer else None,
        pictures=pictures_of(session(), row.project_id),
        nearest_first=nearest_first,
        step=step,
        neighbours=neighbours,
        camera=camera,
        blends=list(Blend),
        faces=[(key, face.words) for key, face in FACES.items()],
        lenses=LENS_PRESETS,
        findings=_findings(row, shot),
    )


@blueprint.get("/<int:shot_id>/panels/framing")
@login_required
def framing_panel(shot_id: int) -> Any:
    """The chosen framing's values and the ease of the travel that arrives there."""
    row, shot = _open(shot_id)
    index = request.args.get("framing", 0, type=int)
    index = min(max(index, 0), len(shot.route.framings) - 1)
    framing = shot.route.framings[index]
    return render_template(
        "_framing.html",
        row=row,
        shot=shot,
        index=index,
        framing=framing,
        curve=framing.curve,
        angle=angle_of_view(framing.lens, gate_size(*shot.frame.size)[0]),
        lenses=LENS_PRESETS,
        eases=list(NAMED_EASES),
        findings=_findings(row, shot),
    )


@blueprint.get("/<int:shot_id>/panels/format")
@login_required
def format_panel(shot_id: int) -> Any:
    """Frame size, rate and duration."""
    row, shot = _open(shot_id)
    return render_template("_format.html", row=row, shot=shot, rates=RATE_PRESETS)
