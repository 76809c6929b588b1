"""Frames of a shot that another shot shows."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Mapping

import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.shot.document import parse_shot
from vistaline.core.shot.shot import Shot

__all__ = ["NestedFrames"]

_OPEN = 3
"""Inner shots that are kept open."""


class NestedFrames:
    """Renders frames of the shots that a shot's layers show, no larger than that shot's own."""

    def __init__(self, looks_of: Callable[[Shot], Mapping[str, Pyramid]]) -> None:
        self._looks_of = looks_of
        self._open: OrderedDict[tuple[str, tuple[int, int]], Renderer] = OrderedDict()

    def __call__(self, shot: Shot, key: str, frame: int) -> Rgba16:
        """Return a frame of the shot that is called ``key``: (height, width, 4), linear light.

        Black, if that shot is not carried along: it is gone.
        """
        inner = shot.shots[key]
        if inner.document is None:
            black = np.zeros((inner.height // 8 + 1, inner.width // 8 + 1, 4), np.uint16)
            black[..., 3] = 65535
            return black
        place = inner.digest, shot.frame.size
        renderer = self._open.pop(place, None)
        if renderer is None:
            whole = parse_shot(inner.document)
            seen = scaled(whole, min(1.0, max(shot.frame.size) / max(whole.frame.size)))
            renderer = Renderer(seen, self._looks_of(seen))
        self._open[place] = renderer
        while len(self._open) > _OPEN:
            self._open.popitem(last=False)
        picture = renderer.linear(min(frame, renderer.shot.duration - 1))
        picture[..., 3] = 65535  # where nothing stands its background is seen
        return picture
