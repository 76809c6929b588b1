"""What Direct adds to a shot's page: its panels, and moves shown before they are kept."""

from __future__ import annotations

from contextlib import closing
from typing import Any, BinaryIO, cast

import numpy as np
from flask import Blueprint, render_template, request
from flask_login import login_required

from vistaline.actions.errors import NotFound
from vistaline.core import edits
from vistaline.core.easing import EASE_NAMES
from vistaline.core.edits.brought import cameras_along
from vistaline.core.edits.shelf import MOVES
from vistaline.core.foresight.overscan import Overscan, overscan
from vistaline.core.formats.gltf_in import read_cameras
from vistaline.core.geometry.optics import LENS_PRESETS, angle_of_view, gate_size
from vistaline.core.scene.camera import how_focused
from vistaline.core.scene.describe import describe_scene
from vistaline.core.shot.mounts import FOLLOWS
from vistaline.core.shot.retiming import times_of
from vistaline.core.shot.shot import Shot
from vistaline.core.speed import eased_with_peak, peak_of, speed_of
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.core.stage.shake import STARTING_SHAKES
from vistaline.store.models import ShotRow
from vistaline.web.context import sent_file, services
from vistaline.web.editing import arguments, playhead
from vistaline.web.keys import ease_facts, keys_facts, pins_of, playhead_asked
from vistaline.web.shots import edited, findings_of, open_shot, passing_told

__all__ = ["blueprint"]

blueprint = Blueprint("direct", __name__, url_prefix="/shots")

TABS = (
    ("framing", "Framing"),
    ("keys", "Keys"),
    ("camera", "Camera"),
    ("moves", "Moves"),
    ("markers", "Markers"),
)
_PREVIEWED = 36
"""Frames of a move that is shown before it is chosen."""


@blueprint.get("/<int:shot_id>/panels/direct")
@login_required
def panel(shot_id: int) -> Any:
    """The panel that is open: the chosen framing, the camera as a whole, or the shelf of moves."""
    row, shot = open_shot(shot_id)
    tab = request.args.get("tab", "framing")
    index = request.args.get("framing", 0, type=int)
    index = min(max(index, 0), len(shot.route.framings) - 1)
    values = {
        "row": row,
        "shot": shot,
        "tabs": TABS,
        "index": index,
        "framing": shot.route.framings[index],
        "unit": request.cookies.get("vistaline-unit", "frames"),
        "standing": [(each.id, each.name) for each in shot.layers if not each.is_backdrop],
        "findings": findings_of(row, shot),
    }
    if tab == "camera":
        return render_template("direct/_camera.html", tab=tab, **values, **_camera(row, shot))
    if tab == "keys":
        facts = keys_facts(shot, playhead_asked(shot))
        return render_template("direct/_keys.html", tab=tab, eases=EASE_NAMES, **facts, **values)
    if tab == "markers":
        return render_template("direct/_markers.html", tab=tab, **values)
    if tab == "moves":
        return render_template("direct/_moves.html", tab=tab, moves=MOVES, **values)
    return render_template("direct/_framing.html", tab="framing", **values, **_framing(shot, index))


def _framing(shot: Shot, index: int) -> dict[str, Any]:
    framing = shot.route.framings[index]
    return ease_facts(framing.curve) | {
        "angle": angle_of_view(framing.lens, gate_size(*shot.frame.size)[0]),
        "lenses": LENS_PRESETS,
        "eases": EASE_NAMES,
    }


def _camera(row: ShotRow, shot: Shot) -> dict[str, Any]:
    named = {each.id: each.name for each in shot.cameras}
    frame = playhead_asked(shot)
    return {
        **how_focused(shot, frame),
        "now": shot_at_frame(shot, frame),
        "pin": pins_of(shot, f"camera:{shot.directed}", frame),
        "cameras": sorted(named.items()),
        "named": named,
        "times": times_of(shot.route, shot.frame.duration),
        "shakes": STARTING_SHAKES,
        "offer": _overscan(row, shot) if shot.route.shake else None,
        "follows": FOLLOWS,
    }


def _overscan(row: ShotRow, shot: Shot) -> Overscan | None:
    """Return what covers the edges; computed once a version, as it looks at every frame."""

    def make() -> Overscan | None:
        looks = services().library.looks_of(shot)
        solid = [
            layer.id
            for layer in shot.layers
            if layer.field or (layer.picture and looks[layer.picture].opaque)
        ]
        return overscan(shot.evolve(cuts=()), solid)

    return services().kept.overscans.get((row.id, row.version), make)


@blueprint.get("/<int:shot_id>/framing.json")
@login_required
def framing(shot_id: int) -> Any:
    """Send one framing, to be pasted elsewhere."""
    _, shot = open_shot(shot_id)
    index = request.args.get("framing", 0, type=int)
    if not 0 <= index < len(shot.route.framings):
        raise NotFound("The route has no such framing.")
    return shot.route.framings[index].model_dump(mode="json")


@blueprint.get("/<int:shot_id>/peak.json")
@login_required
def peak(shot_id: int) -> Any:
    """Say which curve is fastest at a time and a height, while its peak is dragged."""
    open_shot(shot_id)
    args = request.args
    ease = eased_with_peak(args.get("time", 0.5, type=float), args.get("height", 2.0, type=float))
    return {
        "handles": [ease.x1, ease.y1, ease.x2, ease.y2],
        "progress": np.round(ease(np.linspace(0, 1, 65)), 4).tolist(),
        "speed": np.round(speed_of(ease, 64), 4).tolist(),
        "peak": peak_of(ease),
    }


@blueprint.post("/<int:shot_id>/clip/<verb>")
@login_required
def clip(shot_id: int, verb: str) -> Any:
    """Send some frames of what an edit would make of the whole shot; nothing is kept."""
    row, shot = open_shot(shot_id)
    changed = edits.apply(shot, verb, arguments(), **playhead())
    last = changed.frame.duration - 1
    frames = sorted({round(n * last / (_PREVIEWED - 1)) for n in range(_PREVIEWED)})
    described = describe_scene(changed.evolve(cuts=()), frames)
    return {
        "at": frames,
        "frames": described["frames"],
        "tables": described["tables"],
        "passing": passing_told(row, shot, described["passing"]),
        "tracks": described["tracks"],
        "seconds": float(changed.frame.seconds),
    }


@blueprint.post("/<int:shot_id>/cameras")
@login_required
def bring_cameras(shot_id: int) -> Any:
    """Bring the cameras of somebody else's scene, as an edit."""
    row, shot = open_shot(shot_id)
    with (
        closing(sent_file("camera")) as file,
        services().library.files.receive(cast(BinaryIO, file.stream)) as incoming,
    ):
        name = file.filename or "The file"
        tracks = read_cameras(incoming.path, name, float(shot.frame.rate), shot.duration)
    cameras = cameras_along((track.named_path for track in tracks), shot.frame.size)
    return edited(row, "bring_cameras", {"cameras": cameras})
