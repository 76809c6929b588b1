"""Detail of a picture: less noise, more pixels, sharper edges.

Pictures here are float32 (height, width, channels), sRGB-encoded, 0..1.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit, prange

__all__ = ["denoised", "enlarged", "sharpened"]

_BACK_PROJECTIONS = 4


def denoised(picture: np.ndarray, *, strength: float, colour: float) -> np.ndarray:
    """Return the picture with less noise; both strengths 0..1, light and colour apart.

    Non-local means (Buades, Coll and Morel, 2005) as OpenCV does it; how much noise
    there is to remove is measured first (Immerkaer, Fast Noise Variance Estimation, 1996).
    """
    luma, red, blue = cv2.split(cv2.cvtColor(picture, cv2.COLOR_RGB2YCrCb))
    luma = luma + _noise_in(luma, strength)
    # Colour noise is coarse and the eye is coarse to colour: half size does, in an eighth of time.
    half = (max(1, (luma.shape[1] + 1) // 2), max(1, (luma.shape[0] + 1) // 2))
    chroma = []
    share = min(1.0, 2 * colour)
    for channel in (red, blue):
        small = cv2.resize(channel, half, interpolation=cv2.INTER_AREA)
        clean = small + _noise_in(small, colour)
        clean = cv2.resize(clean, luma.shape[::-1], interpolation=cv2.INTER_LINEAR)
        chroma.append(cv2.addWeighted(channel, 1 - share, clean, share, 0))
    return np.clip(cv2.cvtColor(cv2.merge([luma, *chroma]), cv2.COLOR_YCrCb2RGB), 0, 1)


def _noise_in(channel: np.ndarray, strength: float) -> np.ndarray:
    """Return what must be added to a channel to be rid of its noise.

    Found on 8-bit codes, which are fast; added to the channel, which keeps its finer steps.
    """
    if strength == 0:
        return np.zeros_like(channel)
    codes = np.rint(np.clip(channel, 0, 1) * 255).astype(np.uint8)
    h = 255 * max(_noise(channel), 1 / 512) * (0.4 + 1.6 * strength)
    smooth = cv2.fastNlMeansDenoising(codes, h=float(h), templateWindowSize=5, searchWindowSize=11)
    return (smooth.astype(np.float32) - codes) / 255


def _noise(channel: np.ndarray) -> float:
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    answer = np.abs(cv2.filter2D(channel, cv2.CV_32F, kernel))
    # The median is deaf to edges, which this kernel also answers to; 6 is its gain on noise.
    return float(np.median(answer) / 0.6745 / 6)


def sharpened(picture: np.ndarray, *, amount: float, radius: float) -> np.ndarray:
    """Return the picture with edges raised: unsharp masking (common practice, no source)."""
    soft = cv2.GaussianBlur(picture, (0, 0), max(radius, 0.2))
    return np.clip(cv2.addWeighted(picture, 1 + amount, soft, -amount, 0), 0, 1)


def enlarged(picture: np.ndarray, size: tuple[int, int], *, fine: bool = False) -> np.ndarray:
    """Return the picture at ``size`` (width, height).

    Plain: Lanczos over 8 pixels. ``fine`` draws along edges (directional cubic interpolation,
    after Zhou, Shen and Dong, Image Zooming Using Directional Cubic Convolution Interpolation,
    2012), then makes the result agree with the pixels it came from when made small again
    (back-projection: Irani and Peleg, 1991). It shows fewer stairs; it invents no detail.
    """
    if not fine:
        return np.clip(cv2.resize(picture, size, interpolation=cv2.INTER_LANCZOS4), 0, 1)
    large = picture
    while large.shape[1] < size[0]:
        large = _doubled(large)
    if (large.shape[1], large.shape[0]) != size:
        large = cv2.resize(large, size, interpolation=cv2.INTER_AREA)
    for _ in range(_BACK_PROJECTIONS):
        small = cv2.resize(large, picture.shape[1::-1], interpolation=cv2.INTER_AREA)
        missing = picture - small.reshape(picture.shape)
        large = large + cv2.resize(missing, size, interpolation=cv2.INTER_CUBIC).reshape(
            large.shape
        )
    return np.clip(large, 0, 1)


def _doubled(picture: np.ndarray) -> np.ndarray:
    channels = cv2.split(picture) if picture.ndim == 3 else [picture]
    return cv2.merge([_doubled_channel(np.ascontiguousarray(channel)) for channel in channels])


def _doubled_channel(channel: np.ndarray) -> np.ndarray:
    padded = cv2.copyMakeBorder(channel, 4, 4, 4, 4, cv2.BORDER_REFLECT_101)
    dense = _directional(padded)
    # Old pixels lie on even places; a picture of twice the size has its centres a quarter pixel
    # to either side of the old ones.
    height, width = channel.shape
    matrix = np.array([[1, 0, 7.5], [0, 1, 7.5]])
    return cv2.warpAffine(
        dense, matrix, (2 * width, 2 * height), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    )


@njit(cache=True, nogil=True, parallel=True)  # type: ignore[untyped-decorator]
def _directional(small: np.ndarray) -> np.ndarray:
    """Return (2h, 2w) with ``small`` on the even places and the others drawn along edges."""
    rows, columns = small.shape
    out = np.zeros((2 * rows, 2 * columns), np.float32)
    for y in prange(rows):
        for x in range(columns):
            out[2 * y, 2 * x] = small[y, x]
    # First the middles of four pixels, along the diagonal that changes less.
    for y in prange(1, rows - 2):
        for x in range(1, columns - 2):
            down, up = np.float32(0), np.float32(0)
            for j in range(-1, 2):
                for i in range(-1, 2):
                    down += abs(small[y + j, x + i] - small[y + j + 1, x + i + 1])
                    up += abs(small[y + j, x + i + 1] - small[y + j + 1, x + i])
            along_down = (
                9 * (small[y, x] + small[y + 1, x + 1]) - small[y - 1, x - 1] - small[y + 2, x + 2]
            ) / 16
            along_up = (
                9 * (small[y, x + 1] + small[y + 1, x]) - small[y - 1, x + 2] - small[y + 2, x - 1]
            ) / 16
            out[2 * y + 1, 2 * x + 1] = _mixed(along_down, along_up, down, up)
    # Then the rest, along rows or columns of what is known by now.
    for y in prange(3, 2 * rows - 5):
        for x in range(3 + (y & 1 == 1), 2 * columns - 5):
            if (x + y) & 1 == 0:
                continue
            across, down = np.float32(0), np.float32(0)
            for k in range(-1, 2):
                across += abs(out[y + k, x - 1 + abs(k) - 1] - out[y + k, x + 1 + abs(k) - 1])
                across += abs(out[y + k, x - 1 - abs(k) + 1] - out[y + k, x + 1 - abs(k) + 1])
                down += abs(out[y - 1 + abs(k) - 1, x + k] - out[y + 1 + abs(k) - 1, x + k])
                down += abs(out[y - 1 - abs(k) + 1, x + k] - out[y + 1 - abs(k) + 1, x + k])
            along_row = (9 * (out[y, x - 1] + out[y, x + 1]) - out[y, x - 3] - out[y, x + 3]) / 16
            along_col = (9 * (out[y - 1, x] + out[y + 1, x]) - out[y - 3, x] - out[y + 3, x]) / 16
            out[y, x] = _mixed(along_row, along_col, across, down)
    return out


@njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _mixed(one: float, other: float, change: float, other_change: float) -> float:
    """Weigh two directions by how little they change, and clearly so (exponent of the source)."""
    a, b = 1 / (1e-9 + change**5), 1 / (1e-9 + other_change**5)
    return (one * a + other * b) / (a + b)
