"""Tonal steps inside fills: against SciPy's direct solution of the same equations."""

import cv2
import numpy as np
import pytest
from scipy.sparse import coo_array, diags_array
from scipy.sparse.linalg import spsolve

from tests.conftest import textured
from tests.photos import photograph, subject_of
from vistaline.core.picture.evening import evened
from vistaline.core.picture.exemplar import fill_by_texture

SHAPE = (60, 80)


def pieces(step: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A fill of two pieces that differ by a step; each was taken from where its tone is even."""
    content = np.full((*SHAPE, 3), 100, np.float32)
    content[:, 40:] += step
    hole = np.zeros(SHAPE, bool)
    hole[10:50, 10:70] = True
    source = np.zeros((*SHAPE, 2), np.int32)
    rows, columns = np.mgrid[: SHAPE[0], : SHAPE[1]]
    # Left from the picture's left margin, right from its right one: tones of their own.
    source[..., 0], source[..., 1] = rows, np.where(columns < 40, columns % 8, 72 + columns % 8)
    return content, hole, source


def exact(content: np.ndarray, hole: np.ndarray, source: np.ndarray, reach: float) -> np.ndarray:
    """Least squares of all steps' corrections and of the corrections themselves, solved whole."""
    number = np.full(hole.shape, -1)
    number[hole] = np.arange(hole.sum())
    entries: list[tuple[int, int, float]] = []
    wanted, weight = np.zeros(int(hole.sum())), np.full(int(hole.sum()), 1 / reach**2)
    for y, x in np.argwhere(hole):
        for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0)):
            i, j = number[y, x], number[y + dy, x + dx]
            weight[i] += 1
            if j < 0:
                continue
            entries.append((i, j, -1.0))
            a, b, step = source[y, x], source[y + dy, x + dx], np.array((dy, dx))
            if (b - a != step).any():
                own = content[tuple(np.clip(a + step, 0, (59, 79)))] - content[tuple(a)]
                other = content[tuple(b)] - content[tuple(np.clip(b - step, 0, (59, 79)))]
                off = (own + other) / 2 - (content[y + dy, x + dx] - content[y, x])
                wanted[i] -= off[0]
    rows, columns, values = zip(*entries, strict=True)
    matrix = coo_array((values, (rows, columns)), shape=(len(weight),) * 2) + diags_array(weight)
    return spsolve(matrix.tocsr(), wanted)


def test_small_steps_are_spread_as_the_equations_say() -> None:
    content, hole, source = pieces(6)
    change = evened(content, hole, source)
    theirs = exact(content, hole, source, 30.0)
    soft = 16 * np.tanh(np.abs(theirs) / 16) * np.sign(theirs)
    np.testing.assert_allclose(change[0][hole], soft, atol=0.06)
    assert not change[:, ~hole].any()
    step = (content[..., 0] + change[0])[30, 38:42]
    assert abs(step[2] - step[1]) < 2, "of six codes"


@pytest.mark.parametrize("step", [30, 90])
def test_edges_stay_and_colour_nothing(step: float) -> None:
    content, hole, source = pieces(step)
    assert np.abs(evened(content, hole, source)).max() < 0.05


def test_fills_of_photographs_have_no_steps_worse_than_the_photograph() -> None:
    """Along the hole of a subject: light's change over some pixels, inside and beside it."""
    for name in ("apple.jpg", "orange.jpg", "squirrel_cls.jpg"):
        picture = photograph(name)
        hole = cv2.dilate(subject_of(name, picture).astype(np.uint8), np.ones((11, 11))) > 0
        light = cv2.cvtColor(fill_by_texture(picture, hole), cv2.COLOR_RGB2LAB)[..., 0]
        soft = cv2.GaussianBlur(light.astype(np.float32), (0, 0), 3)
        slope = np.hypot(*(cv2.Sobel(soft, cv2.CV_32F, *way) for way in ((1, 0), (0, 1))))
        away = cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, 5)
        beside = (away > 8) & (away < 80)
        inside = cv2.erode(hole.astype(np.uint8), np.ones((9, 9))) > 0
        assert np.percentile(slope[inside], 99) <= 1.5 * np.percentile(slope[beside], 99)


def test_what_comes_from_one_place_is_left_alone(rng: np.random.Generator) -> None:
    content = textured(rng, SHAPE[1], SHAPE[0]).astype(np.float32)
    hole = np.zeros(SHAPE, bool)
    hole[20:40, 40:60] = True
    source = np.stack(np.mgrid[: SHAPE[0], : SHAPE[1]], axis=-1).astype(np.int32)
    source[..., 1] -= 30
    content[hole] = content[20:40, 10:30].reshape(-1, 3)
    assert not evened(content, hole, source).any()
