"""Tiles: together they are the picture, at every level, wherever its edges fall."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from PIL import Image

from tests.conftest import pyramid_of, textured
from vistaline.core.errors import RenderError
from vistaline.core.picture.decode import linear_premultiplied
from vistaline.core.picture.tiles import (
    TILE,
    codes_tile,
    mask_tile,
    outline_tile,
    pyramid_tile,
)

SIZE = (1300, 700)


@pytest.fixture(scope="module")
def codes() -> np.ndarray:
    soft = textured(np.random.default_rng(7), *SIZE)
    return cv2.GaussianBlur(soft, (0, 0), 6)


def assembled(tile, level: int) -> np.ndarray:  # type: ignore[no-untyped-def]
    side = TILE << level
    rows = range(-(-SIZE[1] // side))
    return np.vstack([
        np.hstack([tile(level, column, row) for column in range(-(-SIZE[0] // side))])
        for row in rows
    ])  # fmt: skip


@pytest.mark.parametrize("level", [0, 1, 2, 3])
def test_tiles_of_codes_are_the_picture_made_small(codes: np.ndarray, level: int) -> None:
    whole = assembled(lambda *place: codes_tile(codes, *place), level)
    size = (-(-SIZE[0] >> level), -(-SIZE[1] >> level))
    assert whole.shape[1::-1] == size
    if level == 0:
        np.testing.assert_array_equal(whole, codes)
    small = cv2.resize(codes, size, interpolation=cv2.INTER_AREA)
    assert np.abs(whole.astype(int) - small).mean() < 1.5


@pytest.mark.parametrize("level", [0, 1, 2])
@pytest.mark.parametrize("alpha", [False, True])
def test_tiles_of_a_pyramid_are_the_picture(codes: np.ndarray, level: int, alpha: bool) -> None:
    """Read back by Pillow; JPEG and WebP may change a code by a little."""
    share = np.full(codes.shape[:2], 255, np.uint8)
    if alpha:
        share[:, 900:] = 0
    pyramid = pyramid_of(linear_premultiplied(np.dstack([codes, share])))

    def tile(*place: int) -> np.ndarray:
        data, kind = pyramid_tile(pyramid, *place)
        assert kind == ("webp" if alpha else "jpeg")
        return np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"))

    whole = assembled(tile, level)
    size = whole.shape[1::-1]
    small = cv2.resize(codes, size, interpolation=cv2.INTER_AREA)
    inside = slice(0, 880 >> level)
    assert np.abs(whole[:, inside, :3].astype(int) - small[:, inside]).mean() < 3
    if alpha:
        assert whole[:, (920 >> level) :, 3].max() == 0


@pytest.mark.parametrize("at", [(-40, -30), (100, 200), (600, 400), (1250, 650)])
def test_a_layer_lies_at_its_place(codes: np.ndarray, at: tuple[int, int]) -> None:
    layer = np.dstack([codes[:300, :400], np.full((300, 400), 255, np.uint8)])
    whole = assembled(lambda *place: codes_tile(layer, *place, at=at, size=SIZE), 0)
    canvas = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    top, left = max(0, at[1]), max(0, at[0])
    part = layer[top - at[1] :, left - at[0] :][: SIZE[1] - top, : SIZE[0] - left]
    canvas[top : top + part.shape[0], left : left + part.shape[1]] = part
    np.testing.assert_array_equal(whole, canvas)


def test_sixteen_bits_are_shown_with_eight(codes: np.ndarray) -> None:
    deep = codes.astype(np.uint16) * 257
    np.testing.assert_array_equal(codes_tile(deep, 0, 1, 0), codes_tile(codes, 0, 1, 0))


def test_a_mask_is_its_tiles_alpha_and_its_line_one_pixel() -> None:
    mask = np.zeros((700, 1300), np.uint8)
    mask[100:300, 200:400] = 255
    tile = np.asarray(Image.open(io.BytesIO(mask_tile(mask, 0, 0, 0))))
    np.testing.assert_array_equal(tile[..., 3], mask[:512, :512])
    assert tile[..., :3].min() == 255
    line = np.asarray(Image.open(io.BytesIO(outline_tile(mask, 0, 0, 0))))[..., 3] > 0
    assert line.sum() == pytest.approx(4 * 200, abs=8)


def test_a_tile_outside_is_refused(codes: np.ndarray) -> None:
    with pytest.raises(RenderError, match="no such tile"):
        codes_tile(codes, 0, 9, 0)
