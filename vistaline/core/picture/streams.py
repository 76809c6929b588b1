"""Clips, as PyAV decodes them: when their frames are shown, and their codes."""

from __future__ import annotations

import re
from collections.abc import Generator, Iterator
from contextlib import closing, contextmanager
from fractions import Fraction
from pathlib import Path, PurePosixPath
from typing import Any

import av
import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.errors import PictureError
from vistaline.core.picture.clip import MOST_FRAMES, Clip, too_long
from vistaline.core.picture.decode import PIXEL_LIMIT
from vistaline.core.picture.transfer import Tags
from vistaline.core.timing import RATE_PRESETS

__all__ = ["inspect_stream", "is_stream", "sound_in_stream", "stream_frames"]

_SLOWEST, _FASTEST = Fraction(1), Fraction(240)
_BACK = (0, 2, 10, None)
"""Seconds before a frame from which it is looked for; None: from the clip's start."""
_NEAR = 2e-3
"""By which share a rate may be off that is a usual one."""
_STILL_BRANDS = (b"avif", b"avis", b"heic", b"heix", b"mif1", b"msf1")
_HEADS = (
    b"\x1aE\xdf\xa3", b"OggS", b"FLV", b"\x06\x0e+4", b"YUV4MPEG2", b"\0\0\x01\xba",
    b"\x30\x26\xb2\x75",
)  # fmt: skip
"""What files begin with: Matroska and WebM, Ogg, FLV, MXF, Y4M, MPEG-PS, ASF."""
_KINDS = {"h264": "H.264", "hevc": "H.265", "libdav1d": "AV1"}
"""What decoders are called by people, where not as they call themselves."""
_ALPHA_FORMATS = ("yuva", "rgba", "bgra", "argb", "abgr", "gbrap", "ya8", "ya16", "pal8")
_WITH_ALPHA = {"vp8": "libvpx", "vp9": "libvpx-vp9"}
"""What decodes their alpha, too, where the stream says that it has one."""


def is_stream(path: Path) -> bool:
    """Return whether a file begins as a clip does."""
    with path.open("rb") as file:
        head = file.read(512)
    if head[4:8] == b"ftyp":
        return head[8:12] not in _STILL_BRANDS
    if head.startswith(b"RIFF"):
        return head[8:12] == b"AVI "
    if head.startswith(b"G"):
        # A transport stream: its packets are 188 bytes long and begin alike (ISO/IEC 13818-1).
        return head[188:189] == head[376:377] == b"G"
    return head.startswith(_HEADS) or head[4:8] in (b"moov", b"mdat", b"wide")


def inspect_stream(path: Path, name: str) -> Clip:
    """Return what a clip holds, by its packets; only one frame is decoded.

    Raises
    ------
    PictureError
        It has no moving picture, cannot be read, is too long or too large.
    """
    with _opened(path, name) as container:
        stream = _stream_of(container, name)
        rate = stream.average_rate or Fraction(25)
        seconds = (container.duration or 0) / av.time_base
        if seconds * rate > 1.1 * MOST_FRAMES:
            raise too_long(name, seconds)
        stamps, remarks = _stamps(container, stream, name)
        rate, even = _rate_of(stamps, stream)
        if not even:
            remarks.append(
                f"its frames come at uneven times; they are evened to {float(rate):.4g} fps"
            )
            stamps = _evened(stamps, rate, stream.time_base)
    # Where it was read to its end, not every container goes back to its start.
    with _opened(path, name) as container:
        stream = _stream_of(container, name)
        try:
            frame = next(_decoded(container, stream), None)
        except av.error.FFmpegError:
            frame = None
        if frame is None:
            raise PictureError(name, "its first frame cannot be decoded. Save or copy it again.")
        return _clip(name, stream, frame, rate, stamps, remarks)


def _clip(
    name: str,
    stream: Any,
    frame: Any,
    rate: Fraction,
    stamps: list[int],
    remarks: list[str],
) -> Clip:
    width, height = frame.width, frame.height
    ratio = stream.sample_aspect_ratio
    if ratio and Fraction(1, 8) < ratio < 8:
        width = round(width * ratio)  # pixels that are not square
    if width * height > PIXEL_LIMIT // 2:
        raise PictureError(name, f"{width:,} × {height:,} pixels a frame are too many.")
    quarters = round(frame.rotation / 90) % 4
    if quarters % 2:
        width, height = height, width
    tags = Tags.of(frame)
    kind = stream.codec_context.name.split("-")[-1]
    return Clip(
        format=_KINDS.get(kind, kind.upper()[:16]),
        extension=_extension(name),
        width=width,
        height=height,
        frames=len(stamps),
        rate=rate,
        has_alpha=_has_alpha(stream, frame),
        bits=16 if max(each.bits for each in frame.format.components) > 8 else 8,
        tags=tags,
        remarks=(*remarks, *tags.remarks),
        stamps=tuple(stamps),
        quarters=quarters,
        planar=_is_planar(frame) and not quarters and width == frame.width,
    )


def _is_planar(frame: Any) -> bool:
    even = frame.width % 2 == 0 and frame.height % 2 == 0
    return even and frame.format.name in ("yuv420p", "yuvj420p")


def _extension(name: str) -> str:
    suffix = PurePosixPath(name).suffix.lstrip(".").lower()
    return suffix if re.fullmatch("[a-z0-9]{1,5}", suffix) else "clip"


def sound_in_stream(path: Path, name: str, clip: Clip, first: int, count: int) -> int:
    """Return how many frames from number ``first`` on, at most ``count``, can be decoded."""
    wanted = clip.stamps[first : first + count]
    last: int | None = None
    try:
        with closing(_from(path, name, wanted[0])) as frames:
            for frame in frames:
                if not frame.is_corrupt:
                    last = frame.pts if last is None else max(last, frame.pts)
                if frame.pts >= wanted[-1]:
                    break
    except av.error.FFmpegError:
        pass
    return 0 if last is None else sum(stamp <= last for stamp in wanted)


def stream_frames(path: Path, name: str, clip: Clip, first: int) -> Iterator[np.ndarray]:
    """Yield the codes of a clip's frames from number ``first`` on: (height, width, 3 or 4)."""
    wanted = clip.stamps[first:]
    with closing(_from(path, name, wanted[0])) as frames:
        seen, coming = next(frames, None), next(frames, None)
        made: np.ndarray | None = None
        for stamp in wanted:
            while coming is not None and coming.pts <= stamp:
                seen, coming, made = coming, next(frames, None), None
            if seen is None or (coming is None and seen.pts < stamp and made is not None):
                return
            made = _codes(seen, clip) if made is None else made
            yield made


def _from(path: Path, name: str, stamp: int) -> Generator[Any, None, None]:
    """Yield frames from one on that is shown at ``stamp`` or before."""
    for back in _BACK:
        with _opened(path, name) as container:
            stream = _stream_of(container, name)
            if back is not None:
                # To the last frame before it that stands alone; some kinds land later.
                container.seek(stamp - round(back / stream.time_base), stream=stream)
            frames = (each for each in _decoded(container, stream) if each.pts is not None)
            first = next(frames, None)
            if first is None or (first.pts > stamp and back is not None):
                continue
            yield first
            yield from frames
            return


@contextmanager
def _opened(path: Path, name: str) -> Iterator[Any]:
    try:
        container = av.open(str(path))
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise PictureError(
            name, "the clip is damaged, or of a kind that is not read here. Save it as MP4 or MOV."
        ) from error
    with container:
        yield container


def _stream_of(container: Any, name: str) -> Any:
    cover = av.stream.Disposition.attached_pic  # a still that goes with sound
    found = [each for each in container.streams.video if not each.disposition & cover]
    if not found:
        raise PictureError(name, "there is no moving picture in it. Choose a clip that has one.")
    if found[0].codec_context is None:
        raise PictureError(name, "its frames are of a kind that is not read here. Save it as MP4.")
    found[0].thread_type = "AUTO"
    return found[0]


def _stamps(container: Any, stream: Any, name: str) -> tuple[list[int], list[str]]:
    """Return when its frames are shown, and what there is to be said of that."""
    found: list[int] = []
    remarks: list[str] = []
    try:
        for packet in container.demux(stream):
            if packet.size and packet.pts is not None:
                found.append(packet.pts)
            if len(found) > MOST_FRAMES:
                raise too_long(name, MOST_FRAMES / float(stream.average_rate or 25))
    except av.error.FFmpegError:
        remarks.append(f"the file breaks off after frame {len(found) - 1}; it plays up to there")
    if not found:
        raise PictureError(name, "it does not say when its frames are shown. Save it as MP4.")
    if not remarks and stream.frames > len(found):
        remarks.append(
            f"the file breaks off after frame {len(found) - 1} of {stream.frames}; it plays up to "
            "there"
        )
    return sorted(set(found)), remarks


def _rate_of(stamps: list[int], stream: Any) -> tuple[Fraction, bool]:
    """Return frames a second, and whether they come that evenly."""
    told = Fraction(stream.average_rate or stream.guessed_rate or 24)
    times = np.array(stamps, np.float64) - stamps[0]
    rate = _usual(told)
    if len(stamps) < 2 or _are_even(times, rate * stream.time_base):
        return rate, True
    mean = Fraction(len(stamps) - 1, stamps[-1] - stamps[0]) / stream.time_base
    if _are_even(times, _usual(mean) * stream.time_base):
        return _usual(mean), True
    # As most of them follow each other; the mean of those, as times are rounded.
    steps = np.diff(times)
    alike = steps[np.abs(steps / np.median(steps) - 1) < 0.1]
    step = Fraction(float(alike.mean())).limit_denominator(1000) * stream.time_base
    return _usual(1 / step), False


def _usual(rate: Fraction) -> Fraction:
    usual = min(RATE_PRESETS.values(), key=lambda each: abs(each / rate - 1))
    rate = usual if abs(usual / rate - 1) < _NEAR else rate.limit_denominator(1001)
    return min(max(rate, _SLOWEST), _FASTEST)


def _are_even(times: FloatArray, frames_a_unit: Fraction) -> bool:
    return bool(np.abs(times * float(frames_a_unit) - np.arange(len(times))).max() < 0.6)


def _evened(stamps: list[int], rate: Fraction, unit: Fraction) -> list[int]:
    """Return the stamps of what is seen at each frame of a constant rate."""
    own = np.array(stamps, np.int64)
    step = float(1 / (rate * unit))
    count = min(MOST_FRAMES, int((own[-1] - own[0]) / step + 1e-6) + 1)
    # A little late: times are told in whole milliseconds, say, and a frame begins just now.
    at = own[0] + (np.arange(count) + 0.05) * step
    return [int(each) for each in own[np.searchsorted(own, at, "right") - 1]]


def _has_alpha(stream: Any, frame: Any) -> bool:
    if stream.metadata.get("alpha_mode") == "1":
        return True
    return frame.format.name.startswith(
        ("yuva", "rgba", "bgra", "argb", "abgr", "gbrap", "ya", "pal8")
    )


def _decoded(container: Any, stream: Any) -> Iterator[Any]:
    """Yield frames from where the container stands."""
    kind = stream.codec_context.name.split("-")[-1]
    if stream.metadata.get("alpha_mode") != "1" or kind not in _WITH_ALPHA:
        yield from container.decode(stream)
        return
    decoder: Any = av.VideoCodecContext.create(_WITH_ALPHA[kind], "r")
    for packet in container.demux(stream):
        yield from decoder.decode(packet if packet.size else None)


def _codes(frame: Any, clip: Clip) -> np.ndarray:
    """Return a frame as ``clip.frame_shape`` says: its planes, or codes of full range, upright."""
    if clip.planar:
        # Another size or kind within a clip is brought to that of its first frame.
        kind = "yuvj420p" if frame.format.name == "yuvj420p" else "yuv420p"
        return np.asarray(frame.reformat(clip.width, clip.height, kind).to_ndarray())
    deep, alpha = clip.bits > 8, clip.has_alpha
    kind = ("rgba64le" if alpha else "rgb48le") if deep else ("rgba" if alpha else "rgb24")
    turned = clip.quarters % 2
    size = (clip.height, clip.width) if turned else (clip.width, clip.height)
    codes = frame.reformat(*size, kind, **clip.tags.for_reading()).to_ndarray()
    return np.rot90(codes, clip.quarters)
