"""The geometry of what catches or carries a layer's picture: flat cards and planes, and bodies.

Ray tests, the plan's areas, the look ahead and the browser's meshes ask a layer's surface. A new
kind of surface is one class with the four members of :class:`Surface`, registered for the way of
standing that has it::

    @surface_as.register
    def _(stands: Relief) -> Surface:
        return ReliefSurface(stands)

What it shows is then rendered by way of :meth:`Surface.trace`; a faster way of its own may be
registered with ``render.sources.source_on``.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import singledispatch
from typing import Protocol

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry.bodies import Body, hit_body, mesh_of
from vistaline.core.geometry.ordering import NEAR
from vistaline.core.model import Part
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.stands import Relief, Solid
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.meeting import meet_relief, meet_sheet
from vistaline.core.stage.raising import card_from_relief
from vistaline.core.stage.rays import rays_of, reach_of

__all__ = [
    "BodySurface",
    "ClothSurface",
    "FlatSurface",
    "ReliefSurface",
    "Surface",
    "Traced",
    "surface_as",
    "surface_of",
    "unit_at",
]

Bounds = tuple[int, int, int, int]
"""x0, y0, x1, y1 in whole frame pixels."""


@dataclass(frozen=True, eq=False)
class Traced:
    """Where rays through frame points meet a surface; all arrays have the points' shape."""

    near: FloatArray
    """1/z in 1/m, 0 where the surface is not."""
    u: FloatArray
    v: FloatArray
    """Unit texture coordinates, 0 to 1 within the picture; NaN where it has none."""


class Surface(Protocol):
    """The geometry of one layer, whatever frame it is seen in."""

    @property
    def mesh(self) -> str:
        """The name by which the page asks for its mesh; "" if a rectangle will do."""
        ...

    def points(self, card: Card) -> FloatArray:
        """Return points (N, 3) in the card's metres whose convex hull holds all of it."""
        ...

    def bounds(self, card: Card, camera: CameraState) -> tuple[Bounds, float]:
        """Return a box of frame pixels that holds all of it, and a bound on its 1/z there."""
        ...

    def trace(self, card: Card, camera: CameraState, x: FloatArray, y: FloatArray) -> Traced:
        """Return where rays through frame points ``x``, ``y`` (equal shapes) first meet it."""
        ...


class FlatSurface:
    """A rectangle: a card, or a plane that catches its picture."""

    mesh = ""

    def points(self, card: Card) -> FloatArray:
        """Return its corners (4, 3)."""
        return card.outline * [1, 1, 0]

    def bounds(self, card: Card, camera: CameraState) -> tuple[Bounds, float]:
        """Return the whole frame; whoever draws rectangles clips by their edges instead."""
        width, height = camera.frame_size
        return (0, 0, width, height), np.inf

    def trace(self, card: Card, camera: CameraState, x: FloatArray, y: FloatArray) -> Traced:
        """Return the plane's 1/z and unit texture coordinates at the points.

        A plane that catches a picture ends at its edges. A card does not: it is transparent where
        the coordinates go beyond 0 to 1.
        """
        nothing = np.zeros(np.shape(x))
        image_from_unit = card.image_from_unit(camera)
        if abs(np.linalg.det(image_from_unit)) < 1e-12:
            return Traced(nothing, nothing + np.nan, nothing + np.nan)
        points = np.stack([x, y, np.ones(np.shape(x))], axis=-1)
        u, v, w = np.moveaxis(points @ np.linalg.inv(image_from_unit).T, -1, 0)
        card_from_image = np.linalg.inv(card.image_from_card(camera))
        across, up, near = np.moveaxis(points @ card_from_image.T, -1, 0)
        seen = (w > 0) & (near > 0)
        if card.projector is not None:
            seen &= (abs(across) <= card.width / 2 * near) & (abs(up) <= card.height / 2 * near)
        w = np.where(seen, w, np.nan)
        return Traced(np.where(seen, near, 0.0), u / w, v / w)


@dataclass(frozen=True)
class BodySurface:
    """A box, ball, cylinder or arch."""

    body: Body

    @property
    def mesh(self) -> str:
        """The body's name."""
        return self.body.value

    def points(self, card: Card) -> FloatArray:
        """Return the points of its mesh (N, 3)."""
        points, _ = mesh_of(self.body)
        return points * [card.width / 2, card.height / 2, card.depth / 2]

    def bounds(self, card: Card, camera: CameraState) -> tuple[Bounds, float]:
        """Return where the box round it is seen."""
        return reach_of(card, camera)

    def trace(self, card: Card, camera: CameraState, x: FloatArray, y: FloatArray) -> Traced:
        """Return where rays meet it first, and what its projector threw there."""
        origin, rays, unit_from_body = rays_of(card, camera)
        points = np.stack([np.ravel(x), np.ravel(y), np.ones(np.size(x))])
        ways = (rays @ points).T
        depth = _depths(self.body.number, origin, ways)
        met = np.isfinite(depth)
        places = origin + np.where(met, depth, 0.0)[:, None] * ways
        u, v, w = unit_from_body @ np.column_stack([places, np.ones(len(places))]).T
        w = np.where(met & (w > 0), w, np.nan)
        shape = np.shape(x)
        near = np.where(met, 1 / np.where(met, depth, 1.0), 0.0)
        return Traced(near.reshape(shape), (u / w).reshape(shape), (v / w).reshape(shape))


@dataclass(frozen=True)
class ReliefSurface:
    """A picture raised by its depth; rays meet the coarse map that its shot keeps."""

    depth: str

    @property
    def mesh(self) -> str:
        """The map's own name: its triangles are no other relief's."""
        return f"relief {self.depth}"

    def points(self, card: Card) -> FloatArray:
        """Return what its picture's corners are (8, 3) at its nearest and its farthest."""
        found = self._corners() @ self._card_from_relief(card).T
        return np.asarray(found[:, :3] / found[:, 3:])

    def image_from_relief(self, card: Card, camera: CameraState) -> FloatArray:
        """Return the matrix (3, 4) that takes (u, v, n, 1) to homogeneous frame pixels.

        Their third part is 1 / z times a + b n; see :class:`raising.Raised`.
        """
        camera_from_card = camera.camera_from_world @ card.world_from_card
        there = camera_from_card @ self._card_from_relief(card)
        return np.asarray(camera.image_from_camera @ there[:3])

    def bounds(self, card: Card, camera: CameraState) -> tuple[Bounds, float]:
        """Return where the room between its nearest and its farthest is seen."""
        width, height = camera.frame_size
        seen = self._corners() @ self.image_from_relief(card, camera).T
        assert card.raised is not None
        a, b = card.raised.shape
        deep = seen[:, 2] / (a + b * self._corners()[:, 2])
        if (deep < NEAR).all():
            return (0, 0, 0, 0), 0.0
        if (deep < NEAR).any():
            return (0, 0, width, height), np.inf
        points = seen[:, :2] / seen[:, 2:]
        x0, y0 = np.clip(np.floor(points.min(axis=0)) - 1, 0, (width, height)).astype(int)
        x1, y1 = np.clip(np.ceil(points.max(axis=0)) + 1, 0, (width, height)).astype(int)
        return (int(x0), int(y0), int(max(x0, x1)), int(max(y0, y1))), float(1 / deep.min())

    def trace(self, card: Card, camera: CameraState, x: FloatArray, y: FloatArray) -> Traced:
        """Return where rays meet it, to a place of the coarse map."""
        assert card.raised is not None
        image = self.image_from_relief(card, camera)
        heights, shape = card.raised.heights, np.array(card.raised.shape)
        points = np.stack([np.ravel(x), np.ravel(y)], axis=1).astype(np.float64)
        found = meet_relief(image, shape, heights, points).reshape(*np.shape(x), 3)
        return Traced(found[..., 0], found[..., 1], found[..., 2])

    def _card_from_relief(self, card: Card) -> FloatArray:
        assert card.raised is not None
        return card_from_relief(card.raised, card.width, card.height)

    @staticmethod
    def _corners() -> FloatArray:
        return np.array([[u, v, n, 1.0] for n in (0, 1) for v in (0, 1) for u in (0, 1)])


class ClothSurface:
    """A picture that hangs as cloth."""

    mesh = ""

    def points(self, card: Card) -> FloatArray:
        """Return where its points are then (N, 3)."""
        assert card.waving
        return card.waving.points.reshape(-1, 3) * card.width

    def image_points(self, card: Card, camera: CameraState) -> FloatArray:
        """Return where its points are seen (rows, columns, 3): frame pixels x and y, and 1/z, 0 of
        those that are not before the camera."""
        assert card.waving
        points = card.waving.points
        image_from_card = (
            camera.image_from_camera @ (camera.camera_from_world @ card.world_from_card)[:3]
        )
        scale = np.diag([card.width, card.width, card.width, 1.0])
        seen = np.einsum("ij,abj->abi", image_from_card @ scale, _homogeneous(points))
        near = np.where(seen[..., 2] > NEAR, 1 / np.maximum(seen[..., 2], NEAR), 0.0)
        return np.dstack([seen[..., :2] * near[..., None], near])

    def bounds(self, card: Card, camera: CameraState) -> tuple[Bounds, float]:
        """Return where its points are seen."""
        width, height = camera.frame_size
        seen = self.image_points(card, camera).reshape(-1, 3)
        ahead = seen[:, 2] > 0
        if not ahead.any():
            return (0, 0, 0, 0), 0.0
        if not ahead.all():
            return (0, 0, width, height), np.inf
        x0, y0 = np.clip(np.floor(seen[:, :2].min(axis=0)) - 2, 0, (width, height)).astype(int)
        x1, y1 = np.clip(np.ceil(seen[:, :2].max(axis=0)) + 2, 0, (width, height)).astype(int)
        nearest = float(seen[:, 2].max())
        return (int(x0), int(y0), int(max(x0, x1)), int(max(y0, y1))), nearest

    def trace(self, card: Card, camera: CameraState, x: FloatArray, y: FloatArray) -> Traced:
        """Return where rays meet the nearest of its folds."""
        seen = self.image_points(card, camera)
        points = np.stack([np.ravel(x), np.ravel(y)], axis=1).astype(np.float64)
        found = meet_sheet(seen, points).reshape(*np.shape(x), 3)
        return Traced(found[..., 0], found[..., 1], found[..., 2])


def _homogeneous(points: FloatArray) -> FloatArray:
    return np.concatenate([points, np.ones((*points.shape[:-1], 1))], axis=-1)


@njit(cache=True, nogil=True)
def _depths(kind, origin, ways):  # type: ignore[no-untyped-def]
    """Return how deep rays (N, 3) meet a body (N,); inf if they do not."""
    found = np.empty(len(ways))
    for n in range(len(ways)):
        found[n] = hit_body(
            kind, origin[0], origin[1], origin[2], ways[n, 0], ways[n, 1], ways[n, 2], NEAR
        )
    return found


_FLAT = FlatSurface()
_CLOTH = ClothSurface()


@singledispatch
def surface_as(stands: Part) -> Surface:
    """Return the surface of what stands like this; flat, unless something is registered."""
    return _FLAT


@surface_as.register
def _(stands: Solid) -> Surface:
    return BodySurface(stands.body)


@surface_as.register
def _(stands: Relief) -> Surface:
    return ReliefSurface(stands.depth)


def surface_of(layer: Layer) -> Surface:
    """Return a layer's surface."""
    return _CLOTH if layer.cloth else surface_as(layer.stands)


def unit_at(card: Card, camera: CameraState, x: float, y: float) -> tuple[float, float] | None:
    """Return which unit texture coordinates of a card a frame point shows; None if none."""
    met = surface_of(card.layer).trace(card, camera, np.array(x), np.array(y))
    if not met.near > 0 or np.isnan(met.u):
        return None
    return float(met.u), float(met.v)
