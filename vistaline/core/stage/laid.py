"""Where the pictures of a layout are in the frame at any time, and how they are cropped there.

A window is given by its middle and its size in shares of the frame, x to the right and y down from
the frame's top left corner.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import CubicBezier
from vistaline.core.keyable import keyables_of
from vistaline.core.shot.layouts import Enters, Layout, LayoutKind, Side, WindowShape
from vistaline.core.shot.rows import Row, values_at

__all__ = ["LEAST", "Laid", "accelerated", "laid_at", "progress_of"]

_STEEPEST = 0.85
"""How far the handles of a full S reach; at 1 its middle would be a jump."""
_FORWARD = 0.3
"""Which part of its time a picture takes to come forward, and to go back."""
LEAST = 1e-4
"""Of the frame: no window is smaller, as nothing is left to be drawn."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Laid:
    """One of a layout's layers at N times; all arrays are (N,)."""

    x: FloatArray
    y: FloatArray
    """The middle of its window: shares of the frame's width and height."""
    width: FloatArray
    height: FloatArray
    """Of its window, without what is drawn round it: shares of the frame's width and height."""
    turn: FloatArray
    """Degrees anticlockwise."""
    opacity: FloatArray
    cropped: FloatArray
    """How much of its crop's zoom there is, 0 to 1: none in the full frame."""
    order: FloatArray
    """0 to 1: of two, the one with more is in front."""

    def aspects(self, frame: tuple[int, int]) -> FloatArray:
        """Return the width of its window over its height."""
        return np.asarray(self.width * frame[0] / (self.height * frame[1]))


def accelerated(progress: FloatArray, acceleration: float) -> FloatArray:
    """Return how far a move has come at shares of its time, from straight (0) to a full S (1).

    A CSS ``cubic-bezier(k, 0, 1 - k, 1)``.
    """
    k = acceleration * _STEEPEST
    return CubicBezier(k, 0.0, 1 - k, 1.0)(np.clip(progress, 0.0, 1.0))


def progress_of(layout: Layout, frames: ArrayLike, place: int = 0, places: int = 1) -> FloatArray:
    """Return how far a layout has come at ``frames`` (N,), 0 to 1, for one of its places."""
    times = np.atleast_1d(np.asarray(frames, np.float64)) - layout.starts
    last = layout.frames - 1
    # All of them together take as long as one alone would.
    late = place / max(1, places - 1) * min(layout.stagger, 0.95)
    share = 1 - (min(layout.stagger, 0.95) if places > 1 else 0)
    found = np.ones(len(times))
    for on, length, delay, since in (
        (layout.comes, layout.coming, layout.before, times),
        (layout.goes, layout.going, layout.after, last - times),
    ):
        takes = layout.lasting(length)
        if not on or takes <= 0:
            continue
        moved = (since - layout.lasting(delay) - late * takes) / (share * takes)
        found = np.minimum(found, accelerated(moved, layout.acceleration))
    return found


def laid_at(
    layout: Layout,
    rows: Mapping[str, Row],
    frames: ArrayLike,
    frame: tuple[int, int],
    aspects: Mapping[str, float],
    borders: Mapping[str, float],
) -> dict[str, Laid]:
    """Return the layers of a layout at ``frames`` (N,), by their ids.

    ``rows``: the keys of its values; ``frame``: the frame's size in pixels; ``aspects``: width over
    height of what each layer shows by itself; ``borders``: how wide what is drawn round each is,
    as a share of its window's shorter side. With that it fits into its place; in the full frame
    that lies outside.
    """
    times = np.atleast_1d(np.asarray(frames, np.float64))
    count = len(times)
    values = {
        name: np.broadcast_to(
            np.asarray(values_at(rows[name], times) if name in rows else about.of(layout), float),
            count,
        )
        for name, about in keyables_of(layout).items()
    }
    shape = frame[0] / frame[1]
    found: dict[str, Laid] = {}
    if layout.ground:
        found[layout.ground] = _laid(_full(count), order=0.0)
    places = len(layout.layers)
    cells = _cells(layout, values, count, shape)
    for n, key in enumerate(layout.layers):
        home = _window_in(cells[n], layout, aspects[key], shape)
        there = progress_of(layout, times, n, places)
        full = _round_frame(borders.get(key, 0.0), count, shape)
        begins = full if layout.enters is Enters.FULL else _beginning(layout, home, n)
        window = begins + (home - begins) * there[:, None]
        opacity = there if layout.enters is Enters.FADED else np.ones(count)
        forward = _forward(layout, key, times)
        window = window + (full - window) * forward[:, None]
        window = _inside(window, borders.get(key, 0.0), shape)
        turn = values["turn"] * there if places == 1 else np.zeros(count)
        order = 0.1 + 0.6 * n / places + np.where(forward > 0, 0.1 + 0.6 * (1 - n / places), 0)
        cropped = (there if layout.enters is Enters.FULL else 1.0) * (1 - forward)
        found[key] = _laid(window, turn=turn, opacity=opacity, cropped=cropped, order=order)
    for n, key in enumerate(layout.words):
        room = _room(layout, values, n, count)
        home = _whole_in(room, aspects[key], shape)
        there = progress_of(layout, times)
        found[key] = _laid(home, opacity=there, order=0.9 + 0.05 * n / len(layout.words))
    return found


def _laid(
    window: FloatArray,
    *,
    turn: FloatArray | None = None,
    cropped: FloatArray | None = None,
    opacity: FloatArray | None = None,
    order: FloatArray | float,
) -> Laid:
    left, top, right, bottom = window.T
    count = len(window)
    return Laid(
        x=(left + right) / 2,
        y=(top + bottom) / 2,
        width=np.maximum(right - left, LEAST),
        height=np.maximum(bottom - top, LEAST),
        turn=np.zeros(count) if turn is None else turn,
        opacity=np.ones(count) if opacity is None else opacity,
        cropped=np.ones(count) if cropped is None else cropped,
        order=np.broadcast_to(np.asarray(order, float), count),
    )


# Windows are (N, 4) left, top, right, bottom in shares of the frame.


def _full(count: int) -> FloatArray:
    return np.tile([0.0, 0.0, 1.0, 1.0], (count, 1))


def _round_frame(border: float, count: int, shape: float) -> FloatArray:
    """Return the window of a picture whose border lies just outside the frame."""
    more = border * min(1.0, 1 / shape)
    wide, high = more, more * shape
    return np.tile([-wide, -high, 1 + wide, 1 + high], (count, 1))


def _inside(window: FloatArray, border: float, shape: float) -> FloatArray:
    """Return what a border, a share of the shorter side of what is left, leaves of a window."""
    wide, high = window[:, 2] - window[:, 0], (window[:, 3] - window[:, 1]) / shape
    margin = border * np.minimum(wide, high) / (1 + 2 * border)
    inset = np.stack([margin, margin * shape], axis=-1)
    return window + np.hstack([inset, -inset])


def _window(*edges: FloatArray | float, count: int) -> FloatArray:
    return np.stack([np.broadcast_to(np.asarray(edge, float), count) for edge in edges], axis=-1)


def _cells(
    layout: Layout, values: Mapping[str, FloatArray], count: int, shape: float
) -> list[FloatArray]:
    """Return the room that each picture has; ``shape`` is width over height of the frame."""
    kind, places = layout.kind, len(layout.layers)
    if kind in (LayoutKind.CORNER, LayoutKind.PART):
        x, y, half = 0.5 + values["across"], 0.5 - values["up"], values["size"] / 2
        # As high as the frame would be at that width; the window's shape changes that.
        return [_window(x - half, y - half, x + half, y + half, count=count)]
    if kind is LayoutKind.ASIDE:
        room = values["room"]
        sides: dict[Side, list[FloatArray | float]] = {
            Side.LEFT: [room, 0.0, 1.0, 1.0],
            Side.RIGHT: [0.0, 0.0, 1 - room, 1.0],
            Side.TOP: [0.0, room, 1.0, 1.0],
            Side.BOTTOM: [0.0, 0.0, 1.0, 1 - room],
        }
        return [_window(*sides[layout.side], count=count)]
    columns, lines = {
        LayoutKind.BESIDE: (places, 1),
        LayoutKind.STRIPS: (places, 1),
        LayoutKind.ABOVE: (1, places),
        LayoutKind.FOUR: (2, 2),
    }.get(kind) or _grid(places)
    gap_x, margin_x = values["gap"], values["margin"]
    gap_y, margin_y = gap_x * shape, margin_x * shape
    wide = np.maximum((1 - 2 * margin_x - (columns - 1) * gap_x) / columns, LEAST)
    high = np.maximum((1 - 2 * margin_y - (lines - 1) * gap_y) / lines, LEAST)
    found = []
    for n in range(places):
        line, column = divmod(n, columns)
        # A last line that is not full stands in the middle.
        short = columns - min(columns, places - line * columns)
        left = margin_x + (column + short / 2) * (wide + gap_x)
        top = margin_y + line * (high + gap_y)
        found.append(_window(left, top, left + wide, top + high, count=count))
    return found


def _grid(places: int) -> tuple[int, int]:
    """Return columns and lines of a wall, whose cells are about as the frame.

    >>> _grid(7), _grid(9), _grid(2)
    ((3, 3), (3, 3), (2, 1))
    """
    columns = math.ceil(math.sqrt(places))
    return columns, -(-places // columns)


def _window_in(cell: FloatArray, layout: Layout, own: float, shape: float) -> FloatArray:
    """Return the window of a picture in its cell, of the shape that the layout asks for."""
    wanted = {
        WindowShape.FRAME: shape,
        WindowShape.PICTURE: own,
        WindowShape.SQUARE: 1.0,
    }.get(layout.shape)
    if layout.kind in (LayoutKind.CORNER, LayoutKind.PART):
        # Its width is given; its height follows.
        middle, half = (cell[:, 1] + cell[:, 3]) / 2, (cell[:, 2] - cell[:, 0]) / 2
        high = half * shape / (wanted or shape)
        return np.stack([cell[:, 0], middle - high, cell[:, 2], middle + high], axis=-1)
    return cell if wanted is None else _whole_in(cell, wanted, shape)


def _whole_in(cell: FloatArray, aspect: float, shape: float) -> FloatArray:
    """Return the largest window of an aspect that fits into a cell, in its middle."""
    wide, high = cell[:, 2] - cell[:, 0], cell[:, 3] - cell[:, 1]
    wide = np.minimum(wide, high * aspect / shape)
    high = wide * shape / aspect
    x, y = (cell[:, 0] + cell[:, 2]) / 2, (cell[:, 1] + cell[:, 3]) / 2
    return np.stack([x - wide / 2, y - high / 2, x + wide / 2, y + high / 2], axis=-1)


def _room(layout: Layout, values: Mapping[str, FloatArray], line: int, count: int) -> FloatArray:
    """Return the part of the freed room that one of the words has, inside its margins."""
    room, margin = values["room"], values["margin"]
    sides: dict[Side, list[FloatArray | float]] = {
        Side.LEFT: [0.0, 0.0, room, 1.0],
        Side.RIGHT: [1 - room, 0.0, 1.0, 1.0],
        Side.TOP: [0.0, 0.0, 1.0, room],
        Side.BOTTOM: [0.0, 1 - room, 1.0, 1.0],
    }
    left, top, right, bottom = sides[layout.side]
    left, right, top, bottom = left + margin, right - margin, top + margin, bottom - margin
    high = np.maximum(bottom - top, LEAST) / len(layout.words)
    return _window(left, top + line * high, right, top + (line + 1) * high, count=count)


def _beginning(layout: Layout, home: FloatArray, place: int) -> FloatArray:
    """Return where a picture comes from that comes not from the full frame."""
    if layout.enters is Enters.GROWN:
        middle = (home[:, :2] + home[:, 2:]) / 2
        return np.hstack([middle, middle])
    if layout.enters is Enters.FADED:
        return home
    # Its shadow and what is drawn round it, too, are to be out of sight.
    more = 1.25
    right, down = _from_side(layout, place)
    wide, high = home[:, 2] - home[:, 0], home[:, 3] - home[:, 1]
    x = (home[:, 2] + (more - 1) * wide) if right < 0 else (1 - home[:, 0] + (more - 1) * wide)
    y = (home[:, 3] + (more - 1) * high) if down < 0 else (1 - home[:, 1] + (more - 1) * high)
    aside = np.stack([x * right, y * down], axis=-1)
    return home + np.hstack([aside, aside])


def _from_side(layout: Layout, place: int) -> tuple[int, int]:
    """Return to which side (right, down) a picture's way in begins."""
    kind, places = layout.kind, len(layout.layers)
    if kind is LayoutKind.STRIPS:
        return 0, -1 if place % 2 == 0 else 1
    if kind is LayoutKind.ABOVE:
        return 0, -1 if 2 * place < places else 1
    if kind is LayoutKind.ASIDE:
        return {
            Side.LEFT: (1, 0), Side.RIGHT: (-1, 0), Side.TOP: (0, 1), Side.BOTTOM: (0, -1)
        }[layout.side]  # fmt: skip
    if places == 1:
        return (1 if layout.across >= 0 else -1), 0
    columns = 2 if kind is LayoutKind.FOUR else places if kind is LayoutKind.BESIDE else 0
    columns = columns or _grid(places)[0]
    return (-1 if 2 * (place % columns) < columns else 1), 0


def _forward(layout: Layout, key: str, times: FloatArray) -> FloatArray:
    """Return how far a picture has come forward, 0 in its place to 1 in the full frame."""
    found, last = np.zeros(len(times)), layout.frames - 1
    for each in layout.forwards:
        if each.layer != key:
            continue
        at = (times - layout.starts - each.begins * last) / max(each.lasts * last, 1e-9)
        moved = np.minimum(at, 1 - at) / _FORWARD
        found = np.maximum(found, accelerated(moved, layout.acceleration))
    return found
