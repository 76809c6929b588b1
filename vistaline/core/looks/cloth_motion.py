"""How cloth moves: points joined by threads, held somewhere, in the wind.

Extended position-based dynamics with small steps: Macklin, Mueller and Chentanez, XPBD, 2016;
Macklin and others, Small Steps in Physics Simulation, 2019: one pass over the threads a step, many
steps a frame. Threads that reach from each point to the nearest held one, and only pull, keep it
from stretching: Kim, Chentanez and Mueller-Fischer, Long Range Attachments, 2012.

The order of all sums is fixed, so the same cloth moves the same every time.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.kept import Kept
from vistaline.core.looks.cloth import MOST_SECONDS, Cloth, ClothHeld
from vistaline.core.looks.pins import away_from

__all__ = ["FRAMES_A_SECOND", "moved", "places_at", "rest_of", "simulated"]

FRAMES_A_SECOND = 30
"""At so many moments a second it is known; between them it goes straight on."""
GRAVITY = 9.80665
"""m/s^2: standard gravity, CGPM 1901."""
_AIR = 1.2
"""kg/m^3 at 20 degrees; a plate across the wind has about a drag coefficient of 1.2 (common
practice, no source)."""
_CHUNK = 150
"""Frames that are computed at once, and kept together."""
_FADE = 2.0
"""Seconds over which a loop's end becomes its beginning."""
_WAVES = 6
_BESIDE_PIN = 0.5
_SLANT = 1e-4
"""m/N: how much a cell's diagonals give; cloth shears more easily than it stretches."""
_FASTEST = 200.0
"""m/s: no point is moved faster by a step."""


def rest_of(cloth: Cloth, aspect: float) -> tuple[FloatArray, np.ndarray]:
    """Return a cloth's points as they lie flat, (rows, columns, 3) metres, and which are held.

    x to the right, y up, z towards who looks; the middle is the origin. ``aspect``: its width
    over its height. Which are held: bool (rows, columns).
    """
    tall = cloth.wide / aspect
    longer = max(cloth.wide, tall)
    columns, rows = (max(2, round(cloth.grid * side / longer)) for side in (cloth.wide, tall))
    x = np.linspace(-cloth.wide / 2, cloth.wide / 2, columns)
    y = np.linspace(tall / 2, -tall / 2, rows)
    rest = np.zeros((rows, columns, 3))
    rest[..., 0], rest[..., 1] = x, y[:, None]
    held = np.zeros((rows, columns), bool)
    match cloth.held:
        case ClothHeld.LEFT:
            held[:, 0] = True
        case ClothHeld.RIGHT:
            held[:, -1] = True
        case ClothHeld.HEAD:
            held[0] = True
        case ClothHeld.CORNERS:
            held[0, [0, -1]] = True
        case ClothHeld.COLLAR:
            held[0, columns // 4 : columns - columns // 4] = True
        case ClothHeld.NOWHERE:
            pass
    for pin in cloth.pins:
        _hold(held, np.array(pin) * [columns - 1, rows - 1])
    return rest, held


def _hold(held: np.ndarray, line: FloatArray) -> None:
    """Hold the points (rows, columns) that a line (N, 2) through them, in their numbers, meets.

    Those at most half a step beside it, and the nearest to each of its own points.
    """
    columns, rows = np.meshgrid(*(np.arange(count) for count in held.shape[::-1]))
    held |= away_from(line, columns, rows) <= _BESIDE_PIN
    for x, y in line:
        held.ravel()[np.hypot(columns - x, rows - y).argmin()] = True


def _waves(seed: int) -> FloatArray:
    """Return what gusts and swirls are sums of, (waves, 8): where each wave goes (3), what it
    pushes (3), its turns a second, and where in its turn it begins."""
    random = np.random.RandomState(seed)
    found = np.empty((_WAVES, 8))
    found[:, :3] = random.standard_normal((_WAVES, 3))
    found[:, 3:6] = random.standard_normal((_WAVES, 3))
    found[:, 3:6] /= np.linalg.norm(found[:, 3:6], axis=1, keepdims=True)
    found[:, 6] = random.uniform(0.4, 2.2, _WAVES)  # turns a second, about
    found[:, 7] = random.uniform(0, 2 * np.pi, _WAVES)
    return found


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def moved(  # type: ignore[no-untyped-def]
    place, speed, held, rest, reach, anchors, mass, time, step, steps, bend, damping, wall,
    wind, swirls, gusts, air, waves,
):  # fmt: skip
    """Move points (rows, columns, 3) on by ``steps`` of ``step`` seconds, in place.

    ``reach``, ``anchors``: how far each may be from which held point (rows, columns, 2), or
    reach below 0; ``mass`` kg a point; ``bend``: compliance of threads across two cells in m/N,
    below 0 for none; ``wall``: z it stays before; ``wind`` (3,) m/s; ``air``: drag in kg/m^3;
    ``waves``: see :func:`_waves`.
    """
    before, push = np.empty_like(place), np.empty_like(place)
    slower = np.exp(-damping * step)
    for n in range(steps):
        push[:] = 0.0
        if air > 0.0:
            _blow(place, speed, push, time + n * step, wind, swirls, gusts, air, waves)
        before[:] = place
        _fall(place, speed, push, held, step, mass)
        _pull(place, held, rest, 1.0 / mass, bend, step)
        _bound(place, held, reach, anchors, wall)
        speed[:] = slower * (place - before) / step


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _blow(place, speed, push, now, wind, swirls, gusts, air, waves):  # type: ignore[no-untyped-def]
    """Add to ``push`` (N at each point) what the wind does to each cell, by a quarter a corner."""
    gust = 1.0
    for k in range(waves.shape[0]):
        gust += gusts * 0.35 * np.sin(0.9 * waves[k, 6] * now + waves[k, 7])
    gust = max(gust, 0.0)
    strength = np.sqrt(wind[0] ** 2 + wind[1] ** 2 + wind[2] ** 2)
    blow = np.empty(3)
    for i in range(place.shape[0] - 1):
        for j in range(place.shape[1] - 1):
            # The cell's two diagonals: their cross product is twice its area along its normal.
            ax = place[i + 1, j + 1, 0] - place[i, j, 0]
            ay = place[i + 1, j + 1, 1] - place[i, j, 1]
            az = place[i + 1, j + 1, 2] - place[i, j, 2]
            bx = place[i + 1, j, 0] - place[i, j + 1, 0]
            by = place[i + 1, j, 1] - place[i, j + 1, 1]
            bz = place[i + 1, j, 2] - place[i, j + 1, 2]
            nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
            size = np.sqrt(nx * nx + ny * ny + nz * nz)
            if size < 1e-12:
                continue
            for c in range(3):
                own = speed[i, j, c] + speed[i + 1, j, c]
                own += speed[i, j + 1, c] + speed[i + 1, j + 1, c]
                blow[c] = wind[c] * gust - 0.25 * own
            if swirls > 0.0:
                for k in range(waves.shape[0]):
                    turn = waves[k, 7] + 2 * np.pi * waves[k, 6] * now
                    for c in range(3):
                        turn -= 5.0 * waves[k, c] * place[i, j, c]
                    share = swirls * 0.35 * strength * np.sin(turn)
                    for c in range(3):
                        blow[c] += share * waves[k, 3 + c]
            across = (blow[0] * nx + blow[1] * ny + blow[2] * nz) / size
            # Pressure on what stands across the wind; a little drags along it, too.
            force = 0.5 * air * (0.5 * size)
            press = force * abs(across) * across / size
            drag = 0.04 * force * np.sqrt(blow[0] ** 2 + blow[1] ** 2 + blow[2] ** 2)
            for c in range(3):
                normal = nx if c == 0 else (ny if c == 1 else nz)
                quarter = 0.25 * (press * normal + drag * blow[c])
                push[i, j, c] += quarter
                push[i + 1, j, c] += quarter
                push[i, j + 1, c] += quarter
                push[i + 1, j + 1, c] += quarter


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _fall(place, speed, push, held, step, mass):  # type: ignore[no-untyped-def]
    """Let what is not held go where its weight, the wind and its own speed take it."""
    for i in range(held.shape[0]):
        for j in range(held.shape[1]):
            if held[i, j]:
                continue
            for c in range(3):
                faster = speed[i, j, c] + step * push[i, j, c] / mass
                if c == 1:
                    faster -= step * GRAVITY
                # However strong the wind, all stays finite.
                faster = min(max(faster, -_FASTEST), _FASTEST)
                place[i, j, c] += step * faster


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _pull(place, held, rest, inverse, bend, step):  # type: ignore[no-untyped-def]
    """Pull points together by their threads, one after the other, always in the same order."""
    rows, columns = held.shape
    slant, over = _SLANT / (step * step), bend / (step * step)
    for i in range(rows):
        for j in range(columns):
            if j + 1 < columns:
                _thread(place, held, rest, i, j, i, j + 1, inverse, 0.0)
            if i + 1 < rows:
                _thread(place, held, rest, i, j, i + 1, j, inverse, 0.0)
            if i + 1 < rows and j + 1 < columns:
                _thread(place, held, rest, i, j, i + 1, j + 1, inverse, slant)
                _thread(place, held, rest, i, j + 1, i + 1, j, inverse, slant)
            if bend >= 0.0:
                if j + 2 < columns:
                    _thread(place, held, rest, i, j, i, j + 2, inverse, over)
                if i + 2 < rows:
                    _thread(place, held, rest, i, j, i + 2, j, inverse, over)


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _bound(place, held, reach, anchors, wall):  # type: ignore[no-untyped-def]
    """Keep what is free within its reach of what is held, and before the wall."""
    for i in range(held.shape[0]):
        for j in range(held.shape[1]):
            if held[i, j]:
                continue
            if reach[i, j] > 0.0:
                a, b = anchors[i, j, 0], anchors[i, j, 1]
                dx = place[i, j, 0] - place[a, b, 0]
                dy = place[i, j, 1] - place[a, b, 1]
                dz = place[i, j, 2] - place[a, b, 2]
                far = np.sqrt(dx * dx + dy * dy + dz * dz)
                if far > reach[i, j]:
                    share = reach[i, j] / far
                    place[i, j, 0] = place[a, b, 0] + dx * share
                    place[i, j, 1] = place[a, b, 1] + dy * share
                    place[i, j, 2] = place[a, b, 2] + dz * share
            place[i, j, 2] = max(place[i, j, 2], wall)


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _thread(place, held, rest, i, j, k, m, inverse, soft):  # type: ignore[no-untyped-def]
    """Pull two points to the distance that they have at rest, ``soft`` by compliance / step^2."""
    first = 0.0 if held[i, j] else inverse
    second = 0.0 if held[k, m] else inverse
    if first + second == 0.0:
        return
    dx = place[k, m, 0] - place[i, j, 0]
    dy = place[k, m, 1] - place[i, j, 1]
    dz = place[k, m, 2] - place[i, j, 2]
    rx = rest[k, m, 0] - rest[i, j, 0]
    ry = rest[k, m, 1] - rest[i, j, 1]
    far, own = np.sqrt(dx * dx + dy * dy + dz * dz), np.sqrt(rx * rx + ry * ry)
    if far < 1e-12:
        return
    by = (far - own) / (first + second + soft) / far
    place[i, j, 0] += first * by * dx
    place[i, j, 1] += first * by * dy
    place[i, j, 2] += first * by * dz
    place[k, m, 0] -= second * by * dx
    place[k, m, 1] -= second * by * dy
    place[k, m, 2] -= second * by * dz


class _Motion:
    """A cloth on its way; goes on from where it is."""

    def __init__(self, cloth: Cloth, aspect: float) -> None:
        self.cloth = cloth
        self.rest, self.held = rest_of(cloth, aspect)
        rows, columns = self.held.shape
        self.place, self.speed = self.rest.copy(), np.zeros_like(self.rest)
        # A flat sheet in still air would never begin to fold.
        random = np.random.RandomState(cloth.seed)
        self.place[..., 2] += np.where(self.held, 0, random.uniform(-1e-3, 1e-3, (rows, columns)))
        area = cloth.wide * cloth.wide / aspect
        self.mass = cloth.weight * area / (rows * columns)
        pins = np.argwhere(self.held)
        self.reach, self.anchors = np.full((rows, columns), -1.0), np.zeros((rows, columns, 2), int)
        if len(pins):
            apart = np.linalg.norm(self.rest[:, :, None] - self.rest[tuple(pins.T)], axis=-1)
            nearest = apart.argmin(axis=-1)
            self.reach, self.anchors = apart.min(axis=-1), pins[nearest]
        self.steps = max(8, int(1.75 * max(rows, columns)))
        self.waves = _waves(cloth.seed)
        turn = np.radians(cloth.direction)
        self.wind = cloth.wind * np.array([np.cos(turn), 0.0, -np.sin(turn)])
        self.frame = 0

    def next(self) -> FloatArray:
        """Return where its points are, and go on to the next frame."""
        here: FloatArray = self.place.astype(np.float32)  # type: ignore[assignment]
        cloth = self.cloth
        step = 1 / FRAMES_A_SECOND / self.steps
        # From 0.1 m/N, which hardly counts, to a millionth, which is as good as rigid.
        stiff = 10 ** (-1 - 5 * cloth.stiff) if cloth.stiff else -1.0
        moved(
            self.place, self.speed, self.held, self.rest, self.reach, self.anchors, self.mass,
            self.frame / FRAMES_A_SECOND, step, self.steps, stiff, 2.0 * cloth.damping,
            -1e9 if cloth.wall is None else -cloth.wall, self.wind, cloth.swirls, cloth.gusts,
            _AIR * 1.2 * cloth.air, self.waves,
        )  # fmt: skip
        self.frame += 1
        return here


def simulated(cloth: Cloth, aspect: float, seconds: float) -> FloatArray:
    """Return where a cloth's points are from its first moment on, before it has settled.

    (frames, rows, columns, 3) float32 metres, ``FRAMES_A_SECOND`` of them, as many as ``seconds``
    take.
    """
    motion = _Motion(cloth, aspect)
    count = int(np.ceil(seconds * FRAMES_A_SECOND)) + 1
    return np.stack([motion.next() for _ in range(count)])


@dataclass(frozen=True, eq=False)
class _Chunk:
    """A stretch of a cloth's motion, and how it goes on after it."""

    frames: FloatArray
    place: FloatArray
    speed: FloatArray


_CHUNKS: Kept[_Chunk] = Kept("cloths")


def _chunk(cloth: Cloth, aspect: float, number: int) -> _Chunk:
    """Return a stretch of the motion, from the last before it that is kept."""

    def computed() -> _Chunk:
        motion = _Motion(cloth, aspect)
        if number:
            before = _chunk(cloth, aspect, number - 1)
            motion.place, motion.speed = before.place.copy(), before.speed.copy()
            motion.frame = number * _CHUNK
        frames = np.stack([motion.next() for _ in range(_CHUNK)])
        return _Chunk(frames, motion.place, motion.speed)

    return _CHUNKS.get((cloth, round(aspect, 6), number), computed)


def places_at(cloth: Cloth, aspect: float, seconds: float) -> FloatArray:
    """Return where a cloth's points (rows, columns, 3) are at a time of the shot, in seconds.

    Before it, and long after, it goes on as it is computed: it begins again after ``loops``
    seconds, or ``MOST_SECONDS``, without a seam.
    """
    told = cloth.evolve(delay=0.0, folds=0.0)
    length = cloth.loops or MOST_SECONDS
    fade = min(_FADE, length / 2)
    time = (seconds - cloth.delay) % length
    found = _between(told, aspect, cloth.settles + fade + time)
    begins = length - fade
    if time > begins and (cloth.loops or seconds - cloth.delay > begins):
        share = (time - begins) / fade
        share = share * share * (3 - 2 * share)
        before = _between(told, aspect, cloth.settles + fade + time - length)
        found = found + share * (before - found)
    return found


def _between(cloth: Cloth, aspect: float, seconds: float) -> FloatArray:
    first = int(seconds * FRAMES_A_SECOND)
    share = np.float32(seconds * FRAMES_A_SECOND - first)
    one, other = (
        _chunk(cloth, aspect, frame // _CHUNK).frames[frame % _CHUNK]
        for frame in (first, first + 1)
    )
    return np.asarray(one + share * (other - one))
