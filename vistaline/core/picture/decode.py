"""Pictures in: from a file to linear light, premultiplied, 16 bit.

The header is checked before any pixel is decoded, so a picture bomb costs nothing.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageCms, UnidentifiedImageError

from vistaline.core.arrays import Rgba16
from vistaline.core.errors import PictureError
from vistaline.core.picture.colour import linear16_from_srgb
from vistaline.core.picture.floating import exr_codes, exr_size, is_exr

__all__ = [
    "PIXEL_LIMIT",
    "SIDE_LIMIT",
    "PictureInfo",
    "decode_codes",
    "decode_picture",
    "decoding",
    "inspect_picture",
    "linear_premultiplied",
]

PIXEL_LIMIT = 120_000_000
"""Pixels a picture may have."""
SIDE_LIMIT = 32_000
"""Pixels a side may have: OpenCV's sampling stops at 32,767."""

_BAND = 256
"""Rows that are converted at a time."""
_READABLE = {"JPEG": "jpg", "PNG": "png", "WEBP": "webp", "TIFF": "tif", "AVIF": "avif"}
_OTHERS = {
    b"GIF8": "GIF",
    b"BM": "BMP",
    b"\0\0\1\0": "ICO",
    b"\0\0\0\x0cjP  ": "JPEG 2000",
}
"""What is often brought in and not read, by the bytes it begins with."""
_UNREADABLE = (
    UnidentifiedImageError, OSError, SyntaxError, ValueError, TypeError, RuntimeError, KeyError,
    struct.error,
)  # fmt: skip
"""What Pillow's readers raise where a header makes no sense."""
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
    moves: bool = False


def inspect_picture(source: Path | bytes, name: str) -> PictureInfo:
    """Read a picture's header.

    ``name`` is the file as the person knows it; it opens every sentence of refusal.

    Raises
    ------
    PictureError
        Not a picture, a kind not read here, or too many pixels.
    """
    if is_exr(source):
        width, height, has_alpha = exr_size(source, name)
        _check_size(width, height, name)
        return PictureInfo(
            format="OpenEXR",
            extension="exr",
            width=width,
            height=height,
            has_alpha=has_alpha,
            bits=16,
        )
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
    with decoding(source, name) as picture:
        codes: np.ndarray | None = None
        top = 0
        for band in picture.bands():
            if codes is None:
                codes = np.empty((picture.height, picture.width, 4), band.dtype)
            codes[top : top + len(band)] = band
            top += len(band)
    assert codes is not None
    return codes


@dataclass(frozen=True, kw_only=True)
class Decoded:
    """A picture that is decoded once and given out in bands of rows, upright."""

    width: int
    height: int
    bands: Callable[[], Iterator[np.ndarray]]
    """Gives (rows, width, 4) uint8 or uint16 sRGB codes, straight alpha, top to bottom."""


@contextmanager
def decoding(source: Path | bytes, name: str) -> Iterator[Decoded]:
    """Decode a picture for as long as the block runs.

    In bands, as a picture takes several times its memory on the way from its file to codes.
    Raises as :func:`decode_codes`, also while bands are taken.
    """
    if is_exr(source):
        told = inspect_picture(source, name)
        codes = exr_codes(source, name)
        if codes.shape[:2] != (told.height, told.width):
            raise PictureError(name, "its header is damaged. Save or copy it again.")
        bands = partial(_pieces, codes)
        yield Decoded(width=told.width, height=told.height, bands=bands)
        return
    with _opened(source, name) as image:
        info = _info(image, name)
        orientation = _orientation(image)
        try:
            deep = _decode_deep(source) if info.bits == 16 else None
            if deep is not None:
                upright = _oriented(deep, orientation)
                bands = partial(_deep_bands, upright)
            else:
                image.load()
                bands = partial(_bands, _turned(image, orientation))
            yield Decoded(width=info.width, height=info.height, bands=bands)
        except PictureError:
            raise
        except (OSError, SyntaxError, ValueError, TypeError, RuntimeError, struct.error) as error:
            raise PictureError(
                name, "the file breaks off or is damaged. Save or copy it again."
            ) from error


def _opened(source: Path | bytes, name: str) -> Image.Image:
    data: Path | io.BytesIO
    if isinstance(source, bytes):
        empty, data = not source, io.BytesIO(source)
    else:
        empty, data = source.stat().st_size == 0, source
    if empty:
        raise PictureError(name, "the file is empty. Choose another.")
    try:
        image = Image.open(data, formats=list(_READABLE))
        _ = image.size  # some readers find out only now that there is none
        return image
    except _UNREADABLE as error:
        head = source[:16] if isinstance(source, bytes) else _head(source)
        kind = next((words for begin, words in _OTHERS.items() if head.startswith(begin)), None)
        if kind:
            raise PictureError(
                name, f"this is a {kind} picture, which is not read here. Save it as JPEG or PNG."
            ) from error
        raise PictureError(
            name,
            "this is not a picture that can be read. Use JPEG, PNG, WebP, AVIF, TIFF, OpenEXR, "
            "PDF, SVG or OpenRaster.",
        ) from error


def _head(path: Path) -> bytes:
    with path.open("rb") as file:
        return file.read(16)


def _info(image: Image.Image, name: str) -> PictureInfo:
    kind = image.format or "unknown"
    width, height = image.size
    _check_size(width, height, name)
    try:
        turned = _orientation(image) >= 5
        bits = 16 if _is_deep(image) else 8
    except _UNREADABLE as error:
        raise PictureError(name, "its header is damaged. Save or copy it again.") from error
    return PictureInfo(
        format=kind,
        extension=_READABLE[kind],
        width=height if turned else width,
        height=width if turned else height,
        has_alpha=image.has_transparency_data,
        bits=bits,
    )


def _check_size(width: int, height: int, name: str) -> None:
    if width * height > PIXEL_LIMIT or max(width, height) > SIDE_LIMIT:
        raise PictureError(
            name,
            f"{width:,} × {height:,} pixels are too many; the limit is "
            f"{PIXEL_LIMIT // 1_000_000} megapixels and {SIDE_LIMIT:,} pixels a side. "
            "Make it smaller first.",
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
    """Return (height, width[, 3 or 4]) uint16 codes in OpenCV's order, None if it keeps no 16."""
    data = source if isinstance(source, bytes) else source.read_bytes()
    array = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if array is None or array.dtype != np.uint16:
        return None
    return array


def _pieces(codes: np.ndarray) -> Iterator[np.ndarray]:
    for top in range(0, len(codes), _BAND):
        yield codes[top : top + _BAND]


def _deep_bands(codes: np.ndarray) -> Iterator[np.ndarray]:
    for top in range(0, len(codes), _BAND):
        band = np.ascontiguousarray(codes[top : top + _BAND])
        if band.ndim == 2:
            band = cv2.cvtColor(band, cv2.COLOR_GRAY2BGR)
        order = cv2.COLOR_BGRA2RGBA if band.shape[2] == 4 else cv2.COLOR_BGR2RGBA
        yield cv2.cvtColor(band, order)


def _bands(image: Image.Image) -> Iterator[np.ndarray]:
    """Yield bands of uint8 sRGB codes of a picture that is loaded."""
    profile = image.info.get("icc_profile")
    convert: _Conversion | None = None
    for top in range(0, image.height, _BAND):
        band = image.crop((0, top, image.width, min(top + _BAND, image.height)))
        alpha = band.convert("RGBA").getchannel("A") if image.has_transparency_data else None
        if band.mode not in ("RGB", "CMYK", "L"):
            if band.mode.startswith("I") or band.mode == "F":
                codes = (np.asarray(band, np.float64) / 257).clip(0, 255).astype("u1")
                band = Image.fromarray(codes)
            else:
                band = band.convert("L" if band.mode in ("1", "LA") else "RGB")
        convert = convert or _to_srgb(band.mode, profile)
        colour = convert(band)
        channels = [*colour.split(), alpha or Image.new("L", colour.size, 255)]
        yield np.asarray(Image.merge("RGBA", channels))


_Conversion = Callable[[Image.Image], Image.Image]


def _to_srgb(mode: str, profile: bytes | None) -> _Conversion:
    """Return what turns a picture of ``mode`` into sRGB."""
    if profile:
        try:
            transform = ImageCms.buildTransform(
                ImageCms.ImageCmsProfile(io.BytesIO(profile)),
                ImageCms.createProfile("sRGB"),
                mode,
                "RGB",
                renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
                flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
            )
        except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
            pass  # a profile for another kind of colour: shown as if it had none, like elsewhere
        else:
            return lambda image: ImageCms.applyTransform(image, transform) or image
    return lambda image: image.convert("RGB")


_TRANSPOSED = {
    2: Image.Transpose.FLIP_LEFT_RIGHT,
    3: Image.Transpose.ROTATE_180,
    4: Image.Transpose.FLIP_TOP_BOTTOM,
    5: Image.Transpose.TRANSPOSE,
    6: Image.Transpose.ROTATE_270,
    7: Image.Transpose.TRANSVERSE,
    8: Image.Transpose.ROTATE_90,
}


def _turned(image: Image.Image, orientation: int) -> Image.Image:
    """Turn and mirror as EXIF 2.32, tag 274 asks."""
    if orientation not in _TRANSPOSED:
        return image
    return image.transpose(_TRANSPOSED[orientation])


def _oriented(codes: np.ndarray, orientation: int) -> np.ndarray:
    """Return a view of an array, turned and mirrored as EXIF 2.32, tag 274 asks."""
    if orientation in (5, 6, 7, 8):
        codes = codes.swapaxes(0, 1)
    if orientation in (2, 3, 6, 7):
        codes = codes[:, ::-1]
    if orientation in (3, 4, 7, 8):
        codes = codes[::-1]
    return codes


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
