"""Frames of pictures that move, in linear light: decoded by runs, the last of which are kept.

A frame of a clip can only be had with those before it, back to one that stands alone. So some
that follow each other are decoded at once, in a child process as all that was brought in.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.formats.incoming import clip_of, frames_of_clip
from vistaline.core.kept import Kept
from vistaline.core.picture.clip import Clip
from vistaline.core.picture.transfer import linear_from_clip

__all__ = ["MovingFrames", "forget_runs"]

_RUN = 150_000_000
"""Bytes of codes that are decoded at once, if they are more than one frame."""
_LONGEST = 48
"""Frames that are decoded at once."""
_MOST = 300_000_000
"""Bytes of codes that a process keeps; of those used last, one run is kept whatever it takes."""
_CLIPS: Kept[Clip] = Kept("clips", weigh=lambda clip: 500 + 36 * clip.frames)
_lock = threading.Lock()
_runs: OrderedDict[tuple[str, int], np.ndarray] = OrderedDict()


class MovingFrames:
    """Gives frames of the pictures of a shot that move: (height, width, 4), linear light."""

    def __init__(self, found: Callable[[str], tuple[Path, Fraction | None]]) -> None:
        """``found`` says where a picture's file is, and the rate the shot has for it."""
        self._found = found

    def __call__(self, key: str, at: float) -> Rgba16:
        """Return frame ``at`` of the picture called ``key``; between two, both are mixed.

        Raises
        ------
        PictureError
            It cannot be decoded, nor what is near it.
        """
        path, rate = self._found(key)
        clip = _CLIPS.get((str(path), rate), lambda: clip_of(path, path.name, rate))
        whole = int(at)
        share = at - whole
        frame = linear_from_clip(_codes(path, clip, whole), clip.tags)
        if share < 1e-6 or whole + 1 >= clip.frames:
            return frame
        after = linear_from_clip(_codes(path, clip, whole + 1), clip.tags)
        return np.asarray(cv2.addWeighted(frame, 1 - share, after, share, 0))


def forget_runs() -> None:
    """Put aside all that is decoded, for measuring."""
    with _lock:
        _runs.clear()


def _codes(path: Path, clip: Clip, frame: int) -> np.ndarray:
    frame = min(max(frame, 0), clip.frames - 1)
    count = min(max(1, _RUN // clip.frame_bytes), _LONGEST)
    n, within = divmod(frame, count)
    # One after the other: two threads would decode the same.
    with _lock:
        run = _runs.pop((str(path), n), None)
        if run is None:
            first = n * count
            run = frames_of_clip(path, path.name, clip, first, min(count, clip.frames - first))
        _runs[str(path), n] = run
        while len(_runs) > 1 and sum(each.nbytes for each in _runs.values()) > _MOST:
            _runs.popitem(last=False)
    return np.asarray(run[within])
