"""A picture that sways: bent about what it is held at, rippling, breathing; no simulation.

Any moment is known by itself, from time and seed alone. What is bent keeps its length: at a moment
each line away from what is held is an arc of a circle (constant curvature).
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import cv2
import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray, Rgba16
from vistaline.core.keyable import PERCENT, Keyed
from vistaline.core.looks.pins import Pins, away_from
from vistaline.core.model import Part

__all__ = ["HeldAt", "Sway", "SwayKind", "room_of_sway", "strength_at", "swayed"]


class SwayKind(StrEnum):
    """What it does."""

    BENDS = "bends"
    """As reeds, branches, grass do."""
    RIPPLES = "ripples"
    """Waves run along it: water, a flag."""
    BREATHES = "breathes"
    """It grows and shrinks."""


class HeldAt(StrEnum):
    """Where it is held: there it does not move."""

    FOOT = "foot"
    HEAD = "head"
    LEFT = "left"
    RIGHT = "right"
    NOWHERE = "nowhere"


class Sway(Part):
    """How a layer's picture sways."""

    kind: SwayKind = SwayKind.BENDS
    held: HeldAt = HeldAt.FOOT
    pins: Pins = ()
    amount: Annotated[float, Keyed("Sway", "sway", **PERCENT, low=0.0, high=1.0, looks=True)] = (
        Field(
            0.06, ge=0, le=1, description="How far it goes astray, of its length from what is held."
        )
    )
    seconds: float = Field(3.0, ge=0.1, le=600, description="From one swing to the next.")
    uneven: float = Field(0.5, ge=0, le=1, description="0: as a pendulum; 1: as the wind comes.")
    grows: float = Field(
        1.0, ge=0, le=4, description="How it grows away from what is held; 1: evenly."
    )
    wave: float = Field(0.4, gt=0.01, le=10, description="Of a ripple: its length, of the layer's.")
    folds: float = Field(0.0, ge=0, le=1, description="Of a ripple: how its slopes take the light.")
    travel: float = Field(
        0.6, ge=-60, le=60, description="Seconds that a gust takes from left to right across it."
    )
    delay: float = Field(0.0, ge=-1e7, le=1e7, description="Seconds later than others.")
    seed: int = Field(1, ge=0, le=2**31 - 1)


_RATES = np.array([0.47, 0.83, 1.37, 2.11])
_SHARES = np.array([0.5, 0.4, 0.25, 0.15])
_MOST = float(_SHARES.sum())
"""A gust at its strongest, over a swing."""
_COARSEST = 8
_BESIDE_PIN = 0.25
"""Of its longer side: so far from what is painted it moves as if nothing were."""
_FINER = 0.8
"""So much smaller it is seen, neighbours are near enough to be mixed evenly."""
_FLATTEST = 0.98
"""Of a quarter turn's sine: what is bent further than that lies down."""


def strength_at(sway: Sway, seconds: FloatArray) -> FloatArray:
    """Return how strongly it sways, about -1..1, at times of the same shape."""
    turns = 2 * np.pi * seconds / sway.seconds
    if not sway.uneven:
        return np.asarray(np.sin(turns))
    phases = np.random.RandomState(sway.seed).random_sample(len(_RATES)) * 2 * np.pi
    gusts = (_SHARES * np.sin(turns[..., None] * _RATES + phases)).sum(axis=-1)
    return np.asarray((1 - sway.uneven) * np.sin(turns) + sway.uneven * gusts)


def room_of_sway(sway: Sway, aspect: float) -> tuple[float, float]:
    """Return how much room it needs to each side: shares of its width and its height.

    ``aspect``: its width over its height.
    """
    if sway.kind is SwayKind.BREATHES:
        return sway.amount * _MOST / 2, sway.amount * _MOST / 2
    astray = sway.amount * (_MOST if sway.kind is SwayKind.BENDS else 1.0)
    if sway.held in (HeldAt.LEFT, HeldAt.RIGHT):
        return 0.0, astray * aspect
    return astray / aspect, 0.0


def swayed(picture: Rgba16, sway: Sway, seconds: float, side: float = np.inf) -> Rgba16:
    """Return a picture (height, width, 4) at a time, with the room that it needs round it.

    ``side``: so many pixels, at most, its longer side becomes without that room.
    """
    if not sway.amount:
        return picture
    height, width = picture.shape[:2]
    room = room_of_sway(sway, width / height)
    smaller = min(1.0, side / max(width, height))
    wide, tall = (
        max(1, round(own * smaller * (1 + 2 * more)))
        for own, more in zip((width, height), room, strict=True)
    )
    cell = _cell(sway, (round(width * smaller), round(height * smaller)))
    # Known in the middles of cells, one more all round, and even between.
    columns, rows = -(-wide // cell) + 2, -(-tall // cell) + 2
    across, down = np.meshgrid(
        ((np.arange(columns) - 0.5) * cell - wide / 2) / wide * (1 + 2 * room[0]) * width
        + width / 2,
        ((np.arange(rows) - 0.5) * cell - tall / 2) / tall * (1 + 2 * room[1]) * height
        + height / 2,
    )
    from_x, from_y, light = _sources(sway, seconds, across, down, (width, height))
    if sway.pins:
        free = _free(sway.pins, across, down, (width, height))
        from_x, from_y = across + (from_x - across) * free, down + (from_y - down) * free
        light = None if light is None else 1 + (light - 1) * free

    def between(values: FloatArray) -> np.ndarray:
        size = columns * cell, rows * cell
        fine = cv2.resize(values.astype(np.float32), size, interpolation=cv2.INTER_LINEAR)
        return np.asarray(fine[cell : cell + tall, cell : cell + wide])

    found: Rgba16 = cv2.remap(  # type: ignore[assignment]
        picture,
        between(from_x - 0.5),
        between(from_y - 0.5),
        cv2.INTER_LINEAR if smaller < _FINER else cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_CONSTANT,
    )
    # What rings beyond its own alpha is no light.
    np.minimum(found[..., :3], found[..., 3:], out=found[..., :3])
    if light is None:
        return found
    lit = found[..., :3] * between(light)[..., None]
    found[..., :3] = np.minimum(lit, found[..., 3:])
    return found


def _free(pins: Pins, x: FloatArray, y: FloatArray, size: tuple[int, int]) -> FloatArray:
    """Return how freely pixels move, 0..1: not at all at what is painted, ever more beside it."""
    away = np.full(x.shape, np.inf)
    for pin in pins:
        away = np.minimum(away, away_from(np.array(pin) * size, x, y))
    share = np.clip(away / (_BESIDE_PIN * max(size)), 0, 1)
    return np.asarray(share * share * (3 - 2 * share))


def _cell(sway: Sway, size: tuple[int, int]) -> int:
    """Return over how many pixels what moves them is as good as even."""
    if sway.kind is not SwayKind.RIPPLES:
        return _COARSEST
    length = size[0] if sway.held in (HeldAt.LEFT, HeldAt.RIGHT) else size[1]
    return int(np.clip(sway.wave * length / 40, 1, _COARSEST))


def _sources(
    sway: Sway, seconds: float, x: FloatArray, y: FloatArray, size: tuple[int, int]
) -> tuple[FloatArray, FloatArray, FloatArray | None]:
    """Return where each pixel's colour comes from, and by how much its slope lights it."""
    width, height = size
    if sway.kind is SwayKind.BREATHES:
        return (*_breathing(sway, seconds, x, y, size), None)
    sideways = sway.held in (HeldAt.LEFT, HeldAt.RIGHT)
    far, near = (x, y) if sideways else (y, x)
    length, breadth = (width, height) if sideways else (height, width)
    back = sway.held not in (HeldAt.HEAD, HeldAt.LEFT)  # measured from the foot, or the right
    along = (length - far if back else far) / length
    # A gust comes to what is right later, whichever way it is held.
    late = sway.travel * (x / width) + sway.delay
    if sway.kind is SwayKind.BENDS:
        along, aside = _bent(sway, seconds, along, near / breadth, late, sideways, length / breadth)
        light = None
    else:
        aside, light = _rippled(sway, seconds, along, late)
    from_near = near - aside * length
    from_far = length * (1 - along if back else along)
    return (*((from_far, from_near) if sideways else (from_near, from_far)), light)


def _bent(
    sway: Sway,
    seconds: float,
    height: FloatArray,
    near: FloatArray,
    late: FloatArray,
    sideways: bool,
    slender: float,
) -> tuple[FloatArray, FloatArray]:
    """Return which part of an arc is at a height, and how far aside that is; of its length."""
    when = seconds - late
    for _ in range(2):
        bend = 2 * sway.amount * strength_at(sway, when)
        bend = np.where(np.abs(bend) < 1e-6, 1e-6, bend)
        part = np.arcsin(np.clip(bend * height, -_FLATTEST, _FLATTEST)) / bend
        part = np.where(height < 0, height, part)
        aside = np.where(height < 0, 0.0, (1 - np.cos(bend * part)) / bend)
        if sideways:
            break
        # What is seen here stands a little beside, where the gust is another.
        when = seconds - sway.travel * (near - aside * slender) - sway.delay
    return part, aside


def _rippled(
    sway: Sway, seconds: float, along: FloatArray, late: FloatArray
) -> tuple[FloatArray, FloatArray | None]:
    grown = np.ones_like(along)
    if sway.held is not HeldAt.NOWHERE:
        grown = np.clip(along, 0, None) ** sway.grows
    gust: float = 1.0
    if sway.uneven:
        slow = sway.evolve(seconds=3 * sway.seconds, uneven=1.0)
        calm = 0.5 - 0.5 * float(strength_at(slow, np.array(seconds)))
        gust = min(max(1 - sway.uneven * calm, 0.0), 1.0)
    turn = 2 * np.pi * (along / sway.wave - (seconds - late) / sway.seconds)
    aside = sway.amount * gust * grown * np.sin(turn)
    if not sway.folds:
        return aside, None
    return aside, np.asarray(1 + sway.folds * gust * np.minimum(grown, 1) * np.cos(turn))


def _breathing(
    sway: Sway, seconds: float, x: FloatArray, y: FloatArray, size: tuple[int, int]
) -> tuple[FloatArray, FloatArray]:
    width, height = size
    home = {
        HeldAt.FOOT: (width / 2, height),
        HeldAt.HEAD: (width / 2, 0.0),
        HeldAt.LEFT: (0.0, height / 2),
        HeldAt.RIGHT: (float(width), height / 2),
        HeldAt.NOWHERE: (width / 2, height / 2),
    }[sway.held]
    share = sway.amount * strength_at(sway, np.array(seconds - sway.delay))
    if sway.held is not HeldAt.NOWHERE:
        far = np.abs(y - home[1]) / height
        if sway.held in (HeldAt.LEFT, HeldAt.RIGHT):
            far = np.abs(x - home[0]) / width
        share = share * far**sway.grows
    return home[0] + (x - home[0]) / (1 + share), home[1] + (y - home[1]) / (1 + share)
