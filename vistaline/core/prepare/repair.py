"""Scratches and dust: finding them, and repairing what was found.

Both are thin and differ from all that is round them, so a top-hat shows them: the picture less
its opening (and its closing less the picture, for dark ones). Texture shows too; what is set
apart is how far a place stands above the mean around it. Found on its own, only what makes a
long line counts, because specks and grain look the same; under a brush, everything that stands
out does. Thresholds are measured (common practice has no source for them).
"""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.prepare.scratches import lines_seen, long_scratches

__all__ = ["find_damage", "lines_of", "repaired"]

_WORK_PIXELS = 2_000_000
_HAT = 9
_LOCAL = 20.0
_SOFT_EDGE = 0.2
"""How much of a scratch's own height its edge has at least."""
_CLEAR = 4.2
"""How many times what is usual around it something under the brush must stand out."""


def find_damage(
    picture: np.ndarray,
    *,
    sensitivity: float = 0.5,
    brush: np.ndarray | None = None,
    protect: np.ndarray | None = None,
    scale: float = 1.0,
) -> np.ndarray:
    """Return bool (height, width): what looks like a scratch, a hair or dust.

    Parameters
    ----------
    picture : float32 (height, width, 3)
        sRGB-encoded, 0..1.
    sensitivity : 0..1
        How little must stand out; at 0.5 the automatic search leaves sound pictures alone.
    brush : bool (height, width), optional
        Where a person says there is damage; without it the whole picture is searched for lines.
    protect : bool (height, width), optional
        What is never touched.
    scale : 0 to 1
        How small a copy this is of the picture that is meant.
    """
    height, width = picture.shape[:2]
    shrunk_by = min(1.0, (_WORK_PIXELS / (height * width)) ** 0.5)
    size = (max(1, round(width * shrunk_by)), max(1, round(height * shrunk_by)))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if shrunk_by < 1 else picture
    channels = _hats(small)
    strictness = 4.0 ** (1 - 2 * sensitivity)
    if brush is None:
        found = _by_itself(small, channels, strictness, scale)
    else:
        shrunk = cv2.resize(brush.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        area = cv2.dilate((shrunk > 0.25).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        found = _under_brush(_least(channels), area, strictness)
    damage = found.astype(np.uint8)
    if shrunk_by < 1:
        damage = cv2.resize(damage, (width, height), interpolation=cv2.INTER_NEAREST)
        reach = 2 * round(1 / shrunk_by) + 1
        damage = cv2.dilate(damage, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach)))
    damage = damage > 0
    if brush is not None:
        damage &= brush
    return damage & ~protect if protect is not None else damage


def lines_of(picture: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
    """Return light pieces of lines and dark ones, and what is seen of them.

    A picture is float32 (height, width, 3), sRGB-encoded, 0..1; for what is returned see
    :func:`vistaline.core.prepare.scratches.lines_seen`.
    """
    hats = zip(_least(_hats(picture)), (1, -1), strict=True)
    return [
        lines_seen(picture, hat, _ordinary(hat, np.ones(hat.shape, bool)), sign)
        for hat, sign in hats
    ]


def _by_itself(
    picture: np.ndarray, channels: tuple[np.ndarray, np.ndarray], strictness: float, scale: float
) -> np.ndarray:
    found = np.zeros(picture.shape[:2], bool)
    any_channel = np.maximum(*channels).max(axis=2)
    for hat, sign in zip(_least(channels), (1, -1), strict=True):
        ordinary = _ordinary(hat, np.ones(hat.shape, bool))
        clear = hat > 1.2 * ordinary
        lines = long_scratches(picture, hat, ordinary, sign, strictness=strictness, scale=scale)
        core = _grown(lines & clear, clear, 1)
        # A repair that starts from a scratch's soft edge, or from what compression left beside it,
        # would go on with it.
        peak = cv2.dilate(np.where(core, hat, 0).astype(np.float32), np.ones((5, 5), np.uint8))
        found |= _grown(core, any_channel >= _SOFT_EDGE * peak, 1)
    return found


def _under_brush(
    hats: tuple[np.ndarray, np.ndarray], area: np.ndarray, strictness: float
) -> np.ndarray:
    above = [hat / _ordinary(hat, ~area) for hat in hats]
    count, strokes = cv2.connectedComponents(area.astype(np.uint8))
    clear = [
        np.bincount(strokes.ravel(), np.maximum(each - _CLEAR, 0).ravel(), count) for each in above
    ]
    found = np.zeros(area.shape, bool)
    for each, own, other in zip(above, clear, reversed(clear), strict=True):
        # Damage under one stroke is light or dark, seldom both: the other is texture.
        likely = area & (1.5 * own >= other)[strokes]
        core = likely & (each > _CLEAR * strictness)
        found |= _grown(core, likely & (each > strictness), 1)
    return found


def repaired(picture: np.ndarray, damage: np.ndarray) -> np.ndarray:
    """Return the picture with the damage filled from around it, smooth in slope (biharmonic).

    Source: Damelin and Hoang, On Surface Completion and Image Inpainting by Biharmonic
    Functions, 2018 (scikit-image).
    """
    if not damage.any() or damage.all():
        return picture
    from skimage.restoration import inpaint_biharmonic  # half a second, and only needed here

    out = picture.copy()
    for box, part in _pieces(damage):
        filled = inpaint_biharmonic(
            picture[box].astype(np.float64), part, channel_axis=-1, split_into_regions=True
        )
        out[box][part] = np.clip(filled[part], 0, 1)
    return out


def _ordinary(hat: np.ndarray, sound: np.ndarray) -> np.ndarray:
    """Return how much things stand out around each place, told by its sound neighbours."""
    weight = sound.astype(np.float32)
    mean = cv2.GaussianBlur(hat * weight, (0, 0), _LOCAL)
    return mean / np.maximum(cv2.GaussianBlur(weight, (0, 0), _LOCAL), 1e-3) + np.float32(0.008)


def _hats(picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return how far thin light things and thin dark things stand out, channel by channel."""
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_HAT, _HAT))
    light = cv2.morphologyEx(picture, cv2.MORPH_TOPHAT, kernel)
    return light, cv2.morphologyEx(picture, cv2.MORPH_BLACKHAT, kernel)


def _least(channels: tuple[np.ndarray, np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Return the same of the least channel: damage is in all, most of what is seen is not."""
    return channels[0].min(axis=2), channels[1].min(axis=2)


def _grown(core: np.ndarray, into: np.ndarray, reach: int) -> np.ndarray:
    """Return a core and the parts of ``into`` no farther than ``reach`` pixels from it."""
    side = 2 * reach + 1
    near = cv2.dilate(core.astype(np.uint8), np.ones((side, side), np.uint8)) > 0
    return core | (near & into)


def _pieces(damage: np.ndarray) -> list[tuple[tuple[slice, slice], np.ndarray]]:
    """Return boxes round connected damage with a margin, and the damage in each."""
    margin = 6
    near = cv2.dilate(damage.astype(np.uint8), np.ones((margin, margin), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(near)
    pieces = []
    for n in range(1, count):
        x, y, width, height = (int(stats[n, k]) for k in range(4))
        box = (
            slice(max(0, y - margin), y + height + margin),
            slice(max(0, x - margin), x + width + margin),
        )
        pieces.append((box, damage[box] & (labels[box] == n)))
    return pieces
