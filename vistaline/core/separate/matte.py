"""Edge care: real alpha in a band around a mask's edge, and the subject's own colour there.

Alpha solves the matting equation I = a F + (1 - a) B in closed form (Levin, Lischinski and
Weiss, A Closed-Form Solution to Natural Image Matting, 2008) by pymatting, on a small copy:
larger is slower and no better. Its local linear coefficients (He, Sun and Tang, Guided Image
Filtering, 2013) then carry it to the full photo.

Where subject and background look alike, colour says little and ghosts of the background stay.
There a weak pull towards the drawn edge decides, except under strokes over hair.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.errors import MaskError

__all__ = ["solve_edge"]

_SOLVE_PIXELS = 200_000
_BAND_SHARE = 0.012
_BAND_OF_SUBJECT = 0.04
_THIN = 0.15
_LARGEST = 16_000_000
"""Pixels: colours of more are found in tiles that overlap, within a bound of memory."""
_TILE, _OVERLAP, _STRIP = 2048, 256, 256
_PULL = 5e-4
"""Weight of the drawn edge beside the matting Laplacian; measured, see docs/performance.md."""


Part = tuple[slice, slice]


@dataclass(frozen=True, kw_only=True, eq=False)
class SolvedEdge:
    """What edge care found, over the whole picture."""

    alpha: np.ndarray
    """float32 (height, width), 0..1."""
    foreground: np.ndarray
    """As the picture: the subject's own colours, wherever alpha is above 0."""


def default_band(mask: np.ndarray) -> int:
    """Return half the width in pixels of the band where alpha is solved if nobody chose one.

    1.2 % of the picture's width, less round a small subject: 4 % of its longer side.
    """
    rows, columns = (np.flatnonzero((mask > 127).any(axis=axis)) for axis in (1, 0))
    longer = max((int(ends[-1] - ends[0]) + 1 for ends in (rows, columns) if len(ends)), default=0)
    widest = round(mask.shape[1] * _BAND_SHARE)
    return max(2, min(widest, round(longer * _BAND_OF_SUBJECT)))


def band_around(mask: np.ndarray, radius: int) -> tuple[np.ndarray, np.ndarray]:
    """Return what is surely the subject and surely not, bool each, of a mask 0..255."""
    inside = (mask > 127).astype(np.uint8)
    # Distances cost the same for any radius; a disc this wide would take ten times as long.
    depth = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    # A band as wide as for the whole figure would swallow a head or an arm: where the subject is
    # thinner, half its thickness is surely it. What is thinner still may be hair, and is not.
    thick = cv2.dilate(depth, np.ones((2 * radius + 1, 2 * radius + 1), np.uint8))
    # In place: of a hundred megapixels each copy takes 400 MB.
    hair = thick <= _THIN * radius
    thick *= 0.5
    np.minimum(thick, radius, out=thick)
    thick[hair] = radius
    within = depth > thick
    del depth, thick, hair
    beyond = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_5) > radius
    return within, beyond


def solve_edge(
    picture: np.ndarray,
    mask: np.ndarray,
    *,
    radius: int | None = None,
    hair: np.ndarray | None = None,
) -> SolvedEdge:
    """Return alpha and the subject's colours around a mask's edge.

    Parameters
    ----------
    picture : uint8 or uint16 (height, width, 3)
        sRGB codes.
    mask : uint8 (height, width)
        The drawn mask, 0..255.
    radius : int, optional
        Half the band's width in pixels; by default as :func:`default_band` says.
    hair : bool (height, width), optional
        Where the band is wider: strokes over hair and foliage.

    Raises
    ------
    MaskError
        The mask is empty or covers everything: it has no edge.
    """
    if not (mask > 127).any():
        raise MaskError("The mask is empty, so it has no edge. Add something to it first.")
    if (mask > 127).all():
        raise MaskError("The mask covers the whole picture, so it has no edge. Take some away.")
    radius = radius or default_band(mask)
    inside, outside = band_around(mask, radius)
    if hair is None:
        hair = np.zeros(mask.shape, bool)
    inside, outside = inside & ~hair, outside & ~hair
    box = _around(~(inside | outside), 4 * radius)
    part = picture[box]
    alpha = np.where(inside, np.float32(1), np.float32(0))
    aim = _drawn_edge(mask, hair, radius, box)
    alpha[box] = _solved(part, inside[box], outside[box], aim)
    foreground = picture.copy()
    for tile, inner in _tiles(part.shape[:2]):
        share = alpha[box][tile]
        if (share < 1).any() and (share > 0).any():
            foreground[box][tile][inner] = _own_colours(part[tile], share)[inner]
    return SolvedEdge(alpha=alpha, foreground=foreground)


def _around(mask: np.ndarray, margin: int) -> Part:
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    return (
        slice(max(0, rows[0] - margin), rows[-1] + 1 + margin),
        slice(max(0, columns[0] - margin), columns[-1] + 1 + margin),
    )


def _tiles(shape: tuple[int, int]) -> Iterator[tuple[Part, Part]]:
    """Yield parts of a large picture that overlap, and what of each is its own; or the whole."""
    if shape[0] * shape[1] <= _LARGEST:
        yield (slice(None), slice(None)), (slice(None), slice(None))
        return
    for top in range(0, shape[0], _TILE):
        for left in range(0, shape[1], _TILE):
            start = max(0, top - _OVERLAP), max(0, left - _OVERLAP)
            yield (
                (
                    slice(start[0], top + _TILE + _OVERLAP),
                    slice(start[1], left + _TILE + _OVERLAP),
                ),
                (
                    slice(top - start[0], top - start[0] + _TILE),
                    slice(left - start[1], left - start[1] + _TILE),
                ),
            )


def _solve_size(shape: tuple[int, ...]) -> tuple[int, int]:
    """Return the width and height at which alpha is solved."""
    height, width = shape[:2]
    scale = min(1.0, (_SOLVE_PIXELS / (height * width)) ** 0.5)
    return max(8, round(width * scale)), max(8, round(height * scale))


def _solved(
    picture: np.ndarray, inside: np.ndarray, outside: np.ndarray, aim: np.ndarray
) -> np.ndarray:
    size = _solve_size(inside.shape)
    full = float(np.iinfo(picture.dtype).max)
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) / full
    trimap = np.full((size[1], size[0]), 0.5)
    for known, value in ((inside, 1.0), (outside, 0.0)):
        share = cv2.resize(known.astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA)
        trimap[share == 255] = value
    if not (trimap == 1).any() or not (trimap == 0).any():
        raise MaskError(
            "The band around the edge leaves nothing that is surely the subject, or surely not. "
            "Make the band narrower."
        )
    alpha = _closed_form(small, trimap, aim)
    enlarged = _enlarged(small.astype(np.float32), alpha.astype(np.float32), picture)
    enlarged[inside], enlarged[outside] = 1, 0
    return enlarged


def _drawn_edge(mask: np.ndarray, hair: np.ndarray, radius: int, box: Part) -> np.ndarray:
    """Return 0..1, as small as alpha is solved: the drawn edge, fading over 2/3 of half the band.

    It is no number under strokes over hair.
    """
    inside = (mask > 127).astype(np.uint8)
    signed = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    signed -= cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    signed, hair = signed[box], hair[box]
    size = _solve_size(signed.shape)
    small = cv2.resize(signed, size, interpolation=cv2.INTER_NEAREST)
    drawn = np.clip(0.5 + small * np.float32(1.5 / radius), 0, 1)
    drawn[cv2.resize(hair.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0] = np.nan
    return drawn


def _closed_form(picture: np.ndarray, trimap: np.ndarray, drawn: np.ndarray) -> np.ndarray:
    """Return alpha (height, width) of a small picture; the trimap's 0 and 1 are kept.

    ``drawn`` is what alpha is weakly pulled to; it is not pulled where that is not a number.
    """
    from pymatting import cf_laplacian, cg, ichol  # half a second, and only needed here
    from scipy.sparse import diags_array

    known = ((trimap == 0) | (trimap == 1)).ravel()
    alpha = (trimap == 1).ravel().astype(np.float64)
    if known.all():
        return alpha.reshape(trimap.shape)
    laplacian = cf_laplacian(picture, epsilon=1e-6, is_known=known).tocsr()[~known]
    aim = drawn.ravel()[~known]
    pull = np.where(np.isnan(aim), 0.0, _PULL)
    system = (laplacian[:, ~known] + diags_array(pull)).tocsr()
    wanted = pull * np.nan_to_num(aim) - laplacian[:, known] @ alpha[known]
    alpha[~known] = cg(system, wanted, M=ichol(system.tocsc()), rtol=1e-4)
    return alpha.reshape(trimap.shape)


def _enlarged(small: np.ndarray, alpha: np.ndarray, picture: np.ndarray) -> np.ndarray:
    """Return alpha at the picture's size: its local linear model of colour, enlarged."""
    if small.shape == picture.shape:
        return np.clip(alpha, 0, 1)
    side = (7, 7)
    mean, alpha_mean = cv2.blur(small, side), cv2.blur(alpha, side)
    spread = np.stack([cv2.blur(small * small[..., c : c + 1], side) for c in range(3)], axis=-1)
    covariance = spread - mean[..., :, None] * mean[..., None, :] + 1e-4 * np.eye(3)
    shared = cv2.blur(small * alpha[..., None], side) - mean * alpha_mean[..., None]
    slope = np.linalg.solve(covariance, shared[..., None])[..., 0].astype(np.float32)
    offset = alpha_mean - np.sum(slope * mean, axis=-1)
    model = np.dstack([cv2.blur(slope, side), cv2.blur(offset, side)])
    height, width = picture.shape[:2]
    model = cv2.resize(model, (width, len(model)), interpolation=cv2.INTER_LINEAR)
    full, enlarged = np.float32(np.iinfo(picture.dtype).max), np.empty((height, width), np.float32)
    for top in range(0, height, _STRIP):
        # As OpenCV enlarges linearly, by strips: the whole model takes 16 bytes a pixel.
        rows = np.arange(top, min(top + _STRIP, height))
        at = np.clip((rows + 0.5) * (len(model) / height) - 0.5, 0, len(model) - 1)
        above = np.minimum(at.astype(int), max(len(model) - 2, 0))
        below = np.minimum(above + 1, len(model) - 1)
        share = (at - above).astype(np.float32)[:, None, None]
        near = model[above] * (1 - share) + model[below] * share
        guide = picture[rows] / full
        enlarged[rows] = np.sum(near[..., :3] * guide, axis=-1) + near[..., 3]
    return np.clip(enlarged, 0, 1, out=enlarged)


def _own_colours(picture: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    from pymatting import estimate_foreground_ml

    full = np.iinfo(picture.dtype).max
    found = estimate_foreground_ml(picture.astype(np.float64) / full, alpha.astype(np.float64))
    own = np.clip(np.rint(found * full), 0, full).astype(picture.dtype)
    return np.where((alpha < 1)[..., None], own, picture)
