"""A relief in a frame: its sheets as triangles, one over the other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import cv2
import numpy as np

from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.relief.meshing import Mesh
from vistaline.core.relief.sheets import SHEETS, meshes_of, shown_in, solid_in
from vistaline.core.relief.tearing import travel_of
from vistaline.core.render.laying import EDGES
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.raised_rows import (
    NOWHERE,
    close,
    compose,
    least_in,
    level_asked,
    placed,
)
from vistaline.core.render.source import Asked
from vistaline.core.render.tiling import BAND_LINES, TILE_WIDTH
from vistaline.core.render.traced import tiles_within
from vistaline.core.render.triangles import SQUARE, asked_of, bands_of, draw_band, projected
from vistaline.core.render.warp import BAND
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.surfaces import ReliefSurface
from vistaline.core.stage.textures import RaisedLook

__all__ = ["RaisedSource"]

_SOFT = 0.5
"""Levels finer than a pixel's mean footprint: it is longer one way."""
_EVERYWHERE = np.zeros((0, 0), np.uint8)
_UNKNOWN = np.zeros((0, 0), np.float32)


@dataclass(frozen=True, eq=False)
class _Form:
    """What a relief is made of, the same in every frame."""

    meshes: tuple[Mesh, ...]
    """Of its sheets, the front first."""
    shown: np.ndarray
    solid: np.ndarray
    """Where the front shows anything, and where it is opaque, uint8 (height, width)."""
    partly: np.ndarray
    """Which faces of the front lie where it shows nothing in part, uint8 (N,)."""


_FORMS: WeakKeyDictionary[Pyramid, _Form] = WeakKeyDictionary()
"""By the pyramid of their maps, for as long as that is open."""


def _form_of(maps: Pyramid) -> _Form:
    """Return a relief's form, from the pyramid of its maps."""
    found = _FORMS.get(maps)
    if found is None:
        picture = maps.picture
        meshes, shown = meshes_of(picture), shown_in(picture)
        asked = asked_of(meshes[0], shown)
        found = _FORMS[maps] = _Form(meshes, shown, solid_in(picture), asked)
    return found


class RaisedSource:
    """One relief in one frame."""

    fetched = None
    nearness = None

    def __init__(
        self,
        surface: ReliefSurface,
        card: Card,
        camera: CameraState,
        looks: Mapping[str, Pyramid],
        asked: Asked,
    ) -> None:
        names = [str(RaisedLook(part, card.layer.id)) for part in range(SHEETS + 1)]
        *self._pictures, maps = (looks[name] for name in names)
        assert card.raised is not None
        self._shape = np.array(card.raised.shape)
        image = surface.image_from_relief(card, camera)
        self._bias = asked.quality.bias - _SOFT
        self.bounds, nearest = surface.bounds(card, camera)
        self.edges = np.tile(EVERYWHERE, (EDGES, 1))
        self.tiles = tiles_within(self.bounds, asked.cover, nearest)
        self.seen = bool(self.tiles.any())
        # So much nearer is a pixel of parallax, as far as the relief was prepared for.
        middle = float(image[2] @ [0.5, 0.5, 0.5, 1])
        parallax = self._shape[1] / travel_of(maps.picture.shape)
        self._least = np.float32(parallax / max(middle, 1e-6))
        form = _form_of(maps)
        self._solid, self._partly = form.solid, form.partly
        self._sheets = []
        if not self.seen:
            return
        bands, width = self.tiles.shape[0] // BAND_LINES + 1, camera.frame_size[0]
        for n, mesh in enumerate(form.meshes):
            seen = projected(card.raised.lifted(mesh.points), image)
            starts, listed = bands_of(seen, mesh.faces, width, bands, BAND)
            cover = form.shown if n == 0 else _EVERYWHERE  # the others show all
            self._sheets.append((seen, mesh.faces, starts, listed, cover))

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Draw the sheets of a band and what they show; see :meth:`Source.rows`."""
        lines = self.tiles[band * BAND_LINES : (band + 1) * BAND_LINES]
        columns = np.flatnonzero(lines.any(axis=0))
        if not len(columns):
            return
        shape = (SHEETS, *out.shape[:2])
        deep, u, v = (
            np.zeros(shape, np.float32),
            np.full(shape, NOWHERE, np.float32),
            np.empty(shape, np.float32),
        )
        for n, (seen, faces, starts, listed, cover) in enumerate(self._sheets):
            here = listed[starts[band] : starts[band + 1]]
            at, drawn = (0.0, float(band * BAND)), (deep[n], u[n], v[n])
            hidden = least_in(deep[n], SQUARE) if n else _UNKNOWN
            draw_band(seen, faces, here, at, self._shape, cover, self._partly, hidden, *drawn)
            solid = _EVERYWHERE if n else self._solid
            if n + 1 < SHEETS:
                close(deep[n], u[n], v[n], solid, self._least, deep[n + 1 :])
        for column in columns:
            block = np.s_[:, column * TILE_WIDTH : (column + 1) * TILE_WIDTH]
            texels, sizes = [], np.empty((SHEETS, 2), np.float32)
            for n, picture in enumerate(self._pictures):
                size = np.array([picture.width, picture.height], float)
                coarsest = len(picture.levels) - 1
                level = level_asked(u[n][block], v[n][block], size, self._bias, coarsest)
                texels.append(picture.levels[level])
                sizes[n] = size * 0.5**level
            deep_here, u_here, v_here = (each[(slice(None), *block)] for each in (deep, u, v))
            x, y = np.empty((2, *near[block].shape), np.float32)
            placed(u_here[0], v_here[0], sizes[0], x, y)
            first, second, third = texels
            out[block] = cv2.remap(first, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
            compose(
                *(deep_here, u_here, v_here, second, third),
                *(sizes, self._least, out[block], near[block]),
            )
