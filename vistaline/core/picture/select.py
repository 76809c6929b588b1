"""Finding a subject: by strokes over it and beside it, and by likeness to a colour."""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from vistaline.core.errors import MaskError

__all__ = ["guess_subject", "likeness", "stroke_mask"]

_GUESS_PIXELS = 250_000
_MARGIN = 0.06
_FINE_PIXELS = 1_000_000
_FINE_REACH = 0.012


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _stroke(points: np.ndarray, radius: float, softness: float, out: np.ndarray) -> None:
    rows, columns = out.shape
    core = radius * (1 - softness)
    for n in range(max(1, len(points) - 1)):
        ax, ay = points[n]
        bx, by = points[min(n + 1, len(points) - 1)]
        dx, dy = bx - ax, by - ay
        length = dx * dx + dy * dy
        y0, y1 = int(min(ay, by) - radius - 1), int(max(ay, by) + radius + 2)
        x0, x1 = int(min(ax, bx) - radius - 1), int(max(ax, bx) + radius + 2)
        for y in range(max(0, y0), min(rows, y1)):
            for x in range(max(0, x0), min(columns, x1)):
                px, py = x + 0.5 - ax, y + 0.5 - ay
                t = 0.0 if length == 0 else min(max((px * dx + py * dy) / length, 0.0), 1.0)
                distance = np.hypot(px - t * dx, py - t * dy)
                fall = max(radius - core, 1.0)
                share = min(max(((core + radius) / 2 - distance) / fall + 0.5, 0.0), 1.0)
                value = np.uint8(255 * share + 0.5)
                if value > out[y, x]:
                    out[y, x] = value


def stroke_mask(
    points: np.ndarray, width: float, size: tuple[int, int], *, softness: float = 0.0
) -> np.ndarray:
    """Return uint8 (height, width) of a brush drawn along ``points`` (N, 2) x, y in pixels.

    ``width`` is the brush's diameter; ``softness`` 0..1 is the share of its radius that fades.
    """
    out = np.zeros((size[1], size[0]), np.uint8)
    along = np.asarray(points, dtype=np.float64).reshape(-1, 2)
    if len(along):
        _stroke(along, float(width) / 2, float(softness), out)
    return out


def likeness(
    picture: np.ndarray,
    point: tuple[float, float],
    *,
    tolerance: float,
    touching: bool = True,
    sample: int = 3,
) -> np.ndarray:
    """Return uint8 (height, width): what looks like the picture at ``point``.

    ``tolerance`` is a distance in CIE Lab (CIE 1976); ``sample`` the side of the square whose
    mean is looked for; ``touching`` keeps only what hangs together with the point.

    Raises
    ------
    MaskError
        The point lies outside the picture.
    """
    height, width = picture.shape[:2]
    x, y = int(point[0]), int(point[1])
    if not (0 <= x < width and 0 <= y < height):
        raise MaskError("The point lies outside the picture. Click inside it.")
    lab = cv2.cvtColor(picture.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    reach = sample // 2
    window = lab[max(0, y - reach) : y + reach + 1, max(0, x - reach) : x + reach + 1]
    distance = np.linalg.norm(lab - window.mean(axis=(0, 1)), axis=2)
    # Half a unit to either side fades, so that the edge has no stairs.
    mask = np.clip((tolerance + 0.5 - distance) * 255, 0, 255).astype(np.uint8)
    if touching:
        _, labels = cv2.connectedComponents((mask > 0).astype(np.uint8), connectivity=4)
        mask[labels != labels[y, x]] = 0
        if not labels[y, x]:
            mask[:] = 0
    return mask


def guess_subject(
    picture: np.ndarray,
    this: np.ndarray,
    not_this: np.ndarray,
    *,
    box: tuple[float, float, float, float] | None = None,
) -> np.ndarray:
    """Return uint8 (height, width): the subject that strokes, and perhaps a box, point at.

    Parameters
    ----------
    picture : uint8 (height, width, 3)
    this, not_this : bool (height, width)
        Strokes over the subject and beside it; without the latter, and without a box, the
        picture's margin is taken to lie beside it.
    box : x, y, width, height in pixels, optional
        The subject lies wholly inside.

    Raises
    ------
    MaskError
        Nothing says what is meant.

    Notes
    -----
    Rother, Kolmogorov and Blake, GrabCut, 2004, on a copy of a quarter megapixel; only parts
    that a stroke touches are kept, for colour alone finds islands everywhere. Fine parts along
    the edge are then found at a megapixel.
    """
    if not this.any() and box is None:
        raise MaskError("Nothing says what to cut out. Draw a stroke over it, or a box around it.")
    height, width = picture.shape[:2]
    scale = min(1.0, (_GUESS_PIXELS / (height * width)) ** 0.5)
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    labels = np.full((size[1], size[0]), cv2.GC_PR_BGD, np.uint8)
    if box is not None:
        x0, y0 = max(0, int(box[0] * scale)), max(0, int(box[1] * scale))
        x1, y1 = int(np.ceil((box[0] + box[2]) * scale)), int(np.ceil((box[1] + box[3]) * scale))
        labels[:] = cv2.GC_BGD
        labels[y0:y1, x0:x1] = cv2.GC_PR_FGD
    elif not not_this.any():
        margin = max(2, round(_MARGIN * min(size)))
        labels[:margin] = labels[-margin:] = cv2.GC_BGD
        labels[:, :margin] = labels[:, -margin:] = cv2.GC_BGD
    strokes = []
    for drawn, label in ((not_this, cv2.GC_BGD), (this, cv2.GC_FGD)):
        share = cv2.resize(drawn.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        strokes.append(share > 0.3)
        labels[share > 0.3] = label
    cv2.setRNGSeed(1)
    models = np.zeros((2, 1, 65))
    cv2.grabCut(small, labels, (0, 0, 0, 0), models[0], models[1], 5, cv2.GC_INIT_WITH_MASK)
    found = ((labels == cv2.GC_FGD) | (labels == cv2.GC_PR_FGD)).astype(np.uint8)
    if this.any():
        _, parts = cv2.connectedComponents(found)
        stroked = np.unique(parts[strokes[1] & (found > 0)])
        found = np.isin(parts, stroked[stroked > 0]).astype(np.uint8)
    full = cv2.resize(found * 255, (width, height), interpolation=cv2.INTER_CUBIC)
    if scale < 1:
        # The small mask's stairs, rounded off; edge care does the rest.
        full = cv2.GaussianBlur(full, (0, 0), 0.7 / scale)
        full = np.clip((full.astype(np.float32) - 127.5) * 2 + 127.5, 0, 255).astype(np.uint8)
        full = _with_fine_parts(picture, full)
    full[this], full[not_this & ~this] = 255, 0
    return full


def _with_fine_parts(picture: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """Return the mask with hair and twigs that the small copy could not hold.

    Along the edge a pixel goes to whichever side's colour, as it is nearby, it is more like;
    only where the two sides differ clearly by more than each does within itself. At a megapixel.
    """
    height, width = mask.shape
    scale = min(1.0, (_FINE_PIXELS / (height * width)) ** 0.5)
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    inside = (cv2.resize(mask, size, interpolation=cv2.INTER_AREA) > 127).astype(np.uint8)
    reach = max(2, round(size[0] * _FINE_REACH))
    depth = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    beyond = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    sides = [
        _nearby(small, where.astype(np.float32), 4 * reach + 1)
        for where in (depth > max(2.0, reach / 3), beyond > reach)
    ]
    away = [((small - mean) ** 2).sum(axis=-1) for _, mean, _ in sides]
    gap = ((sides[0][1] - sides[1][1]) ** 2).sum(axis=-1)
    clear = gap > 4 * (sides[0][2] + sides[1][2])
    band = (depth <= reach) & (beyond <= reach) & clear
    band &= (sides[0][0] > 0.01) & (sides[1][0] > 0.01)
    fine = np.where(band, away[0] < away[1], inside > 0).astype(np.uint8) * 255
    full = (width, height)
    taken = cv2.resize(band.astype(np.uint8), full, interpolation=cv2.INTER_NEAREST) > 0
    return np.where(taken, cv2.resize(fine, full, interpolation=cv2.INTER_LINEAR), mask)


def _nearby(
    picture: np.ndarray, weight: np.ndarray, side: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return weight, mean colour and variance of what is weighted in the square round a pixel."""
    share = cv2.blur(weight, (side, side))
    known = np.maximum(share, 1e-4)
    mean = cv2.blur(picture * weight[..., None], (side, side)) / known[..., None]
    square = cv2.blur((picture**2).sum(axis=-1) * weight, (side, side)) / known
    return share, mean, np.maximum(square - (mean**2).sum(axis=-1), 0)
