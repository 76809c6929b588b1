"""A relief made ready: three sheets, one behind the other, each with its map of nearness.

The front is the picture, torn where one thing stands before another, with soft rims. Behind its
tears lies the far side, continued; and behind that, where it is torn itself, the same again. The
last sheet is whole: whatever a move bares, something is there.

Seen from where the picture was taken the three are the picture. The way is that of Shade et al.,
Layered depth images (1998), and Zitnick et al., High-quality video view interpolation using a
layered representation (2004), with its soft rims.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.errors import FillError
from vistaline.core.picture.colour import encode_srgb, linearise_srgb
from vistaline.core.picture.exemplar import fill_by_texture
from vistaline.core.picture.smooth import pull_push
from vistaline.core.relief.meshing import EXACT, Mesh, mesh_on
from vistaline.core.relief.peeling import Peeled, peeled
from vistaline.core.relief.rims import front_of
from vistaline.core.relief.tearing import tears_of

__all__ = [
    "SHEETS",
    "SLICES",
    "Sheets",
    "meshes_of",
    "sheets_of",
    "shown_in",
    "slice_of",
    "solid_in",
]

SHEETS = 3
SLICES = 8
"""Flat parts in which a relief throws its shadow."""
_SLICE_SIDE = 512
_ASKED, _SHOWN, _SOLID = 1, 2, 4
_MOST = 2_000_000
"""Pixels of what is behind, and of the maps: a larger picture's front keeps its own."""


@dataclass(frozen=True, eq=False)
class Sheets:
    """The looks of a relief. All but the front are of at most two megapixels."""

    pictures: tuple[Rgba16, Rgba16, Rgba16]
    """What the three sheets show, the front first."""
    maps: Rgba16
    """Nearness of the front, of what is behind, of the last, 0..65535 for 0..1; and a sum of
    ``_ASKED``, where what is behind is wanted, ``_SHOWN``, where the front shows anything, and
    ``_SOLID``, where it is opaque."""


def sheets_of(picture: Rgba16, nearness: np.ndarray, *, texture: bool = True) -> Sheets:
    """Return a picture's sheets.

    Parameters
    ----------
    picture : Rgba16 (height, width, 4)
        It counts as opaque.
    nearness : float32 (any height, any width)
        Of all of it: 0 farthest to 1 nearest, even in 1 / distance.
    texture
        Whether what is behind is filled with texture from beside it, or smoothly.
    """
    height, width = picture.shape[:2]
    share = min(1.0, (_MOST / (height * width)) ** 0.5)
    size = max(2, round(width * share)), max(2, round(height * share))
    light = picture[..., :3].astype(np.float32) / 65535
    small = light if share == 1 else cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    near = np.clip(_sized(nearness, size), 0, 1)
    tears = tears_of(near)
    fill = _textured if texture else None
    behind = peeled(small, tears, fill)
    last = peeled(behind.colour, tears_of(behind.nearness), fill)
    front = front_of(small, behind.colour, tears)
    # What stands alone in a torn map is no surface: it stays with what is behind.
    alone = tears_of(front.nearness).loose
    front.pixels[alone] = 0
    far = np.where(alone[..., None], small, behind.colour)
    pixels = front.pixels if share == 1 else _in_full(light, front.pixels, behind)
    alpha = front.pixels[..., 3]
    # Between two pixels both count.
    beside = np.ones((3, 3), np.uint8)
    shown = cv2.dilate((alpha > 0).astype(np.uint8), beside)
    solid = cv2.erode((alpha >= 1).astype(np.uint8), beside)
    marks = (_ASKED * behind.asked + _SHOWN * shown + _SOLID * solid).astype(np.uint16)
    depths = _codes(np.dstack([front.nearness, behind.nearness, last.nearness]))
    whole = np.ones((*small.shape[:2], 1), np.float32)
    return Sheets(
        pictures=(
            _codes(pixels),
            _codes(np.dstack([far, whole])),
            _codes(np.dstack([last.colour, whole])),
        ),
        maps=np.dstack([depths, marks]),
    )


def meshes_of(maps: Rgba16, exact: float = EXACT) -> tuple[Mesh, Mesh, Mesh]:
    """Return the triangles of the three sheets, from :attr:`Sheets.maps`; see :func:`mesh_on`."""
    front, behind, last = (
        np.ascontiguousarray(maps[..., n]).astype(np.float32) / 65535 for n in range(SHEETS)
    )
    return (
        mesh_on(front, tears_of(front), exact=exact),
        mesh_on(behind, tears_of(behind), (maps[..., 3] & _ASKED) > 0, exact=2 * exact),
        mesh_on(last, exact=2 * exact),
    )


def shown_in(maps: Rgba16) -> np.ndarray:
    """Return where the front shows anything, uint8 (height, width), from :attr:`Sheets.maps`."""
    return ((maps[..., 3] & _SHOWN) > 0).astype(np.uint8)


def solid_in(maps: Rgba16) -> np.ndarray:
    """Return where the front is opaque, uint8 (height, width), from :attr:`Sheets.maps`."""
    return ((maps[..., 3] & _SOLID) > 0).astype(np.uint8)


def slice_of(maps: Rgba16, n: int) -> Rgba16:
    """Return where the front's nearness is in the ``n``-th of :data:`SLICES` even parts of its
    range, the farthest first: black there, of few pixels, for the shadow that it throws."""
    here = np.minimum(maps[..., 0].astype(np.int64) * SLICES // 65536, SLICES - 1) == n
    alpha = np.where(here & (shown_in(maps) > 0), 65535, 0).astype(np.uint16)
    share = min(1.0, _SLICE_SIDE / max(alpha.shape))
    size = tuple(max(2, round(side * share)) for side in alpha.shape[::-1])
    out = np.zeros((size[1], size[0], 4), np.uint16)
    out[..., 3] = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)
    return out


def _sized(nearness: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return a map of another size; made smaller, its edges stay edges."""
    if nearness.shape[::-1] == size:
        return np.ascontiguousarray(nearness, np.float32)
    smaller = nearness.shape[1] > size[0]
    way = cv2.INTER_NEAREST_EXACT if smaller else cv2.INTER_LINEAR
    return cv2.resize(nearness.astype(np.float32), size, interpolation=way)


def _in_full(light: np.ndarray, small: np.ndarray, behind: Peeled) -> np.ndarray:
    """Return the front at the picture's own size, its rims as they were found in the small."""
    size = light.shape[1], light.shape[0]
    alpha = np.clip(cv2.resize(small[..., 3], size, interpolation=cv2.INTER_LINEAR), 0, 1)
    out = np.empty((*light.shape[:2], 4), np.float32)
    out[..., :3], out[..., 3] = light, alpha
    rim = alpha < 1
    far = cv2.resize(behind.colour, size, interpolation=cv2.INTER_LINEAR)[rim]
    seen, share = light[rim], alpha[rim][:, None]
    out[rim, :3] = np.clip(seen - (1 - share) * far, 0, share)
    return out


def _textured(colour: np.ndarray, hole: np.ndarray, known: np.ndarray) -> np.ndarray:
    """Return light (height, width, 3) with its hole filled by texture; smoothly where it cannot."""
    codes = np.rint(encode_srgb(np.clip(colour, 0, 1)) * 255).astype(np.uint8)
    try:
        filled = fill_by_texture(codes, hole, sources=known)
    except FillError:
        return pull_push(colour, known)
    return linearise_srgb(filled / 255).astype(np.float32)


def _codes(values: np.ndarray) -> Rgba16:
    return np.rint(np.clip(values, 0, 1) * 65535).astype(np.uint16)
