"""The things of a shot that have keys, and how rows call them: ``layer:tower``, ``camera:a``.

Which values a thing has is said where its fields are declared; see ``core.keyable``.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from vistaline.core.errors import ShotError
from vistaline.core.keyable import Keyable, value_called
from vistaline.core.looks.frame_styles import FrameStyle
from vistaline.core.model import Part
from vistaline.core.shot.callouts import Callout
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.dressing import DRESSINGS
from vistaline.core.shot.lamps import Lamp
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.layouts import Layout
from vistaline.core.shot.mounts import Mount

__all__ = ["keyable", "thing_name"]

_OWN: dict[str, type[Part]] = {
    "layer": Layer,
    "mount": Mount,
    "style": FrameStyle,
    "camera": Camera,
    "lamp": Lamp,
    "layout": Layout,
    "callout": Callout,
}
_THINGS: Mapping[str, type[Part]] = MappingProxyType(_OWN | dict(DRESSINGS))
"""What stands before the colon, and the class of what is meant."""


def keyable(of: str, value: str) -> Keyable:
    """Return the declaration of a keyed value; ``of`` is kind and id, as in ``layer:tower``.

    Raises
    ------
    ShotError
        No such thing has keys, or not this value of it.
    """
    kind = of.partition(":")[0]
    if kind not in _THINGS:
        raise ShotError(
            f"{of!r} cannot have keys; a layer, a layout, a callout, a mount, a camera, a lamp, "
            "what is in the air or a frame style can, as in 'layer:tower'."
        )
    found = value_called(_THINGS[kind], value)
    if found is None:
        raise ShotError(f"A {kind} has no value {value!r} that can have keys.")
    return found


def thing_name(of: str) -> str:
    """Return the id or name in the name that rows use.

    >>> thing_name("layer:tower")
    'tower'
    """
    return of.partition(":")[2]
