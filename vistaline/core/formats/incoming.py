"""Reading what people bring in: pictures, documents and their parts, each in a child process.

The servers read no such file in any other way. What is read is kept as a pyramid or as codes of
our own making, which need no care any more. How a child is bound is in ``confined``.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
from PIL import Image

from vistaline.core.confined import Bounds, confined
from vistaline.core.errors import PictureError
from vistaline.core.formats import documents
from vistaline.core.formats.documents import DEFAULT_TALL, Document
from vistaline.core.picture import clips, decode
from vistaline.core.picture.clip import Clip
from vistaline.core.picture.decode import PictureInfo
from vistaline.core.picture.pyramid import write_pyramid
from vistaline.core.picture.still import encode_png
from vistaline.core.picture.transfer import linear_from_clip

__all__ = [
    "clip_of",
    "frames_of_clip",
    "header_of",
    "inspect_upload",
    "keep_pyramid",
    "part_as_picture",
    "picture_codes",
    "small_part",
    "sound_clip",
]

_LOOK = Bounds(memory=400_000_000, seconds=20, output=0)
_PART = Bounds(memory=1_600_000_000, seconds=60, output=0)
_SMALL = Bounds(memory=600_000_000, seconds=20, output=0)
_DECODE = Bounds(memory=1_600_000_000, seconds=120, files=16)
_PACKETS = Bounds(memory=1_000_000_000, seconds=60, output=0)
_PIECE = 600
"""Frames that are looked at without a word of how far it is."""


def header_of(source: Path, name: str) -> PictureInfo:
    """Return what a picture's header tells; of one that moves, what its frames are.

    Raises as :func:`decode.inspect_picture` and :func:`clips.inspect_clip`.
    """
    return confined(_header, source, name, name=name, bounds=_PACKETS)


def _header(source: Path, name: str) -> PictureInfo:
    if not clips.is_clip(source):
        return decode.inspect_picture(source, name)
    clip = clips.inspect_clip(source, name)
    return PictureInfo(
        format=clip.format,
        extension=clip.extension,
        width=clip.width,
        height=clip.height,
        has_alpha=clip.has_alpha,
        bits=clip.bits,
        moves=True,
    )


def clip_of(source: Path, name: str, rate: Fraction | None = None) -> Clip:
    """Return what a moving picture holds; see :func:`clips.inspect_clip`."""
    return confined(
        clips.inspect_clip, source, name, rate or clips.USUAL_RATE, name=name, bounds=_PACKETS
    )


def sound_clip(
    source: Path,
    name: str,
    clip: Clip,
    progress: Callable[[float, str], None] = lambda share, words: None,
) -> Clip:
    """Return a moving picture as far as it can be decoded; all of it is.

    Raises
    ------
    PictureError
        Not one frame can be, or one of its stills is damaged.
    """
    sound = 0
    while sound < clip.frames:
        progress(sound / clip.frames, f"frame {sound} of {clip.frames}")
        count = min(_PIECE, clip.frames - sound)
        found = confined(
            clips.sound_frames, source, name, clip, sound, count, name=name, bounds=_DECODE
        )
        sound += found
        if found < count:
            break
    if not sound:
        raise PictureError(name, "not one frame of it can be decoded. Save or copy it again.")
    return clip.until(sound)


def frames_of_clip(source: Path, name: str, clip: Clip, first: int, count: int) -> np.ndarray:
    """Return the codes of some frames of a moving picture; see :func:`clips.clip_codes`."""
    return confined(clips.clip_codes, source, name, clip, first, count, name=name, bounds=_DECODE)


def inspect_upload(source: Path, name: str) -> Document | PictureInfo:
    """Return what a file holds: the parts of a document, or what a picture's header tells.

    Raises
    ------
    PictureError
        It is neither, is broken, or is too large.
    """
    return confined(_look_into, source, name, name=name, bounds=_PACKETS)


def _look_into(source: Path, name: str) -> Document | PictureInfo:
    if clips.is_clip(source):
        return _header(source, name)
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
    if clips.is_clip(source):
        clip = clips.inspect_clip(source, name)
        first = linear_from_clip(clips.clip_codes(source, name, clip, 0, 1)[0], clip.tags)
        write_pyramid(path, (clip.width, clip.height), [first])
        return
    with decode.decoding(source, name) as picture:
        linear = (decode.linear_premultiplied(band) for band in picture.bands())
        write_pyramid(path, (picture.width, picture.height), linear)
