"""The edits a person can make: shot -> new shot. Nothing is changed in place.

Every function marked ``@verb`` may be asked for by name (``apply``; see ``verbs``). Those of the
stage and the route are in the modules imported first below; here are the shot's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from vistaline.core import (  # noqa: F401  their edits are among the verbs
    arranging,
    clipboard,
    edit_bodies,
    edit_cameras,
    edit_keys,
    edit_layers,
    edit_looks,
    edit_mounts,
    edit_moves,
    edit_room,
    edit_seen,
    edit_several,
    edit_times,
    ground,
)
from vistaline.core.document import explain
from vistaline.core.edit_route import with_kept_lenses
from vistaline.core.edit_titles import in_register
from vistaline.core.errors import EditError, ShotError
from vistaline.core.keyed import shot_at_frame
from vistaline.core.playhead import keep_in_keys
from vistaline.core.retiming import stretched, times_of
from vistaline.core.shot import Shot
from vistaline.core.shot_verbs import REGISTRY, with_route
from vistaline.core.timing import parse_rate

__all__ = ["VERBS", "apply", "label"]

verb, label = REGISTRY.verb, REGISTRY.label
VERBS = REGISTRY.functions


def apply(
    shot: Shot, name: str, arguments: Mapping[str, Any], *, at: int = 0, auto_key: bool = False
) -> Shot:
    """Make the edit called ``name`` with plain values; errors as :meth:`Verbs.apply`.

    It is made to the shot as it is at frame ``at``; what it changes of values that have keys is
    kept in those (see ``playhead``). What is kept in register with what was changed, follows.
    """
    at = min(max(at, 0), shot.frame.duration - 1)
    now = shot_at_frame(shot, at)
    try:
        edited = in_register(now, REGISTRY.apply(now, name, arguments))
        return with_kept_lenses(keep_in_keys(shot, now, edited, at, auto_key=auto_key))
    except ValidationError as error:
        raise EditError(str(explain(error, Shot))) from error


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
    times = stretched(times_of(shot.route, shot.frame.duration), duration)
    try:
        lasting = with_route(shot, times.laid(shot.route), duration)
        return lasting.evolve(
            frame=shot.frame.evolve(
                width=width, height=height, rate=parse_rate(rate), duration=duration
            )
        )
    except ValidationError as error:
        cause: ShotError = explain(error)
        raise EditError(f"Frame: {cause}") from error
