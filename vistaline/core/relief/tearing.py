"""Where a map of nearness is torn: places at which one thing stands before another."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

__all__ = ["TEAR", "Tears", "nearest_of", "tears_of", "travel_of"]

TRAVEL = 0.08
"""For how large a move a relief is prepared: by so much of the picture's longer side what is
nearest goes past what is farthest."""
TEAR = 2.0
"""Pixels of that: a step that is larger is not a slope but an edge."""


@dataclass(frozen=True, eq=False)
class Tears:
    """Where a map (height, width) is torn."""

    nearness: np.ndarray
    """float32 (height, width)."""
    across: np.ndarray
    """bool (height, width - 1): between a pixel and the one to its right."""
    down: np.ndarray
    """bool (height - 1, width): between a pixel and the one below."""

    @property
    def any(self) -> bool:
        """Whether it is torn anywhere."""
        return bool(self.across.any() or self.down.any())

    @property
    def cells(self) -> np.ndarray:
        """The squares between four pixels that are torn, bool (height - 1, width - 1)."""
        return self.across[:-1] | self.across[1:] | self.down[:, :-1] | self.down[:, 1:]

    @property
    def loose(self) -> np.ndarray:
        """Pixels round which all squares are torn, bool (height, width): no triangle meets them."""
        around = np.pad(self.cells, 1, constant_values=True)
        return np.asarray(around[:-1, :-1] & around[1:, :-1] & around[:-1, 1:] & around[1:, 1:])

    @cached_property
    def rims(self) -> tuple[np.ndarray, np.ndarray]:
        """The pixels that lie at a tear, bool (height, width): the near ones, and the far ones."""
        near = np.zeros(self.nearness.shape, bool)
        far = near.copy()
        values = self.nearness
        for torn, one, other in (
            (self.across, np.s_[:, :-1], np.s_[:, 1:]),
            (self.down, np.s_[:-1], np.s_[1:]),
        ):
            rises = values[other] > values[one]
            near[other] |= torn & rises
            far[one] |= torn & rises
            near[one] |= torn & ~rises
            far[other] |= torn & ~rises
        return near, far

    @cached_property
    def from_far(self) -> tuple[np.ndarray, np.ndarray]:
        """How far each pixel is from the nearest far rim, and which pixel of it that is."""
        return nearest_of(self.rims[1])

    @cached_property
    def from_near(self) -> tuple[np.ndarray, np.ndarray]:
        """How far each pixel is from the nearest near rim, and which pixel of it that is."""
        return nearest_of(self.rims[0])


def tears_of(nearness: np.ndarray) -> Tears:
    """Return where a map float32 (height, width), 0 far to 1 near, is torn.

    That is where it steps by more than :data:`TEAR` pixels at :data:`TRAVEL`, less what the
    slope beside it would make of that step.
    """
    least = TEAR / travel_of(nearness.shape)
    return Tears(
        nearness=nearness,
        across=_stepping(nearness) > least,
        down=np.ascontiguousarray((_stepping(np.ascontiguousarray(nearness.T)) > least).T),
    )


def travel_of(shape: tuple[int, ...]) -> float:
    """Return the pixels by which a nearness of 1 goes past one of 0 at :data:`TRAVEL`."""
    return TRAVEL * max(shape[:2])


def _stepping(nearness: np.ndarray) -> np.ndarray:
    """Return steps between columns, less the smaller of the two slopes beside them that go on."""
    steps = np.diff(nearness, axis=1)
    sign = np.sign(steps)
    before, after = np.zeros_like(steps), np.zeros_like(steps)
    before[:, 1:] = steps[:, :-1]
    after[:, :-1] = steps[:, 1:]
    slope = np.minimum(np.maximum(before * sign, 0), np.maximum(after * sign, 0))
    return np.asarray(np.abs(steps) - slope)


def nearest_of(rim: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return how far every pixel is from the nearest that is set, and which pixel that is.

    ``rim`` is bool (height, width); pixels are numbered along rows. Infinitely far where none is.
    """
    if not rim.any():
        return np.full(rim.shape, np.inf, np.float32), np.zeros(rim.shape, np.int64)
    away, labels = cv2.distanceTransformWithLabels(
        (~rim).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    places = np.zeros(int(labels.max()) + 1, np.int64)
    places[labels[rim]] = np.flatnonzero(rim)
    return away, places[labels]
