"""What is done to a depth map: smoothed, curved, limited, raised here and lowered there."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from vistaline.core.depth.cleaning import cleaned
from vistaline.core.depth.spread import edge_guided
from vistaline.core.depth.step import DepthStep, Seen
from vistaline.core.model import Share
from vistaline.core.picture.coverage import coverage_of
from vistaline.core.picture.smooth import pull_push
from vistaline.core.picture.strokes import Stroke, painted, stroke_mask
from vistaline.core.prepare.tone import curve_table
from vistaline.core.separate.cutset import OutlinePoint
from vistaline.core.separate.masks import polygon_of

__all__ = [
    "Area",
    "Brush",
    "Curve",
    "Edges",
    "Holes",
    "Invert",
    "Limits",
    "Smooth",
    "Touch",
]

Amount = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class Smooth(DepthStep):
    """Smoother: everywhere, or along the picture's edges and not across them."""

    label: ClassVar[str] = "Smooth"
    kind: Literal["smooth"] = "smooth"
    radius: float = Field(12, ge=0, le=500, description="Pixels of the picture.")
    along_edges: bool = True

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map, smoothed."""
        reach = self.radius * seen.scale
        if reach < 0.3:
            return nearness
        if self.along_edges:
            return np.clip(edge_guided(nearness, seen.picture, reach, 0.05), 0, 1)
        return cv2.GaussianBlur(nearness, (0, 0), reach / 2)

    def moved(self, matrix: np.ndarray) -> Smooth:
        """Return the step with its radius scaled."""
        return self.evolve(radius=min(500.0, self.radius * _scale(matrix)))


class Curve(DepthStep):
    """A curve through points (nearness in, nearness out): where depth is spread and where not."""

    label: ClassVar[str] = "Curve"
    kind: Literal["curve"] = "curve"
    points: tuple[tuple[Share, Share], ...] = Field(((0.0, 0.0), (1.0, 1.0)), max_length=20)

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map through the curve."""
        table = curve_table(self.points)
        return table[np.rint(np.clip(nearness, 0, 1) * (len(table) - 1)).astype(np.int32)]


class Limits(DepthStep):
    """What is farther than one end and nearer than the other is cut off; the rest fills all."""

    label: ClassVar[str] = "Near and far"
    kind: Literal["limits"] = "limits"
    far: Share = 0.0
    near: Share = 1.0

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map from its new far to its new near end."""
        return np.clip((nearness - self.far) / max(self.near - self.far, 1e-3), 0, 1)


class Invert(DepthStep):
    """Near is far, and far is near."""

    label: ClassVar[str] = "Invert"
    kind: Literal["invert"] = "invert"

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map the other way round."""
        return 1 - nearness


class Area(DepthStep):
    """A soft-edged part of the picture, brought nearer or put farther away."""

    label: ClassVar[str] = "Area"
    kind: Literal["area"] = "area"
    points: tuple[OutlinePoint, ...] = Field((), max_length=500)
    """An outline's, or two opposite corners of the box round an ellipse."""
    ellipse: bool = False
    cutout: str = Field("", max_length=16, description="A cutout's mask in place of an outline.")
    amount: Amount = 0.1
    softness: float = Field(20, ge=0, le=2000, description="Pixels over which its edge fades.")

    @property
    def asks_cutouts(self) -> bool:
        """Whether cutouts give its outline."""
        return bool(self.cutout)

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map, higher or lower in the area."""
        return np.clip(nearness + self.amount * self.share(seen), 0, 1)

    def share(self, seen: Seen) -> np.ndarray:
        """Return where the area is, float32 (height, width), 0..1."""
        height, width = seen.shape
        if self.cutout:
            mask = seen.cutouts.get(self.cutout)
            drawn = np.zeros((height, width), np.uint8) if mask is None else mask
        elif len(self.points) < 2:
            drawn = np.zeros((height, width), np.uint8)
        else:
            drawn = coverage_of(self._outline() * seen.scale, (width, height))
        share = drawn.astype(np.float32) / 255
        # A fade over n pixels is about a Gaussian of a quarter of that.
        spread = self.softness * seen.scale / 4
        return cv2.GaussianBlur(share, (0, 0), spread) if spread > 0.3 else share

    def _outline(self) -> np.ndarray:
        if not self.ellipse:
            return polygon_of(self.points)
        points = np.array([point.at for point in self.points])
        low, high = points.min(axis=0), points.max(axis=0)
        turn = np.linspace(0, 2 * np.pi, 96, endpoint=False)
        return (low + high) / 2 + (high - low) / 2 * np.stack([np.cos(turn), np.sin(turn)], axis=1)

    def moved(self, matrix: np.ndarray) -> Area:
        """Return the step with its outline moved."""
        return self.evolve(
            points=tuple(point.moved(matrix) for point in self.points),
            softness=min(2000.0, self.softness * _scale(matrix)),
        )


class Touch(Stroke):
    """A stroke that brings nearer, puts farther, levels, or paints one depth."""

    does: Literal["raise", "lower", "level", "paint"] = "raise"
    value: Share = 0.1
    """How much it raises, lowers or levels; the nearness it paints."""


class Brush(DepthStep):
    """What was worked over by hand."""

    label: ClassVar[str] = "Brush"
    kind: Literal["brush"] = "brush"
    touches: tuple[Touch, ...] = Field((), max_length=1000)

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map after all touches, one after the other."""
        found = nearness.astype(np.float32, copy=True)
        for touch in self.touches:
            _touched(found, touch, seen)
        return found

    def moved(self, matrix: np.ndarray) -> Brush:
        """Return the step with its strokes moved."""
        return self.evolve(touches=tuple(touch.moved(matrix) for touch in self.touches))


def _touched(nearness: np.ndarray, touch: Touch, seen: Seen) -> None:
    height, width = seen.shape
    here = touch.moved(seen.here)
    drawn = stroke_mask(
        np.array(here.points), max(here.width, 1.0), (width, height), softness=here.softness
    )
    share = drawn.astype(np.float32) / 255
    match touch.does:
        case "raise" | "lower":
            nearness += share * (touch.value if touch.does == "raise" else -touch.value)
            np.clip(nearness, 0, 1, out=nearness)
        case "paint":
            nearness += share * (touch.value - nearness)
        case "level":
            total = float(share.sum())
            if total:
                mean = float((share * nearness).sum()) / total
                nearness += share * touch.value * (mean - nearness)


class Edges(DepthStep):
    """Edges of a rough map, sharpened and brought to where the picture's are."""

    label: ClassVar[str] = "Clean the edges"
    kind: Literal["edges"] = "edges"
    radius: float = Field(7, ge=1, le=60, description="Pixels over which its edges are soft.")

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map with clean edges."""
        return cleaned(nearness, seen.picture, max(1, round(self.radius * seen.scale)))

    def moved(self, matrix: np.ndarray) -> Edges:
        """Return the step with its radius scaled."""
        return self.evolve(radius=min(60.0, max(1.0, self.radius * _scale(matrix))))


class Holes(DepthStep):
    """What was painted over is forgotten and goes on from what is round it."""

    label: ClassVar[str] = "Fill holes"
    kind: Literal["holes"] = "holes"
    strokes: tuple[Stroke, ...] = Field((), max_length=500)
    black: bool = Field(False, description="What is quite black is a hole, too.")

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map, its holes filled smoothly."""
        height, width = seen.shape
        hole = painted(self.strokes, (width, height), seen.here) > 127
        if self.black:
            hole |= nearness <= 1e-6
        if not hole.any() or hole.all():
            return nearness
        filled = pull_push(nearness[..., None], ~hole)[..., 0]
        return np.where(hole, filled, nearness)

    def moved(self, matrix: np.ndarray) -> Holes:
        """Return the step with its strokes moved."""
        return self.evolve(strokes=tuple(stroke.moved(matrix) for stroke in self.strokes))


def _scale(matrix: np.ndarray) -> float:
    return abs(float(np.linalg.det(matrix[:2, :2]))) ** 0.5
