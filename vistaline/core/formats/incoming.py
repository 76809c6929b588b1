"""Reading what people bring in: pictures, documents and their parts, each in a child process.

The servers read no such file in any other way. What is read is kept as a pyramid or as codes of
our own making, which need no care any more. How a child is bound is in ``confined``.
"""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from PIL import Image

from vistaline.core.confined import Bounds, confined
from vistaline.core.formats import documents
from vistaline.core.formats.documents import DEFAULT_TALL, Document
from vistaline.core.picture import decode
from vistaline.core.picture.decode import PictureInfo
from vistaline.core.picture.pyramid import write_pyramid
from vistaline.core.picture.still import encode_png

__all__ = [
    "header_of",
    "inspect_upload",
    "keep_pyramid",
    "part_as_picture",
    "picture_codes",
    "small_part",
]

_LOOK = Bounds(memory=400_000_000, seconds=20, output=0)
_PART = Bounds(memory=1_600_000_000, seconds=60, output=0)
_SMALL = Bounds(memory=600_000_000, seconds=20, output=0)
_DECODE = Bounds(memory=1_600_000_000, seconds=120, files=16)


def header_of(source: Path, name: str) -> PictureInfo:
    """Return what a picture's header tells; raises as :func:`decode.inspect_picture`."""
    return confined(decode.inspect_picture, source, name, name=name, bounds=_LOOK)


def inspect_upload(source: Path, name: str) -> Document | PictureInfo:
    """Return what a file holds: the parts of a document, or what a picture's header tells.

    Raises
    ------
    PictureError
        It is neither, is broken, or is too large.
    """
    return confined(_look_into, source, name, name=name, bounds=_LOOK)


def _look_into(source: Path, name: str) -> Document | PictureInfo:
    return documents.open_document(source, name) or decode.inspect_picture(source, name)


def part_as_picture(
    source: Path, name: str, index: int, *, height: int = DEFAULT_TALL
) -> tuple[bytes, str]:
    """Return a document's part as a picture file; see :func:`documents.part_as_picture`."""
    return confined(
        documents.part_as_picture, source, name, index, name=name, bounds=_PART, height=height
    )


def small_part(source: Path, name: str, index: int, side: int) -> bytes:
    """Return a document's part as a small PNG that fits ``side`` x ``side`` pixels."""
    return confined(_small_part, source, name, index, side, name=name, bounds=_SMALL)


def _small_part(source: Path, name: str, index: int, side: int) -> bytes:
    data, _ = documents.part_as_picture(source, name, index, height=side)
    with Image.open(io.BytesIO(data), formats=["PNG"]) as image:
        # Halved on the way in, where that can be: a layer may have 120 megapixels.
        small = image.reduce(max(1, min(image.size) // (2 * side))).convert("RGBA")
    small.thumbnail((side, side))
    return encode_png(np.asarray(small))


def picture_codes(source: Path, name: str) -> np.ndarray:
    """Return a picture's sRGB codes; see :func:`decode.decode_codes`."""
    return confined(decode.decode_codes, source, name, name=name, bounds=_DECODE)


def keep_pyramid(source: Path, name: str, path: Path) -> None:
    """Decode a picture and write its pyramid to ``path``; raises as :func:`picture_codes`."""
    confined(_keep_pyramid, source, name, path, name=name, bounds=_DECODE)


def _keep_pyramid(source: Path, name: str, path: Path) -> None:
    with decode.decoding(source, name) as picture:
        linear = (decode.linear_premultiplied(band) for band in picture.bands())
        write_pyramid(path, (picture.width, picture.height), linear)
