"""Frames as numbered files: PNG, TIFF, OpenEXR, JPEG; over the background or over nothing."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Any, Literal, Self

import numpy as np
from pydantic import Field

from vistaline.core.errors import RenderError
from vistaline.core.files import replace_safely, write_atomically
from vistaline.core.formats.encoders import ClipFormat, Layout
from vistaline.core.formats.marks import marked
from vistaline.core.model import Part
from vistaline.core.picture.floating import encode_exr
from vistaline.core.picture.still import encode_jpeg, encode_png, encode_still

__all__ = ["EXR", "JPEG", "PNG", "PNG_ALPHA", "TIFF", "FrameFiles", "FrameWriter", "png_of"]


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


class _Png(Part):
    bits: Literal["8", "16"] = Field("8", description="Bits of each of red, green and blue.")


class _Nothing(Part):
    """Nothing can be chosen."""


class _Exr(Part):
    alpha: bool = Field(
        False, description="Premultiplied over nothing, in place of over the background."
    )
    depth: Literal["none", "metres", "1/z"] = Field(
        "none",
        description="A channel Z beside the light: metres along the camera's axis, infinite where "
        "nothing is; or one over that, 0 where nothing is. Sharp, whatever is blurred.",
    )


class _Jpeg(Part):
    quality: int = Field(92, ge=1, le=100)


class FrameWriter:
    """Writes the files of frames, each whole as soon as it is there."""

    def __init__(
        self,
        pattern: str,
        encode: Callable[[np.ndarray], bytes],
        keep: bool,
        written: Callable[[int], None],
    ) -> None:
        self._pattern, self._encode, self._keep = pattern, encode, keep
        self._written, self._count = written, 0

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
        write_atomically(numbered(self._pattern, frame), self._encode(pixels))
        self._tell()

    def _tell(self) -> None:
        self._count += 1
        self._written(self._count)


@dataclass(frozen=True, kw_only=True)
class FrameFiles:
    """A file for every frame; the bench hands them over in one archive."""

    key: str
    label: str
    about: str
    ending: str
    options: type[Part]
    laid: Callable[[Any], Layout]
    """The layout that follows from what was chosen."""
    encode: Callable[[np.ndarray, Any], bytes]
    """Returns a file of pixels in that layout."""
    use: str = "Frames for others"
    suffix: str = ".zip"
    joined: bool = False
    plays: bool = False

    def layout(self, options: Any) -> Layout:
        """Return how it wants frames."""
        return self.laid(options)

    def open(
        self,
        target: str,
        clip: ClipFormat,
        *,
        options: Any,
        threads: int,
        keep: bool,
        written: Callable[[int], None],
    ) -> FrameWriter:
        """Begin to write files named by ``target``, such as ``frames/%04d.png``."""
        numbered(target, 0)
        return self.frame_writer(target, clip, options, keep=keep, written=written)

    def frame_writer(
        self,
        pattern: str,
        clip: ClipFormat,
        options: Any,
        *,
        keep: bool,
        written: Callable[[int], None],
    ) -> FrameWriter:
        """Begin to write the files of frames, each with what made it."""

        def encode(pixels: np.ndarray) -> bytes:
            return marked(self.encode(pixels, options), clip.made)

        return FrameWriter(pattern, encode, keep, written)

    def part(self, folder: Path, start: int) -> str:
        """Return the pattern that all ranges share."""
        return str(folder / f"%06d{self.frame_ending}")

    def parts(self, folder: Path, ranges: Sequence[tuple[int, int]]) -> list[Path]:
        """Return the files of all frames."""
        frames = (frame for start, stop in ranges for frame in range(start, stop))
        return [folder / f"{frame:06d}{self.frame_ending}" for frame in frames]

    @property
    def frame_ending(self) -> str:
        """What a frame's own file ends with."""
        return Path(f"_{self.ending}").suffix

    def join(
        self,
        parts: Sequence[Path],
        result: Path,
        clip: ClipFormat,
        options: Any,
        check: Callable[[], None],
    ) -> None:
        """Put the files into an archive: stored, not deflated, as frames are compressed already."""
        unfinished = result.with_suffix(".part")
        with zipfile.ZipFile(unfinished, "w", zipfile.ZIP_STORED) as archive:
            for n, frame in enumerate(parts):
                check()
                name = f"{clip.names[n]}{self.frame_ending}" if clip.names else frame.name
                archive.write(frame, name)
        replace_safely(unfinished, result)


def png_of(pixels: np.ndarray, _: Any) -> bytes:
    """Return a PNG file of pixels in whatever layout it was asked for."""
    return encode_png(pixels)


def _half_float(pixels: np.ndarray, chosen: _Exr) -> bytes:
    """Return an OpenEXR file of linear light, half float; with depth, a channel Z of 32 bits."""
    if chosen.depth == "none":
        return encode_exr((pixels / np.float32(65535)).astype(np.float16))
    near = pixels[..., 4]
    if chosen.depth == "metres":
        with np.errstate(divide="ignore"):
            near = 1 / near
    return encode_exr(pixels[..., :4].astype(np.float16), near.astype(np.float32))


def _exr_layout(chosen: _Exr) -> Layout:
    if chosen.depth == "none":
        return Layout.LIGHT16 if chosen.alpha else Layout.LINEAR16
    return Layout.LIGHT_NEAR if chosen.alpha else Layout.LINEAR_NEAR


PNG = FrameFiles(
    key="png",
    label="Frames",
    about="PNG, sRGB, 8 or 16 bit",
    ending=".png",
    options=_Png,
    laid=lambda chosen: Layout.RGB16 if chosen.bits == "16" else Layout.RGB8,
    encode=png_of,
)
PNG_ALPHA = FrameFiles(
    key="png-alpha",
    label="Frames with transparency",
    about="PNG, sRGB, 8 or 16 bit, straight alpha",
    ending=".alpha.png",
    options=_Png,
    laid=lambda chosen: Layout.RGBA16 if chosen.bits == "16" else Layout.RGBA8,
    encode=png_of,
)
TIFF = FrameFiles(
    key="tiff",
    label="Frames, TIFF",
    about="TIFF, sRGB, 16 bit, straight alpha over nothing",
    ending=".tif",
    options=_Nothing,
    laid=lambda chosen: Layout.RGBA16,
    encode=lambda pixels, _: encode_still(pixels, "tiff16"),
)
EXR = FrameFiles(
    key="exr",
    label="Frames, OpenEXR",
    about="OpenEXR, half float, linear light, also with depth",
    ending=".exr",
    options=_Exr,
    laid=_exr_layout,
    encode=_half_float,
)
JPEG = FrameFiles(
    key="jpeg",
    label="Frames, JPEG",
    about="JPEG, sRGB, small and not exact",
    ending=".jpg",
    options=_Jpeg,
    laid=lambda chosen: Layout.RGB8,
    encode=lambda pixels, chosen: encode_jpeg(pixels, chosen.quality),
)
