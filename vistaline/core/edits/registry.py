"""What all edits of a shot share: the registry they are asked for by name, and small steps."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from typing import Annotated, Any

from pydantic import Field

from vistaline.core.errors import EditError
from vistaline.core.shot.air import Emits, Particles
from vistaline.core.shot.beams import Glow
from vistaline.core.shot.dressing import Dressing
from vistaline.core.shot.effects import Effect, On
from vistaline.core.shot.lamps import Lamp
from vistaline.core.shot.markers import Marker
from vistaline.core.shot.retiming import moved_along, passages_moved, retimed, stretched, times_of
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.rows import Row
from vistaline.core.shot.running import NestedShot
from vistaline.core.shot.shot import Layer, PictureRef, Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.tracks import track_of
from vistaline.core.timing import parse_time
from vistaline.core.verbs import Verbs

__all__ = [
    "REGISTRY",
    "Frames",
    "When",
    "at_least",
    "fitted",
    "frames_of",
    "framing_of",
    "free_id",
    "free_key",
    "free_name",
    "moved_markers",
    "numbered",
    "on_stage",
    "pictures_used",
    "seen_framing",
    "shots_used",
    "unlocked",
    "with_framing",
    "with_framings",
    "with_layer",
    "with_layers",
    "with_route",
    "without",
    "without_rows",
]

REGISTRY: Verbs[Shot] = Verbs()
Frames = Annotated[int, Field(ge=0, le=1_000_000)]
When = int | str
"""A frame or a length: a number of frames, or as :func:`timing.parse_time` reads it."""


def with_layer(shot: Shot, layer_id: str, **changes: Any) -> Shot:
    """Return the shot with values of one layer changed."""
    return with_layers(shot, [shot.layer(layer_id).evolve(**changes)])


def with_layers(shot: Shot, changed: Iterable[Layer]) -> Shot:
    """Return the shot with these layers in the place of those with their ids."""
    new = {layer.id: layer for layer in changed}
    return shot.evolve(layers=tuple(new.get(layer.id, layer) for layer in shot.layers))


def without(shot: Shot, ids: Collection[str]) -> Shot:
    """Return the shot without some layers, and without what only they had use for."""
    rest = []
    for layer in shot.layers:
        if layer.id in ids:
            continue
        lost = {
            "matte": None if layer.matte and layer.matte.of in ids else layer.matte,
            "paired": "" if layer.paired in ids else layer.paired,
        }
        changed = lost != {"matte": layer.matte, "paired": layer.paired}
        if layer.line and layer.line.round in ids:
            layer = layer.with_shows(line=layer.line.evolve(round=""))
        if layer.cloth and layer.cloth.before in ids:
            layer = layer.evolve(cloth=layer.cloth.evolve(before=""))
        rest.append(layer.evolve(**lost) if changed else layer)
    routed = _routes(shot, lambda route: _released(route, ids))
    cameras = (
        each.evolve(focusing=each.focusing.evolve(follows=""))
        if each.focusing.follows in ids
        else each
        for each in routed["cameras"]
    )
    # A callout of which a part is gone is none; what else it had goes with it, but for its label.
    ended = [each for each in shot.callouts if {each.of, *each.parts} & {*ids}]
    ids = {*ids}.union(*({each.line, each.mark} - {""} for each in ended))
    rest = [layer for layer in rest if layer.id not in ids]
    layouts = tuple(filter(None, (each.without(ids) for each in shot.layouts)))
    gone = {each.id for each in shot.layouts} - {each.id for each in layouts}
    return shot.evolve(
        layers=tuple(rest),
        layouts=layouts,
        callouts=tuple(each for each in shot.callouts if each not in ended),
        places=tuple(each for each in shot.places if each.of not in ids),
        rows=without_rows(
            shot,
            [
                *(f"layer:{key}" for key in ids),
                *(f"layout:{key}" for key in gone),
                *(f"callout:{each.id}" for each in ended),
            ],
        ),
        pictures=pictures_used(shot, rest),
        shots=shots_used(shot, rest),
        lamps=tuple(_lamp_without(shot, lamp, ids) for lamp in shot.lamps),
        dressing=tuple(_dressing_without(each, ids) for each in shot.dressing),
        **routed | {"cameras": tuple(cameras)},
    )


def _lamp_without(shot: Shot, lamp: Lamp, ids: Collection[str]) -> Lamp:
    """Return a lamp that names none of some layers; what travelled with one stays where it was."""
    changes: dict[str, Any] = {"aim": ""} if lamp.aim in ids else {}
    if lamp.rides_with in ids:
        pose = track_of(shot, shot.layer(lamp.rides_with), [0.0]).poses[0]
        place = (pose @ [*lamp.position, 1.0])[:3].tolist()
        changes |= {"rides_with": "", "position": tuple(place)}
    return lamp.evolve(**changes) if changes else lamp


def _dressing_without(thing: Dressing, ids: Collection[str]) -> Dressing:
    """Return what is in the air without the layers it came from, or that glowed.

    An effect whose mask was theirs is kept, and off until it gets another.
    """
    if isinstance(thing, Effect):
        lost: dict[str, Any] = {}
        if thing.over.kind is On.LAYER and thing.over.of in ids:
            lost |= {"over": thing.over.evolve(of=""), "on": False}
        mask = thing.mask
        if mask and (mask.of in ids or mask.fixed in ids):
            kept = {"of": "" if mask.of in ids else mask.of}
            kept["fixed"] = "" if mask.fixed in ids else mask.fixed
            lost |= {"mask": mask.evolve(**kept), "on": False}
        if getattr(thing, "fixed", "") in ids:
            lost["fixed"] = ""
        return thing.evolve(**lost) if lost else thing
    if isinstance(thing, Particles) and thing.layer in ids:
        return thing.evolve(layer="", emits=Emits.BOX)
    if isinstance(thing, Glow) and any(each in ids for each in thing.layers):
        left = tuple(each for each in thing.layers if each not in ids)
        # With none left it would be the whole frame that glows.
        return thing.evolve(layers=left, on=thing.on and bool(left))
    return thing


def without_rows(shot: Shot, gone: Collection[str]) -> tuple[Row, ...]:
    """Return the rows of all but some things, named as rows name them."""
    return tuple(row for row in shot.rows if row.of not in gone)


def _released(route: Route, ids: Collection[str]) -> Route:
    """Return the route without what follows layers that go; lenses stay as they were reached."""
    framings = tuple(
        each.evolve(keeps="") if each.keeps in ids else each for each in route.framings
    )
    aim = None if route.aim and route.aim.at in ids else route.aim
    return route.evolve(framings=framings, aim=aim)


def pictures_used(shot: Shot, layers: Iterable[Layer]) -> dict[str, PictureRef]:
    """Return the pictures of a shot that some layers show."""
    used = {key for layer in layers for key in layer.pictures}
    used |= {getattr(each, "picture", "") for each in shot.dressing}
    used |= {each.gobo.picture for each in shot.lamps if each.gobo}
    return {key: picture for key, picture in shot.pictures.items() if key in used}


def shots_used(shot: Shot, layers: Iterable[Layer]) -> dict[str, NestedShot]:
    """Return the other shots that some layers show."""
    used = {layer.nested.shot for layer in layers if layer.nested}
    return {key: inner for key, inner in shot.shots.items() if key in used}


def free_name(name: str, shot: Shot) -> str:
    """Return a name for a layer that no other has: the same one, or it with a number."""
    taken = {each.name for each in shot.layers}
    found, n = name[:80], 1
    while found in taken:
        n += 1
        found = f"{name[:74]} {n}"
    return found


def numbered(name: str, taken: Collection[str]) -> str:
    """Return a name that is not taken: the same one, or it with the first number that is free."""
    names = (name if n == 1 else f"{name} {n}" for n in range(1, len(taken) + 2))
    return next(each for each in names if each not in taken)


def free_id(letter: str, taken: Collection[str]) -> str:
    """Return the first id that is not taken: a letter and a number."""
    return next(f"{letter}{n}" for n in range(1, len(taken) + 2) if f"{letter}{n}" not in taken)


def free_key(name: str, content: object, taken: dict[str, Any]) -> str:
    """Return a name under which nothing else is kept: the same one, or it with a number."""
    found, n = name, 1
    while found in taken and (content is None or taken[found] != content):
        n += 1
        found = f"{name[:74]}-{n}"
    return found


def unlocked(shot: Shot, layer_id: str) -> Layer:
    """Return a layer that may be moved."""
    layer = shot.layer(layer_id)
    if layer.locked:
        raise EditError(f"{layer.name} is locked. Unlock it to move it.")
    return layer


def on_stage(shot: Shot, layer_id: str) -> Layer:
    """Return a layer that may be moved and stands somewhere: no backdrop."""
    layer = unlocked(shot, layer_id)
    if layer.is_backdrop:
        raise EditError(f"{layer.name} is a backdrop, behind everything; it stands nowhere.")
    return layer


def framing_of(shot: Shot, index: int) -> Framing:
    """Return a framing of the route."""
    if not 0 <= index < len(shot.route.framings):
        raise EditError(f"There is no framing {index + 1} on the route.")
    return shot.route.framings[index]


def with_framings(shot: Shot, framings: Iterable[Framing], duration: int | None = None) -> Shot:
    """Return the shot with other framings on its route."""
    return with_route(shot, shot.route.evolve(framings=tuple(framings)), duration)


def with_route(shot: Shot, route: Route, duration: int | None = None) -> Shot:
    """Return the shot with another route, and as many frames as that needs."""
    if duration is None or duration == shot.frame.duration:
        return shot.with_camera(route=route)
    fit = _routes(shot, lambda each: fitted(each, shot.frame.duration, duration))
    directed = shot.camera.evolve(route=route)
    before, after = times_of(shot.route, shot.frame.duration), times_of(route, duration)
    arrived, arrives = ([each.frame for each in x.framings] for x in (shot.route, route))
    return shot.evolve(
        frame=shot.frame.evolve(duration=duration),
        cameras=tuple(directed if each.id == directed.id else each for each in fit["cameras"]),
        takes=fit["takes"],
        cuts=tuple(cut for cut in shot.cuts if cut.frame < duration),
        rows=retimed(shot.rows, before, after),
        layouts=tuple(
            each.retimed(lambda frame: moved_along(frame, before, after), duration - 1)
            for each in shot.layouts
        ),
        markers=moved_markers(shot, lambda frame: moved_along(frame, before, after), duration),
        layers=tuple(
            passages_moved(
                each,
                tuple(arrived),
                tuple(arrives),
                lambda frame: moved_along(frame, before, after),
            ).evolve(
                seen_from=moved_along(each.seen_from, before, after),
                seen_until=None
                if each.seen_until is None
                else moved_along(each.seen_until, before, after),
            )
            for each in shot.layers
        ),
    )


def moved_markers(shot: Shot, moved: Callable[[int], int], duration: int) -> tuple[Marker, ...]:
    """Return a shot's markers where ``moved`` says their frames have come to, within its time."""
    found: dict[int, Marker] = {}
    for each in shot.markers:
        frame = moved(each.frame)
        if 0 <= frame < duration:
            found.setdefault(frame, each.evolve(frame=frame))
    return tuple(found[frame] for frame in sorted(found))


def _routes(shot: Shot, change: Callable[[Route], Route]) -> dict[str, Any]:
    """Return the cameras and takes of a shot with every route changed alike."""
    return {
        "cameras": tuple(each.evolve(route=change(each.route)) for each in shot.cameras),
        "takes": tuple(each.evolve(route=change(each.route)) for each in shot.takes),
    }


def fitted(route: Route, before: int, duration: int) -> Route:
    """Return a route for a shot of another length: it stands longer, or is stretched."""
    if route.framings[-1].last < duration:
        return route
    return stretched(times_of(route, before), duration).laid(route)


def with_framing(shot: Shot, index: int, **changes: object) -> Shot:
    """Return the shot with values of one framing changed."""
    framings = list(shot.route.framings)
    framings[index] = framing_of(shot, index).evolve(**changes)
    return with_framings(shot, framings)


def seen_framing(camera: CameraState, frame: int, **more: object) -> Framing:
    """Return a framing that holds what a camera sees."""
    return Framing.model_validate(
        {
            "frame": frame,
            "position": camera.position,
            "pan": camera.pan,
            "tilt": camera.tilt,
            "roll": camera.roll,
            "lens": camera.lens,
        }
        | more
    )


def at_least(shot: Shot, duration: int) -> int:
    """Return the shot's length in frames, or ``duration`` if that is more."""
    return max(duration, shot.frame.duration)


def frames_of(shot: Shot, when: When) -> int:
    """Return what a time says in frames."""
    return when if isinstance(when, int) else parse_time(when, shot.frame.rate)
