"""The edits a person can make: shot -> new shot. Nothing is changed in place.

Every function marked ``@verb`` in a module of this room may be asked for by its name. The room
finds its modules itself: a new edit is a new function, or a new module with one, and no list.
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from vistaline.core.edits.playhead import keep_in_keys
from vistaline.core.edits.registry import REGISTRY
from vistaline.core.edits.route import with_kept_lenses
from vistaline.core.edits.titles import in_register
from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.keyed import shot_at_frame

__all__ = ["VERBS", "apply", "label"]

for _found in pkgutil.iter_modules(__path__):
    importlib.import_module(f"{__name__}.{_found.name}")

VERBS = REGISTRY.functions
"""All edits by the name they are asked for."""
label = REGISTRY.label


def apply(
    shot: Shot, name: str, arguments: Mapping[str, Any], *, at: int = 0, auto_key: bool = False
) -> Shot:
    """Return the shot with the edit called ``name`` made to it; errors as :meth:`Verbs.apply`.

    ``arguments`` are plain values, such as a form gives. The edit is made to the shot as it is at
    frame ``at``. Where it changes a value that has keys, the change is kept in those keys (see
    ``playhead``); with ``auto_key``, changed values get a key at that frame. What is kept in
    register with what was changed follows it: paired titles, and lenses that keep a layer's size.
    A verb with an argument ``playhead`` is told the frame ``at``.
    """
    at = min(max(at, 0), shot.frame.duration - 1)
    now = shot_at_frame(shot, at)
    if REGISTRY.takes(name, "playhead"):
        arguments = {**arguments, "playhead": at}
    try:
        edited = in_register(now, REGISTRY.apply(now, name, arguments))
        return with_kept_lenses(keep_in_keys(shot, now, edited, at, auto_key=auto_key))
    except ValidationError as error:
        raise EditError(str(explain(error, Shot))) from error
