"""Finding a subject by strokes over it and beside it, or by a box round it."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator

import cv2
import numpy as np

from vistaline.core.errors import MaskError
from vistaline.core.kept import Kept
from vistaline.core.picture.strokes import shrunk
from vistaline.core.separate.sides import (
    mended_by_strokes,
    softened_lab,
    told_by_strokes,
    told_with_box,
)
from vistaline.core.separate.standing_out import what_stands_out

__all__ = ["guess_subject"]

_GUESS_PIXELS = 60_000
_FINE_PIXELS = 1_000_000
_FINE_REACH = 0.012
_STEEPER = np.clip((np.arange(256) - 127.5) * 2 + 127.5, 0, 255).astype(np.uint8)
_STANDING_OUT: Kept[tuple[np.ndarray, float]] = Kept("what stands out")


def guess_subject(
    picture: np.ndarray,
    this: np.ndarray,
    not_this: np.ndarray,
    *,
    box: tuple[float, float, float, float] | None = None,
    alone: bool = False,
) -> np.ndarray:
    """Return uint8 (height, width): the subject that strokes, and perhaps a box, point at.

    Parameters
    ----------
    picture : uint8 (height, width, 3)
    this, not_this : bool (height, width)
        Strokes over the subject and beside it; without a box most of the picture's border is
        taken to lie beside it, too.
    box : x, y, width, height in pixels, optional
        The subject lies wholly inside.
    alone : bool
        What stands out from the picture's border is the subject, as strokes mend it; a box is
        heard before it.

    Raises
    ------
    MaskError
        Nothing says what is meant.

    Notes
    -----
    What is meant is told on a copy of 60,000 pixels (``sides``). Only parts that a stroke touches
    are kept, for colour alone finds islands everywhere. Fine parts along the edge are then found
    at a megapixel. All this looks only at the strokes' surroundings, so that a small subject is
    seen large; if what is found reaches out of them, it looks farther.
    """
    if alone and box is None:
        return _guess_in(picture, this, not_this, None, alone=True)
    if not this.any() and box is None:
        raise MaskError("Nothing says what to cut out. Draw a stroke over it, or a box around it.")
    inside = _filled_box(box, this.shape) if box is not None else None
    if inside is not None and not inside.any():
        raise MaskError("The box lies beside the picture. Draw it round the subject.")
    full = np.zeros(this.shape, np.uint8)
    for part in _surroundings(this, not_this, inside):
        near = None if inside is None else inside[part]
        full[part] = _guess_in(picture[part], this[part], not_this[part], near)
        if not _reaches_out(full, part):
            break
    return full


def _filled_box(box: tuple[float, float, float, float], shape: tuple[int, ...]) -> np.ndarray:
    x, y, width, height = box
    inside = np.zeros(shape, bool)
    inside[
        max(0, int(y)) : max(0, int(np.ceil(y + height))),
        max(0, int(x)) : max(0, int(np.ceil(x + width))),
    ] = True
    return inside


def _surroundings(
    this: np.ndarray, not_this: np.ndarray, inside: np.ndarray | None
) -> Iterator[tuple[slice, slice]]:
    """Yield ever larger parts of the picture round what was said; at last the whole."""
    rows, columns = this.shape
    if inside is not None or not_this.any():
        said = this | not_this if inside is None else this | not_this | inside
        ys, xs = np.flatnonzero(said.any(axis=1)), np.flatnonzero(said.any(axis=0))
        side = max(int(ys[-1] - ys[0]), int(xs[-1] - xs[0]), 32)
        for reach in (side // 2, 2 * side):
            part = (
                slice(max(0, int(ys[0]) - reach), min(rows, int(ys[-1]) + 1 + reach)),
                slice(max(0, int(xs[0]) - reach), min(columns, int(xs[-1]) + 1 + reach)),
            )
            if (part[0].stop - part[0].start) * (part[1].stop - part[1].start) < this.size / 2:
                yield part
    yield slice(0, rows), slice(0, columns)


def _reaches_out(mask: np.ndarray, part: tuple[slice, slice]) -> bool:
    """Whether a mask touches an edge of the part that is no edge of the picture."""
    found = mask[part] > 127
    edges = ((0, 0), (0, mask.shape[0]), (1, 0), (1, mask.shape[1]))
    for axis, end in edges:
        at = part[axis].start if end == 0 else part[axis].stop
        if at != end and np.take(found, 0 if end == 0 else -1, axis=axis).any():
            return True
    return False


def _guess_in(
    picture: np.ndarray,
    this: np.ndarray,
    not_this: np.ndarray,
    inside: np.ndarray | None,
    *,
    alone: bool = False,
) -> np.ndarray:
    size, fine_size = (_at_most(pixels, this.shape) for pixels in (_GUESS_PIXELS, _FINE_PIXELS))
    fine = _smaller(picture, fine_size)
    small = cv2.resize(fine, size, interpolation=cv2.INTER_AREA)
    lab, over = softened_lab(small), shrunk(this, size)
    beside = shrunk(not_this, size) & ~over
    if alone:
        found = _standing_out(small, lab, over, beside)
    elif inside is None:
        found = told_by_strokes(lab, over, beside)
    else:
        found = told_with_box(small, lab, shrunk(inside, size), over, beside)
    found = found.astype(np.uint8)
    if this.any() and not alone:
        _, parts = cv2.connectedComponents(found)
        stroked = np.unique(parts[over & (found > 0)])
        found = np.isin(parts, stroked[stroked > 0]).astype(np.uint8)
    mask = cv2.resize(found * 255, fine_size, interpolation=cv2.INTER_CUBIC)
    if size != fine_size:
        # The small mask's stairs, rounded off; edge care does the rest.
        mask = _steeper(cv2.GaussianBlur(mask, (0, 0), 0.7 * fine_size[0] / size[0]))
        mask = _with_fine_parts(fine, mask)
    full = (this.shape[1], this.shape[0])
    if fine_size != full:
        mask = _steeper(cv2.resize(mask, full, interpolation=cv2.INTER_LINEAR))
    mask[this], mask[not_this & ~this] = 255, 0
    return mask


def _smaller(picture: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return a copy of so many pixels across and down, by area."""
    height, width = picture.shape[:2]
    if width >= 4 * size[0]:
        # Halves are quickly made, odd sizes of large pictures are not.
        picture = cv2.resize(picture, (width // 2, height // 2), interpolation=cv2.INTER_AREA)
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)


def _at_most(pixels: int, shape: tuple[int, ...]) -> tuple[int, int]:
    """Return the width and height of a picture's copy of so many pixels at most."""
    height, width = shape[:2]
    scale = min(1.0, (pixels / (height * width)) ** 0.5)
    return max(1, round(width * scale)), max(1, round(height * scale))


def _steeper(mask: np.ndarray) -> np.ndarray:
    """Return a mask whose edge is half as wide."""
    return cv2.LUT(mask, _STEEPER)


def _standing_out(
    small: np.ndarray, lab: np.ndarray, this: np.ndarray, not_this: np.ndarray
) -> np.ndarray:
    # Found once: a stroke after it waits for the stroke alone.
    key = hashlib.blake2b(small.tobytes()).digest(), small.shape
    found, _ = _STANDING_OUT.get(key, lambda: what_stands_out(lab))
    if not found.any() and not this.any():
        raise MaskError("Nothing stands out from the picture's edges. Draw a stroke over it.")
    if not (this.any() or not_this.any()):
        return found
    return mended_by_strokes(lab, found, this, not_this)


def _with_fine_parts(picture: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """Return the mask with hair and twigs that the small copy could not hold.

    Along the edge a pixel goes to whichever side's colour, as it is nearby, it is more like;
    only where the two sides differ clearly by more than each does within itself.
    """
    inside = (mask > 127).astype(np.uint8)
    reach = max(2, round(mask.shape[1] * _FINE_REACH))
    depth = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    beyond = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    band = (depth <= reach) & (beyond <= reach)
    rows, columns = np.flatnonzero(band.any(axis=1)), np.flatnonzero(band.any(axis=0))
    if not len(rows):
        return mask
    part = tuple(
        slice(max(0, int(ends[0]) - 2 * reach), int(ends[-1]) + 1 + 2 * reach)
        for ends in (rows, columns)
    )
    band, colours = band[part], picture[part].astype(np.float32)
    own, other = (
        _nearby(colours, where[part].astype(np.float32), 4 * reach + 1, band)
        for where in (depth > max(2.0, reach / 3), beyond > reach)
    )
    here = colours[band]
    clear = _square(own[1] - other[1]) > 4 * (own[2] + other[2])
    clear &= (own[0] > 0.01) & (other[0] > 0.01)
    nearer = _square(here - own[1]) < _square(here - other[1])
    fine = mask.copy()
    fine[part][band] = np.where(clear, nearer * np.uint8(255), mask[part][band])
    return fine


def _nearby(
    picture: np.ndarray, weight: np.ndarray, side: int, there: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return weight (N,), mean colour (N, 3) and variance (N,) of what is weighted nearby.

    In the square round each of ``there``, bool (height, width).
    """
    share = cv2.blur(weight, (side, side))[there]
    known = np.maximum(share, 1e-4)
    mean = cv2.blur(picture * weight[..., None], (side, side))[there] / known[:, None]
    square = cv2.blur(_square(picture) * weight, (side, side))[there] / known
    return share, mean, np.maximum(square - _square(mean), 0)


def _square(vectors: np.ndarray) -> np.ndarray:
    """Return the squared length along the last axis."""
    return np.einsum("...k,...k->...", vectors, vectors)
