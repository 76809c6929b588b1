"""A delivery like a clip, or a frame, that is there: its size, coding and numbers, in words."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from vistaline.core.confined import Bounds, confined
from vistaline.core.delivery.delivery import Delivery
from vistaline.core.errors import PictureError, RenderError, ShotError
from vistaline.core.formats.incoming import header_of
from vistaline.core.picture.streams import is_stream
from vistaline.core.timing import parse_time, rate_label

__all__ = ["match"]

_LOOK = Bounds(memory=1_000_000_000, seconds=30, output=0)
_RATES = {"apco": "proxy", "apcs": "light", "apcn": "standard", "apch": "high", "ap4h": "4444"}
"""What the four rates of the edit master and 4:4:4:4 are called in a file (SMPTE RDD 36)."""
_FRAMES = {"PNG": "png", "TIFF": "tiff", "OpenEXR": "exr", "JPEG": "jpeg"}
_MOV = "qt  "
"""What a file in MOV says it is, where it says it (ISO/IEC 14496-12, 4.3)."""
_MARKS = ("timecode", "alpha_mode", "ALPHA_MODE")
_BT709 = 1
"""ITU-T H.273, tables 2 to 4: primaries, transfer and matrix of BT.709."""
_UNTOLD = (None, 0, 2)


@dataclass(frozen=True, kw_only=True)
class Matched:
    """What a clip was matched with."""

    delivery: Delivery
    words: tuple[str, ...]
    """What it is, and what cannot be as it is, each a sentence."""


@dataclass
class _Found:
    output: str
    options: dict[str, Any] = field(default_factory=dict)
    words: list[str] = field(default_factory=list)


def match(path: Path, name: str, size: tuple[int, int], rate: Fraction) -> Matched:
    """Return the delivery that makes of frames of ``size`` and ``rate`` what a file is.

    ``name`` is the file as the person knows it.

    Raises
    ------
    PictureError
        It is neither a clip nor a picture, or is damaged.
    RenderError
        It is coded in a way that nothing here makes; the sentence says which.
    """
    with path.open("rb") as file:
        head = file.read(30)
    if animation := _animation(head):
        return _matched(_Found(animation[0], {}, ["An animation."]), size, animation[1:], None)
    if not is_stream(path):
        return _as_frame(path, name, size)
    told = confined(_told, path, name, name=name, bounds=_LOOK)
    found = _coded(told, name)
    if told["rate"] and told["rate"] != rate:
        found.words.append(
            f"It has {rate_label(told['rate'])} frames a second, what you render "
            f"{rate_label(rate)}: change that under its size at the top."
        )
    tags = [each for each in told["tags"] if each not in _UNTOLD]
    if any(each != _BT709 for each in tags):
        found.words.append("Its colour tags are others than BT.709; clips made here are BT.709.")
    return _matched(found, size, (told["width"], told["height"]), _number(told, rate))


def _told(path: Path, name: str) -> dict[str, Any]:
    """Return what a clip's header tells, in plain words and numbers."""
    try:
        with av.open(str(path)) as file:
            if not file.streams.video:
                raise PictureError(name, "has no picture in it.")
            video: Any = file.streams.video[0]
            context = video.codec_context
            marks = [{**file.metadata, **video.metadata}.get(key, "") for key in _MARKS]
            samples = context.pix_fmt or ""
            return {
                "in_mov": file.metadata.get("major_brand") == _MOV,
                "codec": context.codec.canonical_name,
                "tag": context.codec_tag.strip("\0 "),
                "samples": samples,
                "deep": bool(samples) and av.VideoFormat(samples).components[0].bits > 8,
                "width": context.width,
                "height": context.height,
                "rate": video.average_rate,
                "bits": video.bit_rate or 0,
                "sound": bool(file.streams.audio),
                "alpha": "1" in marks[1:],
                "timecode": marks[0],
                "tags": [int(context.color_primaries or 0), int(context.colorspace or 0)],
            }
    except (OSError, av.error.FFmpegError) as error:
        raise PictureError(name, f"cannot be read as a clip: {error}.") from error


def _coded(told: dict[str, Any], name: str) -> _Found:
    """Return the output that codes as a clip is coded."""
    codec, samples = told["codec"], told["samples"]
    if codec in ("h264", "hevc"):
        return _in_rows(told)
    if codec == "prores":
        rate = _RATES.get(told["tag"], "standard")
        return _Found("master", {"rate": rate}, [f"Edit master, {rate}, in MOV."])
    if codec == "vp9":
        alpha = told["alpha"] or samples.startswith("yuva")
        return _Found("vp9", {"alpha": alpha}, [f"VP9{', transparent' * alpha}, in WebM."])
    if codec == "av1":
        return _Found("av1", {}, ["AV1 in WebM."])
    if codec == "ffv1":
        bits = "16" if told["deep"] else "8"
        alpha = samples.startswith(("bgra", "rgba", "gbrap", "yuva"))
        return _Found("ffv1", {"bits": bits, "alpha": alpha}, [f"FFV1 of {bits} bits."])
    raise RenderError(
        f"{name} is coded as {codec}, which nothing here makes. The edit master keeps most; choose "
        "that, or ask for another clip to match."
    )


def _in_rows(told: dict[str, Any]) -> _Found:
    """Return what codes as H.264 or H.265 is coded."""
    samples, kind = told["samples"], {"h264": "H.264", "hevc": "H.265"}[told["codec"]]
    options: dict[str, Any] = {"samples": "422" if "422" in samples else "420"}
    words = [f"{kind}, {'4:2:2 in 10 bits' if options['samples'] == '422' else '4:2:0 in 8 bits'}."]
    if samples not in ("yuv420p", "yuvj420p", "yuv422p10le"):
        words.append(f"It is {samples}, which is not made here: that is the nearest.")
    if told["bits"]:
        options["mbit"] = min(max(round(told["bits"] / 1e6, 2), 0.05), 800)
        words.append(f"{options['mbit']:g} Mbit/s.")
    if told["codec"] == "hevc":
        return _Found("hevc-mov" if told["in_mov"] else "hevc", options, words)
    if told["in_mov"]:
        return _Found("mov", options, words)
    return _Found("mp4-silent" if told["sound"] else "mp4", options, words)


def _animation(head: bytes) -> tuple[str, int, int] | None:
    """Return GIF or animated WebP and its size, by how the file begins; None for others."""
    if head[:6] in (b"GIF87a", b"GIF89a"):
        return "gif", *struct.unpack_from("<HH", head, 6)
    # The extended form, its flag of animation; then width and height less one, three bytes each.
    if head[:4] == b"RIFF" and head[8:16] == b"WEBPVP8X" and head[20:21] and head[20] & 2:
        wide, tall = (int.from_bytes(head[at : at + 3], "little") + 1 for at in (24, 27))
        return "webp", wide, tall
    return None


def _as_frame(path: Path, name: str, size: tuple[int, int]) -> Matched:
    info = header_of(path, name)
    key = _FRAMES.get(info.format)
    if key is None:
        known = ", ".join(_FRAMES)
        raise RenderError(f"{name} is {info.format}; frames are made as {known}. Choose another.")
    found = _Found(key, {}, [f"Frames as {info.format}, {info.bits} bits."])
    if key == "png":
        found.output = "png-alpha" if info.has_alpha else "png"
        found.options = {"bits": "16" if info.bits > 8 else "8"}
    elif key == "exr":
        found.options = {"alpha": info.has_alpha}
    return _matched(found, size, (info.width, info.height), None)


def _number(told: dict[str, Any], rate: Fraction) -> int | None:
    try:
        return parse_time(told["timecode"], rate) or None if told["timecode"] else None
    except ShotError:
        return None


def _matched(
    found: _Found, size: tuple[int, int], theirs: Sequence[int], number: int | None
) -> Matched:
    words = [*found.words]
    scale = theirs[0] / size[0]
    if abs(size[1] * scale - theirs[1]) > 1 or not 0.05 <= scale <= 4:
        words.append(
            f"It is {theirs[0]} × {theirs[1]} px, which is no size of {size[0]} × {size[1]}: "
            "change that at the top."
        )
        scale = 1.0
    else:
        words.append(f"{theirs[0]} × {theirs[1]} px.")
    if number:
        words.append(f"Its time code begins at frame {number}.")
    delivery = Delivery(output=found.output, options=found.options, scale=scale, number=number)
    return Matched(delivery=delivery, words=tuple(words))
