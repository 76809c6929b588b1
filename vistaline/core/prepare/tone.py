"""Light and colour of a picture: levels, curves, balance, faded colour, tint.

Pictures here are float32 (height, width, 3), sRGB-encoded, 0..1.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from scipy.interpolate import PchipInterpolator

from vistaline.core.picture.colour import encode_srgb, hex_to_linear, linearise_srgb

__all__ = [
    "balanced",
    "curve_table",
    "levelled",
    "restored",
    "saturated",
    "through_tables",
    "tinted",
]

_TABLE = 65536
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Rec. ITU-R BT.709-6, item 3.2: luminance of linear R, G, B with sRGB's primaries."""
_FADED_SHARE = 0.5
_STATISTICS_SIDE = 512


def through_tables(picture: np.ndarray, tables: np.ndarray) -> np.ndarray:
    """Return the picture with each channel looked up in its table (3, 65536) float32."""
    index = np.clip(picture * (_TABLE - 1) + 0.5, 0, _TABLE - 1).astype(np.uint16)
    return np.stack([tables[c][index[..., c]] for c in range(3)], axis=-1)


def levelled(picture: np.ndarray, *, black: float, white: float, gamma: float) -> np.ndarray:
    """Return the picture with ``black`` made 0, ``white`` made 1 and middle tones by ``gamma``.

    Common practice, no source: ((v - black) / (white - black)) ** (1 / gamma).
    """
    ramp = np.linspace(0, 1, _TABLE)
    table = np.clip((ramp - black) / max(white - black, 1e-4), 0, 1) ** (1 / gamma)
    return through_tables(picture, np.tile(table.astype(np.float32), (3, 1)))


def curve_table(points: Sequence[tuple[float, float]]) -> np.ndarray:
    """Return (65536,) float32: a smooth curve through points (in, out) that never overshoots.

    Source: Fritsch and Carlson, Monotone Piecewise Cubic Interpolation, 1980 (SciPy's PCHIP).
    """
    ramp = np.linspace(0, 1, _TABLE)
    ordered = sorted(dict(points).items())
    if not ordered:
        return ramp.astype(np.float32)
    if len(ordered) == 1:
        return np.full(_TABLE, ordered[0][1], np.float32)
    x, y = np.array(ordered).T
    curve = PchipInterpolator(x, y, extrapolate=False)(np.clip(ramp, x[0], x[-1]))
    return np.clip(curve, 0, 1).astype(np.float32)


def saturated(picture: np.ndarray, amount: float) -> np.ndarray:
    """Return the picture with its distance from grey times 1 + ``amount`` (-1 is grey).

    Grey is luma, the BT.709 weights on encoded values; a person asks for black-and-white as it
    looks, and weights on linear light would darken reds more than film did.
    """
    grey = (picture @ _LUMA)[..., None]
    return np.clip(grey + (picture - grey) * np.float32(1 + amount), 0, 1)


def balanced(picture: np.ndarray, neutral: Sequence[float]) -> np.ndarray:
    """Return the picture with the encoded colour ``neutral`` made grey of the same luminance.

    Gains in linear light, one a channel (von Kries on the primaries).
    """
    colour = np.maximum(linearise_srgb(np.asarray(neutral, np.float64)), 1e-4)
    gains = np.clip(float(colour @ _LUMA) / colour, 0.1, 10)
    ramp = linearise_srgb(np.linspace(0, 1, _TABLE))
    tables = [encode_srgb(np.clip(ramp * gain, 0, 1)).astype(np.float32) for gain in gains]
    return through_tables(picture, np.stack(tables))


def restored(picture: np.ndarray, strength: float) -> np.ndarray:
    """Return a faded picture with each dye's range stretched again, ``strength`` 0..1.

    Each channel's darkest and lightest half percent go to black and white, so a cast that grew
    with fading goes too. Common practice, no source.
    """
    small = _small(picture).reshape(-1, 3)
    low, high = np.percentile(small, [_FADED_SHARE, 100 - _FADED_SHARE], axis=0)
    high = np.maximum(high, low + 0.05)
    ramp = np.linspace(0, 1, _TABLE)
    tables = np.stack(
        [
            np.clip((ramp - low[c]) / (high[c] - low[c]), 0, 1) * strength + ramp * (1 - strength)
            for c in range(3)
        ]
    )
    return through_tables(picture, tables.astype(np.float32))


def tinted(picture: np.ndarray, *, dark: str, light: str, strength: float) -> np.ndarray:
    """Return the picture as one tone from ``dark`` to ``light`` (#rrggbb), mixed by strength."""
    ends = [encode_srgb(np.array(hex_to_linear(colour))) for colour in (dark, light)]
    grey = (picture @ _LUMA)[..., None]
    tone = ends[0].astype(np.float32) * (1 - grey) + ends[1].astype(np.float32) * grey
    mixed: np.ndarray = picture * np.float32(1 - strength) + tone * np.float32(strength)
    return mixed


def _small(picture: np.ndarray) -> np.ndarray:
    """Return a copy for statistics: the same at preview and at full size."""
    scale = min(1.0, _STATISTICS_SIDE / max(picture.shape[:2]))
    size = (max(1, round(picture.shape[1] * scale)), max(1, round(picture.shape[0] * scale)))
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
