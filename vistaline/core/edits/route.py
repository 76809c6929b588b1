"""The edits a person can make to a camera's route: shot -> new shot."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.easing import EaseName
from vistaline.core.edits.gestures import CameraMove, moved, nearest_at
from vistaline.core.edits.registry import (
    REGISTRY,
    Frames,
    at_least,
    framing_of,
    seen_framing,
    with_framing,
    with_framings,
    with_route,
)
from vistaline.core.errors import EditError
from vistaline.core.geometry import space
from vistaline.core.geometry.optics import gate_size
from vistaline.core.shot import retiming
from vistaline.core.shot.retiming import times_of
from vistaline.core.shot.route import Aim, Framing, Path
from vistaline.core.shot.shakes import Shake
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states, depth_of, route_states
from vistaline.core.stage.cards import card_of, cards_over
from vistaline.core.verbs import FROM_JSON

__all__ = ["ease_asked", "with_kept_lenses"]

verb = REGISTRY.verb


# --- what a framing sees ----------------------------------------------------------------------


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
    found = framing_of(shot, framing)
    x, y, z = found.position
    position = (
        x if across is None else across,
        y if up is None else up,
        z if forward is None else -forward,
    )
    others = {"pan": pan, "tilt": tilt, "roll": roll, "lens": lens, "name": name}
    changes = {key: value for key, value in others.items() if value is not None}
    return with_framing(shot, framing, position=position, **changes)


@verb("move camera")
def move_camera(
    shot: Shot,
    *,
    framing: int,
    move: CameraMove,
    dx: float,
    dy: float = 0,
    layer: str = "",
    x: float | None = None,
    y: float | None = None,
    frame: int = 0,
) -> Shot:
    """Move the camera of a framing as a drag of ``dx``, ``dy`` frame pixels asks.

    ``x``, ``y``: the pixel of ``frame`` at which the drag began, on ``layer`` if one is named;
    left out, the layer's middle is what the drag grasps.
    """
    found = framing_of(shot, framing)
    grasped = None
    if x is not None and y is not None:
        grasped = nearest_at(shot, camera_states(shot, [frame])[0], x, y, only=layer)
    elif layer:
        grasped = card_of(shot, shot.layer(layer)).world_from_card[:3, 3]
    return with_framing(shot, framing, **moved(shot, found, move, dx=dx, dy=dy, grasped=grasped))


@verb("see the whole picture")
def see_whole(shot: Shot, *, framing: int) -> Shot:
    """Let a framing see the whole of the farthest picture, straight on, through its own lens."""
    found = framing_of(shot, framing)
    pictures = [layer for layer in shot.layers if layer.picture and not layer.hidden]
    if not pictures:
        raise EditError("No picture is shown, so there is none to see whole. Show one first.")
    card = card_of(shot, max(pictures, key=lambda layer: layer.distance))
    width, height = gate_size(*shot.frame.size)
    away = max(card.width * found.lens / width, card.height * found.lens / height)
    pose = card.world_from_card @ space.pose((0.0, 0.0, away))
    pan, tilt, roll = space.angles_of(pose[:3, :3])
    return with_framing(
        shot, framing, position=tuple(pose[:3, 3].tolist()), pan=pan, tilt=tilt, roll=roll
    )


@verb("set lens")
def set_lens(shot: Shot, *, lens: float, framing: int | None = None) -> Shot:
    """Set the focal length in millimetres of one framing, or of all."""
    if framing is not None:
        return with_framing(shot, framing, lens=lens)
    return with_framings(shot, [each.evolve(lens=lens) for each in shot.route.framings])


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
    return with_framing(shot, framing, ease=ease_asked(shot, ease, (x1, y1, x2, y2)))


def ease_asked(shot: Shot, ease: str, handles: tuple[float | None, ...]) -> EaseName:
    """Return the ease a form asks for: by its name, one kept by name, or four handles."""
    if ease.startswith("kept:"):
        if ease[5:] not in shot.eases:
            raise EditError(f"No ease is kept as {ease[5:]!r} (it may have been removed).")
        return shot.eases[ease[5:]]
    if ease != "own":
        return ease
    x1, y1, x2, y2 = handles
    if x1 is None or y1 is None or x2 is None or y2 is None:
        raise EditError("An ease of your own needs four numbers: x1, y1, x2, y2.")
    return x1, y1, x2, y2


@verb("keep ease")
def keep_ease(shot: Shot, *, framing: int, name: str) -> Shot:
    """Keep the ease of a travel by a name, for others."""
    if not name.strip() or len(name) > 80:
        raise EditError("An ease is kept by a name of 1 to 80 letters. Type one.")
    return shot.evolve(eases=shot.eases | {name.strip(): framing_of(shot, framing).ease})


@verb("forget ease")
def forget_ease(shot: Shot, *, name: str) -> Shot:
    """Take an ease off the list; travels that have it keep it."""
    return shot.evolve(eases={key: ease for key, ease in shot.eases.items() if key != name})


@verb("replace framing")
def replace_framing(shot: Shot, *, framing: int, frame: Frames) -> Shot:
    """Let a framing hold what the camera sees at ``frame``; when it is reached stays."""
    found = framing_of(shot, framing)
    seen = seen_framing(route_states(shot, [frame])[0], found.frame)
    kept = ("position", "pan", "tilt", "roll", "lens")
    return with_framing(shot, framing, **{key: getattr(seen, key) for key in kept})


@verb("keep size")
def keep_size(shot: Shot, *, framing: int, layer: str = "") -> Shot:
    """Dolly zoom: on the travel to a framing the lens keeps a layer's size; "" ends that."""
    found = framing_of(shot, framing)
    if not layer:
        return with_framing(shot, framing, keeps="")
    if framing == 0:
        raise EditError("No travel arrives at the first framing. Choose the one the move ends at.")
    if shot.layer(layer).is_backdrop:
        raise EditError(f"{shot.layer(layer).name} is a backdrop; it has one size always.")
    if shot.route.framings[framing - 1].position == found.position:
        raise EditError(
            "The camera does not move on this travel, so nothing changes size. Move this framing "
            "nearer or farther first."
        )
    changed = with_kept_lenses(with_framing(shot, framing, keeps=layer))
    start = shot.route.framings[framing - 1].last
    frames = range(start, found.frame + 1)
    cameras = camera_states(changed, frames)
    cards = cards_over(shot, shot.layer(layer), frames, cameras)
    for frame, camera, card in zip(frames, cameras, cards, strict=True):
        near = depth_of(camera, card.world_from_card[:3, 3]) < 0.01
        if near or not 2 <= camera.lens <= 4000:
            raise EditError(
                f"At frame {frame} the camera comes too close to {shot.layer(layer).name}, or "
                "passes it, for its size to be kept. End the move before it."
            )
    return changed


def with_kept_lenses(shot: Shot) -> Shot:
    """Return the shot with those lenses written down that follow from sizes that are kept."""
    for i, framing in enumerate(shot.route.framings):
        if framing.keeps:
            lens = route_states(shot, [framing.frame])[0].lens
            if abs(lens - framing.lens) > 1e-9 * lens:
                shot = with_framing(shot, i, lens=lens)
    return shot


# --- which framings there are -----------------------------------------------------------------


@verb("add framing")
def add_framing(shot: Shot, *, frame: Frames) -> Shot:
    """Add a framing at ``frame`` that holds what the camera sees there."""
    framings = list(shot.route.framings)
    if any(each.frame == frame for each in framings):
        raise EditError(f"There is a framing at frame {frame} already. Go to another frame first.")
    for i, each in enumerate(framings):
        if each.frame < frame <= each.last:
            # In a hold: the hold goes on after it.
            framings[i] = each.evolve(hold=frame - 1 - each.frame)
            held = seen_framing(route_states(shot, [frame])[0], frame, hold=each.last - frame)
            return with_framings(shot, retiming.joined([*framings, held]))
    added = seen_framing(route_states(shot, [frame])[0], frame)
    return with_framings(shot, retiming.joined([*framings, added]))


@verb("remove framing")
def remove_framing(shot: Shot, *, framing: int) -> Shot:
    """Take a framing off the route; one must stay."""
    framing_of(shot, framing)
    framings = list(shot.route.framings)
    if len(framings) == 1:
        raise EditError("A route needs at least one framing. Add another before removing this one.")
    del framings[framing]
    return with_framings(shot, framings)


@verb("duplicate framing")
def duplicate_framing(shot: Shot, *, framing: int) -> Shot:
    """Add a copy of a framing behind it, a second on; what follows moves along."""
    return _inserted(shot, framing + 1, [framing_of(shot, framing).evolve(name="")])


@verb("paste framings")
def paste_framings(
    shot: Shot, *, framings: Annotated[list[Framing], FROM_JSON], after: int
) -> Shot:
    """Add framings behind another, each as long after the one before as it was; the rest shifts."""
    framing_of(shot, after)
    if not framings or len(framings) > 500:
        raise EditError("Copy at least one framing first.")
    layers = {layer.id for layer in shot.layers}
    fitting = [each if each.keeps in layers else each.evolve(keeps="") for each in framings]
    return _inserted(shot, after + 1, fitting)


def _inserted(shot: Shot, place: int, added: list[Framing]) -> Shot:
    """Add framings to the route, a second's travel before the first; all that follows shifts."""
    framings = list(shot.route.framings)
    second = max(1, round(float(shot.frame.rate)))
    start = framings[place - 1].last + second
    laid = [each.evolve(frame=start + each.frame - added[0].frame) for each in added]
    grown = laid[-1].last - framings[place - 1].last
    after = [each.evolve(frame=each.frame + grown) for each in framings[place:]]
    if not after:
        return with_framings(shot, [*framings, *laid], at_least(shot, laid[-1].last + 1))
    grown_to = shot.frame.duration + grown
    return with_framings(shot, [*framings[:place], *laid, *after], grown_to)


@verb("order of framings")
def reorder_framing(shot: Shot, *, framing: int, place: int) -> Shot:
    """Put what a framing sees at another place in the order; the times stay where they are."""
    framing_of(shot, framing)
    framings = list(shot.route.framings)
    order = [*framings]
    order.insert(min(max(place, 0), len(order) - 1), order.pop(framing))
    times = [(each.frame, each.hold) for each in framings]
    return with_framings(
        shot,
        [each.evolve(frame=at, hold=hold) for each, (at, hold) in zip(order, times, strict=True)],
    )


@verb("mirror route")
def mirror_route(shot: Shot) -> Shot:
    """Mirror the route left to right, about where the picture was taken from."""
    x0 = shot.taking_camera.position[0]

    def mirrored(each: Framing) -> Framing:
        x, y, z = each.position
        handles = {
            key: (-handle[0], handle[1], handle[2])
            for key, handle in (("arrive", each.arrive), ("leave", each.leave))
            if handle
        }
        return each.evolve(position=(2 * x0 - x, y, z), pan=-each.pan, roll=-each.roll, **handles)

    return with_framings(shot, map(mirrored, shot.route.framings))


@verb("back to the first")
def back_to_first(shot: Shot, *, travel: Frames | None = None) -> Shot:
    """Add a last framing that is the first again: the shot can be looped without a seam."""
    framings = shot.route.framings
    if travel is None:
        travels = times_of(shot.route, shot.frame.duration).travels
        travel = round(float(np.mean(travels))) if travels else shot.frame.duration
    end = framings[-1].last + max(1, travel)
    again = framings[0].evolve(frame=end, hold=0, ease="ease-in-out", name=framings[0].name)
    return with_framings(shot, [*framings, again], at_least(shot, end + 1))


# --- the whole route --------------------------------------------------------------------------


@verb("path")
def set_path(shot: Shot, *, path: Path) -> Shot:
    """Let the camera go straight from framing to framing, or smoothly through them."""
    return with_route(shot, shot.route.evolve(path=path))


@verb("path handle")
def drag_handle(
    shot: Shot,
    *,
    framing: int,
    end: Literal["arrive", "leave"],
    view: Literal["above", "side"],
    x: float,
    y: float,
    joined: bool = True,
) -> Shot:
    """Set a handle of the path by metres of the plan's sheet from its framing.

    Joined, the other handle turns along and keeps its length, so that the path has no corner.
    """
    found = framing_of(shot, framing)
    old = getattr(found, end) or (0.0, 0.0, 0.0)
    new = (x, old[1], -y) if view == "above" else (old[0], y, -x)
    changes: dict[str, object] = {end: new}
    other = "leave" if end == "arrive" else "arrive"
    if joined:
        kept = getattr(found, other)
        length, size = np.linalg.norm(kept or new), np.linalg.norm(new)
        if size > 1e-9:
            changes[other] = tuple((-np.array(new) * length / size).tolist())
    smooth = shot.with_camera(route=shot.route.evolve(path="smooth"))
    return with_framing(smooth, framing, **changes)


@verb("path handle")
def forget_handles(shot: Shot, *, framing: int) -> Shot:
    """Let the path find its own way through a framing again."""
    return with_framing(shot, framing, arrive=None, leave=None)


@verb("aim")
def set_aim(
    shot: Shot,
    *,
    at: str = "",
    across: Annotated[float, Field(ge=-50, le=50)] = 0,
    up: Annotated[float, Field(ge=-50, le=50)] = 0,
) -> Shot:
    """Keep a layer at one place in the frame, percent from its middle; "" lets the head be free."""
    if not at:
        return with_route(shot, shot.route.evolve(aim=None))
    if shot.layer(at).is_backdrop:
        raise EditError(f"{shot.layer(at).name} is a backdrop: it is seen everywhere already.")
    aim = Aim(at=at, across=across / 100, up=up / 100)
    return with_route(shot, shot.route.evolve(aim=aim))


@verb("shake")
def set_shake(
    shot: Shot,
    *,
    mount: str = "",
    frequency: float | None = None,
    travel: float | None = None,
    turn: float | None = None,
    roughness: float | None = None,
    seed: int | None = None,
    ramp_in: int | None = None,
    ramp_out: int | None = None,
) -> Shot:
    """Set how the directed camera, or a mount, shakes.

    ``frequency`` in swings a second, ``travel`` in metres, ``turn`` in degrees, ``roughness`` in
    percent, the ramps in frames; what is left out stays as it is.
    """
    shake = (shot.mount(mount).shake if mount else shot.route.shake) or Shake()
    share = None if roughness is None else roughness / 100
    given = {
        "frequency": frequency, "travel": travel, "turn": turn, "roughness": share,
        "seed": seed, "ramp_in": ramp_in, "ramp_out": ramp_out,
    }  # fmt: skip
    changed = shake.evolve(**{key: value for key, value in given.items() if value is not None})
    return _shaking(shot, mount, changed)


@verb("no shake")
def stop_shake(shot: Shot, *, mount: str = "") -> Shot:
    """Take the shake away from the directed camera, or from a mount."""
    return _shaking(shot, mount, None)


def _shaking(shot: Shot, mount: str, shake: Shake | None) -> Shot:
    if not mount:
        return with_route(shot, shot.route.evolve(shake=shake))
    changed = shot.mount(mount).evolve(shake=shake)
    return shot.evolve(mounts=tuple(changed if each.id == mount else each for each in shot.mounts))


@verb("enlarge the picture")
def enlarge(shot: Shot, *, percent: Annotated[float, Field(gt=0, le=1000)]) -> Shot:
    """Multiply every framing's lens: what is seen gets larger, and edges go out of sight."""
    factor = percent / 100
    return with_framings(
        shot, [each.evolve(lens=each.lens * factor) for each in shot.route.framings]
    )


@verb("step forward")
def step_forward(shot: Shot, *, metres: Annotated[float, Field(ge=-1000, le=1000)]) -> Shot:
    """Move every framing along its own axis, into the picture."""
    framings = []
    for each in shot.route.framings:
        ahead = space.rotation(each.pan, each.tilt, each.roll) @ np.array([0.0, 0.0, -metres])
        framings.append(each.evolve(position=tuple((np.array(each.position) + ahead).tolist())))
    return with_framings(shot, framings)
