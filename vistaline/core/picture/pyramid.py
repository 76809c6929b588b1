"""Texture pyramids: a picture at full, half, quarter ... size, in a memory-mapped file.

All processes that render share the pages. A pyramid is written whole beside its place and
renamed into it, so a reader never sees half of one.
"""

from __future__ import annotations

import json
import math
import mmap
import os
import shutil
import threading
import uuid
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import islice
from pathlib import Path

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.files import replace_safely

__all__ = [
    "BLOCK",
    "BORDER",
    "Pyramid",
    "PyramidStore",
    "build_levels",
    "drawn_levels",
    "write_pyramid",
]

BORDER = 2
"""Texels every level is extended by, so that sampling at a card's edge meets no foreign texel."""
SMALLEST = 64
BLOCK = 64
"""Texels a side of the blocks for which a pyramid keeps whether they are empty or solid."""
_LAYOUT = "p2"
_HEAD = 4096
"""Bytes of the head, which tells what follows in JSON; levels begin at multiples of it."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Pyramid:
    """Levels of (height + 4, width + 4, 4) uint16; level n texels are 2^n of level 0's."""

    width: int
    height: int
    opaque: bool
    content: tuple[int, int, int, int]
    """x0, y0, x1, y1: level 0 texels outside it are wholly transparent."""
    levels: tuple[Rgba16, ...]

    @property
    def unit_content(self) -> tuple[float, float, float, float]:
        """The content box in unit texture coordinates."""
        x0, y0, x1, y1 = self.content
        return x0 / self.width, y0 / self.height, x1 / self.width, y1 / self.height

    @property
    def picture(self) -> Rgba16:
        """The picture itself (height, width, 4): level 0 without what it is extended by."""
        return self.levels[0][BORDER : BORDER + self.height, BORDER : BORDER + self.width]

    @cached_property
    def occupancy(self) -> Occupancy:
        """Where the picture is empty and where it is solid."""
        return Occupancy(self)


class Occupancy:
    """Where a picture is empty and where it is solid, in blocks of ``BLOCK`` x ``BLOCK`` texels.

    ``some`` and ``solid`` are summed-area tables (rows + 1, columns + 1): how many blocks above
    and left of each corner hold something, and how many are opaque all over.
    """

    def __init__(self, pyramid: Pyramid) -> None:
        # A coarse level tells as much: its mean is 0 or full only where all its texels are.
        n = min(3, len(pyramid.levels) - 1)
        alpha = pyramid.levels[n][BORDER:-BORDER, BORDER:-BORDER, 3]
        side = BLOCK >> n
        rows, columns = -(-alpha.shape[0] // side), -(-alpha.shape[1] // side)
        padding = ((0, rows * side - alpha.shape[0]), (0, columns * side - alpha.shape[1]))
        blocks = np.pad(alpha, padding, "edge").reshape(rows, side, columns, side)
        self.some = cv2.integral((blocks.max(axis=(1, 3)) > 0).astype(np.uint8))
        self.solid = cv2.integral((blocks.min(axis=(1, 3)) == 65535).astype(np.uint8))


def drawn_levels(
    size: tuple[int, int], draw: Callable[[Rgba16], None], *, to_its_edges: bool = False
) -> list[Rgba16]:
    """Return the padded levels of a picture ``size`` (width, height) large that ``draw`` fills.

    It is given one in which nothing is, so that none is copied; as :func:`build_levels` else.
    ``to_its_edges``: it may be opaque there, and goes on beyond them.
    """
    width, height = size
    halvings = _halvings(width, height)
    step = 1 << halvings
    inner = -(-height // step) * step, -(-width // step) * step
    full = np.zeros((inner[0] + 2 * BORDER, inner[1] + 2 * BORDER, 4), np.uint16)
    within = full[BORDER:-BORDER, BORDER:-BORDER]
    draw(within[:height, :width])
    if to_its_edges:
        last, right = BORDER + height, BORDER + width
        full[BORDER:last, :BORDER] = full[BORDER:last, BORDER : BORDER + 1]
        full[BORDER:last, right:] = full[BORDER:last, right - 1 : right]
        full[:BORDER], full[last:] = full[BORDER], full[last - 1]
    found: list[Rgba16] = [full]
    for level in islice(_halved(within, halvings), 1, None):
        around = (BORDER,) * 4
        found.append(cv2.copyMakeBorder(level, *around, cv2.BORDER_REPLICATE))
    return found


def build_levels(picture: Rgba16) -> list[Rgba16]:
    """Return the padded levels of a picture (height, width, 4), full size first.

    The size is first brought up to a multiple of the coarsest texel, so that every level's texels
    are exact 2 x 2 means and none is shifted.
    """
    height, width = picture.shape[:2]
    halvings = _halvings(width, height)
    step = 1 << halvings
    full = cv2.copyMakeBorder(picture, 0, -height % step, 0, -width % step, cv2.BORDER_REPLICATE)
    return [
        cv2.copyMakeBorder(level, BORDER, BORDER, BORDER, BORDER, cv2.BORDER_REPLICATE)
        for level in _halved(full, halvings)
    ]


def _halvings(width: int, height: int) -> int:
    return max(0, (max(width, height) - 1).bit_length() - SMALLEST.bit_length() + 1)


def _halved(level: Rgba16, halvings: int) -> Iterator[Rgba16]:
    """Yield a picture of whole coarsest texels, and the means of its texels, two by two."""
    yield level
    for _ in range(halvings):
        size = (level.shape[1] // 2, level.shape[0] // 2)
        level = cv2.resize(level, size, interpolation=cv2.INTER_AREA)
        yield level


def write_pyramid(path: Path, size: tuple[int, int], bands: Iterable[Rgba16]) -> None:
    """Write the pyramid of a picture of ``size`` (width, height) that comes in bands of rows.

    Bands are (any height, width, 4), top to bottom; no more than one and the rows of one coarsest
    texel are in memory. The file is whole only when this has returned: write it beside its place.
    """
    width, height = size
    halvings = _halvings(width, height)
    step = 1 << halvings
    wide, tall = width + -width % step, height + -height % step
    shapes = [((tall >> n) + 2 * BORDER, (wide >> n) + 2 * BORDER, 4) for n in range(halvings + 1)]
    offsets = [_HEAD]
    for shape in shapes:
        offsets.append(offsets[-1] + -(-2 * math.prod(shape) // _HEAD) * _HEAD)
    opaque, filled = True, _Filled(width, height)
    with path.open("wb") as file:
        os.truncate(file.fileno(), offsets[-1])
        for top, band in _whole_texels(bands, height, step):
            alpha = band[: height - top, :, 3]
            opaque &= bool(alpha.min() == 65535)
            filled.add(top, alpha)
            full = cv2.copyMakeBorder(band, 0, 0, 0, wide - width, cv2.BORDER_REPLICATE)
            first, last = top == 0, top + len(band) >= tall
            for n, level in enumerate(_halved(full, halvings)):
                above, below = BORDER * first, BORDER * last
                padded = cv2.copyMakeBorder(
                    level, above, below, BORDER, BORDER, cv2.BORDER_REPLICATE
                )
                row = (top >> n) + BORDER - above
                file.seek(offsets[n] + 2 * row * shapes[n][1] * 4)
                file.write(np.ascontiguousarray(padded).data)
        facts = {
            "width": width,
            "height": height,
            "opaque": opaque,
            "content": filled.box(),
            "levels": shapes,
            "offsets": offsets[:-1],
        }
        file.seek(0)
        file.write(json.dumps(facts).encode().ljust(_HEAD))


def _whole_texels(bands: Iterable[Rgba16], height: int, step: int) -> Iterator[tuple[int, Rgba16]]:
    """Yield bands of a multiple of ``step`` rows, with their first row; the last is filled up."""
    top, held = 0, np.empty((0, 0, 4), np.uint16)
    for band in bands:
        held = np.concatenate([held, band]) if len(held) else band
        whole = len(held) - len(held) % step
        if whole and top + len(held) < height:
            yield top, held[:whole]
            top, held = top + whole, held[whole:]
    yield top, cv2.copyMakeBorder(held, 0, -len(held) % step, 0, 0, cv2.BORDER_REPLICATE)


class _Filled:
    """The box of everything not wholly transparent, found band by band."""

    def __init__(self, width: int, height: int) -> None:
        self._columns, self._rows = np.zeros(width, bool), np.zeros(height, bool)

    def add(self, top: int, alpha: np.ndarray) -> None:
        self._columns |= alpha.any(axis=0)
        self._rows[top : top + len(alpha)] = alpha.any(axis=1)

    def box(self) -> tuple[int, int, int, int]:
        """Return x0, y0, x1, y1 with two texels to spare."""
        columns, rows = np.flatnonzero(self._columns), np.flatnonzero(self._rows)
        if not len(columns):
            return 0, 0, 1, 1
        return (
            max(0, int(columns[0]) - BORDER),
            max(0, int(rows[0]) - BORDER),
            min(len(self._columns), int(columns[-1]) + 1 + BORDER),
            min(len(self._rows), int(rows[-1]) + 1 + BORDER),
        )


class PyramidStore:
    """Pyramids in a folder, by the content hash of the picture they came from.

    A bounded number stay open, those used last: each takes a descriptor and address space. One
    that somebody still holds stays usable after it was put aside.
    """

    def __init__(self, root: Path, *, most_open: int = 128) -> None:
        self._root, self._most_open = root, most_open
        self._open: OrderedDict[str, Pyramid] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str, draw: Callable[[], Rgba16]) -> Pyramid:
        """Return the pyramid of ``key``; ``draw`` gives its picture if it must be built."""

        def write(path: Path) -> None:
            picture = draw()
            write_pyramid(path, (picture.shape[1], picture.shape[0]), [picture])

        return self.get_written(key, write)

    def get_written(self, key: str, write: Callable[[Path], None]) -> Pyramid:
        """Return the pyramid of ``key``; ``write`` writes its file if it must be built."""
        with self._lock:
            if key in self._open:
                self._open.move_to_end(key)
                return self._open[key]
        path = self._root / f"{key}.{_LAYOUT}"
        if not path.exists():
            self._build(path, write)
        pyramid = _read(path)
        with self._lock:
            self._open[key] = pyramid
            while len(self._open) > self._most_open:
                self._open.popitem(last=False)
        return pyramid

    def forget(self) -> None:
        """Put aside all that are open."""
        with self._lock:
            self._open.clear()

    @property
    def open_now(self) -> int:
        """How many are open."""
        return len(self._open)

    def _build(self, path: Path, write: Callable[[Path], None]) -> None:
        self._root.mkdir(parents=True, exist_ok=True)
        unfinished = self._root / f"building-{uuid.uuid4().hex}"
        try:
            write(unfinished)
            # Another process may have been first; its pyramid is the same.
            replace_safely(unfinished, path)
        finally:
            unfinished.unlink(missing_ok=True)
        # What an earlier version kept of it, as a folder.
        shutil.rmtree(path.with_suffix(".p1"), ignore_errors=True)


def _read(path: Path) -> Pyramid:
    with path.open("rb") as file:
        facts = json.loads(file.read(_HEAD))
        # One descriptor for all levels: it is held for as long as any of them is.
        pages = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
    levels = (
        np.frombuffer(pages, np.uint16, math.prod(shape), offset).reshape(shape)
        for shape, offset in zip(facts["levels"], facts["offsets"], strict=True)
    )
    return Pyramid(
        width=facts["width"],
        height=facts["height"],
        opaque=facts["opaque"],
        content=tuple(facts["content"]),
        levels=tuple(levels),
    )
