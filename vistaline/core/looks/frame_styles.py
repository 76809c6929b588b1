"""What stands round a picture: border, mat, corners, paper; and which part of it is seen.

Widths are shares of the shorter side of the picture's window, so one style suits every size.
"""

from __future__ import annotations

import math
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import Field

from vistaline.core.arrays import Rgba16
from vistaline.core.keyable import ANGLE, COLOUR, PERCENT, SHARE, Keyed, Kind
from vistaline.core.model import Degrees, HexColour, Part, Share
from vistaline.core.picture.colour import hex_to_linear

__all__ = [
    "LARGEST_SIDE",
    "READY_STYLES",
    "Crop",
    "FrameStyle",
    "Shadow",
    "draw_framed",
    "margin_of",
    "room_for",
    "rounded",
    "window_of",
]

LARGEST_SIDE = 12_000
"""Pixels of a window as it is drawn."""
_LEAST_SIDE = 1024
_GRAIN_SEED = 7


class Shadow(Part):
    """A soft shadow; how far it falls and how soft it is grow with the gap to what is behind."""

    angle: Annotated[Degrees, Keyed("Shadow falls", "shadow_angle", **ANGLE)] = Field(
        135, description="Where it falls: 0 upwards, 90 to the right."
    )
    distance: Annotated[float, Keyed("Shadow aside", "shadow_distance", low=0, high=5)] = Field(
        0.35, ge=0, le=5, description="Metres aside for a metre of gap."
    )
    softness: Annotated[float, Keyed("Shadow softness", "shadow_softness", low=0, high=5)] = Field(
        0.3, ge=0, le=5, description="Metres of blur for a metre of gap."
    )
    strength: Annotated[Share, Keyed("Shadow", "shadow_strength", **SHARE)] = 0.55


class FrameStyle(Part):
    """A frame, kept by name and put round as many pictures as one likes."""

    border: Annotated[Share, Keyed("Border", looks=True, **SHARE)] = Field(
        0.08, description="Width, as all widths: of the shorter side."
    )
    colour: Annotated[HexColour, Keyed("Colour", **COLOUR)] = "#f7f2e6"
    mat: Annotated[Share, Keyed("Mat", looks=True, **SHARE)] = Field(
        0.0, description="Width of the mat between border and picture."
    )
    mat_colour: Annotated[HexColour, Keyed("Mat colour", **COLOUR)] = "#e9e2d0"
    corner: Annotated[float, Keyed("Corners", looks=True, low=0, high=0.5, **PERCENT)] = Field(
        0.0, ge=0, le=0.5, description="Radius of the outer corners."
    )
    paper: Annotated[Share, Keyed("Paper", looks=True, **SHARE)] = Field(
        0.0, description="How much its grain shows on border and mat."
    )
    shadow: Shadow | None = None

    @property
    def draws(self) -> bool:
        """Whether it changes the picture; else it only casts a shadow."""
        return bool(self.border or self.mat or self.corner)


READY_STYLES = {
    "White border": FrameStyle(border=0.05, shadow=Shadow()),
    "Mat and frame": FrameStyle(
        border=0.035, colour="#3b2c1e", mat=0.11, mat_colour="#efe8d8", shadow=Shadow()
    ),
    "Old print": FrameStyle(border=0.07, colour="#efe3c8", paper=0.5, corner=0.02, shadow=Shadow()),
}
"""Frame styles to begin with, by their names."""


class Crop(Part):
    """Which part of a picture its window shows."""

    fit: Literal["fill", "fit"] = Field("fill", description="Fill the window, or show it whole.")
    x: Annotated[Share, Keyed("Crop across", "crop_x", looks=True, **SHARE)] = Field(
        0.5, description="0 the left end of what there is to choose from, 1 its right."
    )
    y: Annotated[Share, Keyed("Crop down", "crop_y", looks=True, **SHARE)] = Field(
        0.5, description="0 the top, 1 the lower end."
    )
    zoom: Annotated[
        float, Keyed("Crop zoom", "crop_zoom", looks=True, kind=Kind.RATIO, low=1, high=20)
    ] = Field(1.0, ge=1, le=20, description="Enlarged within the window.")


def window_of(
    picture: tuple[int, int], aspect: float | None, largest: int = LARGEST_SIDE
) -> tuple[int, int]:
    """Return the size in pixels at which a picture's window is drawn.

    ``aspect`` is the window's width over its height; None: the picture's own. A small picture is
    enlarged, so that what stands round it is sharp. No side is longer than ``largest``.
    """
    width, height = picture
    if aspect is not None:
        width, height = (
            (width, max(1, round(width / aspect)))
            if aspect > width / height
            else (max(1, round(height * aspect)), height)
        )
    enlarge = max(1, -(-_LEAST_SIDE // max(width, height)))
    # An aspect of a thousand to one would ask for more pixels than there are.
    reduce = min(1.0, largest / (enlarge * max(width, height)))
    return max(1, round(width * enlarge * reduce)), max(1, round(height * enlarge * reduce))


def margin_of(style: FrameStyle, window: tuple[int, int]) -> int:
    """Return the pixels that border and mat take on every side of a window."""
    return round(style.border * min(window)) + round(style.mat * min(window))


def room_for(shadow: Shadow, lift: float, window: tuple[int, int]) -> int:
    """Return the pixels that a shadow takes on every side of a window that is lifted.

    ``lift``: how far it is before what is behind, as a share of its shorter side.
    """
    return math.ceil(lift * (shadow.distance + 1.5 * shadow.softness) * min(window))


def draw_framed(
    picture: Rgba16,
    style: FrameStyle | None,
    crop: Crop | None,
    aspect: float | None,
    largest: int = LARGEST_SIDE,
) -> Rgba16:
    """Return a picture in its window, with what stands round it: (height, width, 4) uint16."""
    width, height = window = window_of((picture.shape[1], picture.shape[0]), aspect, largest)
    seen = _in_window(picture, window, crop or Crop())
    if style is None:
        return seen
    border = round(style.border * min(window))
    margin = margin_of(style, window)
    light = np.empty((height + 2 * margin, width + 2 * margin, 4), np.float32)
    light[:] = [*hex_to_linear(style.colour), 1.0]
    light[border : height + 2 * margin - border, border : width + 2 * margin - border] = [
        *hex_to_linear(style.mat_colour if style.mat else style.colour),
        1.0,
    ]
    if style.paper:
        light[..., :3] *= _grain(light.shape[1], light.shape[0], style.paper)[..., None]
    inside = light[margin : margin + height, margin : margin + width]
    if not margin:
        inside[:] = 0  # nothing stands behind the picture
    over = seen.astype(np.float32) / 65535
    inside *= 1 - over[..., 3:]
    inside += over
    if style.corner:
        light *= rounded(light.shape[1], light.shape[0], style.corner * min(window))[..., None]
    return np.rint(np.clip(light, 0, 1) * 65535).astype(np.uint16)


def _in_window(picture: Rgba16, window: tuple[int, int], crop: Crop) -> Rgba16:
    height, width = picture.shape[:2]
    if window == (width, height) and crop.zoom == 1:
        return picture
    choose = max if crop.fit == "fill" else min
    scale = choose(window[0] / width, window[1] / height) * crop.zoom
    # What is left over, or wanting, on both sides together, is shared out by x and y.
    aside = (window[0] - width * scale) * crop.x, (window[1] - height * scale) * crop.y
    if scale == 1:
        aside = round(aside[0]), round(aside[1])  # whole pixels need no sampling between them
    window_from_picture = np.array([[scale, 0, aside[0]], [0, scale, aside[1]]])
    window_from_picture[:, 2] += 0.5 * scale - 0.5  # OpenCV counts pixel centres from 0
    shrunk: np.ndarray = picture
    while scale < 0.5 and min(shrunk.shape[:2]) > 2:
        shrunk = cv2.resize(shrunk, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        scale *= 2
    if shrunk is not picture:
        ratio = width / shrunk.shape[1], height / shrunk.shape[0]
        window_from_picture[0, 2] += window_from_picture[0, 0] * (ratio[0] / 2 - 0.5)
        window_from_picture[1, 2] += window_from_picture[1, 1] * (ratio[1] / 2 - 0.5)
        window_from_picture[:, :2] *= ratio
    border = cv2.BORDER_REPLICATE if crop.fit == "fill" else cv2.BORDER_CONSTANT
    seen: np.ndarray = cv2.warpAffine(
        shrunk, window_from_picture, window, flags=cv2.INTER_LINEAR, borderMode=border
    )
    return seen.astype(np.uint16, copy=False)


def rounded(width: int, height: int, radius: float) -> np.ndarray:
    """Return how much of each pixel a rectangle with round corners covers, 0..1."""
    radius = min(radius, width / 2, height / 2)
    x = np.abs(np.arange(width) + 0.5 - width / 2)[None] - (width / 2 - radius)
    y = np.abs(np.arange(height) + 0.5 - height / 2)[:, None] - (height / 2 - radius)
    beyond = np.hypot(np.maximum(x, 0), np.maximum(y, 0)) + np.minimum(np.maximum(x, y), 0)
    return np.clip(radius - beyond + 0.5, 0, 1).astype(np.float32)


def _grain(width: int, height: int, amount: float) -> np.ndarray:
    """Return what paper does to light: fine and coarse grain, the same at every call."""
    rng = np.random.default_rng(_GRAIN_SEED)
    grain = np.zeros((height, width), np.float32)
    for size, weight in ((1, 0.05), (3, 0.05), (24, 0.04)):
        coarse = rng.standard_normal((-(-height // size), -(-width // size)), np.float32)
        grain += weight * cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.exp(amount * grain - abs(amount) * 0.05)
