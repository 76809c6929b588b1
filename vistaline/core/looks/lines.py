"""Drawn lines: rectangles, ellipses, outlines, strokes, arrows, underlines, brackets; drawn on.

A line is a path in a box, in metres from its middle, y up. Of that path a stretch is drawn, parted
into dashes, each as wide at every place as the pen is there.
"""

from __future__ import annotations

import math
from enum import StrEnum
from typing import Annotated, Self

import numpy as np
from numba import njit
from pydantic import Field, model_validator

from vistaline.core.arrays import FloatArray, Rgba16
from vistaline.core.errors import ShotError
from vistaline.core.keyable import COLOUR, PERCENT, SHARE, SIZE, Keyed
from vistaline.core.model import HexColour, Length, Part, Share
from vistaline.core.picture.colour import hex_to_linear

__all__ = [
    "MOST_POINTS",
    "Line",
    "LineShape",
    "draw_line",
    "line_extents",
    "path_of",
    "stretches_of",
]

MOST_POINTS = 512
_LARGEST = 2048
"""Pixels of the longer side of a line's picture."""
_STEP = 0.004
"""Of its box: how far apart places along a round path are."""
_At = Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]


class LineShape(StrEnum):
    """What a line is like."""

    RECTANGLE = "rectangle"
    ELLIPSE = "ellipse"
    OUTLINE = "outline"
    """Closed, through its points."""
    STROKE = "stroke"
    """Open, through its points, as a hand draws it."""
    ARROW = "arrow"
    UNDERLINE = "underline"
    BRACKET = "bracket"


class Line(Part):
    """A line, and how much of it is drawn."""

    shape: LineShape = LineShape.RECTANGLE
    width: Length = Field(0.6, description="Metres: of its box.")
    height: Length = 0.4
    points: tuple[tuple[_At, _At], ...] = Field(
        (),
        max_length=MOST_POINTS,
        description="Of an outline or a stroke: shares of its box from its middle, up is +.",
    )
    colour: Annotated[HexColour, Keyed("Colour", "line_colour", **COLOUR)] = "#f2a65a"
    weight: Annotated[Length, Keyed("Weight", looks=True, unit="m", **SIZE)] = Field(
        0.012, description="Metres: how wide the pen is."
    )
    taper: Annotated[Share, Keyed("Thinner to its end", looks=True, **SHARE)] = 0.0
    swell: Annotated[Share, Keyed("Thicker in its middle", looks=True, **SHARE)] = Field(
        0.0, description="How much thinner its ends are than its middle."
    )
    dash: float = Field(
        0.0, ge=0, le=100, allow_inf_nan=False, description="Metres; 0: it is not dashed."
    )
    gap: float = Field(0.0, ge=0, le=100, allow_inf_nan=False, description="Metres.")
    blunt: bool = Field(False, description="Whether ends are cut off, and not round.")
    corner: Share = Field(0.0, description="How round a rectangle's or bracket's corners are.")
    rough: Annotated[Share, Keyed("By hand", looks=True, **SHARE)] = Field(
        0.0, description="How uneven it is."
    )
    seed: int = Field(1, ge=0, le=1_000_000)
    begin: Annotated[Share, Keyed("Drawn from", looks=True, **SHARE)] = 0.0
    end: Annotated[Share, Keyed("Drawn to", looks=True, **SHARE)] = 1.0
    offset: Annotated[
        Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)],
        Keyed("Moved along", looks=True, low=-10.0, high=10.0, **PERCENT),
    ] = Field(0.0, description="Of its length; a closed line goes round.")
    round: str = Field("", max_length=80, description="The id of the layer that it goes round.")
    margin: float = Field(
        0.02, ge=-10, le=10, allow_inf_nan=False, description="Metres from that layer's edge."
    )

    @model_validator(mode="after")
    def _has_points(self) -> Self:
        least = {LineShape.OUTLINE: 3, LineShape.STROKE: 2}.get(self.shape, 0)
        if len(self.points) < least:
            raise ShotError(
                f"This line goes through {len(self.points)} points; it needs {least} or more. "
                "Draw it in the picture."
            )
        return self

    @property
    def closed(self) -> bool:
        """Whether it ends where it begins."""
        return self.shape in (LineShape.RECTANGLE, LineShape.ELLIPSE, LineShape.OUTLINE)


def line_extents(line: Line) -> tuple[float, float]:
    """Return width and height in metres of the card that holds a line."""
    room = 2 * _room(line)
    return line.width + room, line.height + room


def _room(line: Line) -> float:
    return line.weight * 0.75 + _unevenness(line) * 2


def _unevenness(line: Line) -> float:
    """Return how far a line that is drawn by hand goes astray, in metres."""
    return line.rough * 0.06 * min(line.width, line.height, 0.35 * max(line.width, line.height))


def path_of(line: Line) -> list[FloatArray]:
    """Return a line's paths (N, 2), in metres from its middle, y up, in the order of drawing."""
    size = np.array([line.width, line.height])
    match line.shape:
        case LineShape.RECTANGLE:
            corners = np.array([[-0.5, 0.5], [0.5, 0.5], [0.5, -0.5], [-0.5, -0.5], [-0.5, 0.5]])
            found = [_rounded(corners * size, line.corner * min(size) / 2, closed=True)]
        case LineShape.ELLIPSE:
            turns = np.pi / 2 - np.linspace(0, 2 * np.pi, round(1 / _STEP) + 1)
            found = [np.column_stack([np.cos(turns), np.sin(turns)]) / 2 * size]
        case LineShape.OUTLINE:
            found = [np.array([*line.points, line.points[0]]) * size]
        case LineShape.STROKE:
            found = [_smooth(np.array(line.points) * size)]
        case LineShape.UNDERLINE:
            along = np.linspace(-0.5, 0.5, 65)
            found = [np.column_stack([along, 0.25 - 0.5 * np.sin((along + 0.5) * np.pi)]) * size]
        case LineShape.BRACKET:
            corners = np.array([[0.5, 0.5], [-0.5, 0.5], [-0.5, -0.5], [0.5, -0.5]])
            found = [_rounded(corners * size, line.corner * min(size) / 2, closed=False)]
        case LineShape.ARROW:
            head = min(line.height / 2, line.width / 2)
            tip = line.width / 2
            found = [np.array([[-line.width / 2, 0.0], [tip, 0.0]])]
            found.append(np.array([[tip - head, head], [tip, 0.0], [tip - head, -head]]))
    if line.rough:
        found = [_by_hand(line, each, n) for n, each in enumerate(found)]
    return found


def _rounded(corners: FloatArray, radius: float, *, closed: bool) -> FloatArray:
    """Return a path through corners, each an arc of a radius, as far as there is room."""
    if radius <= 0:
        return corners
    found = [] if closed else [corners[0]]
    inner = [*range(1, len(corners) - 1), *([0] if closed else [])]
    for n in inner:
        before = corners[n - 1] if n else corners[-2]
        here, after = corners[n], corners[n + 1]
        ways = [(each - here) / np.linalg.norm(each - here) for each in (before, after)]
        middle = here + (ways[0] + ways[1]) * radius
        turns = np.linspace(0, np.pi / 2, 17)[:, None]
        found += list(middle - np.sin(turns) * ways[0] * radius - np.cos(turns) * ways[1] * radius)
    return np.array([*found, found[0]] if closed else [*found, corners[-1]])


def _smooth(points: FloatArray) -> FloatArray:
    """Return a path through points: centripetal Catmull-Rom, so that it makes no loops.

    Barry and Goldman, "A recursive evaluation algorithm for a class of Catmull-Rom splines",
    SIGGRAPH 1988; with knots at square roots of distances (Yuksel and others, 2011).
    """
    if len(points) < 3:
        return points
    apart = np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-9
    points = points[np.concatenate([[True], apart])]
    if len(points) < 3:
        return points
    ends = np.vstack([2 * points[0] - points[1], points, 2 * points[-1] - points[-2]])
    found = [points[:1]]
    for n in range(len(points) - 1):
        p = ends[n : n + 4]
        t = np.concatenate([[0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(p, axis=0), axis=1)))])
        at = np.linspace(t[1], t[2], 9)[1:, None]

        def between(a: FloatArray, b: FloatArray, i: int, j: int, u=at, t=t) -> FloatArray:  # type: ignore[no-untyped-def]
            return np.asarray(a + (b - a) * (u - t[i]) / (t[j] - t[i]))

        a1, a2, a3 = (between(p[i], p[i + 1], i, i + 1) for i in range(3))
        b1, b2 = between(a1, a2, 0, 2), between(a2, a3, 1, 3)
        found.append(between(b1, b2, 1, 2))
    return np.vstack(found)


def _by_hand(line: Line, path: FloatArray, which: int) -> FloatArray:
    """Return a path as a hand draws it: it strays, slowly, and does not close exactly."""
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    many = max(16, min(400, round(1 / _STEP)))
    at = np.linspace(0, length[-1], many)
    fine = np.column_stack([np.interp(at, length, path[:, k]) for k in (0, 1)])
    chance = np.random.default_rng(line.seed * 31 + which)
    knots = max(5, round(length[-1] / (0.25 * max(line.width, line.height))) + 1)
    astray = chance.standard_normal((knots, 2))
    places = np.linspace(0, knots - 1, many)
    low = np.minimum(places.astype(int), knots - 2)
    share = places - low
    share = share * share * (3 - 2 * share)
    moved = astray[low] + (astray[low + 1] - astray[low]) * share[:, None]
    return np.asarray(fine + np.clip(moved, -2, 2) * _unevenness(line) / 2)


def stretches_of(line: Line) -> list[FloatArray]:
    """Return what is drawn of a line: paths (N, 3) of x, y and the pen's width there, in metres.

    Nothing is drawn where it has no length: no dot is left.
    """
    paths = path_of(line)
    lengths = [float(np.linalg.norm(np.diff(each, axis=0), axis=1).sum()) for each in paths]
    whole = sum(lengths)
    first, last = sorted((line.begin, line.end))
    if whole <= 0 or last - first <= 1e-9:
        return []
    found = []
    for start, end in _spans(line, first * whole, last * whole, whole):
        before = 0.0
        for path, length in zip(paths, lengths, strict=True):
            a, b = max(start, before), min(end, before + length)
            if b - a > 1e-9 * whole:
                cut = _cut(path, a - before, b - before)
                along = np.concatenate(
                    [[0], np.cumsum(np.linalg.norm(np.diff(cut, axis=0), axis=1))]
                )
                # Thinner towards the end of what can be drawn, not of what is.
                share = (a + along) / whole
                swollen = 1 - line.swell * (1 - np.sin(np.pi * share))
                wide = line.weight * (1 - line.taper * share) * swollen
                found.append(np.column_stack([cut, wide]))
            before += length
    return found


def _spans(line: Line, first: float, last: float, whole: float) -> list[tuple[float, float]]:
    """Return the stretches of a line that are drawn, from where to where along it."""
    shift = line.offset * whole
    dashes = [(first, last)]
    if line.dash > 0 and line.gap > 0:
        # Dashes stand where they are as the line is drawn on.
        many = min(math.ceil(whole / (line.dash + line.gap)) + 1, 5000)
        starts = np.arange(many) * (line.dash + line.gap)
        dashes = [
            (max(first, s), min(last, s + line.dash))
            for s in starts.tolist()
            if s < last and s + line.dash > first
        ]
    found = []
    for a, b in dashes:
        a, b = a + shift, b + shift
        if not line.closed:
            found.append((max(a, 0.0), min(b, whole)))
            continue
        turn = math.floor(a / whole) * whole
        a, b = a - turn, b - turn
        found.append((a, min(b, whole)))
        if b > whole:
            found.append((0.0, b - whole))
    return [(a, b) for a, b in found if b > a]


def _cut(path: FloatArray, start: float, end: float) -> FloatArray:
    """Return a path (N, 2) from ``start`` to ``end`` metres along it."""
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    inner = (along > start + 1e-12) & (along < end - 1e-12)
    at = np.concatenate([[start], along[inner], [end]])
    return np.column_stack([np.interp(at, along, path[:, k]) for k in (0, 1)])


def draw_line(line: Line, *, fine: float) -> Rgba16:
    """Return a line as a picture (height, width, 4), ``fine`` pixels a metre."""
    wide, tall = line_extents(line)
    fine = min(fine, _LARGEST / max(wide, tall))
    size = max(2, round(wide * fine)), max(2, round(tall * fine))
    cover = np.zeros((size[1], size[0]), np.float32)
    scale = np.array([size[0] / wide, size[1] / tall])
    for stretch in stretches_of(line):
        points = (stretch[:, :2] * [1, -1] + [wide / 2, tall / 2]) * scale
        radii = stretch[:, 2] / 2 * float(scale.mean())
        _pen(points, radii, line.blunt, cover)
    light = np.minimum(cover, 1)[..., None] * [*hex_to_linear(line.colour), 1.0]
    return np.rint(light * 65535).astype(np.uint16)


@njit(cache=True, nogil=True)
def _pen(points, radii, blunt, out):  # type: ignore[no-untyped-def]
    """Draw a path of round pens (N,), each pixel by how far it is from the nearest."""
    height, width = out.shape
    last = points.shape[0] - 2
    for n in range(last + 1):
        ax, ay, bx, by = points[n, 0], points[n, 1], points[n + 1, 0], points[n + 1, 1]
        most = max(radii[n], radii[n + 1]) + 1.5
        dx, dy = bx - ax, by - ay
        square = dx * dx + dy * dy
        length = np.sqrt(square)
        x0, x1 = max(int(min(ax, bx) - most), 0), min(int(max(ax, bx) + most) + 2, width)
        y0, y1 = max(int(min(ay, by) - most), 0), min(int(max(ay, by) + most) + 2, height)
        for j in range(y0, y1):
            for i in range(x0, x1):
                px, py = i + 0.5 - ax, j + 0.5 - ay
                along = (px * dx + py * dy) / square if square > 1e-12 else 0.0
                t = min(max(along, 0.0), 1.0)
                ex, ey = px - t * dx, py - t * dy
                radius = radii[n] + t * (radii[n + 1] - radii[n])
                # A pen thinner than a pixel is as faint as it is thin.
                value = min(max(radius - np.sqrt(ex * ex + ey * ey) + 0.5, 0.0), 1.0)
                value *= min(2 * radius, 1.0)
                if blunt and n == 0 and along < 0:
                    value = min(value, max(0.5 + along * length, 0.0))
                if blunt and n == last and along > 1:
                    value = min(value, max(0.5 - (along - 1) * length, 0.0))
                if value > out[j, i]:
                    out[j, i] = value
