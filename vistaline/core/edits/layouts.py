"""The edits of layouts: laid out, timed, changed, brought forward, taken away."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import ValidationError

from vistaline.core.edits.layout_gestures import with_layout
from vistaline.core.edits.registry import (
    REGISTRY,
    When,
    frames_of,
    free_id,
    free_name,
    numbered,
    with_layers,
    without,
    without_rows,
)
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.looks.fields import ColourField, Stop
from vistaline.core.looks.lettering import Title
from vistaline.core.shot.layouts import (
    MOST,
    Enters,
    Forward,
    Layout,
    LayoutKind,
    Side,
    WindowShape,
    layout_of,
)
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import FieldShown, TitleShown
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.placing import as_card

__all__: list[str] = []

verb = REGISTRY.verb
_USUAL_FRAMES, _USUAL_SHARE = 96, 0.5
"""How long a layout lasts to begin with: frames, and no more of what is left of the shot."""
_NAMES = {
    LayoutKind.CORNER: "In a corner",
    LayoutKind.PART: "Shrunk to a part",
    LayoutKind.BESIDE: "Side by side",
    LayoutKind.ABOVE: "One above the other",
    LayoutKind.STRIPS: "Strips",
    LayoutKind.FOUR: "Four up",
    LayoutKind.WALL: "Wall of pictures",
    LayoutKind.ASIDE: "Room for words",
}
_BEGINNINGS: dict[LayoutKind, dict[str, Any]] = {
    # Its edges on the title-safe area.
    LayoutKind.CORNER: {"across": 0.29, "up": 0.29},
    LayoutKind.PART: {"across": -0.2, "up": 0.0, "size": 0.44, "shape": WindowShape.PICTURE},
    LayoutKind.BESIDE: {"enters": Enters.SIDE, "shape": WindowShape.ROOM},
    LayoutKind.ABOVE: {"enters": Enters.SIDE, "shape": WindowShape.ROOM},
    LayoutKind.STRIPS: {
        "enters": Enters.SIDE,
        "shape": WindowShape.ROOM,
        "margin": 0.0,
        "gap": 0.008,
        "stagger": 0.4,
    },
    LayoutKind.FOUR: {"enters": Enters.GROWN, "stagger": 0.4},
    LayoutKind.WALL: {"enters": Enters.GROWN, "stagger": 0.6},
    LayoutKind.ASIDE: {"shape": WindowShape.ROOM},
}


@verb("lay out in the frame")
def lay_out(shot: Shot, *, layers: list[str], kind: LayoutKind, playhead: int = 0) -> Shot:
    """Lay pictures out in the frame from the playhead on, as cards that stay with the lens.

    Of what is not a picture, titles stand in the room that is freed, and a colour field fills the
    frame behind; both only where room is freed.
    """
    found = [_layable(shot, key) for key in layers]
    pictures = [each for each in found if each.framable]
    titles = [each for each in found if each.title]
    fields = [each for each in found if each.field]
    others = [*titles, *fields] if kind is not LayoutKind.ASIDE else fields[1:]
    if others:
        raise EditError(
            f"{others[0].name} is no picture; it has no place in this layout. Choose pictures."
        )
    if len(pictures) > MOST[kind]:
        raise EditError(
            f"{_NAMES[kind]} has room for {MOST[kind]}, and {len(pictures)} pictures are chosen. "
            "Choose fewer."
        )
    return _laid_out(shot, kind, pictures, titles, fields, playhead)


@verb("free room for words")
def free_room(
    shot: Shot,
    *,
    layer: str,
    text: str = "Lines of text",
    colour: str = "#22303a",
    side: Side = Side.RIGHT,
    playhead: int = 0,
) -> Shot:
    """Push a picture aside, with a ground behind it and a title in the room that is freed."""
    found = _layable(shot, layer)
    if not found.framable:
        raise EditError(f"{found.name} is no picture. Choose the picture that is to be pushed.")
    try:
        ground = Layer(
            name=free_name("Ground", shot),
            shows=FieldShown(field=ColourField(stops=(Stop(at=0, colour=colour),))),
            stands=FreeCard(stays="lens"),
        )
        title = Layer(
            name=free_name(" ".join(text.split())[:60] or "Title", shot),
            shows=TitleShown(title=Title(text=text, fill=_readable_on(colour), align="left")),
            stands=FreeCard(stays="lens"),
        )
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    before = {each.id for each in shot.layers}
    shot = shot.evolve(layers=(*shot.layers, ground, title))
    ground, title = (each for each in shot.layers if each.id not in before)
    return _laid_out(shot, LayoutKind.ASIDE, [found], [title], [ground], playhead, side=side)


def _readable_on(colour: str) -> str:
    red, green, blue = (int(colour[n : n + 2], 16) for n in (1, 3, 5))
    return "#f4efe2" if 0.299 * red + 0.587 * green + 0.114 * blue < 140 else "#1c232b"


def _laid_out(
    shot: Shot,
    kind: LayoutKind,
    pictures: list[Layer],
    titles: list[Layer],
    fields: list[Layer],
    playhead: int,
    **values: Any,
) -> Shot:
    left = shot.frame.duration - playhead
    if left < 2:
        raise EditError("No frame is left after the playhead. Go back in time first.")
    layout = Layout(
        id=free_id("l", {each.id for each in shot.layouts}),
        name=numbered(_NAMES[kind], {each.name for each in shot.layouts}),
        kind=kind,
        layers=tuple(each.id for each in pictures),
        words=tuple(each.id for each in titles),
        ground=fields[0].id if fields else "",
        starts=playhead,
        frames=max(2, min(left, max(_USUAL_FRAMES, round(left * _USUAL_SHARE)))),
        **_BEGINNINGS[kind] | values,
    )
    cards = [
        as_card(shot, each).with_stands(stays="lens") for each in (*pictures, *titles, *fields)
    ]
    return with_layers(shot, cards).evolve(layouts=(*shot.layouts, layout))


def _layable(shot: Shot, key: str) -> Layer:
    """Return a layer that can be laid out in the frame."""
    found = shot.layer(key)
    other = layout_of(shot, key)
    if other:
        raise EditError(f"{found.name} is in {other.name} already. Take that away first.")
    if found.locked:
        raise EditError(f"{found.name} is locked. Unlock it to lay it out.")
    if found.projection or found.is_backdrop or not (found.framable or found.title or found.field):
        raise EditError(
            f"{found.name} cannot be laid out in the frame. Choose flat pictures, or cards."
        )
    return found


@verb("change a layout")
def set_layout(
    shot: Shot,
    *,
    layout: str,
    kind: LayoutKind | None = None,
    name: str | None = None,
    on: bool | None = None,
    starts: When | None = None,
    frames: When | None = None,
    comes: bool | None = None,
    goes: bool | None = None,
    enters: Enters | None = None,
    measured: Literal["span", "frames"] | None = None,
    coming: float | None = None,
    going: float | None = None,
    before: float | None = None,
    after: float | None = None,
    acceleration: float | None = None,
    stagger: float | None = None,
    shape: WindowShape | None = None,
    side: Side | None = None,
    across: float | None = None,
    up: float | None = None,
    size: float | None = None,
    turn: float | None = None,
    gap: float | None = None,
    margin: float | None = None,
    room: float | None = None,
    lift: float | None = None,
) -> Shot:
    """Change a layout; places, sizes and shares in percent, lengths in percent or frames."""
    found = shot.layout(layout)
    whole = {
        "kind": kind, "name": name, "on": on, "comes": comes, "goes": goes, "enters": enters,
        "shape": shape, "side": side, "turn": turn,
    }  # fmt: skip
    shares = {
        "acceleration": acceleration, "stagger": stagger, "across": across, "up": up, "size": size,
        "gap": gap, "margin": margin, "room": room, "lift": lift,
    }  # fmt: skip
    lengths = {"coming": coming, "going": going, "before": before, "after": after}
    changes: dict[str, Any] = {key: value for key, value in whole.items() if value is not None}
    changes |= {key: value / 100 for key, value in shares.items() if value is not None}
    unit = 100 if found.measured == "span" else 1
    changes |= {key: value / unit for key, value in lengths.items() if value is not None}
    for key, when in (("starts", starts), ("frames", frames)):
        if when is not None:
            changes[key] = frames_of(shot, when)
    if measured and measured != found.measured:
        # What it does stays as it is.
        changes["measured"] = measured
        for key in lengths:
            length = found.lasting(getattr(found, key))
            changes[key] = length if measured == "frames" else length / (found.frames - 1)
    if changes.get("starts", found.starts) > shot.frame.duration - 2:
        raise EditError(
            f"{found.name} would begin at frame {changes['starts']}; the shot's last is "
            f"{shot.frame.duration - 1}. Let it begin earlier."
        )
    try:
        return with_layout(shot, found.evolve(**changes))
    except ValidationError as error:
        raise EditError(str(explain(error))) from error


@verb("bring a picture forward")
def bring_forward(
    shot: Shot, *, layer: str, seconds: float = 2.0, back: bool = False, playhead: int = 0
) -> Shot:
    """Let one of a layout's pictures come to the full frame from the playhead on, and go back.

    ``back``: it stays in its place again.
    """
    layout = _layout_with(shot, layer)
    rest = tuple(each for each in layout.forwards if each.layer != layer)
    if back:
        return with_layout(shot, layout.evolve(forwards=rest))
    last = layout.frames - 1
    begins = (playhead - layout.starts) / last
    if not 0 <= begins < 1:
        raise EditError(
            f"{layout.name} lasts from frame {layout.starts} to {layout.ends - 1}; at {playhead} "
            "none of its pictures can come forward. Go there first."
        )
    lasts = min(1 - begins, seconds * float(shot.frame.rate) / last)
    if lasts <= 0:
        raise EditError("A picture comes forward for more than 0 seconds.")
    ends = begins + lasts
    # One at a time is in front: what it meets on its way makes room.
    clear = tuple(
        each for each in rest if each.begins + each.lasts <= begins or each.begins >= ends
    )
    forward = Forward(layer=layer, begins=begins, lasts=lasts)
    return with_layout(shot, layout.evolve(forwards=(*clear, forward)))


@verb("place in a layout")
def place_in_layout(shot: Shot, *, layer: str, by: int) -> Shot:
    """Move a layout's picture by so many places: -1, it comes one earlier; 1, one later."""
    layout = _layout_with(shot, layer)
    at = layout.layers.index(layer)
    to = at + by
    if not 0 <= to < len(layout.layers):
        raise EditError(f"{shot.layer(layer).name} is the {'last' if by > 0 else 'first'} already.")
    order = [each for each in layout.layers if each != layer]
    order.insert(to, layer)
    return with_layout(shot, layout.evolve(layers=tuple(order)))


@verb("add to a layout")
def add_to_layout(shot: Shot, *, layout: str, layer: str) -> Shot:
    """Add a picture to a layout, behind its last place; a title to its words."""
    found, added = shot.layout(layout), _layable(shot, layer)
    card = as_card(shot, added).with_stands(stays="lens")
    if added.title:
        changed: dict[str, Any] = {"words": (*found.words, layer)}
    elif added.field:
        changed = {"ground": layer}
    else:
        changed = {"layers": (*found.layers, layer)}
    try:
        laid = found.evolve(**changed)
    except ValidationError as error:
        raise EditError(str(explain(error))) from error
    return with_layers(shot, [card]).evolve(
        layouts=tuple(laid if each.id == layout else each for each in shot.layouts)
    )


@verb("take out of a layout")
def take_out_of_layout(shot: Shot, *, layer: str) -> Shot:
    """Let a layer stand by itself again, with the lens; the layout goes if too few are left."""
    layout = layout_of(shot, layer)
    if layout is None:
        raise EditError(f"{shot.layer(layer).name} is in no layout.")
    left = layout.without({layer})
    if left is None:
        return remove_layout(shot, layout=layout.id)
    return with_layout(shot, left)


@verb("take a layout away")
def remove_layout(shot: Shot, *, layout: str, layers: bool = False) -> Shot:
    """Take a layout away; what it laid stands by itself again, or, ``layers``, goes with it."""
    found = shot.layout(layout)
    left = shot.evolve(
        layouts=tuple(each for each in shot.layouts if each.id != layout),
        rows=without_rows(shot, [f"layout:{layout}"]),
    )
    return without(left, set(found.lays)) if layers else left


def _layout_with(shot: Shot, layer: str) -> Layout:
    """Return the layout of which a layer is one of the pictures."""
    layout = layout_of(shot, layer)
    if layout is None or layer not in layout.layers:
        raise EditError(f"{shot.layer(layer).name} is no picture of a layout.")
    return layout
