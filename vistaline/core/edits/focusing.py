"""The edits of a camera's lens and shutter: focus, opening, the shape of its disc, exposure."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vistaline.core.easing import EaseName
from vistaline.core.edits.metres import stage_enlarged
from vistaline.core.edits.playhead import with_key
from vistaline.core.edits.pointing import nearness_at
from vistaline.core.edits.registry import (
    REGISTRY,
    When,
    frames_of,
    framing_of,
    with_framing,
    with_layer,
)
from vistaline.core.errors import EditError
from vistaline.core.geometry.focus import (
    check_focus,
    f_number_between,
    hole_radius,
    sharp_between,
)
from vistaline.core.shot.character import Character
from vistaline.core.shot.focusing import LEAST_F_NUMBER, MOST_F_NUMBER
from vistaline.core.shot.rows import Key, Row
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states, live_cameras
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.keyed import row_of
from vistaline.core.stage.sheet import PlanView, flatten

__all__: list[str] = []

verb = REGISTRY.verb


def _with(shot: Shot, **values: object) -> Shot:
    """Return the shot with the directed camera focused otherwise; it no longer sees all sharp."""
    wanted = {"everything_sharp": False} | values
    return shot.with_camera(focusing=shot.camera.focusing.evolve(**wanted))


@verb("everything sharp")
def set_everything_sharp(shot: Shot, *, everything_sharp: bool = False) -> Shot:
    """Let the directed camera see everything sharp, or as its lens does."""
    return _with(shot, everything_sharp=everything_sharp)


@verb("opening")
def set_opening(
    shot: Shot,
    *,
    f_number: Annotated[float, Field(ge=LEAST_F_NUMBER, le=MOST_F_NUMBER)] | None = None,
    strength: Annotated[float, Field(ge=0, le=300)] | None = None,
) -> Shot:
    """Open the lens to an f-number; or set how strong the blur is, percent of what optics say."""
    wanted: dict[str, object] = {}
    if f_number is not None:
        wanted["f_number"] = f_number
    if strength is not None:
        wanted["strength"] = strength / 100
    return _with(shot, **wanted)


@verb("focus")
def set_focus(shot: Shot, *, focus: float, playhead: int = 0) -> Shot:
    """Focus the directed camera on a distance in metres, along the way it looks."""
    alone = shot.evolve(cuts=())
    check_focus(camera_states(alone, [playhead])[0].lens, focus)
    return _with(shot, focus=focus, follows="")


@verb("focus on what is seen there")
def focus_on_point(
    shot: Shot, *, layer: str, frame: int, x: float, y: float, alone: bool = False
) -> Shot:
    """Focus on where a layer is seen at pixel ``x``, ``y`` of ``frame``.

    ``alone``: seen by the directed camera, whatever the shot's cuts say.
    """
    return _with(shot, focus=_distance_at(shot, layer, frame, (x, y), alone), follows="")


@verb("rack focus")
def rack_focus(
    shot: Shot,
    *,
    layer: str,
    frame: int,
    x: float,
    y: float,
    over: When = "1s",
    alone: bool = False,
) -> Shot:
    """Stay focused as now at ``frame``, and ``over`` later on where a layer is seen now.

    Both are keys; the second is at the end of the shot at the latest. ``alone`` as in
    :func:`focus_on_point`.
    """
    later = min(frame + frames_of(shot, over), shot.frame.duration - 1)
    if later <= frame:
        raise EditError("There is no time left to rack in. Go to an earlier frame first.")
    distance = _distance_at(shot, layer, frame, (x, y), alone)
    optics = camera_states(shot.evolve(cuts=()), [frame])[0].optics
    of = f"camera:{shot.directed}"
    row = row_of(shot, of, "focus") or Row(
        of=of, value="focus", keys=(Key(frame=frame, value=shot.camera.focusing.focus),)
    )
    if row.key_at(frame) is None:
        row = with_key(row, Key(frame=frame, value=optics.focus if optics else distance))
    row = with_key(row, Key(frame=later, value=distance))
    rest = [each for each in shot.rows if (each.of, each.value) != (of, "focus")]
    return _with(shot, follows="").evolve(rows=(*rest, row))


def _distance_at(
    shot: Shot, layer: str, frame: int, pixel: tuple[float, float], alone: bool
) -> float:
    """Return how far before the directed camera a layer is that is seen at a pixel."""
    if shot.cuts and not alone:
        live = live_cameras(shot, np.array([float(frame)]))[0]
        if live != shot.directed:
            name = next(each.name for each in shot.cameras if each.id == live)
            raise EditError(
                f"Camera {name} is seen here, and {shot.camera.name} is directed. Direct {name} "
                "first."
            )
    shot = shot.evolve(cuts=())
    camera = camera_states(shot, [frame])[0]
    near = float(nearness_at(shot, layer, camera, [pixel])[0])
    check_focus(camera.lens, 1 / near)
    return 1 / near


@verb("sharp from here to there")
def set_sharp(
    shot: Shot, *, near: float | None = None, far: float | None = None, playhead: int = 0
) -> Shot:
    """Focus and open the lens so that all between two distances in metres looks sharp.

    What is left out stays as it is at ``playhead``; 0 as ``far`` is as far as one sees.
    """
    camera = camera_states(shot.evolve(cuts=()), [playhead])[0]
    optics = camera.optics
    if optics is None:
        raise EditError("Everything is sharp. Switch that off first.")
    now = sharp_between(camera.lens, optics.f_number, optics.focus)
    begins = now[0] if near is None else near
    ends = now[1] if far is None else far or math.inf
    f_number, focus = f_number_between(camera.lens, begins, ends)
    if not LEAST_F_NUMBER <= f_number <= MOST_F_NUMBER:
        raise EditError(
            f"With this lens that takes f/{f_number:.3g}; f/{LEAST_F_NUMBER:g} to "
            f"f/{MOST_F_NUMBER:g} can be had. Bring the limits "
            f"{'nearer together' if f_number > MOST_F_NUMBER else 'farther apart'}."
        )
    return _with(shot, f_number=f_number, focus=focus, follows="")


@verb("softness beyond")
def soften_beyond(
    shot: Shot, *, beyond: Annotated[float, Field(ge=0, le=1e4)], playhead: int = 0
) -> Shot:
    """Blur what is endlessly far by discs of ``beyond`` pixels' radius, by the blur's strength.

    What looks sharp, and the f-number it takes, are the optics' and stay; the strength is effect.
    """
    camera = camera_states(shot.evolve(cuts=()), [playhead])[0]
    if camera.optics is None:
        raise EditError("Everything is sharp. Switch that off first.")
    optics = camera.optics
    lens_alone = replace(optics, hole=hole_radius(camera.lens, optics.f_number, optics.focus))
    most = 3 * lens_alone.blur(camera.focal_px, math.inf)
    if beyond > most:
        raise EditError(
            f"This lens softens what is beyond by {most:.3g} px at most, with a strength of 300 %. "
            "Open it farther, or bring the limits nearer together."
        )
    return _with(shot, strength=3 * beyond / most if most else 0.0)


@verb("drag the focus")
def drag_focus(shot: Shot, *, view: PlanView, dx: float, dy: float, playhead: int = 0) -> Shot:
    """Move what is in focus by metres of the plan's sheet, along the way the camera looks."""
    camera = camera_states(shot.evolve(cuts=()), [playhead])[0]
    if camera.optics is None:
        raise EditError("Everything is sharp. Switch that off first.")
    ahead = flatten(-camera.world_from_camera[None, :3, 2], view)[0]
    square = float(ahead @ ahead)
    if square < 1e-3:
        raise EditError("From here the camera looks along the sheet. Drag it on the other plan.")
    focus = camera.optics.focus + float(ahead @ (dx, dy)) / square
    check_focus(camera.lens, focus)
    return _with(shot, focus=focus, follows="")


@verb("focus of a framing")
def focus_framing(
    shot: Shot,
    *,
    framing: int,
    focus: float | None = None,
    f_number: Annotated[float, Field(ge=LEAST_F_NUMBER, le=MOST_F_NUMBER)] | None = None,
    ease: EaseName | Literal[""] | None = None,
    none: bool = False,
) -> Shot:
    """Let a framing carry a focus (metres) and an f-number, or ``none`` of its own.

    ``ease``: how they travel there; "" as the camera does.
    """
    if none:
        return with_framing(shot, framing, focus=None, f_number=None, focus_ease=None)
    wanted: dict[str, object] = {}
    if focus is not None:
        check_focus(framing_of(shot, framing).lens, focus)
        wanted["focus"] = focus
    if f_number is not None:
        wanted["f_number"] = f_number
    if ease is not None:
        wanted["focus_ease"] = ease or None
    return with_framing(_with(shot), framing, **wanted)


@verb("size of the stage")
def size_stage(shot: Shot, *, layer: str, height: Annotated[float, Field(gt=0, le=1e5)]) -> Shot:
    """Make everything as much larger or smaller as a layer must be, to be ``height`` metres high.

    What is seen stays; how much is blurred does not.
    """
    found = shot.layer(layer)
    if found.is_backdrop or found.on_lens:
        raise EditError(f"{found.name} has no height on the stage. Choose something that stands.")
    return stage_enlarged(shot, height / card_of(shot, found).height)


@verb("keep in focus")
def keep_in_focus(shot: Shot, *, layer: str = "") -> Shot:
    """Keep the directed camera focused on a layer's middle, wherever both go; "" lets it be."""
    if layer and (shot.layer(layer).is_backdrop or shot.layer(layer).on_lens):
        raise EditError(f"{shot.layer(layer).name} is at no distance, so nothing can follow it.")
    return _with(shot, follows=layer)


@verb("shape of the disc")
def set_iris(
    shot: Shot,
    *,
    blades: int | None = None,
    turn: float | None = None,
    roundness: Annotated[float, Field(ge=0, le=100)] | None = None,
    rims: Annotated[float, Field(ge=-100, le=100)] | None = None,
) -> Shot:
    """Set the opening's blades, 5 to 9 or 0 for a round one, their turn, and their roundness."""
    iris = shot.camera.focusing.iris
    wanted: dict[str, object] = {}
    if blades is not None:
        wanted["blades"] = blades
    if turn is not None:
        wanted["turn"] = turn
    if roundness is not None:
        wanted["roundness"] = roundness / 100
    if rims is not None:
        wanted["rims"] = rims / 100
    return _with(shot, iris=iris.evolve(**wanted))


# --- its character ------------------------------------------------------------------------------


@verb("character of the lens")
def set_character(
    shot: Shot,
    *,
    vignette: Annotated[float, Field(ge=0, le=100)] | None = None,
    across: Annotated[float, Field(ge=-200, le=200)] | None = None,
    up: Annotated[float, Field(ge=-200, le=200)] | None = None,
    roundness: Annotated[float, Field(ge=0, le=100)] | None = None,
    softness: Annotated[float, Field(ge=2, le=100)] | None = None,
    fringes: Annotated[float, Field(ge=0, le=100)] | None = None,
    distortion: Annotated[float, Field(ge=-50, le=50)] | None = None,
    breathing: Annotated[float, Field(ge=0, le=300)] | None = None,
    plain: bool = False,
) -> Shot:
    """Set what the directed camera's lens does to the frame, in percent; ``plain``: nothing."""
    if plain:
        return shot.with_camera(character=Character())
    character = shot.camera.character
    wanted = {"fringes": fringes, "distortion": distortion, "breathing": breathing}
    now = character.vignette
    middle = (
        now.middle[0] if across is None else across / 100,
        now.middle[1] if up is None else up / 100,
    )
    dark = {"amount": vignette, "roundness": roundness, "softness": softness}
    return shot.with_camera(
        character=character.evolve(
            vignette=now.evolve(middle=middle, **_shares(dark)), **_shares(wanted)
        )
    )


def _shares(percent: dict[str, float | None]) -> dict[str, float]:
    return {name: value / 100 for name, value in percent.items() if value is not None}


# --- the shutter --------------------------------------------------------------------------------


@verb("motion blur")
def set_motion_blur(shot: Shot, *, motion_blur: bool = False) -> Shot:
    """Blur what moves as the cameras' shutters do, or show every frame as at one moment."""
    return shot.evolve(motion_blur=motion_blur)


@verb("shutter")
def set_shutter(
    shot: Shot,
    *,
    angle: Annotated[float, Field(ge=0, le=720)] | None = None,
    phase: Annotated[float, Field(ge=-720, le=720)] | None = None,
) -> Shot:
    """Set for how much of the time from frame to frame the directed camera's shutter is open,
    and when it opens, in degrees of 360. The phase follows the angle's half unless it is given."""
    shutter = shot.camera.shutter
    if angle is not None:
        centred = abs(shutter.phase + shutter.angle / 2) < 1e-9
        shutter = shutter.evolve(angle=angle, phase=-angle / 2 if centred else shutter.phase)
    if phase is not None:
        shutter = shutter.evolve(phase=phase)
    return shot.with_camera(shutter=shutter)


@verb("motion blur of a layer")
def set_layer_motion_blur(shot: Shot, *, layer: str, motion_blur: bool = False) -> Shot:
    """Let a layer be blurred by its motion, or keep it as sharp as it stands."""
    return with_layer(shot, layer, motion_blur=motion_blur)
