"""What a render asks of whatever it becomes: a clip, the files of frames, ...

An output is an encoder, which says what it is and opens writers; those there are, are in
``outputs``.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Protocol, Self

import numpy as np

from vistaline.core.model import Part

__all__ = ["ClipFormat", "Encoder", "Layout", "Writer"]


class Layout(StrEnum):
    """How an encoder wants a frame's pixels; ``Renderer.pixels`` makes each of them."""

    YUV420 = "yuv420"
    """(height * 3/2, width) uint8: planar 4:2:0, BT.709, narrow range."""
    RGB8 = "rgb8"
    """(height, width, 3) uint8, sRGB."""
    RGBA8 = "rgba8"
    """(height, width, 4) uint8: sRGB, straight alpha, nothing behind the layers."""
    LINEAR16 = "linear16"
    """(height, width, 4) uint16: linear light, premultiplied, over the shot's background."""
    LIGHT16 = "light16"
    """The same with nothing behind the layers."""
    LINEAR_NEAR = "linear near"
    """(height, width, 5) float32: linear light of 0 to 1, premultiplied, over the shot's
    background; then 1/z of what is seen in 1/m, 0 where nothing is."""
    LIGHT_NEAR = "light near"
    """The same with nothing behind the layers."""
    RGB16 = "rgb16"
    """(height, width, 3) uint16, sRGB."""
    RGBA16 = "rgba16"
    """(height, width, 4) uint16: sRGB, straight alpha, nothing behind the layers."""


@dataclass(frozen=True)
class ClipFormat:
    """What frames are like, whatever they are written into."""

    size: tuple[int, int]
    """Width and height in pixels."""
    rate: Fraction
    """Frames a second."""
    made: str = ""
    """What made them: kept as a comment."""
    first: int = 0
    """Number of the first frame, by which a time code counts."""
    names: tuple[str, ...] = ()
    """What the files of frames are called in an archive, in order, without their ending."""


class Writer(Protocol):
    """A file, or files, that frames are being written into; leaving its block completes it.

    Left by an error, nothing is there that looks complete.
    """

    def __enter__(self) -> Self: ...

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None: ...

    def has(self, frame: int) -> bool:
        """Whether a frame is safely there from an earlier attempt, and need not be rendered."""
        ...

    def buffer(self) -> np.ndarray | None:
        """Return a frame's array that is free to be filled again, if there is one."""
        ...

    def write(self, frame: int, pixels: np.ndarray) -> None:
        """Hand over a frame by its number in the shot; the array is not copied."""
        ...


class Encoder(Protocol):
    """One kind of output."""

    @property
    def key(self) -> str:
        """What a form, a job or the command line asks for it by."""
        ...

    @property
    def label(self) -> str:
        """Its name, for a person."""
        ...

    @property
    def about(self) -> str:
        """What it is, for a person: "PNG, 8-bit sRGB"."""
        ...

    @property
    def use(self) -> str:
        """What it is good for: outputs are offered together by this."""
        ...

    @property
    def ending(self) -> str:
        """What the command line's target ends with, such as ".mp4"."""
        ...

    @property
    def suffix(self) -> str:
        """What the one file ends with that the bench hands over."""
        ...

    @property
    def joined(self) -> bool:
        """Whether ranges of frames are files of their own that are joined, or just more frames."""
        ...

    @property
    def plays(self) -> bool:
        """Whether a browser plays what is handed over."""
        ...

    @property
    def options(self) -> type[Part]:
        """What can be chosen; its fields are checked by their types and limits."""
        ...

    def layout(self, options: Any) -> Layout:
        """Return how it wants frames."""
        ...

    def open(
        self,
        target: str,
        clip: ClipFormat,
        *,
        options: Any,
        threads: int,
        keep: bool,
        written: Callable[[int], None],
    ) -> Writer:
        """Begin to write to ``target``: a file's path, or a pattern for the files of frames.

        ``threads`` the encoder may use, 0 for as many as it likes; ``keep``: frames that are there
        already are not written again; ``written`` is called, in whatever thread, with the number
        of frames that are in the file.
        """
        ...

    def part(self, folder: Path, start: int) -> str:
        """Return the target of a range of frames, from ``start`` on, among others in a folder."""
        ...

    def parts(self, folder: Path, ranges: Sequence[tuple[int, int]]) -> list[Path]:
        """Return the files that the ranges (first, last + 1) have left in the folder."""
        ...

    def join(
        self,
        parts: Sequence[Path],
        result: Path,
        clip: ClipFormat,
        options: Any,
        check: Callable[[], None],
    ) -> None:
        """Make the one file of all ranges' files, in order; ``check`` may raise to stop."""
        ...
