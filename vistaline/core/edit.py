"""The edits a person can make: shot -> new shot. Nothing is changed in place.

Every function marked ``@verb`` may be asked for by name (``apply``; see ``verbs``).
"""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field, ValidationError

from vistaline.core import space
from vistaline.core.blending import Blend
from vistaline.core.camera_moves import CameraMove, moved
from vistaline.core.errors import EditError, ShotError
from vistaline.core.evaluate import camera_states, card_of
from vistaline.core.shot import Framing, Layer, PictureRef, Shot, explain
from vistaline.core.shot_verbs import REGISTRY, unlocked, with_layer
from vistaline.core.timing import parse_rate

__all__ = ["VERBS", "apply", "label"]

verb, apply, label = REGISTRY.verb, REGISTRY.apply, REGISTRY.label
VERBS = REGISTRY.functions


# --- layers -----------------------------------------------------------------------------------


@verb("move in depth")
def move_in_depth(shot: Shot, *, layer: str, distance: float, keep_framing: bool = True) -> Shot:
    """Set a layer's distance from the taking camera.

    With its framing kept its size changes in exact proportion to distance, so the taking camera
    sees it as before (common practice, no source: scaled by b / a). Moved freely it keeps its
    size in metres and is seen larger or smaller.
    """
    found = unlocked(shot, layer)
    if not 0 < distance < float("inf"):
        raise EditError(
            f"{found.name} must stand in front of the taking camera: give a distance above 0 m, "
            f"not {distance:g} m."
        )
    ratio = distance / found.distance
    if keep_framing:
        return with_layer(
            shot, layer, distance=distance, across=found.across * ratio, up=found.up * ratio
        )
    return with_layer(shot, layer, distance=distance, scale=found.scale / ratio)


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
    card = card_of(shot, found)
    camera = camera_states(shot, [frame])[0]
    taking = shot.taking_camera
    world_from_taking = space.pose(taking.position, taking.pan, taking.tilt, taking.roll)
    centre = np.linalg.inv(world_from_taking) @ card.world_from_card[:, 3]
    image_from_taking = (
        camera.image_from_camera @ (camera.camera_from_world @ world_from_taking)[:3]
    )
    # The plane the layer slides in is upright before the taking camera: z stays.
    image_from_plane = np.column_stack(
        [
            image_from_taking[:, 0],
            image_from_taking[:, 1],
            image_from_taking[:, 2] * centre[2] + image_from_taking[:, 3],
        ]
    )
    if abs(np.linalg.det(image_from_plane)) < 1e-9:
        raise EditError(f"{found.name} is seen from its side here. Drag it on the plan instead.")
    seen = space.project(image_from_plane, centre[None, :2])
    target = space.project(np.linalg.inv(image_from_plane), seen + np.array([dx, dy]))[0]
    return with_layer(
        shot,
        layer,
        across=found.across + float(target[0] - centre[0]),
        up=found.up + float(target[1] - centre[1]),
    )


@verb("size layer")
def size_layer(shot: Shot, *, layer: str, percent: float) -> Shot:
    """Size a layer about its own middle; 100 percent is exactly as it was taken."""
    found = unlocked(shot, layer)
    if not 0 < percent <= 1e6:
        raise EditError(f"A size must be above 0 %, not {percent:g} %.")
    before = card_of(shot, found)
    shot = with_layer(shot, layer, scale=percent / 100)
    found = shot.layer(layer)
    shift = before.world_from_card[:3, 3] - card_of(shot, found).world_from_card[:3, 3]
    taking = shot.taking_camera
    across, up, _ = space.rotation(taking.pan, taking.tilt, taking.roll).T @ shift
    return with_layer(shot, layer, across=found.across + float(across), up=found.up + float(up))


@verb("turn layer")
def turn_layer(
    shot: Shot,
    *,
    layer: str,
    pan: float | None = None,
    tilt: float | None = None,
    roll: float | None = None,
) -> Shot:
    """Turn a layer about its own middle, in degrees."""
    unlocked(shot, layer)
    angles = {"pan": pan, "tilt": tilt, "roll": roll}
    return with_layer(shot, layer, **{k: v for k, v in angles.items() if v is not None})


@verb("opacity")
def set_opacity(shot: Shot, *, layer: str, percent: Annotated[float, Field(ge=0, le=100)]) -> Shot:
    """Set how much of a layer is seen, 0 to 100 percent."""
    return with_layer(shot, layer, opacity=percent / 100)


@verb("blend mode")
def set_blend(shot: Shot, *, layer: str, blend: Blend) -> Shot:
    """Set what is done with the colour behind a layer."""
    return with_layer(shot, layer, blend=blend)


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


@verb("lock or unlock")
def set_locked(shot: Shot, *, layer: str, locked: bool) -> Shot:
    """Keep a layer from being moved, or let it be moved again."""
    return with_layer(shot, layer, locked=locked)


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
    rest = tuple(each for each in shot.layers if each.id != layer)
    used = {each.picture for each in rest}
    pictures = {key: picture for key, picture in shot.pictures.items() if key in used}
    return shot.evolve(layers=rest, pictures=pictures)


# --- the route --------------------------------------------------------------------------------


def _framing(shot: Shot, index: int) -> Framing:
    if not 0 <= index < len(shot.route.framings):
        raise EditError(f"There is no framing {index + 1} on the route.")
    return shot.route.framings[index]


def _with_framings(shot: Shot, framings: list[Framing]) -> Shot:
    return shot.evolve(route=shot.route.evolve(framings=tuple(framings)))


def _with_framing(shot: Shot, index: int, **changes: Any) -> Shot:
    framings = list(shot.route.framings)
    framings[index] = _framing(shot, index).evolve(**changes)
    return _with_framings(shot, framings)


@verb("set framing")
def set_framing(
    shot: Shot,
    *,
    framing: int,
    across: float | None = None,
    up: float | None = None,
    forward: float | None = None,
    pan: float | None = None,
    tilt: float | None = None,
    roll: float | None = None,
    lens: float | None = None,
    name: str | None = None,
) -> Shot:
    """Set any of a framing's values: metres, degrees, millimetres. Forward is into the picture."""
    found = _framing(shot, framing)
    x, y, z = found.position
    position = (
        x if across is None else across,
        y if up is None else up,
        z if forward is None else -forward,
    )
    others = {"pan": pan, "tilt": tilt, "roll": roll, "lens": lens, "name": name}
    changes = {key: value for key, value in others.items() if value is not None}
    return _with_framing(shot, framing, position=position, **changes)


@verb("move camera")
def move_camera(
    shot: Shot, *, framing: int, move: CameraMove, dx: float, dy: float = 0, layer: str = ""
) -> Shot:
    """Move the camera of a framing as a drag of ``dx``, ``dy`` frame pixels asks.

    What is dragged follows the pointer at the distance of ``layer``, or at the taking distance
    of the nearest layer if none is named.
    """
    found = _framing(shot, framing)
    return _with_framing(
        shot, framing, **moved(shot, found, move, dx=dx, dy=dy, layer_id=layer or None)
    )


@verb("set lens")
def set_lens(shot: Shot, *, lens: float, framing: int | None = None) -> Shot:
    """Set the focal length in millimetres of one framing, or of all."""
    if framing is not None:
        return _with_framing(shot, framing, lens=lens)
    return _with_framings(shot, [each.evolve(lens=lens) for each in shot.route.framings])


@verb("set ease")
def set_ease(
    shot: Shot,
    *,
    framing: int,
    ease: str,
    x1: float | None = None,
    y1: float | None = None,
    x2: float | None = None,
    y2: float | None = None,
) -> Shot:
    """Set the ease of the travel that arrives at a framing: a name, or ``own`` and four handles."""
    if ease != "own":
        return _with_framing(shot, framing, ease=ease)
    if x1 is None or y1 is None or x2 is None or y2 is None:
        raise EditError("An ease of your own needs four numbers: x1, y1, x2, y2.")
    return _with_framing(shot, framing, ease=(x1, y1, x2, y2))


@verb("move framing in time")
def time_framing(shot: Shot, *, framing: int, frame: int) -> Shot:
    """Move a framing to another frame, between its neighbours."""
    return _with_framing(shot, framing, frame=frame)


@verb("add framing")
def add_framing(shot: Shot, *, frame: int) -> Shot:
    """Add a framing at ``frame`` that holds what the camera sees there."""
    framings = list(shot.route.framings)
    if any(framing.frame == frame for framing in framings):
        raise EditError(f"There is a framing at frame {frame} already. Go to another frame first.")
    camera = camera_states(shot, [frame])[0]
    added = Framing(
        frame=frame,
        position=camera.position,
        pan=camera.pan,
        tilt=camera.tilt,
        roll=camera.roll,
        lens=camera.lens,
    )
    return _with_framings(shot, sorted([*framings, added], key=lambda framing: framing.frame))


@verb("remove framing")
def remove_framing(shot: Shot, *, framing: int) -> Shot:
    """Take a framing off the route; one must stay."""
    _framing(shot, framing)
    framings = list(shot.route.framings)
    if len(framings) == 1:
        raise EditError("A route needs at least one framing. Add another before removing this one.")
    del framings[framing]
    return _with_framings(shot, framings)


# --- the shot ---------------------------------------------------------------------------------


@verb("rename shot")
def rename_shot(shot: Shot, *, name: str) -> Shot:
    """Give the shot another name."""
    if not name.strip():
        raise EditError("A shot needs a name. Type one.")
    return shot.evolve(name=name.strip())


@verb("change frame")
def set_format(shot: Shot, *, width: int, height: int, rate: str, duration: int) -> Shot:
    """Set frame size, rate and duration (frames). The route is stretched in proportion.

    The lens keeps what is seen along the frame's longer side.
    """
    last = shot.frame.duration - 1
    stretch = (duration - 1) / last if last else 1.0
    framings: list[Framing] = []
    for framing in shot.route.framings:
        frame = round(framing.frame * stretch)
        if framings and frame <= framings[-1].frame:
            raise EditError(
                f"{duration} frames are too few for {len(shot.route.framings)} framings. "
                "Make the shot longer or remove a framing first."
            )
        framings.append(framing.evolve(frame=frame))
    try:
        return shot.evolve(
            frame=shot.frame.evolve(
                width=width, height=height, rate=parse_rate(rate), duration=duration
            ),
            route=shot.route.evolve(framings=tuple(framings)),
        )
    except ValidationError as error:
        cause: ShotError = explain(error)
        raise EditError(f"Frame: {cause}") from error


@verb("add layers")
def add_layers(shot: Shot, *, pictures: dict[str, PictureRef], layers: list[Layer]) -> Shot:
    """Add layers with their pictures; a layer whose id is taken gets another."""
    taken = {layer.id for layer in shot.layers}
    added = [layer.evolve(id="") if layer.id in taken else layer for layer in layers]
    try:
        return shot.evolve(pictures=shot.pictures | pictures, layers=(*shot.layers, *added))
    except ValidationError as error:
        raise EditError(str(explain(error, Shot))) from error
