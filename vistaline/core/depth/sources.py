"""Where a depth map comes from: a map that was made elsewhere, strokes, planes, the ground."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from vistaline.core.depth.keeping import kept_apart
from vistaline.core.depth.spread import edge_guided, spread
from vistaline.core.depth.standing import stood_up
from vistaline.core.depth.step import DepthStep, Seen
from vistaline.core.errors import DepthError
from vistaline.core.model import Share
from vistaline.core.picture.coverage import coverage_of
from vistaline.core.picture.strokes import Pixels, Point, Stroke, stroke_mask

__all__ = [
    "DepthStroke",
    "FromGround",
    "FromMap",
    "FromPlanes",
    "FromStrokes",
    "SeenPlane",
    "fitted_map",
]

_SOLVED_PIXELS = 32_000
"""Strokes are spread over a copy of about so many pixels: a larger one tells hardly more."""
_OTHER_SHAPE = 0.02
"""A map whose shape differs by more than this share belongs to another picture."""
_GREY = 6 / 255
_LEAST_RANGE = 1 / 255
_REFINED = 6.0
"""Pixels of the copy that was solved within which edges are looked for in the picture itself."""


_BESIDE = 3.5
"""Pixels of that copy within which a cutout's outline is soft in what was solved."""


class FromMap(DepthStep):
    """A map that was made elsewhere: a grey picture of the project, of the picture's shape."""

    label: ClassVar[str] = "Map"
    makes: ClassVar[bool] = True
    kind: Literal["map"] = "map"
    file: str = Field(max_length=200, description="A picture of the project.")
    name: str = Field("", max_length=255, description="What the picture is called.")
    near: Literal["white", "black"] = "white"
    even: Literal["inverse", "metres"] = Field(
        "inverse",
        description="What its grey is even in: 1 / distance (inverse) or distance (metres).",
    )
    times: float = Field(
        6.0,
        ge=1.01,
        le=10_000,
        description="Of one even in metres: how many times as far as its nearest its farthest is.",
    )

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the map, of the picture's size."""
        if self.file not in seen.maps:
            raise DepthError("The map is gone. Choose another, or remove the step.")
        found = fitted_map(seen.maps[self.file], seen.shape, self.name, nearer=self.near)
        if self.even == "inverse":
            return found
        # In lengths of its nearest: from 1 to so many times as far.
        away = 1 + (1 - found) * (self.times - 1)
        return np.asarray((1 / away - 1 / self.times) / (1 - 1 / self.times), np.float32)


def fitted_map(
    codes: np.ndarray, shape: tuple[int, int], name: str, *, nearer: str = "white"
) -> np.ndarray:
    """Return a map's nearness, float32 of ``shape`` (height, width); its range fills 0..1.

    ``codes``: (height, width, 3), uint8 or uint16.

    Raises
    ------
    DepthError
        The map is of another shape, is in colours, or is the same everywhere.
    """
    name = name or "The map"
    height, width = codes.shape[:2]
    if abs(np.log(width / height * shape[0] / shape[1])) > _OTHER_SHAPE:
        raise DepthError(
            f"{name} is {width} x {height} pixels and the picture is of another shape, "
            f"{shape[1]} x {shape[0]}. Bring a map of this picture."
        )
    values = codes[..., :3].astype(np.float32) / np.iinfo(codes.dtype).max
    if float(np.mean(values.max(axis=2) - values.min(axis=2))) > _GREY:
        raise DepthError(
            f"{name} is in colours; of them none tells what is near. Bring a grey map."
        )
    grey = values.mean(axis=2)
    low, high = float(grey.min()), float(grey.max())
    if high - low < _LEAST_RANGE:
        raise DepthError(f"{name} is the same everywhere, so it tells no depth. Bring another.")
    grey = (grey - low) / (high - low)
    interpolation = cv2.INTER_AREA if height > shape[0] else cv2.INTER_LINEAR
    fitted = cv2.resize(grey, (shape[1], shape[0]), interpolation=interpolation)
    return fitted if nearer == "white" else 1 - fitted


class DepthStroke(Stroke):
    """A brush stroke that says how near what it lies on is; a ramp if it says two things."""

    value: Share = 0.5
    to: Share | None = Field(None, description="Nearness at its other end; none: the same.")


class FromStrokes(DepthStep):
    """A few painted depths and ramps, spread to the picture's edges."""

    label: ClassVar[str] = "Strokes"
    makes: ClassVar[bool] = True
    kind: Literal["strokes"] = "strokes"
    strokes: tuple[DepthStroke, ...] = Field((), max_length=500)
    by_cutouts: bool = True

    @property
    def asks_cutouts(self) -> bool:
        """Whether cutouts keep its depths apart."""
        return self.by_cutouts

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return what the strokes say, spread over the picture."""
        if not self.strokes:
            return nearness
        height, width = seen.shape
        small = seen.smaller(
            max(8, round((_SOLVED_PIXELS * max(seen.shape) / min(seen.shape)) ** 0.5))
        )
        given, value = _said(self.strokes, small)
        if not given.any():
            raise DepthError("All strokes lie beside the picture. Paint in it, or remove the step.")
        cutouts = small.cutouts if self.by_cutouts else {}
        solved = spread(small.picture, given, value, cutouts)
        larger = cv2.resize(solved, (width, height), interpolation=cv2.INTER_LINEAR)
        if small is seen:
            return np.clip(larger, 0, 1)
        texel = seen.scale / small.scale
        refined = edge_guided(larger, seen.picture, _REFINED * texel / 2, 0.04)
        if self.by_cutouts:
            refined = kept_apart(refined, seen.cutouts.values(), _BESIDE * texel)
        return np.clip(refined, 0, 1)

    def moved(self, matrix: np.ndarray) -> FromStrokes:
        """Return the step with its strokes moved."""
        return self.evolve(strokes=tuple(stroke.moved(matrix) for stroke in self.strokes))


def _said(strokes: tuple[DepthStroke, ...], seen: Seen) -> tuple[np.ndarray, np.ndarray]:
    """Return where strokes say something (bool), and what; later ones lie over earlier ones."""
    height, width = seen.shape
    given, value = np.zeros((height, width), bool), np.zeros((height, width), np.float32)
    for stroke in strokes:
        here = stroke.moved(seen.here)
        along = np.array(here.points)
        # Not thinner than a pixel of the copy, or a fine stroke would say nothing.
        over = stroke_mask(along, max(here.width, 1.5), (width, height)) > 127
        given |= over
        value[over] = stroke.value if stroke.to is None else _ramp(along, over, stroke)
    return given, value


def _ramp(along: np.ndarray, over: np.ndarray, stroke: DepthStroke) -> np.ndarray:
    """Return the values of a stroke's pixels, by how far along it they lie."""
    assert stroke.to is not None
    lengths = np.hypot(*np.diff(along, axis=0).T) if len(along) > 1 else np.zeros(0)
    reached = np.concatenate([[0.0], np.cumsum(lengths)])
    pixels = np.argwhere(over)[:, ::-1] + 0.5
    nearest = np.full(len(pixels), np.inf)
    share = np.zeros(len(pixels))
    for n, length in enumerate(lengths):
        a, way = along[n], along[n + 1] - along[n]
        t = np.clip((pixels - a) @ way / max(length**2, 1e-9), 0, 1)
        apart = np.hypot(*(pixels - a - t[:, None] * way).T)
        closer = apart < nearest
        nearest[closer] = apart[closer]
        share[closer] = (reached[n] + t[closer] * length) / max(reached[-1], 1e-9)
    return stroke.value + share * (stroke.to - stroke.value)


class SeenPlane(DepthStep):
    """A flat thing of the world as the picture shows it: its nearness is even across the picture.

    ``slope``: (a, b, c); nearness at a pixel (x, y) is a x + b y + c.
    """

    label: ClassVar[str] = "Plane"
    outline: tuple[Point, ...] = Field((), max_length=200, description="None: wherever it is near.")
    cutout: str = Field("", max_length=16, description="It is seen in this cutout alone.")
    slope: tuple[float, float, float]

    def moved(self, matrix: np.ndarray) -> SeenPlane:
        """Return the plane as it is seen after the picture's pixels were moved."""
        a, b, c = np.array(self.slope) @ np.linalg.inv(matrix)
        points = [matrix[:2, :2] @ np.array(point) + matrix[:2, 2] for point in self.outline]
        return self.evolve(
            slope=(float(a), float(b), float(c)),
            outline=tuple((float(x), float(y)) for x, y in points),
        )

    def share(self, seen: Seen) -> np.ndarray:
        """Return where it is seen, float32 (height, width), 0..1."""
        height, width = seen.shape
        if self.cutout:
            mask = seen.cutouts.get(self.cutout)
        elif self.outline:
            mask = coverage_of(np.array(self.outline) * seen.scale, (width, height))
        else:
            return np.ones((height, width), np.float32)
        if mask is None:
            return np.zeros((height, width), np.float32)
        return mask.astype(np.float32) / 255

    def nearness(self, seen: Seen) -> np.ndarray:
        """Return its nearness at each pixel, (height, width)."""
        a, b, c = self.slope
        rows, columns = (np.arange(count, dtype=np.float32) + 0.5 for count in seen.shape)
        return a * columns / seen.scale + b * rows[:, None] / seen.scale + c


class FromPlanes(DepthStep):
    """The surfaces and layers of a shot: floors, walls, and what was set at its distance."""

    label: ClassVar[str] = "From a shot"
    makes: ClassVar[bool] = True
    kind: Literal["planes"] = "planes"
    name: str = Field("", max_length=120, description="What the shot was called.")
    planes: tuple[SeenPlane, ...] = Field((), max_length=200)
    standing: bool = Field(True, description="Cutouts that no plane is for stand on the ground.")

    @property
    def asks_cutouts(self) -> bool:
        """Whether cutouts stand on it, or are planes of it."""
        return self.standing or any(plane.cutout for plane in self.planes)

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return the nearest plane at each pixel, soft where a plane's edge is."""
        found = np.zeros(seen.shape, np.float32)
        ordered = sorted(self.planes, key=lambda plane: bool(plane.cutout))
        for plane in ordered:
            values, share = plane.nearness(seen), plane.share(seen)
            # Cutouts lie over the room; of the room what is nearer hides what is farther.
            share = share if plane.cutout else share * (values > found)
            found += share * (values - found)
        named = {plane.cutout for plane in self.planes}
        if self.standing:
            rest = [mask for key, mask in seen.cutouts.items() if key not in named]
            found = stood_up(np.clip(found, 0, 1), rest)
        return np.clip(found, 0, 1)

    def moved(self, matrix: np.ndarray) -> FromPlanes:
        """Return the step with its planes moved."""
        return self.evolve(planes=tuple(plane.moved(matrix) for plane in self.planes))


class FromGround(DepthStep):
    """Level ground up to a horizon, and cutouts that stand on it: a rough guess in one press."""

    label: ClassVar[str] = "Ground"
    makes: ClassVar[bool] = True
    kind: Literal["ground"] = "ground"
    horizon: Pixels = 0.0
    """The picture's row, in pixels from the top, at which the ground ends."""
    foot: Pixels = 1.0
    """The row at which it is nearest."""
    standing: bool = True

    @property
    def asks_cutouts(self) -> bool:
        """Whether cutouts stand on it."""
        return self.standing

    def done(self, nearness: np.ndarray, seen: Seen) -> np.ndarray:
        """Return even nearness from the horizon down, and what stands there."""
        height, width = seen.shape
        rows = (np.arange(height, dtype=np.float32) + 0.5) / seen.scale
        long = self.foot - self.horizon
        ground = np.clip((rows - self.horizon) / (long or 1.0), 0, 1)
        found = np.repeat(ground[:, None], width, axis=1)
        return stood_up(found, seen.cutouts.values()) if self.standing else found

    def moved(self, matrix: np.ndarray) -> FromGround:
        """Return the step with its two rows moved."""
        rows = [float(matrix[1, 1] * row + matrix[1, 2]) for row in (self.horizon, self.foot)]
        return self.evolve(horizon=rows[0], foot=rows[1])
