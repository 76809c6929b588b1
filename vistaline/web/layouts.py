"""Layouts on the Arrange bench: what their panel says, and grounds that match a picture."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, request
from flask_login import login_required

from vistaline.core.render.measured import colours_of
from vistaline.core.shot.layouts import Enters, LayoutKind, Side, WindowShape, layout_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.core.timing import timecode
from vistaline.web.context import services
from vistaline.web.editing import arguments, playhead
from vistaline.web.keys import pins_of
from vistaline.web.shots import edited, open_shot

__all__ = ["KINDS_OF_ONE", "KINDS_OF_SEVERAL", "blueprint", "layout_facts"]

blueprint = Blueprint("layouts", __name__, url_prefix="/shots")

KINDS_OF_ONE = [
    (LayoutKind.CORNER.value, "In a corner", "Small, at a place of its own; drag it there"),
    (LayoutKind.PART.value, "Shrink to a part", "From the full frame to its crop, at a place"),
]
KINDS_OF_SEVERAL = [
    (LayoutKind.BESIDE.value, "Side by side", "Two or three"),
    (LayoutKind.ABOVE.value, "One above the other", "Two or three"),
    (LayoutKind.STRIPS.value, "Strips", "From edge to edge"),
    (LayoutKind.FOUR.value, "Four up", "One of them can come forward"),
    (LayoutKind.WALL.value, "Wall", "As many as are chosen"),
]
_KINDS = [(key, words) for key, words, _ in (*KINDS_OF_ONE, *KINDS_OF_SEVERAL)]
_ENTERS = [
    (Enters.FULL.value, "out of the full frame"),
    (Enters.SIDE.value, "from beyond the edge"),
    (Enters.GROWN.value, "grown in its place"),
    (Enters.FADED.value, "faded in"),
]
_SHAPES = [
    (WindowShape.FRAME.value, "as the frame"),
    (WindowShape.PICTURE.value, "as the picture"),
    (WindowShape.SQUARE.value, "square"),
    (WindowShape.ROOM.value, "all its room"),
]
_SIDES = [
    (Side.LEFT.value, "left"),
    (Side.RIGHT.value, "right"),
    (Side.TOP.value, "above"),
    (Side.BOTTOM.value, "below"),
]


def layout_facts(shot: Shot, layer: Layer, frame: int) -> dict[str, Any]:
    """Return what the panel of a layer shows of the layout it is in, if it is in one."""
    layout = layout_of(shot, layer.id)
    facts: dict[str, Any] = {
        "layout": layout,
        "kinds_of_one": KINDS_OF_ONE,
        "joinable": [each for each in shot.layouts if each.kind is LayoutKind.WALL or layer.title],
        "sides": _SIDES,
    }
    if layout is None:
        return facts
    rate, last = shot.frame.rate, layout.frames - 1
    unit = 100 if layout.measured == "span" else 1
    forward = next((each for each in layout.forwards if each.layer == layer.id), None)
    return facts | {
        "laid_pin": pins_of(shot, f"layout:{layout.id}", frame),
        "kinds": [
            (key, words)
            for key, words in [*_KINDS, (LayoutKind.ASIDE.value, "Room for words")]
            if _fits(LayoutKind(key), layout.kind)
        ],
        "enters": _ENTERS,
        "shapes": _SHAPES,
        "length_unit": "%" if unit == 100 else "f",
        "lengths": {
            name: getattr(layout, name) * unit for name in ("coming", "going", "before", "after")
        },
        "place": layout.layers.index(layer.id) if layer.id in layout.layers else None,
        "forward": forward
        and (
            timecode(round(layout.starts + forward.begins * last), rate),
            float(forward.lasts * last / rate),
        ),
        "laid_names": [(key, shot.layer(key).name) for key in layout.layers],
    }


def _fits(kind: LayoutKind, now: LayoutKind) -> bool:
    """Return whether a layout can become another kind: of one picture, or of several."""
    single = (LayoutKind.CORNER, LayoutKind.PART, LayoutKind.ASIDE)
    return (kind in single) == (now in single)


@blueprint.post("/<int:shot_id>/room")
@login_required
def free_room(shot_id: int) -> Any:
    """Push a picture aside for words, on a ground of its own darkest colour."""
    row, shot = open_shot(shot_id)
    layer = request.form.get("layer", "")
    values = {"layer": layer, "colour": _ground_for(shot, layer)}
    given = arguments()
    values |= {name: given[name] for name in ("text", "side") if name in given}
    return edited(row, "free_room", values)


@blueprint.post("/<int:shot_id>/ground")
@login_required
def match_ground(shot_id: int) -> Any:
    """Give a layout's ground the darkest colour of its first picture."""
    row, shot = open_shot(shot_id)
    layout = shot.layout(request.form.get("layout", ""))
    colour = _ground_for(shot, layout.layers[0])
    values = {"layer": layout.ground, "stop": 0, "colour": colour}
    return edited(row, "set_field", values)


def _ground_for(shot: Shot, layer: str) -> str:
    shot.layer(layer)
    at = min(playhead()["at"], shot.frame.duration - 1)
    layout = layout_of(shot, layer)
    if layout and not layout.starts <= at < layout.ends:
        at = layout.starts + layout.frames // 2
    now = shot_at_frame(shot, at)
    return colours_of(now, services().library.looks_of(now), at, layer)[0]
