"""What all steps of a depth map have in common, and what they work on.

A depth map here holds **nearness**: float32 (height, width), 0 for what is farthest, 1 for what
is nearest, even in 1 / distance; so a plane that is seen at whatever slant is an even ramp. A
step is a class in one of ``sources`` and ``working``, with its place in ``steps.DepthStep``; its
panel is a template of its name.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar, Self

import cv2
import numpy as np

from vistaline.core.model import Part

__all__ = ["DepthStep", "Seen"]


@dataclass(frozen=True, kw_only=True, eq=False)
class Seen:
    """What steps of a depth map may look at; of the picture's full size or a small copy of it."""

    picture: np.ndarray
    """uint8 (height, width, 3)."""
    scale: float = 1.0
    """Pixels here per pixel of the picture: below 1 for a small copy."""
    cutouts: Mapping[str, np.ndarray] = field(default_factory=dict)
    """Masks of the cutouts by id, uint8, of this size, near to far."""
    maps: Mapping[str, np.ndarray] = field(default_factory=dict)
    """Maps that were brought in, by file: codes (height, width, 3) of whatever size and depth."""

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width."""
        height, width = self.picture.shape[:2]
        return height, width

    @property
    def here(self) -> np.ndarray:
        """The map (3, 3) from the picture's pixels to pixels here."""
        return np.diag([self.scale, self.scale, 1.0])

    def smaller(self, side: int) -> Seen:
        """Return a copy whose longer side is at most ``side`` pixels."""
        share = side / max(self.shape)
        if share >= 1:
            return self
        size = (max(1, round(self.shape[1] * share)), max(1, round(self.shape[0] * share)))

        def shrunk(pixels: np.ndarray) -> np.ndarray:
            return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)

        return Seen(
            picture=shrunk(self.picture),
            scale=self.scale * size[0] / self.shape[1],
            cutouts={key: shrunk(mask) for key, mask in self.cutouts.items()},
            maps=self.maps,
        )


class DepthStep(Part):
    """One step; by itself it does nothing."""

    label: ClassVar[str]
    """What a person calls it."""
    makes: ClassVar[bool] = False
    """It makes a map of its own; what steps before it made is gone."""
    on: bool = True

    @property
    def asks_cutouts(self) -> bool:
        """Whether it is another when a cutout's mask changes."""
        return False

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the nearness after the step."""
        return nearness

    def moved(self, matrix: np.ndarray) -> Self:
        """Return the step as it is after the picture's pixels were moved by ``matrix`` (3, 3)."""
        return self
