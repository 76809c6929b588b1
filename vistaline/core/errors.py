"""Everything that can be refused, as one tree.

``CoreError``
    ├── ``PictureError``   a picture that cannot be read or is too large
    ├── ``ShotError``      a shot (or shot file) that makes no sense
    ├── ``EditError``      an edit that cannot be made on this shot
    ├── ``FillError``      a hole that cannot be filled
    ├── ``MaskError``      a mask that makes no sense
    ├── ``DepthError``     a depth map that cannot be made
    ├── ``PerspectiveError``  marks in a picture that do not tell how it was seen
    └── ``RenderError``    a frame or clip that cannot be made

The message is a sentence for the person at the desk: what is wrong, with what, what to do.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

__all__ = [
    "CoreError",
    "DepthError",
    "EditError",
    "FillError",
    "MaskError",
    "PerspectiveError",
    "PictureError",
    "RenderError",
    "ShotError",
]


class CoreError(Exception):
    """A refusal with a sentence a person can act on."""

    also: Sequence[str] = ()

    def __reduce__(self) -> tuple[Any, ...]:
        # Between processes an error goes as what it holds: its class may want other arguments.
        return _rebuilt, (type(self), self.args, self.__dict__)


def _rebuilt(kind: type[CoreError], arguments: tuple[Any, ...], held: dict[str, Any]) -> CoreError:
    error = kind.__new__(kind, *arguments)
    error.args = arguments
    error.__dict__.update(held)
    return error


class PictureError(CoreError, ValueError):
    """A picture cannot be used; ``name`` is the file as the person knows it.

    ``also``: what is wrong with other pictures that were asked for with it.
    """

    def __init__(self, name: str, reason: str, *, also: Sequence[str] = ()) -> None:
        super().__init__(f"{name}: {reason}")
        self.name, self.also = name, tuple(also)


class ShotError(CoreError, ValueError):
    """A shot makes no sense; ``field`` is the place in it, such as ``layers.2.opacity``.

    ``also``: what else is wrong with it, as far as that can be told before this is mended.
    """

    def __init__(self, message: str, *, field: str = "", also: Sequence[str] = ()) -> None:
        super().__init__(message)
        self.field, self.also = field, tuple(also)


class EditError(CoreError, ValueError):
    """An edit cannot be made on this shot.

    If one value of it is the reason, ``field`` is its name and ``rule`` the sentence without that
    name ("must be above 0; got -3."): who shows the value has a word of their own for it.
    """

    def __init__(self, message: str, *, field: str = "", rule: str = "") -> None:
        super().__init__(message)
        self.field, self.rule = field, rule


class FillError(CoreError, ValueError):
    """A hole cannot be filled."""


class MaskError(CoreError, ValueError):
    """A mask or one of its steps makes no sense."""


class DepthError(CoreError, ValueError):
    """A depth map or one of its steps makes no sense."""


class PerspectiveError(CoreError, ValueError):
    """Marks in a picture do not tell how it was seen.

    ``edge`` is the one to move, if it is one; ``vague``: they would, if the lens were known.
    """

    def __init__(self, message: str, *, edge: int | None = None, vague: bool = False) -> None:
        super().__init__(message)
        self.edge, self.vague = edge, vague


class RenderError(CoreError, RuntimeError):
    """A frame or a clip could not be made."""
