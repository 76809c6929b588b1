"""Pictures that move by themselves: animated WebP, and GIF with a palette made for it.

Neither can be joined from parts: their frames are kept as PNG until all are there.
"""

from __future__ import annotations

import itertools
import os
import tempfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import av
import av.filter
import numpy as np
from pydantic import Field

from vistaline.core.errors import RenderError
from vistaline.core.files import replace_safely
from vistaline.core.formats.encoders import ClipFormat, Layout
from vistaline.core.formats.marks import marked
from vistaline.core.formats.sequence import FrameFiles, FrameWriter, png_of
from vistaline.core.model import Part

__all__ = ["GIF", "WEBP"]

Assemble = Callable[[Sequence[Path], Path, ClipFormat, Any], None]
"""Makes a file of frames' files, with what was chosen."""
_HUNDREDTH = Fraction(1, 100)
"""GIF89a counts time in hundredths of a second."""


class _Gif(Part):
    colours: int = Field(256, ge=4, le=256, description="Of its palette, made for all its frames.")


class _WebP(Part):
    quality: int = Field(82, ge=1, le=100)
    alpha: bool = Field(False, description="Transparent where no layer is.")


class _Whole:
    """Writes frames into a folder of its own, and the animation when all are there."""

    def __init__(self, target: Path, assemble: Callable[[Sequence[Path], Path], None],
                 open_: Callable[[str], FrameWriter]) -> None:  # fmt: skip
        self._target, self._assemble = target, assemble
        self._folder = tempfile.TemporaryDirectory(prefix="vistaline-")
        self._inner = open_(str(Path(self._folder.name) / "%06d.png"))

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        with self._folder as folder:
            if error is None:
                self._assemble(sorted(Path(folder).glob("*.png")), self._target)

    def has(self, frame: int) -> bool:
        return False

    def buffer(self) -> None:
        return None

    def write(self, frame: int, pixels: np.ndarray) -> None:
        self._inner.write(frame, pixels)


@dataclass(frozen=True, kw_only=True)
class Animation(FrameFiles):
    """A kind of animation."""

    assemble: Assemble
    encode: Callable[[np.ndarray, Any], bytes] = png_of
    use: str = "For pages"
    joined: bool = field(default=True)

    def open(
        self,
        target: str,
        clip: ClipFormat,
        *,
        options: Any,
        threads: int,
        keep: bool,
        written: Callable[[int], None],
    ) -> Any:
        """Begin to write: frames, if ``target`` has a place for their number, or the whole."""

        def inner(pattern: str) -> FrameWriter:
            return self.frame_writer(pattern, clip, options, keep=keep, written=written)

        if target.endswith(self.frame_ending):
            return inner(target)
        made = self.assemble
        return _Whole(Path(target), lambda files, to: made(files, to, clip, options), inner)

    @property
    def frame_ending(self) -> str:
        """What the file of a frame ends with that waits for the others."""
        return ".png"

    def join(
        self,
        parts: Sequence[Path],
        result: Path,
        clip: ClipFormat,
        options: Any,
        check: Callable[[], None],
    ) -> None:
        """Make the animation."""
        check()
        self.assemble(parts, result, clip, options)


def _frames(files: Sequence[Path], rate: Fraction, samples: str) -> Iterator[av.VideoFrame]:
    """Yield frames' files as frames, one after the other."""
    for n, file in enumerate(files):
        with av.open(str(file)) as picture:
            frame = next(picture.decode(video=0)).reformat(format=samples)
        frame.pts, frame.time_base = n, 1 / rate
        yield frame


def _written(result: Path, container: str, made: str, fill: Callable[[Any], None]) -> None:
    unfinished = result.with_name(f".{result.name}.{os.getpid()}.part")
    try:
        with av.open(str(unfinished), "w", format=container, options={"loop": "0"}) as out:
            fill(out)
        unfinished.write_bytes(marked(unfinished.read_bytes(), made))
        replace_safely(unfinished, result)
    except (OSError, av.error.FFmpegError) as error:
        raise RenderError(f"{result.name} could not be written: {error}") from error
    finally:
        unfinished.unlink(missing_ok=True)


def _webp(files: Sequence[Path], result: Path, clip: ClipFormat, chosen: _WebP) -> None:
    rate = clip.rate

    def fill(out: Any) -> None:
        stream = out.add_stream("libwebp_anim", rate=rate)
        stream.time_base = 1 / rate
        stream.codec_context.time_base = 1 / rate
        stream.pix_fmt = "yuva420p" if chosen.alpha else "yuv420p"
        stream.options = {"quality": str(chosen.quality), "loop": "0"}
        first = next(_frames(files[:1], rate, "rgba"))
        stream.width, stream.height = first.width, first.height
        for frame in _frames(files, rate, stream.pix_fmt):
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))

    _written(result, "webp", clip.made, fill)


def _gif(files: Sequence[Path], result: Path, clip: ClipFormat, chosen: _Gif) -> None:
    rate = clip.rate
    palette = _palette(files, rate, chosen.colours)

    def fill(out: Any) -> None:
        stream = out.add_stream("gif", rate=rate)
        stream.pix_fmt = "pal8"
        stream.time_base = stream.codec_context.time_base = _HUNDREDTH
        graph = av.filter.Graph()
        first = next(_frames(files[:1], rate, "rgba"))
        source = graph.add_buffer(width=first.width, height=first.height,
                                  format=first.format, time_base=1 / rate)  # fmt: skip
        told = graph.add_buffer(width=palette.width, height=palette.height,
                                format=palette.format, time_base=1 / rate)  # fmt: skip
        used = graph.add("paletteuse", "dither=sierra2_4a:diff_mode=rectangle")
        sink = graph.add("buffersink")
        source.link_to(used, 0, 0)
        told.link_to(used, 0, 1)
        used.link_to(sink)
        graph.configure()
        palette.pts, palette.time_base = 0, 1 / rate
        told.push(palette)
        told.push(None)
        stream.width, stream.height = first.width, first.height
        for frame in itertools.chain(_frames(files, rate, "rgba"), [None]):
            source.push(frame)
            for shown in _pulled(sink):
                assert shown.pts is not None and shown.time_base is not None
                shown.pts = round(shown.pts * shown.time_base / _HUNDREDTH)
                shown.time_base = _HUNDREDTH
                out.mux(stream.encode(shown))
        out.mux(stream.encode(None))

    _written(result, "gif", clip.made, fill)


def _palette(files: Sequence[Path], rate: Fraction, colours: int) -> av.VideoFrame:
    """Return the colours that serve all frames best, as a picture of 16 x 16."""
    graph = av.filter.Graph()
    first = next(_frames(files[:1], rate, "rgba"))
    source = graph.add_buffer(width=first.width, height=first.height,
                              format=first.format, time_base=1 / rate)  # fmt: skip
    asked = f"max_colors={colours}:reserve_transparent=0:stats_mode=full"
    made, sink = graph.add("palettegen", asked), graph.add("buffersink")
    source.link_to(made)
    made.link_to(sink)
    graph.configure()
    for frame in _frames(files, rate, "rgba"):
        source.push(frame)
    source.push(None)
    found = sink.pull()
    assert isinstance(found, av.VideoFrame)
    return found


def _pulled(sink: Any) -> Iterator[Any]:
    """Yield what a chain of filters has ready."""
    while True:
        try:
            yield sink.pull()
        except (BlockingIOError, EOFError):
            return


WEBP = Animation(
    key="webp",
    label="Animated WebP",
    about="WebP, loops, also transparent",
    ending=".webp",
    suffix=".webp",
    options=_WebP,
    laid=lambda chosen: Layout.RGBA8 if chosen.alpha else Layout.RGB8,
    assemble=_webp,
)
GIF = Animation(
    key="gif",
    label="GIF",
    about="GIF, loops, 256 colours: large, but shown anywhere",
    ending=".gif",
    suffix=".gif",
    options=_Gif,
    laid=lambda chosen: Layout.RGB8,
    assemble=_gif,
)
