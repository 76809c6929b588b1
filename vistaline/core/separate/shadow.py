"""The soft shadow that a subject throws on the ground beside it: a hole grows by it if asked."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.picture.colour import linearise_srgb

__all__ = ["soft_shadow"]

_PIXELS = 60_000
_DARK = 0.004
"""Light that is added to all, so that black has a logarithm."""
_SOFTENED = (0.02, 0.04, 0.08)
"""Shares of the subject's size over which texture is softened, tried in turn."""
_CALM, _TOLD = 0.05, 0.1
"""How far a calm ground strays from a smooth one (logarithms of light), and how far any may."""
_ROUNDS = 15
_FAR = 0.8
"""Shares of the subject's size within which its shadow ends."""
_LEAST_DARKER, _MOST_DARKER = 0.04, 1.8
_OWN_COLOUR = (0.05, 0.3)
"""How far a channel may stray from the others, and with what share of the shadow besides."""
_SHARP = 10.0
"""Logarithms of light over the subject's size: what ends steeper is no soft shadow."""
_SMALLEST = 0.01


def soft_shadow(picture: np.ndarray, hole: np.ndarray) -> np.ndarray:
    """Return bool (height, width): the soft shadow that begins at a hole, without the hole.

    Parameters
    ----------
    picture : uint8 (height, width, 3)
    hole : bool (height, width)

    Notes
    -----
    A smooth ground, each channel's logarithm of light a quadratic, is laid under all that is
    beside the hole; what is darker hardly bends it (iterated weights, Tukey's biweight). A shadow
    is darker than that in all channels alike, darkest at the hole, and has no edge. Where the
    ground is of several things, nothing fits, and nothing is found.
    """
    found = np.zeros(hole.shape, bool)
    rows, columns = np.flatnonzero(hole.any(axis=1)), np.flatnonzero(hole.any(axis=0))
    if not len(rows) or hole.all():
        return found
    side = min(max(rows[-1] - rows[0], columns[-1] - columns[0]) + 1, *hole.shape)
    part = tuple(
        slice(max(0, int(ends[0]) - side), int(ends[-1]) + 1 + side) for ends in (rows, columns)
    )
    height, width = hole[part].shape
    scale = min(1.0, (_PIXELS / (height * width)) ** 0.5)
    size = (max(8, round(width * scale)), max(8, round(height * scale)))
    small = cv2.resize(picture[part], size, interpolation=cv2.INTER_AREA)
    cut = cv2.resize(hole[part].astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA) > 0
    light = linearise_srgb(small / np.float32(255)).astype(np.float32)
    dark = _shadow_in(light, cut, side * scale).astype(np.uint8) * 255
    full = cv2.resize(dark, (width, height), interpolation=cv2.INTER_LINEAR) > 127
    found[part] = full & ~hole[part]
    return found


def _shadow_in(light: FloatArray, hole: np.ndarray, side: float) -> np.ndarray:
    away = cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5)
    nothing = np.zeros_like(hole)
    if hole.all():
        return nothing
    beyond = min(0.5 * side, 0.6 * float(away.max()))
    strays = np.inf
    for share in _SOFTENED:
        seen = np.log(_softened(light + _DARK, hole, max(1.2, share * side)))
        ground, strays = _ground_under(seen, away, beyond)
        if strays < _CALM:
            break
    if strays >= _TOLD:
        return nothing
    channels = ground - seen
    darker = channels.mean(axis=-1)
    coloured = np.abs(channels - darker[..., None]).max(axis=-1)
    least = max(_LEAST_DARKER, 1.5 * strays)
    shadow = (darker > least) & (darker < _MOST_DARKER) & (away > 0) & (away < _FAR * side)
    shadow &= coloured < _OWN_COLOUR[0] + _OWN_COLOUR[1] * darker
    steep = np.hypot(*np.gradient(darker)) * side
    _, parts = cv2.connectedComponents(shadow.astype(np.uint8))
    found = nothing.copy()
    for n in np.unique(parts[(away <= 3) & shadow]):
        one = parts == n
        if one.sum() >= _SMALLEST * hole.sum() and _is_soft(one, hole, darker, away, steep, least):
            found |= one
    # Its faint rim, too, as far as it is darker at all.
    reach = max(2, round(0.04 * side))
    brush = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    wide = cv2.dilate(found.astype(np.uint8), brush) > 0
    # And up to the hole, whose edge is finer than this copy tells.
    return found | (wide & ((darker > 0.01) | hole))


def _is_soft(
    one: np.ndarray,
    hole: np.ndarray,
    darker: FloatArray,
    away: FloatArray,
    steep: FloatArray,
    least: float,
) -> bool:
    """Whether a part is darkest at the hole, clearly dark somewhere, and ends nowhere sharply."""
    near = one & (away <= 0.4 * away[one].max())
    rest = one & ~near
    rim = (cv2.dilate(one.astype(np.uint8), np.ones((3, 3))) > 0) & ~one & ~hole
    return bool(
        rest.any()
        and rim.any()
        and np.percentile(darker[one], 95) > 2 * least
        and darker[near].mean() > darker[rest].mean() + 0.02
        and (steep[rim] > _SHARP).mean() < 0.2
    )


def _softened(light: FloatArray, hole: np.ndarray, radius: float) -> FloatArray:
    """Return light blurred without what is in the hole."""
    known = (~hole).astype(np.float32)
    share = cv2.GaussianBlur(known, (0, 0), radius)
    blurred = cv2.GaussianBlur(light * known[..., None], (0, 0), radius)
    return np.maximum(blurred / np.maximum(share, 1e-3)[..., None], _DARK / 2)


def _ground_under(seen: FloatArray, away: FloatArray, beyond: float) -> tuple[FloatArray, float]:
    """Return a smooth ground (height, width, 3) and how far what is beside the hole strays from it.

    What lies farther from the hole than ``beyond`` counts more: shadows end before.
    """
    height, width = away.shape
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    shapes = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1)
    some = (slice(None, None, 3),) * 2
    known = np.where(away > beyond, 1.0, 0.3)[some].ravel() * (away[some].ravel() > 0)
    under, told = shapes[some].reshape(-1, 6), seen[some].reshape(-1, 3)
    weights, strays = known, 0.0
    for _ in range(_ROUNDS):
        root = np.sqrt(weights)[:, None]
        fit = np.linalg.lstsq(under * root, told * root, rcond=None)[0]
        off = (told - under @ fit).mean(axis=1)
        strays = max(1.4826 * float(np.median(np.abs(off[known > 0]))), 0.01)
        held = np.clip(1 - (off / (3 * strays)) ** 2, 0, None) ** 2
        weights = known * held * np.where(off < -strays, 0.3, 1)
    return (shapes @ fit).astype(np.float32), strays
