"""What looks are called: every picture that is drawn on the stage has a name in its shot.

The grammar of the names, which the page and the renderer know looks by::

    name    = picture | layer | layer "@" frame | shadow | gobo
    picture = a key of the shot's pictures: its pixels as they are
    layer   = "~" id of a layer whose look is drawn: title, field, occluder, a framed picture
    frame   = the first frame at which a look that has keys looks like this
    shadow  = "shadow " steps " " name: the shadow of that look, so many steps soft
    gobo    = "gobo " id of a lamp: the shape that it throws

Names are only made and read here.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

__all__ = ["DrawnLook", "GoboLook", "PictureLook", "ShadowLook", "texture_called"]


@dataclass(frozen=True)
class PictureLook:
    """A picture as it is."""

    key: str

    def __str__(self) -> str:
        return self.key


@dataclass(frozen=True)
class DrawnLook:
    """What is drawn for a layer; at ``frame``, if keys change it."""

    layer: str
    frame: int | None = None

    def __str__(self) -> str:
        return f"~{self.layer}" if self.frame is None else f"~{self.layer}@{self.frame}"


@dataclass(frozen=True)
class ShadowLook:
    """The shadow of another look; see ``shadows.softness_steps``."""

    steps: int
    of: Texture

    def __str__(self) -> str:
        return f"shadow {self.steps} {self.of}"


@dataclass(frozen=True)
class GoboLook:
    """The shape that a lamp throws."""

    lamp: str

    def __str__(self) -> str:
        return f"gobo {self.lamp}"


Texture = PictureLook | DrawnLook | ShadowLook | GoboLook


def texture_called(name: str, pictures: Collection[str], layers: Collection[str]) -> Texture | None:
    """Return what a name means in a shot with these pictures and layers' ids; None if nothing.

    >>> texture_called("shadow -9 ~title@12", [], ["title"])
    ShadowLook(steps=-9, of=DrawnLook(layer='title', frame=12))
    """
    if name in pictures:
        return PictureLook(name)
    if name.startswith("shadow "):
        _, steps, source = name.split(" ", 2)
        of = texture_called(source, pictures, layers)
        return ShadowLook(int(steps), of) if of else None
    if name.startswith("gobo "):
        return GoboLook(name.removeprefix("gobo "))
    if name.removeprefix("~") in layers:
        return DrawnLook(name.removeprefix("~"))
    drawn, _, frame = name.rpartition("@")
    if drawn.removeprefix("~") in layers and frame.isdigit():
        return DrawnLook(drawn.removeprefix("~"), int(frame))
    return None
