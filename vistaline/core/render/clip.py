"""Many frames: a stretch of a shot into a clip, or whatever else an encoder makes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from vistaline.core.formats.encoders import ClipFormat, Encoder, Writer
from vistaline.core.model import Part
from vistaline.core.render.frames import Frames

__all__ = ["Output", "frame_ranges", "range_length", "render_frames"]

Progress = Callable[[int], None]
"""Called with the number of frames that are written to the file."""
Check = Callable[[], None]
"""Called before each frame; raises to stop."""

RANGE = 24
"""HD frames a piece has: long enough that joining costs nothing, short enough to redo."""
_SHORTEST_RANGE = 6
_HD = 1920 * 1080


def range_length(size: tuple[int, int]) -> int:
    """Return how many frames of ``size`` (width, height) a piece has: fewer if they are large.

    >>> range_length((1920, 1080)), range_length((3840, 2160))
    (24, 6)
    """
    return min(RANGE, max(_SHORTEST_RANGE, RANGE * _HD // (size[0] * size[1])))


def frame_ranges(start: int, stop: int, length: int = RANGE) -> list[tuple[int, int]]:
    """Cut frames ``start`` to ``stop`` (exclusive) into ranges; a short rest joins the last.

    >>> frame_ranges(0, 100, 48)
    [(0, 48), (48, 100)]
    """
    cuts = [*range(start, stop, length), stop]
    if len(cuts) > 2 and cuts[-1] - cuts[-2] < length // 4:
        del cuts[-2]
    return list(pairwise(cuts))


@dataclass(frozen=True, kw_only=True)
class Output:
    """What frames become, and where."""

    encoder: Encoder
    target: str
    """A file's path, or a pattern for the files of frames, such as ``%04d.png``."""
    options: Part | None = None
    """The encoder's; its usual ones if left out."""
    threads: int = 0
    """How many it may use; 0 for as many as it likes."""
    made: str = ""
    """What made the frames, in words."""
    first: int = 0
    """Number of the first frame, by which a time code counts."""
    every: int = 1
    """Every nth frame is there: a clip keeps its speed, and has so many fewer a second."""
    keep: bool = False
    """What is there already of an earlier attempt is not rendered again."""

    @property
    def chosen(self) -> Part:
        """The encoder's options, whether they were given or are its usual ones."""
        return self.options or self.encoder.options()

    def open(self, clip: ClipFormat, written: Progress) -> Writer:
        """Begin to write."""
        return self.encoder.open(
            self.target,
            clip,
            options=self.chosen,
            threads=self.threads,
            keep=self.keep,
            written=written,
        )


def render_frames(
    renderer: Frames,
    frames: Sequence[int],
    output: Output,
    *,
    numbers: Sequence[int] | None = None,
    progress: Progress = lambda done: None,
    check: Check = lambda: None,
) -> None:
    """Render ``frames`` into an output; encoding may go on beside rendering.

    ``numbers``: what they are numbered as, if otherwise than in the shot. ``progress`` is called
    in whatever thread encodes.
    """
    rate = renderer.rate / output.every
    clip = ClipFormat(renderer.size, rate, output.made, first=output.first)
    layout = output.encoder.layout(output.chosen)
    with output.open(clip, progress) as writer:
        for frame, number in zip(frames, numbers or frames, strict=True):
            check()
            if not writer.has(number):
                pixels = renderer.pixels(frame, layout, writer.buffer())
                writer.write(number, pixels)
