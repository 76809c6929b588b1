"""Many frames: a stretch of a shot to a clip or to PNG files."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

from vistaline.core.formats.sequence import numbered, write_png
from vistaline.core.formats.video import ClipWriter
from vistaline.core.render.frame import Renderer

__all__ = ["frame_ranges", "range_length", "render_clip", "render_sequence"]

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


def render_clip(
    renderer: Renderer,
    frames: range,
    path: Path,
    *,
    progress: Progress = lambda done: None,
    check: Check = lambda: None,
    threads: int = 0,
) -> None:
    """Render ``frames`` into an MP4 clip; encoding goes on beside rendering.

    ``progress`` is called in the encoder's thread.
    """
    shot = renderer.shot
    with ClipWriter(
        path, shot.frame.size, shot.frame.rate, threads=threads, encoded=progress
    ) as writer:
        for frame in frames:
            check()
            writer.write(renderer.yuv(frame, writer.buffer()))


def render_sequence(
    renderer: Renderer,
    frames: range,
    pattern: str,
    *,
    progress: Progress = lambda done: None,
    check: Check = lambda: None,
    keep: bool = False,
) -> None:
    """Render ``frames`` into PNG files named by ``pattern``, such as ``frames/%04d.png``.

    With ``keep`` a frame whose file is there already is not rendered again.
    """
    for done, frame in enumerate(frames, 1):
        check()
        path = numbered(pattern, frame)
        if not (keep and path.exists()):
            write_png(path, renderer.rgb(frame))
        progress(done)
