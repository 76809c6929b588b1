"""What lies beside a hole: the subject's soft shadow, and others like it. Constructed, and real.

A shadow as light makes it: the ground's light times 1 - strength x a blurred shape (no source but
what a shadow is). Grounds are scikit-image's; subjects the photographs'.
"""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import skimage.data

from tests.photos import SUBJECTS, overlap, photograph, subject_of
from vistaline.core.picture.colour import encode_srgb, linearise_srgb
from vistaline.core.separate.alike import looks_alike
from vistaline.core.separate.masks import hole_behind
from vistaline.core.separate.shadow import soft_shadow

SIZE = (400, 512)


def ground(kind: str, rng: np.random.Generator) -> np.ndarray:
    """Return light (400, 512, 3): a studio's wall, sand, or one of scikit-image's textures."""
    if kind == "studio":
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        fall = 0.6 + 0.25 * np.exp(-((x - 200) ** 2 + (y - 150) ** 2) / 9e4)
        codes = fall[..., None] * [1, 0.98, 0.95] + rng.normal(0, 0.008, (*SIZE, 1))
    elif kind == "sand":
        grain = cv2.GaussianBlur(rng.normal(0, 1, SIZE).astype(np.float32), (0, 0), 1.5) * 0.1
        codes = np.array([0.78, 0.7, 0.59]) + grain[..., None]
    else:
        texture = getattr(skimage.data, kind)()[: SIZE[0], : SIZE[1]] / 255
        codes = np.repeat(texture[..., None], 3, axis=2)
    return linearise_srgb(np.clip(codes, 0, 1))


def scene(light: np.ndarray, strength: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return an apple on a ground, as codes; where it is; and how much light its shadow takes."""
    photo = photograph("apple.jpg")
    apple = cv2.resize(photo, (200, 200), interpolation=cv2.INTER_AREA)
    shape = cv2.resize(subject_of("apple.jpg", photo).astype(np.uint8), (200, 200)) > 0
    there = np.zeros(SIZE, bool)
    there[100:300, 120:320] = shape
    moved = cv2.warpAffine(
        there.astype(np.float32), np.array([[1.0, 0, 40], [0, 1, 25]]), SIZE[::-1]
    )
    taken = cv2.GaussianBlur(moved, (0, 0), 18) * strength
    codes = np.rint(encode_srgb(light * (1 - taken[..., None])) * 255).astype(np.uint8)
    codes[100:300, 120:320][shape] = apple[shape]
    return codes, there, taken


def behind(subject: np.ndarray) -> np.ndarray:
    return hole_behind([subject.astype(np.uint8) * 255])


@pytest.mark.parametrize(
    ("kind", "left"),
    [("studio", 0.08), ("sand", 0.06), ("brick", 0.06), ("gravel", 0.15), ("grass", 0.25)],
)
def test_a_soft_shadow_is_found_and_none_where_none_is(
    kind: str, left: float, rng: np.random.Generator
) -> None:
    """``left``: the share of the light it takes that is not found."""
    light = ground(kind, rng)
    codes, apple, taken = scene(light, 0.5)
    hole = behind(apple)
    found = soft_shadow(codes, hole)
    assert not (found & hole).any()
    assert taken[~hole & ~found].sum() <= left * taken[~hole].sum()
    assert (found & (taken < 0.01)).sum() < 0.25 * found.sum()
    clean, _, _ = scene(light, 0.0)
    assert soft_shadow(clean, hole).sum() < 0.1 * hole.sum()
    # As large as pictures are: it is looked for in a small copy.
    large = cv2.resize(codes, None, fx=4, fy=4, interpolation=cv2.INTER_CUBIC)
    wide = cv2.resize(hole.astype(np.uint8), None, fx=4, fy=4, interpolation=cv2.INTER_NEAREST)
    again = cv2.resize(soft_shadow(large, wide > 0).astype(np.uint8), SIZE[::-1]) > 0
    assert overlap(again, found) > 0.85


def test_photographs_of_several_things_have_no_soft_shadow_on_one_ground() -> None:
    for name in ("butterfly.jpg", "squirrel_cls.jpg", "home.jpg", "fruits.jpg", "astronaut"):
        picture = photograph(name)
        assert not soft_shadow(picture, behind(subject_of(name, picture))).any(), name
    # The orange's, on the cloth to its right, down to the pencil.
    picture = photograph("orange.jpg")
    subject = subject_of("orange.jpg", picture)
    found = soft_shadow(picture, behind(subject))
    middle = np.flatnonzero(subject.any(axis=0)).mean()
    assert 0.03 < found.sum() / subject.sum() < 0.2
    assert np.flatnonzero(found.any(axis=0)).min() > middle


def test_beside_a_hole_that_is_nearly_everything_there_is_no_shadow() -> None:
    hole = np.ones((900, 900), bool)
    hole[450, 450] = False
    assert not soft_shadow(np.full((900, 900, 3), 90, np.uint8), hole).any()


def test_what_looks_like_the_subject_is_kept_out_and_little_else(
    rng: np.random.Generator,
) -> None:
    codes, apple, _ = scene(ground("gravel", rng), 0.0)
    another = np.zeros(SIZE, bool)
    another[100:300, 320:512] = apple[100:300, 120:312]
    codes[another] = codes[apple]
    found = looks_alike(codes, apple, behind(apple))
    assert (found & another).sum() > 0.9 * another.sum()
    assert (found & ~another).sum() < 0.1 * another.sum()
    for name in SUBJECTS:
        picture = photograph(name)
        subject = subject_of(name, picture)
        assert looks_alike(picture, subject, behind(subject)).mean() < 0.05, name
