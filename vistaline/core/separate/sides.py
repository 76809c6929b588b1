"""Which side of a picture is meant: by strokes over the subject and beside it, or by a box."""

from __future__ import annotations

import cv2
import numpy as np
from scipy.ndimage import convolve1d

from vistaline.core.arrays import FloatArray
from vistaline.core.separate.boxed import told_by_box
from vistaline.core.separate.dividing import divided
from vistaline.core.separate.geodesic import NEVER, ways_from

__all__ = [
    "drawn_anew",
    "likelier_colours",
    "mended_by_strokes",
    "softened_lab",
    "told_by_strokes",
    "told_with_box",
]

_ROUNDS = 4
_ROUNDS_OF_A_BOX = 8
_BINS = 12
"""Of each of three axes, in which colours are counted."""
_COUNTED = 3
"""How often what a stroke says counts over what is only thought."""
_RARE = 1e-5
_FAR = 6.0
"""The most that a colour says: the logarithm of how much likelier it is on one side."""
_WAY = 5.0
"""What the ways from the strokes say, at most, over what colours say."""
_SURE = 50.0
_EDGE, _LENGTH = 12.0, 0.3
"""What it costs to part two pixels alike, and any two."""
_NEAR_BORDER = 0.5
"""Of the border, what is nearer by its way than this share of the usual speaks later."""
_CORE = 0.1
_LEAST = 0.1
"""Of a box, what a subject fills at least."""


def softened_lab(picture: np.ndarray) -> FloatArray:
    """Return CIE Lab / 100, float32, of uint8 (height, width, 3) without its finest texture."""
    smooth = cv2.bilateralFilter(picture, 5, 30, 3)
    return cv2.cvtColor(smooth.astype(np.float32) / 255, cv2.COLOR_RGB2LAB) / 100


def told_by_strokes(lab: FloatArray, this: np.ndarray, not_this: np.ndarray) -> np.ndarray:
    """Return bool (height, width): the subject that strokes point at.

    Parameters
    ----------
    lab : float32 (height, width, 3)
        See :func:`softened_lab`.
    this, not_this : bool (height, width)
        Strokes over the subject and beside it; they share no pixel.

    Notes
    -----
    How much shorter a pixel's way is to one side's strokes than to the other's is a first guess
    (Bai and Sapiro, A geodesic framework for fast interactive image and video segmentation, 2007),
    and goes on to be heard while what both sides' colours are like is learnt from it and the line
    between them is drawn anew. The picture's border speaks for the other side, and the later the
    more easily it is reached from the subject, compared with most of it: a subject may leave the
    picture.
    """
    nearer = _nearer_than_border(lab, this, not_this)
    return drawn_anew(lab, nearer > 0.5, nearer, this, not_this, rounds=_ROUNDS)


def told_with_box(
    picture: np.ndarray,
    lab: FloatArray,
    inside: np.ndarray,
    this: np.ndarray,
    not_this: np.ndarray,
) -> np.ndarray:
    """Return bool (height, width): the subject in a box, and perhaps under strokes.

    Parameters as those of :func:`told_by_strokes` and :func:`~.boxed.told_by_box`.

    Notes
    -----
    GrabCut tells it well, or not at all: then the depth in the box, by ways, takes its place.
    Strokes then mend it.
    """
    beyond, said = ~inside, this.any() or not_this.any()
    found = told_by_box(picture, inside, this, not_this) & inside
    if found.sum() < _LEAST * inside.sum():
        ways = ways_from(lab, beyond)
        deep = _nearer(np.full_like(ways, np.median(ways[inside])), ways)
        found = drawn_anew(
            lab, inside & ~not_this, deep, this, not_this | beyond, rounds=_ROUNDS_OF_A_BOX
        )
    if not said:
        return found
    beside = not_this | beyond
    nearer = _nearer(ways_from(lab, this | _core(found, not_this)), ways_from(lab, beside))
    return drawn_anew(lab, found, nearer, this, beside, rounds=_ROUNDS)


def mended_by_strokes(
    lab: FloatArray, found: np.ndarray, this: np.ndarray, not_this: np.ndarray
) -> np.ndarray:
    """Return a subject that was found without strokes, as they say it should be.

    They are heard as by :func:`told_by_strokes`; what was found, but for its rim, is one of them.
    """
    nearer = _nearer_than_border(lab, this | _core(found, not_this), not_this)
    return drawn_anew(lab, found, nearer, this, not_this, rounds=_ROUNDS)


def _nearer_than_border(lab: FloatArray, own: np.ndarray, other: np.ndarray) -> FloatArray:
    """Return what speaks for a side by the ways to it, the border being the other's, if late."""
    ways = ways_from(lab, own)
    border = np.zeros(own.shape, bool)
    border[[0, -1]] = border[:, [0, -1]] = True
    late = np.maximum(_NEAR_BORDER * np.median(ways[border]) - ways, 0)
    late = np.where(border & ~own, late, np.float32(NEVER))
    return _nearer(ways, ways_from(lab, other, late))


def _core(found: np.ndarray, not_this: np.ndarray) -> np.ndarray:
    """Return what was found but for its rim, and for what strokes say it is not."""
    depth = cv2.distanceTransform(found.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5)
    return (depth > _CORE * depth.max()) & ~not_this


def _nearer(own: FloatArray, other: FloatArray) -> FloatArray:
    """Return 0 to 1: how much shorter the way to one side is than that to the other."""
    return other / np.maximum(own + other, np.float32(1e-6))


def drawn_anew(
    lab: FloatArray,
    found: np.ndarray,
    nearer: FloatArray,
    this: np.ndarray,
    not_this: np.ndarray,
    *,
    rounds: int,
) -> np.ndarray:
    """Return a side with its line drawn by the colours that both sides have, ``rounds`` times over.

    ``found`` is where that begins, ``nearer`` (0 to 1) what speaks for a pixel besides.
    """
    across, down = _costs_of_parting(lab)
    bins = _binned(lab)
    found = (found | this) & ~not_this
    for _ in range(rounds):
        likelier = _likelier(
            bins, found + (_COUNTED - 1) * this, ~found + (_COUNTED - 1) * not_this
        )
        speaks = (likelier[bins] + _WAY * (nearer - 0.5)).astype(np.float32)
        speaks[this], speaks[not_this] = _SURE, -_SURE
        before, found = found, divided(speaks, across, down)
        if (found != before).mean() < 1e-3:
            break
    return found


def likelier_colours(lab: FloatArray, own: np.ndarray, other: np.ndarray) -> FloatArray:
    """Return the logarithm of how much likelier each pixel's colour is in one part than in another.

    ``own``, ``other``: bool (height, width). At most 6 either way.
    """
    bins = _binned(lab)
    return _likelier(bins, own, other)[bins]


def _likelier(bins: np.ndarray, own: np.ndarray, other: np.ndarray) -> FloatArray:
    """Return the same of each bin, by what pixels count on either side."""
    counts = [_counted(bins, each) + _RARE for each in (own, other)]
    return np.clip(np.log(counts[0] / counts[1]), -_FAR, _FAR)


def _costs_of_parting(lab: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return what it costs to part a pixel from the one to its right, and from that below."""
    right, below = (np.zeros(lab.shape[:2], np.float32) for _ in range(2))
    right[:, :-1] = np.square(lab[:, 1:] - lab[:, :-1]).sum(axis=-1)
    below[:-1] = np.square(lab[1:] - lab[:-1]).sum(axis=-1)
    usual = max(float(right.mean() + below.mean()), 1e-7)
    costs = [_EDGE * np.exp(-each / usual) + np.float32(_LENGTH) for each in (right, below)]
    return costs[0].astype(np.float32), costs[1].astype(np.float32)


def _binned(lab: FloatArray) -> np.ndarray:
    """Return the number of the bin of each pixel's colour."""
    least = lab.min(axis=(0, 1))
    wide = np.maximum(lab.max(axis=(0, 1)) - least, 1e-3)
    n = np.clip((lab - least) / wide * _BINS, 0, _BINS - 1).astype(np.intp)
    return (n[..., 0] * _BINS + n[..., 1]) * _BINS + n[..., 2]


def _counted(bins: np.ndarray, weights: np.ndarray) -> np.ndarray:
    """Return the share of each bin, softened to its neighbours, as a flat array."""
    counts = np.bincount(bins.ravel(), weights=weights.ravel(), minlength=_BINS**3)
    cube = counts.reshape(_BINS, _BINS, _BINS)
    for axis in range(3):
        cube = convolve1d(cube, (0.25, 0.5, 0.25), axis=axis, mode="constant")
    return np.asarray(cube.ravel() / max(cube.sum(), 1e-6))
