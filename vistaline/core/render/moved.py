"""What is out of focus and moves: blurred once, amid its exposure, and moved from there.

A flat card goes from one moment to another by a homography of the frame. How much it is blurred
changes little meanwhile; where its blurred picture lies does.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.looks.blending import MODES
from vistaline.core.render.coarse import FromCopies
from vistaline.core.render.laying import EDGES
from vistaline.core.render.motion import image_move
from vistaline.core.render.outlines import EVERYWHERE
from vistaline.core.render.placing import Placed, hides
from vistaline.core.render.soft import Softened
from vistaline.core.render.tiling import TILE_HEIGHT, TILE_WIDTH, Tile
from vistaline.core.stage.evaluate import FrameState

__all__ = ["Blurred"]


class Moved(FromCopies):
    """A blurred card, moved; a :class:`Source`."""

    fetched = None
    edges = np.tile(EVERYWHERE, (EDGES, 1))

    def __init__(
        self,
        blurred: Softened,
        blurred_from_frame: Matrix3,
        size: tuple[int, int],
        *,
        nearness: FloatArray,
        opaque: bool,
        cover: np.ndarray,
    ) -> None:
        """``blurred_from_frame``: from pixels of this frame of ``size`` to those of the frame it
        was blurred for."""
        self._blurred, self._matrix, self.size = blurred, blurred_from_frame, size
        self.nearness = nearness
        self.bounds = (0, 0, *size)
        x = np.arange(cover.shape[1] + 1) * TILE_WIDTH
        y = np.arange(cover.shape[0] + 1) * TILE_HEIGHT
        four = self._corners_of(x.astype(float), y.astype(float))
        near = nearness[0] * x + nearness[1] * y[:, None] + nearness[2]
        low, high = near[:-1, :-1], near[:-1, :-1]
        for part in (near[1:, :-1], near[:-1, 1:], near[1:, 1:]):
            low, high = np.minimum(low, part), np.maximum(high, part)
        some = _count_in(blurred.tiles != Tile.EMPTY, four) > 0
        all_over = _count_in(blurred.tiles != Tile.SOLID, four, beyond=True) == 0
        self.tiles = np.where(some, int(Tile.MIXED), int(Tile.EMPTY)).astype(np.uint8)
        self.tiles[high <= cover] = Tile.EMPTY
        solid = some & all_over & opaque
        self.tiles[solid & (self.tiles > 0)] = Tile.SOLID
        cover[solid] = np.maximum(cover[solid], low[solid])
        self.steps = self._steps_at(four)
        self.steps[self.tiles == Tile.EMPTY] = -1
        self.seen = bool(self.tiles.any())

    def _corners_of(self, x: FloatArray, y: FloatArray) -> tuple[FloatArray, ...]:
        """Return the boxes (x0, y0, x1, y1), each (lines, columns), of the tiles in tiles of the
        frame they were blurred for."""
        across, down = np.meshgrid(x, y)
        there = np.stack([across, down, np.ones_like(across)], axis=-1) @ self._matrix.T
        there = there[..., :2] / np.maximum(there[..., 2:], 1e-9) / (TILE_WIDTH, TILE_HEIGHT)
        parts = there[:-1, :-1], there[1:, :-1], there[:-1, 1:], there[1:, 1:]
        low, high = np.minimum.reduce(parts), np.maximum.reduce(parts)
        return low[..., 0], low[..., 1], high[..., 0], high[..., 1]

    def _steps_at(self, four: tuple[FloatArray, ...]) -> np.ndarray:
        """Return the copy each tile is drawn from: that of the tile its middle comes from."""
        x0, y0, x1, y1 = four
        lines, columns = self._blurred.steps.shape
        column = np.clip(np.floor((x0 + x1) / 2), 0, columns - 1).astype(np.int64)
        line = np.clip(np.floor((y0 + y1) / 2), 0, lines - 1).astype(np.int64)
        steps = self._blurred.steps
        # Where that is empty, whichever copy a neighbour is drawn from.
        grown = cv2.dilate((steps + 1).astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.int64)
        return np.asarray(np.where(steps < 0, grown - 1, steps)[line, column])

    def draw(self, step: int, x0: int, y0: int, out: np.ndarray, near: np.ndarray) -> None:
        copy = self._blurred.copies[step]
        share = 1 / copy.times
        # Pixel centres are counted from 0 in both.
        copy_from_blurred = np.array(
            [
                [share, 0, copy.starts[0] - share / 2],
                [0, share, copy.starts[1] - share / 2],
                [0, 0, 1],
            ]
        )
        frame_from_here = np.array([[1, 0, x0 + 0.5], [0, 1, y0 + 0.5], [0, 0, 1]])
        cv2.warpPerspective(
            copy.pixels,
            copy_from_blurred @ self._matrix @ frame_from_here,
            (out.shape[1], out.shape[0]),
            dst=out,
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_CONSTANT,
        )


def _count_in(
    marked: np.ndarray, four: tuple[FloatArray, ...], *, beyond: bool = False
) -> np.ndarray:
    """Return how many marked tiles boxes touch; ``beyond``: all that lie outside are, too."""
    rim = np.pad(marked, 1, constant_values=beyond)
    total = np.zeros((rim.shape[0] + 1, rim.shape[1] + 1), np.int64)
    total[1:, 1:] = rim.cumsum(axis=0).cumsum(axis=1)
    x0, y0, x1, y1 = four
    columns, lines = rim.shape[1], rim.shape[0]
    left = np.clip(np.floor(x0) + 1, 0, columns - 1).astype(np.int64)
    right = np.clip(np.ceil(x1) + 1, 1, columns).astype(np.int64)
    top = np.clip(np.floor(y0) + 1, 0, lines - 1).astype(np.int64)
    bottom = np.clip(np.ceil(y1) + 1, 1, lines).astype(np.int64)
    right, bottom = np.maximum(right, left + 1), np.maximum(bottom, top + 1)
    return np.asarray(
        total[bottom, right] - total[top, right] - total[bottom, left] + total[top, left]
    )


@dataclass(frozen=True, eq=False)
class Blurred:
    """A card that was blurred for one moment."""

    source: Softened
    state: FrameState
    texture: str

    def at(self, index: int, state: FrameState, cover: np.ndarray) -> Placed | None:
        """Return how it is seen at another moment, over the raster of that one's camera."""
        card, camera = state.cards[index], state.camera
        if card.opacity == 0 or abs(np.linalg.det(card.image_from_card(camera))) < 1e-12:
            return None  # not seen, or exactly from its edge
        source = Moved(
            self.source,
            image_move(index, state, self.state),
            camera.frame_size,
            nearness=card.nearness(camera),
            opaque=hides(card),
            cover=cover,
        )
        if not source.seen:
            return None
        return Placed(source, card.opacity, MODES[card.layer.blend], (), camera)
