"""What all steps of preparing have in common, and what they work on.

A new step is a class in one of ``shaping``, ``mending`` and ``toning``, or a module of its own, and
its place in ``steps.PrepareStep``; its panel is a template of its name.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar

import numpy as np
from pydantic import Field

from vistaline.core.model import Part

__all__ = ["Prepared", "Share", "Size", "Step"]

Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Size = tuple[int, int]
"""Width and height in pixels."""


@dataclass(kw_only=True, eq=False)
class Prepared:
    """A picture on its way through the steps."""

    colour: np.ndarray
    """float32 (height, width, 3), sRGB-encoded, straight, 0..1."""
    alpha: np.ndarray | None
    """float32 (height, width), 0..1; None if opaque."""
    scale: float = 1.0
    """Pixels here per pixel of the picture at full size: below 1 for a preview."""


class Step(Part):
    """One step; by itself it does nothing."""

    label: ClassVar[str]
    """What a person calls it."""
    exact: ClassVar[bool] = False
    """It only moves pixels: their codes stay what they were."""
    shapes: ClassVar[bool] = False
    """It changes where pixels are, or how many."""
    shown_before: ClassVar[bool] = False
    """It is set in the picture as that comes to the step."""
    picks: ClassVar[bool] = False
    """It is set by a click on a colour in the picture."""
    on: bool = True

    def moved(self, size: Size) -> tuple[np.ndarray, Size]:
        """Return where pixels of a picture of this size go (3, 3), and its size then."""
        return np.eye(3), size

    def done(self, picture: Prepared, matrix: np.ndarray, size: Size) -> Prepared:
        """Return the picture after the step.

        ``matrix`` (3, 3) maps pixels of the picture as it came to full-size pixels before the
        step; ``size`` is the full size there.
        """
        colour = self.recoloured(picture, matrix)
        return Prepared(colour=colour, alpha=picture.alpha, scale=picture.scale)

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the picture's colour after a step that changes no shape."""
        return picture.colour

    def for_another(self) -> Step:
        """Return the step as it makes sense for another picture: without what was painted."""
        return self
