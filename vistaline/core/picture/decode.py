"""Pictures in: from a file to linear light, premultiplied, 16 bit.

The header is checked before any pixel is decoded, so a picture bomb costs nothing.
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageCms, UnidentifiedImageError

from vistaline.core.arrays import Rgba16
from vistaline.core.errors import PictureError
from vistaline.core.picture.colour import linear16_from_srgb

__all__ = [
    "PIXEL_LIMIT",
    "SIDE_LIMIT",
    "PictureInfo",
    "decode_codes",
    "decode_picture",
    "inspect_picture",
    "linear_premultiplied",
]

PIXEL_LIMIT = 120_000_000
"""Pixels a picture may have; 120 megapixels take about 1.3 GB while being decoded."""
SIDE_LIMIT = 32_000
"""Pixels a side may have: OpenCV's sampling stops at 32,767."""

_READABLE = {"JPEG": "jpg", "PNG": "png", "WEBP": "webp", "TIFF": "tif", "AVIF": "avif"}
_EXIF_ORIENTATION = 0x0112
_TIFF_BITS = 258

# Pillow would only warn between one and two times its limit; ours is checked below, always.
Image.MAX_IMAGE_PIXELS = None


@dataclass(frozen=True, kw_only=True)
class PictureInfo:
    """What a picture's header tells; width and height as seen (EXIF orientation applied)."""

    format: str
    extension: str
    width: int
    height: int
    has_alpha: bool
    bits: int


def inspect_picture(source: Path | bytes, name: str) -> PictureInfo:
    """Read a picture's header.

    ``name`` is the file as the person knows it; it opens every sentence of refusal.

    Raises
    ------
    PictureError
        Not a picture, a kind not read here, or too many pixels.
    """
    with _opened(source, name) as image:
        return _info(image, name)


def decode_picture(source: Path | bytes, name: str) -> Rgba16:
    """Return the whole picture, (height, width, 4), linear light, premultiplied, 0..65535.

    Raises
    ------
    PictureError
        As :func:`decode_codes`.
    """
    return linear_premultiplied(decode_codes(source, name))


def decode_codes(source: Path | bytes, name: str) -> np.ndarray:
    """Return the whole picture, (height, width, 4), uint8 or uint16 sRGB codes, straight alpha.

    The ICC profile and the EXIF orientation are honoured; CMYK is converted; 16 bits are kept.

    Raises
    ------
    PictureError
        As :func:`inspect_picture`, or when the file breaks off or is damaged.
    """
    with _opened(source, name) as image:
        info = _info(image, name)
        orientation = _orientation(image)
        try:
            deep = _decode_deep(source) if info.bits == 16 else None
            codes = deep if deep is not None else _decode_8_bit(image)
        except (OSError, SyntaxError, ValueError, struct.error) as error:
            raise PictureError(
                name, "the file breaks off or is damaged. Save or copy it again."
            ) from error
    return _oriented(codes, orientation)


def _opened(source: Path | bytes, name: str) -> Image.Image:
    data: Path | io.BytesIO
    if isinstance(source, bytes):
        empty, data = not source, io.BytesIO(source)
    else:
        empty, data = source.stat().st_size == 0, source
    if empty:
        raise PictureError(name, "the file is empty. Choose another.")
    try:
        return Image.open(data)
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, struct.error) as error:
        raise PictureError(
            name,
            "this is not a picture that can be read. Use JPEG, PNG, WebP, AVIF, TIFF, PDF, SVG or "
            "OpenRaster.",
        ) from error


def _info(image: Image.Image, name: str) -> PictureInfo:
    kind = image.format or "unknown"
    if kind not in _READABLE:
        raise PictureError(
            name, f"this is a {kind} picture, which is not read here. Save it as JPEG or PNG."
        )
    width, height = image.size
    if width * height > PIXEL_LIMIT or max(width, height) > SIDE_LIMIT:
        raise PictureError(
            name,
            f"{width:,} × {height:,} pixels are too many; the limit is "
            f"{PIXEL_LIMIT // 1_000_000} megapixels and {SIDE_LIMIT:,} pixels a side. "
            "Make it smaller first.",
        )
    turned = _orientation(image) >= 5
    return PictureInfo(
        format=kind,
        extension=_READABLE[kind],
        width=height if turned else width,
        height=width if turned else height,
        has_alpha=image.has_transparency_data,
        bits=16 if _is_deep(image) else 8,
    )


def _orientation(image: Image.Image) -> int:
    """Return EXIF tag 274 from what the header holds; asking Pillow would decode the picture."""
    if image.format == "TIFF":
        found = image.tag_v2.get(_EXIF_ORIENTATION, 1)  # type: ignore[attr-defined]
    else:
        exif = Image.Exif()
        try:
            exif.load(image.info.get("exif") or b"")
        except (SyntaxError, ValueError, OSError, struct.error):
            return 1  # damaged metadata is no reason to refuse a picture
        found = exif.get(_EXIF_ORIENTATION, 1)
    return found if isinstance(found, int) else 1


def _is_deep(image: Image.Image) -> bool:
    if image.format == "PNG":
        # Pillow reduces 16-bit colour; byte 24 is IHDR's bit depth (PNG specification, 11.2.2).
        file = image.fp  # type: ignore[attr-defined]
        assert file is not None
        place = file.tell()
        file.seek(24)
        depth = file.read(1)
        file.seek(place)
        return depth == b"\x10"
    if image.format == "TIFF":
        # Pillow reduces 16-bit colour here too; tag 258 is BitsPerSample (TIFF 6.0, section 8).
        return set(image.tag_v2.get(_TIFF_BITS, ())) == {16}  # type: ignore[attr-defined]
    return image.mode.startswith("I;16")


def _decode_deep(source: Path | bytes) -> np.ndarray | None:
    """Return (height, width, 4) uint16 codes, or None if OpenCV cannot keep the 16 bits."""
    data = source if isinstance(source, bytes) else source.read_bytes()
    array = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if array is None or array.dtype != np.uint16:
        return None
    if array.ndim == 2:
        array = cv2.cvtColor(array, cv2.COLOR_GRAY2BGR)
    return cv2.cvtColor(array, cv2.COLOR_BGRA2RGBA if array.shape[2] == 4 else cv2.COLOR_BGR2RGBA)


def _decode_8_bit(image: Image.Image) -> np.ndarray:
    """Return (height, width, 4) uint8 sRGB codes."""
    image.load()
    alpha = image.convert("RGBA").getchannel("A") if image.has_transparency_data else None
    profile = image.info.get("icc_profile")
    if image.mode not in ("RGB", "CMYK", "L"):
        if image.mode.startswith("I") or image.mode == "F":
            image = Image.fromarray((np.asarray(image, np.float64) / 257).clip(0, 255).astype("u1"))
        else:
            image = image.convert("L" if image.mode in ("1", "LA") else "RGB")
    colour = _to_srgb(image, profile)
    channels = [*colour.split(), alpha or Image.new("L", colour.size, 255)]
    return np.asarray(Image.merge("RGBA", channels))


def _to_srgb(image: Image.Image, profile: bytes | None) -> Image.Image:
    if profile:
        try:
            converted = ImageCms.profileToProfile(
                image,
                ImageCms.ImageCmsProfile(io.BytesIO(profile)),
                ImageCms.createProfile("sRGB"),
                renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
                outputMode="RGB",
                flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
            )
        except ImageCms.PyCMSError:
            pass  # a profile for another kind of colour: shown as if it had none, like elsewhere
        else:
            if converted is not None:
                return converted
    return image.convert("RGB")


def _oriented(codes: np.ndarray, orientation: int) -> np.ndarray:
    """Turn and mirror as EXIF 2.32, tag 274 asks."""
    if orientation in (5, 6, 7, 8):
        codes = codes.transpose(1, 0, 2)
    if orientation in (2, 3, 6, 7):
        codes = codes[:, ::-1]
    if orientation in (3, 4, 7, 8):
        codes = codes[::-1]
    return np.ascontiguousarray(codes)


def linear_premultiplied(codes: np.ndarray) -> Rgba16:
    """Return (height, width, 4) linear light of sRGB codes, uint8 or uint16, straight alpha."""
    if codes.dtype == np.uint8:
        linear = cv2.LUT(codes, linear16_from_srgb(256))
        alpha = codes[..., 3].astype(np.uint16) * 257
    else:
        linear = linear16_from_srgb(65536)[codes]
        alpha = codes[..., 3]
    linear[..., 3] = alpha
    if alpha.min() < 65535:
        weight = cv2.merge([alpha, alpha, alpha, np.full_like(alpha, 65535)])
        linear = cv2.multiply(linear, weight, scale=1 / 65535)
    return linear
