"""Edge care on a figure whose alpha is known exactly, before photographs scikit-image ships."""

import cv2
import numpy as np
import pytest
import skimage.data

from tests.photos import drawn_of, leaves
from vistaline.core.errors import MaskError
from vistaline.core.separate.matte import solve_edge


def soft_figure(rng: np.random.Generator, height: int, width: int) -> np.ndarray:
    """Alpha (height, width) of a soft disc with 150 hairs, 0..1; our own drawing."""
    scale = 4
    big = np.zeros((height * scale, width * scale), np.uint8)
    centre, radius = (width * scale // 2, height * scale // 2), height * scale // 4
    cv2.circle(big, centre, radius, 255, -1)
    for angle in rng.uniform(0, 2 * np.pi, 150):
        length = radius * rng.uniform(1.05, 1.18)
        end = angle + rng.normal(0, 0.05)
        start = (int(centre[0] + radius * 0.9 * np.cos(angle)),
                 int(centre[1] + radius * 0.9 * np.sin(angle)))  # fmt: skip
        stop = (int(centre[0] + length * np.cos(end)), int(centre[1] + length * np.sin(end)))
        cv2.line(big, start, stop, 255, 3)
    small = cv2.resize(big, (width, height), interpolation=cv2.INTER_AREA).astype(np.float32)
    return cv2.GaussianBlur(small / 255, (0, 0), 1.2)


@pytest.fixture(scope="module")
def scene() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Picture, exact alpha, own colours."""
    rng = np.random.default_rng(3)
    back = cv2.resize(skimage.data.chelsea(), (480, 360))
    back = cv2.GaussianBlur(back, (0, 0), 4).astype(np.float32)
    own = np.full_like(back, (40, 70, 130)) + cv2.GaussianBlur(
        rng.normal(0, 60, back.shape).astype(np.float32), (0, 0), 6
    )
    alpha = soft_figure(rng, 360, 480)
    mixed = own * alpha[..., None] + back * (1 - alpha[..., None])
    return np.clip(np.rint(mixed), 0, 255).astype(np.uint8), alpha, np.clip(own, 0, 255)


def test_alpha_is_a_third_as_wrong_as_a_feather(scene) -> None:  # type: ignore[no-untyped-def]
    """Mean square error in the band at most a third of a 2-pixel feather's."""
    picture, alpha, _ = scene
    drawn = cv2.morphologyEx((alpha > 0.5).astype(np.uint8) * 255, cv2.MORPH_OPEN, np.ones((7, 7)))
    matte = solve_edge(picture, drawn, radius=22)
    feather = cv2.GaussianBlur(drawn.astype(np.float32) / 255, (0, 0), 2)
    band = cv2.dilate(drawn, np.ones((45, 45))) != cv2.erode(drawn, np.ones((45, 45)))
    ours = np.mean((matte.alpha - alpha)[band] ** 2)
    plain = np.mean((feather - alpha)[band] ** 2)
    assert ours <= plain / 3


def test_own_colours_carry_less_of_the_old_background(scene) -> None:  # type: ignore[no-untyped-def]
    """Composited on white, edge pixels come nearer to the truth than with the photo's colours."""
    picture, alpha, own = scene
    drawn = ((alpha > 0.5) * 255).astype(np.uint8)
    matte = solve_edge(picture, drawn, radius=22)
    edge = (alpha > 0.05) & (alpha < 0.95)

    def error(colours: np.ndarray) -> float:
        a = matte.alpha[..., None]
        truth = own * alpha[..., None] + 255 * (1 - alpha[..., None])
        return float(np.abs(colours * a + 255 * (1 - a) - truth)[edge].mean())

    assert error(matte.foreground.astype(np.float32)) < 0.8 * error(picture.astype(np.float32))


def test_colours_found_in_tiles_are_those_found_at_once(  # type: ignore[no-untyped-def]
    scene, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Beyond 16 megapixels a picture's colours are found in tiles that overlap."""
    picture, alpha, _ = scene
    drawn = ((alpha > 0.5) * 255).astype(np.uint8)
    whole = solve_edge(picture, drawn)
    monkeypatch.setattr("vistaline.core.separate.matte._LARGEST", 1000)
    monkeypatch.setattr("vistaline.core.separate.matte._TILE", 300)
    tiled = solve_edge(picture, drawn)
    np.testing.assert_array_equal(tiled.alpha, whole.alpha)
    shown = whole.alpha > 0.05
    off = np.abs(tiled.foreground.astype(int) - whole.foreground)[shown]
    assert off.mean() < 0.5 and np.percentile(off, 99) < 8


def test_what_is_known_is_kept(scene) -> None:  # type: ignore[no-untyped-def]
    picture, alpha, _ = scene
    drawn = ((alpha > 0.5) * 255).astype(np.uint8)
    matte = solve_edge(picture, drawn, radius=8)
    deep = cv2.erode(drawn, np.ones((31, 31))) > 0
    assert (matte.alpha[deep] == 1).all()
    np.testing.assert_array_equal(matte.foreground[deep], picture[deep])
    assert (matte.alpha[:40, :40] == 0).all()


@pytest.mark.parametrize(("value", "words"), [(0, "empty"), (255, "covers the whole")])
def test_a_mask_without_an_edge_is_refused(value: int, words: str) -> None:
    picture = np.zeros((64, 64, 3), np.uint8)
    with pytest.raises(MaskError, match=words):
        solve_edge(picture, np.full((64, 64), value, np.uint8))


def test_leaves_are_as_the_published_matte_has_them() -> None:
    """opencv-doc's plant, of a mask without single leaves and a brush over these: half the error
    of a feather of 2 pixels."""
    picture, alpha, unsure = leaves()
    drawn = drawn_of(alpha)
    feather = cv2.GaussianBlur(drawn.astype(np.float32) / 255, (0, 0), 2)
    ours = solve_edge(picture, drawn, hair=unsure).alpha
    errors = [np.square(each - alpha)[unsure].mean() for each in (ours, feather)]
    assert errors[0] <= 0.5 * errors[1]
