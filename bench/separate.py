"""Cutting and filling at 12 megapixels, and how good they are beside the plain ways."""

from __future__ import annotations

import cv2
import numpy as np
import skimage.data
from scipy.stats import wasserstein_distance
from skimage.color import rgb2lab

from bench.figures import Figure, peak_memory, timed
from tests.photos import (
    CLEAR,
    SUBJECTS,
    drawn_of,
    leaves,
    overlap,
    overlaps,
    photograph,
    subject_of,
)
from vistaline.core.depth.sources import DepthStroke, FromStrokes
from vistaline.core.depth.step import Seen
from vistaline.core.depth.steps import nearness_of
from vistaline.core.picture.exemplar import fill_by_texture
from vistaline.core.picture.strokes import stroke_mask
from vistaline.core.separate.guess import guess_subject
from vistaline.core.separate.matte import solve_edge

LARGE = (4000, 3000)
SMALL = (1200, 900)


def measure() -> list[Figure]:
    """Return CPU seconds at 12 MP and quality at 1 MP."""
    picture, alpha, _ = _scene(LARGE)
    drawn = ((alpha > 0.5) * 255).astype(np.uint8)
    this, not_this = _strokes(LARGE)
    guess_subject(picture[::8, ::8], this[::8, ::8], not_this[::8, ::8])
    solve_edge(picture[::8, ::8], drawn[::8, ::8])
    fill_by_texture(picture[::16, ::16], drawn[::16, ::16] > 0)
    with peak_memory() as cutting:
        found, guess = timed(lambda: guess_subject(picture, this, not_this) > 127)
        _, edge = timed(lambda: solve_edge(picture, drawn))
    with peak_memory() as filling:
        _, fill = timed(lambda: fill_by_texture(picture, drawn > 0))
    small, more = _scene(SMALL)[0], _strokes(SMALL)
    _, dab = timed(lambda: guess_subject(small, *more))
    overlap = (found & (alpha > 0.5)).sum() / (found | (alpha > 0.5)).sum()
    return [
        Figure("separate, guess from strokes at 12 MP", guess, "CPU s", 2.0),
        Figure("separate, its overlap with the subject", float(overlap), "IoU", 0.95, "higher"),
        Figure("separate, the same at 1 MP", dab, "CPU s", 2.0),
        Figure("separate, guess and edge care at 12 MP", guess + edge, "CPU s", 12.0),
        Figure("separate, memory they take on top", cutting.gib, "GiB", 2.5),
        Figure("separate, texture fill at 12 MP, 15 % hole", fill, "CPU s", 20.0),
        Figure("separate, memory it takes on top", filling.gib, "GiB", 1.0),
        *_photographs(),
        *_depth(picture),
        *_edge_quality(),
        *_fill_quality(),
    ]


def _photographs() -> list[Figure]:
    """Return how well strokes find the subjects of photographs, and what a stroke takes."""
    found, seconds = [], []
    for name in SUBJECTS:
        picture = photograph(name)

        def guess(this: np.ndarray, beside: np.ndarray, of: np.ndarray = picture) -> np.ndarray:
            if not this.any():
                return np.zeros(this.shape, bool)
            answer, took = timed(lambda: guess_subject(of, this, beside) > 127)
            seconds.append(took)
            return answer

        found.append(list(overlaps(guess, subject_of(name, picture), 4)))
    means = np.mean(found, axis=0)
    worst = float(np.diff(np.array(found)[:, 1:]).min())
    picture, alpha, unsure = leaves()
    drawn = drawn_of(alpha)
    feather = cv2.GaussianBlur(drawn.astype(np.float32) / 255, (0, 0), 2)
    ours, plain = (
        float(np.square(each - alpha)[unsure].mean())
        for each in (solve_edge(picture, drawn, hair=unsure).alpha, feather)
    )
    alone = [
        overlap(guess_subject(photo, none, none, alone=True) > 127, subject_of(name, photo))
        for name, photo, none in (
            (name, photo, np.zeros(photo.shape[:2], bool))
            for name, photo in ((name, photograph(name)) for name in CLEAR)
        )
    ]
    return [
        Figure("separate, leaves, error of alpha over a feather's", ours / plain, "x", 0.5),
        Figure("separate, clear subjects found without a stroke",
               float(sum(each >= 0.85 for each in alone)), "of 8", 6.0, "higher"),
        *(
            Figure(f"separate, photographs: mean overlap after {n} strokes", float(means[n]), "IoU",
                   floor, "higher")
            for n, floor in ((1, 0.82), (2, 0.92), (4, 0.95))
        ),
        Figure("separate, photographs: the worst of a stroke", worst, "IoU", -0.05, "higher"),
        Figure("separate, photographs: a stroke", float(np.mean(seconds)), "CPU s", 0.5),
    ]  # fmt: skip


def _depth(picture: np.ndarray) -> list[Figure]:
    """Return what a dozen painted depths take to be seen after a stroke, and in the end."""
    height, width = picture.shape[:2]
    strokes = tuple(
        DepthStroke(
            points=((x * width, y * height), (x * width + 200, y * height)), width=60, value=y
        )
        for x in (0.1, 0.4, 0.6, 0.85)
        for y in (0.1, 0.5, 0.9)
    )
    steps, seen = [FromStrokes(strokes=strokes)], Seen(picture=picture)
    nearness_of(steps, seen.smaller(256))
    _, shown = timed(lambda: nearness_of(steps, seen.smaller(1024)))
    _, final = timed(lambda: nearness_of(steps, seen))
    return [
        Figure("depth from 12 strokes, as it is shown", shown, "CPU s", 0.5),
        Figure("depth from 12 strokes at 12 MP", final, "CPU s", 3.0),
    ]


def _edge_quality() -> list[Figure]:
    figures = []
    for ground in ("gravel", "brick", "coffee", "astronaut", "rocket"):
        picture, alpha, own = _scene(SMALL, ground)
        drawn = cv2.morphologyEx(
            ((alpha > 0.5) * 255).astype(np.uint8), cv2.MORPH_OPEN, np.ones((9, 9))
        )
        band = cv2.dilate(drawn, np.ones((61, 61))) != cv2.erode(drawn, np.ones((61, 61)))
        feather = cv2.GaussianBlur(drawn.astype(np.float32) / 255, (0, 0), 2)
        matte = solve_edge(picture, drawn, radius=30)
        ours, plain = (np.mean((a - alpha)[band] ** 2) for a in (matte.alpha, feather))
        looks = [
            _off_on_new_grounds(a, colours, alpha, own, band)
            for a, colours in ((matte.alpha, matte.foreground), (feather, picture))
        ]
        name = f"separate, edge on {ground}, over a feather's:"
        figures += [
            Figure(f"{name} error of alpha", float(ours / plain), "x", 1 / 3),
            Figure(f"{name} difference of colour", looks[0] / looks[1], "x", 0.6),
        ]
    return figures


def _off_on_new_grounds(
    alpha: np.ndarray, colours: np.ndarray, true: np.ndarray, own: np.ndarray, band: np.ndarray
) -> float:
    """Return the mean CIE 1976 difference from the true composite on black, white and green."""
    found = []
    for ground in ((0, 0, 0), (255, 255, 255), (0, 160, 60)):
        pair = [
            rgb2lab((c[band] * a[band, None] + np.float32(ground) * (1 - a[band, None])) / 255)
            for a, c in ((alpha, colours.astype(np.float32)), (true, own))
        ]
        found.append(np.linalg.norm(pair[0] - pair[1], axis=-1).mean())
    return float(np.mean(found))


def _fill_quality() -> list[Figure]:
    figures = []
    for name in ("grass", "gravel", "brick"):
        grey = cv2.resize(getattr(skimage.data, name)(), (1000, 1000))
        picture = np.dstack([grey] * 3)
        hole = np.zeros(grey.shape, np.uint8)
        cv2.circle(hole, (500, 500), 218, 1, -1)
        filled, seconds = timed(lambda p=picture, h=hole: fill_by_texture(p, h > 0))
        ratio, distance = _likeness(filled, hole)
        # The better of OpenCV's two, by the same measure.
        plain = [
            _likeness(cv2.inpaint(picture, hole, 3, method), hole)
            for method in (cv2.INPAINT_TELEA, cv2.INPAINT_NS)
        ]
        fill = f"separate, fill of {name}, 1 MP:"
        figures += [
            Figure(fill, seconds, "CPU s", 4.0),
            # How far from the surroundings' energy, either way: 0.75 and 1 / 0.75 are alike.
            Figure(f"{fill} gradient energy off by", max(ratio, 1 / ratio), "x", 1.34),
            Figure(f"{fill} structure over OpenCV's best", ratio / max(p[0] for p in plain), "x"),
            Figure(f"{fill} texture distance", distance, "", 0.2),
            Figure(f"{fill} that over OpenCV's best", distance / min(p[1] for p in plain), "x"),
            Figure(f"{fill} step at the rim", _rim_step(filled, hole), "x", 1.3),
        ]
    return figures


def _rim_step(picture: np.ndarray, hole: np.ndarray) -> float:
    """Return the mean step between neighbours across the hole's rim over that just outside."""
    light = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    step = np.abs(np.diff(light, axis=1))
    away = cv2.distanceTransform(1 - hole, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    across = hole[:, 1:] != hole[:, :-1]
    beside = (away[:, 1:] > 3) & (away[:, :-1] > 3) & (away[:, 1:] < 15)
    return float(step[across].mean() / step[beside].mean())


def _likeness(picture: np.ndarray, hole: np.ndarray) -> tuple[float, float]:
    light = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    slope = np.hypot(
        cv2.Sobel(light, cv2.CV_32F, 1, 0, ksize=1), cv2.Sobel(light, cv2.CV_32F, 0, 1, ksize=1)
    )
    inside = cv2.erode(hole, np.ones((5, 5))) > 0
    near, far = cv2.dilate(hole, np.ones((5, 5))) > 0, cv2.dilate(hole, np.ones((101, 101))) > 0
    around = far & ~near
    ratio = float((slope[inside] ** 2).mean() / (slope[around] ** 2).mean())
    return ratio, float(wasserstein_distance(np.log1p(slope[inside]), np.log1p(slope[around])))


def _scene(
    size: tuple[int, int], ground: str = "gravel"
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return a textured figure with hairs before a picture, its exact alpha, its own colours."""
    width, height = size
    photo = getattr(skimage.data, ground)()
    back = cv2.resize(photo, size, interpolation=cv2.INTER_CUBIC).astype(np.float32)
    if back.ndim == 2:
        back = np.dstack([back * 0.5, back * 0.8, back * 0.6])
        back = cv2.GaussianBlur(back, (0, 0), width / 400)
    rng = np.random.default_rng(5)
    alpha = np.zeros((height, width), np.float32)
    centre, axes = (width // 2, height // 2), (width // 7, height // 3)
    cv2.ellipse(alpha, centre, axes, 0, 0, 360, 1, -1)
    for angle in rng.uniform(0, 2 * np.pi, 500):
        tips = [
            (
                int(centre[0] + axes[0] * f * np.cos(angle)),
                int(centre[1] + axes[1] * f * np.sin(angle)),
            )
            for f in (0.95, rng.uniform(1.02, 1.1))
        ]
        cv2.line(alpha, *tips, 1, max(1, width // 1000))
    alpha = cv2.GaussianBlur(alpha, (0, 0), max(1.0, width / 1200))
    grain = cv2.GaussianBlur(rng.normal(0, 60, (height, width)).astype(np.float32), (0, 0), 2)
    own = np.float32((180, 60, 40)) + grain[..., None]
    mixed = own * alpha[..., None] + back * (1 - alpha[..., None])
    return np.clip(np.rint(mixed), 0, 255).astype(np.uint8), alpha, np.clip(own, 0, 255)


def _strokes(size: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    along = np.array([(0.5, 0.3), (0.5, 0.7)]) * size
    beside = np.array([(0.08, 0.08), (0.92, 0.08), (0.92, 0.92), (0.08, 0.92), (0.08, 0.08)]) * size
    this = stroke_mask(along, size[0] / 30, size) > 127
    return this, stroke_mask(beside, size[0] / 30, size) > 127
