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

__all__ = ["lines_seen", "long_scratches"]

_RIDGES, _FAINTEST = (1.5, 2.5), 0.02
"""How far a ridge stands out: over what is usual around it, and at least (codes of 0..1).

Faint scratches are seen among low ones, clear scratches that cross texture among high ones only.
"""
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
_WEIGHTS = np.array([-0.4, 0.58, 0.035, 1.678, -0.893, -0.72, 0.811, -0.276, -0.435, 0.484])
"""Of 1 and of what :func:`lines_seen` tells: ``python -m bench.learning`` works them out."""
_SURE, _LIKELY = 2.0, 0.4
"""Odds that a piece must have to be taken, and if it goes on from one that is."""
_THICKLY, _BESIDE = 1, 7
"""Which of what is seen."""
_THINNEST = 0.065
"""How thickly a scratch covers at least."""
_DARK = 4.0
"""By how much the odds of a dark one must be better: stems, wires and masts are seldom light."""
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
    pieces, seen = lines_seen(picture, hat, ordinary, sign, scale=scale)
    if not len(pieces):
        return np.zeros(hat.shape, bool)
    odds = np.exp(seen @ _WEIGHTS[1:] + _WEIGHTS[0]) / strictness
    odds *= _ALONE ** (seen[:, _BESIDE] - _FEW).clip(0) / (1 if sign > 0 else _DARK)
    odds[seen[:, _THICKLY] < np.log(_THINNEST)] = 0
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


def lines_seen(
    picture: FloatArray, hat: FloatArray, ordinary: FloatArray, sign: int, *, scale: float = 1
) -> tuple[np.ndarray, np.ndarray]:
    """Return pieces of lines, and what is seen along and beside each.

    Parameters
    ----------
    picture, hat, ordinary, sign, scale
        As for :func:`long_scratches`.

    Returns
    -------
    pieces : float64 (N, 4)
        x and y of both ends, in pixels.
    seen : float64 (N, 9)
        The logarithm of a piece's length, and of how thickly it covers (by how much it stands
        out, over by how much it could); how far it goes on beyond an end (0..1); by how much
        what runs beside it stands out, over itself (logarithm); how wide it is (pixels); how
        much its ground changes (logarithm); how far it is from being one colour laid over that
        ground as thickly everywhere, over by how much it stands out (logarithm); how many others
        run beside it; and whether it is light (1) or dark (-1).
    """
    signed, light = picture * np.float32(sign), float(sign)
    every, seen = [], []
    for ridge in _RIDGES:
        pieces = _pieces(hat > np.maximum(ridge * ordinary, _FAINTEST * scale), scale)
        many = _beside(pieces / scale)
        every.append(pieces)
        seen += [
            [*_seen(signed, piece, max(light, 0.0), scale), beside, light]
            for piece, beside in zip(pieces, many, strict=True)
        ]
    return np.vstack(every), np.array(seen).reshape(-1, len(_WEIGHTS) - 1)


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


def _seen(picture: FloatArray, piece: np.ndarray, white: float, scale: float) -> list[float]:
    """Return what is seen along a piece of a line and beside it: see :func:`lines_seen`.

    The picture's white is given: dark lines are told in its negative.
    """
    strip = _straightened(picture, piece)
    # A scratch is never quite straight: it is followed by two pixels to either side.
    inner = strip[:, _ASIDE - 2 : _ASIDE + 3].mean(axis=2)
    where = cv2.blur(inner.argmax(axis=1).astype(np.float32)[:, None], (1, 9)).ravel()
    place, row = _ASIDE - 2 + np.rint(where).astype(int), np.arange(len(strip))
    line = strip[row, place]
    left, right = (
        (strip[row, place + side * 4] + strip[row, place + side * 5]) / 2 for side in (-1, 1)
    )
    stands = (line - np.maximum(left, right)).min(axis=1)
    ends, within = (stands[:_BEYOND], stands[-_BEYOND:]), slice(_BEYOND, -_BEYOND)
    own, strip, place = stands[within], strip[within].mean(axis=2), place[within]
    line, left, right = line[within], left[within], right[within]
    middle, ground = float(np.median(own)), (left + right) / 2
    return [
        float(np.log(np.linalg.norm(piece[2:] - piece[:2]) / scale)),
        _log(middle / scale / max(white - float(np.median(ground)), 0.05)),
        max(float((end > _SEEN * scale).mean()) for end in ends),
        _log(_others(strip)),
        _wide(strip, place, np.minimum(left, right).mean(axis=1)) / scale,
        _log(ground.std()),
        _log(_uneven(line[own > 0], ground[own > 0]) / max(middle, 0.005)),
    ]


def _log(value: float) -> float:
    return float(np.log(max(value, 1e-3)))


def _straightened(picture: FloatArray, piece: np.ndarray) -> FloatArray:
    """Return (steps along, across, 3): the picture along a piece, and on beyond both its ends."""
    length = float(np.linalg.norm(piece[2:] - piece[:2]))
    along = (piece[2:] - piece[:2]) / length
    aside = np.array([-along[1], along[0]])
    steps = np.arange(-_BEYOND, int(length) + _BEYOND + 1)
    at = piece[:2] + steps[:, None, None] * along
    at = (at + np.arange(-_ASIDE, _ASIDE + 1)[:, None] * aside).astype(np.float32)
    return cv2.remap(
        picture, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )


def _others(strip: FloatArray) -> float:
    """Return by how much what runs beside a line stands out of an even slope, over the line."""
    profile = strip.mean(axis=0)
    far = _ASIDE // 2 + 1
    across = np.arange(2 * _ASIDE + 1)
    profile = profile - np.interp(
        across,
        [far // 2, 2 * _ASIDE - far // 2],
        [profile[:far].mean(), profile[-far:].mean()],
    )
    beside = np.abs(across - _ASIDE) > 4
    return float(np.abs(profile[beside]).max() / max(profile[_ASIDE - 2 : _ASIDE + 3].max(), 1e-3))


def _wide(strip: FloatArray, place: np.ndarray, ground: FloatArray) -> float:
    """Return how many pixels across a line are over half as clear as itself, on average."""
    across = place[:, None] + np.arange(-4, 5)
    over = np.take_along_axis(strip, np.clip(across, 0, 2 * _ASIDE), axis=1) - ground[:, None]
    peak = np.maximum(over[:, 3:6].max(axis=1, keepdims=True), 1e-3)
    return float((over > peak / 2).sum(axis=1).mean())


def _uneven(line: FloatArray, ground: FloatArray) -> float:
    """Return how far a line is from one colour laid over its ground as thickly everywhere.

    Then it is a share of the ground plus a constant: what that leaves, root mean square.
    """
    if not len(line):
        return 0.0
    ground, line = ground - ground.mean(), line - line.mean()
    share = (ground * line).mean() / ((ground**2).mean() + 1e-4)
    return float(np.sqrt(((line - share * ground) ** 2).mean()))
