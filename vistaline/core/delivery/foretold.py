"""How large what is rendered will be, foretold from a few small frames that are coded for it."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from vistaline.core.delivery.delivery import Delivery, Span
from vistaline.core.formats.encoders import Encoder, Layout
from vistaline.core.render.clip import Output, frame_ranges, range_length, render_frames
from vistaline.core.render.frames import Frames
from vistaline.core.render.reel import LooksOf, Reel, duration_of, frames_of, reel_at
from vistaline.core.render.source import DRAFT

__all__ = ["Cost", "Sample", "an_hour_of", "foretold_bytes", "foretold_seconds"]

_SIDE = 480
"""Pixels of the longer side of the frames that are tried."""
_FEW = 6
_GROWTH = {
    "mp4": (0.69, 0.79), "mp4-silent": (0.69, 0.79), "mov": (0.69, 0.79), "hevc": (0.6, 0.67),
    "hevc-mov": (0.6, 0.67), "vp9": (0.68, 0.63), "av1": (0.66, 0.7), "master": (0.78, 0.79),
    "webp": (0.66, 0.67), "gif": (0.9, 0.87), "jpeg": (0.8, 0.79),
    "tiff": (0.91, 0.91), "exr": (0.91, 0.91),
}  # fmt: skip
"""By which power of the number of pixels a frame grows that stands alone, and one that follows
another: the mean of four shots of the demo, from 640 to 1920 pixels."""
_WITHOUT_LOSS = (0.86, 0.86)


@dataclass(frozen=True)
class Cost:
    """Bytes of a small frame, and by which power of the pixels they grow."""

    alone: float
    """Bytes of a frame that stands alone: the first of a range."""
    more: float
    """Bytes of one more frame after it."""
    pixels: int
    growth: tuple[float, float]


class Sample:
    """A few small frames from the middle of a shot or a film, to be coded as a trial."""

    def __init__(self, reel: Reel, looks_of: LooksOf, *, every: int = 1) -> None:
        """``every``: how far they are apart, as in what is to be rendered."""
        duration = duration_of(reel)
        self._every = every
        middle = max(0, duration // 2 - _FEW // 2 * every)
        self._frames = [min(middle + n * every, duration - 1) for n in range(_FEW)]
        self._small = reel_at(reel, min(1.0, _SIDE / max(reel.frame.size)))
        self._looks_of = looks_of

    @cached_property
    def _drawn(self) -> _Remembered:
        frames = frames_of(self._small, self._looks_of, quality=DRAFT, threads=1)
        return _Remembered(frames)

    def cost(self, encoder: Encoder, options: Any) -> Cost:
        """Return what frames cost as an encoder codes them with some options."""
        one, all_ = (
            self._coded(encoder, options, frames) for frames in (self._frames[:1], self._frames)
        )
        width, height = self._small.frame.size
        growth = _GROWTH.get(encoder.key, _WITHOUT_LOSS)
        return Cost(one, max(0.0, (all_ - one) / (_FEW - 1)), width * height, growth)

    def _coded(self, encoder: Encoder, options: Any, frames: Sequence[int]) -> int:
        with tempfile.TemporaryDirectory(prefix="vistaline-") as folder:
            name = f"sample{encoder.ending}" if encoder.joined else f"%04d{encoder.ending}"
            output = Output(
                encoder=encoder,
                target=str(Path(folder) / name),
                options=options,
                threads=1,
                every=self._every,
            )
            render_frames(self._drawn, frames, output, numbers=range(len(frames)))
            return sum(each.stat().st_size for each in Path(folder).iterdir())


class _Remembered(Frames):
    """Frames that are rendered once for all that want them alike."""

    def __init__(self, frames: Frames) -> None:
        super().__init__(frames.size, frames.rate)
        self._inner = frames
        self._known: dict[tuple[float, Layout], np.ndarray] = {}

    def bands(self, frame: float, composite_band: Any) -> None:
        """See :meth:`Frames.bands`."""
        self._inner.bands(frame, composite_band)

    def pixels(self, frame: float, layout: Layout, out: np.ndarray | None = None) -> np.ndarray:
        """Return a frame; it is not drawn into ``out``, for others get the same."""
        key = frame, layout
        if key not in self._known:
            self._known[key] = self._inner.pixels(frame, layout)
        return self._known[key]


def foretold_bytes(
    cost: Cost, delivery: Delivery, span: Span, size: tuple[int, int], rate: float
) -> float:
    """Return about how many bytes a delivery will have, at ``size`` and ``rate`` of the shot.

    Within a third for most of what is rendered, VP9 and AV1 within half or twice; what grows or
    stands still in the course of a shot can be further off. A bit rate that was asked for is taken
    at its word.
    """
    if asked := delivery.options.get("mbit"):
        return span.count * span.every / rate * float(asked) * 1e6 / 8
    encoder = delivery.encoder
    ranges = 1
    if encoder.joined and encoder.ending not in (".gif", ".webp"):
        # Each range begins with a frame that stands alone.
        ranges = len(frame_ranges(0, span.count, range_length(size)))
    ratio = size[0] * size[1] / cost.pixels
    alone, more = (
        each * ratio**power
        for each, power in zip((cost.alone, cost.more), cost.growth, strict=True)
    )
    return ranges * alone + (span.count - ranges) * more


def an_hour_of(count: float, span: Span, rate: float) -> float:
    """Return how many bytes an hour has of what has ``count`` of them; ``rate`` of the shot."""
    return count / (span.count * span.every / rate) * 3600


def foretold_seconds(a_frame: float, delivery: Delivery, span: Span) -> float:
    """Return about how long one worker takes that takes ``a_frame`` seconds at full size."""
    return a_frame * delivery.scale**2 * span.count
