"""Pictures out: PNG (8 and 16 bit), JPEG, WebP, TIFF. Codes are sRGB, alpha straight."""

from __future__ import annotations

import io
from typing import Literal

import cv2
import numpy as np
from PIL import Image

from vistaline.core.errors import RenderError

__all__ = ["STILL_KINDS", "encode_jpeg", "encode_png", "encode_still"]

StillKind = Literal["png", "png16", "jpeg", "webp", "tiff", "tiff16"]
STILL_KINDS: dict[StillKind, tuple[str, str]] = {
    "png": ("PNG, 8 bit", "png"),
    "png16": ("PNG, 16 bit", "png"),
    "tiff": ("TIFF, 8 bit", "tif"),
    "tiff16": ("TIFF, 16 bit", "tif"),
    "webp": ("WebP", "webp"),
    "jpeg": ("JPEG, no transparency", "jpg"),
}
"""What a picture can be handed over as: its words, its extension."""


def encode_png(codes: np.ndarray, *, level: int = 3) -> bytes:
    """Return a PNG of (height, width), (..., 3) or (..., 4) uint8 or uint16 codes."""
    return _encoded(".png", codes, [cv2.IMWRITE_PNG_COMPRESSION, level])


def encode_jpeg(rgb: np.ndarray, quality: int = 88) -> bytes:
    """Return a JPEG of (height, width, 3) uint8 codes."""
    return _encoded(".jpg", rgb, [cv2.IMWRITE_JPEG_QUALITY, quality])


def _encoded(extension: str, codes: np.ndarray, settings: list[int]) -> bytes:
    if codes.ndim == 3:
        order = cv2.COLOR_RGBA2BGRA if codes.shape[2] == 4 else cv2.COLOR_RGB2BGR
        codes = cv2.cvtColor(codes, order)
    done, data = cv2.imencode(extension, codes, settings)
    if not done:
        raise RenderError(f"The picture could not be written as {extension[1:].upper()}.")
    return data.tobytes()


def encode_still(codes: np.ndarray, kind: StillKind) -> bytes:
    """Return a picture file of (height, width, 3 or 4) codes, uint8 or uint16.

    JPEG knows no transparency: what is transparent is laid on white.
    """
    deep = kind.endswith("16")
    if deep and codes.dtype == np.uint8:
        codes = codes.astype(np.uint16) * 257
    elif not deep and codes.dtype == np.uint16:
        codes = ((codes.astype(np.uint32) + 128) // 257).astype(np.uint8)
    if kind.startswith("png"):
        return encode_png(codes)
    if kind.startswith("tiff"):
        return _encoded(
            ".tif",
            codes,
            [cv2.IMWRITE_TIFF_COMPRESSION, cv2.IMWRITE_TIFF_COMPRESSION_ADOBE_DEFLATE],
        )
    if kind == "webp":
        data = io.BytesIO()
        Image.fromarray(codes).save(data, "WEBP", quality=95, method=4, exact=True)
        return data.getvalue()
    if codes.shape[2] == 4:
        share = codes[..., 3:].astype(np.float32) / 255
        codes = np.rint(codes[..., :3] * share + 255 * (1 - share)).astype(np.uint8)
    return encode_jpeg(codes, 95)
