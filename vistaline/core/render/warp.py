"""From a texture pyramid to frame pixels: one warp a stretch of tiles that are sampled alike."""

from __future__ import annotations

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.render.source import Asked, Fetched
from vistaline.core.render.tiling import (
    BAND_LINES,
    TILE_HEIGHT,
    plan_tiles,
    stretches_of,
)

__all__ = ["BAND", "CardWarp"]

BAND = BAND_LINES * TILE_HEIGHT
"""Rows made at a time: five 1080p cards take 5 MB, and fewer rows would cost more calls."""


class CardWarp:
    """One card in one frame: where its pixels come from, and which tiles of the frame it fills."""

    def __init__(
        self,
        pyramid: Pyramid,
        image_from_unit: Matrix3,
        bounds: tuple[int, int, int, int],
        *,
        nearness: FloatArray,
        edges: FloatArray,
        asked: Asked,
    ) -> None:
        """``bounds`` (x0, y0, x1, y1) are the frame pixels the card may touch.

        ``nearness`` and ``edges`` as :class:`Source` has them.
        """
        self.bounds, self.nearness, self.edges = bounds, nearness, edges
        cover, quality = asked.cover, asked.quality
        self.pyramid = pyramid
        texel_from_unit = np.diag([pyramid.width, pyramid.height, 1.0])
        self.texel_from_image = texel_from_unit @ np.linalg.inv(image_from_unit)
        self.tiles = np.empty(cover.shape, np.uint8)
        self.codes = np.empty(cover.shape, np.int64)
        occupancy = pyramid.occupancy
        self.seen: bool = plan_tiles(
            self.texel_from_image,
            bounds,
            (pyramid.width, pyramid.height),
            occupancy.some,
            occupancy.solid,
            len(pyramid.levels) - 1,
            quality.samples,
            quality.bias,
            asked.opaque,
            nearness,
            edges,
            cover,
            self.tiles,
            self.codes,
        )
        stretches = stretches_of(self.codes, bounds)
        self._stretches: list[list[int]] = stretches.tolist()
        self._matrices = _level_from_sample(stretches, self.texel_from_image)
        starts = np.searchsorted(
            stretches[:, 1] // BAND, np.arange(-(-cover.shape[0] // BAND_LINES) + 1)
        )
        self._bands: list[int] = starts.tolist()

    @property
    def fetched(self) -> Fetched:
        """Where a kernel finds its pixels."""
        return Fetched(self.pyramid, self.texel_from_image, self.codes)

    def rows(self, band: int, out: np.ndarray, near: np.ndarray) -> None:
        """Warp a band of the card's picture; see :meth:`Source.rows`."""
        y = band * BAND
        for n in range(self._bands[band], self._bands[band + 1]):
            x0, y0, x1, y1, level, across, down = self._stretches[n]
            target = out[y0 - y : y1 - y, x0:x1]
            single = across * down == 1
            sampled = cv2.warpPerspective(
                self.pyramid.levels[level],
                self._matrices[n],
                ((x1 - x0) * across, (y1 - y0) * down),
                dst=target if single else None,
                flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                borderMode=cv2.BORDER_CONSTANT,
            )
            if not single:
                size = (x1 - x0, y1 - y0)
                target[:] = cv2.resize(sampled, size, interpolation=cv2.INTER_AREA)


def _level_from_sample(stretches: np.ndarray, texel_from_image: Matrix3) -> np.ndarray:
    """Return for each stretch the homography (N, 3, 3) from its samples to its level's texels."""
    x0, y0, _, _, level, across, down = stretches.T
    # OpenCV counts pixel centres from 0, we from .5: hence the halves on both sides.
    level_from_texel = np.zeros((len(stretches), 3, 3))
    level_from_texel[:, 0, 0] = level_from_texel[:, 1, 1] = 0.5**level
    level_from_texel[:, :2, 2] = BORDER - 0.5
    image_from_sample = np.zeros_like(level_from_texel)
    image_from_sample[:, 0, 0], image_from_sample[:, 1, 1] = 1 / across, 1 / down
    image_from_sample[:, 0, 2], image_from_sample[:, 1, 2] = x0 + 0.5 / across, y0 + 0.5 / down
    level_from_texel[:, 2, 2] = image_from_sample[:, 2, 2] = 1
    return level_from_texel @ texel_from_image @ image_from_sample
