"""Frames as numbered PNG files: 8-bit sRGB."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from vistaline.core.errors import RenderError
from vistaline.core.formats.shotfile import write_atomically

__all__ = ["encode_jpeg", "encode_png", "numbered", "write_png"]


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


def encode_png(rgb: np.ndarray) -> bytes:
    """Return a PNG of (height, width, 3) uint8 sRGB."""
    done, data = cv2.imencode(
        ".png", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_PNG_COMPRESSION, 3]
    )
    if not done:
        raise RenderError("The frame could not be written as PNG.")
    return data.tobytes()


def encode_jpeg(rgb: np.ndarray, quality: int = 88) -> bytes:
    """Return a JPEG of (height, width, 3) uint8 sRGB."""
    done, data = cv2.imencode(
        ".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, quality]
    )
    if not done:
        raise RenderError("The frame could not be written as JPEG.")
    return data.tobytes()


def write_png(path: Path, rgb: np.ndarray) -> None:
    """Write one frame, whole or not at all."""
    write_atomically(path, encode_png(rgb))
