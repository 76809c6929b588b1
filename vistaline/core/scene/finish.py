"""Effects as the page draws them: tables of colours, vignettes and grain, for a shader.

Whatever asks for the pixel alone becomes one table of colours, made by the very stages that render
it. What has a place in the picture is left to the proof, but for vignettes and grain.
"""

from __future__ import annotations

import base64
import hashlib
import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from vistaline.core.picture.colour import encode_srgb, hex_to_linear, linearise_srgb
from vistaline.core.picture.grade import NO_PLANES, Program, grade_row
from vistaline.core.shot.dressing import row_name
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.overlays import Grain, Vignetting
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.finish import effects_in, effects_on, effects_over
from vistaline.core.stage.masks import holds_of, outlines_of, vignette_box
from vistaline.core.stage.program import compiled

__all__ = ["LIVE_SIDE", "colour_table", "describe_finish"]

LIVE_SIDE = 33
"""Colours along a side of the page's tables."""
_TIMES = 24
"""So many tables at most follow keys; frames between take the nearest."""


def colour_table(effects: Sequence[Effect], side: int) -> np.ndarray:
    """Return what effects make of colours: codes (side, side, side, 3) float32, red fastest.

    Effects with a mask, and such as have a place in the picture, are left out.
    """
    program = compiled([each for each in effects if each.mask is None])
    return _looked_at(program, side)


def _looked_at(program: Program, side: int) -> np.ndarray:
    steps = linearise_srgb(np.linspace(0, 1, side)).astype(np.float32)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    planes = np.stack([*(each.ravel() for each in (red, green, blue)), np.ones(side**3)])
    planes = np.ascontiguousarray(planes, np.float32)
    grade_row(program, planes, 0, 0, NO_PLANES, np.empty_like(planes))
    codes = encode_srgb(np.clip(planes[:3], 0, 1))
    return np.asarray(codes.T.reshape(side, side, side, 3), np.float32)


@lru_cache(64)
def _packed(effects: tuple[Effect, ...]) -> tuple[str, str]:
    """Return a table's name and its codes, 8 bits each, in base64; empty if it changes nothing."""
    program = compiled(effects)
    if not program.stages.shape[0]:
        return "", ""
    codes = np.rint(_looked_at(program, LIVE_SIDE) * 255).astype(np.uint8).tobytes()
    return hashlib.sha256(codes).hexdigest()[:16], base64.b64encode(codes).decode()


def describe_finish(
    shot: Shot, states: Sequence[FrameState]
) -> tuple[dict[str, str], list[dict[str, Any]]]:
    """Return the tables of colours by their names, and for each frame what it is told of them."""
    tables: dict[str, str] = {}
    names = {row_name(each) for each in shot.dressing if isinstance(each, Effect)}
    keyed = any(row.of in names for row in shot.rows)
    every = max(1, math.ceil(len(states) / _TIMES)) if keyed else 1
    found = []
    for n, state in enumerate(states):
        near = states[min(n // every * every + every // 2, len(states) - 1)]
        found.append(_frame(state, near, tables))
    return tables, found


def _frame(state: FrameState, near: FrameState, tables: dict[str, str]) -> dict[str, Any]:
    if not effects_in(state):
        return {"table": "", "cards": {}, "vignettes": [], "grain": 0, "masks": {}, "holds": {}}
    size = np.array(state.camera.frame_size)
    whole = [each for each in effects_over(state) if each.mask is None]
    vignettes = [each for each in whole if isinstance(each, Vignetting)]
    grain = [each for each in whole if isinstance(each, Grain)]
    cards = {
        card.layer.id: _table(effects_on(near, card), tables)
        for card in near.cards
        if effects_on(near, card)
    }
    return {
        "table": _table(effects_over(near), tables),
        "cards": {key: name for key, name in cards.items() if name},
        "vignettes": [_vignette(each, state) for each in vignettes],
        "masks": {
            row_name(each): [np.round(line / size, 4).tolist() for line in lines]  # type: ignore[arg-type]
            for each in effects_in(state)
            if (lines := outlines_of(each, state))
        },
        "holds": {
            row_name(each): np.round(holds / size, 4).tolist()  # type: ignore[arg-type]
            for each in effects_in(state)
            if (holds := holds_of(each, state)) is not None
        },
        "grain": round(math.hypot(*(each.strength * each.amount for each in grain), 0), 4),
    }


def _table(effects: Sequence[Effect], tables: dict[str, str]) -> str:
    name, codes = _packed(tuple(each for each in effects if each.mask is None))
    if name:
        tables[name] = codes
    return name


def _vignette(effect: Vignetting, state: FrameState) -> dict[str, Any]:
    """Return its middle and half its size in shares of the frame from the left lower corner."""
    width, height = state.camera.frame_size
    box = vignette_box(effect, state.camera.frame_size)
    return {
        "middle": [0.5 + effect.x, 0.5 + effect.y],
        "half": [round(box[0, 0] / 2 / width, 5), round(-box[1, 1] / 2 / height, 5)],
        "softness": max(effect.softness, 0.01),
        "colour": np.round(hex_to_linear(effect.colour), 5).tolist(),
        "strength": round(effect.strength * effect.amount, 4),
    }
