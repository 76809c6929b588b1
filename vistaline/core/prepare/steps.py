"""Putting a picture in shape: a list of steps, each of which can be changed, moved, switched off.

The picture as it came is never touched; the steps are done anew from it. Points and strokes are
pixels of the picture as it came, so they stay on what they were put on whatever is cropped or
turned before them. A crop is in shares of what comes in.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import Annotated, get_args

import numpy as np
from pydantic import Field

from vistaline.core.picture.colour import encode_srgb
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.prepare.mending import Denoise, JoinEnds, Repair, Sharpen
from vistaline.core.prepare.shaping import CropStep, Enlarge, Flip, Straighten, Turn
from vistaline.core.prepare.step import Prepared, Step
from vistaline.core.prepare.toning import (
    Curves,
    Levels,
    Restore,
    Saturation,
    Tint,
    WhiteBalance,
)

__all__ = [
    "STEPS",
    "PrepareStep",
    "geometry",
    "neutral_at",
    "prepare",
    "push_in_limit",
    "small_copy",
    "tones_of",
]

PrepareStep = Annotated[
    CropStep
    | Straighten
    | Turn
    | Flip
    | Repair
    | Denoise
    | Enlarge
    | Sharpen
    | JoinEnds
    | Levels
    | Curves
    | Saturation
    | WhiteBalance
    | Restore
    | Tint,
    Field(discriminator="kind"),
]

STEPS: Mapping[str, type[Step]] = MappingProxyType(
    {kind.model_fields["kind"].default: kind for kind in get_args(get_args(PrepareStep)[0])}
)
"""Kinds of steps, in the order in which they are offered."""
_TONES = 64


def push_in_limit(picture: tuple[int, int], frame: tuple[int, int]) -> float:
    """Return how far a camera may push in before a source pixel covers more than an output pixel.

    1 is the framing in which the picture just covers the frame; below 1 it is enlarged already.

    >>> push_in_limit((3840, 2160), (1920, 1080))
    2.0
    """
    return min(picture[0] / frame[0], picture[1] / frame[1])


def geometry(
    size: tuple[int, int], steps: Sequence[PrepareStep]
) -> list[tuple[np.ndarray, tuple[int, int]]]:
    """Return where pixels of the picture as it came lie before each step, and at the end.

    One pair a step and one more: the affine map (3, 3), and width and height there.
    """
    matrix, here = np.eye(3), size
    found = [(matrix, here)]
    for step in steps:
        if step.on:
            move, here = step.moved(here)
            matrix = move @ matrix
        found.append((matrix, here))
    return found


def prepare(
    picture: Prepared,
    steps: Sequence[PrepareStep],
    *,
    progress: Callable[[float, str], None] = lambda share, words: None,
) -> Prepared:
    """Return the picture after the steps that are switched on, one after the other."""
    height, width = picture.colour.shape[:2]
    full = (round(width / picture.scale), round(height / picture.scale))
    places = geometry(full, steps)
    for n, step in enumerate(steps):
        if step.on:
            progress(n / len(steps), f"step {n + 1} of {len(steps)}: {step.kind}")
            picture = step.done(picture, *places[n])
    progress(1.0, "done")
    return picture


def small_copy(pyramid: Pyramid, side: int) -> Prepared:
    """Return a picture as it came, at most about ``side`` pixels long, to try steps on."""
    level = 0
    while level + 1 < len(pyramid.levels) and max(pyramid.width, pyramid.height) >> level > side:
        level += 1
    width, height = -(-pyramid.width >> level), -(-pyramid.height >> level)
    linear = pyramid.levels[level][BORDER : BORDER + height, BORDER : BORDER + width]
    share = linear[..., 3:].astype(np.float32) / 65535
    straight = linear[..., :3].astype(np.float32) / 65535 / np.maximum(share, 1e-4)
    colour = encode_srgb(np.clip(straight, 0, 1)).astype(np.float32)
    alpha = None if pyramid.opaque else share[..., 0]
    return Prepared(colour=colour, alpha=alpha, scale=width / pyramid.width)


def tones_of(picture: Prepared) -> list[float]:
    """Return how often each of 64 tones comes in a picture, all channels; the largest is 1.

    The darkest and lightest do not set the scale: borders would hide all that is between.
    """
    counts = np.histogram(picture.colour, bins=_TONES, range=(0, 1))[0].astype(float)
    return (counts / max(1.0, counts[1:-1].max())).clip(0, 1).round(3).tolist()  # type: ignore[no-any-return]


def neutral_at(
    picture: Prepared,
    size: tuple[int, int],
    steps: Sequence[PrepareStep],
    index: int,
    at: tuple[float, float],
) -> list[float]:
    """Return the mean colour, 0 to 1, of 5 x 5 pixels as it comes to step ``index``.

    ``picture`` is a copy after the steps before it, ``size`` the full size of the picture as it
    came; ``at``: a point of the end of all steps, in shares of its width and height.
    """
    places = geometry(size, steps)
    matrix, (width, height) = places[-1]
    end = np.array([at[0] * width, at[1] * height, 1])
    here = places[index][0] @ np.linalg.inv(matrix) @ end
    rows, columns = picture.colour.shape[:2]
    column = int(np.clip(here[0] * picture.scale, 2, columns - 3))
    row = int(np.clip(here[1] * picture.scale, 2, rows - 3))
    colour = picture.colour[row - 2 : row + 3, column - 2 : column + 3].mean(axis=(0, 1))
    return [round(float(value), 4) for value in colour]
