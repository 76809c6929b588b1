"""What is known of a moving picture."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from fractions import Fraction

from vistaline.core.errors import PictureError
from vistaline.core.picture.transfer import Tags

__all__ = ["MOST_FRAMES", "Clip", "too_long"]

MOST_FRAMES = 30_000
"""Frames a moving picture may have: 20 minutes at 25 a second."""


@dataclass(frozen=True, kw_only=True)
class Clip:
    """What is known of a moving picture. Width and height are as seen: turned as it asks for."""

    format: str
    extension: str
    width: int
    height: int
    frames: int
    rate: Fraction
    has_alpha: bool = False
    bits: int = 8
    tags: Tags = field(default_factory=Tags)
    remarks: tuple[str, ...] = ()
    """What a person should know of it, each a part of a sentence."""
    stamps: tuple[int, ...] = ()
    """When each frame is shown, in the stream's own units; empty where there are none."""
    quarters: int = 0
    """By how many quarters it is turned to the left."""
    planar: bool = False
    """Whether its frames are given as planes, see ``planes``; as codes otherwise."""

    def until(self, frames: int) -> Clip:
        """Return it as far as it is sound: so many frames."""
        if frames >= self.frames:
            return self
        remark = f"it is damaged after frame {frames - 1} of {self.frames}; it plays up to there"
        return replace(
            self, frames=frames, stamps=self.stamps[:frames], remarks=(*self.remarks, remark)
        )

    @property
    def frame_shape(self) -> tuple[int, ...]:
        """The shape of the array that has one of its frames."""
        if self.planar:
            return self.height * 3 // 2, self.width
        return self.height, self.width, 4 if self.has_alpha else 3

    @property
    def frame_bytes(self) -> int:
        """Bytes of a frame."""
        return math.prod(self.frame_shape) * (2 if self.bits > 8 else 1)


def too_long(name: str, seconds: float) -> PictureError:
    """Return the refusal of a moving picture that has too many frames."""
    long = f"{seconds / 3600:.1f} h" if seconds > 5400 else f"{seconds / 60:.0f} min"
    return PictureError(
        name,
        f"it is {long} long; more than {MOST_FRAMES:,} frames are not brought in. Cut it to "
        "what is to be seen first.",
    )
