"""The edits a person can make to what stands on the stage: shot -> new shot."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, ValidationError

from vistaline.core.edits.arranging import at_distance
from vistaline.core.edits.callouts import moved_by_label, moved_by_mark, sized_callout
from vistaline.core.edits.ground import snapped
from vistaline.core.edits.layout_gestures import (
    dragged_layout,
    sized_layout,
    turned_layout,
    with_layout,
)
from vistaline.core.edits.registry import (
    REGISTRY,
    When,
    frames_of,
    unlocked,
    with_layer,
    with_layers,
    without,
)
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.shot.callouts import callout_of
from vistaline.core.shot.layouts import layout_of
from vistaline.core.shot.shot import Layer, PictureRef, Shot
from vistaline.core.shot.stands import Stays
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of, put
from vistaline.core.stage.keyed import rows_of
from vistaline.core.stage.placing import as_card, dragged, point_on, stage_card
from vistaline.core.stage.poses import own_size
from vistaline.core.stage.resized import along_rays, as_seen_at

__all__ = ["Keeping", "move_in_depth", "set_stays", "size_card"]

verb = REGISTRY.verb
Keeping = Literal["taken", "seen", "size"]
"""What a move in depth keeps: how the taking camera saw it, how it is seen now, or its size."""


@verb("move in depth")
def move_in_depth(
    shot: Shot,
    *,
    layer: str,
    distance: float,
    keep: Keeping = "taken",
    snap: float = 0,
    playhead: int = 0,
) -> Shot:
    """Set a layer's distance from the taking camera.

    Within ``snap`` metres of another layer's distance, or of where it would stand on the ground,
    it is put exactly there.

    ``keep``: ``taken``, its size changes in exact proportion to distance, so the taking camera
    sees it as before (common practice, no source: scaled by b / a); ``seen``, the same for the
    camera as it is at ``playhead``; ``size``, it keeps its size in metres and is seen larger or
    smaller.
    """
    found = unlocked(shot, layer)
    if not 0 < distance <= 1e6:
        raise EditError(
            f"{found.name} must stand in front of the taking camera: give a distance above 0 m "
            f"and up to a thousand kilometres, not {distance:g} m."
        )
    if snap > 0:
        distance = snapped(shot, found, distance, snap)
    if keep == "taken":
        return with_layer(shot, layer, **at_distance(found, distance))
    if keep == "seen":
        camera = camera_states(shot, [playhead])[0]
        return with_layers(shot, [as_seen_at(shot, found, distance, camera)])
    if found.is_card:
        return with_layer(shot, layer, distance=distance)
    return with_layer(shot, layer, distance=distance, scale=found.scale * found.distance / distance)


@verb("match place and size")
def match_place(shot: Shot, *, layer: str, other: str, playhead: int = 0) -> Shot:
    """Let a layer be seen just where another is and as wide, from the camera at the playhead.

    Its distance stays; so an outlined copy of a title lies exactly over it.
    """
    found, like = unlocked(shot, layer), shot.layer(other)
    if like.is_backdrop:
        raise EditError(f"{like.name} is a backdrop: it fills the frame, whatever the camera does.")
    camera = camera_states(shot, [playhead])[0]
    return with_layers(shot, [along_rays(shot, found, like, found.distance, camera)])


@verb("move layer")
def move_layer(
    shot: Shot, *, layer: str, across: float | None = None, up: float | None = None
) -> Shot:
    """Set how far a layer stands from where it was seen, in metres."""
    found = unlocked(shot, layer)
    return with_layer(
        shot,
        layer,
        across=found.across if across is None else across,
        up=found.up if up is None else up,
    )


@verb("move layer")
def drag_layer(shot: Shot, *, layer: str, frame: int, dx: float, dy: float) -> Shot:
    """Move a layer in its own plane by ``dx``, ``dy`` frame pixels, measured at its middle."""
    found = unlocked(shot, layer)
    callout = callout_of(shot, layer)
    if callout and layer == callout.label:
        return moved_by_label(shot, callout, dx, dy)
    if callout:
        return moved_by_mark(shot, callout, frame, dx, dy)
    layout = layout_of(shot, layer)
    if layout:
        return with_layout(shot, dragged_layout(shot, layout, layer, dx, dy))
    across, up = dragged(shot, found, frame, dx, dy)
    return with_layer(shot, layer, across=found.across + across, up=found.up + up)


@verb("move on the plan")
def drag_on_plan(
    shot: Shot,
    *,
    layer: str,
    view: Literal["above", "side"],
    dx: float,
    dy: float,
    keep: Keeping = "taken",
    snap: float = 0,
    playhead: int = 0,
) -> Shot:
    """Move a layer by metres of the plan's sheet: in depth, and across or up.

    In depth as :func:`move_in_depth` does; what is asked across or up is added to that.
    """
    found = unlocked(shot, layer)
    deep, beside = (dy, dx) if view == "above" else (dx, dy)
    if deep:
        shot = move_in_depth(
            shot,
            layer=layer,
            distance=found.distance + deep,
            keep=keep,
            snap=snap,
            playhead=playhead,
        )
        found = shot.layer(layer)
    side = "across" if view == "above" else "up"
    return with_layer(shot, layer, **{side: getattr(found, side) + beside})


@verb("pivot")
def drag_pivot(shot: Shot, *, layer: str, frame: int, x: float, y: float) -> Shot:
    """Put a layer's pivot where frame pixel ``x``, ``y`` shows it; nothing moves."""
    found = unlocked(shot, layer)
    card = stage_card(shot, found)
    across, up = point_on(card, camera_states(shot, [frame])[0], (x, y))
    return set_pivot(shot, layer=layer, across=across * 100, up=up * 100)


@verb("size layer")
def size_layer(
    shot: Shot,
    *,
    layer: str,
    percent: float,
    about: Literal["pivot", "camera"] = "pivot",
) -> Shot:
    """Size a layer about its pivot, or about the taking camera; 100 percent: as it was taken.

    About the taking camera distance grows with size, so it sees the layer as before.
    """
    found = unlocked(shot, layer)
    if not 0 < percent <= 1e6:
        raise EditError(f"A size must be above 0 %, not {percent:g} %. Hide it to see nothing.")
    ratio = percent / 100 / found.scale
    callout = callout_of(shot, layer)
    if callout:
        return sized_callout(shot, callout, layer, ratio)
    layout = layout_of(shot, layer)
    if layout:
        return with_layout(shot, sized_layout(layout, ratio))
    if about == "camera":
        return with_layer(shot, layer, **at_distance(found, found.distance * ratio))
    card = stage_card(shot, found)
    pivot = np.array([found.pivot[0] * card.width, found.pivot[1] * card.height, 0.0])
    pose = card.world_from_card.copy()
    pose[:3, 3] += pose[:3, :3] @ pivot * (1 - ratio)
    return with_layers(shot, [put(shot, found, pose, ratio)])


@verb("pivot")
def set_pivot(
    shot: Shot, *, layer: str, across: float | None = None, up: float | None = None
) -> Shot:
    """Set what a layer turns about, in percent of its size from its middle; nothing moves."""
    found = unlocked(shot, layer)
    x, y = found.pivot
    pivot = (x if across is None else across / 100, y if up is None else up / 100)
    pose = stage_card(shot, found).world_from_card
    return with_layers(shot, [put(shot, found.evolve(pivot=pivot), pose)])


@verb("turn layer")
def turn_layer(
    shot: Shot,
    *,
    layer: str,
    pan: float | None = None,
    tilt: float | None = None,
    roll: float | None = None,
    whole: Annotated[float, Field(ge=0, le=180)] = 0,
) -> Shot:
    """Turn a layer about its pivot, in degrees; to multiples of ``whole``, if that is not 0."""
    found = unlocked(shot, layer)
    layout = layout_of(shot, layer)
    if layout and roll is not None:
        return with_layout(shot, turned_layout(layout, roll - found.roll, whole))
    angles = {"pan": pan, "tilt": tilt, "roll": roll}
    told = {name: angle for name, angle in angles.items() if angle is not None}
    if whole:
        told = {name: math.floor(angle / whole + 0.5) * whole for name, angle in told.items()}
    return with_layer(shot, layer, **told)


@verb("opacity")
def set_opacity(shot: Shot, *, layer: str, percent: Annotated[float, Field(ge=0, le=100)]) -> Shot:
    """Set how much of a layer is seen, 0 to 100 percent."""
    return with_layer(shot, layer, opacity=percent / 100)


@verb("rename layer")
def rename_layer(shot: Shot, *, layer: str, name: str) -> Shot:
    """Give a layer another name."""
    if not name.strip():
        raise EditError("A layer needs a name. Type one.")
    return with_layer(shot, layer, name=name.strip())


@verb("show or hide")
def set_hidden(shot: Shot, *, layer: str, hidden: bool) -> Shot:
    """Hide a layer, or show it again."""
    return with_layer(shot, layer, hidden=hidden)


@verb("when it is seen")
def set_seen(
    shot: Shot,
    *,
    layer: str,
    start: When | None = None,
    end: When | None = None,
    always: bool = False,
    camera: str | None = None,
) -> Shot:
    """Set a layer's in and out (first and last frame), or the one camera that sees it.

    What is left out stays; ``always`` takes in and out away, ``camera`` "" lets all cameras see it.
    """
    changes: dict[str, Any] = {}
    if always:
        changes |= {"seen_from": 0, "seen_until": None}
    if start is not None:
        changes["seen_from"] = frames_of(shot, start)
    if end is not None:
        last = frames_of(shot, end)
        changes["seen_until"] = None if last >= shot.frame.duration - 1 else last
    if camera is not None:
        changes["seen_by"] = camera
    return with_layer(shot, layer, **changes)


@verb("lock or unlock")
def set_locked(shot: Shot, *, layer: str, locked: bool) -> Shot:
    """Keep a layer from being moved, or let it be moved again."""
    return with_layer(shot, layer, locked=locked)


@verb("what it stays with")
def set_stays(shot: Shot, *, layer: str, stays: Stays) -> Shot:
    """Let a layer stand on the stage, stay with the lens, or face the camera."""
    found = unlocked(shot, layer)
    if found.is_backdrop:
        raise EditError(f"{found.name} is a backdrop; it fills the frame whatever the camera does.")
    return with_layers(shot, [found.with_stands(stays=stays)])


@verb("make a card")
def make_card(shot: Shot, *, layer: str) -> Shot:
    """Turn a layer that the taking camera saw into a card of the size it has now."""
    found = unlocked(shot, layer)
    if found.is_card:
        raise EditError(f"{found.name} is a card already.")
    pose = stage_card(shot, found).world_from_card
    return with_layers(shot, [put(shot, as_card(shot, found), pose)])


@verb("size card")
def size_card(shot: Shot, *, layer: str, width: Annotated[float, Field(gt=0, le=1e6)]) -> Shot:
    """Set a card's width in metres; its height follows."""
    found = unlocked(shot, layer)
    if not found.is_card:
        raise EditError(f"{found.name} has the size it was taken with. Make it a card first.")
    percent = 100 * width / own_size(shot, found)[0]
    return size_layer(shot, layer=layer, percent=percent)


@verb("duplicate layer")
def duplicate_layer(shot: Shot, *, layer: str) -> Shot:
    """Add a copy of a layer, in front of it, a little to the side."""
    found = shot.layer(layer)
    place = shot.layers.index(found) + 1
    aside = 0.05 * card_of(shot, found).width
    copy = found.evolve(id="", name=f"{found.name[:74]} copy", across=found.across + aside)
    doubled = shot.evolve(layers=(*shot.layers[:place], copy, *shot.layers[place:]))
    copied = f"layer:{doubled.layers[place].id}"
    rows = [row.evolve(of=copied) for row in rows_of(shot, f"layer:{layer}")]
    return doubled.evolve(rows=(*shot.rows, *rows))


@verb("put in front")
def put_in_front(shot: Shot, *, layer: str, of: str) -> Shot:
    """Draw a layer in front of another at the same distance: it comes next after it in the list."""
    moving, other = shot.layer(layer), shot.layer(of)
    if layer == of:
        raise EditError(f"{moving.name} cannot stand in front of itself.")
    rest = [each for each in shot.layers if each.id != layer]
    place = rest.index(other) + 1
    return shot.evolve(layers=(*rest[:place], moving, *rest[place:]))


@verb("remove layer")
def remove_layer(shot: Shot, *, layer: str) -> Shot:
    """Take a layer off the stage; its picture stays in the project."""
    unlocked(shot, layer)
    return without(shot, {layer})


@verb("add layers")
def add_layers(shot: Shot, *, pictures: dict[str, PictureRef], layers: list[Layer]) -> Shot:
    """Add layers with their pictures; a layer whose id is taken gets another."""
    taken = {layer.id for layer in shot.layers}
    added = [layer.evolve(id="") if layer.id in taken else layer for layer in layers]
    try:
        return shot.evolve(pictures=shot.pictures | pictures, layers=(*shot.layers, *added))
    except ValidationError as error:
        raise EditError(str(explain(error, Shot))) from error
