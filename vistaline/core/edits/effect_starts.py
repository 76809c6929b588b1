"""Starting points of effects: what each is called, and which values are turned most."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from types import MappingProxyType

from vistaline.core.shot.edges import ContactShade, Edge, LightWrap, Wipe
from vistaline.core.shot.effects import Effect, Mask, MaskShape
from vistaline.core.shot.grading import (
    BlackAndWhite,
    Colourfulness,
    Contrast,
    Curves,
    Exposure,
    HueRange,
    LevelsOf,
    Match,
    Poster,
    Table,
    ThreeWays,
    Tones,
    WhiteBalance,
)
from vistaline.core.shot.overlays import (
    Grain,
    Ground,
    Halftone,
    Overlay,
    Screen,
    ScreenShape,
    Vignetting,
)
from vistaline.core.shot.softness import (
    Blur,
    CoarsePixels,
    ColourSplit,
    InkLines,
    OldFilm,
    Sharpen,
    SoftLights,
)

__all__ = ["EFFECT_STARTS"]


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
        "colourfulness": _start(
            "Colourfulness",
            "More or less colour, vividness, hue",
            _COLOUR,
            Colourfulness,
            "saturation vividness turned",
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
        "match": _start(
            "Match", "Nearer to another's light and colour", _COLOUR, Match, "light colours"
        ),
        "table": _start("Table", "A .cube brought in", _COLOUR, Table, "amount"),
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
        "pixels": _start("Coarse pixels", "Large square ones", _TEXTURE, CoarsePixels, "size"),
        "ink": _start("Ink lines", "Edges drawn in ink", _TEXTURE, InkLines, "strength size"),
        "split": _start(
            "Colour split", "Red and blue come apart", _TEXTURE, ColourSplit, "size angle"
        ),
        "old-film": _start(
            "Old film",
            "Flicker, weave, dust and scratches",
            _TEXTURE,
            OldFilm,
            "flicker weave dust scratches",
        ),
        "ground": _start(
            "Paper or canvas", "Its structure under the picture", _TEXTURE, Ground, "strength size"
        ),
        "overlay": _start(
            "Own picture",
            "A picture of the project over it: dust, scratches, paper, light",
            _TEXTURE,
            Overlay,
            "amount size",
            amount=0.5,
        ),
        "grain": _start("Grain", "Of film", _TEXTURE, Grain, "strength size", strength=0.03),
        "poster": _start("Poster", "A few steps of tone", _TEXTURE, Poster, "amount"),
        "vignette": _start(
            "Vignette", "Darker towards the edges", _SOFTNESS, Vignetting, "strength size softness"
        ),
        "blur": _start("Blur", "Even, by a disc, along, zoom, turn", _SOFTNESS, Blur, "size"),
        "sharp-inside": _start(
            "Sharp inside",
            "Blurred but for a soft area that stays sharp",
            _SOFTNESS,
            Blur,
            "size mask_width mask_height",
            mask=Mask(outside=True, softness=0.6, width=0.5, height=0.7),
        ),
        "tilt-strip": _start(
            "Tilt strip",
            "Sharp in a strip, blurred above and below",
            _SOFTNESS,
            Blur,
            "size mask_y mask_height",
            mask=Mask(shape=MaskShape.STRIP, outside=True, softness=0.8, height=0.5, width=1),
        ),
        "sharpen": _start(
            "Sharpen", "With a limit to halos", _SOFTNESS, Sharpen, "strength size limit"
        ),
        "local-contrast": _start(
            "Local contrast",
            "Sharpened broadly",
            _SOFTNESS,
            Sharpen,
            "strength size",
            size=60,
            strength=0.35,
            limit=0.25,
        ),
        "soft-lights": _start(
            "Soft lights", "Highlights glow softly", _SOFTNESS, SoftLights, "strength size"
        ),
        "edge": _start(
            "Soft edge", "A layer's edge taken in, spread, soft", _SOFTNESS, Edge, "inward soft"
        ),
        "light-wrap": _start(
            "Light wrap",
            "What is bright behind comes round a layer's edge",
            _SOFTNESS,
            LightWrap,
            "strength size",
        ),
        "contact": _start(
            "Contact shade",
            "Dark under a layer's foot, where it stands",
            _SOFTNESS,
            ContactShade,
            "strength size",
        ),
        "wipe": _start(
            "Soft wipe", "A layer ends softly along a line", _SOFTNESS, Wipe, "place softness angle"
        ),
    }
)
"""By the name that asks for each."""
