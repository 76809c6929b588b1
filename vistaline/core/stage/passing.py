"""Titles on their way: at which frames they come and go, and what their pieces do then."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from vistaline.core.looks.lettering import extents
from vistaline.core.looks.passages import Moves, Passage, moves_at, room_for
from vistaline.core.looks.pieces import middles_of
from vistaline.core.shot.shot import Layer, Shot

__all__ = ["Passing", "arrivals_of", "enlarged_by", "moves_of", "passes", "passing_at", "room_of"]


@dataclass(frozen=True)
class Passing:
    """A title that comes or goes."""

    passage: Passage
    begins: int
    goes: bool


def passes(layer: Layer) -> bool:
    """Return whether a layer is a title that comes or goes."""
    return bool(layer.arrives or layer.leaves)


def arrivals_of(shot: Shot) -> tuple[int, ...]:
    """Return the frames at which the directed camera's framings are reached."""
    return tuple(each.frame for each in shot.route.framings)


def passing_at(layer: Layer, arrivals: tuple[int, ...], frames: ArrayLike) -> list[Passing | bool]:
    """Return what a title does at frames (N,): it is there, True, or not, False, or on its way.

    It is so for whole frames.
    """
    found: list[Passing | bool] = []
    came, goes = layer.arrives, layer.leaves
    begins = came.begins(arrivals) if came else 0
    ends = goes.begins(arrivals) if goes else 0
    for frame in np.rint(np.atleast_1d(np.asarray(frames, float))).astype(int).tolist():
        if goes and frame >= ends:
            found.append(Passing(goes, ends, True) if frame < ends + goes.frames else False)
        elif came and frame < begins + came.frames:
            found.append(Passing(came, begins, False) if frame >= begins else False)
        else:
            found.append(True)
    return found


def room_of(layer: Layer, passing: Passing) -> tuple[float, float]:
    """Return how many em a title takes more to either side, and up and down, on its way."""
    assert layer.title
    return room_for(passing.passage, extents(layer.title)[0] / layer.title.size)


def enlarged_by(layer: Layer, passing: Passing) -> tuple[float, float]:
    """Return how much wider and higher a title's card is on its way."""
    assert layer.title
    whole = (side / layer.title.size for side in extents(layer.title))
    across, up = (1 + 2 * more / side for more, side in
                  zip(room_of(layer, passing), whole, strict=True))  # fmt: skip
    return across, up


def moves_of(layer: Layer, passing: Passing, frame: int) -> Moves:
    """Return what the pieces of a title do at a frame."""
    assert layer.title
    by = passing.passage
    middles = middles_of(layer.title, by.by)
    return moves_at(by, middles, passing.begins, frame, goes=passing.goes)
