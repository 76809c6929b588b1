"""Titles along an arc or a path: cut into letters, each set where the path has it."""

from __future__ import annotations

import math

import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.looks.lettering import Title, draw_title, extents
from vistaline.core.looks.passages import By, Moves
from vistaline.core.looks.pieces import lay_pieces, sheet_of
from vistaline.core.looks.text_paths import box_along, places_along

__all__ = ["draw_bent"]


def draw_bent(title: Title, *, em: float) -> Rgba16:
    """Return a title along its arc or path as a picture (height, width, 4), about ``em`` pixels to
    the em.

    Its letters stay as they are; words that join, or are read from the right, are turned as one.
    """
    straight = title.evolve(bend=0.0, path=())
    whole = draw_title(straight, em=em)
    wide, tall = (side / title.size for side in extents(straight))
    em = whole.shape[0] / tall
    sheet = sheet_of(straight, By.LETTER, whole, em)
    size = np.array([whole.shape[1], whole.shape[0]])
    # Where each letter is in the straight line, from its middle, y up.
    middles = (sheet.places + sheet.boxes[:, 2:] / 2 - size / 2) / em * (1, -1)
    places, turned = places_along(title.bend, title.path, wide, middles[:, 0])
    aside = np.stack([-np.sin(turned), np.cos(turned)], axis=-1)
    middle, box = box_along(title.bend, title.path, wide, tall)
    there = places + aside * middles[:, 1:] - middle
    count, moved = len(middles), there - middles
    moves = Moves(
        right=moved[:, 0],
        up=moved[:, 1],
        scale=np.ones(count),
        turn=np.degrees(turned),
        alpha=np.ones(count),
        blur=np.zeros(count),
        shown=np.ones(count),
    )
    wanted = np.maximum(np.rint(box * em).astype(int), 1)
    room = [max(0, math.ceil((wanted[k] - size[k]) / 2)) for k in (0, 1)]
    out = np.zeros((size[1] + 2 * room[1], size[0] + 2 * room[0], 4), np.uint16)
    lay_pieces(sheet, moves, (room[0], room[1]), out)
    left, top = ((out.shape[1] - wanted[0]) // 2, (out.shape[0] - wanted[1]) // 2)
    return np.ascontiguousarray(out[top : top + wanted[1], left : left + wanted[0]])
