"""Paths through framings: where a camera is after a share of the way, measured by arc length.

A smooth path takes its directions from Fritsch and Butland's monotone cubics (SciPy's PCHIP) over
the distance from framing to framing, so no coordinate goes beyond those of its two framings.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.interpolate import PchipInterpolator

from vistaline.core.arrays import FloatArray
from vistaline.core.shot.route import Framing, Path

__all__ = ["Stretch", "angles_between", "stretches_through"]

_PIECES = 64
# Five points of Gauss and Legendre on 0..1 (Abramowitz and Stegun, table 25.4).
_NODES, _WEIGHTS = (
    (np.polynomial.legendre.leggauss(5)[0] + 1) / 2,
    (np.polynomial.legendre.leggauss(5)[1] / 2),
)


@dataclass(frozen=True, eq=False)
class Stretch:
    """A cubic Bezier curve in space, from one framing to the next."""

    points: FloatArray
    """(4, 3) metres."""

    def at(self, parameter: FloatArray) -> FloatArray:
        """Return places (N, 3) at curve parameters (N,)."""
        t = parameter[:, None]
        a, b, c, d = self.points
        return (1 - t) ** 3 * a + 3 * t * (1 - t) ** 2 * b + 3 * t**2 * (1 - t) * c + t**3 * d

    def _speed(self, parameter: FloatArray) -> FloatArray:
        t = parameter[..., None]
        a, b, c = 3 * np.diff(self.points, axis=0)
        way = (1 - t) ** 2 * a + 2 * t * (1 - t) * b + t**2 * c
        return np.asarray(np.linalg.norm(way, axis=-1))

    @cached_property
    def _lengths(self) -> FloatArray:
        """Arc length (_PIECES + 1,) up to evenly spaced parameters."""
        starts = np.arange(_PIECES)[:, None] / _PIECES
        pieces = (self._speed(starts + _NODES / _PIECES) @ _WEIGHTS) / _PIECES
        return np.concatenate([[0.0], np.cumsum(pieces)])

    @property
    def length(self) -> float:
        return float(self._lengths[-1])

    def along(self, share: FloatArray) -> FloatArray:
        """Return places (N, 3) after shares (N,) of the way; beyond 0..1 straight on."""
        if self.length < 1e-12:
            return np.repeat(self.points[:1], len(share), axis=0)
        wanted = np.clip(share, 0, 1) * self.length
        lengths = self._lengths
        piece = np.clip(np.searchsorted(lengths, wanted, "right") - 1, 0, _PIECES - 1)
        start = piece / _PIECES
        gap = np.maximum(lengths[piece + 1] - lengths[piece], 1e-300)
        t = start + (wanted - lengths[piece]) / gap / _PIECES
        for _ in range(3):  # Newton's steps on the length from the piece's start
            inner = start[:, None] + (t - start)[:, None] * _NODES
            covered = lengths[piece] + (self._speed(inner) @ _WEIGHTS) * (t - start)
            speed = np.maximum(self._speed(t), 1e-9 * self.length)
            t = np.clip(t + (wanted - covered) / speed, start, start + 1 / _PIECES)
        places = self.at(t)
        beyond = (share - np.clip(share, 0, 1))[:, None] * self.length
        ends = np.where(share > 0.5, 1.0, 0.0)
        return np.asarray(places + beyond * self._heading(ends))

    def _heading(self, parameter: FloatArray) -> FloatArray:
        """Return the unit direction (N, 3) at one end or the other."""
        a, b, c, d = self.points

        def first(*ways: FloatArray) -> FloatArray:
            for way in ways:
                size = float(np.linalg.norm(way))
                if size > 1e-12:
                    return way / size
            return np.zeros(3)

        start, end = first(b - a, c - a, d - a), first(d - c, d - b, d - a)
        return np.where(parameter[:, None] > 0.5, end, start)


def stretches_through(framings: Sequence[Framing], path: Path) -> list[Stretch]:
    """Return the curves from each framing to the next."""
    places = np.array([framing.position for framing in framings], dtype=np.float64)
    third = np.diff(places, axis=0) / 3
    leaving, arriving = third.copy(), -third
    if path == "smooth":
        knots = _knots(places)
        for first, last in _runs(places):
            if last - first < 2:
                continue
            run = slice(first, last + 1)
            slopes = PchipInterpolator(knots[run], places[run]).derivative()(knots[run])
            gaps = np.diff(knots[run])[:, None] / 3
            leaving[first:last], arriving[first:last] = slopes[:-1] * gaps, -slopes[1:] * gaps
        for i, framing in enumerate(framings):
            if framing.leave is not None and i < len(leaving):
                leaving[i] = framing.leave
            if framing.arrive is not None and i > 0:
                arriving[i - 1] = framing.arrive
    return [
        Stretch(
            np.array(
                [places[i], places[i] + leaving[i], places[i + 1] + arriving[i], places[i + 1]]
            )
        )
        for i in range(len(places) - 1)
    ]


def _knots(places: FloatArray) -> FloatArray:
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1))])


def _runs(places: FloatArray) -> list[tuple[int, int]]:
    """Return first and last index of each run of framings that all stand in different places."""
    runs, first = [], 0
    still = np.linalg.norm(np.diff(places, axis=0), axis=1) < 1e-9
    for i, stands in enumerate(still):
        if stands:
            runs.append((first, i))
            first = i + 1
    return [*runs, (first, len(places) - 1)]


def angles_between(values: FloatArray, path: Path) -> list[FloatArray]:
    """Return for each travel the cubics (4, components) of what else changes with its progress.

    ``values`` (framings, components): angles and the like. Straight from one to the next, or
    smoothly through all without going beyond. Polynomials in the progress, lowest power first.
    """
    rises = np.diff(values, axis=0)
    flat = np.zeros(values.shape[1])
    if path == "straight" or len(values) < 3:
        return [np.array([values[i], rises[i], flat, flat]) for i in range(len(rises))]
    slopes = PchipInterpolator(np.arange(len(values)), values).derivative()(np.arange(len(values)))
    cubics = []
    for i, rise in enumerate(rises):
        a, b = slopes[i], slopes[i + 1]
        cubics.append(np.array([values[i], a, 3 * rise - 2 * a - b, a + b - 2 * rise]))
    return cubics
