"""Steps that change a picture's shape: cropping, turning, mirroring, more pixels."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from pydantic import AfterValidator, Field

from vistaline.core.prepare.compressed import without_blocks
from vistaline.core.prepare.detail import enlarged
from vistaline.core.prepare.step import Prepared, Share, Size, Step

__all__ = [
    "FACTORS",
    "RATIOS",
    "CropStep",
    "Enlarge",
    "Flip",
    "Straighten",
    "Turn",
    "crop_of_shape",
    "dragged_crop",
]

RATIOS = {"3:2": 3 / 2, "4:3": 4 / 3, "16:9": 16 / 9, "1:1": 1.0, "4:5": 4 / 5, "9:16": 9 / 16}
"""Width to height of the crops that are offered."""
FACTORS = (1.5, 2.0, 3.0, 4.0)
"""How much larger a picture may be made."""
Box = tuple[float, float, float, float]
_LEAST_SIDE = 8
"""Pixels a crop keeps at least."""
_LEAST_SHARE = 0.02
"""What a drag leaves of a side at least."""


class _Shaping(Step):
    """A step that does the same to colour and alpha."""

    shapes: ClassVar[bool] = True

    def done(self, picture: Prepared, matrix: np.ndarray, size: Size) -> Prepared:
        """Return the picture, each of its planes reshaped."""
        alpha = None if picture.alpha is None else self.reshaped(picture.alpha, size)
        return Prepared(
            colour=self.reshaped(picture.colour, size), alpha=alpha, scale=picture.scale
        )

    def reshaped(self, plane: np.ndarray, size: Size) -> np.ndarray:
        """Return a plane (height, width) or (height, width, 3) after the step.

        ``size``: the picture's full size before it.
        """
        raise NotImplementedError


class CropStep(_Shaping):
    """Keep a box, in shares of what comes in: left, top, width, height."""

    label: ClassVar[str] = "Crop"
    exact: ClassVar[bool] = True
    shown_before: ClassVar[bool] = True
    kind: Literal["crop"] = "crop"
    box: tuple[Share, Share, Share, Share] = (0.0, 0.0, 1.0, 1.0)

    def moved(self, size: Size) -> tuple[np.ndarray, Size]:
        """Return the box moved to the corner."""
        x, y, w, h = _crop_box(self, size)
        move = np.eye(3)
        move[:2, 2] = -x, -y
        return move, (w, h)

    def reshaped(self, plane: np.ndarray, size: Size) -> np.ndarray:
        """Return what is in the box."""
        x, y, w, h = _crop_box(self, (plane.shape[1], plane.shape[0]))
        return np.ascontiguousarray(plane[y : y + h, x : x + w])


class Straighten(_Shaping):
    """Turn a little, clockwise, and keep the largest part of the same shape."""

    label: ClassVar[str] = "Straighten"
    shown_before: ClassVar[bool] = True
    kind: Literal["straighten"] = "straighten"
    degrees: float = Field(0, ge=-45, le=45)

    def moved(self, size: Size) -> tuple[np.ndarray, Size]:
        """Return the turn about the middle, and the part that is kept."""
        return _straightening(self.degrees, size)

    def reshaped(self, plane: np.ndarray, size: Size) -> np.ndarray:
        """Return the plane turned, sampled by Lanczos."""
        move, kept = _straightening(self.degrees, (plane.shape[1], plane.shape[0]))
        shift = np.eye(3)
        shift[:2, 2] = -0.5  # pixel centres lie at .5 here, at whole numbers in OpenCV
        centred = (shift @ move @ np.linalg.inv(shift))[:2]
        turned = cv2.warpAffine(
            plane, centred, kept, flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE
        )
        return np.clip(turned, 0, 1)


class Turn(_Shaping):
    """Turn by quarters, clockwise."""

    label: ClassVar[str] = "Turn"
    exact: ClassVar[bool] = True
    kind: Literal["turn"] = "turn"
    quarters: Literal[1, 2, 3] = 1

    def moved(self, size: Size) -> tuple[np.ndarray, Size]:
        """Return as many quarter turns."""
        (width, height), move = size, np.eye(3)
        for _ in range(self.quarters):
            move = np.array([[0, -1, height], [1, 0, 0], [0, 0, 1.0]]) @ move
            width, height = height, width
        return move, (width, height)

    def reshaped(self, plane: np.ndarray, size: Size) -> np.ndarray:
        """Return the plane turned."""
        return np.ascontiguousarray(np.rot90(plane, -self.quarters))


class Flip(_Shaping):
    """Mirror left to right, or top to bottom."""

    label: ClassVar[str] = "Mirror"
    exact: ClassVar[bool] = True
    kind: Literal["flip"] = "flip"
    over: Literal["across", "down"] = "across"

    def moved(self, size: Size) -> tuple[np.ndarray, Size]:
        """Return the mirroring."""
        width, height = size
        if self.over == "across":
            return np.array([[-1.0, 0, width], [0, 1, 0], [0, 0, 1]]), size
        return np.array([[1.0, 0, 0], [0, -1, height], [0, 0, 1]]), size

    def reshaped(self, plane: np.ndarray, size: Size) -> np.ndarray:
        """Return the plane mirrored."""
        return cv2.flip(plane, 1 if self.over == "across" else 0)


def _offered(factor: float) -> float:
    if factor not in FACTORS:
        raise ValueError("choose 1.5, 2, 3 or 4")
    return factor


class Enlarge(_Shaping):
    """More pixels."""

    label: ClassVar[str] = "Enlarge"
    kind: Literal["enlarge"] = "enlarge"
    factor: Annotated[float, AfterValidator(_offered)] = 2.0
    fine: bool = True
    compressed: bool = False
    """From a picture that shows the blocks of JPEG: they are taken out first."""

    def moved(self, size: Size) -> tuple[np.ndarray, Size]:
        """Return the enlargement to whole pixels."""
        larger = self._larger(size)
        return np.diag([larger[0] / size[0], larger[1] / size[1], 1.0]), larger

    def done(self, picture: Prepared, matrix: np.ndarray, size: Size) -> Prepared:
        """Return more pixels; a preview shows no more of them, it only stands for more."""
        if picture.scale < 1:
            scale = picture.scale / self.factor
            return Prepared(colour=picture.colour, alpha=picture.alpha, scale=scale)
        if self.compressed:
            clean = without_blocks(picture.colour)
            picture = Prepared(colour=clean, alpha=picture.alpha, scale=picture.scale)
        return super().done(picture, matrix, size)

    def reshaped(self, plane: np.ndarray, size: Size) -> np.ndarray:
        """Return the plane enlarged."""
        return enlarged(plane, self._larger(size), fine=self.fine)

    def _larger(self, size: Size) -> Size:
        return round(size[0] * self.factor), round(size[1] * self.factor)


def _crop_box(step: CropStep, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """Return left, top, width, height in whole pixels, inside the picture."""
    x, y, w, h = step.box
    left = min(round(x * size[0]), size[0] - 1)
    top = min(round(y * size[1]), size[1] - 1)
    wide = max(min(_LEAST_SIDE, size[0]), min(round(w * size[0]), size[0] - left))
    tall = max(min(_LEAST_SIDE, size[1]), min(round(h * size[1]), size[1] - top))
    return min(left, size[0] - wide), min(top, size[1] - tall), wide, tall


def crop_of_shape(box: Box, ratio: float, size: Size) -> Box:
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


def dragged_crop(
    box: Box, grips: str, by: tuple[float, float], ratio: float | None, size: Size
) -> Box:
    """Return a crop's box (left, top, width, height, in shares) after a drag by shares of ``size``.

    ``grips``: which edges are dragged, of ``l``, ``r``, ``t``, ``b``; none: the whole box is
    moved. With a ``ratio`` of width to height the side that was not dragged follows, as far as
    there is picture.

    >>> dragged_crop((0.0, 0.0, 0.5, 0.5), "rb", (0.25, 0.0), 1.0, (400, 400))
    (0.0, 0.0, 0.75, 0.75)
    """
    x, y, w, h = box
    if not grips:
        return min(1 - w, max(0.0, x + by[0])), min(1 - h, max(0.0, y + by[1])), w, h
    left, top, right, bottom = x, y, x + w, y + h
    if "l" in grips:
        left = min(right - _LEAST_SHARE, max(0.0, left + by[0]))
    if "r" in grips:
        right = max(left + _LEAST_SHARE, min(1.0, right + by[0]))
    if "t" in grips:
        top = min(bottom - _LEAST_SHARE, max(0.0, top + by[1]))
    if "b" in grips:
        bottom = max(top + _LEAST_SHARE, min(1.0, bottom + by[1]))
    if ratio is not None:
        shape = ratio * size[1] / size[0]
        if "l" in grips or "r" in grips:
            tall = min((right - left) / shape, bottom if "t" in grips else 1 - top)
            top, bottom = (bottom - tall, bottom) if "t" in grips else (top, top + tall)
            wide = tall * shape
            left, right = (right - wide, right) if "l" in grips else (left, left + wide)
        else:
            wide = min((bottom - top) * shape, 1 - left)
            right, tall = left + wide, wide / shape
            top, bottom = (bottom - tall, bottom) if "t" in grips else (top, top + tall)
    return left, top, right - left, bottom - top


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
