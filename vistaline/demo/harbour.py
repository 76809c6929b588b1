"""The harbour street below the light: two-point perspective, drawn ray by ray.

The street runs away from the eye, 1.7 m above its cobbles; the camera is turned to the right and
held level. Houses stand along the left, a net store to the right, a buoy lies on the quay; beyond
the quay's edge is the sea with the lighthouse.
"""

from __future__ import annotations

import numpy as np

from vistaline.core.geometry import space
from vistaline.demo.drawing import noise

__all__ = [
    "BUOY",
    "EYE",
    "FRONT",
    "HOUSES",
    "LENS",
    "PAN",
    "SIZE",
    "STREET",
    "draw_harbour",
    "seen",
]

SIZE = (2400, 1350)
LENS, EYE, PAN = 28.0, 1.7, -14.0
_FOCAL = LENS / 36 * SIZE[0]
_LEFT, _EDGE = -1.9, -16.0
"""The houses' wall (x) and the quay's edge (z)."""
_STORE = (1.7, 6.4, -13.0, -8.0, 3.9)
"""The net store: x from, to, z from, to, and its height."""
BUOY = (0.62, 0.42, -5.6, 0.42)
"""Its middle x, y over the ground, z, and its radius."""
Place = tuple[float, float, float]
"""Metres: to the right, over the ground, towards the eye."""
HOUSES: list[Place] = [
    (_LEFT, 5.6, -4.2),
    (_LEFT, 5.6, -16.0),
    (_LEFT, 0.0, -16.0),
    (_LEFT, 0.0, -4.2),
]
FRONT: list[Place] = [(1.7, 3.9, -8.0), (6.4, 3.9, -8.0), (6.4, 0.0, -8.0), (1.7, 0.0, -8.0)]
STREET: list[Place] = [(_LEFT, 0.0, -16.0), (9.0, 0.0, -16.0), (9.0, 0.0, -2.0), (_LEFT, 0.0, -2.0)]

Rgb = np.ndarray


def seen(points: list[Place]) -> list[list[float]]:
    """Return the pixels at which places, in metres over the ground below the eye, are seen."""
    turned = (np.array(points) - [0, EYE, 0]) @ space.rotation(PAN, 0, 0)
    x, y, z = turned.T
    return np.column_stack([SIZE[0] / 2 - _FOCAL * x / z, SIZE[1] / 2 + _FOCAL * y / z]).tolist()


def draw_harbour() -> tuple[np.ndarray, np.ndarray]:
    """Return the picture and its plate, which has no buoy, (height, width, 3) uint8."""
    width, height = SIZE
    across = (np.arange(width, dtype=np.float32) + 0.5 - width / 2)[None] / _FOCAL
    up = (height / 2 - np.arange(height, dtype=np.float32) - 0.5)[:, None] / _FOCAL
    turn = space.rotation(PAN, 0, 0).astype(np.float32)
    dx = turn[0, 0] * across - turn[0, 2] + 0 * up
    dy = up + 0 * across
    dz = turn[2, 0] * across - turn[2, 2] + 0 * up
    colour, far = _sky(dx, dy, dz), np.full(dx.shape, np.inf, np.float32)

    def lay(t: np.ndarray, there: np.ndarray, painted: Rgb) -> None:
        nearer = there & (t > 0.05) & (t < far)
        colour[nearer], far[nearer] = painted[nearer], t[nearer]

    with np.errstate(divide="ignore", invalid="ignore"):
        ground = np.where(dy < 0, -EYE / dy, np.inf)
        gx, gz = dx * ground, dz * ground
        lay(ground, (gz > _EDGE) & (gx > _LEFT - 0.1), _cobbles(gx, gz))
        wall = _LEFT / dx
        y, z = EYE + dy * wall, dz * wall
        lay(wall, (y > 0) & (y < 5.6) & (z > _EDGE) & (z < -1), _houses(y, z))
        x0, x1, z0, z1, high = _STORE
        front = z1 / dz
        x, y = dx * front, EYE + dy * front
        lay(front, (x > x0) & (x < x1) & (y > 0) & (y < high), _store(x - x0, y, 1.0))
        side = x0 / dx
        y, z = EYE + dy * side, dz * side
        lay(side, (z > z0) & (z < z1) & (y > 0) & (y < high), _store(z1 - z, y, 0.66))
        plate = colour.copy()
        on_ground = (far == ground)[..., None]
        colour = np.where(on_ground, colour * (1 - 0.6 * _shade(gx, gz))[..., None], colour)
        t, normal = _ball(dx, dy, dz)
        lay(t, np.isfinite(t), _buoy(normal))
    grain = 1 + 0.14 * (noise(width, height, cells=(70, 40), octaves=6, seed=317) - 0.5)[..., None]
    picture, clear = (
        np.rint(np.clip(each * grain, 0, 255)).astype(np.uint8) for each in (colour, plate)
    )
    return picture, clear


def _mixed(share: np.ndarray, one: object, other: object) -> Rgb:
    share = np.nan_to_num(share)[..., None].astype(np.float32)
    return np.asarray(one, np.float32) * (1 - share) + np.asarray(other, np.float32) * share


def _soft(inside: np.ndarray, width: float = 0.012) -> np.ndarray:
    return np.clip(inside / width + 0.5, 0, 1)


def _lines(at: np.ndarray, apart: float) -> np.ndarray:
    """Return how far a place is from the nearest of lines that are ``apart``."""
    return np.abs(at / apart - np.rint(at / apart)) * apart


def _sky(dx: np.ndarray, dy: np.ndarray, dz: np.ndarray) -> Rgb:
    level = np.hypot(dx, dz)
    rise = np.clip(dy / level / 0.5, 0, 1) ** 0.7
    sky = _mixed(rise, (238, 214, 184), (124, 160, 190))
    water = _mixed(np.clip(-dy / level / 0.12, 0, 1), (150, 168, 172), (58, 92, 104))
    sky = np.where((dy < 0)[..., None], water, sky)
    # The headland and its light, far out: by angles, as they have no size that matters.
    azimuth, high = np.degrees(np.arctan2(dx, -dz)), np.degrees(np.arctan2(dy, level))
    land = 1.15 * np.exp(-(((azimuth - 3.2) / 2.6) ** 2)) - 0.06
    sky = _mixed(_soft(np.minimum(land - high, high + 0.05), 0.06), sky, (86, 96, 84))
    tower = np.minimum(0.16 - np.abs(azimuth - 3.2) - 0.02 * (high - 1), 3.0 - high)
    tower = _soft(np.minimum(tower, high - 0.9), 0.04)
    banded = ((high - 0.9) / 0.55) % 2 < 1
    sky = _mixed(tower, sky, np.where(banded[..., None], (226, 220, 206), (162, 66, 54)))
    lamp = _soft(np.minimum(0.13 - np.abs(azimuth - 3.2), 0.16 - np.abs(high - 3.15)), 0.04)
    return _mixed(lamp, sky, (255, 240, 190))


def _shade(x: np.ndarray, z: np.ndarray) -> np.ndarray:
    """Return how dark the buoy's shadow is on the ground, 0..1."""
    bx, _, bz, radius = BUOY
    far = ((x - bx - 0.25) / radius) ** 2 + ((z - bz) / (0.7 * radius)) ** 2
    return np.exp(-np.minimum(far, 50.0))


def _cobbles(x: np.ndarray, z: np.ndarray) -> Rgb:
    row = np.rint(z / 0.22)
    joint = np.minimum(_lines(x + 0.11 * (row % 2), 0.26), _lines(z + 0.11, 0.22))
    tone = np.sin(np.floor(x / 0.26 + 0.5 * (row % 2)) * 12.9 + row * 78.2) * 0.5 + 0.5
    stone = _mixed(tone, (126, 120, 112), (160, 152, 140))
    stone = _mixed(_soft(0.016 - joint), stone, (84, 80, 76))
    kerb = _soft(np.minimum(z - _EDGE, 0.5 - (z - _EDGE)))
    stone = _mixed(kerb, stone, (176, 170, 158))
    foot = np.exp(-np.maximum(x - _LEFT, 0) / 0.35)
    return stone * (1 - 0.35 * foot)[..., None]


def _houses(y: np.ndarray, z: np.ndarray) -> Rgb:
    """Three houses of 4 m, each with a door of 0.9 x 2.0 m and windows."""
    along = -z - 4.0
    number = np.clip(np.floor(along / 4.0), -1, 2)
    own = along - number * 4.0
    tones = np.array([(206, 190, 158), (188, 140, 112), (150, 168, 168), (200, 184, 150)], float)
    wall = tones[(number.astype(int) + 4) % 4].astype(np.float32)
    wall = _mixed(0.25 * _soft(0.004 - _lines(y, 0.12)), wall, (90, 84, 78))

    def frame(inside: np.ndarray, wide: float, rim: object, fill: object) -> None:
        nonlocal wall
        wall = _mixed(_soft(inside + wide), wall, rim)
        wall = _mixed(_soft(inside), wall, fill)

    door = np.minimum(0.45 - np.abs(own - 0.95), 2.0 - y)
    frame(door, 0.08, (232, 226, 212), (64, 92, 84))
    wall = _mixed(
        _soft(np.minimum(0.3 - np.abs(own - 0.95), 0.22 - np.abs(y - 1.6))), wall, (150, 178, 186)
    )
    for middle, high in ((2.75, 1.45), (0.95, 4.0), (2.75, 4.0)):
        pane = np.minimum(0.42 - np.abs(own - middle), 0.6 - np.abs(y - high))
        bars = np.minimum(np.abs(own - middle), np.abs(y - high))
        frame(pane, 0.08, (236, 230, 218), (104, 132, 148))
        wall = _mixed(_soft(np.minimum(pane, 0.025 - bars)), wall, (236, 230, 218))
    wall = _mixed(_soft(0.35 - y), wall, (112, 106, 100))
    wall = _mixed(_soft(0.1 - np.abs(y - 5.5)), wall, (74, 70, 70))
    pier = _soft(0.06 - np.abs(own)) * (number > 0)
    return _mixed(pier, wall, (96, 90, 86)) * 0.82


def _store(along: np.ndarray, y: np.ndarray, light: float) -> Rgb:
    """Upright planks, tarred below, with double doors and a hatch."""
    plank = _lines(along, 0.2)
    wood = _mixed(_soft(0.008 - plank), (142, 74, 58), (78, 40, 34))
    wood = _mixed(_soft(0.7 - y), wood, (44, 40, 42))
    door = np.minimum(1.1 - np.abs(along - 2.3), 2.4 - y)
    wood = _mixed(_soft(door + 0.09), wood, (228, 222, 206))
    wood = _mixed(_soft(door), wood, (58, 78, 88))
    wood = _mixed(_soft(np.minimum(door, 0.02 - np.abs(along - 2.3))), wood, (28, 36, 42))
    hatch = np.minimum(0.45 - np.abs(along - 2.3), 0.3 - np.abs(y - 3.15))
    wood = _mixed(_soft(hatch + 0.06), wood, (228, 222, 206))
    wood = _mixed(_soft(hatch), wood, (70, 60, 54))
    wood = _mixed(_soft(0.12 - np.abs(y - 3.86)), wood, (62, 58, 58))
    return wood * light


def _ball(dx: np.ndarray, dy: np.ndarray, dz: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    cx, cy, cz, radius = BUOY
    oy = EYE - cy
    a, b = dx**2 + dy**2 + dz**2, -cx * dx + oy * dy - cz * dz
    inside = b**2 - a * (cx**2 + oy**2 + cz**2 - radius**2)
    t = np.where(inside >= 0, (-b - np.sqrt(np.maximum(inside, 0))) / a, np.inf)
    there = np.where(np.isfinite(t), t, 0)
    normal = np.stack([dx * there - cx, EYE + dy * there - cy, dz * there - cz], axis=-1) / radius
    return t, normal


def _buoy(normal: np.ndarray) -> Rgb:
    light = np.clip(normal @ np.array([-0.55, 0.7, 0.45]), -0.2, 1) * 0.75 + 0.4
    tilted = normal @ np.array([0.35, 0.9, 0.26])
    paint = _mixed(_soft(0.2 - np.abs(tilted), 0.03), (204, 84, 44), (236, 228, 210))
    paint = _mixed(_soft(tilted - 0.86, 0.03), paint, (60, 56, 56))
    return paint * np.minimum(light, 1.15)[..., None]
