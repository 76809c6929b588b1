"""The shade where a layer stands: dark round its foot, on the level ground there."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray
from vistaline.core.geometry.bodies import Body
from vistaline.core.looks.blending import MODES, Blend
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.fields import FrameFields, seen_in
from vistaline.core.render.laying import KERNEL
from vistaline.core.render.placing import Placed
from vistaline.core.render.redrawn import Redrawn, crew_alone, drawn_alone
from vistaline.core.render.source import Quality
from vistaline.core.render.warp import BAND
from vistaline.core.shot.edges import ContactShade
from vistaline.core.shot.stands import Solid
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.finish import effects_on

__all__ = ["with_shades"]

_COLUMNS = 384
"""In which a layer's foot is looked for, at most."""
_CELLS = 5
"""Of the shade's map, over its softness."""
_MOST = 1024
"""Cells a side of the map, at most."""
_LEVEL = 0.99
"""Cosine of how far what is level may lean."""
_ABOVE = 1.004
"""So much nearer than the ground it lies, that it is not lost in it."""


def with_shades(
    found: Iterable[Placed | None],
    state: FrameState,
    looks: Mapping[str, Pyramid],
    quality: Quality,
) -> Iterator[Placed]:
    """Yield what is seen, near to far, each layer's shade on the ground right behind it.

    ``found``: all cards of a state from the last in its order to the first; None: not seen.
    """
    for index, placed in zip(reversed(state.order), found, strict=True):
        if placed:
            yield placed
        card = state.cards[index]
        for effect in effects_on(state, card):
            if isinstance(effect, ContactShade) and card.opacity and card.layer.stays == "stage":
                shade = _shade(effect, card, state, looks, quality)
                if shade:
                    yield shade


def _levels(state: FrameState) -> list[float]:
    """Return how high the level surfaces of a stage are, in metres."""
    poses = (each.world_from_card for each in state.cards)
    return [float(pose[1, 3]) for pose in poses if abs(pose[1, 2]) > _LEVEL]


@dataclass(frozen=True, eq=False)
class _Ground:
    """A map of level ground (rows, columns), square cells in metres."""

    origin: FloatArray
    """(3,): the place of its first corner on the stage."""
    axes: FloatArray
    """(3, 2): its ways along columns and rows, 1 m long."""
    cell: float
    cells: np.ndarray
    """(rows, columns) float32: how dark it is."""


def _shade(
    effect: ContactShade,
    card: Card,
    state: FrameState,
    looks: Mapping[str, Pyramid],
    quality: Quality,
) -> Placed | None:
    camera = state.camera
    fields = FrameFields(seen_in(state, looks, quality), camera, card)
    mask, size = fields.mask(effect), effect.size * fields.scale
    strength = effect.strength * effect.amount * card.opacity
    if mask is None or size < 0.5 or strength == 0:
        return None
    # What stands just outside of the frame shades what is in it; half as fine will do.
    around = camera.on_raster(0.5, min(math.ceil(size), 256))
    alpha = drawn_alone(card, around, looks, quality)[..., 3]
    ground = _ground_under(alpha, card, around, size / 2, _levels(state))
    if ground is None:
        return None
    across = ground.axes * ground.cell
    corner = np.concatenate([across, (ground.origin + across @ [0.5, 0.5])[:, None]], axis=1)
    at = np.vstack([corner, [0, 0, 1]])
    # From cells, counted by their middles, to pixels and their depth.
    seen = camera.image_from_camera @ camera.camera_from_world[:3] @ at
    if abs(np.linalg.det(seen)) < 1e-15:
        return None
    on_ground = np.linalg.inv(seen)
    middle = ground.origin + across @ (np.array(ground.cells.shape[::-1]) / 2)
    way = middle - np.array(camera.position)
    far = float(np.linalg.norm(way))
    through, _ = state.haze(np.array(camera.position), way[None] / far, np.array([far]))
    strength *= float(np.mean(through))
    width, height = camera.frame_size
    picture = np.zeros((height, width, 4), np.uint16)
    colour = np.array([*hex_to_linear(effect.colour), 1.0], np.float32) * np.float32(65535)
    colour *= np.float32(strength)
    plane = fields.planes[mask] if mask >= 0 else None

    def work(_: int, y0: int) -> None:
        rows = picture[y0 : y0 + BAND]
        _lay(ground.cells, on_ground, y0, colour, rows)
        if plane is not None:
            rows[:] = rows * (plane[y0 : y0 + BAND, :, None] / 65535)

    crew_alone().share(work, range(0, height, BAND))
    source = Redrawn(picture, on_ground[2] * _ABOVE)
    return Placed(source, 1.0, MODES[Blend.NORMAL], (), camera) if source.seen else None


def _ground_under(
    alpha: np.ndarray, card: Card, camera: CameraState, size: float, levels: Sequence[float]
) -> _Ground | None:
    """Return the shaded ground under a layer of which ``alpha`` (height, width) is seen.

    What is lowest of it touches the ground; the higher something hangs, the less it shades.
    ``size``: how far the shade reaches, in pixels there; ``levels``: how high level surfaces are.
    """
    a_metre = _pixels_a_metre(card, camera)
    if not 1e-3 < a_metre < 1e6:
        return None
    soft = max(size / a_metre / 2, 1e-6)
    body = isinstance(card.layer.stands, Solid)
    places = _foot_of_body(card) if body else _foot_of_card(alpha, card, camera, a_metre)
    if not len(places):
        return None
    lowest = float(places[:, 1].min())
    share = np.exp(-(((places[:, 1] - lowest) / soft) ** 2))
    # It lies on what the layer stands on, though that may be a little higher or lower.
    near = [each for each in levels if abs(each - lowest) < max(soft, card.height / 20)]
    lowest = min(near, key=lambda each: abs(each - lowest), default=lowest)
    along = card.world_from_card[[0, 2], 0]
    along = along / max(float(np.hypot(*along)), 1e-9)
    axes = np.array([[along[0], -along[1]], [0, 0], [along[1], along[0]]])
    flat = places @ axes
    kept = share > 0.02
    low, high = flat[kept].min(axis=0) - 4 * soft, flat[kept].max(axis=0) + 4 * soft
    cell = max(soft / _CELLS, float((high - low).max()) / _MOST)
    low -= cell / 2  # the first lies in the middle of a cell
    shape = np.ceil((high - low) / cell).astype(int)[::-1] + 1
    cells = np.zeros(shape, np.float32)
    at = np.clip(((flat - low) / cell).astype(int), 0, shape[::-1] - 1)
    np.maximum.at(cells, (at[:, 1], at[:, 0]), share.astype(np.float32))
    # Without holes between columns that are coarser than cells.
    cells = cv2.morphologyEx(cells, cv2.MORPH_CLOSE, np.ones((3, 9) if body else (1, 9)))
    sigma = soft / cell
    cells = cv2.GaussianBlur(cells, (0, 0), sigma)
    # As dark as can be along a long straight foot, and along the side of what is thick.
    cells = cells * np.float32(2 if body else sigma * math.sqrt(2 * math.pi))
    return _Ground(axes @ low + [0, lowest, 0], axes, cell, np.minimum(cells, 1))


def _pixels_a_metre(card: Card, camera: CameraState) -> float:
    seen = card.image_from_card(camera) @ np.array([[0, 0.5, 0], [0, 0, 0.5], [1, 1, 1]])
    if (np.abs(seen[2]) < 1e-9).any():
        return 0.0
    points = seen[:2] / seen[2]
    return 2 * float(np.hypot(*(points[:, 1:] - points[:, :1])).max())


def _foot_of_card(alpha: np.ndarray, card: Card, camera: CameraState, a_metre: float) -> FloatArray:
    """Return the places (N, 3) of the lowest that is opaque in each column of a card."""
    image = card.image_from_card(camera)
    if abs(np.linalg.det(image)) < 1e-12:
        return np.empty((0, 3))
    columns = int(np.clip(card.width * a_metre / 2, 4, _COLUMNS))
    foot = np.full(columns, np.inf, np.float32)
    _find_foot(alpha, np.linalg.inv(image), card.width, foot)
    which = np.flatnonzero(np.isfinite(foot))
    across = ((which + 0.5) / columns - 0.5) * card.width
    return _on_stage(card, across, foot[which].astype(np.float64), np.zeros(len(which)))


def _foot_of_body(card: Card) -> FloatArray:
    """Return places (N, 3) on the underside of a body."""
    stands = card.layer.stands
    assert isinstance(stands, Solid)
    x, z = (each.ravel() for each in np.meshgrid(*[np.linspace(-1, 1, 65)] * 2))
    y = np.full(x.shape, -1.0)
    round_ = x**2 + z**2
    if stands.body is Body.BALL:
        y = -np.sqrt(np.maximum(1 - round_, 0))
    if stands.body in (Body.BALL, Body.CYLINDER):
        x, y, z = (each[round_ <= 1] for each in (x, y, z))
    elif stands.body is Body.ARCH:
        x, y, z = (each[np.abs(x) == 1] for each in (x, y, z))
    half = card.width / 2, card.height / 2, card.depth / 2
    return _on_stage(card, *(each * by for each, by in zip((x, y, z), half, strict=True)))


def _on_stage(card: Card, x: FloatArray, y: FloatArray, z: FloatArray) -> FloatArray:
    return np.asarray((card.world_from_card @ np.stack([x, y, z, np.ones(len(x))]))[:3].T)


@njit(**KERNEL)
def _find_foot(alpha, on_card, width, foot):  # type: ignore[no-untyped-def]
    """Fill ``foot`` (columns,) with how low a layer reaches in each of its card's columns."""
    columns = foot.shape[0]
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            if alpha[y, x] < 32768:
                continue
            w = on_card[2, 0] * (x + 0.5) + on_card[2, 1] * (y + 0.5) + on_card[2, 2]
            u = (on_card[0, 0] * (x + 0.5) + on_card[0, 1] * (y + 0.5) + on_card[0, 2]) / w
            v = (on_card[1, 0] * (x + 0.5) + on_card[1, 1] * (y + 0.5) + on_card[1, 2]) / w
            n = int(np.floor((u / width + 0.5) * columns))
            if 0 <= n < columns and v < foot[n]:
                foot[n] = v


@njit(**KERNEL)
def _lay(cells, on_ground, y0, colour, out):  # type: ignore[no-untyped-def]
    """Fill rows from ``y0`` on with a map of the ground; ``colour`` (4,): where it is darkest."""
    rows, columns = cells.shape
    for j in range(out.shape[0]):
        y = y0 + j + 0.5
        for i in range(out.shape[1]):
            x = i + 0.5
            near = on_ground[2, 0] * x + on_ground[2, 1] * y + on_ground[2, 2]
            if near <= 0:
                continue
            p = (on_ground[0, 0] * x + on_ground[0, 1] * y + on_ground[0, 2]) / near
            q = (on_ground[1, 0] * x + on_ground[1, 1] * y + on_ground[1, 2]) / near
            if p < 0 or q < 0 or p >= columns - 1 or q >= rows - 1:
                continue
            a, b = int(p), int(q)
            s, t = np.float32(p - a), np.float32(q - b)
            low = cells[b, a] + s * (cells[b, a + 1] - cells[b, a])
            high = cells[b + 1, a] + s * (cells[b + 1, a + 1] - cells[b + 1, a])
            share = low + t * (high - low)
            for c in range(4):
                out[j, i, c] = np.uint16(colour[c] * share + np.float32(0.5))
