"""What a lens does to a whole frame in linear light: bent lines, fringes of colour, a vignette."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numba import njit

from vistaline.core.render.crew import Crew
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.warp import BAND
from vistaline.core.shot.character import Character, Vignette

__all__ = ["bent_alike", "changes_frame", "with_character"]

_FRINGE = 0.02
"""The way to a corner by which red and blue come apart where fringes are 1."""


def changes_frame(character: Character) -> bool:
    """Return whether a lens of this character changes a frame as it is drawn."""
    return bool(character.vignette.amount or character.fringes or character.distortion)


def with_character(
    picture: np.ndarray, character: Character, crew: Crew, shelf: Shelf
) -> np.ndarray:
    """Return a frame (height, width, 4) uint16, linear and premultiplied, as a lens draws it."""
    if character.fringes or character.distortion:
        picture = _bent(picture, character, crew, shelf)
    if character.vignette.amount:
        height, width = picture.shape[:2]
        light = _light(width, height, character.vignette)
        out = shelf.lend(picture.shape)
        given = picture

        def darken(_: int, y0: int) -> None:
            rows = slice(y0, y0 + BAND)
            _darken(given[rows], light[rows], out[rows])

        crew.share(darken, range(0, height, BAND))
        picture = out
    return picture


def bent_alike(depths: np.ndarray, character: Character) -> np.ndarray:
    """Return what (height, width) float32 says of each pixel, bent as a frame's green light is.

    Each pixel takes one that there was: a mean of two depths is a place where nothing is.
    """
    if not (character.fringes or character.distortion):
        return depths
    height, width = depths.shape
    x, y = _maps(width, height, character.distortion, character.fringes * _FRINGE / 2)
    return cv2.remap(depths, x, y, cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)


def _bent(picture: np.ndarray, character: Character, crew: Crew, shelf: Shelf) -> np.ndarray:
    height, width = picture.shape[:2]
    out = shelf.lend(picture.shape)
    apart = character.fringes * _FRINGE
    # Each colour is enlarged a little more than the one before, so that none leaves a rim bare.
    channels = [0.0, apart / 2, apart] if apart else [0.0]
    maps = [_maps(width, height, character.distortion, each) for each in channels]

    def bend(_: int, y0: int) -> None:
        rows = slice(y0, y0 + BAND)
        for n, (x, y) in enumerate(maps):
            seen = cv2.remap(
                picture, x[rows], y[rows], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
            )
            if len(maps) == 1:
                out[rows] = seen
            else:
                out[rows, :, n] = seen[..., n]
                if n == 1:
                    out[rows, :, 3] = seen[..., 3]

    crew.share(bend, range(0, height, BAND))
    return out


@lru_cache(12)
def _maps(
    width: int, height: int, distortion: float, enlarged: float
) -> tuple[np.ndarray, np.ndarray]:
    """Return where each pixel comes from, x and y (height, width) float32.

    A radius r, in half diagonals, comes from r (1 + k r^2) / max(1, 1 + k): Brown's first term
    (Close-range camera calibration, 1971), enlarged so that corners stay in the frame.
    """
    half = np.array([width, height]) / 2
    x = np.arange(width) + 0.5 - half[0]
    y = (np.arange(height) + 0.5 - half[1])[:, None]
    square = (x**2 + y**2) / (half @ half)
    share = (1 + distortion * square) / max(1.0, 1 + distortion) * (1 - enlarged)
    return (
        (x * share + half[0] - 0.5).astype(np.float32),
        (y * share + half[1] - 0.5).astype(np.float32),
    )


@lru_cache(4)
def _light(width: int, height: int, vignette: Vignette) -> np.ndarray:
    """Return what is left of the light at each pixel, (height, width) float32."""
    across, up = vignette.middle
    circle = np.hypot(width, height) / 2
    ellipse = np.array([width, height]) / np.sqrt(2)
    reach = ellipse + (circle - ellipse) * vignette.roundness
    x = (np.arange(width) + 0.5 - width / 2 * (1 + across)) / reach[0]
    y = ((np.arange(height) + 0.5 - height / 2 * (1 - up)) / reach[1])[:, None]
    begins = 1 - vignette.softness
    t = np.clip((np.hypot(x, y) - begins) / (1 - begins), 0, 1)
    return (1 - vignette.amount * t * t * (3 - 2 * t)).astype(np.float32)


@njit(**KERNEL)
def _darken(picture, light, out):  # type: ignore[no-untyped-def]
    """Lay a black veil over a picture that lets ``light`` of it through."""
    half = np.float32(0.5)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            share = light[y, x]
            for c in range(3):
                out[y, x, c] = np.uint16(np.float32(picture[y, x, c]) * share + half)
            clear = np.float32(65535 - picture[y, x, 3]) * share
            out[y, x, 3] = np.uint16(np.float32(65535) - clear + half)
