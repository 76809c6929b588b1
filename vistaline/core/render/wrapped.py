"""Light from behind that comes round the edges of a card."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from vistaline.core.render.fields import FrameFields, drawn_cover, seen_in
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.modifier import Band, Modifier, Placement
from vistaline.core.render.redrawn import crew_alone
from vistaline.core.render.spreading import soft
from vistaline.core.render.warp import BAND
from vistaline.core.shot.edges import LightWrap
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.finish import effects_on

__all__ = ["wrapped"]


@dataclass(frozen=True, eq=False)
class _Wrap:
    """What comes round the edges of one card."""

    light: np.ndarray
    """(height, width, 4) uint16: what is behind, blurred."""
    share: np.ndarray
    """(height, width) float32: how much of it is added."""

    def modify(self, band: Band) -> None:
        if not band.source.tiles[band.lines].any():
            return
        rows = slice(band.index * BAND, band.index * BAND + len(band.pixels))
        light, share = self.light[rows], self.share[rows]
        _add(band.pixels[: len(light)], light, share)


def wrapped(placed: Placement) -> Sequence[Modifier]:
    """Return the light that comes round a card's edges: after what falls on it, as it is light."""
    effects = [each for each in effects_on(placed.state, placed.card) if _does(each)]
    if not effects:
        return []
    fields = FrameFields(seen_in(placed.state, placed.looks, placed.quality), placed.camera)
    cover = drawn_cover(placed.source, placed.camera.frame_size)
    found = []
    for effect in effects:
        assert isinstance(effect, LightWrap)
        size, mask = effect.size * fields.scale, fields.mask(effect)
        if mask is None or size < 0.3:
            continue
        crew = crew_alone()
        around = soft(cover, size / 2, crew).astype(np.float32) / 65535
        # Half of what is round a straight edge is not the card: there it is full.
        share = np.minimum(2 - 2 * around, 1) ** 2 * np.float32(effect.strength * effect.amount)
        if mask >= 0:
            share *= fields.planes[mask].astype(np.float32) / 65535
        step = 2 if size < 12 else 4 if size < 48 else 8
        light = soft(_behind(placed, step), size / 2 / step, crew)
        light = cv2.resize(light, placed.camera.frame_size, interpolation=cv2.INTER_LINEAR)
        found.append(_Wrap(light, share.astype(np.float32)))
    return found


def _does(effect: object) -> bool:
    return isinstance(effect, LightWrap) and effect.amount * effect.strength * effect.size > 0


def _behind(placed: Placement, step: int) -> np.ndarray:
    """Return what is behind a card, over its raster, ``step`` times smaller."""
    coarse = placed.camera.on_raster(1 / step)
    way = _from_to(coarse, placed.camera) @ np.diag([step, step, 1.0])
    # Pixels are counted by their middles.
    way[:2, 2] += way[:2, :2] @ [0.5, 0.5] - 0.5
    width, height = placed.camera.frame_size
    return cv2.warpAffine(
        placed.behind(coarse),
        way[:2],
        (math.ceil(width / step), math.ceil(height / step)),
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )


def _from_to(coarse: CameraState, fine: CameraState) -> np.ndarray:
    """Return the matrix from pixels of one raster to those of another of the same camera."""
    return np.asarray(coarse.image_from_camera @ np.linalg.inv(fine.image_from_camera))


@njit(**KERNEL)
def _add(pixels, light, share):  # type: ignore[no-untyped-def]
    scale, half = np.float32(1 / 65535), np.float32(0.5)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            alpha = np.float32(pixels[y, x, 3])
            if alpha == 0 or share[y, x] <= 0:
                continue
            much = share[y, x] * scale
            for c in range(3):
                here = np.float32(pixels[y, x, c])
                # As light on light: what is white already gets no lighter.
                here += max(alpha - here, np.float32(0)) * much * np.float32(light[y, x, c])
                pixels[y, x, c] = np.uint16(here + half)
