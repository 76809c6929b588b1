"""Frames as numbered PNG files: 8-bit sRGB."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from vistaline.core.errors import RenderError
from vistaline.core.files import write_atomically
from vistaline.core.picture.still import encode_png

__all__ = ["numbered", "write_png"]


def numbered(pattern: str, frame: int) -> Path:
    """Return the path of one frame; ``pattern`` holds its number's place, as ``%04d``.

    >>> numbered("frames/%04d.png", 7).as_posix()
    'frames/0007.png'
    """
    try:
        name = pattern % frame
    except (TypeError, ValueError):
        name = pattern
    if name == pattern:
        raise RenderError(
            f"{pattern} has no place for the frame's number. Write it as %04d: frames/%04d.png"
        )
    return Path(name)


def write_png(path: Path, rgb: np.ndarray) -> None:
    """Write one frame, whole or not at all."""
    write_atomically(path, encode_png(rgb))
