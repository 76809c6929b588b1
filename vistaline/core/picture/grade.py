"""Effects that ask of a picture nothing but the pixel itself: a list of stages, run row by row.

Rows are planar, and each stage is one loop over a row that stays in the processor's cache: such
loops are vectorised, and what one leaves the next finds at once. Values are float32, 0..1, of light
that alpha does not count in: linear at the beginning and at the end, coded (sRGB) in between where
a stage wants that.
"""

from __future__ import annotations

from enum import IntEnum
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.polynomial import Chebyshev, Polynomial

from vistaline.core.picture.colour import linearise_srgb, srgb_polynomial
from vistaline.core.picture.mixing import blend_row

__all__ = [
    "KERNEL",
    "LUMA",
    "NO_PLANES",
    "NO_PROGRAM",
    "TABLE",
    "TILE_SIDE",
    "Program",
    "Stage",
    "grade_row",
]

KERNEL: dict[str, Any] = {"nogil": True, "fastmath": True, "cache": True}
TABLE = 2048
"""Steps of a table over 0..1; values between two are mixed."""
TILE_SIDE = 512
"""Pixels across a tile of grain."""
LUMA = (0.2126, 0.7152, 0.0722)
"""Rec. ITU-R BT.709-6, item 3.2."""


class Stage(IntEnum):
    """What is done to a row. Each has a row of numbers, and the number of a table or plane."""

    ENCODE = 0
    """Linear light to codes."""
    DECODE = 1
    """Codes to linear light."""
    MATRIX = 2
    """A 3 x 4 matrix (12 numbers), row by row."""
    TABLES = 3
    """A table for each colour."""
    LIGHTNESS = 4
    """The first of three tables, of luma; what it moves, all colours are moved by."""
    TONES = 5
    """Three tables of luma, a table for each colour that comes of it."""
    VIVID = 6
    """Saturation by 1 + amount (1 number), as far as there is little of it."""
    HUES = 7
    """Hue, half its range, its soft share; sine and cosine of the turn; saturation; lightness."""
    CUBE = 8
    """A table of colours, where it begins; how many it has a side, and whether between four."""
    KEEP = 9
    """Remember the row as it is."""
    MIX = 10
    """Mix with what was remembered: how much is new (1 number), times a plane if one is named."""
    INK = 11
    """Mix with a colour (3 numbers) by how much (1), times a plane."""
    GRAIN = 12
    """Strength; factors in the dark and the light; coloured; from where in the tile, x and y."""
    HALFTONE = 13
    """Ink and paper (6 numbers), whether paper is clear; two planes: rank, and its edge."""

    WIPE = 14
    """Alpha times a plane."""

    SHADE = 15
    """All colours lighter and darker by a plane: how much (1 number)."""

    OVERLAY = 16
    """Lay three planes of colour over it, by a blend mode (1 number); the next is their alpha."""


class Program(NamedTuple):
    """Stages, ready to be run by kernels."""

    stages: np.ndarray
    """(N, 2) int64: a :class:`Stage`, and the number of its table, cube, tile or plane, or -1."""
    numbers: np.ndarray
    """(N, 12) float32."""
    tables: np.ndarray
    """(T, 3, TABLE + 1, 2) float32: each entry, and its difference to the next."""
    cubes: np.ndarray
    """(C,) float32: tables of colours one after another, red running fastest, 3 numbers each."""
    tiles: np.ndarray
    """(G, 3, TILE_SIDE, TILE_SIDE) float32: grain, of standard deviation 1."""


NO_PROGRAM = Program(
    np.empty((0, 2), np.int64),
    np.empty((0, 12), np.float32),
    np.empty((0, 3, TABLE + 1, 2), np.float32),
    np.empty(0, np.float32),
    np.empty((0, 3, TILE_SIDE, TILE_SIDE), np.float32),
)
"""One that changes nothing."""
NO_PLANES = np.empty((0, 0, 0), np.uint16)
"""For programs that ask for no planes."""

_Q0, _Q1, _Q2, _Q3, _Q4 = srgb_polynomial() / np.float32(255)
_KNEE = 0.04045


def _decoding() -> np.ndarray:
    """Return coefficients (8,) float32, constant first, of linear light above the linear toe.

    The variable is the coded value; they are never off by more than 2e-6.
    """
    codes = np.linspace(_KNEE, 1, 4097)
    fit = Chebyshev.fit(codes, linearise_srgb(codes), 7)
    return fit.convert(kind=Polynomial).coef.astype(np.float32)


_D0, _D1, _D2, _D3, _D4, _D5, _D6, _D7 = _decoding()


@njit(**KERNEL)
def _encode(plane):  # type: ignore[no-untyped-def]
    for x in range(plane.shape[0]):
        light = min(max(plane[x], np.float32(0)), np.float32(1))
        root = np.sqrt(np.sqrt(light))
        curve = (((_Q4 * root + _Q3) * root + _Q2) * root + _Q1) * root + _Q0
        plane[x] = light * np.float32(12.92) if light < np.float32(0.0031308) else curve


@njit(**KERNEL)
def _decode(plane):  # type: ignore[no-untyped-def]
    for x in range(plane.shape[0]):
        v = min(max(plane[x], np.float32(0)), np.float32(1))
        high = (((_D7 * v + _D6) * v + _D5) * v + _D4) * v + _D3
        high = ((high * v + _D2) * v + _D1) * v + _D0
        plane[x] = v * np.float32(1 / 12.92) if v <= np.float32(_KNEE) else high


@njit(**KERNEL)
def _matrix(red, green, blue, m):  # type: ignore[no-untyped-def]
    a, b, c, d = m[0], m[1], m[2], m[3]
    e, f, g, h = m[4], m[5], m[6], m[7]
    i, j, k, n = m[8], m[9], m[10], m[11]
    for x in range(red.shape[0]):
        r, s, t = red[x], green[x], blue[x]
        red[x] = a * r + b * s + c * t + d
        green[x] = e * r + f * s + g * t + h
        blue[x] = i * r + j * s + k * t + n


# A look-up is two loops, as the first then is vectorised: where each value lies in the table, and
# what stands there. Entries have their difference to the next beside them: one place in memory.


@njit(**KERNEL)
def _placed(values, at, between):  # type: ignore[no-untyped-def]
    """Fill ``at`` (width,) int32 with the entry each value lies at, ``between`` with how far on."""
    for x in range(values.shape[0]):
        place = min(max(values[x], np.float32(0)), np.float32(1)) * np.float32(TABLE)
        n = np.int32(place)
        between[x] = place - np.float32(n)
        at[x] = n


@njit(**KERNEL)
def _fetched(table, at, between, out):  # type: ignore[no-untyped-def]
    for x in range(out.shape[0]):
        n = np.uint32(at[x])
        out[x] = table[n, 0] + between[x] * table[n, 1]


@njit(inline="always")
def _luma(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b


@njit(**KERNEL)
def _fill_luma(red, green, blue, out):  # type: ignore[no-untyped-def]
    for x in range(out.shape[0]):
        out[x] = _luma(red[x], green[x], blue[x])


@njit(**KERNEL)
def _move(red, green, blue, before, after):  # type: ignore[no-untyped-def]
    for x in range(red.shape[0]):
        moved = after[x] - before[x]
        red[x] += moved
        green[x] += moved
        blue[x] += moved


@njit(**KERNEL)
def _vivid(red, green, blue, amount):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    for x in range(red.shape[0]):
        r, g, b = red[x], green[x], blue[x]
        y = _luma(r, g, b)
        spread = max(max(r, g), b) - min(min(r, g), b)
        factor = one + amount * (one - min(spread, one))
        red[x] = y + (r - y) * factor
        green[x] = y + (g - y) * factor
        blue[x] = y + (b - y) * factor


@njit(inline="always")
def _share(value):  # type: ignore[no-untyped-def]
    share = min(max(value, np.float32(0)), np.float32(1))
    return share * share * (np.float32(3) - np.float32(2) * share)


@njit(**KERNEL)
def _hues(red, green, blue, told):  # type: ignore[no-untyped-def]
    """Change what is of a range of hues; what has hardly any colour has hardly any hue."""
    hue, half, soft = told[0], told[1], max(told[2], np.float32(0.02))
    sine, cosine, saturation, lighter = told[3], told[4], told[5], told[6]
    edge = np.float32(1) / (half * soft)
    for x in range(red.shape[0]):
        r, g, b = red[x], green[x], blue[x]
        most, least = max(max(r, g), b), min(min(r, g), b)
        spread = most - least
        # Selects instead of branches: such a loop is vectorised.
        by = np.float32(60) / max(spread, np.float32(1e-4))
        blueish = (r - g) * by + np.float32(240)
        at = (b - r) * by + np.float32(120) if most == g else blueish
        at = (g - b) * by if most == r else at
        off = abs(at - hue)
        off = min(off, abs(off - np.float32(360)))
        weight = _share((half - off) * edge) * _share(spread * np.float32(8))
        # Hue is turned in the plane of B' - Y' and R' - Y', as vectorscopes show it.
        y = _luma(r, g, b)
        u, v = (b - y) * np.float32(1 / 1.8556), (r - y) * np.float32(1 / 1.5748)
        u1 = (cosine * u - sine * v) * saturation
        v1 = (sine * u + cosine * v) * saturation
        y1 = y + lighter * spread
        r1 = y1 + np.float32(1.5748) * v1
        b1 = y1 + np.float32(1.8556) * u1
        g1 = (y1 - np.float32(0.2126) * r1 - np.float32(0.0722) * b1) * np.float32(1 / 0.7152)
        red[x] = r + (r1 - r) * weight
        green[x] = g + (g1 - g) * weight
        blue[x] = b + (b1 - b) * weight


@njit(**KERNEL)
def _cells(red, green, blue, side, first, at, between):  # type: ignore[no-untyped-def]
    """Find which cell of a table of colours each colour lies in, and where in that."""
    last, most = np.float32(side - 1), np.int32(side - 2)
    zero, one = np.float32(0), np.float32(1)
    for x in range(red.shape[0]):
        r = min(max(red[x], zero), one) * last
        g = min(max(green[x], zero), one) * last
        b = min(max(blue[x], zero), one) * last
        i, j, k = min(np.int32(r), most), min(np.int32(g), most), min(np.int32(b), most)
        between[0, x] = r - np.float32(i)
        between[1, x] = g - np.float32(j)
        between[2, x] = b - np.float32(k)
        at[x] = np.int32(first + 3 * (i + side * (j + side * k)))


@njit(**KERNEL)
def _cube(red, green, blue, cubes, side, at, between):  # type: ignore[no-untyped-def]
    """Look colours up in a table of colours, between eight of them (trilinear)."""
    across, up, deep = np.uint32(3), np.uint32(3 * side), np.uint32(3 * side * side)
    for x in range(red.shape[0]):
        s, t, u = between[0, x], between[1, x], between[2, x]
        for c in range(3):
            n = np.uint32(at[x]) + np.uint32(c)
            v00 = cubes[n] + s * (cubes[n + across] - cubes[n])
            n1 = n + up
            v10 = cubes[n1] + s * (cubes[n1 + across] - cubes[n1])
            n2 = n + deep
            v01 = cubes[n2] + s * (cubes[n2 + across] - cubes[n2])
            n3 = n2 + up
            v11 = cubes[n3] + s * (cubes[n3 + across] - cubes[n3])
            low, high = v00 + t * (v10 - v00), v01 + t * (v11 - v01)
            value = low + u * (high - low)
            if c == 0:
                red[x] = value
            elif c == 1:
                green[x] = value
            else:
                blue[x] = value


@njit(**KERNEL)
def _cube_of_four(red, green, blue, cubes, side, at, between):  # type: ignore[no-untyped-def]
    """Look colours up between the four corners of the tetrahedron they lie in.

    Which that is, is chosen by selects, as branches cost twice as much.
    """
    up, deep = 3 * side, 3 * side * side
    for x in range(red.shape[0]):
        s, t, u = between[0, x], between[1, x], between[2, x]
        most, least = max(max(s, t), u), min(min(s, t), u)
        middle = s + t + u - most - least
        # From the dark corner first along the largest share, then along the next.
        one = 3 if most == s else (up if most == t else deep)
        three = deep if least == u else (up if least == t else 3)
        two = 3 + up + deep - three
        w0, w1 = np.float32(1) - most, most - middle
        w2, w3 = middle - least, least
        for c in range(3):
            n = np.uint32(at[x]) + np.uint32(c)
            value = (
                w0 * cubes[n]
                + w1 * cubes[n + np.uint32(one)]
                + w2 * cubes[n + np.uint32(two)]
                + w3 * cubes[n + np.uint32(3 + up + deep)]
            )
            if c == 0:
                red[x] = value
            elif c == 1:
                green[x] = value
            else:
                blue[x] = value


@njit(**KERNEL)
def _keep(plane, kept):  # type: ignore[no-untyped-def]
    for x in range(plane.shape[0]):
        kept[x] = plane[x]


@njit(**KERNEL)
def _mix(plane, kept, share):  # type: ignore[no-untyped-def]
    for x in range(plane.shape[0]):
        plane[x] = kept[x] + (plane[x] - kept[x]) * share


@njit(**KERNEL)
def _mix_by(plane, kept, share, mask):  # type: ignore[no-untyped-def]
    scale = share * np.float32(1 / 65535)
    for x in range(plane.shape[0]):
        plane[x] = kept[x] + (plane[x] - kept[x]) * (np.float32(mask[x]) * scale)


@njit(**KERNEL)
def _ink(plane, colour, share, mask):  # type: ignore[no-untyped-def]
    scale = share * np.float32(1 / 65535)
    for x in range(plane.shape[0]):
        plane[x] += (colour - plane[x]) * (np.float32(mask[x]) * scale)


@njit(**KERNEL)
def _grain(red, green, blue, tile, told, x0, y):  # type: ignore[no-untyped-def]
    strength, darks, lights, coloured = told[0], told[1], told[2], told[3]
    row, shift = (y + int(told[5])) & (TILE_SIDE - 1), x0 + int(told[4])
    one, two = np.float32(1), np.float32(2)
    common, a, b, c = tile[0, row], tile[0, row], tile[1, row], tile[2, row]
    for x in range(red.shape[0]):
        n = np.uint32(x + shift) & np.uint32(TILE_SIDE - 1)
        luma = _luma(red[x], green[x], blue[x])
        # As strong as asked in the middle, by its factors in the dark and in the light.
        dark, light = max(one - two * luma, np.float32(0)), max(two * luma - one, np.float32(0))
        much = strength * (one + (darks - one) * dark + (lights - one) * light)
        red[x] += much * (common[n] + coloured * (a[n] - common[n]))
        green[x] += much * (common[n] + coloured * (b[n] - common[n]))
        blue[x] += much * (common[n] + coloured * (c[n] - common[n]))


@njit(**KERNEL)
def _halftone(red, green, blue, alpha, told, rank, soft):  # type: ignore[no-untyped-def]
    """Codes to linear light: ink where it is darker than the screen's rank there."""
    clear = told[6] > 0
    scale = np.float32(1 / 65535)
    half, one = np.float32(0.5), np.float32(1)
    for x in range(red.shape[0]):
        dark = one - _luma(red[x], green[x], blue[x])
        edge = max(np.float32(soft[x]) * scale, np.float32(1e-3))
        # As much ink as it is dark, also where a whole edge has no room before white or black.
        level = dark
        if dark < half * edge:
            level = np.sqrt(np.float32(2) * edge * max(dark, np.float32(0))) - half * edge
        elif one - dark < half * edge:
            bright = max(one - dark, np.float32(0))
            level = one + half * edge - np.sqrt(np.float32(2) * edge * bright)
        cover = min(max((level - np.float32(rank[x]) * scale) / edge + half, np.float32(0)), one)
        if clear:
            red[x], green[x], blue[x] = told[0], told[1], told[2]
            alpha[x] *= cover
        else:
            red[x] = told[3] + (told[0] - told[3]) * cover
            green[x] = told[4] + (told[1] - told[4]) * cover
            blue[x] = told[5] + (told[2] - told[5]) * cover


@njit(**KERNEL)
def _shade(plane, strength, field):  # type: ignore[no-untyped-def]
    scale, half = np.float32(1 / 65535), np.float32(0.5)
    for x in range(plane.shape[0]):
        more = strength * (np.float32(field[x]) * scale - half)
        # As a soft light: neither black nor white moves.
        plane[x] += more * plane[x] * (np.float32(1) - plane[x]) * np.float32(4)


@njit(**KERNEL)
def _wipe(alpha, mask):  # type: ignore[no-untyped-def]
    for x in range(alpha.shape[0]):
        alpha[x] *= np.float32(mask[x]) * np.float32(1 / 65535)


@njit(**KERNEL)
def grade_row(program, planes, x0, y, fields, kept):  # type: ignore[no-untyped-def]
    """Run a program over a stretch of a row: ``planes`` (4, width), red, green, blue, alpha.

    ``x0``, ``y``: where in the frame it begins; ``fields`` (P, rows, columns) uint16: the frame's
    planes; ``kept`` (4, width): room for what is remembered.
    """
    red, green, blue, alpha = planes[0], planes[1], planes[2], planes[3]
    width = planes.shape[1]
    at, between = np.empty(width, np.int32), np.empty((3, width), np.float32)
    for n in range(program.stages.shape[0]):
        stage, which, told = program.stages[n, 0], program.stages[n, 1], program.numbers[n]
        if stage == 0:
            for c in range(3):
                _encode(planes[c])
        elif stage == 1:
            for c in range(3):
                _decode(planes[c])
        elif stage == 2:
            _matrix(red, green, blue, told)
        elif stage == 3:
            for c in range(3):
                _placed(planes[c], at, between[0])
                _fetched(program.tables[which, c], at, between[0], planes[c])
        elif stage == 4:
            _fill_luma(red, green, blue, between[1])
            _placed(between[1], at, between[0])
            _fetched(program.tables[which, 0], at, between[0], between[2])
            _move(red, green, blue, between[1], between[2])
        elif stage == 5:
            _fill_luma(red, green, blue, between[1])
            _placed(between[1], at, between[0])
            for c in range(3):
                _fetched(program.tables[which, c], at, between[0], planes[c])
        elif stage == 6:
            _vivid(red, green, blue, told[0])
        elif stage == 7:
            _hues(red, green, blue, told)
        elif stage == 8:
            side = int(told[0])
            _cells(red, green, blue, side, which, at, between)
            if told[1] > 0:
                _cube_of_four(red, green, blue, program.cubes, side, at, between)
            else:
                _cube(red, green, blue, program.cubes, side, at, between)
        elif stage == 9:
            for c in range(4):
                _keep(planes[c], kept[c])
        elif stage == 10:
            for c in range(4):
                if which < 0:
                    _mix(planes[c], kept[c], told[0])
                else:
                    _mix_by(planes[c], kept[c], told[0], fields[which, y, x0 : x0 + width])
        elif stage == 11:
            for c in range(3):
                _ink(planes[c], told[c], told[3], fields[which, y, x0 : x0 + width])
        elif stage == 12:
            _grain(red, green, blue, program.tiles[which], told, x0, y)
        elif stage == 13:
            _halftone(
                red,
                green,
                blue,
                alpha,
                told,
                fields[which, y, x0 : x0 + width],
                fields[which + 1, y, x0 : x0 + width],
            )
        elif stage == 15:
            for c in range(3):
                _shade(planes[c], told[0], fields[which, y, x0 : x0 + width])
        elif stage == 16:
            there = fields[which : which + 4, y, x0 : x0 + width]
            blend_row(int(told[0]), planes, there[:3], there[3])
        elif stage == 14:
            _wipe(alpha, fields[which, y, x0 : x0 + width])
