"""Particles at any time, without those of the times before.

Time is cut into short spells, before the shot's first frame, too. How many particles come about in
a spell, and all that differs from one to the next, are numbers that follow from the seed, the spell
and the particle's place in it alone; where each is now follows from them in closed form.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numba import njit
from scipy.ndimage import convolve1d
from scipy.special import ndtri

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry import space
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.shot.air import Emits, Particles
from vistaline.core.shot.dressing import row_name
from vistaline.core.shot.mounts import carry_of
from vistaline.core.shot.rows import Row
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.keyed import rows_of, valued
from vistaline.core.stage.tracks import moving_mounts, track_of

__all__ = ["MOST_ALIVE", "SPELL", "Flock", "alive_of", "flock_at", "path_of"]

SPELL = 0.1
"""Seconds of a spell."""
MOST_ALIVE = 50_000
"""Particles of one kind that are in the air at once; of more only so many are drawn."""
_MOST_SPELLS = 20_000
_MANY = 400


@dataclass(frozen=True, eq=False)
class Flock:
    """All particles of one kind that are in the air at one time."""

    thing: Particles
    """With the values it has then."""
    places: FloatArray
    """(N, 3) metres on the stage."""
    ways: FloatArray
    """(N, 3) metres a second."""
    radii: FloatArray
    """(N,) metres."""
    colours: FloatArray
    """(N, 3) linear."""
    opacity: FloatArray
    """(N,) 0..1."""
    turns: FloatArray
    """(N,) radians about the line of sight."""


def alive_of(thing: Particles) -> float:
    """Return how many particles are in the air on the whole, as far as they are asked for."""
    return thing.rate * thing.life


def flock_at(shot: Shot, thing: Particles, frame: float) -> Flock:
    """Return the particles of ``thing``, as the shot keeps it, that are in the air at a frame."""
    rate, rows = float(shot.frame.rate), rows_of(shot, row_name(thing))
    now = valued(thing, rows, frame) if rows else thing
    seconds = frame / rate
    longest = _longest_life(thing, [row for row in rows if row.value in ("life", "life_spread")])
    last = math.floor(seconds / SPELL)
    first = last - min(math.ceil(longest / SPELL) + 1, _MOST_SPELLS)
    spells = np.arange(first, last + 1)
    frames = np.asarray((spells + 0.5) * SPELL * rate, np.float64)
    if rows:
        values = [valued(thing, rows, each) for each in frames.tolist()]
    else:
        values = [thing]
    told = np.array([_told(each) for each in values])[np.arange(len(spells)) % len(values)]
    poses = _poses(shot, thing, values, frames)
    poses = poses[np.arange(len(spells)) % len(poses)]
    counts = _counts(thing.seed, spells, told[:, _RATE], told[:, _LIFE])
    total = int(counts.sum())
    found = np.zeros((total, 13))
    _born(spells, counts, told, poses, seconds, thing.seed, found)
    found = found[found[:, 11] > 0]
    places = found[:, :3]
    if now.turbulence > 0 and len(found):
        _whirled(places, found[:, 12], now.turbulence, now.whirls, thing.seed)
    return Flock(
        now,
        places,
        found[:, 3:6],
        found[:, 6],
        found[:, 7:10],
        found[:, 11] * now.opacity,
        found[:, 10],
    )


_NAMES = (
    *("rate", "life", "life_spread", "radius", "radius_spread", "grows", "fades_in", "fades_out"),
    *("speed", "speed_spread", "spread", "gravity", "drag", "spin"),
)
_RATE, _LIFE = 0, 1


def _told(thing: Particles) -> list[float]:
    """Return a thing's values (35,) as kernels are told them."""
    numbers = [float(getattr(thing, name)) for name in _NAMES]
    line = thing.emits is Emits.LINE
    sizes = [thing.size[0], *((0.0, 0.0) if line else thing.size[1:])]
    if thing.emits is Emits.FLAT:
        sizes[1] = 0.0
    ways = space.rotation(thing.pan, thing.tilt, 0.0)[:, [0, 1, 2]]
    return [
        *numbers,
        *thing.drift,
        *sizes,
        *hex_to_linear(thing.colour),
        *hex_to_linear(thing.colour_end),
        *ways.ravel(),
    ]


def _longest_life(thing: Particles, rows: Sequence[Row]) -> float:
    keys = [float(key.value) for row in rows if row.value == "life" for key in row.keys]
    return max([thing.life, *keys]) * 2


def _poses(shot: Shot, thing: Particles, values: list[Particles], frames: FloatArray) -> FloatArray:
    """Return where they came from (spells or 1, 4, 4) in each spell."""
    if thing.emits is Emits.LAYER and thing.layer:
        return track_of(shot, shot.layer(thing.layer), frames).poses
    poses = np.array([space.pose(each.position, 0.0, 0.0) for each in values])
    if thing.ride:
        poses = carry_of(thing.ride, shot.mounts, moving_mounts(shot, frames)).pose(poses)
    return poses


def _counts(seed: int, spells: np.ndarray, rates: FloatArray, lives: FloatArray) -> np.ndarray:
    """Return how many particles come about in each spell: by Poisson's law."""
    means = rates * SPELL * np.minimum(1, MOST_ALIVE / np.maximum(rates * lives, 1e-12))
    means = np.minimum(means, MOST_ALIVE)
    shares = _numbers(seed, spells)
    counts = _by_poisson(shares, means)
    many = means > _MANY
    # Of many, the normal law that Poisson's then is.
    spread = np.sqrt(means[many]) * ndtri(shares[many])
    counts[many] = np.maximum(np.rint(means[many] + spread), 0)
    return counts


@njit(cache=True, nogil=True)
def _numbers(seed, spells):  # type: ignore[no-untyped-def]
    found = np.empty(spells.shape[0])
    for n in range(spells.shape[0]):
        found[n] = _number(seed, spells[n], 0, 0)
    return found


@njit(cache=True, nogil=True)
def _by_poisson(shares, means):  # type: ignore[no-untyped-def]
    """Return how many Poisson's law says (N,) for numbers 0..1: its distribution, inverted."""
    found = np.zeros(shares.shape[0], np.int64)
    for n in range(shares.shape[0]):
        if means[n] > _MANY:
            continue
        share = np.exp(-means[n])
        total, k = share, 0
        while total < shares[n] and k < 20 * _MANY:
            k += 1
            share *= means[n] / k
            total += share
        found[n] = k
    return found


@njit(cache=True, nogil=True)
def _number(seed, spell, n, which):  # type: ignore[no-untyped-def]
    """Return a number above 0 and below 1 that follows from these four alone.

    The steps of splitmix64 (Steele, Lea, Flood 2014; from memory), which pass tests of randomness.
    """
    z = np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15)
    for part in (np.uint64(spell + 1_000_000_000), np.uint64(n), np.uint64(which)):
        z = z ^ part
        z = z + np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z = z ^ (z >> np.uint64(31))
    return (np.float64(z >> np.uint64(11)) + 0.5) / 9007199254740992.0


@njit(cache=True, nogil=True)
def path_of(start, speed, wind, gravity, drag, age):  # type: ignore[no-untyped-def]
    """Return where something is along one axis ``age`` seconds after its start, and how fast.

    In air that drags: dv/dt = gravity - drag (v - wind), solved; for little drag by its series.
    """
    x = drag * age
    if x < 1e-3:
        push = gravity + drag * (wind - speed)
        at = start + speed * age + push * age * age * (0.5 - x / 6 + x * x / 24)
        return at, speed + push * age * (1 - x / 2 + x * x / 6)
    ends = wind + gravity / drag
    left = np.exp(-x)
    return start + ends * age + (speed - ends) * (1 - left) / drag, ends + (speed - ends) * left


@njit(cache=True, nogil=True)
def _born(spells, counts, told, poses, seconds, seed, found):  # type: ignore[no-untyped-def]
    """Fill ``found`` (N, 13): place, way, radius, colour, turn, share of opacity, age.

    What has ended, or has not yet begun, has no opacity.
    """
    at = 0
    for s in range(spells.shape[0]):
        spell, values, pose = spells[s], told[s], poses[s]
        for n in range(counts[s]):
            row = found[at]
            at += 1
            age = seconds - (spell + _number(seed, spell, n, 1)) * 0.1
            life = values[1] * (1 + values[2] * (2 * _number(seed, spell, n, 2) - 1))
            if age < 0 or age >= life:
                continue
            share = age / life
            opacity = 1.0
            if values[6] > 0:
                opacity = min(opacity, share / values[6])
            if values[7] > 0:
                opacity = min(opacity, (1 - share) / values[7])
            opacity = opacity * opacity * (3 - 2 * opacity)
            # A way within the cone of the spread, evenly over the ball's cap.
            cap = np.cos(np.radians(values[10]) / 2)
            along = 1 - _number(seed, spell, n, 3) * (1 - cap)
            around = 2 * np.pi * _number(seed, spell, n, 4)
            aside = np.sqrt(max(1 - along * along, 0.0))
            a, b, c = aside * np.cos(around), aside * np.sin(around), -along
            speed = values[8] * (1 + values[9] * (2 * _number(seed, spell, n, 5) - 1))
            inside_x = (_number(seed, spell, n, 6) - 0.5) * values[17]
            inside_y = (_number(seed, spell, n, 7) - 0.5) * values[18]
            inside_z = (_number(seed, spell, n, 8) - 0.5) * values[19]
            for k in range(3):
                start = (
                    pose[k, 3]
                    + pose[k, 0] * inside_x
                    + pose[k, 1] * inside_y
                    + pose[k, 2] * inside_z
                )
                way = values[26 + 3 * k] * a + values[27 + 3 * k] * b + values[28 + 3 * k] * c
                fall = -values[11] if k == 1 else 0.0
                row[k], row[3 + k] = path_of(
                    start, way * speed, values[14 + k], fall, values[12], age
                )
                row[7 + k] = values[20 + k] + share * (values[23 + k] - values[20 + k])
            radius = values[3] * (1 + values[4] * (2 * _number(seed, spell, n, 9) - 1))
            row[6] = radius * (1 + share * (values[5] - 1))
            turning = (2 * _number(seed, spell, n, 11) - 1) * np.radians(values[13])
            row[10] = 2 * np.pi * _number(seed, spell, n, 10) + turning * age
            row[11] = opacity
            row[12] = age


@cache
def _whirls() -> np.ndarray:
    """Return a field of whirls (32, 32, 32, 3) float32 without sources, of mean square 1.

    The curl of smooth random numbers, repeated in space (Bridson 2007: curl noise).
    """
    numbers = np.random.RandomState(11).random_sample((3, 32, 32, 32)) - 0.5
    for axis in (1, 2, 3):
        for _ in range(2):
            numbers = convolve1d(numbers, [0.25, 0.5, 0.25], axis=axis, mode="wrap")

    def slope(of: int, axis: int) -> FloatArray:
        along = axis + 1
        return np.asarray(np.roll(numbers[of], -1, along - 1) - np.roll(numbers[of], 1, along - 1))

    # Axes of the table: z, y, x.
    curl = np.stack(
        [
            slope(2, 1) - slope(1, 0),
            slope(0, 0) - slope(2, 2),
            slope(1, 2) - slope(0, 1),
        ],
        axis=-1,
    )
    return np.asarray(curl / np.sqrt(np.mean(np.sum(curl**2, axis=-1))), np.float32)


def _whirled(places: FloatArray, ages: FloatArray, far: float, grain: float, seed: int) -> None:
    """Move ``places`` (N, 3) as far as whirls have carried them at their ages (N,)."""
    offset = np.random.RandomState(seed).random_sample(3) * 32
    _carry(places, ages, far, 1 / grain, offset, _whirls())


@njit(cache=True, nogil=True)
def _carry(places, ages, far, fine, offset, table):  # type: ignore[no-untyped-def]
    for n in range(places.shape[0]):
        # As the air itself moves on, so do its whirls.
        x = places[n, 0] * fine + offset[0] + 0.13 * ages[n]
        y = places[n, 1] * fine + offset[1] - 0.11 * ages[n]
        z = places[n, 2] * fine + offset[2]
        fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
        i, j, k = int(fx) & 31, int(fy) & 31, int(fz) & 31
        i1, j1, k1 = (i + 1) & 31, (j + 1) & 31, (k + 1) & 31
        s, t, r = x - fx, y - fy, z - fz
        carried = far * (1 - np.exp(-ages[n]))
        for c in range(3):
            a = table[k, j, i, c] * (1 - s) + table[k, j, i1, c] * s
            b = table[k, j1, i, c] * (1 - s) + table[k, j1, i1, c] * s
            d = table[k1, j, i, c] * (1 - s) + table[k1, j, i1, c] * s
            e = table[k1, j1, i, c] * (1 - s) + table[k1, j1, i1, c] * s
            low, high = a + t * (b - a), d + t * (e - d)
            places[n, c] += carried * (low + r * (high - low))
