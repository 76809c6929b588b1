"""Where masks and vignettes lie in a frame, and their outlines there."""

from __future__ import annotations

import math

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.shot.effects import Effect, Mask, MaskShape
from vistaline.core.shot.overlays import Vignetting
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.evaluate import FrameState

__all__ = ["box_of", "holds_of", "outlines_of", "vignette_box", "whole_frame"]

_ROUND = 48
"""Corners of an ellipse as it is drawn."""


def whole_frame(state: FrameState) -> FloatArray:
    """Return width and height of a frame in pixels, without what its raster has round it."""
    raster = state.camera.raster
    return np.array(state.camera.frame_size) - 2.0 * (raster.margin if raster else 0)


def box_of(mask: Mask, state: FrameState, camera: CameraState) -> Matrix3 | None:
    """Return the homography from a mask's box (-0.5..0.5, up is +) to a camera's pixels.

    ``camera``: the frame's, or that over another raster. None: the mask is behind it, or stays on
    what is not there.
    """
    turn = math.radians(mask.turn)
    cosine, sine = math.cos(turn), math.sin(turn)
    if mask.fixed == "*stage":
        at = camera.camera_from_world @ [*mask.place, 1.0]
        if at[2] >= -1e-6:
            return None
        wide, high = mask.width, mask.height
        flat = np.array(
            [
                [cosine * wide, -sine * high, at[0]],
                [sine * wide, cosine * high, at[1]],
                [0, 0, at[2]],
            ]
        )
        return np.asarray(camera.image_from_camera @ flat)
    if mask.fixed:
        cards = [each for each in state.cards if each.layer.id == mask.fixed]
        if not cards:
            return None
        size = np.array([cards[0].width, cards[0].height])
        outer = cards[0].image_from_card(camera)
    else:
        size = whole_frame(state)
        width, height = state.camera.frame_size
        # Another raster shows the same frame larger or smaller, and more round it.
        outer = (
            camera.image_from_camera
            @ np.linalg.inv(state.camera.image_from_camera)
            @ np.array([[1, 0, width / 2], [0, -1, height / 2], [0, 0, 1]])
        )
    wide, high = mask.width * size[0], mask.height * size[1]
    middle = np.array([mask.x, mask.y]) * size
    inner = np.array(
        [
            [cosine * wide, -sine * high, middle[0]],
            [sine * wide, cosine * high, middle[1]],
            [0, 0, 1],
        ]
    )
    return np.asarray(outer @ inner)


def vignette_box(effect: Vignetting, size: tuple[int, int]) -> Matrix3:
    """Return the matrix from a vignette's box (-0.5..0.5) to pixels of a frame of ``size``."""
    width, height = size
    half = np.array([width, height]) * effect.size / 2
    half += (math.sqrt(half[0] * half[1]) - half) * effect.roundness
    middle = width * (0.5 + effect.x), height * (0.5 - effect.y)
    return np.array([[2 * half[0], 0, middle[0]], [0, -2 * half[1], middle[1]], [0, 0, 1]])


def outlines_of(effect: Effect, state: FrameState) -> list[FloatArray]:
    """Return the lines (N, 2), in frame pixels, that show where an effect is seen; or none.

    The first is the shape itself; of soft ones, the next is where it begins to fade.
    """
    mask = effect.mask
    if mask is None:
        if not isinstance(effect, Vignetting):
            return []
        box = vignette_box(effect, state.camera.frame_size)
        return _through(box, [_circle(1.0), _circle(1 - effect.softness)])
    placed = box_of(mask, state, state.camera)
    if placed is None or mask.shape in (MaskShape.LAYER, MaskShape.DEPTH):
        return []
    if mask.shape is MaskShape.ELLIPSE:
        return _through(placed, [_circle(1.0), _circle(1 - mask.softness)])
    if mask.shape is MaskShape.OUTLINE:
        return _through(placed, [np.array([*mask.outline, mask.outline[0]])])
    across = np.array([[-5.0, 0], [5.0, 0]])
    ends = (1.0, 1 - mask.softness) if mask.shape is MaskShape.STRIP else (mask.softness, 0.0)
    sides = [side * end / 2 for end in ends for side in (1, -1)]
    return _through(placed, [np.add(across, (0, each)) for each in sides])


def holds_of(effect: Effect, state: FrameState) -> FloatArray | None:
    """Return by what its mask or vignette is dragged: frame pixels (3, 2) of its middle, its right
    side and its upper side; None if it lies nowhere."""
    mask = effect.mask
    if isinstance(effect, Vignetting) and mask is None:
        box = vignette_box(effect, state.camera.frame_size)
    elif mask is None or mask.shape in (MaskShape.LAYER, MaskShape.DEPTH):
        return None
    else:
        placed = box_of(mask, state, state.camera)
        if placed is None:
            return None
        box = placed
    found = _through(box, [np.array([[0, 0], [0.5, 0], [0, 0.5]])])
    return found[0] if found else None


def _circle(share: float) -> FloatArray:
    turns = np.linspace(0, 2 * np.pi, _ROUND + 1)
    return np.column_stack([np.cos(turns), np.sin(turns)]) * max(share, 0.0) / 2


def _through(box: Matrix3, lines: list[FloatArray]) -> list[FloatArray]:
    """Return lines in frame pixels, without what lies behind the camera."""
    found = []
    for line in lines:
        seen = np.column_stack([line, np.ones(len(line))]) @ box.T
        sign = np.sign(seen[0, 2]) or 1
        if (seen[:, 2] * sign > 1e-9).all():
            found.append(seen[:, :2] / seen[:, 2:])
    return found
