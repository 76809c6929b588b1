"""The pieces of a title: which of its letters belong to which, and a title made of moved ones.

A piece is cut from the title as it is drawn whole, so that all of them in their places are that
title, pixel for pixel. They lie side by side on one sheet, with room round each for coarser copies.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path

import cv2
import numpy as np
from numba import njit
from scipy.ndimage import find_objects

from vistaline.core.arrays import FloatArray, Rgba16
from vistaline.core.confined import confined
from vistaline.core.looks.lettering import DRAWING, Placed, Title, drawn_letters, joins, lines_of
from vistaline.core.looks.passages import By, Moves
from vistaline.core.looks.typefaces import OWN, shelve, shelves

__all__ = ["Sheet", "lay_pieces", "middles_of", "sheet_of"]

_ROOM = 8
"""Pixels round a piece on its sheet."""
_WIDEST = 4096
"""Pixels of a sheet, but for a piece that is wider."""
_LEAST_BLUR = 0.4
"""Pixels: a smaller Gaussian is not seen."""
_BAND = 128
"""Rows that a thread lays at a time."""
_COARSEST = 3
"""Halvings of a sheet that its room allows."""


@dataclass(frozen=True, eq=False)
class Sheet:
    """The pieces of a title."""

    levels: tuple[np.ndarray, ...]
    """(rows, columns, 4) uint16, linear, premultiplied; each half as fine as the one before."""
    boxes: np.ndarray
    """(N, 4) int: where each lies on the sheet: left, top, width, height, in pixels."""
    places: np.ndarray
    """(N, 2) int: where its left upper corner is in the whole title."""
    size: tuple[int, int]
    """Of the whole title."""
    em: float


@lru_cache(256)
def _spans(
    text: str, face: str, weight: int, spacing: float, line_spacing: float, by: By
) -> tuple[tuple[Placed, ...], ...]:
    """Return the pieces in reading order, each as the letters it is made of."""
    lines = lines_of(Title(text=text, face=face, weight=weight, spacing=spacing,
                           line_spacing=line_spacing))  # fmt: skip
    found: list[tuple[Placed, ...]] = []
    for line in lines:
        if by is By.LINE or not line:
            found += [line] if line else []
        elif by is By.WORD or any(joins(each.text) for each in line):
            found += _words(line)
        else:
            found += [(each,) for each in line if not each.text.isspace()]
    return tuple(found)


def _words(line: tuple[Placed, ...]) -> list[tuple[Placed, ...]]:
    words: list[list[Placed]] = [[]]
    for each in line:
        if each.text.isspace():
            words.append([])
        else:
            words[-1].append(each)
    return [tuple(word) for word in words if word]


def _spans_of(title: Title, by: By) -> tuple[tuple[Placed, ...], ...]:
    wish = title.text, title.face, title.weight, title.spacing, title.line_spacing
    return _spans(*wish, by)


def middles_of(title: Title, by: By) -> FloatArray:
    """Return where the middles of a title's pieces lie across it (N,), in em from its own."""
    spans = _spans_of(title, by)
    ends = [(min(e.left for e in span), max(e.right for e in span)) for span in spans]
    middles = np.array([(left + right) / 2 for left, right in ends])
    if not len(ends):
        return middles
    whole = (min(left for left, _ in ends) + max(right for _, right in ends)) / 2
    return np.asarray(middles - whole)


def sheet_of(title: Title, by: By, picture: Rgba16, em: float) -> Sheet:
    """Return the pieces of a title that is drawn whole as ``picture``, ``em`` pixels to the em."""
    name = f"The title “{title.text[:20]}”"
    size = picture.shape[1], picture.shape[0]
    work = title, by, em, size, shelves()
    if title.face.startswith(OWN):
        labels = confined(_labels, *work, name=name, bounds=DRAWING)
    else:
        labels = _labels(*work)
    count = len(_spans_of(title, by))
    return _packed(np.asarray(picture), labels, count, em)


def _labels(
    title: Title, by: By, em: float, size: tuple[int, int], where: tuple[Path, ...]
) -> np.ndarray:
    """Return which piece each pixel belongs to (height, width) uint16: 0 none, 1 the first."""
    for folder in where:
        shelve(folder)
    best = np.zeros((size[1], size[0]), np.uint8)
    labels = np.zeros(best.shape, np.uint16)
    for n, span in enumerate(_spans_of(title, by), 1):
        left, top, mask = drawn_letters(title, span, em, size)
        rows, columns = slice(top, top + mask.shape[0]), slice(left, left + mask.shape[1])
        more = mask > best[rows, columns]
        labels[rows, columns][more] = n
        best[rows, columns][more] = mask[more]
    # What is inked but belongs to none, for a pixel's rounding, goes with what is next to it.
    bare = labels == 0
    if bare.all():
        return labels
    _, near = cv2.distanceTransformWithLabels(
        bare.astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL
    )
    of = np.zeros(int(near.max()) + 1, np.uint16)
    of[near[~bare]] = labels[~bare]
    return np.asarray(of[near])


def _packed(picture: np.ndarray, labels: np.ndarray, count: int, em: float) -> Sheet:
    inked = np.where(picture[..., 3] > 0, labels, 0)
    found = find_objects(inked, max_label=count)
    boxes, places = np.zeros((count, 4), int), np.zeros((count, 2), int)
    x = y = tallest = wide = 0
    for n, piece in enumerate(found):
        if piece is None:
            continue
        rows, columns = piece
        width, height = columns.stop - columns.start, rows.stop - rows.start
        if x and x + width + _ROOM > _WIDEST:
            x, y, tallest = 0, y + tallest, 0
        boxes[n] = x + _ROOM, y + _ROOM, width, height
        places[n] = columns.start, rows.start
        x += width + 2 * _ROOM
        tallest, wide = max(tallest, height + 2 * _ROOM), max(wide, x)
    step = 1 << _COARSEST
    sheet = np.zeros((-(-max(y + tallest, 1) // step) * step, -(-max(wide, 1) // step) * step, 4),
                     np.uint16)  # fmt: skip
    for n, piece in enumerate(found):
        if piece is not None:
            left, top, width, height = boxes[n]
            own = (inked[piece] == n + 1)[..., None]
            sheet[top : top + height, left : left + width] = picture[piece] * own
    levels: list[np.ndarray] = [sheet]
    for _ in range(_COARSEST):
        size = levels[-1].shape[1] // 2, levels[-1].shape[0] // 2
        levels.append(cv2.resize(levels[-1], size, interpolation=cv2.INTER_AREA))
    return Sheet(tuple(levels), boxes, places, (picture.shape[1], picture.shape[0]), em)


def rows_of(sheet: Sheet, moves: Moves) -> FloatArray:
    """Return how pieces are laid (N, 9): a matrix (6) from their boxes to pixels of the title, y
    down; how much is seen; how blurred they are, a Gaussian's sigma in pixels; how much is
    uncovered."""
    middles = sheet.boxes[:, 2:] / 2
    scale, turn = moves.scale, np.radians(moves.turn)
    cosine, sine = scale * np.cos(turn), scale * np.sin(turn)
    there = sheet.places + middles + np.stack([moves.right, -moves.up], axis=-1) * sheet.em
    x = there[:, 0] - cosine * middles[:, 0] - sine * middles[:, 1]
    y = there[:, 1] + sine * middles[:, 0] - cosine * middles[:, 1]
    blur = moves.blur * sheet.em / 4
    return np.stack(
        [cosine, sine, x, -sine, cosine, y, moves.alpha, blur, moves.shown], axis=-1
    )  # fmt: skip


def lay_pieces(sheet: Sheet, moves: Moves, room: tuple[int, int], out: Rgba16) -> None:
    """Lay moved pieces over a picture (height, width, 4), ``room`` pixels larger to each side than
    the title is."""
    rows = rows_of(sheet, moves)
    rows[:, [2, 5]] += room
    seen = (rows[:, 6] > 0) & (sheet.boxes[:, 2] > 0) & (moves.scale > 1e-3)
    # What is smaller than it is comes from a coarser copy.
    fine = np.log2(np.maximum(1 / np.maximum(moves.scale, 1e-3), 1))
    levels = np.clip(np.floor(fine), 0, _COARSEST).astype(int)
    sharp = rows[:, 7] < _LEAST_BLUR
    groups = [
        (sheet.levels[level], 0.5**level, sheet.boxes, rows, which, 2.0)
        for level in np.unique(levels[seen & sharp]).tolist()
        if len(which := np.flatnonzero(seen & sharp & (levels == level)))
    ]
    groups += [_blurred(sheet, rows, n) for n in np.flatnonzero(seen & ~sharp).tolist()]

    def work(top: int) -> None:
        end = min(top + _BAND, len(out))
        for texels, share, boxes, told, which, edge in groups:
            _lay_many(texels, share, edge / share, boxes, told, which, out, top, end)

    # By bands of rows: no two of them touch the same pixels.
    list(_threads().map(work, range(0, len(out), _BAND)))


def _blurred(
    sheet: Sheet, rows: FloatArray, n: int
) -> tuple[np.ndarray, float, np.ndarray, FloatArray, np.ndarray, float]:
    """Return one piece blurred by a Gaussian, as pieces are laid: on a sheet of its own."""
    sigma = float(rows[n, 7])
    level = int(np.clip(np.floor(np.log2(max(sigma / 1.5, 1))), 0, _COARSEST))
    step = 1 << level
    left, top, width, height = sheet.boxes[n].tolist()
    # In whole texels of that level; what is round it is empty.
    x0, y0 = left // step, top // step
    x1, y1 = -(-(left + width) // step), -(-(top + height) // step)
    room = int(np.ceil(3 * sigma / step)) + 2
    crop = sheet.levels[level][y0:y1, x0:x1]
    wide = cv2.copyMakeBorder(crop, room, room, room, room, cv2.BORDER_CONSTANT)
    texels = np.asarray(cv2.GaussianBlur(wide, (0, 0), sigma / step))
    box = np.array([[left - (x0 - room) * step, top - (y0 - room) * step, width, height]])
    return texels, 0.5**level, box, rows[n : n + 1], np.zeros(1, int), room - 2.0


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="pieces")


@njit(cache=True, nogil=True, fastmath=True)
def _lay(texels, share, edge, box, row, out, top, end):  # type: ignore[no-untyped-def]
    """Lay one piece over what is there, in rows from ``top`` to ``end``."""
    a, b, tx, c, d, ty = row[0], row[1], row[2], row[3], row[4], row[5]
    wide, high = float(box[2]), float(box[3])
    x0, y0, x1, y1 = 1e30, 1e30, -1e30, -1e30
    for k in range(4):
        u = -edge if k % 2 == 0 else wide + edge
        v = -edge if k < 2 else high + edge
        x, y = a * u + b * v + tx, c * u + d * v + ty
        x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
    det = a * d - b * c
    if abs(det) < 1e-9:
        return
    alpha, shown = np.float32(row[6]), row[8]
    most_x, most_y = texels.shape[1] - 2, texels.shape[0] - 2
    soft = max(0.15 * wide, 1.0)
    for j in range(max(int(y0), top), min(int(y1) + 2, end)):
        for i in range(max(int(x0), 0), min(int(x1) + 2, out.shape[1])):
            px, py = i + 0.5 - tx, j + 0.5 - ty
            u, v = (d * px - b * py) / det, (a * py - c * px) / det
            if u < -edge or v < -edge or u > wide + edge or v > high + edge:
                continue
            s, t = (box[0] + u) * share - 0.5, (box[1] + v) * share - 0.5
            if s < 0 or t < 0 or s >= most_x or t >= most_y:
                continue
            m, n = int(s), int(t)
            p, q = np.float32(s - m), np.float32(t - n)
            weight = alpha
            if shown < 1.0:
                weight *= np.float32(min(max((shown * (wide + soft) - u) / soft, 0.0), 1.0))
            texel = texels[n, m, 3] + texels[n, m + 1, 3]
            if texel + texels[n + 1, m, 3] + texels[n + 1, m + 1, 3] == 0 or weight <= 0:
                continue
            for k in range(3, -1, -1):
                upper = np.float32(texels[n, m, k])
                upper += p * (np.float32(texels[n, m + 1, k]) - upper)
                lower = np.float32(texels[n + 1, m, k])
                lower += p * (np.float32(texels[n + 1, m + 1, k]) - lower)
                value = (upper + q * (lower - upper)) * weight
                if k == 3:
                    through = np.float32(1) - value * np.float32(1 / 65535)
                value += through * np.float32(out[j, i, k]) + np.float32(0.5)
                out[j, i, k] = np.uint16(min(value, np.float32(65535)))


@njit(cache=True, nogil=True, fastmath=True)
def _lay_many(texels, share, edge, boxes, rows, which, out, top, end):  # type: ignore[no-untyped-def]
    for n in which:
        _lay(texels, share, edge, boxes[n], rows[n], out, top, end)
