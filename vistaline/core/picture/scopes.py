"""Scopes: how light and colour of a picture are distributed, as measured on its codes.

Luma and colour differences are those of Rec. ITU-R BT.709-6, items 3.2 and 3.3.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from vistaline.core.arrays import FloatArray

__all__ = ["Scope", "clipped_in", "differences", "luma", "scope_of", "vector_targets"]

_LEVELS = 256
_COLUMNS = 320
_LUMA = np.array([0.2126, 0.7152, 0.0722])
_TRACE = np.array([0.93, 0.91, 0.84])
_CHANNELS = np.array([[1.0, 0.36, 0.3], [0.42, 0.9, 0.42], [0.42, 0.6, 1.0]])
_GROUND = np.array([0.075, 0.09, 0.115])


class Scope(StrEnum):
    """What is shown."""

    WAVEFORM = "waveform"
    PARADE = "parade"
    VECTORS = "vectors"
    HISTOGRAM = "histogram"


@dataclass(frozen=True)
class Clipped:
    """Shares (0..1) of pixels at whose end a channel is."""

    dark: float
    light: float


def luma(codes: np.ndarray) -> FloatArray:
    """Return luma (0..1) of codes (..., 3) uint8."""
    return np.asarray(codes / 255 @ _LUMA)


def differences(codes: np.ndarray) -> tuple[FloatArray, FloatArray]:
    """Return Cb and Cr (-0.5..0.5) of codes (..., 3) uint8."""
    y = luma(codes)
    return (codes[..., 2] / 255 - y) / 1.8556, (codes[..., 0] / 255 - y) / 1.5748


def vector_targets(level: float = 0.75) -> dict[str, tuple[float, float]]:
    """Return where the bars of red, yellow ... of a ``level`` lie: Cb and Cr of each."""
    colours = {
        "R": (1, 0, 0), "Y": (1, 1, 0), "G": (0, 1, 0),
        "C": (0, 1, 1), "B": (0, 0, 1), "M": (1, 0, 1),
    }  # fmt: skip
    codes = np.array([*colours.values()]) * level * 255
    each = zip(*differences(codes), strict=True)
    return {name: (float(b), float(r)) for name, (b, r) in zip(colours, each, strict=True)}


def clipped_in(codes: np.ndarray, weights: np.ndarray | None = None) -> Clipped:
    """Return how much of a picture (N, 3) uint8 is clipped; ``weights`` (N,) of its pixels."""
    weights = np.ones(len(codes)) if weights is None else weights
    whole = max(float(weights.sum()), 1e-9)
    dark, light = (codes.min(axis=1) == 0), (codes.max(axis=1) == 255)
    return Clipped(float(weights[dark].sum()) / whole, float(weights[light].sum()) / whole)


def scope_of(codes: np.ndarray, alpha: np.ndarray, scope: Scope) -> np.ndarray:
    """Return a scope of a picture as (256, columns, 3) uint8.

    ``codes`` (height, width, 3) uint8; ``alpha`` (height, width) 0..1: how much each pixel counts.
    Waveforms have white at the top and black at the bottom, and the picture's columns from left to
    right; vectors have Cb to the right and Cr up.
    """
    if scope is Scope.VECTORS:
        b, r = differences(codes)
        places = (0.5 - r) * (_LEVELS - 1), (b + 0.5) * (_LEVELS - 1)
        return _drawn(_counted(places, alpha, (_LEVELS, _LEVELS))[..., None] * _TRACE)
    if scope is Scope.HISTOGRAM:
        return _histogram(codes, alpha)
    if scope is Scope.WAVEFORM:
        return _drawn(_wave(luma(codes), alpha, _COLUMNS)[..., None] * _TRACE)
    third = _COLUMNS // 3
    three = [_wave(codes[..., c] / 255, alpha, third)[..., None] * _CHANNELS[c] for c in range(3)]
    return _drawn(np.concatenate(three, axis=1))


def _wave(values: FloatArray, alpha: np.ndarray, columns: int) -> FloatArray:
    columns = min(columns, values.shape[1])
    across = np.broadcast_to(np.linspace(0, columns - 1, values.shape[1]), values.shape)
    return _counted(((1 - values) * (_LEVELS - 1), across), alpha, (_LEVELS, columns))


def _counted(
    places: tuple[FloatArray, FloatArray], weights: np.ndarray, shape: tuple[int, int]
) -> FloatArray:
    """Return how much lies at each place, 0..1, so that little is seen, too."""
    row, column = (
        np.clip(np.rint(each), 0, side - 1).astype(np.int64)
        for each, side in zip(places, shape, strict=True)
    )
    at = (row * shape[1] + column).ravel()
    found = np.bincount(at, weights.ravel(), shape[0] * shape[1]).reshape(shape)
    # A column's worth at one level is full.
    return np.clip((found / max(float(weights.sum()) / shape[1] / 24, 1e-9)) ** 0.45, 0, 1)


def _histogram(codes: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    image = np.zeros((_LEVELS, _LEVELS, 3))
    rows = np.arange(_LEVELS)[::-1, None]
    for c in range(3):
        counts = np.bincount(codes[..., c].ravel(), alpha.ravel(), _LEVELS)
        # One level that much is at shall not flatten all others.
        top = max(float(np.sort(counts)[-4]), 1e-9)
        image += (rows < counts / top * (_LEVELS - 1))[..., None] * _CHANNELS[c] * 0.75
    return _drawn(image)


def _drawn(light: FloatArray) -> np.ndarray:
    return np.rint(np.clip(_GROUND + light, 0, 1) * 255).astype(np.uint8)
