"""Steps that mend a picture: scratches and dust, noise, softness."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from vistaline.core.picture.smooth import pull_push
from vistaline.core.picture.strokes import Stroke, painted
from vistaline.core.prepare.detail import denoised, sharpened
from vistaline.core.prepare.ends import ends_joined
from vistaline.core.prepare.repair import find_damage, repaired
from vistaline.core.prepare.step import Prepared, Share, Size, Step

__all__ = ["Denoise", "JoinEnds", "Repair", "Sharpen", "damage_of"]

_SEEN = 0.02
"""Alpha below which a pixel's colour tells nothing."""


class Repair(Step):
    """Repair scratches, hairs and dust: those found automatically and those under the brush."""

    label: ClassVar[str] = "Scratches and dust"
    shown_before: ClassVar[bool] = True
    kind: Literal["repair"] = "repair"
    automatic: bool = True
    sensitivity: Share = 0.5
    brush: tuple[Stroke, ...] = ()
    protect: tuple[Stroke, ...] = ()

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the colour with damage repaired."""
        return repaired(picture.colour, damage_of(picture, self, matrix))

    def for_another(self) -> Repair:
        """Return it without what was painted: that is damage of this picture alone."""
        return self.evolve(brush=(), protect=())


class Denoise(Step):
    """Remove noise, of light and of colour."""

    label: ClassVar[str] = "Noise"
    kind: Literal["denoise"] = "denoise"
    strength: Share = 0.3
    colour: Share = 0.5

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the colour without noise."""
        return denoised(picture.colour, strength=self.strength, colour=self.colour)


class Sharpen(Step):
    """Raise edges."""

    label: ClassVar[str] = "Sharpen"
    kind: Literal["sharpen"] = "sharpen"
    amount: float = Field(0.6, ge=0, le=3)
    radius: float = Field(1.0, ge=0.3, le=20, description="Pixels.")

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the colour with edges raised."""
        radius = self.radius * picture.scale
        return sharpened(picture.colour, amount=self.amount, radius=radius)


class JoinEnds(Step):
    """Let the right edge go on as the left begins, so that the picture can pass by without end."""

    label: ClassVar[str] = "Join ends"
    kind: Literal["join"] = "join"
    width: float = Field(0.12, ge=0.01, le=0.5, description="Of the picture's width, made anew.")
    seed: int = Field(1, ge=1, le=1000)

    def done(self, picture: Prepared, matrix: np.ndarray, size: Size) -> Prepared:
        """Return the picture with what lies across its two ends filled with its own texture."""
        colour, alpha = picture.colour, picture.alpha
        if alpha is not None:
            # What is not seen has no colour to be taken for one.
            colour = pull_push(colour, alpha >= _SEEN)
            drawn = np.repeat(alpha[..., None], 3, axis=2)
            alpha = ends_joined(drawn, self.width, self.seed)[..., 0]
        colour = ends_joined(colour, self.width, self.seed)
        return Prepared(colour=colour, alpha=alpha, scale=picture.scale)


def damage_of(picture: Prepared, step: Repair, matrix: np.ndarray) -> np.ndarray:
    """Return bool (height, width): what a repair step would repair.

    ``matrix`` maps pixels of the picture as it came to full-size pixels before the step.
    """
    height, width = picture.colour.shape[:2]
    to_here = np.diag([picture.scale, picture.scale, 1.0]) @ matrix
    brush = painted(step.brush, (width, height), to_here) > 127
    protect = painted(step.protect, (width, height), to_here) > 127
    damage = np.zeros((height, width), bool)
    if step.automatic:
        damage |= find_damage(
            picture.colour, sensitivity=step.sensitivity, protect=protect, scale=picture.scale
        )
    if brush.any():
        damage |= find_damage(
            picture.colour, sensitivity=step.sensitivity, brush=brush, protect=protect
        )
    return damage
