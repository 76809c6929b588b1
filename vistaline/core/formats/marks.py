"""What made a picture, put into its file as words that other programs show.

The pixels stay as they were coded: the words are put between what is there, as each format says.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Callable

__all__ = ["marked"]

_COMMENT_OF_JPEG = b"\xff\xfe"
_COMMENT_OF_GIF = b"\x21\xfe"
_SOFTWARE = 305
"""TIFF 6.0, section 8: name and version of what made the picture."""
_ASCII = 2


def marked(data: bytes, words: str) -> bytes:
    """Return a picture's file with words in it.

    PNG: a text ``Software`` (PNG, 11.3.3); JPEG: a comment (ITU-T T.81, B.2.4.5); TIFF: the tag
    ``Software`` (TIFF 6.0); OpenEXR: the attribute ``software``; GIF: a comment (GIF89a, 24);
    WebP: XMP with ``CreatorTool`` (ISO 16684-1; WebP Container Specification). Any other file is
    returned as it is, as is one for which there are no words.
    """
    if not words:
        return data
    for start, mark in _MARKS.items():
        if data.startswith(start):
            return mark(data, words)
    return data


def _png(data: bytes, words: str) -> bytes:
    text = b"Software\0" + words.encode("latin-1", "replace")
    chunk = b"tEXt" + text
    whole = struct.pack(">I", len(text)) + chunk + struct.pack(">I", zlib.crc32(chunk))
    # After the header, which is always the first chunk: signature, then 13 bytes in a chunk.
    return data[:33] + whole + data[33:]


def _jpeg(data: bytes, words: str) -> bytes:
    text = words.encode()
    return data[:2] + _COMMENT_OF_JPEG + struct.pack(">H", len(text) + 2) + text + data[2:]


def _tiff(data: bytes, words: str) -> bytes:
    """Put a copy of the first directory, with one entry more, at the end."""
    (start,) = struct.unpack_from("<I", data, 4)
    (count,) = struct.unpack_from("<H", data, start)
    entries = [data[start + 2 + 12 * n :][:12] for n in range(count)]
    following = data[start + 2 + 12 * count :][:4]
    text = words.encode("ascii", "replace") + b"\0"
    text += b"\0" * ((len(data) + len(text)) % 2)
    entries = [each for each in entries if struct.unpack_from("<H", each)[0] != _SOFTWARE]
    entries.append(struct.pack("<HHII", _SOFTWARE, _ASCII, len(text), len(data)))
    entries.sort(key=lambda each: struct.unpack_from("<H", each)[0])
    directory = struct.pack("<H", len(entries)) + b"".join(entries) + following
    return data[:4] + struct.pack("<I", len(data) + len(text)) + data[8:] + text + directory


def _exr(data: bytes, words: str) -> bytes:
    """Put an attribute before the others; where lines of the picture begin moves along."""
    text = words.encode()
    attribute = b"software\0string\0" + struct.pack("<I", len(text)) + text
    end = 8
    while data[end]:
        kind = data.index(b"\0", end) + 1
        size = data.index(b"\0", kind) + 1
        end = size + 4 + struct.unpack_from("<I", data, size)[0]
    end += 1
    count = (struct.unpack_from("<Q", data, end)[0] - end) // 8
    places = struct.unpack_from(f"<{count}Q", data, end)
    moved = struct.pack(f"<{count}Q", *(place + len(attribute) for place in places))
    return data[:8] + attribute + data[8:end] + moved + data[end + 8 * count :]


def _gif(data: bytes, words: str) -> bytes:
    flags = data[10]
    # After the screen's description and, if there is one, the palette of the whole.
    end = 13 + (3 << ((flags & 7) + 1) if flags & 0x80 else 0)
    text = words.encode("ascii", "replace")[:255]
    return data[:end] + _COMMENT_OF_GIF + bytes([len(text)]) + text + b"\0" + data[end:]


def _webp(data: bytes, words: str) -> bytes:
    """Put XMP at the end; only the extended form, which animations have, has a place for it."""
    if data[12:16] != b"VP8X":
        return data
    xmp = (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF '
        'xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description '
        f'xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmp:CreatorTool="{words}"/>'
        "</rdf:RDF></x:xmpmeta>"
    ).encode()
    chunk = b"XMP " + struct.pack("<I", len(xmp)) + xmp + b"\0" * (len(xmp) % 2)
    size = struct.pack("<I", len(data) - 8 + len(chunk))
    return data[:4] + size + data[8:20] + bytes([data[20] | 4]) + data[21:] + chunk


_MARKS: dict[bytes, Callable[[bytes, str], bytes]] = {
    b"\x89PNG\r\n\x1a\n": _png,
    b"\xff\xd8": _jpeg,
    b"II*\0": _tiff,
    b"\x76\x2f\x31\x01": _exr,
    b"GIF89a": _gif,
    b"RIFF": _webp,
}
