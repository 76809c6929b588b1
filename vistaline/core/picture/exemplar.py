"""Filling a hole with texture from around it: multi-scale patch matching with patch voting.

Every patch that touches the hole looks for the known patch most like it (random search and
propagation, after Barnes et al., PatchMatch, 2009); every pixel of the hole becomes the weighted
mean of what the patches over it propose (after Wexler, Shechtman and Irani, Space-Time
Completion, 2007). Solved small, where structure is decided; on the way up to full size only the
map of sources is refined, so detail is the photo's own.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from vistaline.core.errors import FillError
from vistaline.core.picture.smooth import pull_push

__all__ = ["ExemplarSettings", "Progress", "fill_by_texture"]

RADIUS = 3
CHANNELS = 5
_SOLVE_PIXELS = 250_000
_FEWEST_SOURCES = 150
_SPREAD, _FINAL_SPREAD = 1.0, 0.3

Progress = Callable[[float, str], None]
"""Told how far a fill is (0..1) and what it does; may raise to stop it."""


@dataclass(frozen=True, kw_only=True)
class ExemplarSettings:
    """What a person may choose of a fill by texture."""

    seed: int = 1
    near: float = 0.5
    """How much a source close by is preferred, so that seams lie in the hole's middle."""
    level: float = 1.0
    """How much a source at the same height is preferred: ground stays ground."""


def fill_by_texture(
    picture: np.ndarray,
    hole: np.ndarray,
    *,
    sources: np.ndarray | None = None,
    settings: ExemplarSettings | None = None,
    progress: Progress = lambda share, words: None,
) -> np.ndarray:
    """Return the picture with its hole filled.

    Parameters
    ----------
    picture : uint8 (height, width, 3)
        sRGB codes.
    hole : bool (height, width)
        What to fill; all of it counts as unknown.
    sources : bool (height, width), optional
        Where texture may be taken from; the hole itself never is.

    Raises
    ------
    FillError
        Nothing is left to take texture from.

    Notes
    -----
    The same picture, hole and seed give the same bytes: one thread, one generator.
    """
    settings = settings or ExemplarSettings()
    known = ~hole if sources is None else sources & ~hole
    if not hole.any():
        return picture.copy()
    levels = _levels(picture, hole, known)
    state = np.array([settings.seed * 2654435761 % 2**32 + 1], np.uint64)
    pixels = [level.hole.size for level in levels]
    solve = next(
        n for n in range(len(levels)) if pixels[n] <= _SOLVE_PIXELS or n == len(levels) - 1
    )
    work = [
        _passes(n, solve, len(levels)) * int(levels[n].hole.sum() + 400) for n in range(len(levels))
    ]
    done, total = 0.0, float(sum(work))
    first = levels[-1]
    content = first.content.copy()
    content[..., :3] = pull_push(first.content[..., :3], ~first.hole)
    field: np.ndarray | None = None
    for n in reversed(range(len(levels))):
        level = levels[n]
        words = f"level {len(levels) - n} of {len(levels)}"
        if n < len(levels) - 1:
            assert field is not None
            field = _doubled(field, levels[n + 1], level, state)
            even = np.ones(len(field), np.float32)
            content = _voted(level, field, even, _SPREAD)
        else:
            field = _first_field(level, state)
        for _ in range(_passes(n, solve, len(levels))):
            progress(done / total, words)
            reach = max(level.hole.shape) if n >= solve else 2
            costs = _search(level, content, field, reach, settings, state)
            content = _voted(level, field, costs, _SPREAD if n > 0 else _FINAL_SPREAD)
            done += level.hole.sum() + 400
    progress(1.0, "done")
    filled = picture.copy()
    filled[hole] = np.clip(np.rint(content[hole, :3]), 0, 255).astype(np.uint8)
    return filled


@dataclass(frozen=True, eq=False)
class _Level:
    content: np.ndarray
    """float32 (height, width, 5): codes, and how much texture there is; unknown in the hole."""
    hole: np.ndarray
    centres: np.ndarray
    """int32 (N, 2): row and column, padded, of the patches that touch the hole."""
    number: np.ndarray
    """int32, padded: which patch has its centre here, or -1."""
    source: np.ndarray
    """bool, padded: whether a patch here is wholly known."""
    confidence: np.ndarray
    """float32 (N,): how near to the hole's rim a patch is."""


def _passes(n: int, solve: int, count: int) -> int:
    if n < solve:
        return 1
    return max(3, 8 - 2 * (count - 1 - n))


def _levels(picture: np.ndarray, hole: np.ndarray, known: np.ndarray) -> list[_Level]:
    levels: list[_Level] = []
    colour = picture.astype(np.float32)
    weight = (~hole).astype(np.float32)
    usable = known.astype(np.float32)
    while True:
        level = _level(colour, weight < 0.5, usable > 0.99)
        if not level.source.any():
            if levels:
                break
            raise FillError(
                "There is nothing left to take texture from. Leave more of the picture outside "
                "the hole, or paint where texture may be taken from."
            )
        if levels and int(level.source.sum()) < _FEWEST_SOURCES:
            break
        levels.append(level)
        height, width = weight.shape
        if min(height, width) < 40:
            break
        size = ((width + 1) // 2, (height + 1) // 2)
        # A coarse pixel is the mean of its known ones, so that the hole's content never leaks out.
        colour = cv2.resize(colour * weight[..., None], size, interpolation=cv2.INTER_AREA)
        weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
        usable = cv2.resize(usable, size, interpolation=cv2.INTER_AREA)
        colour /= np.maximum(weight, 1e-6)[..., None]
        weight = (weight >= 0.5).astype(np.float32)
    return levels


def _level(colour: np.ndarray, hole: np.ndarray, known: np.ndarray) -> _Level:
    side = 2 * RADIUS + 1
    box = np.ones((side, side), np.uint8)
    touched = cv2.dilate(hole.astype(np.uint8), box) > 0
    whole = cv2.erode(known.astype(np.uint8), box, borderValue=0) > 0
    centres = np.argwhere(touched).astype(np.int32) + RADIUS
    number = np.full((hole.shape[0] + 2 * RADIUS, hole.shape[1] + 2 * RADIUS), -1, np.int32)
    number[centres[:, 0], centres[:, 1]] = np.arange(len(centres))
    depth = cv2.distanceTransform(hole.astype(np.uint8), cv2.DIST_L2, 3)
    confidence = np.power(1.3, -depth[touched]).astype(np.float32)
    source = np.pad(whole, RADIUS)
    return _Level(
        _content(colour, hole), hole, centres, number, source, np.maximum(confidence, 1e-4)
    )


def _content(colour: np.ndarray, hole: np.ndarray) -> np.ndarray:
    """Return (height, width, 5): the codes, and the mean slope of lightness across and down.

    The slopes are filled in along with the colours (after Newson et al., Video Inpainting of
    Complex Scenes, 2014): a fill starts out smooth, and without them smooth patches would win.
    """
    light = cv2.cvtColor(np.clip(colour / 255, 0, 1), cv2.COLOR_RGB2LAB)[..., 0]
    known = cv2.erode((~hole).astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.float32)
    count = cv2.blur(known, (9, 9))
    slopes = [
        cv2.blur(np.abs(cv2.Sobel(light, cv2.CV_32F, dx, dy, ksize=1)) * known, (9, 9))
        / np.maximum(count, 1e-6)
        for dx, dy in ((1, 0), (0, 1))
    ]
    texture = pull_push(np.dstack(slopes) * 4, (count > 0.05) & ~hole)
    return np.concatenate([colour, texture], axis=2)


def _features(content: np.ndarray) -> np.ndarray:
    """Return (rows, columns, 5), padded: Lab and texture, what patches are compared by."""
    lab = cv2.cvtColor(np.clip(content[..., :3] / 255, 0, 1), cv2.COLOR_RGB2LAB)
    features = np.concatenate([lab, content[..., 3:]], axis=2)
    return np.pad(features, ((RADIUS, RADIUS), (RADIUS, RADIUS), (0, 0)), "edge")


def _first_field(level: _Level, state: np.ndarray) -> np.ndarray:
    return _random_field(level.centres, np.argwhere(level.source).astype(np.int32), state)


def _doubled(field: np.ndarray, coarse: _Level, fine: _Level, state: np.ndarray) -> np.ndarray:
    sources = np.argwhere(fine.source).astype(np.int32)
    return _double(field, coarse.number, fine.centres, fine.source, sources, state)


def _search(
    level: _Level,
    content: np.ndarray,
    field: np.ndarray,
    reach: int,
    settings: ExemplarSettings,
    state: np.ndarray,
) -> np.ndarray:
    """Improve the field in place; returns what each patch still differs by, (N,)."""
    costs = np.empty(len(field), np.float32)
    features = _features(content)
    flat = features.reshape(features.shape[0], -1)
    scale = 100.0 / max(level.hole.shape)
    for backwards in (False, True):
        _sweep(
            flat,
            level.centres,
            level.number,
            level.source,
            field,
            costs,
            backwards,
            reach,
            np.float32(settings.near * scale),
            np.float32(settings.level * scale),
            state,
        )
    return costs


def _voted(level: _Level, field: np.ndarray, costs: np.ndarray, spread: float) -> np.ndarray:
    """Return the level's content; ``spread`` in pixels: how far from its centre a patch counts."""
    padded = np.pad(level.content, ((RADIUS, RADIUS), (RADIUS, RADIUS), (0, 0)), "edge")
    hole = np.pad(level.hole, RADIUS)
    # Wexler et al., section 3.2: a patch that fits badly counts little.
    usual = max(float(np.percentile(costs, 75)), 1e-3)
    weights = level.confidence * np.exp(-costs / (2 * usual)).astype(np.float32) + np.float32(1e-12)
    across = np.arange(-RADIUS, RADIUS + 1)
    kernel = np.exp(-(across[:, None] ** 2 + across**2) / (2 * spread**2)).astype(np.float32)
    result = _vote(padded, hole, level.centres, weights, kernel, field)
    voted = result[RADIUS:-RADIUS, RADIUS:-RADIUS]
    return np.where(level.hole[..., None], voted, level.content)


@njit(cache=True, nogil=True)
def _draw(state):  # type: ignore[no-untyped-def]
    # xorshift64 (Marsaglia, Xorshift RNGs, 2003).
    x = state[0]
    x ^= x << np.uint64(13)
    x ^= x >> np.uint64(7)
    x ^= x << np.uint64(17)
    state[0] = x
    return np.float64(x >> np.uint64(11)) / np.float64(9007199254740992.0)


@njit(cache=True, nogil=True)
def _random_field(centres, sources, state):  # type: ignore[no-untyped-def]
    field = np.empty((len(centres), 2), np.int32)
    for n in range(len(centres)):
        field[n] = sources[int(_draw(state) * len(sources))]
    return field


@njit(cache=True, nogil=True)
def _double(field, coarse_number, centres, source, sources, state):  # type: ignore[no-untyped-def]
    rows, columns = source.shape
    result = np.empty((len(centres), 2), np.int32)
    for n in range(len(centres)):
        y, x = centres[n, 0] - RADIUS, centres[n, 1] - RADIUS
        cy = min(y // 2 + RADIUS, coarse_number.shape[0] - 1)
        cx = min(x // 2 + RADIUS, coarse_number.shape[1] - 1)
        near = coarse_number[cy, cx]
        found = False
        if near >= 0:
            sy = 2 * (field[near, 0] - RADIUS) + (y & 1) + RADIUS
            sx = 2 * (field[near, 1] - RADIUS) + (x & 1) + RADIUS
            if 0 <= sy < rows and 0 <= sx < columns and source[sy, sx]:
                result[n] = sy, sx
                found = True
        if not found and n > 0:
            # As its neighbour, if that is possible.
            sy = result[n - 1, 0] + centres[n, 0] - centres[n - 1, 0]
            sx = result[n - 1, 1] + centres[n, 1] - centres[n - 1, 1]
            if 0 <= sy < rows and 0 <= sx < columns and source[sy, sx]:
                result[n] = sy, sx
                found = True
        if not found:
            result[n] = sources[int(_draw(state) * len(sources))]
    return result


@njit(cache=True, nogil=True, fastmath=True)
def _cost(flat, ty, tx, sy, sx, near, level, limit):  # type: ignore[no-untyped-def]
    dy, dx = abs(ty - sy), abs(tx - sx)
    total = np.float32(near * (dx + dy) + level * dy)
    a, b = (tx - RADIUS) * CHANNELS, (sx - RADIUS) * CHANNELS
    span = (2 * RADIUS + 1) * CHANNELS
    for row in range(-RADIUS, RADIUS + 1):
        target, source = flat[ty + row, a : a + span], flat[sy + row, b : b + span]
        part = np.float32(0)
        for k in range(span):
            difference = target[k] - source[k]
            part += difference * difference
        total += part / np.float32(49)
        if total >= limit:
            return total
    return total


@njit(cache=True, nogil=True)
def _sweep(flat, centres, number, source, field, costs, backwards, reach, near, level, state):  # type: ignore[no-untyped-def]
    rows, columns = source.shape
    step = -1 if backwards else 1
    for at in range(len(centres)):
        n = len(centres) - 1 - at if backwards else at
        ty, tx = centres[n, 0], centres[n, 1]
        by, bx = field[n, 0], field[n, 1]
        best = _cost(flat, ty, tx, by, bx, near, level, np.float32(np.inf))
        for axis in range(2):
            py, px = (ty - step, tx) if axis else (ty, tx - step)
            if not (0 <= py < rows and 0 <= px < columns):
                continue
            other = number[py, px]
            if other < 0:
                continue
            sy, sx = field[other, 0] + ty - py, field[other, 1] + tx - px
            if 0 <= sy < rows and 0 <= sx < columns and source[sy, sx] and (sy != by or sx != bx):
                cost = _cost(flat, ty, tx, sy, sx, near, level, best)
                if cost < best:
                    best, by, bx = cost, sy, sx
        radius = reach
        while radius >= 1:
            sy = by + int((2 * _draw(state) - 1) * radius + 0.5)
            sx = bx + int((2 * _draw(state) - 1) * radius + 0.5)
            if 0 <= sy < rows and 0 <= sx < columns and source[sy, sx]:
                cost = _cost(flat, ty, tx, sy, sx, near, level, best)
                if cost < best:
                    best, by, bx = cost, sy, sx
            radius //= 2
        field[n, 0], field[n, 1] = by, bx
        costs[n] = best


@njit(cache=True, nogil=True, fastmath=True)
def _vote(content, hole, centres, confidence, kernel, field):  # type: ignore[no-untyped-def]
    rows, columns = hole.shape
    result = np.zeros((rows, columns, CHANNELS), np.float32)
    weights = np.zeros((rows, columns), np.float32)
    for n in range(len(centres)):
        ty, tx, sy, sx = centres[n, 0], centres[n, 1], field[n, 0], field[n, 1]
        for j in range(-RADIUS, RADIUS + 1):
            for i in range(-RADIUS, RADIUS + 1):
                y, x = ty + j, tx + i
                if hole[y, x]:
                    weight = confidence[n] * kernel[j + RADIUS, i + RADIUS]
                    for c in range(CHANNELS):
                        result[y, x, c] += weight * content[sy + j, sx + i, c]
                    weights[y, x] += weight
    for y in range(rows):
        for x in range(columns):
            if weights[y, x] > 0:
                for c in range(CHANNELS):
                    result[y, x, c] /= weights[y, x]
    return result
