"""Frames that are stills in an archive (ZIP), in the order of their names' numbers."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterable, Iterator
from fractions import Fraction
from pathlib import Path, PurePosixPath
from typing import BinaryIO

import numpy as np

from vistaline.core.errors import PictureError
from vistaline.core.picture.clip import MOST_FRAMES, Clip, too_long
from vistaline.core.picture.decode import decode_codes, inspect_picture

__all__ = ["inspect_row", "is_row", "pack_row", "row_frames"]

_STILLS = {".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".avif"}
_LARGEST = 200_000_000
"""Bytes of one still."""


def is_row(path: Path) -> bool:
    """Return whether a file is an archive of nothing but stills."""
    try:
        return zipfile.is_zipfile(path) and bool(_members(path))
    except (zipfile.BadZipFile, OSError):
        return False


def pack_row(stills: Iterable[tuple[str, BinaryIO]], out: BinaryIO) -> None:
    """Write stills, each a name and its file, as one archive; their bytes stay as they are."""
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, still in stills:
            # The date is a fixed one: one content, one hash.
            archive.writestr(zipfile.ZipInfo(PurePosixPath(name).name), still.read())


def inspect_row(path: Path, name: str, rate: Fraction) -> Clip:
    """Return what an archive of stills holds, shown at ``rate``.

    Raises
    ------
    PictureError
        One of them is no picture, or not as large as the first; it names which.
    """
    members = _members(path)
    if len(members) > MOST_FRAMES:
        raise too_long(name, len(members) / float(rate))
    with zipfile.ZipFile(path) as archive:
        first = inspect_picture(_read(archive, members[0], name), _plain(members[0]))
        alpha = first.has_alpha
        for member in members[1:]:
            info = inspect_picture(_read(archive, member, name), _plain(member))
            alpha |= info.has_alpha
            if (info.width, info.height) != (first.width, first.height):
                raise PictureError(
                    name,
                    f"{_plain(member)} has {info.width} × {info.height} pixels, and the first "
                    f"frame {first.width} × {first.height}. Frames of one size go together.",
                )
    return Clip(
        format=f"{first.format} row",
        extension="zip",
        width=first.width,
        height=first.height,
        frames=len(members),
        rate=rate,
        has_alpha=alpha,
        bits=first.bits,
        remarks=_gaps(members),
    )


def row_frames(path: Path, name: str, clip: Clip, first: int) -> Iterator[np.ndarray]:
    """Yield the codes of stills from number ``first`` on: (height, width, 3 or 4)."""
    with zipfile.ZipFile(path) as archive:
        for member in _members(path)[first:]:
            codes = decode_codes(_read(archive, member, name), _plain(member))
            if codes.dtype == np.uint16 and clip.bits == 8:
                codes = (codes >> 8).astype(np.uint8)
            elif codes.dtype == np.uint8 and clip.bits > 8:
                codes = codes.astype(np.uint16) * 257
            yield codes if clip.has_alpha else codes[..., :3]


def _members(path: Path) -> list[str]:
    with zipfile.ZipFile(path) as archive:
        files = [
            each
            for each in archive.namelist()
            # Folders, and what a system lays beside files.
            if not each.endswith("/") and not re.search(r"(^|/)(\.|__MACOSX/|Thumbs\.db)", each)
        ]
    if any(PurePosixPath(each).suffix.lower() not in _STILLS for each in files):
        return []
    return sorted(files, key=_numbered)


def _numbered(name: str) -> tuple[list[tuple[int, int | str]], str]:
    """Return what names are sorted by: 10 comes after 9."""
    parts = re.split(r"(\d+)", name)
    return [(0, int(part)) if part.isdecimal() else (1, part) for part in parts if part], name


def _gaps(members: list[str]) -> tuple[str, ...]:
    """Return a remark if numbers are left out."""
    numbers = [re.findall(r"\d+", PurePosixPath(each).stem) for each in members]
    if not all(numbers):
        return ()
    last = [int(found[-1]) for found in numbers]
    missing = last[-1] - last[0] + 1 - len(last)
    if missing <= 0 or len(set(last)) < len(last):
        return ()
    return (f"{missing} numbers between {last[0]} and {last[-1]} are left out",)


def _read(archive: zipfile.ZipFile, member: str, name: str) -> bytes:
    if archive.getinfo(member).file_size > _LARGEST:
        raise PictureError(name, f"{_plain(member)} is too large.")
    try:
        return archive.read(member)
    except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError) as error:
        raise PictureError(name, f"{_plain(member)} in it is damaged. Save it again.") from error


def _plain(member: str) -> str:
    return PurePosixPath(member).name
