"""Moving pictures, of whatever kind: clips (``streams``) and rows of stills (``still_rows``).

Rates are constant: of a clip whose own is not, each frame is the one that is seen at its time.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from itertools import islice
from pathlib import Path

import av
import numpy as np

from vistaline.core.errors import PictureError
from vistaline.core.picture.clip import Clip
from vistaline.core.picture.still_rows import inspect_row, is_row, row_frames
from vistaline.core.picture.streams import inspect_stream, is_stream, sound_in_stream, stream_frames

__all__ = ["USUAL_RATE", "clip_codes", "inspect_clip", "is_clip", "sound_frames"]

USUAL_RATE = Fraction(24)
"""Frames a second of stills, where nobody says another."""


def is_clip(path: Path) -> bool:
    """Return whether a file is a moving picture, by how it begins."""
    return is_stream(path) or is_row(path)


def inspect_clip(path: Path, name: str, rate: Fraction = USUAL_RATE) -> Clip:
    """Return what a moving picture holds; ``rate`` is that of stills, which do not say it.

    Raises
    ------
    PictureError
        There is none in it, it is damaged from its start, too long or too large.
    """
    return inspect_row(path, name, rate) if is_row(path) else inspect_stream(path, name)


def sound_frames(path: Path, name: str, clip: Clip, first: int, count: int) -> int:
    """Return how many frames from number ``first`` on, at most ``count``, can be decoded.

    Raises
    ------
    PictureError
        One of them is a still that is damaged; it names which.
    """
    if clip.stamps:
        return sound_in_stream(path, name, clip, first, count)
    return sum(1 for _ in islice(row_frames(path, name, clip, first), count))


def clip_codes(path: Path, name: str, clip: Clip, first: int, count: int) -> np.ndarray:
    """Return frames ``first`` to ``first + count - 1``, each of ``clip.frame_shape``.

    They are planes as they were decoded, if ``clip.planar``, or (height, width, 3 or 4) uint8 or
    uint16 codes, R'G'B' of full range with straight alpha; transfer and primaries are the clip's
    own (``clip.tags``). Where it is damaged the frame before stands.

    Raises
    ------
    PictureError
        None of these frames can be decoded.
    """
    kind = np.uint16 if clip.bits > 8 else np.uint8
    out = np.empty((count, *clip.frame_shape), kind)
    filled = 0
    try:
        for codes in islice(_frames(path, name, clip, first), count):
            out[filled] = codes
            filled += 1
    except (av.error.FFmpegError, PictureError) as error:
        if not filled and isinstance(error, PictureError):
            raise
    if not filled:
        raise PictureError(name, f"its frame {first} is damaged. Save or copy the clip again.")
    out[filled:] = out[filled - 1]
    return out


def _frames(path: Path, name: str, clip: Clip, first: int) -> Iterator[np.ndarray]:
    return (stream_frames if clip.stamps else row_frames)(path, name, clip, first)
