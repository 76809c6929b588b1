"""Tables of colours in the open .cube format, read and written.

Source: Adobe Systems, Cube LUT Specification, version 1.0 (2013).
"""

from __future__ import annotations

import base64
import math
import zlib
from dataclasses import dataclass

import numpy as np

from vistaline.core.errors import ShotError

__all__ = ["MOST_TEXT", "Cube", "cube_text", "packed", "read_cube", "unpacked"]

MOST_TEXT = 16 << 20
"""Bytes of a file: one of 65 colours a side has about 7 MB."""
_MOST_CUBE, _MOST_LINE = 65, 65536
_KEPT_CUBE, _KEPT_LINE = 33, 1025
"""As large as a table is kept in a shot; larger ones are made as large, by mixing."""


@dataclass(frozen=True, eq=False)
class Cube:
    """A table of colours over 0..1."""

    table: np.ndarray
    """(N, 3) of one a channel, or (N, N, N, 3): blue, green, red; float64."""
    title: str = ""

    @property
    def is_cube(self) -> bool:
        """Whether it is one for all three channels together."""
        return self.table.ndim == 4


def read_cube(text: str, name: str = "The table") -> Cube:
    """Return a table from the text of a .cube file; other domains are brought to 0..1.

    Raises
    ------
    ShotError
        It is none, of an impossible size, or has lines that are no colours.
    """
    title, size, cubic = "", 0, False
    low, high = np.zeros(3), np.ones(3)
    rows: list[tuple[float, float, float]] = []
    for number, line in enumerate(text.splitlines(), 1):
        words = line.split("#")[0].split() if not line.lstrip().startswith("TITLE") else [line]
        if not words:
            continue
        head = words[0].split()[0]
        if head == "TITLE":
            title = line.split("TITLE", 1)[1].strip().strip('"')[:80]
        elif head in ("LUT_1D_SIZE", "LUT_3D_SIZE"):
            cubic = head == "LUT_3D_SIZE"
            size = _size(words, cubic, name, number)
        elif head in ("DOMAIN_MIN", "DOMAIN_MAX"):
            three = np.array(_numbers(words[1:], name, number))
            low, high = (three, high) if head == "DOMAIN_MIN" else (low, three)
        elif head[0].isalpha() and head.lower() not in ("nan", "inf", "infinity"):
            continue  # a keyword of somebody's own
        else:
            rows.append(_numbers(words, name, number))
            if size and len(rows) > (size**3 if cubic else size):
                raise ShotError(f"{name} has more colours than its size of {size} says.")
    wanted = size**3 if cubic else size
    if not size:
        raise ShotError(f"{name} is no .cube table: it does not say LUT_1D_SIZE or LUT_3D_SIZE.")
    if len(rows) != wanted:
        raise ShotError(f"{name} has {len(rows)} colours; by its size it must have {wanted}.")
    if not (high > low).all():
        raise ShotError(f"{name} has a domain that ends before it begins.")
    table = np.array(rows)
    table = table.reshape(size, size, size, 3) if cubic else table
    if (low != 0).any() or (high != 1).any():
        table = _over(table, low, high)
    return Cube(table, title)


def _size(words: list[str], cubic: bool, name: str, number: int) -> int:
    most = _MOST_CUBE if cubic else _MOST_LINE
    try:
        size = int(words[1])
    except (IndexError, ValueError):
        raise ShotError(f"{name}, line {number}: a size is missing.") from None
    if not 2 <= size <= most:
        raise ShotError(f"{name} has a size of {size}; 2 to {most} can be read.")
    return size


def _numbers(words: list[str], name: str, number: int) -> tuple[float, float, float]:
    try:
        r, g, b = (float(each) for each in words)
    except ValueError:
        raise ShotError(f"{name}, line {number}: {' '.join(words)[:40]!r} is no colour.") from None
    if not all(math.isfinite(each) and abs(each) <= 1e6 for each in (r, g, b)):
        raise ShotError(f"{name}, line {number}: a colour must be of plain numbers.")
    return r, g, b


def _over(table: np.ndarray, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """Return a table over 0..1 of one over another domain."""
    places = [
        np.clip((np.linspace(0, 1, len(table)) - low[c]) / (high[c] - low[c]), 0, 1)
        for c in range(3)
    ]
    return _at(table, places)


def _at(table: np.ndarray, places: list[np.ndarray]) -> np.ndarray:
    """Return a table looked up at places (0..1) of red, green and blue, evenly between."""
    steps = np.linspace(0, 1, len(table))
    if table.ndim == 2:
        return np.stack([np.interp(places[c], steps, table[:, c]) for c in range(3)], axis=-1)
    found = table
    for axis, each in ((2, places[0]), (1, places[1]), (0, places[2])):
        at = each * (len(table) - 1)
        first = np.minimum(at.astype(int), len(table) - 2)
        shape = [1] * 4
        shape[axis] = len(each)
        share = (at - first).reshape(shape)
        found = np.take(found, first, axis) * (1 - share) + np.take(found, first + 1, axis) * share
    return np.asarray(found)


def cube_text(table: np.ndarray, title: str) -> str:
    """Return the text of a .cube file of a table (N, N, N, 3) or (N, 3) over 0..1."""
    kind = "LUT_3D_SIZE" if table.ndim == 4 else "LUT_1D_SIZE"
    plain = title.replace('"', "'").replace("\n", " ")
    head = [f'TITLE "{plain}"', f"{kind} {len(table)}", "DOMAIN_MIN 0 0 0", "DOMAIN_MAX 1 1 1"]
    lines = (f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in table.reshape(-1, 3).tolist())
    return "\n".join([*head, *lines]) + "\n"


def packed(cube: Cube) -> str:
    """Return a table as a shot keeps it: size, and 16 bits a number, small, as text."""
    most = _KEPT_CUBE if cube.is_cube else _KEPT_LINE
    table = cube.table
    if len(table) > most:
        table = _at(table, [np.linspace(0, 1, most)] * 3)
    codes = np.rint(np.clip(table, 0, 1) * 65535).astype("<u2").tobytes()
    kind = "cube" if cube.is_cube else "line"
    return f"{kind} {len(table)} {base64.b64encode(zlib.compress(codes, 9)).decode()}"


def unpacked(text: str) -> np.ndarray:
    """Return a kept table (N, 3) or (N, N, N, 3), 0..1.

    Raises
    ------
    ShotError
        It is damaged.
    """
    try:
        kind, size, codes = text.split(" ")
        side = int(size)
        wanted = side**3 * 3 if kind == "cube" else side * 3
        if not 2 <= side <= (_KEPT_CUBE if kind == "cube" else _KEPT_LINE):
            raise ValueError(size)
        found = zlib.decompressobj().decompress(base64.b64decode(codes), wanted * 2 + 1)
        table = np.frombuffer(found, "<u2")
        if len(table) != wanted:
            raise ValueError(len(table))
    except (ValueError, zlib.error) as error:
        raise ShotError("A table of colours in this shot is damaged. Bring it in again.") from error
    shape = (side, side, side, 3) if kind == "cube" else (side, 3)
    return np.asarray(table.reshape(shape) / 65535)
