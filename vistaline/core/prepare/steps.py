"""Putting a picture in shape: a list of steps, each of which can be changed, moved, switched off.

The picture as it came is never touched; the steps are done anew from it. Points and strokes are
pixels of the picture as it came, so they stay on what they were put on whatever is cropped or
turned before them. A crop is in shares of what comes in.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import AfterValidator, Field

from vistaline.core.model import Part
from vistaline.core.picture.strokes import Stroke, painted
from vistaline.core.prepare import tone
from vistaline.core.prepare.detail import denoised, enlarged, sharpened
from vistaline.core.prepare.repair import find_damage, repaired

__all__ = [
    "FACTORS",
    "RATIOS",
    "Crop",
    "Curves",
    "Enlarge",
    "Flip",
    "Levels",
    "PrepareStep",
    "Prepared",
    "Repair",
    "Sharpen",
    "Straighten",
    "Turn",
    "crop_of_shape",
    "damage_of",
    "geometry",
    "prepare",
    "push_in_limit",
]

Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
RATIOS = {"3:2": 3 / 2, "4:3": 4 / 3, "16:9": 16 / 9, "1:1": 1.0, "4:5": 4 / 5, "9:16": 9 / 16}
"""Width to height of the crops that are offered."""
FACTORS = (1.5, 2.0, 3.0, 4.0)
"""How much larger a picture may be made."""
_LEAST_SIDE = 8


class _Step(Part):
    on: bool = True


class Crop(_Step):
    """Keep a box, in shares of what comes in: left, top, width, height."""

    kind: Literal["crop"] = "crop"
    box: tuple[Share, Share, Share, Share] = (0.0, 0.0, 1.0, 1.0)


class Straighten(_Step):
    """Turn a little, clockwise, and keep the largest part of the same shape."""

    kind: Literal["straighten"] = "straighten"
    degrees: float = Field(0, ge=-45, le=45)


class Turn(_Step):
    """Turn by quarters, clockwise."""

    kind: Literal["turn"] = "turn"
    quarters: Literal[1, 2, 3] = 1


class Flip(_Step):
    """Mirror left to right, or top to bottom."""

    kind: Literal["flip"] = "flip"
    over: Literal["across", "down"] = "across"


class Repair(_Step):
    """Repair scratches, hairs and dust: those found automatically and those under the brush."""

    kind: Literal["repair"] = "repair"
    automatic: bool = True
    sensitivity: Share = 0.5
    brush: tuple[Stroke, ...] = ()
    protect: tuple[Stroke, ...] = ()


class Denoise(_Step):
    """Remove noise, of light and of colour."""

    kind: Literal["denoise"] = "denoise"
    strength: Share = 0.3
    colour: Share = 0.5


def _offered(factor: float) -> float:
    if factor not in FACTORS:
        raise ValueError("choose 1.5, 2, 3 or 4")
    return factor


class Enlarge(_Step):
    """More pixels."""

    kind: Literal["enlarge"] = "enlarge"
    factor: Annotated[float, AfterValidator(_offered)] = 2.0
    fine: bool = True


class Sharpen(_Step):
    """Raise edges."""

    kind: Literal["sharpen"] = "sharpen"
    amount: float = Field(0.6, ge=0, le=3)
    radius: float = Field(1.0, ge=0.3, le=20, description="Pixels.")


class Levels(_Step):
    """Where black and white lie, and the middle tones."""

    kind: Literal["levels"] = "levels"
    black: float = Field(0, ge=0, le=0.95)
    white: float = Field(1, ge=0.05, le=1)
    gamma: float = Field(1, ge=0.2, le=5)


class Curves(_Step):
    """Curves through points (in, out): one for all channels, then one each."""

    kind: Literal["curves"] = "curves"
    value: tuple[tuple[Share, Share], ...] = ((0.0, 0.0), (1.0, 1.0))
    red: tuple[tuple[Share, Share], ...] = ()
    green: tuple[tuple[Share, Share], ...] = ()
    blue: tuple[tuple[Share, Share], ...] = ()


class Saturation(_Step):
    """Stronger or weaker colours; -1 is black and white."""

    kind: Literal["saturation"] = "saturation"
    amount: float = Field(0, ge=-1, le=2)


class WhiteBalance(_Step):
    """Make what was picked neutral: its colour in the picture as it came to this step."""

    kind: Literal["balance"] = "balance"
    neutral: tuple[Share, Share, Share] = (0.5, 0.5, 0.5)


class Restore(_Step):
    """Bring faded colours back."""

    kind: Literal["restore"] = "restore"
    strength: Share = 0.7


class Tint(_Step):
    """One tone from dark to light, for black-and-white pictures."""

    kind: Literal["tint"] = "tint"
    dark: Colour = "#1b1a24"
    light: Colour = "#fff3dc"
    strength: Share = 1.0


PrepareStep = Annotated[
    Crop
    | Straighten
    | Turn
    | Flip
    | Repair
    | Denoise
    | Enlarge
    | Sharpen
    | Levels
    | Curves
    | Saturation
    | WhiteBalance
    | Restore
    | Tint,
    Field(discriminator="kind"),
]


_Reshaping = Crop | Straighten | Turn | Flip | Enlarge


@dataclass(kw_only=True, eq=False)
class Prepared:
    """A picture on its way through the steps."""

    colour: np.ndarray
    """float32 (height, width, 3), sRGB-encoded, straight, 0..1."""
    alpha: np.ndarray | None
    """float32 (height, width), 0..1; None if opaque."""
    scale: float = 1.0
    """Pixels here per pixel of the picture at full size: below 1 for a preview."""


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
            move, here = _moved(step, here)
            matrix = move @ matrix
        found.append((matrix, here))
    return found


def _moved(step: PrepareStep, size: tuple[int, int]) -> tuple[np.ndarray, tuple[int, int]]:
    width, height = size
    move = np.eye(3)
    if isinstance(step, Crop):
        x, y, w, h = _crop_box(step, size)
        move[:2, 2] = -x, -y
        return move, (w, h)
    if isinstance(step, Straighten):
        return _straightening(step.degrees, size)
    if isinstance(step, Turn):
        for _ in range(step.quarters):
            move = np.array([[0, -1, height], [1, 0, 0], [0, 0, 1.0]]) @ move
            width, height = height, width
        return move, (width, height)
    if isinstance(step, Flip):
        return (
            np.array([[-1.0, 0, width], [0, 1, 0], [0, 0, 1]])
            if step.over == "across"
            else np.array([[1.0, 0, 0], [0, -1, height], [0, 0, 1]])
        ), size
    if isinstance(step, Enlarge):
        larger = (round(width * step.factor), round(height * step.factor))
        return np.diag([larger[0] / width, larger[1] / height, 1.0]), larger
    return move, size


def _crop_box(step: Crop, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """Return left, top, width, height in whole pixels, inside the picture."""
    x, y, w, h = step.box
    left = min(round(x * size[0]), size[0] - 1)
    top = min(round(y * size[1]), size[1] - 1)
    wide = max(min(_LEAST_SIDE, size[0]), min(round(w * size[0]), size[0] - left))
    tall = max(min(_LEAST_SIDE, size[1]), min(round(h * size[1]), size[1] - top))
    return min(left, size[0] - wide), min(top, size[1] - tall), wide, tall


def crop_of_shape(
    box: tuple[float, float, float, float], ratio: float, size: tuple[int, int]
) -> tuple[float, float, float, float]:
    """Return the largest crop of a shape round the middle of another, in shares of ``size``.

    >>> crop_of_shape((0.5, 0.0, 0.5, 1.0), 1.0, (400, 100))
    (0.625, 0.0, 0.25, 1.0)
    """
    wide = min(1.0, ratio * size[1] / size[0])
    tall = min(1.0, wide * size[0] / size[1] / ratio)
    middle = box[0] + box[2] / 2, box[1] + box[3] / 2
    left = min(max(middle[0] - wide / 2, 0.0), 1 - wide)
    top = min(max(middle[1] - tall / 2, 0.0), 1 - tall)
    return left, top, wide, tall


def _straightening(degrees: float, size: tuple[int, int]) -> tuple[np.ndarray, tuple[int, int]]:
    width, height = size
    angle = math.radians(degrees)
    c, s = math.cos(angle), math.sin(angle)
    # The largest upright box of the same shape inside the turned one touches it with two corners.
    shrink = min(width / (width * c + height * abs(s)), height / (width * abs(s) + height * c))
    kept = (max(1, round(width * shrink)), max(1, round(height * shrink)))
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    before, after = np.eye(3), np.eye(3)
    before[:2, 2] = -width / 2, -height / 2
    after[:2, 2] = kept[0] / 2, kept[1] / 2
    return after @ turn @ before, kept


def prepare(
    picture: Prepared,
    steps: Sequence[PrepareStep],
    *,
    progress: Callable[[float, str], None] = lambda share, words: None,
) -> Prepared:
    """Do the steps that are switched on, one after the other."""
    height, width = picture.colour.shape[:2]
    full = (round(width / picture.scale), round(height / picture.scale))
    places = geometry(full, steps)
    for n, step in enumerate(steps):
        if step.on:
            progress(n / len(steps), f"step {n + 1} of {len(steps)}: {step.kind}")
            picture = _done(picture, step, *places[n])
    progress(1.0, "done")
    return picture


def _done(
    picture: Prepared, step: PrepareStep, matrix: np.ndarray, size: tuple[int, int]
) -> Prepared:
    if isinstance(step, _Reshaping):
        return _reshaped(picture, step, size)
    return Prepared(
        colour=_recoloured(picture, step, matrix),
        alpha=picture.alpha,
        scale=picture.scale,
    )


def _reshaped(picture: Prepared, step: _Reshaping, size: tuple[int, int]) -> Prepared:
    if isinstance(step, Enlarge) and picture.scale < 1:
        # A preview shows no more pixels; it only stands for more.
        return Prepared(
            colour=picture.colour, alpha=picture.alpha, scale=picture.scale / step.factor
        )
    alpha = None if picture.alpha is None else _reshaped_plane(picture.alpha, step, size)
    return Prepared(
        colour=_reshaped_plane(picture.colour, step, size), alpha=alpha, scale=picture.scale
    )


def _reshaped_plane(plane: np.ndarray, step: _Reshaping, size: tuple[int, int]) -> np.ndarray:
    here = (plane.shape[1], plane.shape[0])
    if isinstance(step, Enlarge):
        larger = (round(size[0] * step.factor), round(size[1] * step.factor))
        return enlarged(plane, larger, fine=step.fine)
    if isinstance(step, Crop):
        x, y, w, h = _crop_box(step, here)
        return np.ascontiguousarray(plane[y : y + h, x : x + w])
    if isinstance(step, Turn):
        return np.ascontiguousarray(np.rot90(plane, -step.quarters))
    if isinstance(step, Flip):
        return cv2.flip(plane, 1 if step.over == "across" else 0)
    move, kept = _straightening(step.degrees, here)
    shift = np.eye(3)
    shift[:2, 2] = -0.5  # pixel centres lie at .5 here, at whole numbers in OpenCV
    centred = (shift @ move @ np.linalg.inv(shift))[:2]
    turned = cv2.warpAffine(
        plane, centred, kept, flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE
    )
    return np.clip(turned, 0, 1)


def _recoloured(picture: Prepared, step: PrepareStep, matrix: np.ndarray) -> np.ndarray:
    colour = picture.colour
    if isinstance(step, Repair):
        return repaired(colour, damage_of(picture, step, matrix))
    if isinstance(step, Denoise):
        return denoised(colour, strength=step.strength, colour=step.colour)
    if isinstance(step, Sharpen):
        return sharpened(colour, amount=step.amount, radius=step.radius * picture.scale)
    if isinstance(step, Levels):
        return tone.levelled(colour, black=step.black, white=step.white, gamma=step.gamma)
    if isinstance(step, Curves):
        value = tone.curve_table(step.value)
        index = (value * (len(value) - 1)).astype(np.int64)
        own = [tone.curve_table(points) for points in (step.red, step.green, step.blue)]
        return tone.through_tables(colour, np.stack([table[index] for table in own]))
    if isinstance(step, Saturation):
        return tone.saturated(colour, step.amount)
    if isinstance(step, WhiteBalance):
        return tone.balanced(colour, step.neutral)
    if isinstance(step, Restore):
        return tone.restored(colour, step.strength)
    if isinstance(step, Tint):
        return tone.tinted(colour, dark=step.dark, light=step.light, strength=step.strength)
    return colour


def damage_of(picture: Prepared, step: Repair, matrix: np.ndarray) -> np.ndarray:
    """Return bool (height, width): what a repair step would repair.

    ``matrix`` maps pixels of the picture as it came to full-size pixels before the step.
    """
    height, width = picture.colour.shape[:2]
    to_here = np.diag([picture.scale, picture.scale, 1.0]) @ matrix
    brush = painted(step.brush, (width, height), to_here) > 127
    protect = painted(step.protect, (width, height), to_here) > 127
    damage = np.zeros((height, width), bool)
    if step.automatic:
        damage |= find_damage(picture.colour, sensitivity=step.sensitivity, protect=protect)
    if brush.any():
        damage |= find_damage(
            picture.colour, sensitivity=step.sensitivity, brush=brush, protect=protect
        )
    return damage
