"""sRGB and linear light, as tables over 16-bit values.

Source: IEC 61966-2-1, clause 5.2 (the transfer function and its inverse).
"""

from __future__ import annotations

import numpy as np
from numpy.polynomial import Chebyshev, Polynomial
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray, Rgba16

__all__ = [
    "FULL",
    "codes_from_linear",
    "encode_srgb",
    "hex_to_linear",
    "linear16_from_srgb",
    "linearise_srgb",
    "srgb_polynomial",
    "srgb_table",
    "straight_codes",
]

FULL = 65535


def linearise_srgb(encoded: ArrayLike) -> FloatArray:
    """Return linear light (0..1) of sRGB-encoded values (0..1).

    >>> float(linearise_srgb(0.5).round(4))
    0.214
    """
    encoded = np.asarray(encoded, dtype=np.float64)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def encode_srgb(linear: ArrayLike) -> FloatArray:
    """Return sRGB-encoded values (0..1) of linear light (0..1)."""
    linear = np.asarray(linear, dtype=np.float64)
    return np.where(
        linear <= 0.0031308,
        linear * 12.92,
        1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055,
    )


def linear16_from_srgb(levels: int) -> np.ndarray:
    """Return the table from sRGB codes (0..levels - 1) to linear uint16."""
    return np.rint(linearise_srgb(np.arange(levels) / (levels - 1)) * FULL).astype(np.uint16)


def srgb_table() -> np.ndarray:
    """Return the table (65536,) from linear uint16 to sRGB in 0..255, float32, not rounded."""
    return (encode_srgb(np.arange(FULL + 1) / FULL) * 255).astype(np.float32)


def codes_from_linear(picture: Rgba16) -> np.ndarray:
    """Return uint8 (height, width, 3): sRGB codes of the colour channels, as they are stored."""
    codes = np.rint(srgb_table()).astype(np.uint8)
    return codes[picture[..., :3]]


def straight_codes(picture: Rgba16) -> np.ndarray:
    """Return uint8 (height, width, 4) sRGB codes of premultiplied linear light, straight alpha."""
    alpha = np.maximum(picture[..., 3:].astype(np.float32), 1)
    straight = np.minimum(picture[..., :3] * (np.float32(FULL) / alpha), FULL).astype(np.uint16)
    opacity = np.rint(picture[..., 3:] / (FULL / 255)).astype(np.uint8)
    return np.dstack([np.rint(srgb_table()).astype(np.uint8)[straight], opacity])


def srgb_polynomial() -> np.ndarray:
    """Return coefficients (5,) float32, constant first, of sRGB in 0..255 above the linear toe.

    The variable is the fourth root of linear light (0..1).
    """
    root = np.linspace(0.0031308**0.25, 1, 4097)
    fit = Chebyshev.fit(root, encode_srgb(root**4) * 255, 4)
    return fit.convert(kind=Polynomial).coef.astype(np.float32)


def hex_to_linear(colour: str) -> tuple[float, float, float]:
    """Return linear R, G, B (0..1) of a ``#rrggbb`` colour.

    >>> hex_to_linear("#ff0000")
    (1.0, 0.0, 0.0)
    """
    red, green, blue = linearise_srgb(np.array(list(bytes.fromhex(colour[1:]))) / 255)
    return float(red), float(green), float(blue)
