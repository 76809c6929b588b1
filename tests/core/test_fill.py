"""Hole filling on photographs that scikit-image ships; targets measured on such textures."""

import cv2
import numpy as np
import pytest
import skimage.data
from scipy.stats import wasserstein_distance

from vistaline.core.errors import FillError
from vistaline.core.picture import exemplar
from vistaline.core.picture.carried import carry, reduced
from vistaline.core.picture.exemplar import ExemplarSettings, fill_by_texture
from vistaline.core.picture.smooth import fill_smoothly, pull_push


def round_hole(height: int, width: int, share: float) -> np.ndarray:
    hole = np.zeros((height, width), np.uint8)
    radius = round((share * height * width / np.pi) ** 0.5)
    cv2.circle(hole, (width // 2, height // 2), radius, 1, -1)
    return hole > 0


def texture_likeness(filled: np.ndarray, hole: np.ndarray) -> tuple[float, float]:
    """Gradient energy inside over around it, and how far the log-gradient histograms differ."""
    light = cv2.cvtColor(filled, cv2.COLOR_RGB2GRAY).astype(np.float32)
    slope = np.hypot(
        cv2.Sobel(light, cv2.CV_32F, 1, 0, ksize=1), cv2.Sobel(light, cv2.CV_32F, 0, 1, ksize=1)
    )
    mask = hole.astype(np.uint8)
    inside = cv2.erode(mask, np.ones((5, 5))) > 0
    grown = cv2.dilate(mask, np.ones((5, 5))) > 0
    around = (cv2.dilate(mask, np.ones((61, 61))) > 0) & ~grown
    ratio = (slope[inside] ** 2).mean() / (slope[around] ** 2).mean()
    distance = wasserstein_distance(np.log1p(slope[inside]), np.log1p(slope[around]))
    return float(ratio), float(distance)


def step_at_the_rim(filled: np.ndarray, hole: np.ndarray) -> float:
    """The mean step between neighbours across the rim, over that just outside."""
    light = cv2.cvtColor(filled, cv2.COLOR_RGB2GRAY).astype(np.float32)
    steps = np.abs(np.diff(light, axis=1))
    away = cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    beside = (away[:, 1:] > 3) & (away[:, :-1] > 3) & (away[:, 1:] < 15)
    return float(steps[hole[:, 1:] != hole[:, :-1]].mean() / steps[beside].mean())


@pytest.mark.parametrize("name", ["grass", "gravel", "brick"])
def test_a_fill_has_the_texture_of_its_surroundings(name: str) -> None:
    """Gradient energy 0.75 to 1.35 of the surroundings', histogram distance at most 0.2.

    The step across the rim is at most 1.3 of those outside.
    """
    grey = getattr(skimage.data, name)()
    picture = np.dstack([grey] * 3)
    hole = round_hole(*picture.shape[:2], 0.12)
    filled = fill_by_texture(picture, hole)
    ratio, distance = texture_likeness(filled, hole)
    assert 0.75 <= ratio <= 1.35
    assert distance <= 0.2
    assert step_at_the_rim(filled, hole) <= 1.3
    plain = cv2.inpaint(picture, hole.astype(np.uint8), 3, cv2.INPAINT_TELEA)
    assert distance < 0.4 * texture_likeness(plain, hole)[1]
    np.testing.assert_array_equal(filled[~hole], picture[~hole])


def test_the_same_seed_gives_the_same_bytes() -> None:
    picture = skimage.data.coffee()[:200, :300]
    hole = round_hole(200, 300, 0.1)
    first = fill_by_texture(picture, hole, settings=ExemplarSettings(seed=7))
    again = fill_by_texture(picture, hole, settings=ExemplarSettings(seed=7))
    np.testing.assert_array_equal(first, again)
    other = fill_by_texture(picture, hole, settings=ExemplarSettings(seed=8))
    assert not np.array_equal(first, other)


def test_texture_is_taken_only_from_where_it_may_be() -> None:
    picture = np.zeros((120, 240, 3), np.uint8)
    picture[:, :120] = (200, 40, 40)
    picture[:, 120:] = (40, 40, 200)
    hole = np.zeros((120, 240), bool)
    hole[45:75, 105:135] = True
    allowed = np.zeros_like(hole)
    allowed[:, :120] = True
    filled = fill_by_texture(picture, hole, sources=allowed)
    assert (filled[hole] == (200, 40, 40)).all()


def test_progress_rises_and_may_stop_the_work() -> None:
    picture = skimage.data.coffee()[:200, :300]
    shares: list[float] = []

    def stop(share: float, words: str) -> None:
        shares.append(share)
        if share > 0.3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        fill_by_texture(picture, round_hole(200, 300, 0.1), progress=stop)
    assert shares == sorted(shares)


def test_a_hole_that_is_the_whole_picture_is_refused() -> None:
    picture = np.zeros((64, 64, 3), np.uint8)
    with pytest.raises(FillError, match="nothing left to take texture from"):
        fill_by_texture(picture, np.ones((64, 64), bool))


def test_no_hole_changes_nothing() -> None:
    picture = skimage.data.coffee()[:100, :100]
    np.testing.assert_array_equal(fill_by_texture(picture, np.zeros((100, 100), bool)), picture)


def test_smooth_filling_continues_a_slope() -> None:
    """A ramp without grain is met within a few codes inside a small hole."""
    ramp = np.tile(np.linspace(40, 200, 160).astype(np.uint8)[None, :, None], (100, 1, 3))
    hole = round_hole(100, 160, 0.02)
    filled = fill_smoothly(ramp, hole)
    assert np.abs(filled[hole].astype(int) - ramp[hole]).max() <= 12
    np.testing.assert_array_equal(filled[~hole], ramp[~hole])


def test_pull_push_leaves_what_is_known(rng: np.random.Generator) -> None:
    colour = rng.random((37, 53, 3)).astype(np.float32)
    known = rng.random((37, 53)) > 0.3
    filled = pull_push(colour, known)
    np.testing.assert_allclose(filled[known], colour[known], atol=1e-6)
    assert np.isfinite(filled).all()


@pytest.mark.parametrize("name", ["grass", "gravel"])
def test_a_fill_of_a_large_picture_is_carried_from_a_small_one(
    name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Textures as above, as soft as large pictures are."""
    grey = cv2.resize(getattr(skimage.data, name)(), (1001, 999), interpolation=cv2.INTER_CUBIC)
    picture = np.dstack([grey] * 3)
    hole = round_hole(*picture.shape[:2], 0.12)
    monkeypatch.setattr(exemplar, "_LARGEST", 300_000)
    filled = fill_by_texture(picture, hole)
    ratio, distance = texture_likeness(filled, hole)
    assert 0.75 <= ratio <= 1.35
    assert distance <= 0.2
    assert step_at_the_rim(filled, hole) <= 2.25
    np.testing.assert_array_equal(filled[~hole], picture[~hole])


def test_carried_pixels_are_the_pictures_own() -> None:
    """A shifted copy: every pixel of the hole is the one that lies so far beside it, exactly."""
    picture = skimage.data.coffee()[:240, :360].copy()
    hole = np.zeros((240, 360), bool)
    hole[80:160, 40:120] = True
    small, cut, known = reduced(picture, hole, ~hole, 4)
    assert small.shape == (60, 90, 3) and cut.sum() == 400 and not (cut & known).any()
    rows, columns = np.indices(cut.shape)
    sources = np.dstack([rows, columns + 30]).astype(np.int32)
    filled = picture.copy()
    carry(filled, hole, sources, cut, np.zeros((60, 90, 3), np.float32))
    inner = cv2.erode(hole.astype(np.uint8), np.ones((41, 41))) > 0
    np.testing.assert_array_equal(filled[inner], np.roll(picture, -120, axis=1)[inner])
