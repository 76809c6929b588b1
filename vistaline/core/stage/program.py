"""Effects as stages of a program: which of linear light and codes each wants, tables and matrices.

What changes nothing is left out, so that it changes no byte.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry.light import adapted
from vistaline.core.looks.blending import LIT, MODES
from vistaline.core.picture.colour import encode_srgb, hex_to_linear
from vistaline.core.picture.cubes import unpacked
from vistaline.core.picture.grade import LUMA, NO_PROGRAM, TABLE, TILE_SIDE, Program, Stage
from vistaline.core.picture.matching import match_matrix
from vistaline.core.prepare.tone import curve_table
from vistaline.core.shot.edges import Wipe
from vistaline.core.shot.effects import Effect
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
from vistaline.core.shot.overlays import Grain, Ground, Halftone, Overlay, Screen, Vignetting

__all__ = ["Fields", "compiled", "grain_tile", "hue_rotation", "saturation"]

_RAMP = np.linspace(0, 1, TABLE + 1)
_IDENTITY = np.hstack([np.eye(3), np.zeros((3, 1))])
_W3C = (0.213, 0.715, 0.072)
"""Weights of W3C Filter Effects Level 1, section 9.4 (feColorMatrix)."""


class Fields:
    """Planes a program asks for: masks, what a screen is made of. The one who runs it draws them.

    This one draws none: masked effects and such as lie in a place are then left out.
    """

    def mask(self, effect: Effect) -> int | None:
        """Return the number of a plane of an effect's mask; -1: it has none; None: leave it out."""
        return -1 if effect.mask is None else None

    def vignette(self, effect: Vignetting) -> int | None:
        """Return the number of the plane of how much a vignette shows."""
        return None

    def screen(self, effect: Halftone | Screen) -> int | None:
        """Return the number of the plane of a screen, which another follows for a halftone."""
        return None

    def ground(self, effect: Ground) -> int | None:
        """Return the number of the plane of the structure of paper or canvas."""
        return None

    def overlay(self, effect: Overlay) -> int | None:
        """Return the number of the first of four planes of an own picture: colours and alpha.

        In codes, but for adding and subtracting, which want linear light.
        """
        return None

    def wipe(self, effect: Wipe) -> int | None:
        """Return the number of the plane of how much a wipe leaves."""
        return None

    def grain(self, effect: Grain) -> tuple[float, float, float] | None:
        """Return the size of grain in pixels, and from where in its tile it is taken."""
        return None


@dataclass(frozen=True)
class _Answer:
    """What the fields told of one effect."""

    mask: int = -1
    plane: int | None = None
    grain: float | None = None
    """How large its grain is; where in the tile is told later, as that changes each frame."""


class _Building:
    def __init__(self, *, coded: bool = False) -> None:
        self.stages: list[tuple[int, int]] = []
        self.numbers: list[list[float]] = []
        self.tables: list[np.ndarray] = []
        self.tiles: list[np.ndarray] = []
        self.cubes: list[np.ndarray] = []
        self.coded = coded

    def add(self, stage: Stage, numbers: Sequence[float] = (), which: int = -1) -> None:
        self.stages.append((int(stage), which))
        self.numbers.append([*numbers, *[0.0] * (12 - len(numbers))])

    def want(self, coded: bool) -> None:
        if self.coded != coded:
            if coded:
                self.add(Stage.ENCODE)
            elif self.stages and self.stages[-1][0] == Stage.ENCODE:
                self.stages.pop()
                self.numbers.pop()
            else:
                self.add(Stage.DECODE)
            self.coded = coded

    def matrix(self, matrix: FloatArray) -> None:
        """Add a matrix (3, 4), or let the one before it do both."""
        if self.stages and self.stages[-1][0] == Stage.MATRIX:
            before = np.vstack([np.reshape(self.numbers[-1], (3, 4)), [0, 0, 0, 1]])
            self.numbers[-1] = (matrix @ before).ravel().tolist()
        else:
            self.add(Stage.MATRIX, matrix.ravel().tolist())

    def through(self, tables: FloatArray) -> None:
        """Add tables (1 or 3, TABLE + 1), or let those before them do both."""
        if self.stages and self.stages[-1][0] == Stage.TABLES:
            before = self.tables[self.stages[-1][1]][:, :, 0]
            three = np.broadcast_to(tables, (3, TABLE + 1))
            both = [np.interp(one, _RAMP, each) for one, each in zip(before, three, strict=True)]
            self.tables[self.stages[-1][1]] = _as_table(np.array(both))
        else:
            self.look_up(Stage.TABLES, tables)

    def look_up(self, stage: Stage, tables: FloatArray) -> None:
        self.tables.append(_as_table(tables))
        self.add(stage, which=len(self.tables) - 1)

    def program(self) -> Program:
        self.want(coded=False)
        if not self.stages:
            return NO_PROGRAM
        return NO_PROGRAM._replace(
            stages=np.array(self.stages, np.int64),
            numbers=np.array(self.numbers, np.float32),
            tables=np.array(self.tables, np.float32).reshape(-1, 3, TABLE + 1, 2),
            cubes=np.concatenate(self.cubes) if self.cubes else NO_PROGRAM.cubes,
            tiles=np.array(self.tiles, np.float32).reshape(-1, 3, TILE_SIDE, TILE_SIDE),
        )


def compiled(effects: Sequence[Effect], fields: Fields | None = None) -> Program:
    """Return the program of effects, in their order; without ``fields`` of those that have a place
    nothing is seen."""
    fields = fields or Fields()
    shown, answers, places = [], [], []
    for effect in effects:
        mask = fields.mask(effect) if effect.amount > 0 and type(effect) in _ADDS else None
        if mask is None:
            continue
        plane, grain = None, None
        if isinstance(effect, Vignetting):
            plane = fields.vignette(effect)
        elif isinstance(effect, Halftone | Screen):
            plane = fields.screen(effect)
        elif isinstance(effect, Wipe):
            plane = fields.wipe(effect)
        elif isinstance(effect, Ground):
            plane = fields.ground(effect)
        elif isinstance(effect, Overlay):
            plane = fields.overlay(effect)
        elif isinstance(effect, Grain):
            grain = fields.grain(effect)
        if plane is None and isinstance(effect, _PLACED):
            continue
        if isinstance(effect, Grain) and (grain is None or effect.strength == 0):
            continue
        if grain:
            places.append(grain[1:])
        shown.append(effect)
        answers.append(_Answer(mask, plane, round(grain[0], 1) if grain else None))
    program = _compiled(tuple(shown), tuple(answers))
    if not places:
        return program
    numbers = program.numbers.copy()
    numbers[program.stages[:, 0] == Stage.GRAIN, 4:6] = places
    return program._replace(numbers=numbers)


@lru_cache(64)
def _compiled(effects: tuple[Effect, ...], answers: tuple[_Answer, ...]) -> Program:
    building = _Building()
    for effect, answer in zip(effects, answers, strict=True):
        _one(building, effect, answer)
    return building.program()


def _one(building: _Building, effect: Effect, answer: _Answer) -> None:
    add, coded = _ADDS[type(effect)], _is_coded(effect)
    trial = _Building(coded=coded)
    add(trial, effect, answer)
    if not trial.stages:
        return
    building.want(coded)
    partly = effect.amount < 1 or answer.mask >= 0
    if partly:
        building.add(Stage.KEEP)
    add(building, effect, answer)
    if partly:
        building.want(coded)
        building.add(Stage.MIX, [effect.amount], answer.mask)


def _is_coded(effect: Effect) -> bool:
    """Return whether an effect is defined in codes, and not in linear light."""
    if isinstance(effect, Overlay):
        return effect.blend not in LIT
    return type(effect) not in _LINEAR


def _as_table(tables: FloatArray) -> np.ndarray:
    """Return tables (1 or 3, TABLE + 1) as kernels look them up: with differences to the next."""
    three = np.broadcast_to(tables, (3, TABLE + 1))
    return np.stack([three, np.diff(three, axis=1, append=three[:, -1:])], -1).astype(np.float32)


# --- what each does ---------------------------------------------------------------------------


def _exposure(building: _Building, effect: Exposure, _: _Answer) -> None:
    if effect.stops:
        building.matrix(_IDENTITY * 2.0**effect.stops)


def _balance(building: _Building, effect: WhiteBalance, _: _Answer) -> None:
    if effect.kelvin == 6504 and effect.tint == 0:
        return
    found = adapted(effect.kelvin) if effect.kelvin != 6504 else np.eye(3)
    # Magenta is what is not green; of equal lightness.
    gains = np.array([2 ** (effect.tint / 4), 2 ** (-effect.tint / 4), 2 ** (effect.tint / 4)])
    gains /= float(gains @ np.array(LUMA))
    building.matrix(np.hstack([gains[:, None] * found, np.zeros((3, 1))]))


def _contrast(building: _Building, effect: Contrast, _: _Answer) -> None:
    if effect.contrast != 1:
        ramp = effect.pivot + (_RAMP - effect.pivot) * effect.contrast
        building.through(np.clip(ramp, 0, 1)[None])


def _levels(building: _Building, effect: LevelsOf, _: _Answer) -> None:
    if (effect.black, effect.white, effect.middle) == (0, 1, 1) == (
        effect.out_black, effect.out_white, 1,
    ):  # fmt: skip
        return
    ramp = np.clip((_RAMP - effect.black) / max(effect.white - effect.black, 1e-4), 0, 1)
    ramp = ramp ** (1 / effect.middle)
    building.through((effect.out_black + ramp * (effect.out_white - effect.out_black))[None])


@lru_cache(64)
def _curve(points: tuple[tuple[float, float], ...]) -> FloatArray:
    if not points:
        return _RAMP
    table = curve_table(points)
    return np.interp(_RAMP, np.linspace(0, 1, len(table)), table)


def _curves(building: _Building, effect: Curves, _: _Answer) -> None:
    colours = effect.red, effect.green, effect.blue
    if effect.value or any(colours):
        each = [np.interp(_curve(effect.value), _RAMP, _curve(points)) for points in colours]
        building.through(np.array(each))
    if effect.lightness:
        building.look_up(Stage.LIGHTNESS, _curve(effect.lightness)[None])


def saturation(share: float) -> FloatArray:
    """Return the matrix (3, 3), of codes, of W3C Filter Effects Level 1's saturate."""
    grey = np.tile(_W3C, (3, 1))
    return np.asarray(grey + share * (np.eye(3) - grey))


def hue_rotation(degrees: float) -> FloatArray:
    """Return the matrix (3, 3), of codes, of W3C Filter Effects Level 1's hueRotate."""
    turn = math.radians(degrees)
    grey = np.tile(_W3C, (3, 1))
    across = np.array([[-0.213, -0.715, 0.928], [0.143, 0.140, -0.283], [-0.787, 0.715, 0.072]])
    found = grey + math.cos(turn) * (np.eye(3) - grey) + math.sin(turn) * across
    return np.asarray(found)


def _colourfulness(building: _Building, effect: Colourfulness, _: _Answer) -> None:
    if effect.saturation != 1 or effect.turned % 360 != 0:
        both = hue_rotation(effect.turned) @ saturation(effect.saturation)
        building.matrix(np.hstack([both, np.zeros((3, 1))]))
    if effect.vividness:
        building.add(Stage.VIVID, [effect.vividness])


def _three_ways(building: _Building, effect: ThreeWays, _: _Answer) -> None:
    def each(value: float, colour: str) -> FloatArray:
        return value + np.array(list(bytes.fromhex(colour[1:]))) / 128 - 1

    lift = each(effect.lift, effect.lift_colour)[:, None]
    gamma = each(effect.gamma, effect.gamma_colour)[:, None]
    gain = each(effect.gain, effect.gain_colour)[:, None]
    if not (lift.any() or gamma.any() or gain.any()):
        return
    raised = np.clip((1 + gain) * (_RAMP + lift * (1 - _RAMP)), 0, 1)
    building.through(raised ** (2.0**-gamma))


def _hue_range(building: _Building, effect: HueRange, _: _Answer) -> None:
    if effect.turn == 0 and effect.saturation == 1 and effect.lightness == 0:
        return
    # Hues go round the other way than angles of B' - Y' and R' - Y'.
    turn = math.radians(-effect.turn)
    numbers = [effect.hue, effect.width / 2, effect.softness, math.sin(turn), math.cos(turn)]
    building.add(Stage.HUES, [*numbers, effect.saturation, effect.lightness])


def _mono(building: _Building, effect: BlackAndWhite, _: _Answer) -> None:
    row = [effect.red, effect.green, effect.blue, 0.0]
    building.matrix(np.tile(row, (3, 1)))


def _tones(building: _Building, effect: Tones, _: _Answer) -> None:
    colours = [effect.dark, *([effect.middle] if effect.three else []), effect.light]
    codes = encode_srgb([hex_to_linear(each) for each in colours])
    ramp = np.clip(0.5 + (_RAMP - 0.5) * effect.contrast, 0, 1)
    places = np.linspace(0, 1, len(codes))
    building.look_up(Stage.TONES, np.array([np.interp(ramp, places, c) for c in codes.T]))


@lru_cache(16)
def _unpacked(table: str) -> FloatArray:
    return unpacked(table)


def _table(building: _Building, effect: Table, _: _Answer) -> None:
    if not effect.table:
        return
    table = _unpacked(effect.table)
    if table.ndim == 2:
        steps = np.linspace(0, 1, len(table))
        building.through(np.array([np.interp(_RAMP, steps, each) for each in table.T]))
        return
    first = sum(each.size for each in building.cubes)
    building.cubes.append(np.asarray(table, np.float32).ravel())
    building.add(Stage.CUBE, [len(table), float(effect.exact)], first)


def _match(building: _Building, effect: Match, _: _Answer) -> None:
    if effect.own != effect.theirs and (effect.light or effect.colours):
        building.matrix(match_matrix(effect.own, effect.theirs, effect.light, effect.colours))


def _poster(building: _Building, effect: Poster, _: _Answer) -> None:
    last = effect.steps - 1
    building.through((np.minimum(np.floor(_RAMP * effect.steps), last) / last)[None])


def _grain(building: _Building, effect: Grain, answer: _Answer) -> None:
    assert answer.grain is not None
    building.tiles.append(grain_tile(answer.grain, effect.seed))
    numbers = [effect.strength, effect.darks, effect.lights, effect.coloured]
    building.add(Stage.GRAIN, numbers, len(building.tiles) - 1)


@lru_cache(16)
def grain_tile(size: float, seed: int) -> np.ndarray:
    """Return noise (3, side, side) float32 of mean 0 and standard deviation 1, without a seam.

    Random numbers, blurred so that grains are ``size`` pixels wide.
    """
    noise = np.random.RandomState(seed).standard_normal((3, TILE_SIDE, TILE_SIDE))
    sigma = size / 2.355
    if sigma > 0.3:
        around = 4 * math.ceil(sigma) + 1
        for plane in noise:
            wide = np.pad(plane, around, mode="wrap")
            plane[:] = cv2.GaussianBlur(wide, (0, 0), sigma)[around:-around, around:-around]
    noise -= noise.mean(axis=(1, 2), keepdims=True)
    return np.asarray(noise / noise.std(axis=(1, 2), keepdims=True), np.float32)


def _halftone(building: _Building, effect: Halftone, answer: _Answer) -> None:
    assert answer.plane is not None
    numbers = [*hex_to_linear(effect.ink), *hex_to_linear(effect.paper), float(effect.clear)]
    building.add(Stage.HALFTONE, numbers, answer.plane)
    building.coded = False


def _wipe(building: _Building, _effect: Wipe, answer: _Answer) -> None:
    assert answer.plane is not None
    building.add(Stage.WIPE, which=answer.plane)


def _vignette(building: _Building, effect: Vignetting, answer: _Answer) -> None:
    assert answer.plane is not None
    if effect.strength:
        colour = hex_to_linear(effect.colour)
        building.add(Stage.INK, [*colour, effect.strength], answer.plane)


def _ground(building: _Building, effect: Ground, answer: _Answer) -> None:
    assert answer.plane is not None
    if effect.strength:
        building.add(Stage.SHADE, [effect.strength], answer.plane)


def _overlay(building: _Building, effect: Overlay, answer: _Answer) -> None:
    assert answer.plane is not None
    building.add(Stage.OVERLAY, [MODES[effect.blend]], answer.plane)


def _screen(building: _Building, effect: Screen, answer: _Answer) -> None:
    assert answer.plane is not None
    building.add(Stage.INK, [*hex_to_linear(effect.colour), 1.0], answer.plane)


_PLACED = Vignetting | Halftone | Screen | Wipe | Ground | Overlay
"""Effects that lie somewhere, so that they are nothing without a plane."""
_LINEAR = {Exposure, WhiteBalance, Vignetting, Screen, Wipe}
"""Effects that are defined in linear light; others are in codes, see :func:`_is_coded`."""
_ADDS: dict[type[Effect], Callable[[_Building, Any, _Answer], None]] = {
    Exposure: _exposure,
    WhiteBalance: _balance,
    Contrast: _contrast,
    LevelsOf: _levels,
    Curves: _curves,
    Colourfulness: _colourfulness,
    ThreeWays: _three_ways,
    HueRange: _hue_range,
    BlackAndWhite: _mono,
    Tones: _tones,
    Table: _table,
    Match: _match,
    Poster: _poster,
    Grain: _grain,
    Halftone: _halftone,
    Vignetting: _vignette,
    Screen: _screen,
    Ground: _ground,
    Overlay: _overlay,
    Wipe: _wipe,
}
