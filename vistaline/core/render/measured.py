"""What is measured of a shot's frames: the light and colour of a layer, and of what is round it."""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np

from vistaline.core.errors import EditError
from vistaline.core.picture.colour import straight_codes
from vistaline.core.picture.matching import palette, statistics
from vistaline.core.picture.preview import level_for
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.shot.effects import Effect
from vistaline.core.shot.shot import Shot

__all__ = [
    "around_statistics",
    "colour_at",
    "colours_of",
    "layer_alone",
    "layer_statistics",
    "picture_statistics",
]

_WIDE = 480
"""Pixels across a frame that is measured: more tell nothing new."""
_AROUND = 0.12
"""Of the frame's height: so far round a layer its surroundings reach."""


def layer_alone(shot: Shot, layer_id: str) -> Shot:
    """Return the shot with one layer only that is seen."""
    shot.layer(layer_id)
    return shot.evolve(layers=tuple(x.evolve(hidden=x.id != layer_id) for x in shot.layers))


def layer_statistics(
    shot: Shot, looks: Mapping[str, Pyramid], frame: int, layer_id: str, *, bare: bool
) -> tuple[float, ...]:
    """Return the statistics (6,) of a layer as a frame shows it; see :mod:`picture.matching`.

    ``bare``: without effects, lamps and air, as its picture is.
    """
    alone = layer_alone(shot, layer_id)
    alone = alone.evolve(
        solo="", lamps=(), dressing=() if bare else _effects(shot), rows=_kept(shot, bare)
    )
    codes, alpha = _seen(alone, looks, frame)
    return statistics(codes.reshape(-1, 3), alpha.ravel())


def picture_statistics(pyramid: Pyramid) -> tuple[float, ...]:
    """Return the statistics (6,) of a picture as it is."""
    pixels = straight_codes(level_for(pyramid, _WIDE))
    return statistics(pixels[..., :3].reshape(-1, 3), pixels[..., 3].ravel() / 255)


def colour_at(
    shot: Shot, looks: Mapping[str, Pyramid], frame: int, x: float, y: float
) -> np.ndarray:
    """Return the linear colour (3,) 0..1 round a frame pixel: a mean of some square."""
    small = scaled(shot, _WIDE / shot.frame.width)
    pixels = Renderer(small, looks).linear(frame)[..., :3] / 65535
    column, row = (round(each * _WIDE / shot.frame.width) for each in (x, y))
    near = pixels[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3].reshape(-1, 3)
    if not len(near):
        raise EditError("That is outside of the frame. Click in the picture.")
    return np.asarray(near.mean(axis=0))


def colours_of(shot: Shot, looks: Mapping[str, Pyramid], frame: int, layer_id: str) -> list[str]:
    """Return the palette of a frame without effects, or of one layer of it; dark to light."""
    bare = shot.evolve(lamps=(), dressing=(), solo="", rows=_kept(shot, True))
    codes, alpha = _seen(layer_alone(bare, layer_id) if layer_id else bare, looks, frame)
    return palette(codes.reshape(-1, 3), alpha.ravel())


def around_statistics(
    shot: Shot, looks: Mapping[str, Pyramid], frame: int, layer_id: str
) -> tuple[float, ...]:
    """Return the statistics (6,) of what a frame shows round a layer, without that layer."""
    bare = layer_alone(shot, layer_id).evolve(
        solo="", lamps=(), dressing=(), rows=_kept(shot, True)
    )
    _, cover = _seen(bare, looks, frame)
    rest = shot.evolve(
        layers=tuple(x.evolve(hidden=x.hidden or x.id == layer_id) for x in shot.layers)
    )
    codes, alpha = _seen(rest, looks, frame)
    side = 2 * max(2, round(cover.shape[0] * _AROUND)) + 1
    wide = cv2.dilate(
        cover.astype(np.float32), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    )
    return statistics(codes.reshape(-1, 3), (np.clip(wide - cover, 0, 1) * alpha).ravel())


def _effects(shot: Shot) -> tuple[Effect, ...]:
    return tuple(each for each in shot.dressing if isinstance(each, Effect))


def _kept(shot: Shot, bare: bool) -> tuple[object, ...]:
    """Return the rows of keys of what is left."""
    known = ("layer:", "mount:", "style:", "camera:")
    effects = () if bare else tuple(f"{each.kind}:{each.id}" for each in _effects(shot))  # type: ignore[attr-defined]
    return tuple(row for row in shot.rows if row.of.startswith(known) or row.of in effects)


def _seen(shot: Shot, looks: Mapping[str, Pyramid], frame: int) -> tuple[np.ndarray, np.ndarray]:
    small = scaled(shot, _WIDE / shot.frame.width)
    pixels = straight_codes(Renderer(small, looks).linear(frame, over_ground=False))
    return np.ascontiguousarray(pixels[..., :3]), pixels[..., 3] / 255
