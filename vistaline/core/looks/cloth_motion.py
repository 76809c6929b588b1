"""How cloth moves: where it is held, the wind, and where its points are at any moment."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import KDTree

from vistaline.core.arrays import FloatArray
from vistaline.core.looks.cloth import Cloth
from vistaline.core.looks.obstacles import Obstacle, keep_out, told_obstacle
from vistaline.core.looks.pins import EDGES, away_from
from vistaline.core.looks.threads import moved

__all__ = ["FRAMES_A_SECOND", "Hung", "Motion", "grid_of", "rest_of", "simulated"]

FRAMES_A_SECOND = 30
"""At so many moments a second it is known; between them it goes straight on."""
_AIR = 1.2
"""kg/m^3 at 20 degrees; a plate across the wind has about a drag coefficient of 1.2 (common
practice, no source)."""
_WAVES = 6
_BESIDE_PIN = 0.5


def grid_of(cloth: Cloth, aspect: float) -> tuple[int, int]:
    """Return how many rows and columns of points a cloth has; ``aspect``: width over height."""
    longer = max(1.0, 1 / aspect)
    return max(2, round(cloth.grid / aspect / longer)), max(2, round(cloth.grid / longer))


def rest_of(cloth: Cloth, aspect: float) -> tuple[FloatArray, np.ndarray]:
    """Return a cloth's points as they lie flat, (rows, columns, 3) metres, and which are held.

    x to the right, y up, z towards who looks; the middle is the origin. ``aspect``: its width
    over its height. Which are held: bool (rows, columns).
    """
    tall = cloth.wide / aspect
    rows, columns = grid_of(cloth, aspect)
    x = np.linspace(-cloth.wide / 2, cloth.wide / 2, columns)
    y = np.linspace(tall / 2, -tall / 2, rows)
    rest = np.zeros((rows, columns, 3))
    rest[..., 0], rest[..., 1] = x, y[:, None]
    held = np.zeros((rows, columns), bool)
    for pin in (*EDGES[cloth.held], *cloth.pins):
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


@dataclass(frozen=True)
class Hung:
    """All that a cloth's motion follows from; what it hangs before is seen from its own middle."""

    cloth: Cloth
    aspect: float
    """Its width over its height."""
    thing: Obstacle | None = None

    @property
    def alike(self) -> Hung:
        """The same without what only says when its motion is seen, and how it is drawn."""
        plain = self.cloth.evolve(delay=0.0, folds=0.0, loops=0.0, settles=0.0, before="")
        return Hung(plain, round(self.aspect, 6), self.thing)


class Motion:
    """A cloth on its way; goes on from where it is."""

    def __init__(self, hung: Hung) -> None:
        self.cloth = cloth = hung.cloth
        self.rest, self.held = rest_of(cloth, hung.aspect)
        rows, columns = self.held.shape
        self.place, self.speed = self.rest.copy(), np.zeros_like(self.rest)
        # A flat sheet in still air would never begin to fold.
        random = np.random.RandomState(cloth.seed)
        self.place[..., 2] += np.where(self.held, 0, random.uniform(-1e-3, 1e-3, (rows, columns)))
        self.thing = told_obstacle(hung.thing)
        if hung.thing:
            for at in np.argwhere(~self.held):
                self.place[tuple(at)] = keep_out(self.thing, *self.place[tuple(at)])
        area = cloth.wide * cloth.wide / hung.aspect
        self.mass = cloth.weight * area / (rows * columns)
        self.reach, self.anchors = _reaches(self.rest, self.held)
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
            -1e9 if cloth.wall is None else -cloth.wall, self.thing, self.wind, cloth.swirls,
            cloth.gusts, _AIR * 1.2 * cloth.air, self.waves,
        )  # fmt: skip
        self.frame += 1
        return here


def _reaches(rest: FloatArray, held: np.ndarray) -> tuple[FloatArray, np.ndarray]:
    """Return how far each point may be from the held one that is nearest to it, and which that is.

    (rows, columns), -1 where nothing is held, and (rows, columns, 2).
    """
    reach, anchors = np.full(held.shape, -1.0), np.zeros((*held.shape, 2), int)
    pins = np.argwhere(held)
    if len(pins):
        away, nearest = KDTree(rest[held]).query(rest)
        reach, anchors = away, pins[nearest]
    return reach, anchors


def simulated(hung: Hung, seconds: float) -> FloatArray:
    """Return where a cloth's points are from its first moment on, before it has settled.

    (frames, rows, columns, 3) float32 metres, ``FRAMES_A_SECOND`` of them, as many as ``seconds``
    take.
    """
    motion = Motion(hung)
    count = int(np.ceil(seconds * FRAMES_A_SECOND)) + 1
    return np.stack([motion.next() for _ in range(count)])
