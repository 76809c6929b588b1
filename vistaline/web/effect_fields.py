"""Which values of an effect its panel has, in which order, and what they are called."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import StrEnum
from types import MappingProxyType
from typing import Any

import numpy as np

from vistaline.core.edits.effect_starts import EFFECT_STARTS
from vistaline.core.looks.blending import Blend
from vistaline.core.prepare.tone import curve_table
from vistaline.core.shot.effects import Effect, Mask, MaskShape, On
from vistaline.core.shot.grading import CHANNELS, Curves
from vistaline.core.shot.overlays import Laid, ScreenShape, Stuff
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.softness import Blur, BlurWay, ColourSplit, SplitWay

__all__ = [
    "EFFECT_CHOICES",
    "EFFECT_GROUPS",
    "EFFECT_WORDS",
    "OF_LAYERS",
    "SHOWS_IN_PROOF",
    "curves_drawn",
    "left_out_of",
    "mask_facts",
    "over_choices",
    "over_word",
    "points_of",
    "starts_by_sort",
]

_GRID = ("shape", "fixed", "pitch", "angle")
EFFECT_GROUPS: Mapping[str, Sequence[tuple[str, Sequence[str]]]] = MappingProxyType(
    {
        "exposure": (("", ("amount", "stops")),),
        "balance": (("", ("amount", "kelvin", "tint")),),
        "contrast": (("", ("amount", "contrast", "pivot")),),
        "levels": (("", ("amount", "black", "white", "middle", "out_black", "out_white")),),
        "curves": (("", ("amount",)),),
        "colourfulness": (("", ("amount", "saturation", "vividness", "turned")),),
        "three-ways": (
            ("", ("amount", "lift", "lift_colour", "gamma", "gamma_colour", "gain", "gain_colour")),
        ),
        "hue-range": (
            ("", ("amount", "hue", "width", "softness", "turn", "saturation", "lightness")),
        ),
        "mono": (("", ("amount", "red", "green", "blue")),),
        "tones": (("", ("amount", "dark", "middle", "light", "three", "contrast")),),
        "table": (("", ("amount", "exact")),),
        "match": (("", ("amount", "light", "colours")),),
        "poster": (("", ("amount", "steps")),),
        "vignette": (
            ("", ("amount", "strength", "colour", "size", "softness", "roundness")),
            ("Middle", ("x", "y")),
        ),
        "grain": (
            ("", ("amount", "strength", "size", "darks", "lights", "coloured", "moves", "seed")),
        ),
        "halftone": (("", ("amount", *_GRID, "ink", "paper", "clear")),),
        "screen": (("", ("amount", *_GRID, "cover", "colour")),),
        "ground": (("", ("amount", "stuff", "fixed", "strength", "size")),),
        "blur": (("", ("amount", "way", "size", "angle")), ("Middle", ("x", "y"))),
        "sharpen": (("", ("amount", "strength", "size", "limit")),),
        "soft-lights": (("", ("amount", "strength", "size", "threshold")),),
        "pixels": (("", ("amount", "size")),),
        "split": (("", ("amount", "way", "size", "angle")),),
        "ink": (("", ("amount", "strength", "size", "colour", "alone", "paper")),),
        "old-film": (("", ("amount", "flicker", "weave", "dust", "scratches", "seed")),),
        "edge": (("", ("amount", "inward", "soft")),),
        "light-wrap": (("", ("amount", "strength", "size")),),
        "contact": (("", ("amount", "strength", "size", "colour")),),
        "overlay": (
            ("", ("amount", "blend", "laid", "fixed", "size")),
            ("Place", ("x", "y", "turn")),
        ),
        "wipe": (("", ("amount", "place", "softness", "angle")),),
    }
)
EFFECT_WORDS = MappingProxyType(
    {
        "blend": ("Blended", "What is done with the colour under it"),
        "laid": ("Laid", "Once, so that all is covered, or side by side"),
        "three": ("A middle tone", "A colour of its own for the middle"),
        "way": ("How", "Which way it goes"),
        "stuff": ("What", "What the picture lies on"),
        "alone": ("Lines only", "On paper, without the picture"),
        "exact": ("Between four colours", "Tetrahedral; else between eight (trilinear)"),
        "moves": ("Moves", "Another one in each frame; else it stands"),
        "clear": ("Clear paper", "Between the ink one sees what is behind"),
        "steps": ("Steps", "How many tones are left of each colour"),
        "fixed": ("Lies on", "It goes and turns with that layer, or stays with the frame"),
    }
)
EFFECT_CHOICES: Mapping[type[StrEnum], Mapping[str, str]] = MappingProxyType(
    {
        ScreenShape: {"dots": "dots", "lines": "lines", "crossed": "cross-hatching"},
        Blend: {
            mode.value: mode.value.replace("-", " ").replace("color", "colour") for mode in Blend
        },
        Laid: {"fitted": "once", "tiled": "side by side"},
        Stuff: {"paper": "paper", "canvas": "canvas"},
        BlurWay: {
            "soft": "evenly",
            "disc": "as a lens's disc",
            "along": "along a direction",
            "zoom": "as by a zoom",
            "turn": "as by a turn",
        },
        SplitWay: {"sideways": "to two sides", "radial": "towards the corners"},
    }
)
SHOWS_IN_PROOF = frozenset(
    {"halftone", "screen", "blur", "sharpen", "soft-lights", "pixels", "split", "ink", "old-film"}
    | {"edge", "wipe", "ground", "overlay", "light-wrap", "contact"}
)
"""Kinds that the viewfinder does not draw."""
OF_LAYERS = frozenset({"light-wrap", "contact"})
"""Kinds that are nothing on the whole frame."""
_SHAPES = (
    ("none", "everywhere"),
    (MaskShape.ELLIPSE.value, "an ellipse"),
    (MaskShape.OUTLINE.value, "a drawn outline"),
    (MaskShape.GRADIENT.value, "a gradient"),
    (MaskShape.STRIP.value, "a strip"),
    (MaskShape.LAYER.value, "a layer's cutout"),
    (MaskShape.DEPTH.value, "a range of depth"),
)


def starts_by_sort() -> dict[str, list[tuple[str, str, str]]]:
    """Return the starting points by what they are about: name, words and hint of each."""
    found: dict[str, list[tuple[str, str, str]]] = {}
    for name, start in EFFECT_STARTS.items():
        if name == "table":
            continue  # it is brought in
        found.setdefault(start.sort.value, []).append((name, start.words, start.hint))
    return found


def over_choices(shot: Shot) -> list[tuple[str, str]]:
    """Return all that an effect may be put on: value and words."""
    groups = dict.fromkeys(each.group for each in shot.layers if each.group)
    return [
        ("frame", "whole frame"),
        ("depth", "all from a distance on"),
        *((f"group:{name}", f"group {name}") for name in groups),
        *((f"layer:{each.id}", each.name) for each in reversed(shot.layers)),
    ]


def over_word(effect: Effect) -> str:
    """Return the choice that says what an effect is on."""
    over = effect.over
    return f"{over.kind.value}:{over.of}" if over.kind in (On.LAYER, On.GROUP) else over.kind.value


def left_out_of(effect: Effect) -> set[str]:
    """Return the fields of an effect that mean nothing as it is now."""
    found = set()
    if getattr(effect, "three", True) is False:
        found.add("middle")
    if getattr(effect, "clear", False) or getattr(effect, "alone", True) is False:
        found.add("paper")
    if isinstance(effect, Blur):
        if effect.way is not BlurWay.ALONG:
            found.add("angle")
        if effect.way not in (BlurWay.ZOOM, BlurWay.TURN):
            found |= {"x", "y"}
    if isinstance(effect, ColourSplit) and effect.way is SplitWay.RADIAL:
        found.add("angle")
    if effect.mask is None:
        found |= {"mask_width", "mask_height", "mask_y"}
    return found


def curves_drawn(effect: Effect) -> dict[str, list[float]] | None:
    """Return the curves of an effect as they run, from dark to light; None: it has none."""
    if not isinstance(effect, Curves):
        return None
    places = np.linspace(0, 65535, 65).astype(int)
    return {
        name: np.round(curve_table(getattr(effect, name))[places], 4).tolist() for name in CHANNELS
    }


def points_of(effect: Effect) -> dict[str, list[tuple[float, str]]]:
    """Return for each curve that is bent its points: where, and what their values are called."""
    if not isinstance(effect, Curves):
        return {}
    points = {name: getattr(effect, name) for name in CHANNELS}
    return {
        name: [(x, f"{name}_{n}") for n, (x, _) in enumerate(found, 1)]
        for name, found in points.items()
        if found
    }


def mask_facts(shot: Shot, effect: Effect) -> dict[str, Any]:
    """Return what the panel shows of an effect's mask: choices, and the names of its values."""
    mask = effect.mask
    layers = [(each.id, each.name) for each in reversed(shot.layers)]
    values: list[str] = []
    if mask and mask.shape is MaskShape.DEPTH:
        values = ["mask_near", "mask_far", "mask_softness"]
    elif mask and mask.shape is not MaskShape.LAYER:
        values = ["mask_x", "mask_y", "mask_width", "mask_height", "mask_turn", "mask_softness"]
        if mask.fixed == "*stage":
            values[:2] = ["mask_at_x", "mask_at_y", "mask_at_z"]
    return {
        "shapes": _SHAPES,
        "shape": mask.shape.value if mask else "none",
        "fixed": [("-", "the frame"), ("*stage", "the stage"), *layers],
        "layers": layers,
        "placed": bool(values) and (mask or Mask()).shape is not MaskShape.DEPTH,
        "values": values,
    }
