"""Texture pyramids: a picture at full, half, quarter ... size, in memory-mapped files.

All processes that render share the pages. A pyramid is written whole beside its place and
renamed into it, so a reader never sees half of one.
"""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.render.tiling import BLOCK

__all__ = ["BORDER", "Occupancy", "Pyramid", "PyramidStore", "build_levels"]

BORDER = 2
"""Texels every level is extended by, so that sampling at a card's edge meets no foreign texel."""
SMALLEST = 64
_LAYOUT = "p1"


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


def build_levels(picture: Rgba16) -> list[Rgba16]:
    """Return the padded levels of a picture (height, width, 4), full size first.

    The size is first brought up to a multiple of the coarsest texel, so that every level's texels
    are exact 2 x 2 means and none is shifted.
    """
    height, width = picture.shape[:2]
    halvings = max(0, (max(width, height) - 1).bit_length() - SMALLEST.bit_length() + 1)
    step = 1 << halvings
    level = cv2.copyMakeBorder(picture, 0, -height % step, 0, -width % step, cv2.BORDER_REPLICATE)
    levels = []
    for n in range(halvings + 1):
        if n:
            level = cv2.resize(
                level, (level.shape[1] // 2, level.shape[0] // 2), interpolation=cv2.INTER_AREA
            )
        levels.append(
            cv2.copyMakeBorder(level, BORDER, BORDER, BORDER, BORDER, cv2.BORDER_REPLICATE)
        )
    return levels


def _content(alpha: np.ndarray) -> tuple[int, int, int, int]:
    """Return the box of everything not wholly transparent, with two texels to spare."""
    columns, rows = np.flatnonzero(alpha.any(axis=0)), np.flatnonzero(alpha.any(axis=1))
    if not len(columns):
        return 0, 0, 1, 1
    height, width = alpha.shape
    return (
        max(0, int(columns[0]) - BORDER),
        max(0, int(rows[0]) - BORDER),
        min(width, int(columns[-1]) + 1 + BORDER),
        min(height, int(rows[-1]) + 1 + BORDER),
    )


class PyramidStore:
    """Pyramids in a folder, by the content hash of the picture they came from."""

    def __init__(self, root: Path) -> None:
        self._root = root
        self._open: dict[str, Pyramid] = {}

    def get(self, key: str, decode: Callable[[], Rgba16]) -> Pyramid:
        """Return the pyramid of ``key``; ``decode`` gives its picture if it must be built."""
        if key not in self._open:
            folder = self._root / f"{key}.{_LAYOUT}"
            if not (folder / "pyramid.json").exists():
                self._build(folder, decode())
            self._open[key] = self._read(folder)
        return self._open[key]

    def _build(self, folder: Path, picture: Rgba16) -> None:
        self._root.mkdir(parents=True, exist_ok=True)
        unfinished = Path(tempfile.mkdtemp(prefix="building-", dir=self._root))
        try:
            levels = build_levels(picture)
            for n, level in enumerate(levels):
                np.save(unfinished / f"{n}.npy", level)
            alpha = picture[..., 3]
            facts = {
                "width": picture.shape[1],
                "height": picture.shape[0],
                "opaque": bool(alpha.min() == 65535),
                "content": _content(alpha),
                "levels": len(levels),
            }
            (unfinished / "pyramid.json").write_text(json.dumps(facts))
            os.rename(unfinished, folder)
        except OSError:
            # Another process may have been first; its pyramid is the same.
            if not (folder / "pyramid.json").exists():
                raise
        finally:
            shutil.rmtree(unfinished, ignore_errors=True)

    @staticmethod
    def _read(folder: Path) -> Pyramid:
        facts = json.loads((folder / "pyramid.json").read_text())
        return Pyramid(
            width=facts["width"],
            height=facts["height"],
            opaque=facts["opaque"],
            content=tuple(facts["content"]),
            levels=tuple(
                # A plain view: memmap's subclass makes every slice slower.
                np.load(folder / f"{n}.npy", mmap_mode="r").view(np.ndarray)
                for n in range(facts["levels"])
            ),
        )
