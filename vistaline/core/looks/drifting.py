"""A picture that passes by without end: shifted, its right edge going on as its left begins."""

from __future__ import annotations

from typing import Annotated

import cv2
import numpy as np
from pydantic import Field

from vistaline.core.arrays import Rgba16
from vistaline.core.keyable import Keyed
from vistaline.core.model import Part

__all__ = ["Drift", "drifted"]

_REACH = 4
"""Pixels to each side that the shift by a part of a pixel asks for: Lanczos of four lobes."""


class Drift(Part):
    """How a picture passes by; its ends should meet (the step that joins them sees to it)."""

    speed: float = Field(
        0.01, ge=-10, le=10, description="Of its width a second; above 0 to the right."
    )
    passed: Annotated[
        float, Keyed("Passed", unit="%", factor=100, low=-1e4, high=1e4, looks=True)
    ] = Field(0.0, ge=-1e4, le=1e4, description="Of its width, beside what its speed makes.")


def drifted(picture: Rgba16, passed: float) -> Rgba16:
    """Return a picture (height, width, 4) that has passed by ``passed`` widths to the right."""
    width = picture.shape[1]
    shift = (passed % 1.0) * width
    whole = int(shift)
    part = shift - whole
    rolled = np.roll(picture, whole, axis=1)
    if part < 1e-3:
        return rolled
    padded = np.concatenate([rolled[:, -_REACH:], rolled, rolled[:, :_REACH]], axis=1)
    taps = np.arange(-_REACH, _REACH + 1) + part
    kernel = np.sinc(taps) * np.sinc(taps / _REACH) * (np.abs(taps) < _REACH)
    found = cv2.filter2D(padded, -1, (kernel / kernel.sum())[None], borderType=cv2.BORDER_REPLICATE)
    found = found[:, _REACH:-_REACH]
    # What rings beyond its own alpha is no light.
    return np.minimum(found, found[..., 3:])
