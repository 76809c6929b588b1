"""Frames as numbered PNG files: 8-bit sRGB, over the background or with transparency."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Sequence
from pathlib import Path
from types import TracebackType
from typing import Self

import numpy as np

from vistaline.core.errors import RenderError
from vistaline.core.files import replace_safely, write_atomically
from vistaline.core.formats.encoders import ClipFormat, Layout
from vistaline.core.model import Part
from vistaline.core.picture.still import encode_png

__all__ = ["PngFrames", "PngFramesWithAlpha"]


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


class NoOptions(Part):
    """Nothing can be chosen."""


class _PngWriter:
    def __init__(self, pattern: str, keep: bool, written: Callable[[int], None]) -> None:
        self._pattern, self._keep, self._written = pattern, keep, written
        self._count = 0

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        """Every frame was written whole already."""

    def has(self, frame: int) -> bool:
        there = self._keep and numbered(self._pattern, frame).exists()
        if there:
            self._tell()
        return there

    def buffer(self) -> None:
        return None

    def write(self, frame: int, pixels: np.ndarray) -> None:
        write_atomically(numbered(self._pattern, frame), encode_png(pixels))
        self._tell()

    def _tell(self) -> None:
        self._count += 1
        self._written(self._count)


class PngFrames:
    """A file for every frame; the bench hands them over in one archive."""

    key, label, about = "png", "Frames", "PNG, 8-bit sRGB"
    ending, suffix = ".png", ".zip"
    joined, plays = False, False
    layout, options = Layout.RGB8, NoOptions

    def open(
        self,
        target: str,
        clip: ClipFormat,
        *,
        options: NoOptions,
        threads: int,
        keep: bool,
        written: Callable[[int], None],
    ) -> _PngWriter:
        """Begin to write files named by ``target``, such as ``frames/%04d.png``."""
        numbered(target, 0)
        return _PngWriter(target, keep, written)

    def part(self, folder: Path, start: int) -> str:
        """Return the pattern that all ranges share."""
        return str(folder / "%06d.png")

    def parts(self, folder: Path, ranges: Sequence[tuple[int, int]]) -> list[Path]:
        """Return the files of all frames."""
        frames = (frame for start, stop in ranges for frame in range(start, stop))
        return [folder / f"{frame:06d}.png" for frame in frames]

    def join(
        self, parts: Sequence[Path], result: Path, clip: ClipFormat, check: Callable[[], None]
    ) -> None:
        """Put the files into an archive: stored, not deflated, as PNG is compressed already."""
        unfinished = result.with_suffix(".part")
        with zipfile.ZipFile(unfinished, "w", zipfile.ZIP_STORED) as archive:
            for frame in parts:
                check()
                archive.write(frame, frame.name)
        replace_safely(unfinished, result)


class PngFramesWithAlpha(PngFrames):
    """The same without the shot's background: what no layer covers is transparent."""

    key, label, about = "png-alpha", "Frames with transparency", "PNG, 8-bit sRGB, straight alpha"
    ending = ".alpha.png"
    layout = Layout.RGBA8
