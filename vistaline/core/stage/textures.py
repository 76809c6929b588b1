"""What looks are called: every picture that is drawn on the stage has a name in its shot.

The grammar of the names, which the page and the renderer know looks by::

    name    = picture | layer | layer "@" frame | shadow | gobo | pieces | passing | nested
            | moving | raised | draped
    picture = a key of the shot's pictures: its pixels as they are
    layer   = "~" id of a layer whose look is drawn: title, field, occluder, a framed picture
    frame   = the first frame at which a look that has keys looks like this
    shadow  = "shadow " steps " " name: the shadow of that look, so many steps soft
    gobo    = "gobo " id of a lamp: the shape that it throws
    pieces  = "pieces " by " " layer: the pieces of that title, side by side
    passing = "passing " frame " " layer: that title as it comes or goes, at a frame
    nested  = "nested " frame " " key: that frame of one of the shots that layers show
    moving  = "moving " frame " " picture: that frame, or two mixed, of a picture that moves
    raised  = "raised " part " " id of a relief's layer: 0, 1, 2 what its sheets show, the front
              first; 3 their maps; from 4 on the slices that throw its shadow, the farthest first
              (see ``relief.sheets``)
    draped  = "draped " frame " " id of a layer that is cloth: what is seen of it straight on at
              that frame, with the room it has; its shadows are thrown by that

Names are only made and read here.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

from vistaline.core.looks.passages import By

__all__ = [
    "DrapedLook",
    "DrawnLook",
    "GoboLook",
    "MovingLook",
    "NestedLook",
    "PassingLook",
    "PictureLook",
    "PiecesLook",
    "RaisedLook",
    "ShadowLook",
    "is_of_many",
    "is_passing",
    "texture_called",
]

_NUMBER = re.compile(r"\d{1,9}(\.\d{1,6})?")


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


@dataclass(frozen=True)
class PiecesLook:
    """The pieces of a title, side by side."""

    by: By
    of: DrawnLook

    def __str__(self) -> str:
        return f"pieces {self.by.value} {self.of}"


@dataclass(frozen=True)
class PassingLook:
    """A title as it comes or goes, at a frame."""

    frame: int
    of: DrawnLook

    def __str__(self) -> str:
        return f"passing {self.frame} {self.of}"


@dataclass(frozen=True)
class NestedLook:
    """A frame of another shot."""

    frame: int
    key: str

    def __str__(self) -> str:
        return f"nested {self.frame} {self.key}"


@dataclass(frozen=True)
class MovingLook:
    """A frame of a picture that moves; between two whole ones, both."""

    frame: float
    key: str

    def __str__(self) -> str:
        return f"moving {self.frame:.10g} {self.key}"


@dataclass(frozen=True)
class RaisedLook:
    """A part of a relief."""

    part: int
    layer: str

    def __str__(self) -> str:
        return f"raised {self.part} {self.layer}"


@dataclass(frozen=True)
class DrapedLook:
    """A cloth as it hangs at a frame, seen straight on."""

    frame: int
    layer: str

    def __str__(self) -> str:
        return f"draped {self.frame} {self.layer}"


def is_of_many(name: str) -> bool:
    """Return whether a name is that of one frame of what has frames of its own."""
    return name.startswith(("nested ", "moving "))


def is_passing(name: str) -> bool:
    """Return whether a name is that of a title on its way: another look in each frame."""
    return name.startswith("passing ")


Texture = (
    PictureLook
    | DrawnLook
    | ShadowLook
    | GoboLook
    | PiecesLook
    | PassingLook
    | NestedLook
    | MovingLook
    | RaisedLook
    | DrapedLook
)


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
    if name.startswith("nested "):
        _, at, key = name.split(" ", 2)
        return NestedLook(int(at), key) if at.isdigit() else None
    if name.startswith("moving "):
        _, when, key = name.split(" ", 2)
        return MovingLook(float(when), key) if _NUMBER.fullmatch(when) and key in pictures else None
    if name.startswith("raised "):
        _, part, layer = name.split(" ", 2)
        return RaisedLook(int(part), layer) if part.isdigit() and layer in layers else None
    if name.startswith("draped "):
        _, told, layer = name.split(" ", 2)
        return DrapedLook(int(told), layer) if told.isdigit() and layer in layers else None
    if name.startswith(("pieces ", "passing ")):
        kind, told, source = name.split(" ", 2)
        of = texture_called(source, pictures, layers)
        if not isinstance(of, DrawnLook):
            return None
        return PiecesLook(By(told), of) if kind == "pieces" else PassingLook(int(told), of)
    if name.removeprefix("~") in layers:
        return DrawnLook(name.removeprefix("~"))
    drawn, _, frame = name.rpartition("@")
    if drawn.removeprefix("~") in layers and frame.isdigit():
        return DrawnLook(drawn.removeprefix("~"), int(frame))
    return None
