"""The guess on photographs that nobody here drew, by strokes where it is most wrong, and by boxes.

Floors of means over eight photographs (measured advice, no published table).
"""

import numpy as np
import pytest

from tests.photos import CLEAR, SUBJECTS, overlap, overlaps, photograph, subject_of
from vistaline.core.errors import MaskError
from vistaline.core.separate.guess import guess_subject


def test_a_few_strokes_find_subjects_of_photographs() -> None:
    found = []
    for name in SUBJECTS:
        picture = photograph(name)
        true = subject_of(name, picture)

        def guess(this: np.ndarray, beside: np.ndarray, of: np.ndarray = picture) -> np.ndarray:
            if not this.any():
                return np.zeros(this.shape, bool)
            return guess_subject(of, this, beside) > 127

        found.append(list(overlaps(guess, true, 4)))
    means = np.mean(found, axis=0)
    assert means[1] >= 0.82 and means[2] >= 0.92 and means[3] >= 0.93 and means[4] >= 0.95
    assert (np.diff(np.array(found)[:, 1:]) > -0.1).all(), "no right stroke spoils what was found"


def test_a_box_finds_subjects_and_strokes_then_mend_it() -> None:
    found = []
    for name in SUBJECTS:
        picture = photograph(name)
        true = subject_of(name, picture)
        y, x = np.nonzero(true)
        first = np.maximum([x.min() - 4, y.min() - 4], 0)
        size = np.minimum([x.max() + 5, y.max() + 5], true.shape[::-1]) - first
        box = (*map(float, first), *map(float, size))

        def guess(this: np.ndarray, beside: np.ndarray, of=picture, box=box) -> np.ndarray:  # type: ignore[no-untyped-def]
            return guess_subject(of, this, beside, box=box) > 127

        found.append(list(overlaps(guess, true, 2)))
    alone, _, mended = np.array(found).T
    assert alone.mean() >= 0.91 and alone.min() >= 0.7
    assert np.sort(mended)[1] >= 0.95, "seven of eight"


def test_a_box_beside_the_picture_is_refused() -> None:
    picture, nothing = np.zeros((40, 60, 3), np.uint8), np.zeros((40, 60), bool)
    with pytest.raises(MaskError, match="box"):
        guess_subject(picture, nothing, nothing, box=(80.0, 10.0, 20.0, 20.0))


def test_the_subject_is_found_without_a_stroke_where_it_is_clear() -> None:
    found = []
    for name in CLEAR:
        picture = photograph(name)
        nothing = np.zeros(picture.shape[:2], bool)
        mask = guess_subject(picture, nothing, nothing, alone=True) > 127
        found.append(overlap(mask, subject_of(name, picture)))
    assert sum(each >= 0.85 for each in found) >= 6 and min(found) > 0.6


def test_strokes_mend_what_was_found_without_them() -> None:
    picture = photograph("home.jpg")
    true = subject_of("home.jpg", picture)
    told = list(
        overlaps(lambda *strokes: guess_subject(picture, *strokes, alone=True) > 127, true, 2)
    )
    assert told[0] < 0.85, "the house leaves the picture, and is found in part"
    assert told[2] > 0.9


def test_nothing_stands_out_of_what_is_all_alike() -> None:
    picture = np.full((60, 80, 3), 120, np.uint8)
    nothing = np.zeros((60, 80), bool)
    with pytest.raises(MaskError, match="Nothing stands out"):
        guess_subject(picture, nothing, nothing, alone=True)
