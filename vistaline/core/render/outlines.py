"""Where in the frame a card's edges run: what it may touch, and what lies within them."""

from __future__ import annotations

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3, Matrix4
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.geometry.space import clip_polygon_near
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.laying import EDGES
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.shadows import Shade

__all__ = ["EVERYWHERE", "bounds_of", "content_corners", "edge_distances", "shade_corners"]

EVERYWHERE = np.array([0.0, 0.0, 1e6])
"""An edge that all pixels lie inside of."""


def bounds_of(
    corners: FloatArray, world_from_plane: Matrix4, camera: CameraState
) -> tuple[int, int, int, int] | None:
    """Return the frame pixels (x0, y0, x1, y1) something flat may touch; None if there are none.

    ``corners`` (N, 4), homogeneous, in its own plane: the outline of what it shows.
    """
    there = corners @ (camera.camera_from_world @ world_from_plane).T
    visible = clip_polygon_near(there[:, :3] / there[:, 3:], NEAR)
    if len(visible) < 3:
        return None
    mapped = visible @ camera.image_from_camera.T
    outline = mapped[:, :2] / mapped[:, 2:3]
    low = np.maximum(np.floor(outline.min(axis=0) - 0.5), 0)
    high = np.minimum(np.ceil(outline.max(axis=0) + 0.5), camera.frame_size)
    if np.any(low >= high):
        return None
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def content_corners(card: Card, pyramid: Pyramid) -> FloatArray:
    """Return the corners (4, 4), homogeneous, in card metres, of what is not transparent."""
    if card.projector is not None:
        outline = card.outline
        return np.column_stack([outline[:, :2], np.zeros(4), np.ones(4)])
    return _content_in(card.card_from_unit, pyramid)


def shade_corners(shade: Shade, pyramid: Pyramid) -> FloatArray:
    """Return the corners (4, 4), homogeneous, in its plane, of what of a shadow is not clear."""
    return _content_in(shade.plane_from_unit, pyramid)


def _content_in(plane_from_unit: Matrix3, pyramid: Pyramid) -> FloatArray:
    u0, v0, u1, v1 = pyramid.unit_content
    units = np.array([[u0, v0, 1], [u1, v0, 1], [u1, v1, 1], [u0, v1, 1]])
    flat = units @ plane_from_unit.T
    return np.column_stack([flat[:, :2], np.zeros(4), np.ones(4)])


def edge_distances(
    card: Card, camera: CameraState, content: tuple[float, float, float, float]
) -> FloatArray | None:
    """Return lines (EDGES, 3): signed distance in pixels to each edge of a card, inside > 0.

    Its edges are those of its picture's ``content``, in unit coordinates; if it catches its
    picture, its own, too. None if it is seen exactly from its side, or catches nothing.
    """
    lines = _lines(card.image_from_unit(camera), content)
    if lines is None:
        return None
    if card.projector is None:
        return np.vstack([lines, np.tile(EVERYWHERE, (EDGES - 4, 1))])
    x, y = card.width / 2, card.height / 2
    own = _lines(card.image_from_card(camera), (-x, -y, x, y))
    return None if own is None else np.vstack([own, lines])


def _lines(homography: Matrix3, box: tuple[float, float, float, float]) -> FloatArray | None:
    u0, v0, u1, v1 = box
    if not np.isfinite(homography).all() or abs(np.linalg.det(homography)) < 1e-12:
        return None
    # A line l.u = 0 over a plane's coordinates is the line H^-T l over frame pixels.
    sides = np.array([[1, 0, -u0], [-1, 0, u1], [0, 1, -v0], [0, -1, v1]])
    lines = sides @ np.linalg.inv(homography)
    # The sign holds where the homography's w is positive, that is before the camera; there
    # dividing by w > 0 changes no sign.
    lines = lines / np.maximum(np.hypot(lines[:, 0], lines[:, 1]), 1e-30)[:, None]
    return lines if np.all(np.isfinite(lines)) else None
