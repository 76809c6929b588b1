"""Clips: coded frames in a container, at the exact rate. Pieces can be joined without loss."""

from __future__ import annotations

import math
import os
import queue
import threading
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import av
import numpy as np

from vistaline.core.errors import RenderError
from vistaline.core.files import replace_safely
from vistaline.core.formats.coded import BT709, FULL, NARROW, Coding, Kind, pictured
from vistaline.core.formats.encoders import ClipFormat, Layout
from vistaline.core.model import Part
from vistaline.core.timing import timecode

__all__ = ["Clip", "ClipWriter", "SilentClip", "add_silence", "join_clips"]

_SOUND_RATE = 48_000
_WAITING = 4
"""Frames that may wait for the encoder; more would only fill memory."""
_ENDINGS = {".mp4": "mp4", ".mov": "mov", ".webm": "webm", ".mkv": "matroska"}
"""Containers, by how files of theirs end."""
_ALIKE = {"fflags": "+bitexact"}
"""Without numbers by chance (WebM and Matroska) and without the muxer's version: the same frames
make the same bytes."""
_AT_ONCE = {"movflags": "+faststart"}
"""Of MP4 and MOV: what a player must know first comes first."""
# AV1's encoder prints its settings at every start unless it is told to print errors only.
os.environ.setdefault("SVT_LOG", "1")


class ClipWriter:
    """Encodes frames in a thread of its own while the next are rendered.

    The values written are sRGB-encoded, tagged BT.709, as video players expect of graphics
    (common practice, no source): the clip looks like the viewfinder.

    Leaving the block encodes what still waits, which may take as long as rendering did;
    ``written`` is called, in the encoder's thread, with the number of frames that are written.
    """

    def __init__(
        self,
        path: Path,
        clip: ClipFormat,
        coding: Coding,
        *,
        threads: int = 0,
        written: Callable[[int], None] = lambda count: None,
    ) -> None:
        self._path, self._written, self._coding, rate = path, written, coding, clip.rate
        if any(side % coding.whole for side in clip.size):
            raise RenderError(
                f"{path.name}: this clip needs frames of even width and height, not "
                f"{clip.size[0]} x {clip.size[1]}. Choose another size."
            )
        self._unfinished = path.with_name(f".{path.name}.{os.getpid()}.part")
        self._container = opened(self._unfinished, path.suffix, clip.made)
        stream: Any = self._container.add_stream(coding.codec, rate=rate)
        stream.width, stream.height = clip.size
        stream.pix_fmt = coding.samples
        stream.time_base = 1 / rate
        if path.suffix == ".mov":
            stream.metadata["timecode"] = timecode(clip.first, rate)
        stream.options = dict(coding.settings)
        if coding.bits_a_second:
            stream.bit_rate = coding.bits_a_second
        context = stream.codec_context
        if coding.tag:
            context.codec_tag = coding.tag
        context.thread_count = threads
        context.time_base = 1 / rate
        context.framerate = rate
        context.color_primaries, context.color_trc = BT709, coding.transfer
        context.colorspace = coding.matrix
        context.color_range = FULL if coding.wide else NARROW
        self._stream = stream
        self._frames: queue.Queue[np.ndarray | None] = queue.Queue(_WAITING)
        self._spare: queue.SimpleQueue[np.ndarray] = queue.SimpleQueue()
        self._error: BaseException | None = None
        self._thread = threading.Thread(target=self._encode, daemon=True)
        self._thread.start()

    def buffer(self) -> np.ndarray | None:
        """Return a frame's array that is free to be filled again, if there is one."""
        try:
            return self._spare.get_nowait()
        except queue.Empty:
            return None

    def has(self, frame: int) -> bool:
        """No frame is kept: what is begun of a clip is worth nothing."""
        return False

    def write(self, frame: int, pixels: np.ndarray) -> None:
        """Hand over the next frame, in its coding's layout; it is not copied."""
        while True:
            if self._error:
                raise RenderError(f"The clip could not be written: {self._error}") from self._error
            try:
                self._frames.put(pixels, timeout=0.5)
                return
            except queue.Full:
                continue

    def _encode(self) -> None:
        try:
            count = written = 0
            while (frame := self._frames.get()) is not None:
                picture = pictured(frame, self._coding)
                self._spare.put(frame)
                picture.pts = count
                picture.time_base = self._stream.codec_context.time_base
                written = self._mux(picture, written)
                count += 1
            self._mux(None, written, alone=count == 1)
        except BaseException as error:
            self._error = error

    def _mux(self, picture: av.VideoFrame | None, written: int, *, alone: bool = False) -> int:
        for packet in self._stream.codec_context.encode_lazy(picture):
            if alone:
                # H.265's encoder, given one frame only, says anything of when it is decoded.
                packet.dts = packet.pts
            packet.stream = self._stream
            self._container.mux(packet)
            written += 1
            self._written(written)
        return written

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        while self._thread.is_alive():
            try:
                self._frames.put(None, timeout=0.5)
                break
            except queue.Full:
                continue
        self._thread.join()
        try:
            self._container.close()
        except (OSError, av.error.FFmpegError) as close_error:
            self._error = self._error or close_error
        if error or self._error:
            self._unfinished.unlink(missing_ok=True)
            if self._error and not error and not isinstance(self._error, Exception):
                raise self._error
            if self._error and not error:
                raise RenderError(
                    f"{self._path.name} could not be written: {self._error}"
                ) from self._error
            return
        replace_safely(self._unfinished, self._path)


def opened(path: Path, ending: str, made: str = "") -> Any:
    """Begin a file of the container that files with this ending are; ``made``: its comment."""
    container = _ENDINGS[ending]
    options = _ALIKE | (_AT_ONCE if container in ("mp4", "mov") else {})
    file = av.open(str(path), "w", format=container, options=options)
    if made:
        file.metadata["comment"] = made
    return file


@dataclass(frozen=True, kw_only=True)
class Clip:
    """A kind of clip in a container."""

    key: str
    label: str
    about: str
    ending: str
    use: str
    kind: Kind
    plays: bool = False
    joined: bool = True

    @property
    def suffix(self) -> str:
        """What its file ends with."""
        return self.ending

    @property
    def options(self) -> type[Part]:
        """What can be chosen."""
        return self.kind.options

    def layout(self, options: Any) -> Layout:
        """Return how it wants frames."""
        return self.kind.coding(options).layout

    def open(
        self,
        target: str,
        clip: ClipFormat,
        *,
        options: Any,
        threads: int,
        keep: bool,
        written: Callable[[int], None],
    ) -> ClipWriter:
        """Begin a clip."""
        coding = self.kind.coding(options)
        return ClipWriter(Path(target), clip, coding, threads=threads, written=written)

    def part(self, folder: Path, start: int) -> str:
        """Return the path of a range's own clip."""
        return str(folder / f"{start:06d}{self.ending}")

    def parts(self, folder: Path, ranges: Sequence[tuple[int, int]]) -> list[Path]:
        """Return one clip a range."""
        return [Path(self.part(folder, start)) for start, _ in ranges]

    def join(
        self,
        parts: Sequence[Path],
        result: Path,
        clip: ClipFormat,
        options: Any,
        check: Callable[[], None],
    ) -> None:
        """Put the clips together without encoding again."""
        join_clips(parts, result, clip)


class SilentClip(Clip):
    """A clip with a track of silence, for players and programs that want one."""

    def join(
        self,
        parts: Sequence[Path],
        result: Path,
        clip: ClipFormat,
        options: Any,
        check: Callable[[], None],
    ) -> None:
        """Put the clips together, and a track of silence beside them."""
        join_clips(parts, result, clip)
        add_silence(result)


def add_silence(path: Path) -> None:
    """Put a track of silence, as long as its picture, into a clip: AAC, stereo, 48 kHz.

    Raises
    ------
    RenderError
        The clip cannot be read or written.
    """
    unfinished = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with av.open(str(path)) as source, opened(unfinished, path.suffix) as output:
            output.metadata.update(source.metadata)
            picture = source.streams.video[0]
            video: Any = output.add_stream_from_template(picture)
            video.time_base = picture.time_base
            sound: Any = output.add_stream("aac", rate=_SOUND_RATE, layout="stereo")
            packets = [packet for packet in source.demux(picture) if packet.size]
            assert picture.average_rate
            samples = math.ceil(len(packets) / picture.average_rate * _SOUND_RATE)
            for packet in packets:
                packet.stream = video
                output.mux(packet)
            for packet in _silence(sound.codec_context, samples):
                packet.stream = sound
                output.mux(packet)
        replace_safely(unfinished, path)
    except (OSError, av.error.FFmpegError) as error:
        raise RenderError(f"{path.name} could not be given a track of silence: {error}") from error
    finally:
        unfinished.unlink(missing_ok=True)


def _silence(context: Any, samples: int) -> Iterable[Any]:
    """Yield encoded silence of so many samples."""
    step = 1024
    for start in range(0, samples, step):
        quiet = np.zeros((2, min(step, samples - start)), np.float32)
        frame = av.AudioFrame.from_ndarray(quiet, format="fltp", layout="stereo")
        frame.sample_rate, frame.pts = _SOUND_RATE, start
        yield from context.encode(frame)
    yield from context.encode(None)


def join_clips(pieces: Sequence[Path], path: Path, clip: ClipFormat) -> None:
    """Join clips of one size and encoder into one, frame after frame, without encoding again."""
    rate = clip.rate
    unfinished = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with opened(unfinished, path.suffix, clip.made) as output:
            with av.open(str(pieces[0])) as first:
                stream = _like(output, first.streams.video[0], rate)
            if path.suffix == ".mov":
                stream.metadata["timecode"] = timecode(clip.first, rate)
            for packet in _in_one_line(pieces, rate):
                packet.stream = stream
                output.mux(packet)
        replace_safely(unfinished, path)
    except (OSError, av.error.FFmpegError) as error:
        raise RenderError(f"{path.name} could not be joined from its parts: {error}") from error
    finally:
        unfinished.unlink(missing_ok=True)


def _like(output: Any, told: Any, rate: Fraction) -> Any:
    """Add a stream for packets of another to a file."""
    # Opaque: nothing is coded here, and for AV1 there may be nothing that could.
    stream = output.add_stream_from_template(told, opaque=True)
    stream.time_base = 1 / rate
    context = stream.codec_context
    if context is not None:
        context.framerate = rate
        context.codec_tag = told.codec_context.codec_tag
    transparent = told.metadata.get("alpha_mode") or told.metadata.get("ALPHA_MODE")
    if transparent:
        stream.metadata["alpha_mode"] = transparent
    return stream


def _in_one_line(pieces: Sequence[Path], rate: Fraction) -> Iterable[Any]:
    """Yield all packets with presentation times counted on and decoding times one a frame."""
    frame = 1 / rate
    packets, start = [], 0
    for piece in pieces:
        with av.open(str(piece)) as source:
            mine = [packet for packet in source.demux(video=0) if packet.size]
        for packet in mine:
            assert packet.pts is not None and packet.time_base is not None
            packets.append((round(packet.pts * packet.time_base / frame) + start, packet))
        start += len(mine)
    # A packet must be decoded before it is shown: the largest lead over the whole clip.
    lead = max((order - shown for order, (shown, _) in enumerate(packets)), default=0)
    for order, (shown, packet) in enumerate(packets):
        packet.time_base = frame
        packet.pts, packet.dts, packet.duration = shown, order - lead, 1
        yield packet
