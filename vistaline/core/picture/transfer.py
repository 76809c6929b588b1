"""What a clip's colour tags mean: from its codes to linear light of BT.709's primaries.

The numbers are those of ITU-T H.273 (the same as ISO/IEC 23091-2). Codes of BT.709 and its kin
are taken as sRGB's, as clips are written here: so a clip comes back as it went out.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from types import MappingProxyType
from typing import Any

import cv2
import numpy as np
from av.video.reformatter import ColorRange, Interpolation

from vistaline.core.arrays import FloatArray, Rgba16
from vistaline.core.picture.colour import linear16_from_srgb, linearise_srgb
from vistaline.core.picture.decode import linear_premultiplied
from vistaline.core.picture.planes import linear_from_planes, steps_between

__all__ = ["Tags", "linear_from_clip"]

_BT709, _UNSAID, _BT601, _LINEAR, _PQ, _HLG = 1, 2, 5, 8, 16, 18
_GAMMAS = MappingProxyType({4: 2.2, 5: 2.8})
_D65 = (0.3127, 0.3290)
_PRIMARIES = MappingProxyType(
    {
        1: ((0.640, 0.330), (0.300, 0.600), (0.150, 0.060), _D65),
        4: ((0.67, 0.33), (0.21, 0.71), (0.14, 0.08), (0.310, 0.316)),
        5: ((0.64, 0.33), (0.29, 0.60), (0.15, 0.06), _D65),
        6: ((0.630, 0.340), (0.310, 0.595), (0.155, 0.070), _D65),
        7: ((0.630, 0.340), (0.310, 0.595), (0.155, 0.070), _D65),
        9: ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046), _D65),
        11: ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), (0.314, 0.351)),
        12: ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), _D65),
    }
)
"""Red, green, blue, white (x, y): H.273, table 2."""
_WHITE_NITS = 203.0
"""What white on paper has in light that is graded to be brighter: ITU-R BT.2408."""
_EVEN = Interpolation.BILINEAR | Interpolation.FULL_CHR_H_INT | Interpolation.ACCURATE_RND


@dataclass(frozen=True, kw_only=True)
class Tags:
    """How a clip's codes are meant: matrix, range, primaries and transfer of H.273."""

    matrix: int = _BT709
    full: bool = False
    primaries: int = _BT709
    transfer: int = _BT709

    @staticmethod
    def of(frame: Any) -> Tags:
        """Return a decoded frame's tags.

        Without a matrix, that of its size: BT.709 from 720 rows on, else BT.601 (common practice,
        no source).
        """
        matrix = int(frame.colorspace)
        if matrix not in (1, 4, 5, 6, 7, 9, 10):
            matrix = _BT709 if frame.height >= 720 else _BT601
        primaries, transfer = int(frame.color_primaries), int(frame.color_trc)
        return Tags(
            matrix={6: _BT601, 10: 9}.get(matrix, matrix),
            full=int(frame.color_range) == 2 or frame.format.name.startswith("yuvj"),
            primaries=primaries if primaries in _PRIMARIES else _BT709,
            transfer=_BT709 if transfer == _UNSAID else transfer,
        )

    def for_reading(self) -> dict[str, Any]:
        """Return what a frame is reformatted with to R'G'B' of full range."""
        return {
            "src_colorspace": self.matrix,
            "src_color_range": ColorRange.JPEG if self.full else ColorRange.MPEG,
            "dst_color_range": ColorRange.JPEG,
            "interpolation": _EVEN,
        }

    @property
    def remarks(self) -> list[str]:
        """What of the colours cannot be kept."""
        if self.transfer in (_PQ, _HLG):
            return ["it has light above white, which is cut off"]
        return []


def linear_from_clip(codes: np.ndarray, tags: Tags) -> Rgba16:
    """Return linear light (height, width, 4), premultiplied, of a frame.

    ``codes``: its planes (see ``planes``), or (height, width, 3 or 4) codes.
    """
    if codes.ndim == 2:
        fine = _light_between(tags.transfer)
        return _moved(linear_from_planes(codes, tags.matrix, tags.full, fine), tags)
    table = _table(tags.transfer, 256 if codes.dtype == np.uint8 else 65536)
    if codes.shape[2] == 3:
        linear = cv2.LUT(codes, table) if codes.dtype == np.uint8 else table[codes]
        linear = cv2.cvtColor(linear, cv2.COLOR_RGB2RGBA)
    elif _is_srgb(tags.transfer):
        linear = linear_premultiplied(codes)
    else:
        linear = _premultiplied(table[codes[..., :3]], codes[..., 3])
    return _moved(linear, tags)


def _moved(linear: Rgba16, tags: Tags) -> Rgba16:
    """Return light told by the primaries of BT.709."""
    if tags.primaries == _BT709:
        return linear
    matrix = np.eye(4)
    matrix[:3, :3] = _to_bt709(tags.primaries)
    moved = cv2.transform(linear.astype(np.float32), matrix)
    return np.asarray(np.clip(np.rint(moved), 0, linear[..., 3:]), np.uint16)


def _premultiplied(linear: np.ndarray, alpha: np.ndarray) -> Rgba16:
    whole = alpha.astype(np.uint16) * 257 if alpha.dtype == np.uint8 else alpha
    return np.dstack([cv2.multiply(linear, cv2.merge([whole] * 3), scale=1 / 65535), whole])


@cache
def _table(transfer: int, count: int) -> np.ndarray:
    """Return linear light, 0..65535, of ``count`` codes."""
    if _is_srgb(transfer):
        return linear16_from_srgb(count)
    light = _light(transfer, np.linspace(0.0, 1.0, count))
    return np.rint(np.clip(light, 0, 1) * 65535).astype(np.uint16)


def _is_srgb(transfer: int) -> bool:
    return transfer not in (_LINEAR, _PQ, _HLG, *_GAMMAS)


@cache
def _light_between(transfer: int) -> np.ndarray:
    """Return the same of codes in fine steps."""
    light = _light(transfer, steps_between())
    return np.rint(np.clip(light, 0, 1) * 65535).astype(np.uint16)


def _light(transfer: int, code: FloatArray) -> FloatArray:
    """Return the light of codes, 1 for white."""
    if transfer == _LINEAR:
        return code
    if transfer in _GAMMAS:
        return np.asarray(code ** _GAMMAS[transfer])
    if transfer == _PQ:
        return _pq_light(code) / _WHITE_NITS
    if transfer == _HLG:
        return np.asarray(_hlg_light(code) / _hlg_light(np.array([0.75])))
    return linearise_srgb(code)


def _pq_light(code: FloatArray) -> FloatArray:
    """Return cd/m² of a code: SMPTE ST 2084, equation 4.1."""
    m1, m2 = 2610 / 16384, 2523 / 4096 * 128
    c1, c2, c3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    root = code ** (1 / m2)
    return np.asarray(10000 * (np.maximum(root - c1, 0) / (c2 - c3 * root)) ** (1 / m1))


def _hlg_light(code: FloatArray) -> FloatArray:
    """Return scene light, 0..1, of a code: ITU-R BT.2100, table 5."""
    a = 0.17883277
    b, c = 1 - 4 * a, 0.5 - a * np.log(4 * a)
    return np.where(code <= 0.5, code**2 / 3, (np.exp((code - c) / a) + b) / 12)


@cache
def _to_bt709(primaries: int) -> FloatArray:
    return np.asarray(np.linalg.inv(_xyz_from(_BT709)) @ _xyz_from(primaries))


def _xyz_from(primaries: int) -> FloatArray:
    """Return the matrix from R, G, B to X, Y, Z: SMPTE RP 177."""
    *colours, white = (np.array([x / y, 1, (1 - x - y) / y]) for x, y in _PRIMARIES[primaries])
    columns = np.stack(colours, axis=1)
    return np.asarray(columns * np.linalg.solve(columns, white))
