"""A lens's flare: a streak across what shines, and a ring round it."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.warp import BAND
from vistaline.core.shot.beams import Flare

__all__ = ["add_flare"]

_THIN = 0.004
"""Of the frame's height: half the streak's thickness where it is thickest."""
_RING = 0.12
"""Of the ring's radius: how thick it is."""
_HEART = 0.02
"""Of the frame's height: the radius of the glare in the middle."""


def add_flare(
    picture: np.ndarray, flare: Flare, colour: FloatArray, place: tuple[float, float], crew: Crew
) -> None:
    """Add a flare about ``place``, in pixels, to a picture (height, width, 4) uint16, in place."""
    height, width = picture.shape[:2]
    told = np.array(
        [
            *place,
            math.cos(math.radians(flare.angle)),
            math.sin(math.radians(flare.angle)),
            max(flare.streak * width / 2, 1e-3),
            _THIN * height,
            max(flare.ring * height, 1e-3),
            _HEART * height,
            flare.streak > 0,
            flare.ring > 0,
        ],
        np.float32,
    )
    light = np.asarray(colour * flare.brightness * 65535, np.float32)

    def work(_: int, y0: int) -> None:
        _add(picture[y0 : y0 + BAND], told, light, y0)

    crew.share(work, range(0, height, BAND))


@njit(**KERNEL)
def _add(picture, told, light, y0):  # type: ignore[no-untyped-def]
    reach, thin, ring, heart = told[4], told[5], told[6], told[7]
    one, zero = np.float32(1), np.float32(0)
    for j in range(picture.shape[0]):
        y = np.float32(y0 + j) + np.float32(0.5) - told[1]
        for x in range(picture.shape[1]):
            dx = np.float32(x) + np.float32(0.5) - told[0]
            along, aside = dx * told[2] - y * told[3], dx * told[3] + y * told[2]
            away = np.sqrt(dx * dx + y * y)
            bright = heart * heart / (heart * heart + np.float32(4) * away * away)
            bright *= max(one - away / (np.float32(14) * heart), zero)
            if told[8] > 0:
                left = max(one - abs(along) / reach, zero)
                wide = thin * (np.float32(0.25) + left)
                across = aside / wide
                if abs(across) < 4:
                    bright += left * left * np.exp(-across * across)
            if told[9] > 0:
                off = (away - ring) / (np.float32(0.12) * ring)
                if abs(off) < 3:
                    bright += np.float32(0.12) * np.exp(-off * off)
            if bright <= np.float32(1e-5):
                continue
            for c in range(3):
                value = np.float32(picture[j, x, c]) + bright * light[c] + np.float32(0.5)
                picture[j, x, c] = np.uint16(np.int32(min(value, np.float32(65535))))
