"""The unsteadiness of what is carried: the same seed gives the same sway on every machine.

A sum of sines at uneven steps below the asked frequency, so that is where its power lies; what is
rough adds weaker and quicker ones. Numbers come from a hash of the seed, not from a generator
whose sequence might change.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.shot.shakes import Shake

__all__ = ["STARTING_SHAKES", "sway_of"]

STARTING_SHAKES: dict[str, Shake] = {
    "Still hand": Shake(frequency=0.8, turn=0.12, travel=0.002),
    "Shoulder": Shake(frequency=1.6, turn=0.35, travel=0.008, roughness=0.25),
    "Vehicle": Shake(frequency=7, turn=0.3, travel=0.006, roughness=0.6),
}
_AXES = 6
_SINES, _TREMBLING = 12, 6
_WINDOW = 120.0
"""Seconds over which the largest sway is looked for."""


def sway_of(shake: Shake, seconds: FloatArray, length: float, rate: float) -> FloatArray:
    """Return how far something sways (N, 6): right, up, back in metres; pan, tilt, roll in degrees.

    ``seconds`` (N,) from the shot's start; ``length``: of the shot in seconds; ``rate``: frames a
    second, for the ramps.
    """
    swing, largest = _swing(shake.seed, shake.roughness), _largest(shake.seed, shake.roughness)
    sway = np.clip(_sum(swing, seconds * shake.frequency) / largest, -1, 1)
    return sway * np.repeat([shake.travel, shake.turn], 3) * _ramp(shake, seconds, length, rate)


def _ramp(shake: Shake, seconds: FloatArray, length: float, rate: float) -> FloatArray:
    """Return how much of it there is (N, 1), 0..1: rising and dying away smoothly."""
    rising = seconds * rate / shake.ramp_in if shake.ramp_in else np.ones_like(seconds)
    left = (length - 1 / rate - seconds) * rate
    falling = left / shake.ramp_out if shake.ramp_out else np.ones_like(seconds)
    share = np.clip(np.minimum(rising, falling), 0, 1)
    return np.asarray((share * share * (3 - 2 * share))[:, None])


def _sum(swing: FloatArray, cycles: FloatArray) -> FloatArray:
    """Return the sums of sines (N, axes); ``cycles`` (N,) of the asked frequency."""
    frequency, phase, weight = swing
    turns = cycles[:, None, None] * frequency + phase
    return np.asarray((weight * np.sin(2 * np.pi * turns)).sum(axis=2))


@lru_cache(maxsize=64)
def _swing(seed: int, roughness: float) -> FloatArray:
    """Return frequency (in shares of the asked one), phase and weight (3, axes, sines)."""
    count = _SINES + _TREMBLING
    noise = _hashed(seed, 2 * _AXES * count).reshape(2, _AXES, count)
    # Evenly spread with a jitter; none above the asked frequency, but for the trembling.
    steps = (np.arange(_SINES) + noise[0, :, :_SINES]) / _SINES
    quicker = 1 + 3 * (np.arange(_TREMBLING) + noise[0, :, _SINES:]) / _TREMBLING
    frequency = np.concatenate([0.1 + 0.9 * steps, quicker], axis=1)
    weight = np.concatenate([np.ones((_AXES, _SINES)), roughness / quicker], axis=1)
    return np.stack([frequency, noise[1], weight])


@lru_cache(maxsize=64)
def _largest(seed: int, roughness: float) -> FloatArray:
    """Return the largest sway (axes,) of what :func:`_swing` sums."""
    cycles = np.arange(0, _WINDOW, 1 / 32)
    return np.asarray(np.abs(_sum(_swing(seed, roughness), cycles)).max(axis=0))


def _hashed(seed: int, count: int) -> FloatArray:
    """Return ``count`` numbers 0..1: SplitMix64 (Steele, Lea and Flood, OOPSLA 2014)."""
    step = np.uint64(0x9E3779B97F4A7C15)
    with np.errstate(over="ignore"):
        z = np.uint64(seed) + np.arange(1, count + 1, dtype=np.uint64) * step
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z = z ^ (z >> np.uint64(31))
    return np.asarray((z >> np.uint64(11)).astype(np.float64) / 2**53)
