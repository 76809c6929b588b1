"""The lamp room, seen from its door: a room ruled by perspective, drawn ray by ray.

It is 4.4 m wide, 2.9 m high and 5 m deep; the eye is 1.6 m up, in the middle, and looks straight
ahead, so that the floor's tiles, the beams and the wainscot all run to one point.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from vistaline.demo.drawing import noise

__all__ = ["EYE", "LENS", "SIZE", "back_wall", "draw_lamp_room"]

SIZE = (2880, 1620)
LENS, EYE = 22.0, 1.6
_HALF, _HIGH, _DEEP = 2.2, 2.9, 5.0
_FOCAL = LENS / 36 * SIZE[0]

Rgb = np.ndarray


def back_wall() -> tuple[float, float, float, float]:
    """Return where the back wall is: x0, y0, x1, y1 in pixels."""
    across, middle = _HALF * _FOCAL / _DEEP, (SIZE[0] / 2, SIZE[1] / 2)
    top, foot = (_HIGH - EYE) * _FOCAL / _DEEP, EYE * _FOCAL / _DEEP
    return middle[0] - across, middle[1] - top, middle[0] + across, middle[1] + foot


def draw_lamp_room() -> np.ndarray:
    """Return the picture, (height, width, 3) uint8."""
    width, height = SIZE
    x = (np.arange(width, dtype=np.float32) + 0.5 - width / 2)[None] / _FOCAL
    y = (height / 2 - np.arange(height, dtype=np.float32) - 0.5)[:, None] / _FOCAL
    # How far each ray goes, in depths of 1, before it meets a side, floor or ceiling, back.
    side = _HALF / np.maximum(np.abs(x), 1e-6)
    level = np.where(y < 0, EYE / np.maximum(-y, 1e-6), (_HIGH - EYE) / np.maximum(y, 1e-6))
    depth = np.minimum(np.minimum(side, level), _DEEP)
    px, py = x * depth, y * depth + EYE
    on_side, on_level = (side <= level) & (side < _DEEP), (level < side) & (level < _DEEP)
    grain = noise(width, height, cells=(60, 34), octaves=6, seed=211) - 0.5
    colour = np.where(
        on_side[..., None],
        _side_wall(depth, py, px),
        np.where(
            on_level[..., None],
            np.where((y < 0)[..., None], _floor(px, depth), _ceiling(px, depth)),
            _back(px, py),
        ),
    )
    light = _light(px, py, depth, on_side)
    shown = colour * (light * (1 + 0.16 * grain))[..., None]
    return np.rint(np.clip(shown, 0, 255)).astype(np.uint8)


def _mixed(share: np.ndarray, one: ArrayLike, other: ArrayLike) -> Rgb:
    share = share[..., None].astype(np.float32)
    return np.asarray(one, np.float32) * (1 - share) + np.asarray(other, np.float32) * share


def _soft(distance: np.ndarray, width: float = 0.008) -> np.ndarray:
    """Return 1 inside (distance > 0), 0 outside, with a soft rim in metres."""
    return np.clip(distance / width + 0.5, 0, 1)


def _floor(px: np.ndarray, depth: np.ndarray) -> Rgb:
    u, v = px / 0.55, depth / 0.55
    odd = (np.floor(u) + np.floor(v)) % 2
    joint = np.minimum(np.abs(u - np.rint(u)), np.abs(v - np.rint(v))) * 0.55
    tiles = _mixed(odd, (150, 138, 118), (74, 74, 78))
    return _mixed(1 - _soft(joint - 0.006), tiles, (44, 40, 38))


def _ceiling(px: np.ndarray, depth: np.ndarray) -> Rgb:
    beam = np.abs((depth / 0.9) % 1 - 0.5) * 0.9
    boards = np.abs((px / 0.2) % 1 - 0.5) * 0.2
    wood = _mixed(_soft(boards - 0.004), (80, 62, 48), (138, 112, 86))
    return _mixed(_soft(0.11 - beam), wood, (84, 62, 46))


def _panelled(py: np.ndarray, along: np.ndarray) -> Rgb:
    plank = np.abs((along / 0.22) % 1 - 0.5) * 0.22
    low = _mixed(_soft(0.106 - plank), (52, 72, 72), (92, 118, 112))
    wall = _mixed(_soft(py - 1.05), low, (206, 192, 160))
    rail = _soft(0.04 - np.abs(py - 1.05))
    skirting = _soft(0.12 - py)
    return _mixed(np.maximum(rail, skirting), wall, (58, 48, 42))


def _side_wall(depth: np.ndarray, py: np.ndarray, px: np.ndarray) -> Rgb:
    wall = _panelled(py, depth)
    for middle in (2.5, 4.0):
        inside = np.minimum(0.46 - np.abs(depth - middle), 0.55 - np.abs(py - 1.8))
        bars = np.minimum(np.abs(depth - middle), np.abs(py - 1.8))
        height = np.clip((py - 1.25) / 1.1, 0, 1)
        sky = _mixed(height, (246, 174, 112), (92, 104, 150))
        sea = _soft(1.52 - py)
        view = _mixed(sea, sky, (66, 84, 112))
        view = _mixed(_soft(0.02 - bars), view, (70, 56, 46))
        wall = _mixed(_soft(inside + 0.06), wall, (84, 66, 52))
        wall = _mixed(_soft(inside), wall, view)
    return wall


def _back(px: np.ndarray, py: np.ndarray) -> Rgb:
    wall = _panelled(py, px)
    stove = np.minimum(0.34 - np.abs(px + 1.15), np.minimum(0.95 - py, py - 0.1))
    pipe = np.minimum(0.07 - np.abs(px + 1.15), py - 0.9)
    wall = _mixed(_soft(np.maximum(stove, pipe)), wall, (34, 34, 38))
    door_of_it = np.minimum(0.17 - np.abs(px + 1.15), 0.13 - np.abs(py - 0.55))
    wall = _mixed(_soft(door_of_it), wall, (236, 128, 52))
    door = np.minimum(0.45 - np.abs(px - 1.2), 2.0 - py)
    wall = _mixed(_soft(door + 0.07), wall, (66, 52, 44))
    wall = _mixed(_soft(door), wall, (112, 84, 60))
    shelf = np.minimum(0.55 - np.abs(px - 0.05), 0.025 - np.abs(py - 1.55))
    wall = _mixed(_soft(shelf), wall, (74, 56, 44))
    for n, tone in enumerate(((120, 52, 44), (54, 72, 92), (96, 84, 52), (64, 92, 76))):
        book = np.minimum(0.055 - np.abs(px + 0.3 - 0.16 * n), np.minimum(1.82 - py, py - 1.575))
        wall = _mixed(_soft(book), wall, tone)
    return wall


def _light(px: np.ndarray, py: np.ndarray, depth: np.ndarray, on_side: np.ndarray) -> np.ndarray:
    """A lamp under the ceiling, the stove's glow, dusk through the windows."""
    lamp = 1 / (0.5 + px**2 + (py - 2.3) ** 2 + (depth - 2.9) ** 2)
    stove = 0.5 / (0.4 + (px + 1.15) ** 2 + (py - 0.5) ** 2 + (depth - 4.8) ** 2)
    glass = on_side & (np.abs(py - 1.8) < 0.55)
    panes = glass & ((np.abs(depth - 2.5) < 0.46) | (np.abs(depth - 4.0) < 0.46))
    corner = 1 - 0.35 * np.exp(-np.minimum(_HALF - np.abs(px), np.minimum(py, _HIGH - py)) / 0.18)
    lit = (0.62 + 1.0 * lamp + 0.5 * stove) * np.where(on_side, 1.0, corner)
    return np.where(panes, 0.95, np.minimum(lit, 1.25)).astype(np.float32)
