"""How frames are coded in a clip: which codec, which samples, in which container.

A clip of the bench is a :class:`Coding` that follows from what was chosen; ``video`` writes it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Literal

import av
import numpy as np
from pydantic import Field

from vistaline.core.formats.encoders import Layout
from vistaline.core.model import Part
from vistaline.core.picture.coding import planes_of

__all__ = [
    "AV1",
    "BT709",
    "FULL",
    "H264",
    "H265",
    "LOSSLESS",
    "MASTER",
    "NARROW",
    "VP9",
    "Coding",
    "Kind",
    "pictured",
]

BT709 = 1
"""Code point 1 for primaries, transfer and matrix alike: ITU-T H.273, tables 2 to 4."""
NARROW, FULL = 1, 2
"""As FFmpeg numbers the range of codes: 16 to 235, or all of them."""
_SRGB, _IDENTITY = 13, 0
"""ITU-T H.273: transfer 13 is IEC 61966-2-1, sRGB; matrix 0 says that planes are G, B and R."""
_LOOKAHEAD = 16
"""Frames the encoder looks ahead. Its own 40 would hold back a whole second's piece to the end."""


@dataclass(frozen=True)
class Coding:
    """What an encoder is told, and which pixels it is given."""

    codec: str
    samples: str
    """As FFmpeg calls them: yuv420p, yuv422p10le, ..."""
    layout: Layout
    settings: Mapping[str, str] = field(default_factory=dict)
    bits_a_second: int = 0
    tag: str = ""
    """The four letters that some players know the codec by."""
    transfer: int = BT709
    matrix: int = BT709
    wide: bool = False
    """Whether codes fill their whole range."""
    whole: int = 2
    """Both sides of a frame must be whole numbers of so many pixels."""


@dataclass(frozen=True)
class Kind:
    """A sort of clip: what can be chosen, and what follows from that."""

    options: type[Part]
    coding: Callable[[Any], Coding]


class _Squeezed(Part):
    crf: int = Field(16, ge=0, le=51, description="Constant quality: less is finer, and larger.")
    mbit: float | None = Field(
        None, gt=0, le=800, description="Megabits a second in the mean, in place of a quality."
    )
    samples: Literal["420", "422"] = Field(
        "420", description="4:2:0 in 8 bits, which all players know, or 4:2:2 in 10 bits."
    )


def _squeezed(codec: str, tag: str, own: dict[str, str]) -> Callable[[_Squeezed], Coding]:
    def coding(chosen: _Squeezed) -> Coding:
        quality = {} if chosen.mbit else {"crf": str(chosen.crf)}
        deep = chosen.samples == "422"
        return Coding(
            codec=codec,
            samples="yuv422p10le" if deep else "yuv420p",
            layout=Layout.RGB16 if deep else Layout.YUV420,
            settings=quality | {"preset": "medium"} | own,
            bits_a_second=round((chosen.mbit or 0) * 1e6),
            tag=tag,
        )

    return coding


H264 = Kind(_Squeezed, _squeezed("libx264", "", {"x264-params": f"rc-lookahead={_LOOKAHEAD}"}))
H265 = Kind(
    _Squeezed,
    _squeezed("libx265", "hvc1", {"x265-params": f"rc-lookahead={_LOOKAHEAD}:log-level=error"}),
)


class _Master(Part):
    rate: Literal["proxy", "light", "standard", "high", "4444"] = Field(
        "high",
        description="Four rates of 4:2:2 in 10 bits, about 45, 100, 150 and 220 Mbit/s at HD; or "
        "4:4:4 with transparency, about 330.",
    )


_PROFILES = {"proxy": "proxy", "light": "lt", "standard": "standard", "high": "hq", "4444": "4444"}
"""As the encoder calls them; SMPTE RDD 36 has apco, apcs, apcn, apch, ap4h."""


def _master(chosen: _Master) -> Coding:
    alpha = chosen.rate == "4444"
    return Coding(
        codec="prores_ks",
        samples="yuva444p10le" if alpha else "yuv422p10le",
        layout=Layout.RGBA16 if alpha else Layout.RGB16,
        settings={"profile": _PROFILES[chosen.rate], "vendor": "vist"}
        | ({"alpha_bits": "16"} if alpha else {}),
        whole=1 if alpha else 2,
    )


MASTER = Kind(_Master, _master)


class _Vp9(Part):
    crf: int = Field(24, ge=0, le=63, description="Constant quality: less is finer, and larger.")
    alpha: bool = Field(False, description="Transparent where no layer is.")


def _vp9(chosen: _Vp9) -> Coding:
    return Coding(
        codec="libvpx-vp9",
        samples="yuva420p" if chosen.alpha else "yuv420p",
        layout=Layout.RGBA16 if chosen.alpha else Layout.YUV420,
        # A frame that is not shown has no alpha of its own: none is made where there is alpha.
        settings={"crf": str(chosen.crf), "b": "0", "deadline": "good", "cpu-used": "4"}
        | {"row-mt": "1", "lag-in-frames": "0" if chosen.alpha else "16"}
        | ({"auto-alt-ref": "0"} if chosen.alpha else {}),
    )


VP9 = Kind(_Vp9, _vp9)


class _Av1(Part):
    crf: int = Field(24, ge=1, le=63, description="Constant quality: less is finer, and larger.")


def _av1(chosen: _Av1) -> Coding:
    return Coding(
        codec="libsvtav1",
        samples="yuv420p",
        layout=Layout.YUV420,
        settings={"crf": str(chosen.crf), "preset": "8", "svtav1-params": "lookahead=16"},
    )


AV1 = Kind(_Av1, _av1)


class _Lossless(Part):
    bits: Literal["8", "16"] = Field("16", description="Bits of each of red, green and blue.")
    alpha: bool = Field(False, description="Transparent where no layer is; straight alpha.")


def _lossless(chosen: _Lossless) -> Coding:
    layouts = {"8": (Layout.RGB8, Layout.RGBA8), "16": (Layout.RGB16, Layout.RGBA16)}
    samples = {"8": ("bgr0", "bgra"), "16": ("gbrp16le", "gbrap16le")}
    return Coding(
        codec="ffv1",
        samples=samples[chosen.bits][chosen.alpha],
        layout=layouts[chosen.bits][chosen.alpha],
        settings={"level": "3", "g": "1", "slices": "16", "slicecrc": "1"},
        transfer=_SRGB,
        matrix=_IDENTITY,
        wide=True,
        whole=1,
    )


LOSSLESS = Kind(_Lossless, _lossless)


_CHROMA: Mapping[str, tuple[int, int, int]] = MappingProxyType(
    {
        "yuva420p": (8, 2, 2),
        "yuv422p10le": (10, 2, 1),
        "yuva444p10le": (10, 1, 1),
    }
)
"""Bits, and pixels to a sample of chroma across and down, of what is made of RGB here."""


def pictured(pixels: np.ndarray, coding: Coding) -> av.VideoFrame:
    """Return a frame for an encoder, of pixels in the layout that its coding asks for."""
    if coding.layout is Layout.YUV420:
        frame = av.VideoFrame.from_ndarray(pixels, format="yuv420p")
    elif coding.samples in _CHROMA:
        bits, across, down = _CHROMA[coding.samples]
        frame = _of_planes(planes_of(pixels, bits, across, down), pixels.shape, coding.samples)
    elif coding.samples.startswith("gbr"):
        order = [1, 2, 0, 3][: pixels.shape[2]]
        planes = [np.ascontiguousarray(pixels[..., k]) for k in order]
        frame = _of_planes(planes, pixels.shape, coding.samples)
    else:
        height, width = pixels.shape[:2]
        bgr = np.full((height, width, 4), 255, np.uint8)
        bgr[..., :3] = pixels[..., 2::-1] if pixels.shape[2] == 3 else pixels[..., [2, 1, 0]]
        if pixels.shape[2] == 4:
            bgr[..., 3] = pixels[..., 3]
        frame = _of_planes([bgr.reshape(height, -1)], pixels.shape, coding.samples)
    frame.color_primaries, frame.color_trc = BT709, coding.transfer
    frame.colorspace = coding.matrix
    frame.color_range = FULL if coding.wide else NARROW
    return frame


def _of_planes(planes: list[np.ndarray], shape: tuple[int, ...], samples: str) -> av.VideoFrame:
    frame = av.VideoFrame(shape[1], shape[0], samples)
    for plane, told in zip(frame.planes, planes, strict=True):
        line = plane.line_size // told.itemsize
        padded = np.zeros((plane.height, line), told.dtype)
        padded[: told.shape[0], : told.shape[1]] = told
        plane.update(padded.tobytes())
    return frame
