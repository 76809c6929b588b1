"""The edits of lamps, and of what takes their light."""

from __future__ import annotations

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.edits.registry import REGISTRY, on_stage, with_layers, without_rows
from vistaline.core.errors import EditError
from vistaline.core.model import HexColour
from vistaline.core.shot.lamps import MOST_LAMPS, Falloff, Lamp, LampKind
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.lamps import lights_at
from vistaline.core.stage.placing import stage_card
from vistaline.core.stage.sheet import PlanView, lifted

__all__ = ["with_lamp"]

verb = REGISTRY.verb
_NAMES = {
    LampKind.POINT: "Lamp",
    LampKind.SPOT: "Spot",
    LampKind.PARALLEL: "Sun",
    LampKind.AMBIENT: "All round",
}


def with_lamp(shot: Shot, lamp: Lamp) -> Shot:
    """Return the shot with a lamp in place of that of the same id."""
    return shot.evolve(lamps=tuple(lamp if each.id == lamp.id else each for each in shot.lamps))


@verb("add lamp")
def add_lamp(shot: Shot, *, kind: LampKind, layer: str = "", playhead: int = 0) -> Shot:
    """Add a lamp: before a layer, or before what stands in the middle of the frame; aimed at it.

    It stands to the left of the camera and above it, half way to what it lights, which it shows
    as bright as it is. The first lamp of a shot does not stand alone in the dark: a weak light
    from everywhere comes with it.
    """
    if len(shot.lamps) >= MOST_LAMPS:
        raise EditError(f"A shot has {MOST_LAMPS} lamps at most. Remove one first.")
    camera = camera_states(shot.evolve(cuts=()), [playhead])[0]
    target = on_stage(shot, layer) if layer else _in_the_middle(shot, camera)
    middle = stage_card(shot, target).world_from_card[:3, 3]
    home = np.array(camera.position)
    away = float(np.linalg.norm(middle - home))
    right, up = camera.world_from_camera[:3, 0], camera.world_from_camera[:3, 1]
    place = home + (middle - home) * 0.5 + (up * 0.12 - right * 0.12) * away
    aimed = kind in (LampKind.SPOT, LampKind.PARALLEL)
    made = Lamp(
        id=_free_id(shot),
        name=_free_name(shot, _NAMES[kind]),
        kind=kind,
        position=tuple(np.round(place, 4).tolist()),
        aim=target.id if aimed else "",
        normal=round(max(float(np.linalg.norm(middle - place)), 1e-3), 4),
    )
    lit = shot.evolve(lamps=(*shot.lamps, made))
    if shot.lamps or kind is LampKind.AMBIENT:
        return lit
    faint = Lamp(
        id=_free_id(lit), name=_NAMES[LampKind.AMBIENT], kind=LampKind.AMBIENT, brightness=0.25
    )
    return lit.evolve(lamps=(*lit.lamps, faint))


def _in_the_middle(shot: Shot, camera: CameraState) -> Layer:
    """Return what stands nearest to the middle of the frame, of what lamps light."""
    ahead = -camera.world_from_camera[:3, 2]

    def aside(layer: Layer) -> float:
        way = stage_card(shot, layer).world_from_card[:3, 3] - camera.position
        return float(way @ ahead / max(float(np.linalg.norm(way)), 1e-9))

    standing = [each for each in shot.layers if each.is_lit and not each.hidden]
    if not standing:
        raise EditError("There is nothing here that a lamp could light. Add a layer first.")
    return max(reversed(standing), key=aside)


def _free_id(shot: Shot) -> str:
    taken = {lamp.id for lamp in shot.lamps}
    return next(f"l{n}" for n in range(1, len(taken) + 2) if f"l{n}" not in taken)


def _free_name(shot: Shot, name: str) -> str:
    taken = {lamp.name for lamp in shot.lamps}
    names = (name if n == 1 else f"{name} {n}" for n in range(1, len(taken) + 2))
    return next(each for each in names if each not in taken)


@verb("change lamp")
def set_lamp(
    shot: Shot,
    *,
    lamp: str,
    name: str | None = None,
    on: bool | None = None,
    kind: LampKind | None = None,
    across: float | None = None,
    up: float | None = None,
    forward: float | None = None,
    pan: float | None = None,
    tilt: float | None = None,
    aim: str | None = None,
    brightness: float | None = None,
    colour: HexColour | None = None,
    kelvin: float | None = None,
    falloff: Falloff | None = None,
    normal: float | None = None,
    reach: float | None = None,
    cone: float | None = None,
    softness: float | None = None,
) -> Shot:
    """Set values of a lamp: its place in metres, its brightness and soft edge in percent.

    A colour takes the place of a temperature in kelvin; 0 K takes that away.
    """
    found = shot.lamp(lamp)
    x, y, z = found.position
    values = {
        "name": name.strip() if name and name.strip() else None,
        "on": on,
        "kind": kind,
        "pan": pan,
        "tilt": tilt,
        "aim": aim,
        "brightness": None if brightness is None else brightness / 100,
        "colour": colour,
        "falloff": falloff,
        "normal": normal,
        "reach": reach,
        "cone": cone,
        "softness": None if softness is None else softness / 100,
    }
    changes: dict[str, object] = {key: each for key, each in values.items() if each is not None}
    changes["position"] = (
        x if across is None else across,
        y if up is None else up,
        z if forward is None else -forward,
    )
    if kelvin is not None:
        changes["kelvin"] = kelvin or None
    elif colour is not None:
        changes["kelvin"] = None
    if aim:
        on_stage(shot, aim)
    return with_lamp(shot, found.evolve(**changes))


@verb("move lamp")
def drag_lamp(
    shot: Shot,
    *,
    lamp: str,
    dx: float,
    dy: float,
    view: PlanView = PlanView.ABOVE,
    playhead: int = 0,
) -> Shot:
    """Move a lamp on the plan by metres of the sheet, whatever it rides on or travels with."""
    return _shifted(shot, shot.lamp(lamp), lifted(dx, dy, view), playhead)


@verb("move lamp")
def drag_lamp_seen(
    shot: Shot, *, lamp: str, dx: float, dy: float, frame: int = 0, playhead: int = 0
) -> Shot:
    """Move a lamp across what the camera sees, by frame pixels; its distance stays."""
    found = shot.lamp(lamp)
    camera = camera_states(shot, [frame])[0]
    lights = lights_at(shot, np.array([float(frame)]), [camera])[0]
    light = next(each for each in lights if each.lamp.id == lamp)
    depth = -float((camera.camera_from_world @ [*light.place, 1.0])[2])
    if depth <= 0:
        raise EditError(f"{found.name} is behind the camera. Drag it on the plan.")
    across, up = dx * depth / camera.focal_px, -dy * depth / camera.focal_px
    way = camera.world_from_camera[:3, :2] @ [across, up]
    return _shifted(shot, found, way, playhead)


def _shifted(shot: Shot, lamp: Lamp, way: FloatArray, playhead: int) -> Shot:
    """Return the shot with a lamp moved by metres of the stage, whatever carries it."""
    carry = carry_of(lamp.ride, shot.mounts)
    if carry.moves:
        way = carry.turn.T @ way / carry.scale
    if lamp.with_camera:
        camera = camera_states(shot.evolve(cuts=()), [playhead])[0]
        way = camera.world_from_camera[:3, :3].T @ way
    x, y, z = (np.array(lamp.position) + way).tolist()
    return with_lamp(shot, lamp.evolve(position=(x, y, z)))


@verb("let a lamp travel with the camera")
def lamp_with_camera(
    shot: Shot, *, lamp: str, with_camera: bool = False, playhead: int = 0
) -> Shot:
    """Let a lamp travel with the camera that is seen, or stay where it is now."""
    found = shot.lamp(lamp)
    if found.with_camera == with_camera:
        return shot
    if with_camera and found.ride:
        raise EditError(f"{found.name} rides on a mount. Let it ride off first.")
    camera = camera_states(shot, [playhead])[0]
    here = camera.camera_from_world if with_camera else camera.world_from_camera
    x, y, z = (here @ [*found.position, 1.0])[:3].tolist()
    return with_lamp(shot, found.evolve(with_camera=with_camera, position=(x, y, z)))


@verb("remove lamp")
def remove_lamp(shot: Shot, *, lamp: str) -> Shot:
    """Take a lamp away, with its keys; without any, layers are seen as they are."""
    shot.lamp(lamp)
    return shot.evolve(
        lamps=tuple(each for each in shot.lamps if each.id != lamp),
        rows=without_rows(shot, [f"lamp:{lamp}"]),
    )


@verb("who takes light")
def choose_lit(shot: Shot, *, layers: list[str]) -> Shot:
    """Say which layers lamps light; the others are seen as they are, whatever lamps do."""
    wanted = {each for each in layers if each}
    for each in wanted:
        shot.layer(each)
    able = [each for each in shot.layers if each.stands_lit]
    return with_layers(shot, [each.evolve(takes_light=each.id in wanted) for each in able])
