"""How far away a picture's pixels are: against scenes with known depth, OpenCV, and SciPy."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest
import skimage.data
from scipy.stats import spearmanr

from tests.conftest import make_shot
from vistaline.core.depth.cleaning import cleaned
from vistaline.core.depth.sources import (
    DepthStroke,
    FromGround,
    FromMap,
    FromPlanes,
    FromStrokes,
    fitted_map,
)
from vistaline.core.depth.step import Seen
from vistaline.core.depth.steps import Depth, distance_at, nearness_at, nearness_of
from vistaline.core.depth.working import Area, Brush, Curve, Holes, Limits, Smooth, Touch
from vistaline.core.errors import DepthError, EditError
from vistaline.core.picture.strokes import Stroke
from vistaline.core.sheet.edits import apply
from vistaline.core.sheet.sheet import Sheet, parse_sheet
from vistaline.core.stage.flats import flats_of

WIDTH, HEIGHT = 480, 320
TOP = 0.45 * HEIGHT


def constructed(seed: int) -> tuple[Seen, np.ndarray, tuple[DepthStroke, ...]]:
    """Seven things on a floor that is a ramp, before a wall; and a stroke for each of them."""
    rng = np.random.default_rng(seed)
    rows = np.arange(HEIGHT)[:, None] + 0.5
    floor = np.where(rows < TOP, 0.1, 0.1 + (rows - TOP) / (HEIGHT - TOP) * 0.85)
    depth = np.repeat(floor, WIDTH, axis=1).astype(np.float32)
    wall, ground = np.array([150, 140, 120]), np.array([95, 80, 60])
    colour = np.where((rows < TOP)[..., None], wall, ground) * np.ones((1, WIDTH, 1))
    ramps = [[(x, TOP + 2), (x, HEIGHT - 2)] for x in (4, WIDTH - 4)]
    strokes = [DepthStroke(points=((8, 12), (WIDTH - 8, 16)), width=8, value=0.1)]
    strokes += [DepthStroke(points=tuple(p), width=8, value=0.1, to=0.95) for p in ramps]
    masks = {}
    for n, place in enumerate(rng.permutation(7)):
        value = float(rng.uniform(0.15, 1))
        x, y = WIDTH * (0.5 + place) / 7, HEIGHT * rng.uniform(0.3, 0.7)
        a, b = rng.uniform(0.06, 0.085) * WIDTH, rng.uniform(0.14, 0.26) * HEIGHT
        mask = np.zeros((HEIGHT, WIDTH), np.uint8)
        if n % 2:
            turn = float(rng.uniform(-20, 20))
            cv2.ellipse(mask, (int(x), int(y)), (int(a), int(b)), turn, 0, 360, 255, -1)
        else:
            cv2.rectangle(mask, (int(x - a), int(y - b)), (int(x + a), int(y + b)), 255, -1)
        colour = np.where(mask[..., None] > 0, rng.uniform(20, 235, 3), colour)
        depth = np.where(mask > 0, value, depth).astype(np.float32)
        masks[f"c{n}"] = mask
        along = ((x, y - b * 0.4), (x, y + b * 0.4))
        strokes.append(DepthStroke(points=along, width=8, value=value))
    noise = rng.normal(0, 1, colour.shape).astype(np.float32)
    grain = cv2.GaussianBlur(noise, (0, 0), 1.2) * 30
    picture = np.clip(colour + grain, 0, 255).astype(np.uint8)
    return Seen(picture=picture, cutouts=masks), depth, tuple(strokes)


def test_a_few_strokes_tell_a_constructed_scene() -> None:
    """Targets: .07 of the range with strokes, .065 with cutouts, 0.55 of what no edges give."""
    errors = []
    for seed in range(1, 5):
        seen, depth, strokes = constructed(seed)
        plain = Seen(picture=seen.picture)
        blind = Seen(picture=np.full_like(seen.picture, 128))
        step = FromStrokes(strokes=strokes)
        found = [nearness_of([step], each) for each in (plain, seen, blind)]
        errors.append([float(np.abs(each - depth).mean()) for each in found])
    strokes_alone, with_cutouts, without_edges = np.mean(errors, axis=0)
    assert strokes_alone <= 0.07
    assert with_cutouts <= 0.065
    assert strokes_alone <= 0.55 * without_edges


def test_strokes_are_kept_where_they_lie_at_any_size() -> None:
    seen, _, strokes = constructed(1)
    found = nearness_of([FromStrokes(strokes=strokes)], seen)
    small = nearness_of([FromStrokes(strokes=strokes)], seen.smaller(240))
    for stroke in strokes[3:]:
        x, y = np.mean(stroke.points, axis=0)
        assert found[int(y), int(x)] == pytest.approx(stroke.value, abs=0.03)
        assert small[int(y / 2), int(x / 2)] == pytest.approx(stroke.value, abs=0.06)


def test_a_photograph_with_known_depth_is_put_in_order() -> None:
    """scikit-image's motorcycle, whose disparity was measured: rank correlation with it.

    The ground alone reached .67 in a measurement before; a dozen depths, read from the measured
    ones at places on a grid, must say more than the ground does.
    """
    left, _, disparity = skimage.data.stereo_motorcycle()
    known = np.isfinite(disparity) & (disparity > 0)
    seen, height = Seen(picture=np.ascontiguousarray(left[..., :3])), left.shape[0]

    def rank(found: np.ndarray) -> float:
        return float(spearmanr(found[known], disparity[known]).statistic)

    ground = rank(nearness_of([FromGround(horizon=0.0, foot=float(height))], seen))
    assert ground >= 0.6
    low, high = np.percentile(disparity[known], [1, 99])
    strokes = []
    for x in (90, 240, 400, 560, 690):
        for y in (60, 180, 300, 440):
            if known[y, x]:
                value = float(np.clip((disparity[y, x] - low) / (high - low), 0, 1))
                strokes.append(DepthStroke(points=((x, y), (x + 8, y)), width=8, value=value))
    assert rank(nearness_of([FromStrokes(strokes=tuple(strokes))], seen)) >= ground + 0.1


def test_metres_are_those_of_opencv() -> None:
    """Nearness is even in 1/z as disparity is: ``cv2.reprojectImageTo3D`` says the same z."""
    near, far, focal, base = 1.5, 20.0, 900.0, 0.12
    nearness = np.linspace(0, 1, 64, dtype=np.float32).reshape(8, 8)
    disparity = focal * base * (1 / far + nearness * (1 / near - 1 / far))
    into = np.array([[1, 0, 0, -4], [0, 1, 0, -4], [0, 0, 0, focal], [0, 0, 1 / base, 0]])
    z = cv2.reprojectImageTo3D(disparity.astype(np.float32), into)[..., 2]
    np.testing.assert_allclose(distance_at(nearness, near, far), z, rtol=1e-5)
    assert nearness_at(float(distance_at(0.3, near, far)), near, far) == pytest.approx(0.3)


def test_a_floor_of_a_shot_is_as_far_as_opencv_says() -> None:
    """1/z of a tilted card over the picture, against ``cv2.projectPoints`` of points on it."""
    layer = {"name": "floor", "picture": "a", "distance": 3.0, "tilt": -70.0, "up": -0.4}
    shot = make_shot({"a": (1600, 900)}, layers=[layer])
    (flat,) = flats_of(shot, (0.0, 0.0, 1600.0, 900.0), (1600, 900))
    focal = 1600 * shot.taking_camera.focal_length / 36
    matrix = np.array([[focal, 0, 800], [0, focal, 450], [0, 0, 1]])
    turn, _ = cv2.Rodrigues(np.radians([-70.0, 0, 0]))
    on_card = np.array([[x, y, 0.0] for x in (-0.5, 0.0, 0.4) for y in (-0.3, 0.0, 0.2)])
    world = on_card @ turn.T + [0, -0.4, -3.0]
    seen = world * [1, -1, -1]  # OpenCV looks along +z with y down
    pixels, _ = cv2.projectPoints(seen, np.zeros(3), np.zeros(3), matrix, None)
    told = np.column_stack([pixels[:, 0], np.ones(len(pixels))]) @ flat.slope
    np.testing.assert_allclose(told, 1 / seen[:, 2], rtol=1e-6)


def test_what_is_half_behind_the_taking_camera_is_seen_as_far_as_it_is_before_it() -> None:
    """A floor under the camera: its outline lies within half a picture beside it, and is even."""
    layer = {"name": "floor", "picture": "a", "distance": 0.5, "tilt": -89.0, "up": -0.3}
    shot = make_shot({"a": (1600, 900)}, layers=[layer | {"scale": 8.0}])
    (flat,) = flats_of(shot, (0.0, 0.0, 1600.0, 900.0), (1600, 900))
    assert len(flat.outline) >= 3
    assert (flat.outline >= [-800.01, -450.01]).all() and (flat.outline <= [2400.01, 1350.01]).all()
    near = np.column_stack([flat.outline, np.ones(len(flat.outline))]) @ flat.slope
    assert (near > 0).all()
    # A part of the frame that looks up sees nothing of it.
    assert flat.outline[:, 1].min() > 400


def test_a_shot_tells_a_picture_of_another_size_the_same() -> None:
    layers = [{"name": "a", "picture": "a", "distance": 4.0, "pan": 30.0}]
    shot = make_shot({"a": (1600, 900)}, layers=layers)
    box = (0.0, 0.0, 1600.0, 900.0)
    whole, half = (flats_of(shot, box, size)[0] for size in ((1600, 900), (800, 450)))
    np.testing.assert_allclose(half.outline * 2, whole.outline, rtol=1e-9)
    for x, y in ((100, 200), (800, 450), (1500, 700)):
        here = half.slope @ [x / 2, y / 2, 1]
        assert here == pytest.approx(whole.slope @ [x, y, 1], rel=1e-9)


def test_what_stands_is_as_near_as_its_foot() -> None:
    mask = np.zeros((100, 60), np.uint8)
    mask[20:70, 20:30] = 255
    seen = Seen(picture=np.zeros((100, 60, 3), np.uint8), cutouts={"c1": mask})
    found = nearness_of([FromGround(horizon=20.0, foot=100.0)], seen)
    assert found[25, 25] == found[69, 25] == pytest.approx(found[69, 5], abs=1e-6)
    assert found[25, 5] < 0.1
    planes = [{"slope": (0, 0.01, 0)}, {"cutout": "c1", "slope": (0, 0, 0.9)}]
    told = nearness_of([FromPlanes(planes=planes)], seen)
    assert told[40, 25] == pytest.approx(0.9) and told[40, 5] == pytest.approx(0.405)


def test_a_rough_map_gets_the_edges_of_its_picture() -> None:
    """Too fat by 4 px, soft over 3 px and noisy by 1 %: a third fewer bad pixels at edges."""
    seen, depth, _ = constructed(2)
    rng = np.random.default_rng(3)
    rough = cv2.GaussianBlur(cv2.dilate(depth, np.ones((9, 9), np.uint8)), (0, 0), 3.0)
    rough += rng.normal(0, 0.01, rough.shape).astype(np.float32)
    steps = cv2.morphologyEx(depth, cv2.MORPH_GRADIENT, np.ones((15, 15), np.uint8)) > 0.1

    def bad(found: np.ndarray) -> float:
        return float((np.abs(found - depth)[steps] > 0.06).mean())

    assert bad(cleaned(rough, seen.picture, 7)) <= 0.67 * bad(rough)


def test_maps_that_do_not_fit_are_refused_in_words() -> None:
    ramp = np.tile(np.linspace(0, 255, 160).astype(np.uint8), (90, 1))
    grey = np.dstack([ramp] * 3)
    fitted = fitted_map(grey, (180, 320), "ramp.png")
    assert fitted.shape == (180, 320) and fitted[0, -1] == 1
    np.testing.assert_allclose(fitted_map(grey, (180, 320), "", nearer="black"), 1 - fitted)
    deep = (grey.astype(np.uint16) * 257)[:, ::-1]
    np.testing.assert_allclose(fitted_map(deep, (90, 160), ""), grey[:, ::-1, 0] / 255, atol=1e-6)
    for codes, words in (
        (grey, r"160 x 90 pixels and the picture is of another shape, 100 x 100"),
        (np.dstack([ramp, ramp[:, ::-1], ramp])[:90, :90], "is in colours"),
        (np.full((50, 50, 3), 90, np.uint8), "is the same everywhere"),
    ):
        with pytest.raises(DepthError, match=words):
            fitted_map(codes, (100, 100), "map.png")


def test_nothing_painted_is_told() -> None:
    seen = Seen(picture=np.zeros((20, 30, 3), np.uint8))
    with pytest.raises(DepthError, match="Nothing says yet"):
        nearness_of([Smooth()], seen)
    with pytest.raises(DepthError, match="beside the picture"):
        nearness_of([FromStrokes(strokes=(DepthStroke(points=((-500, -500),)),))], seen)


def test_steps_that_work_on_a_map() -> None:
    seen = Seen(picture=np.zeros((80, 120, 3), np.uint8))
    flat = np.full((80, 120), 0.5, np.float32)
    area = Area(points=[{"at": (20, 20)}, {"at": (60, 60)}], ellipse=True, amount=0.2, softness=0)
    raised = area.done(flat, seen)
    assert raised[40, 40] == pytest.approx(0.7) and raised[22, 22] == raised[5, 5] == 0.5
    # Area of an ellipse: pi a b.
    assert float((raised - flat).sum()) / 0.2 == pytest.approx(np.pi * 400, rel=0.005)
    touch = Touch(points=((60, 40),), width=20, does="paint", value=0.9)
    painted = Brush(touches=(touch,)).done(flat, seen)
    assert painted[40, 60] == pytest.approx(0.9)
    hole = Holes(strokes=(Stroke(points=((60, 40),), width=24),))
    np.testing.assert_allclose(hole.done(painted, seen), 0.5, atol=1e-5)
    ramp = np.tile(np.linspace(0, 1, 120, dtype=np.float32), (80, 1))
    assert Limits(far=0.25, near=0.75).done(ramp, seen)[0, 60] == pytest.approx(0.504, abs=0.01)
    assert Curve(points=((0, 0), (0.5, 0.8), (1, 1))).done(ramp, seen)[0, 60] > 0.75
    np.testing.assert_allclose(Smooth(radius=9).done(flat, seen), flat, atol=1e-6)


def test_depth_stays_on_what_it_was_painted_on() -> None:
    """A crop before it moves strokes, planes and areas: the depth of the rest is as it was."""
    stroke = {"points": [[300, 200]], "width": 30}
    sheet = Sheet(size=(400, 300))
    for verb, values in (
        ("add_depth_step", {"kind": "ground"}),
        ("brush_depth", {"stroke": stroke, "does": "paint", "value": 0.9}),
        ("draw_depth_area", {"points": [{"at": (50, 50)}, {"at": (200, 60)}, {"at": (90, 200)}]}),
    ):
        sheet = apply(sheet, verb, values)
    before = nearness_of(sheet.depth.steps, Seen(picture=np.zeros((300, 400, 3), np.uint8)))
    cropped = apply(apply(sheet, "add_step", {"kind": "crop"}), "set_step", {
        "index": 0, "values": {"box": (0.1, 0.2, 0.8, 0.7)}})  # fmt: skip
    width, height = cropped.prepared_size
    after = nearness_of(cropped.depth.steps, Seen(picture=np.zeros((height, width, 3), np.uint8)))
    kept = before[60 : 60 + height, 40 : 40 + width]
    inner = np.s_[12:-12, 12:-12]  # beyond the crop there is nothing a blur could take in
    np.testing.assert_allclose(after[inner], kept[inner], atol=0.01)


def test_edits_of_depth_are_kept_and_refused() -> None:
    sheet = Sheet(size=(400, 300))
    stroke = {"points": [[30, 40], [60, 40]], "width": 12}
    with pytest.raises(EditError, match="no depth yet"):
        apply(sheet, "slice_by_depth", {"map": "own"})
    sheet = apply(sheet, "add_depth_step", {"kind": "smooth"})
    sheet = apply(sheet, "paint_depth", {"stroke": stroke, "value": "0.8"})
    sheet = apply(sheet, "paint_depth", {"stroke": stroke, "value": "0.1", "to": "0.6"})
    # What makes a map goes before what works on it; strokes are one step.
    assert [step.kind for step in sheet.depth.steps] == ["strokes", "smooth"]
    assert parse_sheet(sheet.model_dump(mode="json")) == sheet
    sliced = apply(sheet, "slice_by_depth", {"map": "own", "count": "3"})
    assert len(sliced.cutset.cutouts) == 2
    refusals: list[tuple[str, dict[str, Any], str]] = [
        ("clear_depth", {}, "Slices are cut by this depth"),
        ("set_depth_range", {"near": 5, "far": 5}, "must be nearer than far"),
        ("set_depth_step", {"index": 0, "values": {"strokes": [{"points": []}]}}, "at least 1"),
        ("set_depth_step", {"index": 7, "values": {}}, "no such step"),
        ("draw_depth_area", {"points": [{"at": [1, 1]}]}, "three points"),
        ("add_depth_step", {"kind": "wish"}, "no step called"),
        ("paint_depth", {"stroke": stroke, "value": 1.5}, "at most 1"),
    ]
    for verb, values, words in refusals:
        with pytest.raises(EditError, match=words):
            apply(sliced, verb, values)
    assert Depth().says is False


def test_a_map_in_metres_becomes_one_that_is_even_in_their_inverse() -> None:
    """2 to 10 m, in grey that is even in metres: back through ``distance_at`` the same metres."""
    metres = np.linspace(2, 10, 300)[None].repeat(200, 0)
    codes = np.rint((metres - 2) / 8 * 65535).astype(np.uint16)
    seen = Seen(picture=np.zeros((200, 300, 3), np.uint8), maps={"m": np.dstack([codes] * 3)})
    step = FromMap(file="m", near="black", even="metres", times=5)
    np.testing.assert_allclose(distance_at(nearness_of([step], seen), 2, 10), metres, rtol=1e-3)


def test_painted_depths_end_where_a_cutout_does() -> None:
    """A disc before a wall, of one colour both: without its cutout nothing tells where it ends."""
    y, x = np.mgrid[:600, :900]
    disc = (x - 450) ** 2 + (y - 300) ** 2 < 150**2
    seen = Seen(
        picture=np.full((600, 900, 3), 120, np.uint8),
        cutouts={"c1": np.where(disc, 255, 0).astype(np.uint8)},
    )
    strokes = tuple(
        DepthStroke(points=points, width=20, value=value)
        for points, value in ((((450, 250), (450, 350)), 0.8), (((60, 60), (840, 60)), 0.2))
    )
    told = nearness_of([FromStrokes(strokes=strokes)], seen)
    assert np.abs(told - np.where(disc, 0.8, 0.2)).max() < 0.07
    blind = nearness_of([FromStrokes(strokes=strokes, by_cutouts=False)], seen)
    assert np.abs(blind - np.where(disc, 0.8, 0.2)).max() > 0.2
