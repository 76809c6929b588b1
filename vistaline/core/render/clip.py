"""Many frames: a stretch of a shot to a clip or to PNG files."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

from vistaline.core.formats.sequence import numbered, write_png
from vistaline.core.formats.video import ClipWriter
from vistaline.core.render.frame import Renderer

__all__ = ["Progress", "frame_ranges", "render_clip", "render_sequence"]

Progress = Callable[[int], None]
"""Called with the number of frames done; may raise to stop."""

RANGE = 48
"""Frames a piece has: long enough that joining costs nothing, short enough to redo."""
_SHORTEST = 12


def frame_ranges(start: int, stop: int, length: int = RANGE) -> list[tuple[int, int]]:
    """Cut frames ``start`` to ``stop`` (exclusive) into ranges; a short rest joins the last.

    >>> frame_ranges(0, 100)
    [(0, 48), (48, 100)]
    """
    cuts = [*range(start, stop, length), stop]
    if len(cuts) > 2 and cuts[-1] - cuts[-2] < _SHORTEST:
        del cuts[-2]
    return list(pairwise(cuts))


def render_clip(
    renderer: Renderer,
    frames: range,
    path: Path,
    *,
    progress: Progress = lambda done: None,
    threads: int = 0,
) -> None:
    """Render ``frames`` into an MP4 clip; encoding goes on beside rendering."""
    shot = renderer.shot
    with ClipWriter(path, shot.frame.size, shot.frame.rate, threads=threads) as writer:
        for done, frame in enumerate(frames, 1):
            writer.write(renderer.yuv(frame, writer.buffer()))
            progress(done)


def render_sequence(
    renderer: Renderer,
    frames: range,
    pattern: str,
    *,
    progress: Progress = lambda done: None,
) -> None:
    """Render ``frames`` into PNG files named by ``pattern``, such as ``frames/%04d.png``."""
    for done, frame in enumerate(frames, 1):
        write_png(numbered(pattern, frame), renderer.rgb(frame))
        progress(done)
