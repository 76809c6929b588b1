"""A proof: frames as they will be rendered, small, for what the live view does not show exactly."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator, Mapping

from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.shot.shot import Shot

__all__ = ["proof_frames"]


def proof_frames(
    shot: Shot, looks: Mapping[str, Pyramid], frames: Iterable[int], width: int
) -> Iterator[bytes]:
    """Yield each frame, ``width`` pixels wide, as a JPEG behind its length (uint32, little-endian).

    ``looks`` as for :class:`Renderer`. One renderer makes them all, so a batch costs less than
    its frames one by one.
    """
    renderer = Renderer(scaled(shot, width / shot.frame.width), looks)
    for frame in frames:
        picture = encode_jpeg(renderer.rgb(frame), 85)
        yield struct.pack("<I", len(picture)) + picture
