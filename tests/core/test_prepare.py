"""Putting a picture in shape: geometry, light and colour, repair, enlarging, on real photos."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
import skimage.data
import skimage.transform
from PIL import Image

from tests.photos import halved
from tests.worn import PRINTS, judged, print_of
from vistaline.core.picture.strokes import Stroke
from vistaline.core.prepare import tone
from vistaline.core.prepare.compressed import jpeg_quality_of, without_blocks
from vistaline.core.prepare.detail import denoised, enlarged
from vistaline.core.prepare.mending import Repair, Sharpen
from vistaline.core.prepare.repair import find_damage, repaired
from vistaline.core.prepare.shaping import (
    RATIOS,
    CropStep,
    Enlarge,
    Flip,
    Straighten,
    Turn,
    dragged_crop,
)
from vistaline.core.prepare.step import Prepared
from vistaline.core.prepare.steps import PrepareStep, geometry, prepare, push_in_limit
from vistaline.core.prepare.toning import Curves, Levels

STEPS: list[PrepareStep] = [
    CropStep(box=(0.1, 0.2, 0.6, 0.5)),
    Straighten(degrees=4),
    Turn(quarters=1),
    Flip(over="down"),
    Enlarge(factor=1.5),
]


@pytest.fixture(scope="module")
def photo() -> np.ndarray:
    return skimage.data.astronaut().astype(np.float32) / 255


def done(picture: np.ndarray, *steps: PrepareStep, scale: float = 1.0) -> Prepared:
    return prepare(Prepared(colour=picture, alpha=None, scale=scale), steps)


def psnr(a: np.ndarray, b: np.ndarray, where: np.ndarray | None = None) -> float:
    error = (a - b)[where] if where is not None else a - b
    return float(-10 * np.log10(np.mean(error**2)))


@pytest.mark.parametrize("upto", range(len(STEPS) + 1))
def test_a_point_is_found_where_the_map_says(upto: int) -> None:
    """A blurred spot's centre of mass, carried by the affine maps of the steps."""
    spot = np.zeros((300, 400, 3), np.float32)
    cv2.circle(spot, (180, 140), 6, (1, 1, 1), -1)
    spot = cv2.GaussianBlur(spot, (0, 0), 2)
    prepared = done(spot, *STEPS[:upto])
    matrix, size = geometry((400, 300), STEPS[:upto])[-1]
    assert prepared.colour.shape[1::-1] == size
    weight = prepared.colour[..., 0]
    rows, columns = np.mgrid[: size[1], : size[0]] + 0.5
    centre = [(columns * weight).sum() / weight.sum(), (rows * weight).sum() / weight.sum()]
    expected = matrix @ [180.5, 140.5, 1]
    assert centre == pytest.approx(expected[:2], abs=0.15)


def test_a_preview_is_the_picture_made_small(photo: np.ndarray) -> None:
    steps = [*STEPS[:4], Levels(black=0.1, gamma=1.3), Curves(value=((0, 0), (0.4, 0.6), (1, 1)))]
    # Soft, as crops of the two fall on whole pixels of their own.
    photo = cv2.GaussianBlur(photo, (0, 0), 5)
    small = cv2.resize(photo, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    preview = done(small, *steps, scale=0.5).colour
    full = done(photo, *steps).colour
    full = cv2.resize(full, preview.shape[1::-1], interpolation=cv2.INTER_AREA)
    assert psnr(preview, full) > 30


def test_turning_is_exact_and_switching_off_is_nothing(photo: np.ndarray) -> None:
    turned = done(photo, Turn(quarters=1), Turn(quarters=3), Flip(), Flip())
    np.testing.assert_array_equal(turned.colour, photo)
    np.testing.assert_array_equal(done(photo, Sharpen(on=False, amount=3)).colour, photo)


def test_straightening_turns_as_scikit_image_does(photo: np.ndarray) -> None:
    ours = done(photo, Straighten(degrees=6)).colour
    theirs = skimage.transform.rotate(photo, -6, order=3)
    top, left = ((512 - side) // 2 for side in ours.shape[:2])
    theirs = theirs[top : top + ours.shape[0], left : left + ours.shape[1]]
    assert psnr(ours[20:-20, 20:-20], theirs[20:-20, 20:-20].astype(np.float32)) > 28


def test_levels_and_curves_at_known_values() -> None:
    """Common practice, no source: ((v - black) / (white - black)) ** (1 / gamma)."""
    ramp = np.linspace(0, 1, 101, dtype=np.float32)
    picture = np.repeat(ramp[None, :, None], 3, axis=2)
    found = tone.levelled(picture, black=0.2, white=0.7, gamma=2)[0, :, 0]
    expected = np.clip((ramp - 0.2) / 0.5, 0, 1) ** 0.5
    np.testing.assert_allclose(found, expected, atol=2e-3)
    table = tone.curve_table([(0, 0), (0.25, 0.6), (0.3, 0.61), (1, 1)])
    assert np.all(np.diff(table) >= 0) and table[16384] == pytest.approx(0.6, abs=1e-3)


def test_what_is_picked_becomes_neutral(photo: np.ndarray) -> None:
    cast = photo * np.array([1.0, 0.85, 0.7], np.float32)
    colour = (0.6, 0.51, 0.42)
    patch = np.full((4, 4, 3), colour, np.float32)
    assert np.ptp(tone.balanced(patch, colour)[0, 0]) < 0.01
    assert psnr(tone.balanced(cast, colour), photo) > psnr(cast, photo)


def test_faded_colour_comes_back(photo: np.ndarray) -> None:
    """Dyes faded apart: less range, a cast. Restored it is nearer the photo by 6 dB or more."""
    faded = 0.25 + photo * np.array([0.6, 0.45, 0.3], np.float32)
    assert psnr(tone.restored(faded, 1.0), photo) > psnr(faded, photo) + 6


def test_noise_is_removed_and_detail_left(photo: np.ndarray) -> None:
    rng = np.random.default_rng(4)
    noisy = np.clip(photo + rng.normal(0, 0.05, photo.shape), 0, 1).astype(np.float32)
    clean = denoised(noisy, strength=0.4, colour=0.6)
    assert psnr(clean, photo) > psnr(noisy, photo) + 3
    assert psnr(denoised(photo, strength=0.3, colour=0.3), photo) > 33


def test_enlarging_against_the_usual_way() -> None:
    """Photos halved by area: fine edges beat Lanczos by 0.5 dB, and lose nothing on noise."""
    gains, losses = [], []
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        whole = getattr(skimage.data, name)().astype(np.float32) / 255
        height, width = (side // 4 * 4 for side in whole.shape[:2])
        whole = np.ascontiguousarray(whole[:height, :width])
        half = cv2.resize(whole, (width // 2, height // 2), interpolation=cv2.INTER_AREA)
        rng = np.random.default_rng(1)
        codes = np.clip(half * 255 + rng.normal(0, 4, half.shape), 0, 255).astype(np.uint8)
        jpeg = cv2.imdecode(cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, 85])[1], 1)
        for source, found in ((half, gains), (jpeg.astype(np.float32) / 255, losses)):
            plain, fine = (enlarged(source, (width, height), fine=f) for f in (False, True))
            found.append(psnr(fine, whole) - psnr(plain, whole))
    assert np.mean(gains) >= 0.5 and np.mean(losses) >= -0.2


def test_plain_enlarging_is_near_pillows(photo: np.ndarray) -> None:
    """Lanczos over 8 pixels here, over 6 in Pillow."""
    codes = np.rint(photo * 255).astype(np.uint8)
    theirs = Image.fromarray(codes).resize((1024, 1024), Image.Resampling.LANCZOS)
    ours = enlarged(photo, (1024, 1024))
    assert psnr(ours, np.asarray(theirs).astype(np.float32) / 255) > 40


def damaged(photo: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return a photo with scratches and specks, and how much of each pixel they cover."""
    rng = np.random.default_rng(3)
    height, width = photo.shape[:2]
    out, where = photo.copy(), np.zeros((height, width), np.float32)
    for n in range(40):
        mark = np.zeros((height, width), np.float32)
        start = rng.uniform((0, 0), (width, height))
        if n < 10:
            angle = rng.uniform(0, np.pi)
            along = np.linspace(0, rng.uniform(60, 300), 12)[:, None]
            line = start + along * (np.cos(angle), np.sin(angle)) + rng.normal(0, 1, (12, 2))
            cv2.polylines(mark, [np.int32(line)], False, 1, int(rng.integers(1, 3)))
        else:
            cv2.circle(mark, (int(start[0]), int(start[1])), int(rng.integers(1, 4)), 1, -1)
        mark = cv2.GaussianBlur(mark, (0, 0), 0.6)
        out = out * (1 - mark[..., None]) + rng.uniform(0.75, 1) * mark[..., None]
        where = np.maximum(where, mark)
    return out.astype(np.float32), where


def test_damage_under_the_brush_is_found_and_repaired() -> None:
    """Painted within 7 px: 70 % of what is marked is damage, 80 % of it is found, 4.5 dB gained.

    A pixel is damage if a third of it is covered; where a fiftieth is, marking it is not wrong.
    """
    precisions, recalls = [], []
    for name in ("astronaut", "chelsea", "rocket", "coffee"):
        whole = getattr(skimage.data, name)().astype(np.float32) / 255
        broken, cover = damaged(whole)
        true = cover > 0.3
        brush = cv2.dilate(true.astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
        found = find_damage(broken, brush=brush)
        assert not (found & ~brush).any()
        precisions.append((found & (cover > 0.02)).sum() / found.sum())
        recalls.append((found & true).sum() / true.sum())
        mended = repaired(broken, found)
        assert psnr(mended, whole, true) - psnr(broken, whole, true) >= 4.5
        assert psnr(mended, whole) > psnr(broken, whole) + 3
    assert np.mean(precisions) >= 0.7 and np.mean(recalls) >= 0.8


def test_the_automatic_search_does_no_harm() -> None:
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        whole = getattr(skimage.data, name)().astype(np.float32) / 255
        broken, _ = damaged(whole)
        mended = repaired(broken, find_damage(broken))
        assert psnr(mended, whole) > psnr(broken, whole) - 1


def test_long_scratches_are_found_without_a_brush() -> None:
    """On photographs whose wear is known, at a megapixel.

    Three of four marked pixels are damage, and each photograph gains; six of ten pixels of all
    damage are found, its specks and hairs counted, which are not looked for. Of sound ones little
    is touched: a cat's whiskers are as light, thin and even as scratches are.
    """
    precisions, recalls, gains = np.transpose([judged(name, 1) for name in PRINTS])
    assert precisions.mean() >= 0.75 and recalls.mean() >= 0.6
    assert gains.min() > 0 and gains.mean() >= 5
    touched = [find_damage(print_of(name, 1)).mean() for name in PRINTS]
    assert max(touched) < 0.02 and np.mean(touched) < 0.005


@pytest.mark.parametrize("scale", [0.004, 0.05, 0.3])
def test_damage_is_sought_in_however_small_a_copy(photo: np.ndarray, scale: float) -> None:
    small = cv2.resize(damaged(photo)[0], (160, 160), interpolation=cv2.INTER_AREA)
    assert find_damage(small, scale=scale).shape == (160, 160)


def test_what_is_protected_stays(photo: np.ndarray) -> None:
    broken, _ = damaged(photo)
    whole = Stroke(points=((0, 256), (512, 256)), width=1500)
    mended = done(broken, Repair(automatic=True, brush=(whole,), protect=(whole,))).colour
    np.testing.assert_array_equal(mended, broken)
    unprotected = done(broken, Repair(automatic=True, brush=(whole,))).colour
    assert (unprotected != broken).any()


def test_the_push_in_limit_is_the_sharper_sides() -> None:
    assert push_in_limit((6000, 4000), (1920, 1080)) == pytest.approx(3.125)
    assert push_in_limit((1000, 4000), (1920, 1080)) < 1


def test_a_drag_of_a_crop_keeps_its_shape_and_stays_in_the_picture(
    rng: np.random.Generator,
) -> None:
    """Closed form: width over height in pixels; random drags of all grips never leave 0 to 1."""
    size = (640, 360)
    for _ in range(500):
        x, y = rng.uniform(0, 0.5, 2)
        box = (float(x), float(y), float(rng.uniform(0.1, 1 - x)), float(rng.uniform(0.1, 1 - y)))
        grips = str(rng.choice(["", "l", "r", "t", "b", "lt", "rt", "lb", "rb"]))
        by = float(rng.normal()), float(rng.normal())
        ratio = None if rng.random() < 0.3 else float(rng.choice(list(RATIOS.values())))
        left, top, wide, tall = dragged_crop(box, grips, by, ratio, size)
        assert min(left, top) > -1e-9 and max(left + wide, top + tall) < 1 + 1e-9
        assert min(wide, tall) > 0
        if not grips:
            assert (wide, tall) == box[2:]
        elif ratio is not None:
            assert wide * size[0] / (tall * size[1]) == pytest.approx(ratio)


def compressed(picture: np.ndarray, quality: int) -> np.ndarray:
    """The picture after Pillow's JPEG, with half as many samples of colour each way."""
    data = io.BytesIO()
    Image.fromarray(np.rint(picture * 255).astype(np.uint8)).save(data, "JPEG", quality=quality)
    return np.asarray(Image.open(data)).astype(np.float32) / 255


def blocks_in(picture: np.ndarray) -> float:
    """The mean step between columns at the edges of JPEG's blocks over those elsewhere."""
    steps = np.abs(np.diff(picture.mean(axis=2), axis=1)).mean(axis=0)
    at_edges = np.arange(len(steps)) % 8 == 7
    return float(steps[at_edges].mean() / steps[~at_edges].mean())


@pytest.mark.parametrize("quality", [70, 50])
def test_a_compressed_picture_is_enlarged_without_its_blocks(quality: int) -> None:
    """Photos halved by area, JPEG by Pillow: no blocks are left, and it is nearer the photo."""
    gains, left = [], []
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        whole, half = halved(name)
        found = compressed(half, quality)
        assert jpeg_quality_of(found) == quality and jpeg_quality_of(half) is None
        clean = without_blocks(found)
        left.append((blocks_in(found), blocks_in(clean), blocks_in(half)))
        plain, better = (done(found, Enlarge(compressed=asked)).colour for asked in (False, True))
        gains.append(psnr(better, whole) - psnr(plain, whole))
    before, after, sound = np.mean(left, axis=0)
    assert before > 1.15 and after < sound + 0.04
    assert np.mean(gains) > 0


def test_what_was_not_compressed_stays_as_it_is(photo: np.ndarray) -> None:
    assert without_blocks(photo) is photo
    good = compressed(photo, 92)
    assert without_blocks(good) is good, "there is less to be seen than to be lost"
    tiny = photo[:5, :5]
    assert jpeg_quality_of(tiny) is None and without_blocks(tiny) is tiny
