"""Selecting: CIE Lab against colour-science, strokes by their geometry, a guess by its overlap."""

import warnings

import cv2
import numpy as np
import pytest
import skimage.data

from vistaline.core.errors import MaskError
from vistaline.core.picture.strokes import stroke_mask
from vistaline.core.separate.guess import guess_subject
from vistaline.core.separate.select import likeness

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it warns of optional packages that are not needed here
    import colour


def test_likeness_is_a_distance_in_cie_lab(rng: np.random.Generator) -> None:
    """Against colour-science's sRGB to Lab (D65): the same pixels, but for those on the limit."""
    picture = rng.integers(0, 256, (40, 50, 3), dtype=np.uint8)
    mask = likeness(picture, (20.5, 12.5), tolerance=35, touching=False, sample=1)
    lab = colour.XYZ_to_Lab(
        colour.sRGB_to_XYZ(picture / 255), colour.CCS_ILLUMINANTS[
            "CIE 1931 2 Degree Standard Observer"]["D65"]
    )  # fmt: skip
    distance = colour.delta_E(lab, np.broadcast_to(lab[12, 20], lab.shape), method="CIE 1976")
    sure = np.abs(distance - 35) > 1
    np.testing.assert_array_equal((mask > 127)[sure], (distance < 35)[sure])


def test_touching_keeps_one_part() -> None:
    picture = np.full((30, 60, 3), 200, np.uint8)
    picture[:, 28:32] = 20
    everywhere = likeness(picture, (5, 5), tolerance=5, touching=False)
    part = likeness(picture, (5, 5), tolerance=5)
    assert (everywhere[:, :28] == 255).all() and (everywhere[:, 32:] == 255).all()
    assert (part[:, :28] == 255).all() and not part[:, 28:].any()
    with pytest.raises(MaskError, match="outside"):
        likeness(picture, (99, 5), tolerance=5)


def test_a_stroke_has_its_width() -> None:
    """A hard brush covers a stadium: length times width and a disc (closed form)."""
    mask = stroke_mask(np.array([(30, 40), (90, 40)]), 20, (128, 80)) / 255
    assert mask.sum() == pytest.approx(60 * 20 + np.pi * 100, rel=0.01)
    soft = stroke_mask(np.array([(30, 40), (90, 40)]), 20, (128, 80), softness=0.8) / 255
    assert soft[40, 60] == pytest.approx(1, abs=0.1) and 0 < soft[47, 60] < 0.6
    assert stroke_mask(np.array([(64, 40)]), 10, (128, 80)).any()
    assert not stroke_mask(np.array([(500, 400), (600, 400)]), 10, (128, 80)).any()


def test_a_few_strokes_find_the_subject() -> None:
    """A drawn figure before a photograph: intersection over union at least 0.95."""
    picture = cv2.resize(skimage.data.grass(), (900, 700))
    picture = cv2.GaussianBlur(np.dstack([picture // 2, picture, picture // 2]), (0, 0), 2)
    truth = np.zeros((700, 900), np.uint8)
    cv2.ellipse(truth, (450, 360), (150, 260), 10, 0, 360, 1, -1)
    shade = np.linspace(60, 220, 900).astype(np.uint8)
    picture[truth > 0] = np.stack(
        [np.broadcast_to(shade, truth.shape), truth * 90, truth * 60], axis=-1
    )[truth > 0]
    this = stroke_mask(np.array([(400, 200), (460, 520)]), 20, (900, 700)) > 127
    beside = np.array([(60, 60), (840, 60), (840, 640), (60, 640), (60, 60)])
    not_this = stroke_mask(beside, 20, (900, 700)) > 127
    found = guess_subject(picture, this, not_this) > 127
    union = (found | (truth > 0)).sum()
    assert (found & (truth > 0)).sum() / union >= 0.95
    boxed = guess_subject(picture, this, np.zeros_like(this), box=(250, 60, 400, 600)) > 127
    assert (boxed & (truth > 0)).sum() / (boxed | (truth > 0)).sum() >= 0.95


def test_a_guess_without_a_hint_is_refused() -> None:
    nothing = np.zeros((20, 20), bool)
    picture = np.zeros((20, 20, 3), np.uint8)
    with pytest.raises(MaskError, match="Nothing says what to cut out"):
        guess_subject(picture, nothing, nothing)


def test_a_small_subject_in_a_large_picture() -> None:
    """A figure of a 400th of the picture is seen as well as a large one: overlap at least 0.95."""
    picture = np.full((2400, 3600, 3), (70, 90, 60), np.uint8)
    picture[1200:] = (120, 110, 90)
    truth = np.zeros((2400, 3600), np.uint8)
    cv2.ellipse(truth, (2500, 1100), (60, 110), 0, 0, 360, 1, -1)
    cv2.line(truth, (2540, 1050), (2640, 1000), 1, 12)
    noise = np.random.default_rng(1).normal(0, 6, picture.shape)
    picture[truth > 0] = (170, 70, 50)
    picture = np.clip(picture + noise, 0, 255).astype(np.uint8)
    this = stroke_mask(np.array([(2500, 1030), (2500, 1170)]), 20, (3600, 2400)) > 127
    this |= stroke_mask(np.array([(2560, 1040), (2620, 1010)]), 8, (3600, 2400)) > 127
    not_this = stroke_mask(np.array([(2350, 950), (2350, 1250)]), 20, (3600, 2400)) > 127
    found = guess_subject(picture, this, not_this) > 127
    assert (found & (truth > 0)).sum() / (found | (truth > 0)).sum() >= 0.95
