"""A proof: frames as they will be rendered, small, for what the live view does not show exactly."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator, Mapping

from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.render.frames import Frames
from vistaline.core.shot.shot import Shot

__all__ = ["proof_frames", "told"]


def proof_frames(
    shot: Shot, looks: Mapping[str, Pyramid], frames: Iterable[int], width: int
) -> Iterator[bytes]:
    """Return each frame, ``width`` pixels wide, as a JPEG behind its length; see :func:`told`.

    ``looks`` as for :class:`Renderer`. One renderer makes them all, so a batch costs less than
    its frames one by one.
    """
    return told(Renderer(scaled(shot, width / shot.frame.width), looks), frames)


def told(renderer: Frames, frames: Iterable[int]) -> Iterator[bytes]:
    """Yield each frame as a JPEG behind its length (uint32, little-endian)."""
    for frame in frames:
        picture = encode_jpeg(renderer.rgb(frame), 85)
        yield struct.pack("<I", len(picture)) + picture
