"""How a title comes and goes: piece by piece, each risen, typed, faded, turned and so on."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from pydantic import Field

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import EaseName, parse_ease
from vistaline.core.model import Part, Share

__all__ = [
    "By",
    "How",
    "Moves",
    "Order",
    "Passage",
    "moves_at",
    "ranks_of",
    "reading_time",
    "room_for",
]


class By(StrEnum):
    """In which pieces a title comes and goes."""

    LETTER = "letter"
    WORD = "word"
    LINE = "line"


class Order(StrEnum):
    """Which piece is first."""

    FORWARD = "forward"
    BACKWARD = "backward"
    MIDDLE = "middle"
    """From the middle to both ends."""
    RANDOM = "random"


class How(StrEnum):
    """What each piece does as it comes; as it goes it does the same the other way round."""

    TYPED = "typed"
    """It is there at once."""
    FADED = "faded"
    RISEN = "risen"
    DROPPED = "dropped"
    SLID = "slid"
    """From the left."""
    GROWN = "grown"
    TURNED = "turned"
    UNBLURRED = "unblurred"
    TRACKED = "tracked"
    """From wider apart."""
    WIPED = "wiped"
    """Uncovered from its beginning on."""


class Passage(Part):
    """How a title comes, or goes: in which pieces, in which order, when, and what each does."""

    how: How = How.RISEN
    by: By = By.WORD
    order: Order = Order.FORWARD
    seed: int = Field(1, ge=0, le=1_000_000, description="Which order, of random ones.")
    framing: int | None = Field(
        None,
        ge=0,
        le=1000,
        description="From the arrival at which framing, counted from 0, `start` is counted; left "
        "out: from the shot's first frame.",
    )
    start: int = Field(0, ge=0, le=1_000_000, description="Frames until the first piece moves.")
    frames: int = Field(24, ge=1, le=1_000_000, description="Until the last has arrived.")
    overlap: Share = Field(0.6, description="0: one after another; 1: all together.")
    ease: EaseName = "ease-out"
    distance: float = Field(
        0.5,
        ge=0,
        le=4,
        allow_inf_nan=False,
        description="Em: how far a piece moves, or is blurred.",
    )
    angle: float = Field(
        20.0, ge=-720, le=720, allow_inf_nan=False, description="Degrees that a piece turns."
    )

    def begins(self, arrivals: tuple[int, ...]) -> int:
        """Return its first frame; ``arrivals``: the frames at which the framings are reached."""
        if self.framing is None or not arrivals:
            return self.start
        # A framing that is gone is stood in for by the last.
        return arrivals[min(self.framing, len(arrivals) - 1)] + self.start


@dataclass(frozen=True, eq=False)
class Moves:
    """What the pieces of a title do at one time; each (N,)."""

    right: FloatArray
    """Em from where it stands in the end."""
    up: FloatArray
    scale: FloatArray
    turn: FloatArray
    """Degrees, anticlockwise, about its middle."""
    alpha: FloatArray
    blur: FloatArray
    """Em across: four times a Gaussian's sigma."""
    shown: FloatArray
    """Which share of its width is uncovered."""


def room_for(passage: Passage, width: float) -> tuple[float, float]:
    """Return how many em more a title may take to either side, and up and down, as it comes.

    ``width``: em, of the title.
    """
    if passage.how in (How.RISEN, How.DROPPED):
        return 0.0, passage.distance
    if passage.how is How.SLID:
        return passage.distance, 0.0
    if passage.how is How.TRACKED:
        return passage.distance * width / 2, 0.0
    if passage.how is How.UNBLURRED:
        return passage.distance, passage.distance
    return (0.5, 0.5) if passage.how is How.TURNED else (0.0, 0.0)


def ranks_of(passage: Passage, count: int) -> FloatArray:
    """Return when each of N pieces is its turn (N,): 0 is first, 1 last.

    Random orders are NumPy's Generator(PCG64) of the seed.
    """
    places = np.arange(count, dtype=float)
    match passage.order:
        case Order.BACKWARD:
            places = places[::-1].copy()
        case Order.MIDDLE:
            places = np.abs(places - (count - 1) / 2)
            places -= places.min(initial=np.inf) if count else 0
        case Order.RANDOM:
            places = np.random.default_rng(passage.seed).permutation(count).astype(float)
    most = places.max(initial=0.0)
    return places / most if most > 0 else places


def moves_at(
    passage: Passage, middles: FloatArray, begins: float, frame: float, *, goes: bool
) -> Moves:
    """Return what pieces do at a frame of a passage that ``begins`` at one.

    ``middles`` (N,): where their middles lie across the title, in em from its own; ``goes``: they
    go, and do not come.
    """
    count = len(middles)
    ranks = ranks_of(passage, count)
    # Each takes as long, and begins a share of that after the one before.
    steps = max(len(np.unique(ranks)) - 1, 0)
    each = passage.frames / (steps * (1 - passage.overlap) + 1)
    begin = begins + ranks * (passage.frames - each)
    times = np.clip((frame - begin) / max(each, 1e-9), 0, 1)
    there = times > 0
    if goes:
        times, there = 1 - times, times < 1
    eased = np.asarray(parse_ease(passage.ease)(times), dtype=float)
    left = 1 - eased
    nothing, all_ = np.zeros(count), np.ones(count)
    alpha = np.clip(times * 2.5, 0, 1)
    found = {"right": nothing, "up": nothing, "scale": all_, "turn": nothing, "alpha": alpha}
    found |= {"blur": nothing, "shown": all_}
    match passage.how:
        case How.TYPED:
            found["alpha"] = there.astype(float)
        case How.FADED:
            found["alpha"] = np.clip(eased, 0, 1)
        case How.RISEN:
            found["up"] = -left * passage.distance
        case How.DROPPED:
            found["up"] = left * passage.distance
        case How.SLID:
            found["right"] = -left * passage.distance
        case How.GROWN:
            found["scale"] = np.maximum(eased, 0)
        case How.TURNED:
            found["turn"] = left * passage.angle
        case How.UNBLURRED:
            found["blur"] = np.maximum(left, 0) * passage.distance
        case How.TRACKED:
            found["right"] = left * passage.distance * middles
        case How.WIPED:
            found |= {"shown": np.clip(eased, 0, 1), "alpha": there.astype(float)}
    return Moves(**found)


def reading_time(text: str, words_a_minute: float = 180.0) -> float:
    """Return how many seconds somebody takes to read a text aloud in the mind.

    180 words a minute on a screen (common practice, no source), and a second at least.
    """
    return max(1.0, math.ceil(len(text.split()) / words_a_minute * 600) / 10)
