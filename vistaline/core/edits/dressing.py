"""The edits of what is in the light and air besides lamps."""

from __future__ import annotations

import math
from typing import Annotated, Any

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.lamps import depth_before, middle_of
from vistaline.core.edits.pointing import nearness_at, places_at
from vistaline.core.edits.registry import REGISTRY, free_id, numbered, without_rows
from vistaline.core.edits.starts import STARTS, enlarged
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.keyable import Kind, value_called
from vistaline.core.shot.air import Dress, Emits, Fog, Particles
from vistaline.core.shot.beams import MOST_CORNERS, Flare, Glow, Shaft
from vistaline.core.shot.dressing import MOST_DRESSING, MOST_EFFECTS, Dressing, OnStage, Riding
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.lamps import LampKind
from vistaline.core.shot.mounts import Ride, carry_of
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.dressing import stands
from vistaline.core.stage.sheet import PlanView, lifted
from vistaline.core.verbs import FROM_JSON

__all__ = ["with_dress"]

verb = REGISTRY.verb
_UPRIGHT = 0.3
"""How far the normal of what counts as upright may lean."""


def with_dress(shot: Shot, thing: Dress) -> Shot:
    """Return the shot with a thing in place of that of the same id."""
    return shot.evolve(
        dressing=tuple(thing if each.id == thing.id else each for each in shot.dressing)
    )


@verb("put in the air")
def add_dressing(shot: Shot, *, start: str, playhead: int = 0) -> Shot:
    """Add what a starting point is called, before the camera, for a stage of this size."""
    if start not in STARTS:
        raise EditError(f"There is no starting point {start!r}. Choose one of the list.")
    if sum(not isinstance(each, Effect) for each in shot.dressing) >= MOST_DRESSING:
        raise EditError(f"A shot has {MOST_DRESSING} things in its air at most. Remove one first.")
    found = STARTS[start]
    camera = camera_states(shot.evolve(cuts=()), [playhead])[0]
    middle, away = middle_of(shot, camera)
    thing = enlarged(found.thing, away)
    changes: dict[str, Any] = {
        "id": free_id("d", {each.id for each in shot.dressing}),
        "name": numbered(found.words, {each.name for each in shot.dressing}),
    }
    if isinstance(thing, OnStage):
        there = camera.world_from_camera @ [*thing.position, 1.0]
        changes["position"] = tuple(np.round(there[:3], 4).tolist())
    if isinstance(thing, Shaft):
        changes["pan"] = thing.pan + camera.pan
    if isinstance(thing, Fog) and thing.base != 0:
        changes["base"] = round(float(middle[1]) + thing.base, 4)
    spot = next((x for x in shot.lamps if x.kind is LampKind.SPOT), None)
    lit = spot or next((x for x in shot.lamps if x.kind is not LampKind.AMBIENT), None)
    if isinstance(thing, Flare) and lit:
        changes["lamp"] = lit.id
    return shot.evolve(dressing=(*shot.dressing, thing.evolve(**changes)))


@verb("change what is in the air")
def set_dressing(shot: Shot, *, thing: str, **values: Any) -> Shot:
    """Set values of a thing, by their names, in the units that are shown: percent, millimetres."""
    found = shot.dress(thing)
    kind, kept = type(found), found
    for name, value in values.items():
        about = value_called(kind, name)
        if about is None:
            value = "" if value == "-" else value  # what a list has for none
            if name not in kind.model_fields or name in ("id", "kind"):
                raise EditError(f"{found.name} has no value {name!r}. Reload the page.")
            wanted = value.strip() or found.name if name == "name" else value
            found = found.evolve(**{name: wanted})
            continue
        if about.kind is not Kind.COLOUR:
            number = _number(about.label, value)
            low, high = (limit * about.factor for limit in (about.low, about.high))
            if not min(low, high) <= number <= max(low, high):
                rule = f"must be {min(low, high):g} to {max(low, high):g} {about.unit}".rstrip()
                raise EditError(f"{about.label} {rule}.", field=name, rule=rule)
            value = number / about.factor
        found = about.put(found, value)
    found = _sensible(found, kept)
    return with_dress(shot, found)


def _number(label: str, value: Any) -> float:
    try:
        return float(value)
    except (TypeError, ValueError):
        raise EditError(f"{label} must be a number, not {value!r}.") from None


def _sensible(thing: Dressing, before: Dressing) -> Dressing:
    """Return a thing whose parts fit each other."""
    if isinstance(thing, Particles):
        if thing.layer and not getattr(before, "layer", ""):
            return thing.evolve(emits=Emits.LAYER)
        if thing.emits is not Emits.LAYER and thing.layer:
            return thing.evolve(layer="")
        if thing.emits is Emits.LAYER and not thing.layer:
            raise EditError("Choose the layer that they come from.", field="layer")
    return thing


@verb("what glows")
def choose_glowing(shot: Shot, *, thing: str, layers: list[str]) -> Shot:
    """Say which layers glow by a thing; none: the whole frame."""
    found = shot.dress(thing)
    wanted = {each for each in layers if each}
    for each in wanted:
        shot.layer(each)
    if not isinstance(found, Glow):
        raise EditError(f"{found.name} is no glow.")
    chosen = tuple(layer.id for layer in shot.layers if layer.id in wanted)
    return with_dress(shot, found.evolve(layers=chosen))


@verb("remove from the air")
def remove_dressing(shot: Shot, *, thing: str) -> Shot:
    """Take a thing away, with its keys."""
    found = shot.dress(thing)
    return shot.evolve(
        dressing=tuple(each for each in shot.dressing if each.id != found.id),
        rows=without_rows(shot, [thing]),
        solo="" if shot.solo == thing else shot.solo,
    )


@verb("order")
def order_dressing(
    shot: Shot, *, thing: str, to: Annotated[int, Field(ge=0, le=MOST_EFFECTS)]
) -> Shot:
    """Put a lamp, a thing in the air or an effect at another place among its like."""
    kind, _, name = thing.partition(":")
    if kind == "lamp":
        lamps = [each for each in shot.lamps if each.id != name]
        lamps.insert(to, shot.lamp(name))
        return shot.evolve(lamps=tuple(lamps))
    found = shot.dress(thing)
    effects = isinstance(found, Effect)
    rest = [each for each in shot.dressing if each.id != found.id]
    alike = [each for each in rest if isinstance(each, Effect) is effects]
    rest.insert(rest.index(alike[to]) if to < len(alike) else len(rest), found)
    return shot.evolve(dressing=tuple(rest))


@verb("only this is on")
def choose_solo(shot: Shot, *, thing: str = "") -> Shot:
    """Let only one lamp or thing be on, or again all that are; asked for twice it ends."""
    if thing.partition(":")[0] == "lamp":
        shot.lamp(thing.partition(":")[2])
    elif thing:
        shot.dress(thing)
    return shot.evolve(solo="" if thing == shot.solo else thing)


@verb("move in the air")
def drag_dressing(
    shot: Shot, *, thing: str, dx: float, dy: float, view: PlanView = PlanView.ABOVE
) -> Shot:
    """Move a thing on the plan by metres of the sheet, whatever it rides on."""
    return _shifted(shot, shot.dress(thing), lifted(dx, dy, view))


@verb("move in the air")
def drag_dressing_seen(shot: Shot, *, thing: str, dx: float, dy: float, frame: int = 0) -> Shot:
    """Move a thing across what the camera sees, by frame pixels; its distance stays."""
    found = shot.dress(thing)
    camera = camera_states(shot, [frame])[0]
    place = found.position if isinstance(found, OnStage) else (0.0, 0.0, 0.0)
    pose = carry_of(_ride_of(found), shot.mounts).pose(space.pose(place, 0.0, 0.0))
    depth = depth_before(camera, pose[:3, 3], found.name)
    across, up = dx * depth / camera.focal_px, -dy * depth / camera.focal_px
    return _shifted(shot, found, camera.world_from_camera[:3, :2] @ [across, up])


@verb("put where it is seen")
def point_dressing(
    shot: Shot, *, thing: str, layer: str, frame: int, x: float, y: float, alone: bool = False
) -> Shot:
    """Put a thing where a layer is seen at a frame pixel, such as a window of the picture.

    A shaft then comes out of that surface, towards the camera's side of it; where the surface is
    upright it falls as steeply as before. ``alone`` as in :func:`focusing.focus_on_point`.
    """
    found = shot.dress(thing)
    camera = camera_states(shot.evolve(cuts=()) if alone else shot, [frame])[0]
    # Itself, one pixel on, and one below: three places tell which way a surface faces.
    pixels = [(x, y), (x + 1, y), (x, y + 1)]
    near = nearness_at(shot, layer, camera, pixels)
    places = places_at(camera, pixels, np.where(near > 0, near, near[0]))
    pose = carry_of(_ride_of(found), shot.mounts).pose(
        space.pose(getattr(found, "position", (0.0, 0.0, 0.0)), 0.0, 0.0)
    )
    if isinstance(found, Shaft) and not _ride_of(found):
        found = _coming_out(found, camera, places)
    return _shifted(shot, found, places[0] - pose[:3, 3])


@verb("its opening drawn")
def outline_shaft(
    shot: Shot,
    *,
    thing: str,
    layer: str,
    frame: int,
    points: Annotated[list[tuple[float, float]], FROM_JSON],
    alone: bool = False,
) -> Shot:
    """Give a shaft an opening of the shape that is drawn on a layer, by frame pixels.

    It comes out of that surface as by :func:`point_dressing`, and is so long as before.
    """
    found = shot.dress(thing)
    if not isinstance(found, Shaft):
        raise EditError(f"{found.name} has no opening.")
    if not 3 <= len(points) <= MOST_CORNERS:
        raise EditError(f"An opening has 3 to {MOST_CORNERS} corners, not {len(points)}.")
    camera = camera_states(shot.evolve(cuts=()) if alone else shot, [frame])[0]
    near = nearness_at(shot, layer, camera, points)
    if not (near > 0).all():
        name = shot.layer(layer).name
        raise EditError(f"The outline leaves {name}. Draw it on one surface.")
    places = places_at(camera, points, near)
    shaft = found.evolve(lamp="", ride=None, roll=0.0)
    shaft = _coming_out(shaft, camera, places)
    turn = space.pose((0.0, 0.0, 0.0), shaft.pan, shaft.tilt)[:3, :3]
    seen = places @ turn  # as the light sees them
    low, high = seen.min(axis=0), seen.max(axis=0)
    middle, size = (low + high) / 2, np.maximum((high - low)[:2], 1e-3)
    x, y, z = np.round(turn @ middle, 4).tolist()
    corners = np.round(np.clip((seen - middle)[:, :2] / size, -0.5, 0.5), 4)
    return with_dress(
        shot,
        shaft.evolve(
            position=(x, y, z),
            width=round(float(size[0]), 4),
            height=round(float(size[1]), 4),
            outline=tuple(map(tuple, corners.tolist())),
        ),
    )


@verb("a rectangle again")
def square_shaft(shot: Shot, *, thing: str) -> Shot:
    """Give a shaft a rectangle for its opening again."""
    found = shot.dress(thing)
    if not isinstance(found, Shaft):
        raise EditError(f"{found.name} has no opening.")
    return with_dress(shot, found.evolve(outline=()))


def _coming_out(shaft: Shaft, camera: CameraState, places: FloatArray) -> Shaft:
    """Return a shaft that comes out of the surface through ``places`` (N, 3), towards a camera.

    Where that is upright, it falls as steeply as before.
    """
    side = np.linalg.svd(places - places.mean(axis=0))[2][2]
    way = side if side @ (np.array(camera.position) - places[0]) > 0 else -side
    lean = math.degrees(math.asin(min(max(float(way[1]), -1.0), 1.0)))
    return shaft.evolve(
        pan=round(math.degrees(math.atan2(-way[0], -way[2])), 2),
        tilt=min(shaft.tilt, 0.0) if abs(way[1]) < _UPRIGHT else round(lean, 2),
    )


def _ride_of(thing: Dressing) -> Ride | None:
    return thing.ride if isinstance(thing, Riding) else None


def _shifted(shot: Shot, thing: Dressing, way: FloatArray) -> Shot:
    if not stands(thing):
        raise EditError(f"{thing.name} has no place of its own to be moved from.")
    carry = carry_of(_ride_of(thing), shot.mounts)
    if carry.moves:
        way = carry.turn.T @ way / carry.scale
    x, y, z = (np.array(thing.position) + way).tolist()
    return with_dress(shot, thing.evolve(position=(x, y, z)))


@verb("exposure")
def set_exposure(shot: Shot, *, stops: Annotated[float, Field(ge=-10, le=10)]) -> Shot:
    """Set how bright the camera that is directed takes everything: 1 stop is twice as bright."""
    return shot.with_camera(exposure=stops)
