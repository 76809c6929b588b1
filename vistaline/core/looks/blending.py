"""The blend modes a layer may have: what is done with the colour behind it."""

from __future__ import annotations

from enum import StrEnum

__all__ = ["ADD", "LIT", "MODES", "SUBTRACT", "Blend"]


class Blend(StrEnum):
    """W3C Compositing and Blending Level 1, section 10, by their published names; and two more."""

    NORMAL = "normal"
    MULTIPLY = "multiply"
    SCREEN = "screen"
    OVERLAY = "overlay"
    DARKEN = "darken"
    LIGHTEN = "lighten"
    COLOR_DODGE = "color-dodge"
    COLOR_BURN = "color-burn"
    HARD_LIGHT = "hard-light"
    SOFT_LIGHT = "soft-light"
    DIFFERENCE = "difference"
    EXCLUSION = "exclusion"
    HUE = "hue"
    SATURATION = "saturation"
    COLOR = "color"
    LUMINOSITY = "luminosity"
    ADD = "add"
    """Adds light to what is behind."""
    SUBTRACT = "subtract"
    """Takes light away from what is behind."""


MODES = {mode: number for number, mode in enumerate(Blend)}
"""The number that a compositing kernel, and the page's shader, know each mode by."""
ADD, SUBTRACT = MODES[Blend.ADD], MODES[Blend.SUBTRACT]
"""The numbers of those that are done in linear light."""
LIT = frozenset({Blend.ADD, Blend.SUBTRACT})
"""The modes that are done in linear light."""
