"""A list of effects done to a whole picture, in order: on a frame, or on a layer drawn alone."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit

from vistaline.core.picture.grade import KERNEL
from vistaline.core.render.crew import Crew
from vistaline.core.render.fields import FrameFields
from vistaline.core.render.graded import grade_rows
from vistaline.core.render.spreading import Place, spread
from vistaline.core.render.warp import BAND
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.softness import Spreading
from vistaline.core.stage.program import compiled

__all__ = ["finished", "flattened"]


def finished(
    picture: np.ndarray, effects: Sequence[Effect], fields: FrameFields, place: Place, crew: Crew
) -> np.ndarray:
    """Return what effects make of a picture (height, width, 4) uint16, linear, premultiplied."""
    waiting: list[Effect] = []
    for effect in effects:
        if not isinstance(effect, Spreading):
            waiting.append(effect)
            continue
        picture = _graded(picture, waiting, fields, crew)
        waiting = []
        mask = fields.mask(effect)
        if mask is None:
            continue
        made = spread(picture, effect, place, crew)
        if made is not picture and (mask >= 0 or effect.amount < 1):
            plane = fields.planes[mask] if mask >= 0 else None
            made = _mixed(picture, made, effect.amount, plane, crew)
        picture = made
    return _graded(picture, waiting, fields, crew)


def _graded(
    picture: np.ndarray, effects: Sequence[Effect], fields: FrameFields, crew: Crew
) -> np.ndarray:
    program = compiled(effects, fields) if effects else None
    if program is None or not program.stages.shape[0]:
        return picture
    planes = fields.planes
    out = np.array(picture)
    packed = out.view(np.uint64)[..., 0]

    def work(_: int, y0: int) -> None:
        grade_rows(program, planes, y0, packed[y0 : y0 + BAND])

    crew.share(work, range(0, len(out), BAND))
    return out


def _mixed(
    before: np.ndarray, after: np.ndarray, amount: float, mask: np.ndarray | None, crew: Crew
) -> np.ndarray:
    out = np.empty_like(before)
    plane = np.empty((0, 0), np.uint16) if mask is None else mask

    def work(_: int, y0: int) -> None:
        rows = slice(y0, y0 + BAND)
        _mix(before[rows], after[rows], np.float32(amount), plane[rows], out[rows])

    crew.share(work, range(0, len(out), BAND))
    return out


@njit(**KERNEL)
def _mix(before, after, amount, mask, out):  # type: ignore[no-untyped-def]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            share = amount
            if mask.shape[0]:
                share *= np.float32(mask[y, x]) * np.float32(1 / 65535)
            for c in range(4):
                here = np.float32(before[y, x, c])
                new = here + (np.float32(after[y, x, c]) - here) * share
                out[y, x, c] = np.uint16(new + np.float32(0.5))


def flattened(picture: np.ndarray, ground: np.ndarray, crew: Crew) -> np.ndarray:
    """Return a picture over a ground (3,) 0..65535; it is opaque then."""
    out = np.empty_like(picture)

    def work(_: int, y0: int) -> None:
        _flatten(picture[y0 : y0 + BAND], ground, out[y0 : y0 + BAND])

    crew.share(work, range(0, len(out), BAND))
    return out


@njit(**KERNEL)
def _flatten(picture, ground, out):  # type: ignore[no-untyped-def]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            through = np.float32(65535 - picture[y, x, 3]) * np.float32(1 / 65535)
            for c in range(3):
                value = np.float32(picture[y, x, c]) + through * ground[c] + np.float32(0.5)
                out[y, x, c] = np.uint16(min(value, np.float32(65535)))
            out[y, x, 3] = 65535
