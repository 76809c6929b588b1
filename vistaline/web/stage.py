"""What Arrange adds to a shot's page: its panels, and edits that need more than the shot."""

from __future__ import annotations

import json
from contextlib import closing
from math import hypot
from pathlib import Path
from typing import Any, BinaryIO, cast

from flask import Blueprint, render_template, request
from flask_login import login_required

from vistaline.actions import listing, projects, shots
from vistaline.actions.errors import Refused
from vistaline.actions.pictures import pictures_of
from vistaline.actions.typefaces import bring_type, faces_of
from vistaline.core.edits.arranging import parallax_step, screen_shift
from vistaline.core.edits.mounts import riders_of
from vistaline.core.errors import CoreError
from vistaline.core.geometry.edges import Direction
from vistaline.core.geometry.optics import GATE_LONG_SIDE, LENS_PRESETS
from vistaline.core.looks.blending import Blend
from vistaline.core.looks.lines import LineShape
from vistaline.core.render.shapes import shape_of
from vistaline.core.render.straight import open_share
from vistaline.core.shot.callouts import callout_of
from vistaline.core.shot.layer import shown_as
from vistaline.core.shot.mounts import FOLLOWS
from vistaline.core.shot.shot import Layer, PictureRef, Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.ground import ground_facts, height_over_ground
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.core.stage.placing import caught_box, size_check
from vistaline.core.stage.poses import texture_of
from vistaline.core.stage.runs import runs_of
from vistaline.core.stage.seen import bow_in, seen_from
from vistaline.core.stage.shake import STARTING_SHAKES
from vistaline.core.stage.textures import is_passing
from vistaline.core.stage.tracks import track_of
from vistaline.core.stage.waving import in_the_way
from vistaline.web.context import person_id, say, services, session
from vistaline.web.editing import arguments, asked, change_asked_for, playhead
from vistaline.web.effect_fields import EFFECT_CHOICES
from vistaline.web.keys import pins_of, playhead_asked
from vistaline.web.layouts import KINDS_OF_SEVERAL, layout_facts
from vistaline.web.passages import passage_facts
from vistaline.web.shots import (
    changed_shot,
    edited,
    findings_of,
    open_shot,
    picture_asked_for,
    texture_address,
)

__all__ = ["blueprint"]

MOST_TABLE = 4_000_000
"""Bytes of a table that is brought in."""
blueprint = Blueprint("stage", __name__, url_prefix="/shots")


# --- edits ------------------------------------------------------------------------------------


@blueprint.post("/<int:shot_id>/swap")
@login_required
def swap(shot_id: int) -> Any:
    """Show another picture of the project in a layer's place."""
    row = projects.find_shot(session(), person_id(), shot_id)
    picture, reference = picture_asked_for(row)
    values = {
        "layer": request.form.get("layer", ""),
        "key": f"p{picture.id}",
        "picture": reference,
    }
    return edited(row, "swap_picture", values)


@blueprint.post("/<int:shot_id>/cards")
@login_required
def add_card(shot_id: int) -> Any:
    """Add a picture of the project as a card, a metre wide."""
    row = projects.find_shot(session(), person_id(), shot_id)
    picture, reference = picture_asked_for(row)
    key = f"p{picture.id}"
    layer = {
        "name": Path(picture.name).stem[:80] or "Card",
        "shows": shown_as(key, PictureRef.model_validate(reference)).model_dump(mode="json"),
        "stands": {"kind": "card", "width": 1.0},
    }
    values = {"pictures": {key: reference}, "layers": [layer]}
    return edited(row, "add_layers", values)


@blueprint.post("/<int:shot_id>/nested")
@login_required
def add_nested(shot_id: int) -> Any:
    """Put another shot of the project on the stage, as a card."""
    row = projects.find_shot(session(), person_id(), shot_id)
    inner = projects.find_shot(session(), person_id(), request.form.get("shot", 0, type=int))
    before = shots.current_shot(session(), row)
    shots.add_nested(session(), row, inner, change_asked_for(), at=playhead()["at"])
    return changed_shot(row, before)


@blueprint.post("/<int:shot_id>/round-shape")
@login_required
def line_round_shape(shot_id: int) -> Any:
    """Draw a line round what is seen of a layer, whatever its shape."""
    row, kept = open_shot(shot_id)
    now = shot_at_frame(kept, min(playhead()["at"], kept.frame.duration - 1))
    layer = request.form.get("layer", "")
    points = shape_of(now, services().library.looks_of(now), layer)
    return edited(row, "line_round_shape", {"layer": layer, "points": points})


@blueprint.post("/<int:shot_id>/rows")
@login_required
def say_rows(shot_id: int) -> Any:
    """Let a title say the rows of a table, one after the other, or in a shot for each."""
    row = projects.find_shot(session(), person_id(), shot_id)
    file, given = request.files.get("file"), arguments()
    table = given.get("table", "")
    if file is not None and file.filename:
        with closing(file):
            table = file.stream.read(MOST_TABLE + 1).decode("utf-8", "replace")
    layer, column = given.get("layer", ""), request.form.get("column", 1, type=int)
    if "series" in given:
        made = listing.series_of(session(), row, layer, table, column, person_id=person_id())
        session().commit()
        say(f"{len(made)} shots were made; they stand in the project's list.")
        return "", 204
    values = {"layer": layer, "table": table, "column": column, "every": given.get("every", "2 s")}
    before = shots.current_shot(session(), row)
    shots.change_shot(session(), row, "say_rows", values, change_asked_for(), **playhead())
    return changed_shot(row, before)


@blueprint.post("/<int:shot_id>/copy")
@login_required
def copy(shot_id: int) -> Any:
    """Keep layers to be pasted later."""
    row = projects.find_shot(session(), person_id(), shot_id)
    layers = request.form.getlist("layers")
    words = shots.copy_layers(session(), row, layers, person_id=person_id())
    session().commit()
    return {"words": words}


@blueprint.post("/<int:shot_id>/paste")
@login_required
def paste(shot_id: int) -> Any:
    """Put what was copied last on this shot's stage."""
    row = projects.find_shot(session(), person_id(), shot_id)
    before = shots.current_shot(session(), row)
    shots.paste_layers(session(), row, **asked(), person_id=person_id())
    return changed_shot(row, before)


@blueprint.post("/<int:shot_id>/type")
@login_required
def bring(shot_id: int) -> Any:
    """Bring a font in, and set a title in it."""
    row = projects.find_shot(session(), person_id(), shot_id)
    file = request.files.get("font")
    if file is None or not file.filename:
        raise Refused("No file was sent. Choose a font first.")
    with closing(file):
        stream = cast(BinaryIO, file.stream)
        files = services().library.files
        typeface = bring_type(session(), files, row.project_id, file.filename, stream)
    values = {"layer": arguments().get("layer", ""), "face": typeface.face}
    return edited(row, "set_title", values)


# --- panels -----------------------------------------------------------------------------------


@blueprint.get("/<int:shot_id>/panels/depth")
@login_required
def depth_panel(shot_id: int) -> Any:
    """The depth scale: layers near to far as pictures of themselves; folded groups as one."""
    row, kept = open_shot(shot_id)
    playhead = playhead_asked(kept)
    shot = shot_at_frame(kept, playhead)
    folded = set(_listed("folded"))
    ordered = sorted(
        enumerate(shot.layers),
        key=lambda pair: (pair[1].is_backdrop, pair[1].distance, -pair[0]),
    )
    entries: list[tuple[str, list[Layer]]] = []
    for _, layer in ordered:
        group = layer.group if layer.group in folded else ""
        if group and any(name == group for name, _ in entries):
            next(members for name, members in entries if name == group).append(layer)
        else:
            entries.append((group, [layer]))
    return render_template(
        "arrange/_depth.html",
        row=row,
        shot=shot,
        entries=entries,
        groups=_groups(shot),
        folded=folded,
        address=lambda layer: texture_address(row, kept, _look_of(kept, layer.id, playhead)),
        selected={request.args.get("layer", ""), *_listed("several")},
        caught=lambda layer: caught_box(shot, layer),
    )


def _look_of(shot: Shot, layer_id: str, frame: int) -> str:
    """Return the texture a layer has at a frame."""
    layer = shot.layer(layer_id)
    if layer.is_backdrop:
        return texture_of(shot, layer)
    name = track_of(shot, layer, [frame]).textures[0]
    # On its way a title is told by what it is in the end.
    return name.split(" ", 2)[2] if is_passing(name) else name


@blueprint.get("/<int:shot_id>/panels/layer")
@login_required
def layer_panel(shot_id: int) -> Any:
    """What is chosen: a layer's values, a mount's, several layers', or the stage as a whole."""
    row, kept = open_shot(shot_id)
    playhead = playhead_asked(kept)
    shot = shot_at_frame(kept, playhead)
    wanted = request.args.get("layer", "")
    several = [key for key in _listed("several") if any(x.id == key for x in shot.layers)]
    camera = camera_states(shot, [request.args.get("frame", 0, type=int)])[0]
    shared = {
        "row": row,
        "shot": shot,
        "camera": camera,
        "playhead": playhead,
        "lenses": LENS_PRESETS,
        "findings": findings_of(row, kept),
        "pin_style": lambda name: pins_of(shot, f"style:{name}", playhead),
        "pictures": pictures_of(session(), row.project_id),
        "mounts": shot.mounts,
        "follows": FOLLOWS,
        "unit": request.cookies.get("vistaline-unit", "frames"),
        "cameras": {each.id: each.name for each in sorted(shot.cameras, key=lambda c: c.id)},
        "shakes": STARTING_SHAKES,
        "kinds_of_several": KINDS_OF_SEVERAL,
        "other_shots": [x for x in listing.shots_of(session(), row.project_id) if x.id != row.id],
        **_stage_facts(shot),
        **_perspective(shot),
    }
    kind, _, key = wanted.partition(":")
    if kind == "mount" and any(mount.id == key for mount in shot.mounts):
        names = {f"layer:{x.id}": x.name for x in shot.layers}
        names |= {f"mount:{m.id}": m.name for m in shot.mounts} | {"camera": "The camera"}
        riders = [(rider, names[rider]) for rider in riders_of(shot, key)]
        return render_template(
            "arrange/_mount.html",
            mount=shot.mount(key),
            riders=riders,
            pin=pins_of(shot, f"mount:{key}", playhead),
            **shared,
        )
    if kind == "group" or len(several) > 1:
        group = key if kind == "group" else ""
        return render_template(
            "arrange/_chosen.html",
            group=group,
            several=several,
            **_in_common(shot, [shot.layer(each) for each in several]),
            **shared,
        )
    layer = next((each for each in shot.layers if each.id == wanted), None)
    if layer is None:
        return render_template("arrange/_whole.html", several=[], groups=_groups(shot), **shared)
    card = card_of(shot, layer)
    neighbours = [
        each
        for each in shot.layers
        if each.id != layer.id and abs(each.distance - layer.distance) < 1e-9
    ]
    return render_template(
        "arrange/_layer.html",
        **passage_facts(shot, layer),
        **layout_facts(shot, layer, playhead),
        **_callout_facts(shot, layer, playhead),
        line_shapes=_LINES,
        inner_id=_inner_of(shot, layer),
        running=runs_of(shot, layer),
        layer=layer,
        pin=pins_of(shot, f"layer:{layer.id}", playhead),
        size=(card.width, card.height),
        size_check=size_check,
        open_share=open_share(card) if layer.projection and not layer.body else 0.0,
        shift=screen_shift(shot, layer),
        facts=ground_facts(shot, layer),
        drop=height_over_ground(shot, layer),
        neighbours=neighbours,
        blends=_BLENDS,
        stays=_STAYS,
        others=[(each.id, each.name) for each in shot.layers if each.id != layer.id],
        things=[
            ("", "nothing"),
            *(
                (each.id, each.name)
                for each in shot.layers
                if each.id != layer.id and in_the_way(each)
            ),
        ],
        faces=faces_of(session(), row.project_id),
        **shared,
    )


def _callout_facts(shot: Shot, layer: Layer, frame: int) -> dict[str, Any]:
    callout = callout_of(shot, layer.id)
    if callout is None:
        return {"callout": None}
    mark = shot.layer(callout.mark).line if callout.mark else None
    kinds = {LineShape.OUTLINE: "arrow", LineShape.ELLIPSE: "ring"}
    kind = kinds.get(mark.shape, "spot") if mark else "none"
    if mark and kind == "ring" and mark.weight >= mark.width:
        kind = "spot"
    pin = pins_of(shot, f"callout:{callout.id}", frame)
    return {"callout": callout, "mark_kind": kind, "called_pin": pin}


def _inner_of(shot: Shot, layer: Layer) -> int:
    """Return the id of the shot that a layer shows; 0 if it shows none."""
    return int(shot.shots[layer.nested.shot].file.rpartition(":")[2]) if layer.nested else 0


_BLENDS = list(EFFECT_CHOICES[Blend].items())
_LINES = [
    ("rectangle", "rectangle"),
    ("ellipse", "ellipse"),
    ("arrow", "arrow"),
    ("underline", "underline"),
    ("bracket", "bracket"),
]
_STAYS = [
    ("stage", "on the stage"),
    ("lens", "on the lens, before all"),
    ("lens-behind", "on the lens, behind all"),
    ("facing", "facing the camera"),
]


def _in_common(shot: Shot, layers: list[Layer]) -> dict[str, Any]:
    """Return what several layers have alike; None where they differ."""
    values: dict[str, list[Any]] = {
        "distance": [layer.distance for layer in layers],
        "width": [card_of(shot, layer).width for layer in layers if layer.is_card],
        "opacity": [layer.opacity * 100 for layer in layers],
        "blend": [layer.blend.value for layer in layers],
        "stays": [layer.stays for layer in layers],
    }

    def common(name: str) -> Any:
        first = values[name][0] if values[name] else None
        return first if all(each == first for each in values[name]) else None

    return {
        "common": common,
        "cards_only": all(layer.is_card for layer in layers),
        "blends": _BLENDS,
        "stays": _STAYS,
    }


def _stage_facts(shot: Shot) -> dict[str, Any]:
    standing = (each for each in shot.layers if not each.is_backdrop)
    nearest_first = sorted(standing, key=lambda each: each.distance)
    step = 0.0
    if len(nearest_first) > 1 and nearest_first[0].distance < nearest_first[-1].distance:
        ends = nearest_first[0].distance, nearest_first[-1].distance
        step = parallax_step(shot, len(nearest_first), *ends, 0.1)
    return {"nearest_first": nearest_first, "step": step}


def _perspective(shot: Shot) -> dict[str, Any]:
    """Return what the marked edges tell of the taking camera, or why they do not."""
    taking = shot.taking_camera
    counted = {way.value: sum(edge.along is way for edge in taking.edges) for way in Direction}
    facts: dict[str, Any] = {"counted": counted, "seen": None, "untold": "", "seen_lens": 0.0}
    facts["bow"] = None
    long, short = max(taking.canvas), min(taking.canvas)
    # As cameras write it: by the diagonal of 36 x 24 mm.
    facts["photo_lens"] = (taking.focal_length or 0) * hypot(36, 24) / hypot(36, 36 * short / long)
    if not taking.edges:
        return facts
    try:
        facts["bow"] = bow_in(taking)
        seen = seen_from(taking)
    except CoreError as error:
        return facts | {"untold": str(error)}
    lens = seen.focal_px * GATE_LONG_SIDE / max(taking.canvas)
    return facts | {"seen": seen, "seen_lens": lens}


def _groups(shot: Shot) -> dict[str, int]:
    """Return how many layers each group has, in the order they come."""
    names = [layer.group for layer in shot.layers if layer.group]
    return {name: names.count(name) for name in dict.fromkeys(names)}


def _listed(name: str) -> list[str]:
    """Return a list that the page sends as JSON; anything else is none."""
    try:
        found = json.loads(request.args.get(name, "[]"))
    except ValueError:
        return []
    return [each for each in found if isinstance(each, str)] if isinstance(found, list) else []
