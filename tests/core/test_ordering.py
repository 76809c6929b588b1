"""Draw order against brute force: the nearest card at every pixel must be drawn last there."""

import itertools
from dataclasses import dataclass

import numpy as np
import pytest

from vistaline.core.geometry import space
from vistaline.core.geometry.ordering import draw_order, outlines_of

IMAGE = space.image_from_camera(200.0, 320, 180)


@dataclass(frozen=True, eq=False)
class PlacedCard:
    camera_from_card: np.ndarray
    size: tuple

    @property
    def outline(self) -> np.ndarray:
        outlines, counts, _ = outlines_of(self.camera_from_card[None], np.array([self.size]), IMAGE)
        return outlines[0, : counts[0]]

    @property
    def inverse_depth(self) -> np.ndarray:
        return outlines_of(self.camera_from_card[None], np.array([self.size]), IMAGE)[2][0]


def placed(position: tuple, size: tuple, pan: float = 0, tilt: float = 0) -> PlacedCard:
    return PlacedCard(space.pose(position, pan, tilt), tuple(map(float, size)))


def ordered(cards: list[PlacedCard]) -> list[int]:
    poses = np.array([card.camera_from_card for card in cards])
    return draw_order(poses, np.array([card.size for card in cards]), IMAGE)


def inside(card: PlacedCard, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    ends = list(zip(card.outline, np.roll(card.outline, -1, axis=0), strict=True))
    sides = [(b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]) for a, b in ends]
    return np.all(np.array(sides) > 0, axis=0) | np.all(np.array(sides) < 0, axis=0)


# A floor, a wall standing on it, a card leaning on the wall, and one before them: none cut.
SCENE = [
    placed((0, -1, -6), (6, 8), tilt=-90),
    placed((0, 1, -9.5), (6, 3.9)),
    placed((-1.0, 0.2, -5), (1.5, 2.0), pan=50),
    placed((1.2, 0.0, -4), (1.0, 1.6), pan=-30, tilt=10),
    placed((0, -0.2, -2), (0.5, 0.5)),
]


@pytest.mark.parametrize("names", list(itertools.permutations(range(5)))[::7])
def test_every_pixel_shows_the_nearest_card(names: tuple[int, ...]) -> None:
    cards = [SCENE[n] for n in names]
    order = ordered(cards)
    x, y = np.meshgrid(np.arange(0.5, 320, 4), np.arange(0.5, 180, 4))
    points = np.stack([x, y, np.ones_like(x)])
    covered = np.array([inside(card, x, y) for card in cards])
    nearness = np.array([np.tensordot(card.inverse_depth, points, 1) for card in cards])
    nearest = np.where(covered, nearness, -1).argmax(axis=0)
    last = np.zeros_like(nearest)
    for i in order:
        last[covered[i]] = i
    assert covered.any(axis=0).mean() > 0.5
    np.testing.assert_array_equal(last[covered.any(0)], nearest[covered.any(0)])


def test_cards_behind_the_camera_are_left_out() -> None:
    assert ordered([placed((0, 0, 3), (1, 1)), placed((0, 0, -3), (1, 1))]) == [1]
    assert ordered([placed((0, 0, 3), (1, 1))]) == []
