"""A cropped cutout finds its place; against the known place it was cut from."""

import numpy as np
import pytest

from tests.conftest import textured
from tests.core.test_render import opaque
from vistaline.core.picture.register import find_place


@pytest.mark.parametrize("at", [(0, 0), (137, 61), (440, 160)])
def test_a_cutout_is_found_where_it_was_cut(at: tuple, rng: np.random.Generator) -> None:
    photo = opaque(textured(rng, 640, 360))
    cutout = photo[at[1] : at[1] + 200, at[0] : at[0] + 200].copy()
    y, x = np.mgrid[:200, :200]
    cutout[np.hypot(x - 100, y - 100) > 90] = 0
    assert find_place(cutout, photo) == at


def test_a_picture_from_elsewhere_is_not_found(rng: np.random.Generator) -> None:
    photo, other = (opaque(textured(rng, 640, 360)) for _ in range(2))
    assert find_place(other[:200, :200], photo) is None
    assert find_place(photo, other[:200, :200]) is None
