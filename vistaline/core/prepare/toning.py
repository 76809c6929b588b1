"""Steps that change tones and colours."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from vistaline.core.prepare import tone
from vistaline.core.prepare.step import Prepared, Share, Step

__all__ = ["Curves", "Levels", "Restore", "Saturation", "Tint", "WhiteBalance"]

Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]


class Levels(Step):
    """Where black and white lie, and the middle tones."""

    label: ClassVar[str] = "Levels"
    kind: Literal["levels"] = "levels"
    black: float = Field(0, ge=0, le=0.95)
    white: float = Field(1, ge=0.05, le=1)
    gamma: float = Field(1, ge=0.2, le=5)

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the colour with black, white and middle where they are set."""
        return tone.levelled(picture.colour, black=self.black, white=self.white, gamma=self.gamma)


class Curves(Step):
    """Curves through points (in, out): one for all channels, then one each."""

    label: ClassVar[str] = "Curves"
    kind: Literal["curves"] = "curves"
    value: tuple[tuple[Share, Share], ...] = ((0.0, 0.0), (1.0, 1.0))
    red: tuple[tuple[Share, Share], ...] = ()
    green: tuple[tuple[Share, Share], ...] = ()
    blue: tuple[tuple[Share, Share], ...] = ()

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the colour through the curve of all, then through each channel's."""
        value = tone.curve_table(self.value)
        index = (value * (len(value) - 1)).astype(np.int64)
        own = [tone.curve_table(points) for points in (self.red, self.green, self.blue)]
        return tone.through_tables(picture.colour, np.stack([table[index] for table in own]))

    def drawn(self, samples: int = 51) -> dict[str, list[float]]:
        """Return each curve as it is, sampled evenly from dark to light, for an editor to draw."""
        curves = {"value": self.value, "red": self.red, "green": self.green, "blue": self.blue}
        return {
            name: tone.curve_table(points)[:: 65535 // samples].round(4).tolist()
            for name, points in curves.items()
        }


class Saturation(Step):
    """Stronger or weaker colours; -1 is black and white."""

    label: ClassVar[str] = "Saturation"
    kind: Literal["saturation"] = "saturation"
    amount: float = Field(0, ge=-1, le=2)

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return stronger or weaker colours."""
        return tone.saturated(picture.colour, self.amount)


class WhiteBalance(Step):
    """Make what was picked neutral: its colour in the picture as it came to this step."""

    label: ClassVar[str] = "White balance"
    picks: ClassVar[bool] = True
    kind: Literal["balance"] = "balance"
    neutral: tuple[Share, Share, Share] = (0.5, 0.5, 0.5)

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the colour in which what was picked is neutral."""
        return tone.balanced(picture.colour, self.neutral)


class Restore(Step):
    """Bring faded colours back."""

    label: ClassVar[str] = "Faded colour"
    kind: Literal["restore"] = "restore"
    strength: Share = 0.7

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the colour, brought back."""
        return tone.restored(picture.colour, self.strength)


class Tint(Step):
    """One tone from dark to light, for black-and-white pictures."""

    label: ClassVar[str] = "Tint"
    kind: Literal["tint"] = "tint"
    dark: Colour = "#1b1a24"
    light: Colour = "#fff3dc"
    strength: Share = 1.0

    def recoloured(self, picture: Prepared, matrix: np.ndarray) -> np.ndarray:
        """Return the tones between two colours."""
        return tone.tinted(picture.colour, dark=self.dark, light=self.light, strength=self.strength)
