"""Pictures of floating-point numbers: OpenEXR, single files with one part of lines.

What is in colours is linear light, as the format says. What has one channel only is a map of
something else, a depth as a rule: its range fills black to white, whatever its unit, and what is no
number is black.

Source: "OpenEXR File Layout" of the OpenEXR project (magic number, version field, attributes).
"""

from __future__ import annotations

import io
import struct
import tempfile
from pathlib import Path

import av
import numpy as np
import OpenEXR

from vistaline.core.errors import PictureError
from vistaline.core.picture.colour import encode_srgb

__all__ = ["encode_exr", "exr_codes", "exr_size", "is_exr"]

_MAGIC = b"\x76\x2f\x31\x01"
_HEAD = 65_536
"""Bytes within which a header ends."""
_MULTIPART, _DEEP, _TILED = 0x1000, 0x800, 0x200
_LINES = {0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256}
"""Lines of a piece, by the number of the way it is packed."""


def is_exr(source: Path | bytes) -> bool:
    """Return whether a file begins as an OpenEXR picture does."""
    return _start(source, 4) == _MAGIC


def exr_size(source: Path | bytes, name: str) -> tuple[int, int, bool]:
    """Return width, height and whether there is alpha, from the header alone.

    Raises
    ------
    PictureError
        The header is damaged, or tells of several parts or of deep data.
    """
    data = _start(source, _HEAD)
    if int.from_bytes(data[4:8], "little") & (_MULTIPART | _DEEP):
        raise PictureError(
            name, "it has several parts or deep data. Save one flat picture as OpenEXR."
        )
    try:
        found, _ = _attributes(data, 8)
        x0, y0, x1, y1 = struct.unpack("<4i", found["dataWindow"])
        alpha = any(each == b"A" for each in found["channels"].split(b"\0"))
    except (struct.error, IndexError, KeyError, ValueError) as error:
        raise PictureError(name, "its header is damaged. Save or copy it again.") from error
    width, height = x1 - x0 + 1, y1 - y0 + 1
    if width < 1 or height < 1:
        raise PictureError(name, "its header is damaged. Save or copy it again.")
    return width, height, alpha


def _attributes(data: bytes, at: int) -> tuple[dict[str, bytes], int]:
    """Return a header's attributes, name, type, size, value one after the other; and its end."""
    found = {}
    while data[at] != 0:
        end = data.index(0, at)
        ends = data.index(0, end + 1)
        (size,) = struct.unpack_from("<I", data, ends + 1)
        value = data[ends + 5 : ends + 5 + size]
        if len(value) < size:
            raise ValueError("an attribute ends beyond the header")
        found[data[at:end].decode("latin-1")] = value
        at = ends + 5 + size
        if at >= len(data):
            raise ValueError("the header does not end")
    return found, at + 1


def _check_whole(data: bytes) -> None:
    """Raise ValueError if one of a picture's pieces of lines ends beyond its file.

    After the header a table tells where each begins (8 bytes each); a piece is the number of its
    first line, its size, and so many bytes. Tiles are left to the decoder.
    """
    found, at = _attributes(data, 8)
    lines = _LINES.get(found["compression"][0])
    if int.from_bytes(data[4:8], "little") & _TILED or lines is None:
        return
    _, y0, _, y1 = struct.unpack("<4i", found["dataWindow"])
    for n in range(-(-(y1 - y0 + 1) // lines)):
        (begins,) = struct.unpack_from("<Q", data, at + 8 * n)
        (size,) = struct.unpack_from("<I", data, begins + 4)
        if begins + 8 + size > len(data):
            raise ValueError("a piece of it is missing")


def exr_codes(source: Path | bytes, name: str) -> np.ndarray:
    """Return the picture as (height, width, 4) uint16 codes, straight alpha.

    Raises
    ------
    PictureError
        It breaks off, is damaged, or has channels that are not read.
    """
    data = source if isinstance(source, bytes) else source.read_bytes()
    try:
        _check_whole(data)
        with av.open(io.BytesIO(data), "r", format="exr_pipe") as file:
            frame = next(file.decode(video=0))
            planes = _planes(frame)
    except (av.FFmpegError, StopIteration, ValueError, IndexError, KeyError, struct.error) as error:
        raise PictureError(
            name, "the file breaks off or is damaged. Save or copy it again."
        ) from error
    if len(planes) == 1:
        colour = np.dstack([_as_map(planes[0])] * 3)
        alpha = np.ones_like(planes[0])
    else:
        green, blue, red, *more = planes
        light = np.dstack([red, green, blue])
        alpha = np.clip(np.nan_to_num(more[0]), 0, 1) if more else np.ones_like(red)
        # Light comes premultiplied here.
        light = np.nan_to_num(light) / np.maximum(alpha, 1e-6)[..., None]
        colour = encode_srgb(np.clip(light, 0, 1))
    return np.rint(np.dstack([colour, alpha]) * 65535).astype(np.uint16)


def _planes(frame: av.VideoFrame) -> list[np.ndarray]:
    """Return the frame's planes, float32 (height, width): one, or green, blue, red and alpha."""
    if not frame.format.name.endswith("f32le"):
        raise ValueError(f"{frame.format.name} is not read")
    return [
        np.frombuffer(bytes(plane), "<f4").reshape(plane.height, -1)[:, : plane.width].copy()
        for plane in frame.planes
    ]


def _as_map(values: np.ndarray) -> np.ndarray:
    """Return values of any range as 0..1; what is no number is 0."""
    known = np.isfinite(values)
    if not known.any():
        return np.zeros_like(values)
    low, high = float(values[known].min()), float(values[known].max())
    if high <= low:
        return np.where(known, np.clip(values, 0, 1), 0)
    return np.where(known, (np.where(known, values, low) - low) / (high - low), 0)


def _start(source: Path | bytes, count: int) -> bytes:
    if isinstance(source, bytes):
        return source[:count]
    with source.open("rb") as file:
        return file.read(count)


def encode_exr(light: np.ndarray, depth: np.ndarray | None = None) -> bytes:
    """Return an OpenEXR file of linear light, float16 (height, width, 3 or 4), premultiplied.

    ``depth`` (height, width) float32 becomes the channel Z.
    """
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    channels = {"RGBA"[: light.shape[2]]: np.ascontiguousarray(light)}
    if depth is not None:
        channels["Z"] = np.ascontiguousarray(depth)
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        OpenEXR.File(header, channels).write(file.name)
        return Path(file.name).read_bytes()
