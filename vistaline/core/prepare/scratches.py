"""Long scratches told by their line: thin, on and on lighter or darker than both sides.

Pieces of lines are sought in the ridges of a picture (probabilistic Hough transform; Matas,
Galambos and Kittler, Robust detection of lines using the progressive probabilistic Hough
transform, 2000). What is seen along each and beside it then says whether it is a scratch: window
bars, wires and seams are lines as well, but fade and break, or part two different grounds.
"""

from __future__ import annotations

import cv2
import numpy as np
from skimage.morphology import skeletonize

from vistaline.core.arrays import FloatArray

__all__ = ["long_scratches"]

_RIDGE, _FAINTEST = 1.5, 0.02
"""How far a ridge stands out: over what is usual around it, and at least (codes of 0..1)."""
_SHORTEST, _GAP = 35, 12
"""Pixels of a piece, and of what may be missing in it."""
_VOTES = 25
_LEAST = 10
"""Pixels and votes that a piece has at least, in however small a copy."""
_ASIDE = 12
"""Pixels to either side that are looked at."""
_BEYOND = 25
_SEEN = 0.015
"""By how much a line stands out where it is seen."""
_WEIGHTS = np.array([-13.31, 1.106, 5.378, 0.1, 0.7, -0.228, 1.736, 0.591, 0.529])
"""Of 1, the logarithm of a piece's length, the share of it that stands out, the logarithm of by
how much, that over what both sides differ by, its fainter fifth, how far it goes on beyond an end,
how light it is (dark ones: the darker, the more), and whether it is light. By logistic regression
on 25,000 pieces of nine photographs with and without drawn damage; see docs/performance.md."""
_SURE, _LIKELY = 1.5, 0.25
"""Odds that a piece must have to be taken, and if it goes on from one that is."""
_DARK = 4.0
"""By how much the odds of a dark one must be better: more is thin and dark than thin and light."""
_ALONE, _FEW = 0.6, 2
"""What odds are multiplied by for each line that runs beside, beyond so many."""
_ALIKE, _APART, _NEAR = 0.985, 6.0, 80.0
"""The cosine of ten degrees; pixels that one line may be off itself; and how far beside counts."""
_CORRIDOR, _FOLLOWED, _WITHIN, _SAMPLES = 7, 60.0, 0.7, 40
_WIDTH, _EXTENDED = 3, 25.0
"""Pixels: how wide lines are drawn, and how far beyond their ends."""
_MOST_PIECES = 3000


def long_scratches(
    picture: FloatArray,
    hat: FloatArray,
    ordinary: FloatArray,
    sign: int,
    *,
    strictness: float = 1,
    scale: float = 1,
) -> np.ndarray:
    """Return bool (height, width): where long scratches run, a pixel to either side.

    Parameters
    ----------
    picture : float32 (height, width, 3)
        sRGB-encoded, 0..1.
    hat, ordinary : float32 (height, width)
        How far thin things stand out, and how far is usual around them.
    sign : 1 or -1
        Light scratches, or dark ones.
    strictness : above 0
        By which the odds that a piece is one must be better, or may be worse.
    scale : 0 to 1
        How small a copy this is of the picture that is meant: its scratches are shorter, fainter.
    """
    pieces = _pieces(hat > np.maximum(_RIDGE * ordinary, _FAINTEST * scale), scale)
    if not len(pieces):
        return np.zeros(hat.shape, bool)
    signed = picture * np.float32(sign)
    told = np.array([[1.0, *_told(signed, piece, scale), float(sign)] for piece in pieces])
    odds = np.exp(told @ _WEIGHTS) / strictness / (1 if sign > 0 else _DARK)
    odds *= _ALONE ** (_beside(pieces / scale) - _FEW).clip(0)
    taken = odds > _SURE
    # What goes on from one that is taken may be less sure of itself.
    likely, before = odds > _LIKELY, 0
    while taken.sum() > before:
        before = int(taken.sum())
        along = _drawn(pieces[taken], hat.shape, _CORRIDOR, _FOLLOWED * scale)
        for n in np.flatnonzero(likely & ~taken):
            x, y = np.linspace(pieces[n, :2], pieces[n, 2:], _SAMPLES).astype(int).T
            taken[n] = along[y, x].mean() > _WITHIN
    return _drawn(pieces[taken], hat.shape, _WIDTH, _EXTENDED)


def _beside(pieces: np.ndarray) -> np.ndarray:
    """Return how many others run beside each piece the same way: reeds, waves, rows of windows."""
    a, b = pieces[:, :2], pieces[:, 2:]
    way = (b - a) / np.linalg.norm(b - a, axis=1, keepdims=True)
    middle = (a + b) / 2
    count = np.zeros(len(pieces))
    for n, along in enumerate(way):
        apart = middle - middle[n]
        across = np.abs(apart @ [-along[1], along[0]])
        alike = np.abs(way @ along) > _ALIKE
        near = (across > _APART) & (across < _NEAR) & (np.abs(apart @ along) < _NEAR)
        # Pieces of one line count once.
        count[n] = len(np.unique((across[alike & near] // _APART).astype(int)))
    return count


def _drawn(pieces: np.ndarray, shape: tuple[int, ...], width: int, beyond: float) -> np.ndarray:
    """Return bool: lines so wide, that go on so many pixels beyond their ends."""
    found = np.zeros(shape, np.uint8)
    for a, b in pieces.reshape(-1, 2, 2):
        on = (b - a) / np.linalg.norm(b - a) * beyond
        (x0, y0), (x1, y1) = np.rint([a - on, b + on]).astype(int).tolist()
        cv2.line(found, (x0, y0), (x1, y1), 1, width)
    return found > 0


def _pieces(ridge: np.ndarray, scale: float = 1) -> np.ndarray:
    """Return x, y of both ends (N, 4) of pieces of lines among ridges (bool)."""
    cv2.setRNGSeed(1)
    thin = skeletonize(ridge).astype(np.uint8) * 255
    found = cv2.HoughLinesP(
        thin,
        1,
        np.pi / 360,
        max(_LEAST, round(_VOTES * scale)),
        minLineLength=max(_LEAST, _SHORTEST * scale),
        maxLineGap=_GAP * scale,
    )
    return np.zeros((0, 4)) if found is None else found.reshape(-1, 4)[:_MOST_PIECES].astype(float)


def _told(picture: FloatArray, piece: np.ndarray, scale: float = 1) -> list[float]:
    """Return what is seen along a piece of a line, and beside it: see ``_WEIGHTS``."""
    a, b = piece[:2], piece[2:]
    length = float(np.linalg.norm(b - a))
    along = (b - a) / length
    aside = np.array([-along[1], along[0]])
    steps = np.arange(-_BEYOND, int(length) + _BEYOND + 1)
    at = a + steps[:, None, None] * along + np.arange(-_ASIDE, _ASIDE + 1)[:, None] * aside
    seen = cv2.remap(
        picture, at[..., 0].astype(np.float32), at[..., 1].astype(np.float32), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    # A scratch is never quite straight: it is followed by two pixels to either side.
    inner = seen[:, _ASIDE - 2 : _ASIDE + 3].mean(axis=2)
    where = cv2.blur(inner.argmax(axis=1).astype(np.float32)[:, None], (1, 9)).ravel()
    place, row = _ASIDE - 2 + np.rint(where).astype(int), np.arange(len(steps))
    line = seen[row, place]
    left, right = (
        (seen[row, place + side * 4] + seen[row, place + side * 5]) / 2 for side in (-1, 1)
    )
    stands = (line - np.maximum(left, right)).min(axis=1)
    own, ends = stands[_BEYOND:-_BEYOND], (stands[:_BEYOND], stands[-_BEYOND:])
    sides = np.abs(left - right).mean(axis=1)[_BEYOND:-_BEYOND]
    middle, differ = float(np.median(own)), float(np.median(sides))
    return [
        np.log(length / scale),
        float((own > _SEEN * scale).mean()),
        float(np.log(max(middle / scale, 1e-3))),
        float(np.clip(middle / (differ + 0.02), -5, 20)),
        float(np.log(max(np.quantile(own, 0.2) / scale, 1e-3))),
        max(float((end > _SEEN * scale).mean()) for end in ends),
        float(np.median(line[_BEYOND:-_BEYOND])),
    ]
