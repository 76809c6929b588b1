"""Effects for which a pixel's neighbours count, done to a whole picture, in bands with halos.

Pictures are (height, width, 4) uint16, linear, premultiplied.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.picture.grade import KERNEL
from vistaline.core.render.crew import Crew
from vistaline.core.shot.edges import Edge
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.softness import (
    Blur,
    BlurWay,
    CoarsePixels,
    ColourSplit,
    InkLines,
    OldFilm,
    Sharpen,
    SoftLights,
    SplitWay,
)

__all__ = ["Place", "reach_of", "soft", "spread"]

_BAND = 120
_BORDER = cv2.BORDER_REPLICATE


@dataclass(frozen=True)
class Place:
    """Where in a frame a picture lies, and when."""

    scale: float
    """Its pixels to one of a frame of 1080 lines."""
    middle: tuple[float, float]
    """The frame's middle, in its pixels."""
    size: tuple[float, float]
    """The frame's width and height, in its pixels."""
    frame: int


def reach_of(effect: Effect, scale: float) -> int:
    """Return how many pixels beyond itself a layer is seen by an effect."""
    size = float(getattr(effect, "size", 0.0))
    if isinstance(effect, Edge):
        return math.ceil((max(-effect.inward, 0) + effect.soft) * scale) + 2
    if isinstance(effect, Blur):
        return math.ceil(size * scale * (2.2 if effect.way is BlurWay.SOFT else 1)) + 2
    if isinstance(effect, ColourSplit | CoarsePixels):
        return math.ceil(size * scale) + 2
    return 2


def spread(picture: np.ndarray, effect: Effect, place: Place, crew: Crew) -> np.ndarray:
    """Return what an effect makes of a picture; a new one, or the same if it changes nothing."""
    return _DOES[type(effect)](picture, effect, place, crew)


def _by_bands(
    picture: np.ndarray, halo: int, change: Callable[[np.ndarray], np.ndarray], crew: Crew
) -> np.ndarray:
    """Return a picture changed band by band; each is given ``halo`` rows more on both sides."""
    height = picture.shape[0]
    out = np.empty_like(picture)

    def work(_: int, y0: int) -> None:
        y1 = min(y0 + _BAND, height)
        top, bottom = max(y0 - halo, 0), min(y1 + halo, height)
        out[y0:y1] = change(picture[top:bottom])[y0 - top : y0 - top + y1 - y0]

    crew.share(work, range(0, height, _BAND))
    return out


# --- blur -------------------------------------------------------------------------------------


def _blur(picture: np.ndarray, effect: Blur, place: Place, crew: Crew) -> np.ndarray:
    size = effect.size * place.scale
    if size < 0.3:
        return picture
    if effect.way is BlurWay.SOFT:
        return soft(picture, size / 2, crew)
    if effect.way in (BlurWay.ZOOM, BlurWay.TURN):
        return _about(picture, effect, place, crew)
    kernel = _disc(round(size, 1)) if effect.way is BlurWay.DISC else _line(size, effect.angle)
    step = _step(size / 3)

    def convolve(small: np.ndarray) -> np.ndarray:
        weights = kernel
        if step > 1:
            weights = cv2.resize(
                kernel, None, fx=1 / step, fy=1 / step, interpolation=cv2.INTER_AREA
            )
            weights = weights / weights.sum()
        return cv2.filter2D(small, -1, weights, borderType=_BORDER)

    return _coarsely(picture, step, math.ceil(size) + 2, convolve, crew)


def soft(picture: np.ndarray, sigma: float, crew: Crew) -> np.ndarray:
    """Return a picture blurred by a Gaussian; of large ones, on a smaller copy."""
    step = _step(sigma)
    # Making it smaller and larger again blurs, too: variances add up.
    left = math.sqrt(sigma**2 - (step**2 - 1) / 4) / step

    def blurred(small: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(small, (0, 0), left, borderType=_BORDER)

    return _coarsely(picture, step, math.ceil(4 * sigma) + 2, blurred, crew)


def _step(sigma: float) -> int:
    """Return by how much a copy may be smaller that is blurred so much, and lose nothing."""
    return 1 if sigma < 4 else 2 if sigma < 8 else 4 if sigma < 24 else 8


def _coarsely(
    picture: np.ndarray,
    step: int,
    halo: int,
    change: Callable[[np.ndarray], np.ndarray],
    crew: Crew,
) -> np.ndarray:
    """Return a picture changed on a copy ``step`` times smaller, and enlarged again."""
    if step == 1:
        return _by_bands(picture, halo, change, crew)
    height, width = picture.shape[:2]
    # A whole number of texels, so that nothing moves.
    low, wide = -height % step, -width % step
    whole = cv2.copyMakeBorder(picture, 0, low, 0, wide, _BORDER) if low or wide else picture
    size = whole.shape[1] // step, whole.shape[0] // step
    small = np.empty((size[1], size[0], *picture.shape[2:]), np.uint16)
    rows = max(_BAND // step, 1)

    def shrink(_: int, y0: int) -> None:
        y1 = min(y0 + rows, size[1])
        band = whole[y0 * step : y1 * step]
        small[y0:y1] = cv2.resize(band, (size[0], y1 - y0), interpolation=cv2.INTER_AREA)

    crew.share(shrink, range(0, size[1], rows))
    found = _by_bands(small, halo // step + 2, change, crew)
    large = (size[0] * step, size[1] * step)
    out = np.empty((large[1], large[0], *picture.shape[2:]), np.uint16)
    # Enlarged in bands that begin and end at texels, each with two more on both sides.

    def work(_: int, y0: int) -> None:
        y1 = min(y0 + rows, size[1])
        top, bottom = max(y0 - 2, 0), min(y1 + 2, size[1])
        band = found[top:bottom]
        big = cv2.resize(band, (large[0], (bottom - top) * step), interpolation=cv2.INTER_LINEAR)
        out[y0 * step : y1 * step] = big[(y0 - top) * step : (y1 - top) * step]

    crew.share(work, range(0, size[1], rows))
    return out[:height, :width]


@lru_cache(16)
def _disc(diameter: float) -> np.ndarray:
    """Return a disc's weights, antialiased at its rim."""
    half = math.ceil(diameter / 2) + 1
    y, x = np.mgrid[-half : half + 1, -half : half + 1]
    cover = np.clip(diameter / 2 - np.hypot(x, y) + 0.5, 0, 1)
    return np.asarray(cover / cover.sum(), np.float32)


@lru_cache(16)
def _line(length: float, angle: float) -> np.ndarray:
    """Return a line's weights, antialiased, through the middle."""
    half = math.ceil(length / 2) + 1
    y, x = np.mgrid[-half : half + 1, -half : half + 1]
    turn = math.radians(angle)
    along = x * math.cos(turn) - y * math.sin(turn)
    aside = np.abs(x * math.sin(turn) + y * math.cos(turn))
    cover = np.clip(length / 2 - np.abs(along) + 0.5, 0, 1) * np.clip(1 - aside, 0, 1)
    return np.asarray(cover / cover.sum(), np.float32)


def _about(picture: np.ndarray, effect: Blur, place: Place, crew: Crew) -> np.ndarray:
    """Return a picture blurred as by a zoom, or a turn, about a point.

    By halves: each pass lays the picture over itself, moved by half as far as the one before; so
    n passes are as good as 2^n pictures.
    """
    width, height = place.size
    middle = (
        place.middle[0] + effect.x * width - 0.5,
        place.middle[1] - effect.y * height - 0.5,
    )
    # In the corners, half the diagonal away, it goes as far as its size.
    share = effect.size * place.scale / math.hypot(width, height) * 2
    passes = max(2, min(5, math.ceil(math.log2(max(effect.size * place.scale, 2)))))
    found = picture
    for n in range(passes):
        part = share / 2 ** (n + 1)
        moved = [
            _moved_about(found, middle, sign * part / 2, effect.way is BlurWay.TURN, crew)
            for sign in (-1, 1)
        ]
        found = _mean_of_two(moved[0], moved[1], crew)
    return found


def _moved_about(
    picture: np.ndarray, middle: tuple[float, float], part: float, turns: bool, crew: Crew
) -> np.ndarray:
    turn, scale = (part, 1.0) if turns else (0.0, 1 + part)
    cosine, sine = scale * math.cos(turn), scale * math.sin(turn)
    x, y = middle
    matrix = np.array(
        [
            [cosine, -sine, x - cosine * x + sine * y],
            [sine, cosine, y - sine * x - cosine * y],
        ]
    )
    height, width = picture.shape[:2]
    out = np.empty_like(picture)

    def work(_: int, y0: int) -> None:
        y1 = min(y0 + _BAND, height)
        band = matrix.copy()
        band[:, 2] += band[:, 1] * y0  # rows are counted from the band's first
        out[y0:y1] = cv2.warpAffine(
            picture,
            band,
            (width, y1 - y0),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=_BORDER,
        )

    crew.share(work, range(0, height, _BAND))
    return out


def _mean_of_two(one: np.ndarray, other: np.ndarray, crew: Crew) -> np.ndarray:
    out = np.empty_like(one)

    def work(_: int, y0: int) -> None:
        rows = slice(y0, y0 + _BAND)
        cv2.addWeighted(one[rows], 0.5, other[rows], 0.5, 0, dst=out[rows])

    crew.share(work, range(0, one.shape[0], _BAND))
    return out


# --- sharper and softer -----------------------------------------------------------------------


def _sharpen(picture: np.ndarray, effect: Sharpen, place: Place, crew: Crew) -> np.ndarray:
    if effect.strength == 0:
        return picture
    luma = _by_bands(picture, 0, _coded_luma, crew)[..., 0]
    sigma = max(effect.size * place.scale / 2, 0.3)
    luma = np.ascontiguousarray(luma)
    blurred = soft(luma, sigma, crew)
    # What is lightest and darkest nearby: no halo goes farther beyond than the limit.
    near = cv2.getStructuringElement(cv2.MORPH_RECT, (3, 3))
    light, dark = cv2.dilate(luma, near), cv2.erode(luma, near)
    out = np.empty_like(picture)

    def work(_: int, y0: int) -> None:
        rows = slice(y0, y0 + _BAND)
        _sharper(
            *(picture[rows], luma[rows], blurred[rows], light[rows], dark[rows]),
            *(np.float32(effect.strength), np.float32(effect.limit * 65535), out[rows]),
        )

    crew.share(work, range(0, picture.shape[0], _BAND))
    return out


def _coded_luma(picture: np.ndarray) -> np.ndarray:
    out = np.empty_like(picture)
    _fill_luma(picture, out)
    return out


@njit(**KERNEL)
def _fill_luma(picture, out):  # type: ignore[no-untyped-def]
    """Fill the first channel with luma, as a square root of light: about as it is coded."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            alpha = max(np.float32(picture[y, x, 3]), np.float32(1))
            light = (
                np.float32(0.2126) * np.float32(picture[y, x, 0])
                + np.float32(0.7152) * np.float32(picture[y, x, 1])
                + np.float32(0.0722) * np.float32(picture[y, x, 2])
            ) / alpha
            out[y, x, 0] = np.uint16(np.sqrt(min(light, np.float32(1))) * np.float32(65535))


@njit(**KERNEL)
def _sharper(picture, luma, blurred, light, dark, strength, limit, out):  # type: ignore[no-untyped-def]
    one, full = np.float32(1), np.float32(65535)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            here = np.float32(luma[y, x])
            new = here + strength * (here - np.float32(blurred[y, x]))
            low = max(np.float32(dark[y, x]) - limit, np.float32(0))
            high = min(np.float32(light[y, x]) + limit, full)
            new = min(max(new, low), high)
            # Of roots of light: colours keep their ratios.
            factor = new / max(here, one)
            factor *= factor
            alpha = picture[y, x, 3]
            for c in range(3):
                value = np.float32(picture[y, x, c]) * factor + np.float32(0.5)
                out[y, x, c] = np.uint16(min(value, np.float32(alpha)))
            out[y, x, 3] = alpha


def _soft_lights(picture: np.ndarray, effect: SoftLights, place: Place, crew: Crew) -> np.ndarray:
    size = effect.size * place.scale
    if effect.strength == 0 or size < 0.3:
        return picture
    blurred = soft(picture, size / 2, crew)
    out = np.empty_like(picture)
    threshold, strength = np.float32(effect.threshold * 65535), np.float32(effect.strength)

    def work(_: int, y0: int) -> None:
        rows = slice(y0, y0 + _BAND)
        _soften(picture[rows], blurred[rows], threshold, strength, out[rows])

    crew.share(work, range(0, picture.shape[0], _BAND))
    return out


@njit(**KERNEL)
def _soften(picture, blurred, threshold, strength, out):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            most = np.float32(0)
            for c in range(3):
                most = max(most, max(np.float32(picture[y, x, c]), np.float32(blurred[y, x, c])))
            share = (most - threshold) / max(np.float32(65535) - threshold, np.float32(1))
            share = min(max(share, np.float32(0)), np.float32(1)) * strength
            for c in range(4):
                here = np.float32(picture[y, x, c])
                new = here + (np.float32(blurred[y, x, c]) - here) * share
                out[y, x, c] = np.uint16(new + np.float32(0.5))


def _pixels(picture: np.ndarray, effect: CoarsePixels, place: Place, crew: Crew) -> np.ndarray:
    side = max(1, round(effect.size * place.scale))
    if side == 1:
        return picture
    height, width = picture.shape[:2]
    # One of them begins at the frame's middle, so that the same ones are there in any raster.
    left, top = (-round(each) % side for each in place.middle)
    left, top = (side - left) % side, (side - top) % side
    low, wide = -(height + top) % side, -(width + left) % side
    whole = cv2.copyMakeBorder(picture, top, low, left, wide, _BORDER)
    size = whole.shape[1] // side, whole.shape[0] // side
    small = cv2.resize(whole, size, interpolation=cv2.INTER_AREA)
    large = cv2.resize(small, (whole.shape[1], whole.shape[0]), interpolation=cv2.INTER_NEAREST)
    return np.ascontiguousarray(large[top : top + height, left : left + width])


def _split(picture: np.ndarray, effect: ColourSplit, place: Place, crew: Crew) -> np.ndarray:
    size = effect.size * place.scale
    if size == 0:
        return picture
    turn = math.radians(effect.angle)
    aside = np.array([math.cos(turn), -math.sin(turn)]) * size / 2
    share = size / math.hypot(*place.size)
    moved = []
    for sign in (-1, 1):
        if effect.way is SplitWay.RADIAL:
            middle = place.middle[0] - 0.5, place.middle[1] - 0.5
            moved.append(_moved_about(picture, middle, sign * share, False, crew))
        else:
            moved.append(_shifted(picture, sign * aside, crew))
    out = picture.copy()
    out[..., 0], out[..., 2] = moved[0][..., 0], moved[1][..., 2]
    # Where any of the colours is, there is something.
    np.maximum(out[..., 3], moved[0][..., 3], out=out[..., 3])
    np.maximum(out[..., 3], moved[1][..., 3], out=out[..., 3])
    return out


def _shifted(picture: np.ndarray, way: FloatArray, crew: Crew) -> np.ndarray:
    height, width = picture.shape[:2]
    out = np.empty_like(picture)

    def work(_: int, y0: int) -> None:
        y1 = min(y0 + _BAND, height)
        matrix = np.array([[1, 0, way[0]], [0, 1, way[1] + y0]])
        out[y0:y1] = cv2.warpAffine(
            picture,
            matrix,
            (width, y1 - y0),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=_BORDER,
        )

    crew.share(work, range(0, height, _BAND))
    return out


# --- drawn ------------------------------------------------------------------------------------


def _ink(picture: np.ndarray, effect: InkLines, place: Place, crew: Crew) -> np.ndarray:
    sigma = max(effect.size * place.scale / 2, 0.4)
    ink = np.array(hex_to_linear(effect.colour), np.float32)
    paper = np.array(hex_to_linear(effect.paper), np.float32)

    def draw(band: np.ndarray) -> np.ndarray:
        luma = _coded_luma(band)[..., 0].astype(np.float32) * np.float32(1 / 65535)
        smooth = cv2.GaussianBlur(luma, (0, 0), sigma, borderType=_BORDER)
        across = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=0.25, borderType=_BORDER)
        down = cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=0.25, borderType=_BORDER)
        # By how much it changes over the line's width.
        change = cv2.magnitude(across, down) * np.float32(sigma * effect.strength)
        share = np.clip((change - 0.02) / 0.12, 0, 1)[..., None]
        alpha = band[..., 3:].astype(np.float32)
        under = paper * alpha if effect.alone else band[..., :3].astype(np.float32)
        colour = under + (ink * alpha - under) * (share * share * (3 - 2 * share))
        return np.dstack([colour + 0.5, alpha]).astype(np.uint16)

    return _by_bands(picture, math.ceil(4 * sigma) + 2, draw, crew)


def _edge(picture: np.ndarray, effect: Edge, place: Place, crew: Crew) -> np.ndarray:
    """Return a picture whose alpha is taken in, or spread out, and blurred.

    Colour is spread first, so that there is one wherever alpha goes.
    """
    inward, softness = effect.inward * place.scale, effect.soft * place.scale
    if inward == 0 and softness < 0.3:
        return picture
    alpha = np.ascontiguousarray(picture[..., 3])
    reach = math.ceil(abs(inward))
    if reach:
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
        alpha = (cv2.erode if inward > 0 else cv2.dilate)(alpha, kernel)
    if softness >= 0.3:
        alpha = cv2.GaussianBlur(alpha, (0, 0), softness / 2, borderType=_BORDER)
    around = soft(picture, max(softness, reach, 1.0), crew)
    out = np.empty_like(picture)

    def work(_: int, y0: int) -> None:
        rows = slice(y0, y0 + _BAND)
        _with_alpha(picture[rows], around[rows], alpha[rows], out[rows])

    crew.share(work, range(0, picture.shape[0], _BAND))
    return out


@njit(**KERNEL)
def _with_alpha(picture, around, alpha, out):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            own, new = np.float32(picture[y, x, 3]), np.float32(alpha[y, x])
            wide = max(np.float32(around[y, x, 3]), np.float32(1))
            share = own * np.float32(1 / 65535)
            for c in range(3):
                # Its own colour where it has one, what is round it beyond.
                mine = np.float32(picture[y, x, c]) / max(own, np.float32(1))
                theirs = min(np.float32(around[y, x, c]) / wide, np.float32(1))
                colour = mine * share + theirs * (np.float32(1) - share)
                out[y, x, c] = np.uint16(min(colour, np.float32(1)) * new + np.float32(0.5))
            out[y, x, 3] = alpha[y, x]


def _old_film(picture: np.ndarray, effect: OldFilm, place: Place, crew: Crew) -> np.ndarray:
    chance = np.random.RandomState((effect.seed * 7919 + place.frame * 104729) % 2**32)
    found = picture
    if effect.weave:
        # Slowly one way and the other, and a little by chance: as a worn gate lets it.
        slow = np.sin(place.frame * np.array([0.23, 0.31]) + effect.seed)
        way = (0.6 * slow + 0.4 * chance.uniform(-1, 1, 2)) * effect.weave * place.scale / 2
        found = _shifted(found, way, crew)
    light = 1 + effect.flicker * 0.5 * float(chance.uniform(-1, 1))
    marks = _marks_of(effect, place, chance, picture.shape[:2])
    out = np.empty_like(picture)

    def work(_: int, y0: int) -> None:
        rows = slice(y0, y0 + _BAND)
        _aged(found[rows], np.float32(light), marks[rows], out[rows])

    crew.share(work, range(0, picture.shape[0], _BAND))
    return out


def _marks_of(
    effect: OldFilm, place: Place, chance: np.random.RandomState, shape: tuple[int, int]
) -> np.ndarray:
    """Return dust and scratches (height, width) uint8: 128 is none, above is light, below dark."""
    marks = np.full(shape, 128, np.uint8)
    left, top = place.middle[0] - place.size[0] / 2, place.middle[1] - place.size[1] / 2
    for _ in range(chance.poisson(40 * effect.dust)):
        at = left + chance.uniform() * place.size[0], top + chance.uniform() * place.size[1]
        radius = place.scale * float(chance.exponential(1.6) + 0.6)
        tone = 128 + int(chance.choice([-1, -1, 1]) * chance.uniform(50, 120))
        turns = chance.uniform(0, 2 * np.pi) + np.linspace(0, chance.uniform(1, 5), 6)
        bent = np.cumsum(np.column_stack([np.cos(turns), np.sin(turns)]), axis=0) * radius
        points = ((np.array(at) + bent) * 16).astype(np.int32)
        wide = max(1, round(radius * chance.uniform(0.3, 1)))
        cv2.polylines(marks, [points], False, tone, wide, cv2.LINE_AA, shift=4)
    # Scratches stay for some frames, and wander a little.
    for n in range(round(8 * effect.scratches)):
        spell = np.random.RandomState((effect.seed * 31 + n * 977 + place.frame // 14) % 2**32)
        if spell.uniform() > 0.6:
            continue
        x = left + (spell.uniform() + 0.002 * np.sin(place.frame * 0.7 + n)) * place.size[0]
        tone = 128 + int(spell.choice([-1, 1, 1]) * spell.uniform(25, 70))
        ends = np.array([[x, top], [x + spell.uniform(-3, 3), top + place.size[1]]]) * 16
        wide = max(1, round(place.scale * spell.uniform(0.5, 1.6)))
        cv2.polylines(marks, [ends.astype(np.int32)], False, tone, wide, cv2.LINE_AA, shift=4)
    return marks


@njit(**KERNEL)
def _aged(picture, light, marks, out):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            mark = (np.float32(marks[y, x]) - np.float32(128)) * np.float32(1 / 128)
            alpha = np.float32(picture[y, x, 3])
            for c in range(3):
                value = np.float32(picture[y, x, c]) * light
                if mark > 0:
                    value += (alpha - value) * mark
                else:
                    value *= np.float32(1) + mark
                value = min(max(value, np.float32(0)), alpha)
                out[y, x, c] = np.uint16(value + np.float32(0.5))
            out[y, x, 3] = picture[y, x, 3]


_DOES: dict[type[Effect], Callable[..., np.ndarray]] = {
    Blur: _blur,
    Sharpen: _sharpen,
    SoftLights: _soft_lights,
    CoarsePixels: _pixels,
    ColourSplit: _split,
    InkLines: _ink,
    Edge: _edge,
    OldFilm: _old_film,
}
