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
from vistaline.core.picture.carried import carry, reduced
from vistaline.core.picture.evening import evened
from vistaline.core.picture.rim import off_at_rim, rim_of, spread_inwards
from vistaline.core.picture.smooth import pull_push

__all__ = ["ExemplarSettings", "Progress", "fill_by_texture"]

RADIUS = 3
CHANNELS = 5
_SOLVE_PIXELS = 250_000
_LARGEST = 16_000_000
"""Pixels: of a larger picture the map of sources is found in a copy, and carried to its pixels."""
_FEWEST_SOURCES = 150
_SPREAD, _FINAL_SPREAD = 1.0, 0.3
_STRIP = 256
"""Rows that are converted at once: whole 12-megapixel copies would take half a gigabyte."""

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
    The same picture, hole and seed give the same bytes: one thread, one generator. In pictures of
    more than 16 megapixels the map of sources is found at a half or a quarter; what is put in are
    the picture's own pixels all the same (``carried``).
    """
    settings = settings or ExemplarSettings()
    if not hole.any():
        return picture.copy()
    known = ~hole if sources is None else sources & ~hole
    times = 1
    while hole.size > _LARGEST * times**2:
        times *= 2
    filled = picture.copy()
    if times == 1:
        level, field = _found(picture, hole, known, settings, progress)
        _join_rim(level, field)
        _even_out(level, field)
        filled[hole] = np.clip(np.rint(level.content[hole, :3]), 0, 255).astype(np.uint8)
        return filled
    level, field = _found(*reduced(picture, hole, known, times), settings, progress)
    plain = level.content[..., :3].copy()
    _even_out(level, field)
    carry(filled, hole, _sources(level, field), level.hole, level.content[..., :3] - plain)
    return filled


def _found(
    picture: np.ndarray,
    hole: np.ndarray,
    known: np.ndarray,
    settings: ExemplarSettings,
    progress: Progress,
) -> tuple[_Level, np.ndarray]:
    """Return the finest level with what was voted into its hole, and the map of sources."""
    scales = _scales(picture, hole, known)
    state = np.array([settings.seed * 2654435761 % 2**32 + 1], np.uint64)
    pixels = [scale.hole.size for scale in scales]
    solve = next(
        n for n in range(len(scales)) if pixels[n] <= _SOLVE_PIXELS or n == len(scales) - 1
    )
    work = [
        _passes(n, solve, len(scales)) * int(scales[n].hole.sum() + 400) for n in range(len(scales))
    ]
    done, total = 0.0, float(sum(work))
    field = np.empty((0, 2), np.int32)
    coarser: _Level | None = None
    for n in reversed(range(len(scales))):
        level = _level(scales[n])
        words = f"level {len(scales) - n} of {len(scales)}"
        if coarser is None:
            for part in (slice(0, 3), slice(3, CHANNELS)):
                level.content[..., part] = pull_push(level.content[..., part], ~level.hole)
            field = _first_field(level, state)
        else:
            field = _doubled(field, coarser, level, state)
            _vote_in(level, field, np.ones(len(field), np.float32), _SPREAD)
        for _ in range(_passes(n, solve, len(scales))):
            progress(done / total, words)
            reach = max(level.hole.shape) if n >= solve else 2
            costs = _search(level, field, reach, settings, state)
            _vote_in(level, field, costs, _SPREAD if n > 0 else _FINAL_SPREAD)
            done += level.hole.sum() + 400
        coarser = level
    progress(1.0, "done")
    assert coarser is not None
    return coarser, field


@dataclass(frozen=True, eq=False)
class _Scale:
    """The picture at one size; what is looked for in it is made when its turn comes."""

    colour: np.ndarray
    """(height, width, 3) codes, uint8 or float32."""
    hole: np.ndarray
    source: np.ndarray
    """bool (height, width): whether a patch here is wholly known."""


@dataclass(frozen=True, eq=False)
class _Level:
    content: np.ndarray
    """float32 (height, width, 5): codes, and how much texture there is; the hole's change."""
    hole: np.ndarray
    place: np.ndarray
    """int32 (height, width): the number of a hole's pixel, or -1."""
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


def _scales(picture: np.ndarray, hole: np.ndarray, known: np.ndarray) -> list[_Scale]:
    box = np.ones((2 * RADIUS + 1, 2 * RADIUS + 1), np.uint8)
    scales: list[_Scale] = []
    colour, weight, usable = picture, (~hole).astype(np.float32), known.astype(np.float32)
    while True:
        source = cv2.erode((usable > 0.99).astype(np.uint8), box, borderValue=0) > 0
        if scales and int(source.sum()) < _FEWEST_SOURCES:
            return scales
        if not source.any():
            raise FillError(
                "There is nothing left to take texture from. Leave more of the picture outside "
                "the hole, or paint where texture may be taken from."
            )
        scales.append(_Scale(colour, weight < 0.5, source))
        height, width = weight.shape
        if min(height, width) < 40:
            return scales
        size = ((width + 1) // 2, (height + 1) // 2)
        # A coarse pixel is the mean of its known ones, so that the hole's content never leaks out.
        colour = _halved(colour, weight, size)
        weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
        usable = cv2.resize(usable, size, interpolation=cv2.INTER_AREA)
        colour /= np.maximum(weight, 1e-6)[..., None]
        weight = (weight >= 0.5).astype(np.float32)


def _halved(colour: np.ndarray, weight: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return the weighted colour at half its size."""
    if colour.dtype != np.uint8:
        return cv2.resize(colour * weight[..., None], size, interpolation=cv2.INTER_AREA)
    # Weights are 0 and 1 here: the codes stay as small as they came.
    kept = cv2.bitwise_and(colour, colour, mask=weight.astype(np.uint8))
    channels = [
        cv2.resize(c.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        for c in cv2.split(kept)
    ]
    return cv2.merge(channels)


def _level(scale: _Scale) -> _Level:
    hole = scale.hole
    side = 2 * RADIUS + 1
    touched = cv2.dilate(hole.astype(np.uint8), np.ones((side, side), np.uint8)) > 0
    centres = np.argwhere(touched).astype(np.int32) + RADIUS
    number = np.full((hole.shape[0] + 2 * RADIUS, hole.shape[1] + 2 * RADIUS), -1, np.int32)
    number[centres[:, 0], centres[:, 1]] = np.arange(len(centres))
    place = np.full(hole.shape, -1, np.int32)
    place[hole] = np.arange(int(hole.sum()))
    depth = cv2.distanceTransform(hole.astype(np.uint8), cv2.DIST_L2, 3)
    confidence = np.power(1.3, -depth[touched]).astype(np.float32)
    return _Level(
        content=_content(scale.colour, hole),
        hole=hole,
        place=place,
        centres=centres,
        number=number,
        source=np.pad(scale.source, RADIUS),
        confidence=np.maximum(confidence, 1e-4),
    )


def _content(colour: np.ndarray, hole: np.ndarray) -> np.ndarray:
    """Return (height, width, 5): the codes, and the mean slope of lightness across and down.

    The slopes are filled in along with the colours (after Newson et al., Video Inpainting of
    Complex Scenes, 2014): a fill starts out smooth, and without them smooth patches would win.
    """
    content = np.empty((*hole.shape, CHANNELS), np.float32)
    content[..., :3] = colour
    light = np.empty(hole.shape, np.float32)
    for strip in _strips(len(light)):
        light[strip] = _lab(content[strip, :, :3])[..., 0]
    known = cv2.erode((~hole).astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.float32)
    count = np.maximum(cv2.blur(known, (9, 9)), 1e-6)
    for channel, (dx, dy) in ((3, (1, 0)), (4, (0, 1))):
        slope = np.abs(cv2.Sobel(light, cv2.CV_32F, dx, dy, ksize=1))
        content[..., channel] = cv2.blur(slope * known, (9, 9)) / count * 4
    return content


def _strips(rows: int) -> list[slice]:
    return [slice(top, top + _STRIP) for top in range(0, rows, _STRIP)]


def _lab(codes: np.ndarray) -> np.ndarray:
    return cv2.cvtColor(np.clip(codes * np.float32(1 / 255), 0, 1), cv2.COLOR_RGB2LAB)


def _features(content: np.ndarray) -> np.ndarray:
    """Return (rows, columns, 5), padded: Lab and texture, what patches are compared by."""
    rows, columns = content.shape[:2]
    features = np.zeros((rows + 2 * RADIUS, columns + 2 * RADIUS, CHANNELS), np.float32)
    inner = features[RADIUS:-RADIUS, RADIUS:-RADIUS]
    for strip in _strips(rows):
        inner[strip, :, :3] = _lab(content[strip, :, :3])
    inner[..., 3:] = content[..., 3:]
    features[:RADIUS], features[-RADIUS:] = features[RADIUS], features[-RADIUS - 1]
    features[:, :RADIUS] = features[:, RADIUS : RADIUS + 1]
    features[:, -RADIUS:] = features[:, -RADIUS - 1 : -RADIUS]
    return features


def _first_field(level: _Level, state: np.ndarray) -> np.ndarray:
    return _random_field(level.centres, np.argwhere(level.source).astype(np.int32), state)


def _doubled(field: np.ndarray, coarse: _Level, fine: _Level, state: np.ndarray) -> np.ndarray:
    sources = np.argwhere(fine.source).astype(np.int32)
    return _double(field, coarse.number, fine.centres, fine.source, sources, state)


def _search(
    level: _Level,
    field: np.ndarray,
    reach: int,
    settings: ExemplarSettings,
    state: np.ndarray,
) -> np.ndarray:
    """Improve the field in place; returns what each patch still differs by, (N,)."""
    costs = np.empty(len(field), np.float32)
    features = _features(level.content)
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


def _vote_in(level: _Level, field: np.ndarray, costs: np.ndarray, spread: float) -> None:
    """Put what the patches propose in the hole; ``spread`` in pixels: how far a patch counts."""
    # Wexler et al., section 3.2: a patch that fits badly counts little.
    usual = max(float(np.percentile(costs, 75)), 1e-3)
    weights = level.confidence * np.exp(-costs / (2 * usual)).astype(np.float32) + np.float32(1e-12)
    across = np.arange(-RADIUS, RADIUS + 1)
    kernel = np.exp(-(across[:, None] ** 2 + across**2) / (2 * spread**2)).astype(np.float32)
    # Sources are wholly known, so nothing that is read here is being written.
    level.content[level.hole] = _vote(
        level.content, level.place, level.centres, weights, kernel, field
    )


def _join_rim(level: _Level, field: np.ndarray) -> None:
    """Let what was put in the hole begin where the picture ends, fading within a few pixels."""
    rim = rim_of(level.hole)
    at = rim + RADIUS
    source = field[level.number[at[:, 0], at[:, 1]]] - RADIUS
    off = off_at_rim(level.content, level.hole, rim, source)
    for channel, (near, change) in enumerate(spread_inwards(level.hole, rim, off)):
        level.content[..., channel][near] += change


def _even_out(level: _Level, field: np.ndarray) -> None:
    """Take small steps of tone out where pieces from different places meet."""
    changes = evened(level.content, level.hole, _sources(level, field))
    for channel, change in enumerate(changes):
        level.content[..., channel] += change


def _sources(level: _Level, field: np.ndarray) -> np.ndarray:
    """Return int32 (height, width, 2): row and column that each pixel of the hole comes from."""
    source = np.zeros((*level.hole.shape, 2), np.int32)
    at = np.argwhere(level.hole) + RADIUS
    source[level.hole] = field[level.number[at[:, 0], at[:, 1]]] - RADIUS
    return source


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
def _vote(content, place, centres, confidence, kernel, field):  # type: ignore[no-untyped-def]
    rows, columns = place.shape
    count = 0
    for y in range(rows):
        for x in range(columns):
            count = max(count, place[y, x] + 1)
    result = np.zeros((count, CHANNELS), np.float32)
    weights = np.zeros(count, np.float32)
    for n in range(len(centres)):
        ty, tx = centres[n, 0] - RADIUS, centres[n, 1] - RADIUS
        sy, sx = field[n, 0] - RADIUS, field[n, 1] - RADIUS
        for j in range(max(-RADIUS, -ty), min(RADIUS, rows - 1 - ty) + 1):
            for i in range(max(-RADIUS, -tx), min(RADIUS, columns - 1 - tx) + 1):
                at = place[ty + j, tx + i]
                if at >= 0:
                    weight = confidence[n] * kernel[j + RADIUS, i + RADIUS]
                    for c in range(CHANNELS):
                        result[at, c] += weight * content[sy + j, sx + i, c]
                    weights[at] += weight
    for at in range(count):
        for c in range(CHANNELS):
            result[at, c] /= weights[at]
    return result
