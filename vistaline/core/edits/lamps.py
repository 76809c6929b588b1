"""The edits of lamps, and of what takes their light."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.edits.registry import (
    REGISTRY,
    free_id,
    numbered,
    on_stage,
    with_layers,
    without_rows,
)
from vistaline.core.errors import EditError
from vistaline.core.looks.gobos import Gobo, GoboShape
from vistaline.core.model import HexColour
from vistaline.core.shot.lamps import MOST_LAMPS, Falloff, Lamp, LampKind
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import CameraState, camera_states
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.lamps import light_at, lights_at
from vistaline.core.stage.placing import stage_card
from vistaline.core.stage.sheet import PlanView, lifted
from vistaline.core.stage.tracks import track_of

__all__ = ["brightest_in", "depth_before", "middle_of", "with_lamp"]

verb = REGISTRY.verb
Percent = Annotated[float, Field(ge=0, le=100)]
"""As it is typed: what is refused is told as it was typed, too."""
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
        id=free_id("l", {each.id for each in shot.lamps}),
        name=numbered(_NAMES[kind], {each.name for each in shot.lamps}),
        kind=kind,
        position=tuple(np.round(place, 4).tolist()),
        aim=target.id if aimed else "",
        normal=round(max(float(np.linalg.norm(middle - place)), 1e-3), 4),
        shadows=kind is not LampKind.AMBIENT,
        size=round(0.05 * away, 4),
    )
    lit = shot.evolve(lamps=(*shot.lamps, made))
    if shot.lamps or kind is LampKind.AMBIENT:
        return lit
    faint = Lamp(
        id=free_id("l", {each.id for each in lit.lamps}),
        name=_NAMES[LampKind.AMBIENT],
        kind=LampKind.AMBIENT,
        brightness=0.25,
    )
    return lit.evolve(lamps=(*lit.lamps, faint))


def middle_of(shot: Shot, camera: CameraState) -> tuple[FloatArray, float]:
    """Return the place (3,) of what stands in the middle of the frame, and how far away it is."""
    middle = stage_card(shot, _in_the_middle(shot, camera)).world_from_card[:3, 3]
    return middle, float(np.linalg.norm(middle - np.array(camera.position)))


def depth_before(camera: CameraState, place: FloatArray, name: str) -> float:
    """Return how far before a camera a place (3,) is, in metres, along the way it looks."""
    depth = -float((camera.camera_from_world @ [*place, 1.0])[2])
    if depth <= 0:
        raise EditError(f"{name} is behind the camera. Drag it on the plan.")
    return depth


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


def brightest_in(shot: Shot, frame: float) -> float:
    """Return the brightest light on any lit layer at a frame: above 1 what is white is clipped.

    Looked for on a grid over each layer that stands.
    """
    on = evaluate(shot, [frame])[0].lights
    steps = np.linspace(-0.5, 0.5, 9)
    x, y = (each.ravel() for each in np.meshgrid(steps, steps))
    most = 0.0
    for layer in shot.layers:
        if layer.hidden or not layer.is_lit or not on:
            continue
        card = stage_card(shot, layer)
        own = np.stack([x * card.width, y * card.height], axis=-1)
        places = own @ card.world_from_card[:3, :2].T + card.world_from_card[:3, 3]
        most = max(most, float(light_at(on, places, card.world_from_card[None, :3, 2]).max()))
    return most


@verb("exposure")
def expose_for_lamps(shot: Shot, *, playhead: int = 0) -> Shot:
    """Take everything so dark that nothing in the lamps' light is brighter than white."""
    brightest = brightest_in(shot, playhead)
    if brightest <= 0:
        raise EditError("No lamp lights anything here. Add one first.")
    stops = -math.log2(max(brightest, 1e-3))
    return shot.with_camera(exposure=round(min(max(stops, -10), 10), 2))


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
    softness: Percent | None = None,
    shadows: bool | None = None,
    size: float | None = None,
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
        "shadows": shadows,
        "size": size,
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
    depth = depth_before(camera, light.place, found.name)
    across, up = dx * depth / camera.focal_px, -dy * depth / camera.focal_px
    way = camera.world_from_camera[:3, :2] @ [across, up]
    return _shifted(shot, found, way, playhead)


_THROWING = (LampKind.SPOT, LampKind.PARALLEL)


@verb("what a lamp throws")
def set_gobo(
    shot: Shot,
    *,
    lamp: str,
    shape: GoboShape | Literal["none"] | None = None,
    picture: str | None = None,
    columns: int | None = None,
    rows: int | None = None,
    bars: Percent | None = None,
    seed: int | None = None,
    blur: Percent | None = None,
    width: float | None = None,
) -> Shot:
    """Let a spot or a sun throw a shape or a picture of the shot; bars and blur in percent.

    Without a shape it throws nothing any more.
    """
    found = shot.lamp(lamp)
    if shape == "none":
        return with_lamp(shot, found.evolve(gobo=None))
    if found.kind not in _THROWING:
        raise EditError(
            f"{found.name} shines to all sides. Only a spot or a sun throws a shape.",
            field="shape",
        )
    if picture and picture not in shot.pictures:
        raise EditError(f"There is no picture {picture!r} in this shot.", field="picture")
    values = {
        "shape": shape,
        "picture": picture,
        "columns": columns,
        "rows": rows,
        "bars": None if bars is None else bars / 100,
        "seed": seed,
        "blur": None if blur is None else blur / 100,
        "width": width,
    }
    changes = {key: each for key, each in values.items() if each is not None}
    gobo = (found.gobo or Gobo()).evolve(**changes)
    if gobo.shape is GoboShape.PICTURE and not gobo.picture:
        first = next(iter(shot.pictures), "")
        if not first:
            raise EditError("This shot has no picture that a lamp could throw.", field="shape")
        gobo = gobo.evolve(picture=first)
    return with_lamp(shot, found.evolve(gobo=gobo))


def _shifted(shot: Shot, lamp: Lamp, way: FloatArray, playhead: int) -> Shot:
    """Return the shot with a lamp moved by metres of the stage, whatever carries it."""
    carry = carry_of(lamp.ride, shot.mounts)
    if carry.moves:
        way = carry.turn.T @ way / carry.scale
    if lamp.rides_with:
        way = _pose_of(shot, lamp.rides_with, playhead)[:3, :3].T @ way
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
    if with_camera and found.rides_with:
        shot = lamp_with_layer(shot, lamp=lamp, layer="", playhead=playhead)
        found = shot.lamp(lamp)
    camera = camera_states(shot, [playhead])[0]
    here = camera.camera_from_world if with_camera else camera.world_from_camera
    x, y, z = (here @ [*found.position, 1.0])[:3].tolist()
    return with_lamp(shot, found.evolve(with_camera=with_camera, position=(x, y, z)))


@verb("let a lamp travel with a layer")
def lamp_with_layer(shot: Shot, *, lamp: str, layer: str = "", playhead: int = 0) -> Shot:
    """Let a lamp travel with a layer, as that moves and turns; with none, it stays where it is."""
    found = shot.lamp(lamp)
    layer = "" if layer == "-" else layer  # what a list has for none
    if found.rides_with == layer:
        return shot
    if layer and (found.ride or found.with_camera):
        raise EditError(
            f"{found.name} travels with something else. Let it ride off, or stay, first."
        )
    place = np.array([*found.position, 1.0])
    if found.rides_with:
        place = _pose_of(shot, found.rides_with, playhead) @ place
    if layer:
        on_stage(shot, layer)
        place = np.linalg.inv(_pose_of(shot, layer, playhead)) @ place
    x, y, z = place[:3].tolist()
    return with_lamp(shot, found.evolve(rides_with=layer, position=(x, y, z)))


def _pose_of(shot: Shot, layer: str, frame: int) -> Matrix4:
    return np.asarray(track_of(shot, shot.layer(layer), np.array([float(frame)])).poses[0])


@verb("remove lamp")
def remove_lamp(shot: Shot, *, lamp: str) -> Shot:
    """Take a lamp away, with its keys; without any, layers are seen as they are."""
    shot.lamp(lamp)
    # What shone in its light has none any more.
    dressing = (
        each.evolve(lamp="", on=False) if getattr(each, "lamp", "") == lamp else each
        for each in shot.dressing
    )
    return shot.evolve(
        lamps=tuple(each for each in shot.lamps if each.id != lamp),
        dressing=tuple(dressing),
        rows=without_rows(shot, [f"lamp:{lamp}"]),
        solo="" if shot.solo == f"lamp:{lamp}" else shot.solo,
    )


@verb("who takes light")
def choose_lit(shot: Shot, *, layers: list[str]) -> Shot:
    """Say which layers lamps light; the others are seen as they are, whatever lamps do."""
    wanted = {each for each in layers if each}
    for each in wanted:
        shot.layer(each)
    able = [each for each in shot.layers if each.stands_lit]
    return with_layers(shot, [each.evolve(takes_light=each.id in wanted) for each in able])


@verb("whose shadows fall where")
def choose_shadows(shot: Shot, *, casts: list[str], takes: list[str]) -> Shot:
    """Say which layers throw shadows, and on which shadows are seen."""
    for each in {*casts, *takes} - {""}:
        shot.layer(each)
    able = [each for each in shot.layers if each.stands_lit]
    return with_layers(
        shot,
        [
            each.evolve(casts_shadows=each.id in casts, takes_shadows=each.id in takes)
            for each in able
        ],
    )
