"""What the air does to what is seen through it: fog, veils and shafts, along any ray.

Light from ``far`` metres away keeps a share of itself and is added to: seen light = kept * light +
added. It is the same law for everything that is composited, whatever it is: what is in the air
before a thing lies on it as far as it covers what is behind.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry.inside import inside_at, inside_of
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.shot.air import Fog, Veils
from vistaline.core.shot.beams import Shaft
from vistaline.core.shot.dressing import Dressing
from vistaline.core.stage.dressing import InAir
from vistaline.core.stage.noise import noise_at, noise_table, offset_of

__all__ = [
    "FARTHEST",
    "SHAFT_POINTS",
    "Haze",
    "begin_beam",
    "gather_beam",
    "haze_of",
    "look_at_cells",
]

KOSCHMIEDER = 3.912
"""-ln 0.02: at the visibility a fiftieth of the contrast is left (H. Koschmieder 1924; from
memory)."""
FARTHEST = 1e7
"""Metres: farther than anything stands; the background."""
_UNEVEN_POINTS = 4
SHAFT_POINTS = 10
"""Along a ray, at which a shaft's light is gathered."""
_FAST: dict[str, Any] = {"nogil": True, "cache": True, "error_model": "numpy"}
_MOST_DENSE = 40.0
"""Of the exponent with height: far below its foot a fog gets no denser."""


@dataclass(frozen=True, eq=False)
class Haze:
    """Fog, veils and shafts at one time, as kernels are told them."""

    fogs: FloatArray
    """(F, 13): extinction in 1/m; the height it is told at; 1/m it thins; colour; unevenness;
    1/m of its grain; where in the noise; whether the sky lies in it."""
    veils: FloatArray
    """(V, 12): z; opacity; colour; middle height; 1/m it fades; 1/m of its grain; where in the
    noise; whether it fades at all. Near the taking camera to far."""
    shafts: FloatArray
    """(S, 29): from the stage to the shaft (12); half width and height; how much they grow by a
    metre; length; softness; colour over the way through; dust; 1/m of its grain; where in the
    noise; whether it is round."""
    beams: Sequence[InAir]
    """Those shafts, in that order."""
    openings: Sequence[np.ndarray]
    """How far inside its opening one is, of each shaft; see :func:`inside_of`."""
    kept: dict[Any, Any] = field(default_factory=dict)
    """What renderers have found out about it, for the next card of the same frame."""

    @property
    def clear(self) -> bool:
        """Whether there is nothing in the air."""
        return not (len(self.fogs) or len(self.veils) or len(self.shafts))

    def __call__(
        self, home: FloatArray, ways: FloatArray, far: FloatArray
    ) -> tuple[FloatArray, FloatArray]:
        """Return what is kept (N,) and what is added (N, 3) over rays.

        ``home`` (3,): where they start; ``ways`` (N, 3) of length 1; ``far`` (N,) in metres,
        :data:`FARTHEST` for the sky. Nothing cuts the shafts off.
        """
        kept, added = np.empty(len(ways)), np.empty((len(ways), 3))
        ways, far = np.ascontiguousarray(ways), np.ascontiguousarray(far)
        gathered = np.empty((len(self.shafts), len(ways), SHAFT_POINTS + 3), np.float32)
        home = np.asarray(home, float)
        unshaded = np.ones((len(ways), 1), np.float32)
        for shaft, opening, out in zip(self.shafts, self.openings, gathered, strict=True):
            begin_beam(shaft, home, ways, out)
            told = self.fogs, opening, noise_table()
            gather_beam(shaft, *told, home, ways, unshaded, out)
        look_along(
            *(self.fogs, self.veils, self.shafts, gathered, noise_table()),
            *(home, ways, far, kept, added),
        )
        return kept, added


def haze_of(things: Sequence[InAir], taking: FloatArray, seconds: float) -> Haze:
    """Return what is in the air at ``seconds``; ``taking`` (3,): where the taking camera stands."""
    fogs = [_fog(each.thing, seconds) for each in things if isinstance(each.thing, Fog)]
    veils = [
        row
        for each in things
        if isinstance(each.thing, Veils)
        for row in _veils(each.thing, taking, seconds)
    ]
    beams = [each for each in things if isinstance(each.thing, Shaft)]
    return Haze(
        np.array(fogs, float).reshape(-1, 13),
        np.array(sorted(veils, key=lambda row: -row[0]), float).reshape(-1, 12),
        np.array([_shaft(each, seconds) for each in beams], float).reshape(-1, 29),
        beams,
        [inside_of(() if each.round else _outline_of(each.thing)) for each in beams],
    )


def _outline_of(thing: Dressing) -> tuple[tuple[float, float], ...]:
    assert isinstance(thing, Shaft)
    return thing.outline


def _place(drift: Sequence[float], grain: float, seed: int, seconds: float) -> list[float]:
    """Return where in the noise it is: as the air drifts one way, the noise goes the other."""
    found = offset_of(seed) - np.array(drift) * seconds / grain
    return np.asarray(found).tolist()


def _fog(fog: Fog, seconds: float) -> list[float]:
    thins = 1 / fog.thins if fog.thins > 0 else 0.0
    place = _place(fog.drift, fog.grain, fog.seed, seconds)
    head = [KOSCHMIEDER / fog.visibility, fog.base, thins, *hex_to_linear(fog.colour)]
    return [*head, fog.uneven, 1 / fog.grain, *place, float(fog.sky), 0.0]


def _veils(veils: Veils, taking: FloatArray, seconds: float) -> list[list[float]]:
    """Return a row for each sheet: at equal ratios of distance, as equal steps look."""
    near, far = sorted((veils.nearest, veils.farthest))
    shares = (np.arange(veils.count) + 0.5) / veils.count
    fades = 1 / veils.height if veils.height > 0 else 0.0
    found = []
    for n, share in enumerate(shares.tolist()):
        z = float(taking[2]) - near * (far / near) ** share
        place = _place(veils.drift, veils.grain, veils.seed * 8 + n, seconds)
        colour = hex_to_linear(veils.colour)
        found.append([z, veils.opacity, *colour, veils.base, fades, 1 / veils.grain, *place, 0.0])
    return found


def _shaft(beam: InAir, seconds: float) -> list[float]:
    shaft = beam.thing
    assert isinstance(shaft, Shaft)
    slope = float(np.tan(np.radians(beam.spread / 2)))
    half = np.array([shaft.width, shaft.height]) / 2
    if beam.round:
        half = np.array([beam.opening, beam.opening]) / 2
    # So bright across it, a quarter of its length from its opening.
    across = 2 * (float(half.min()) + slope * shaft.length / 4)
    colour = beam.colour * shaft.brightness / max(across, 1e-9)
    place = _place(shaft.drift, shaft.grain, shaft.seed, seconds)
    return [
        *np.linalg.inv(beam.pose)[:3].ravel(),
        *(*half, slope, slope, shaft.length, max(shaft.softness, 0.02)),
        *(*colour, shaft.dust, 1 / shaft.grain, *place, float(beam.round), 0.0, 0.0),
    ]


@njit(inline="always")
def _depth_of_fog(fogs, m, y0, rise, way):  # type: ignore[no-untyped-def]
    """Return the optical depth of ``way`` metres from height ``y0``, rising ``rise`` a metre.

    Of density exp(-k (y - base)): the integral in closed form; where the height hardly changes, its
    series.
    """
    k = fogs[m, 2]
    if k == 0:
        return fogs[m, 0] * way
    height = min(max(-k * (y0 - fogs[m, 1]), -_MOST_DENSE), _MOST_DENSE)
    density = fogs[m, 0] * np.exp(height)
    x = k * rise * way
    if abs(x) < 0.05:
        return density * way * (1 - x / 2 + x * x / 6 - x * x * x / 24)
    return density * way * (1 - np.exp(min(-x, _MOST_DENSE))) / x


@njit(inline="always")
def _smooth(value):  # type: ignore[no-untyped-def]
    share = min(max(value, 0.0), 1.0)
    return share * share * (3 - 2 * share)


@njit(**_FAST)
def _stretch(shaft, ox, oy, oz, dx, dy, dz, far):  # type: ignore[no-untyped-def]
    """Return from where to where a ray, in the shaft's own axes, lies within its planes."""
    first, last = 0.0, far
    # Light goes along -z: depth w = -z, from 0 to its length; |x| and |y| up to half + slope w.
    for plane in range(6):
        if plane == 0:
            start, step = -oz, -dz
        elif plane == 1:
            start, step = shaft[16] + oz, dz
        elif plane < 4:
            sign = 1.0 if plane == 2 else -1.0
            start, step = shaft[12] - shaft[14] * oz - sign * ox, -shaft[14] * dz - sign * dx
        else:
            sign = 1.0 if plane == 4 else -1.0
            start, step = shaft[13] - shaft[15] * oz - sign * oy, -shaft[15] * dz - sign * dy
        if abs(step) < 1e-12:
            if start < 0:
                return 0.0, -1.0
        elif step > 0:
            first = max(first, -start / step)
        else:
            last = min(last, -start / step)
    return first, last


@njit(**_FAST)
def begin_beam(shaft, home, ways, out):  # type: ignore[no-untyped-def]
    """Put into ``out`` (N, points + 3) from where to where rays lie in a shaft; or twice 0."""
    ox = shaft[0] * home[0] + shaft[1] * home[1] + shaft[2] * home[2] + shaft[3]
    oy = shaft[4] * home[0] + shaft[5] * home[1] + shaft[6] * home[2] + shaft[7]
    oz = shaft[8] * home[0] + shaft[9] * home[1] + shaft[10] * home[2] + shaft[11]
    for i in range(ways.shape[0]):
        a, b, c = ways[i, 0], ways[i, 1], ways[i, 2]
        dx = shaft[0] * a + shaft[1] * b + shaft[2] * c
        dy = shaft[4] * a + shaft[5] * b + shaft[6] * c
        dz = shaft[8] * a + shaft[9] * b + shaft[10] * c
        first, last = _stretch(shaft, ox, oy, oz, dx, dy, dz, FARTHEST)
        out[i, 0] = first if last > first else 0.0
        out[i, 1] = last if last > first else 0.0


@njit(**_FAST)
def gather_beam(shaft, fogs, opening, table, home, ways, seen, out):  # type: ignore[no-untyped-def]
    """Add up a shaft's light, of colour 1, along rays: ``out[:, 2:]`` has it from none to all.

    ``opening``: its shape, by :func:`inside_of`.
    ``seen`` (N, points or 1): how much of the light is there, past what stands in it.
    """
    for i in range(ways.shape[0]):
        out[i, 2:] = 0
        first, step = out[i, 0], (out[i, 1] - out[i, 0]) / SHAFT_POINTS
        if step <= 0:
            continue
        a, b, c = ways[i, 0], ways[i, 1], ways[i, 2]
        total = 0.0
        for n in range(SHAFT_POINTS):
            along = first + (n + 0.5) * step
            x, y, z = home[0] + along * a, home[1] + along * b, home[2] + along * c
            u = shaft[0] * x + shaft[1] * y + shaft[2] * z + shaft[3]
            v = shaft[4] * x + shaft[5] * y + shaft[6] * z + shaft[7]
            w = -(shaft[8] * x + shaft[9] * y + shaft[10] * z + shaft[11])
            u /= max(shaft[12] + shaft[14] * w, 1e-9)
            v /= max(shaft[13] + shaft[15] * w, 1e-9)
            if shaft[26] > 0:
                edge = _smooth((1 - np.sqrt(u * u + v * v)) / shaft[17])
            elif opening.shape[0]:
                edge = _smooth(inside_at(opening, u, v) / shaft[17])
            else:
                edge = _smooth((1 - abs(u)) / shaft[17]) * _smooth((1 - abs(v)) / shaft[17])
            left = max(1 - w / shaft[16], 0.0)
            light = edge * left * left * seen[i, n % seen.shape[1]]
            if shaft[21] > 0 and light > 0:
                fine = shaft[22]
                light *= 1 + shaft[21] * noise_at(
                    table, x * fine + shaft[23], y * fine + shaft[24], z * fine + shaft[25]
                )
            if light > 0 and fogs.shape[0] > 0:
                light *= np.exp(-_fog_before(fogs, home[1], b, along, False))
            total += light * step
            out[i, n + 3] = total


@njit(inline="always")
def _beam_up_to(gathered, m, i, far):  # type: ignore[no-untyped-def]
    """Return a shaft's light up to ``far`` along a ray; see :func:`gather_beam`."""
    first, last = gathered[m, i, 0], gathered[m, i, 1]
    if last <= first or far <= first:
        return 0.0
    if far >= last:
        return np.float64(gathered[m, i, SHAFT_POINTS + 2])
    at = (far - first) / (last - first) * SHAFT_POINTS
    n = min(int(at), SHAFT_POINTS - 1)
    before, after = gathered[m, i, n + 2], gathered[m, i, n + 3]
    return np.float64(before) + (at - n) * np.float64(after - before)


@njit(inline="always")
def _density(fogs, m, table, x, y, z, a, b, c, far):  # type: ignore[no-untyped-def]
    """Return how much denser a fog is along a ray than on the whole."""
    reach = min(far, 1.5 * 3.912 / fogs[m, 0])
    total = 0.0
    for n in range(_UNEVEN_POINTS):
        along = reach * (n + 0.5) / _UNEVEN_POINTS
        # Every other one is of a grain twice as fine.
        fine = fogs[m, 7] * (1 + n % 2)
        total += noise_at(
            table,
            (x + along * a) * fine + fogs[m, 8],
            (y + along * b) * fine + fogs[m, 9],
            (z + along * c) * fine + fogs[m, 10],
        )
    # The mean of a few is weaker than one: as much unevenness is seen as was asked for.
    return max(1 + fogs[m, 6] * 1.6 * total / _UNEVEN_POINTS, 0.0)


@njit(inline="always")
def _look(fogs, veils, shafts, gathered, i, table, x, y, z, a, b, c, far):  # type: ignore[no-untyped-def]
    """Return what is kept over the ``i``-th ray, and what is added of each colour.

    It starts at x, y, z, goes along a, b, c, and is ``far`` metres long.
    """
    sky = far >= FARTHEST
    depth, red, green, blue = 0.0, 0.0, 0.0, 0.0
    for m in range(fogs.shape[0]):
        if sky and fogs[m, 11] == 0:
            continue
        part = _depth_of_fog(fogs, m, y, b, far)
        if fogs[m, 6] > 0:
            part *= _density(fogs, m, table, x, y, z, a, b, c, far)
        depth += part
        red += part * fogs[m, 3]
        green += part * fogs[m, 4]
        blue += part * fogs[m, 5]
    left = np.exp(-min(depth, 700.0))
    share = (1 - left) / depth if depth > 1e-12 else 0.0
    red, green, blue = red * share, green * share, blue * share
    before = 1.0
    for m in range(veils.shape[0]):
        along = (veils[m, 0] - z) / c if abs(c) > 1e-6 else 0.0
        if along <= 0 or along >= far:
            continue
        u, v, w, fine = x + along * a, y + along * b, veils[m, 10], veils[m, 7]
        cover = 0.5 + 0.325 * noise_at(table, u * fine + veils[m, 8], v * fine + veils[m, 9], w)
        near = along * fine
        fine *= 2.3
        cover += 0.175 * noise_at(table, u * fine + veils[m, 9], v * fine + veils[m, 8], w)
        # They come up softly out of nothing as the camera goes through.
        cover = veils[m, 1] * _smooth(1.6 * cover - 0.3) * _smooth(near)
        if veils[m, 6] > 0:
            off = (v - veils[m, 5]) * veils[m, 6]
            cover *= np.exp(-off * off)
        shown = cover * before
        if fogs.shape[0] > 0:
            shown *= np.exp(-_fog_before(fogs, y, b, along, sky))
        red += shown * veils[m, 2]
        green += shown * veils[m, 3]
        blue += shown * veils[m, 4]
        before *= 1 - cover
    for m in range(shafts.shape[0]):
        light = _beam_up_to(gathered, m, i, far)
        if light > 0:
            red += light * shafts[m, 18]
            green += light * shafts[m, 19]
            blue += light * shafts[m, 20]
    return left * before, red, green, blue


@njit(**_FAST)
def look_along(fogs, veils, shafts, gathered, table, home, ways, far, kept, added):  # type: ignore[no-untyped-def]
    """Fill ``kept`` (N,) and ``added`` (N, 3); see :class:`Haze`.

    ``gathered`` (shafts, N, points + 3): by :func:`begin_beam` and :func:`gather_beam`.
    """
    x, y, z = home[0], home[1], home[2]
    for i in range(ways.shape[0]):
        a, b, c = ways[i, 0], ways[i, 1], ways[i, 2]
        found = _look(fogs, veils, shafts, gathered, i, table, x, y, z, a, b, c, far[i])
        kept[i], added[i, 0], added[i, 1], added[i, 2] = found


@njit(inline="always")
def _wanted(shown, line, column, high):  # type: ignore[no-untyped-def]
    """Whether anything is shown in the tiles that the squares' corners of a column lie at."""
    for j in range(max(line - 1, 0) // high, min(line // high, shown.shape[0] - 1) + 1):
        for i in range(max(column - 1, 0), min(column, shown.shape[1] - 1) + 1):
            if shown[j, i] != 0:
                return True
    return False


@njit(**_FAST)
def look_at_cells(  # type: ignore[no-untyped-def]
    fogs, veils, shafts, gathered, table, home, ways, deep, plane, near, told, cells
):
    """Fill ``cells`` (lines, 4, columns) float32: what is kept, and what is added, 0..65535.

    ``ways`` (lines, columns, 3); ``deep`` (lines, columns): how long a ray is that goes 1 m deep;
    ``near`` (lines, columns): 1/z of what is seen, 0 for the sky; without lines, it is that of a
    ``plane`` (3,): a x + b y + c. ``told``: pixels a square, the first row's y, how much brighter
    what is kept and what is added are taken, and the tiles that are shown (lines, columns), so many
    squares high and wide.
    """
    x, y, z = home[0], home[1], home[2]
    side, top, own, gain, shown, high, wide = told
    more = gain * 65535
    for line in range(cells.shape[0]):
        base = plane[1] * (top + side * line) + plane[2]
        for column in range((cells.shape[2] + wide - 1) // wide):
            if not _wanted(shown, line, column, high):
                continue
            for n in range(column * wide, min((column + 1) * wide, cells.shape[2])):
                if near.shape[0]:
                    far = min(deep[line, n] / max(near[line, n], 1e-9), FARTHEST)
                else:
                    far = deep[line, n] / max(base + plane[0] * (side * n), 1e-6)
                a, b, c = ways[line, n, 0], ways[line, n, 1], ways[line, n, 2]
                i = line * cells.shape[2] + n
                left, red, green, blue = _look(
                    fogs, veils, shafts, gathered, i, table, x, y, z, a, b, c, far
                )
                cells[line, 0, n] = left * own
                cells[line, 1, n] = min(red, 16.0) * more
                cells[line, 2, n] = min(green, 16.0) * more
                cells[line, 3, n] = min(blue, 16.0) * more


@njit(inline="always")
def _fog_before(fogs, y, rise, along, sky):  # type: ignore[no-untyped-def]
    """Return the optical depth of the fog up to a place along a ray."""
    depth = 0.0
    for m in range(fogs.shape[0]):
        if not (sky and fogs[m, 11] == 0):
            depth += _depth_of_fog(fogs, m, y, rise, along)
    return min(depth, 700.0)
