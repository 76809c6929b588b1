"""The edits of what a camera is focused on, how far it is open, and the shape of its disc."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from vistaline.core.edits.registry import REGISTRY
from vistaline.core.errors import EditError
from vistaline.core.geometry.focus import check_focus
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.surfaces import surface_of

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
    f_number: Annotated[float, Field(ge=0.5, le=90)] | None = None,
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
def focus_on_point(shot: Shot, *, layer: str, frame: int, x: float, y: float) -> Shot:
    """Focus on where a layer is seen at pixel ``x``, ``y`` of ``frame``."""
    found = shot.layer(layer)
    if found.is_backdrop or found.on_lens:
        raise EditError(f"{found.name} is at no distance. Click something that stands.")
    camera = camera_states(shot, [frame])[0]
    at = np.array([[x]]), np.array([[y]])
    near = float(surface_of(found).trace(card_of(shot, found, camera), camera, *at).near[0, 0])
    if near <= 0:
        raise EditError(f"{found.name} is not seen there. Click on it.")
    check_focus(camera.lens, 1 / near)
    return _with(shot, focus=1 / near, follows="")


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
    return _with(shot, iris=iris.evolve(**wanted))
