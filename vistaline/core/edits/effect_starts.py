"""Starting points of effects: what each is called, and which values are turned most."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from types import MappingProxyType

from vistaline.core.shot.effects import (
    BlackAndWhite,
    Contrast,
    Curves,
    Effect,
    Exposure,
    Grain,
    Halftone,
    HueRange,
    LevelsOf,
    Poster,
    Saturation,
    Screen,
    ScreenShape,
    ThreeWays,
    Tones,
    Vignetting,
    WhiteBalance,
)

__all__ = ["EFFECT_STARTS", "EffectStart", "Sort"]


class Sort(StrEnum):
    """What an effect is about."""

    COLOUR = "Colour"
    TEXTURE = "Texture"
    SOFTNESS = "Softness"


@dataclass(frozen=True)
class EffectStart:
    """A starting point."""

    words: str
    hint: str
    sort: Sort
    effect: Effect
    sliders: tuple[str, ...]
    """The values that are turned most."""


def _start(
    words: str, hint: str, sort: Sort, kind: type[Effect], sliders: str, **values: object
) -> EffectStart:
    effect = kind.model_validate({"id": "e", "name": "e"} | values)
    return EffectStart(words, hint, sort, effect, tuple(sliders.split()))


_COLOUR, _TEXTURE, _SOFTNESS = Sort.COLOUR, Sort.TEXTURE, Sort.SOFTNESS
EFFECT_STARTS: Mapping[str, EffectStart] = MappingProxyType(
    {
        "exposure": _start("Exposure", "Brighter or darker", _COLOUR, Exposure, "stops"),
        "balance": _start(
            "White balance", "Warmer or cooler", _COLOUR, WhiteBalance, "kelvin tint"
        ),
        "contrast": _start(
            "Contrast", "More or less of it, about a pivot", _COLOUR, Contrast, "contrast pivot"
        ),
        "levels": _start(
            "Levels", "Black, white and the middle", _COLOUR, LevelsOf, "black white middle"
        ),
        "curves": _start(
            "Curves", "Of all, of one colour, of lightness", _COLOUR, Curves, "amount"
        ),
        "saturation": _start(
            "Saturation",
            "More or less colour, vividness, hue",
            _COLOUR,
            Saturation,
            "saturation vividness hue",
        ),
        "three-ways": _start(
            "Dark, middle, light",
            "Each another way: lift, gamma, gain",
            _COLOUR,
            ThreeWays,
            "lift gamma gain",
        ),
        "hue-range": _start(
            "Hue range",
            "One range of hues turned, more colourful, lighter",
            _COLOUR,
            HueRange,
            "hue turn saturation",
        ),
        "mono": _start(
            "Black and white",
            "How much each primary weighs",
            _COLOUR,
            BlackAndWhite,
            "red green blue",
        ),
        "two-tones": _start(
            "Two tones", "Dark to one colour, light to another", _COLOUR, Tones, "amount contrast"
        ),
        "three-tones": _start(
            "Three tones",
            "With a colour of its own for the middle",
            _COLOUR,
            Tones,
            "amount contrast",
            three=True,
        ),
        "halftone": _start(
            "Halftone", "Dots, lines or hatching of ink", _TEXTURE, Halftone, "pitch angle"
        ),
        "screen": _start(
            "Screen",
            "Dots or lines over the picture",
            _TEXTURE,
            Screen,
            "amount pitch cover",
            amount=0.25,
            shape=ScreenShape.LINES,
            angle=0,
            pitch=6,
        ),
        "grain": _start("Grain", "Of film", _TEXTURE, Grain, "strength size", strength=0.03),
        "poster": _start("Poster", "A few steps of tone", _TEXTURE, Poster, "amount"),
        "vignette": _start(
            "Vignette", "Darker towards the edges", _SOFTNESS, Vignetting, "strength size softness"
        ),
    }
)
"""By the name that asks for each."""
