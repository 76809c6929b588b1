"""The laws of light as lamps follow them: fall-off, cones, the colour of what glows.

Units and laws are those of glTF's KHR_lights_punctual where it has them: distances in metres,
angles from a cone's axis, a range beyond which nothing is lit.
"""

from __future__ import annotations

import math

import numpy as np

from vistaline.core.arrays import FloatArray

__all__ = ["COOLEST", "HOTTEST", "adapted", "cone_slope", "glowing", "neutral_of", "white_of"]

COOLEST, HOTTEST = 1667.0, 25000.0
"""Kelvin between which the colour of a black body is known here."""

_LINEAR_FROM_XYZ = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)
"""IEC 61966-2-1's primaries, D65."""


_BRADFORD = np.array(
    [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]]
)
"""XYZ to what the eye's three kinds of cones tell (Lam 1985; as in ICC.1:2022, annex E)."""


def white_of(kelvin: float) -> FloatArray:
    """Return XYZ (3,) of a black body, Y being 1.

    By the cubic of Kang et al. (2002) for the Planckian locus, which is good to a thousandth in x
    and y from 1667 to 25,000 K; hotter or cooler ones are those limits.
    """
    t = min(max(kelvin, COOLEST), HOTTEST)
    by_t = (
        (-0.2661239e9, -0.2343589e6, 0.8776956e3, 0.179910)
        if t <= 4000
        else (-3.0258469e9, 2.1070379e6, 0.2226347e3, 0.240390)
    )
    x = by_t[0] / t**3 + by_t[1] / t**2 + by_t[2] / t + by_t[3]
    if t <= 2222:
        by_x = (-1.1063814, -1.34811020, 2.18555832, -0.20219683)
    elif t <= 4000:
        by_x = (-0.9549476, -1.37418593, 2.09137015, -0.16748867)
    else:
        by_x = (3.0817580, -5.87338670, 3.75112997, -0.37001483)
    y = float(np.polyval(by_x, x))
    return np.array([x / y, 1.0, (1 - x - y) / y])


def glowing(kelvin: float) -> FloatArray:
    """Return the colour (3,) of a black body in linear sRGB, its brightest channel 1.

    As :func:`white_of`; what lies outside sRGB is clipped.

    >>> glowing(6504).round(2).tolist()
    [1.0, 0.94, 0.99]
    """
    linear = np.clip(_LINEAR_FROM_XYZ @ white_of(kelvin), 0, None)
    return np.asarray(linear / linear.max())


def adapted(kelvin: float, to: float = 6504.0) -> FloatArray:
    """Return the matrix (3, 3), of linear sRGB, that makes white by one light white by another.

    The eye's adaptation by Bradford's cones (von Kries).
    """
    before, after = (_BRADFORD @ white_of(each) for each in (kelvin, to))
    xyz = np.linalg.inv(_BRADFORD) @ np.diag(after / before) @ _BRADFORD
    return np.asarray(_LINEAR_FROM_XYZ @ xyz @ np.linalg.inv(_LINEAR_FROM_XYZ))


def neutral_of(linear: FloatArray) -> tuple[float, float]:
    """Return kelvin, and how much from green to magenta (-1..1), by which a colour becomes grey.

    ``linear`` (3,): its linear sRGB. The light is the one on the black body's locus that makes red
    and blue equal; what green is off then, is the tint.
    """
    colour = np.maximum(linear, 1e-6)

    def off(kelvin: float) -> float:
        red, _, blue = np.maximum(adapted(kelvin) @ colour, 1e-6)
        return float(math.log(red / blue))

    low, high = COOLEST, HOTTEST
    for _ in range(60):
        middle = math.sqrt(low * high)
        # By a warmer light than it is, more red is taken away.
        low, high = (middle, high) if off(middle) < 0 else (low, middle)
    kelvin = math.sqrt(low * high)
    red, green, blue = np.maximum(adapted(kelvin) @ colour, 1e-6)
    tint = 2 * math.log2(float(green) / math.sqrt(float(red) * float(blue)))
    return kelvin, min(max(tint, -1.0), 1.0)


def cone_slope(angle: float, softness: float) -> tuple[float, float]:
    """Return scale and offset of a spot's edge: its share is clip(cos * scale + offset, 0, 1)^2.

    ``angle``: of the whole cone, in degrees; ``softness`` 0..1: the share of it that fades. The
    formula is KHR_lights_punctual's, with the cosine of the angle between axis and ray.
    """
    outer = math.radians(angle) / 2
    inner = outer * (1 - softness)
    low, high = math.cos(outer), math.cos(inner)
    scale = 1 / max(high - low, 1e-4)
    return scale, -low * scale
