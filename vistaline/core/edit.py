"""The edits a person can make: shot -> new shot. Nothing is changed in place.

Every function marked ``@verb`` may be asked for by name (``apply``; see ``verbs``). Those of the
stage are in the modules imported first below; here are the route's and the shot's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from vistaline.core import (  # noqa: F401  their edits are among the verbs
    arranging,
    clipboard,
    edit_layers,
    edit_looks,
    edit_mounts,
    edit_several,
    ground,
)
from vistaline.core.camera import route_states
from vistaline.core.camera_moves import CameraMove, moved
from vistaline.core.document import explain
from vistaline.core.edit_titles import in_register
from vistaline.core.errors import EditError, ShotError
from vistaline.core.shot import Framing, Shot
from vistaline.core.shot_verbs import REGISTRY
from vistaline.core.timing import parse_rate

__all__ = ["VERBS", "apply", "label"]

verb, label = REGISTRY.verb, REGISTRY.label
VERBS = REGISTRY.functions


def apply(shot: Shot, name: str, arguments: Mapping[str, Any]) -> Shot:
    """Make the edit called ``name`` with plain values; errors as :meth:`Verbs.apply`.

    What is kept in register with what was changed, follows.
    """
    return in_register(shot, REGISTRY.apply(shot, name, arguments))


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
    camera = route_states(shot, [frame])[0]
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
