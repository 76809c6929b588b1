"""Layouts: where windows are against CSS's ease and SMPTE's areas, and what is rendered in them."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from scipy.optimize import brentq

from tests.conftest import make_shot, pyramid_of
from tests.core.test_mounts import do
from vistaline.core import edits
from vistaline.core.errors import CoreError
from vistaline.core.looks.frame_styles import READY_STYLES
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.layouts import Layout, LayoutKind
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.laid import accelerated, progress_of

SIZE = (320, 180)
NAMES = ("back", "one", "two", "three", "four")


def pictures(rng: np.random.Generator) -> dict[str, np.ndarray]:
    """Soft pictures, each unlike the others: linear light, opaque."""
    found = {}
    for name in NAMES:
        coarse = rng.uniform(2000, 60000, (9, 16, 3)).astype(np.float32)
        linear = cv2.resize(coarse, (640, 360), interpolation=cv2.INTER_CUBIC)
        alpha = np.full((360, 640, 1), 65535, np.float32)
        found[name] = np.clip(np.dstack([linear, alpha]), 0, 65535).astype(np.uint16)
    return found


@pytest.fixture
def shot() -> Shot:
    """Five layers, a camera that moves, 96 frames."""
    framings = [{"frame": 0}, {"frame": 95, "position": [0.3, 0.1, -0.4], "pan": 6}]
    return make_shot(
        dict.fromkeys(NAMES, (640, 360)),
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 96},
        route={"framings": framings},
    )


def laid(shot: Shot, kind: str, *layers: str, at: int = 0, **values: object) -> Shot:
    shot = edits.apply(shot, "lay_out", {"layers": list(layers), "kind": kind}, at=at)
    return do(shot, "set_layout", layout="l1", **values) if values else shot


def corners(shot: Shot, layer: str, frame: int) -> np.ndarray:
    """Where a layer's corners are in the frame: (4, 2) pixels."""
    state = evaluate(shot, [frame])[0]
    card = state.card_of(layer)
    seen = card.outline @ card.image_from_card(state.camera).T
    return seen[:, :2] / seen[:, 2:]


def rendered(shot: Shot, frame: int, made: dict[str, np.ndarray], tmp_path: Path) -> np.ndarray:
    pyramids = {name: pyramid_of(picture) for name, picture in made.items()}
    looks = Looks(shot, PyramidStore(tmp_path / "looks"), pyramids.__getitem__)
    return Renderer(shot, looks).linear(frame)[..., :3].astype(np.float64) / 65535


@pytest.mark.parametrize("acceleration", [0.0, 0.4, 1.0])
def test_soft_ends_are_a_cubic_bezier_of_css(acceleration: float) -> None:
    """CSS Easing Functions Level 1, section 2.2: x(t) solved for by SciPy, y(t) read there."""
    k = 0.85 * acceleration

    def curve(a: float, b: float, t: float) -> float:
        return 3 * a * t * (1 - t) ** 2 + 3 * b * t**2 * (1 - t) + t**3

    for share in (0.05, 0.25, 0.5, 0.8):
        t = brentq(lambda t, share=share: curve(k, 1 - k, t) - share, 0, 1)
        found = accelerated(np.array([share]), acceleration)[0]
        assert found == pytest.approx(curve(0, 1, t), abs=1e-6)


def test_all_of_it_is_relative_to_its_span() -> None:
    long = Layout(id="l1", name="L", kind=LayoutKind.CORNER, layers=("a",), frames=97, before=0.1)
    short = long.evolve(frames=49)
    np.testing.assert_allclose(
        progress_of(long, np.arange(0, 97, 2)), progress_of(short, np.arange(49)), atol=1e-12
    )
    assert progress_of(short, [0, 24, 48]).tolist() == pytest.approx([0, 1, 0])
    frames = long.evolve(measured="frames", coming=12, going=24, before=0)
    assert progress_of(frames, [12, 11, 72, 73])[[0, 2]].tolist() == [1, 1]
    assert progress_of(frames, [11, 73]).max() < 1
    # Not moving in or out, it is all there from its first to its last frame: it butts.
    butts = long.evolve(comes=False, goes=False)
    assert progress_of(butts, [0, 96]).tolist() == [1, 1]


def test_a_picture_in_a_corner_stays_there_whatever_the_camera_does(shot: Shot) -> None:
    shot = laid(shot, "corner", "one", size=40, across=25, up=-20, turn=0)
    middle = shot.layout("l1").frames // 2
    seen = corners(shot, "one", middle)
    np.testing.assert_allclose(seen.mean(axis=0), [0.75 * 320, 0.7 * 180], atol=1e-6)
    np.testing.assert_allclose(np.ptp(seen, axis=0), [128, 72], atol=1e-6)
    # At the ends it is the frame itself.
    np.testing.assert_allclose(np.ptp(corners(shot, "one", 0), axis=0), SIZE, atol=1e-6)
    turned = do(shot, "set_layout", layout="l1", turn=90)
    np.testing.assert_allclose(np.ptp(corners(turned, "one", middle), axis=0), [72, 128], atol=1e-6)


def test_a_drag_is_drawn_to_safe_areas_and_thirds(shot: Shot) -> None:
    """SMPTE ST 2046-1: title safe is 90 %, action safe 93 % of width and height."""
    shot = laid(shot, "corner", "one", size=30, across=0, up=0)
    for dx, edge in ((0.95 - 0.65, 0.95), (0.965 - 0.65, 0.965)):
        dragged = edits.apply(
            shot, "drag_layer", {"layer": "one", "frame": 40, "dx": dx * 320 + 2, "dy": 0}, at=40
        )
        assert corners(dragged, "one", 45)[:, 0].max() == pytest.approx(edge * 320, abs=1e-6)
    third = do(shot, "drag_layer", layer="one", frame=40, dx=320 / 6 + 3, dy=-180 / 6 - 2)
    middle = corners(third, "one", 45).mean(axis=0)
    np.testing.assert_allclose(middle, [320 * 2 / 3, 180 / 3], atol=1e-6)
    far = do(shot, "drag_layer", layer="one", frame=40, dx=320 / 6 + 14, dy=0)
    assert corners(far, "one", 45)[:, 0].mean() == pytest.approx(320 * 2 / 3 + 14, abs=1e-6)


def test_four_up_are_the_four_pictures(
    shot: Shot, rng: np.random.Generator, tmp_path: Path
) -> None:
    """Each quarter against the picture made as small by OpenCV's mean over areas."""
    made = pictures(rng)
    shot = laid(shot, "four", *NAMES[1:], gap=0, margin=0, stagger=0)
    found = rendered(shot, 40, made, tmp_path)
    for n, name in enumerate(NAMES[1:]):
        small = cv2.resize(made[name][..., :3], (160, 90), interpolation=cv2.INTER_AREA) / 65535
        top, left = 90 * (n // 2), 160 * (n % 2)
        quarter = found[top : top + 90, left : left + 160]
        assert np.abs(quarter - small)[2:-2, 2:-2].max() < 0.01
    # One comes forward, to the full frame and before the others, and is back in its place.
    forward = edits.apply(shot, "bring_forward", {"layer": "two", "seconds": 1.5}, at=20)
    np.testing.assert_allclose(np.ptp(corners(forward, "two", 37), axis=0), SIZE, atol=1e-6)
    state = evaluate(forward, [37])[0]
    assert state.cards[state.order[-1]].layer.id == "two"
    np.testing.assert_allclose(corners(forward, "two", 57), corners(shot, "two", 57), atol=1e-6)


def test_a_picture_shrinks_to_its_crop(
    shot: Shot, rng: np.random.Generator, tmp_path: Path
) -> None:
    """From all of it in the full frame to a part of it at a place, the crop on its way with it."""
    made = pictures(rng)
    shot = do(shot, "make_card", layer="one")
    shot = do(shot, "set_crop", layer="one", x=25, y=80, zoom=200)
    shot = laid(shot, "part", "one", size=50, across=-20, up=0, shape="square", acceleration=50)
    whole = cv2.resize(made["one"][..., :3], SIZE, interpolation=cv2.INTER_AREA) / 65535
    first = rendered(shot, 0, made, tmp_path)
    assert np.abs(first - whole)[2:-2, 2:-2].max() < 0.02
    # In the middle: a square of half the frame's width, twice enlarged: 180 pixels of 640 x 360.
    seen = corners(shot, "one", 48)
    left, top = seen.min(axis=0)
    np.testing.assert_allclose(np.ptp(seen, axis=0), [160, 160], atol=1e-6)
    x, y = (640 - 180) * 0.25, (360 - 180) * 0.8
    part = made["one"][round(y) : round(y) + 180, round(x) : round(x) + 180, :3]
    part = cv2.resize(part, (160, 160), interpolation=cv2.INTER_AREA) / 65535
    inside = rendered(shot, 48, made, tmp_path)
    inside = inside[round(top) : round(top) + 160, round(left) : round(left) + 160]
    assert np.abs(inside - part)[3:-3, 3:-3].max() < 0.03
    areas = [np.prod(np.ptp(corners(shot, "one", frame), axis=0)) for frame in range(0, 25)]
    assert (np.diff(areas) <= 1e-6).all()


def test_frames_fit_into_their_places_and_shadows_fall_outside(
    shot: Shot, rng: np.random.Generator, tmp_path: Path
) -> None:
    made = {name: np.full_like(picture, 65535) for name, picture in pictures(rng).items()}
    style = READY_STYLES["White border"].evolve(border=0.1, colour="#ff0000")
    shot = shot.evolve(frame_styles={"red": style}, background="#ffffff")
    shot = do(shot, "frame_layers", layers=["one"], style="red")
    shot = laid(shot, "corner", "one", size=50, across=0, up=0, lift=20)
    shot = shot.evolve(layers=tuple(x.evolve(hidden=x.id != "one") for x in shot.layers))
    found = rendered(shot, 48, made, tmp_path)
    red = (found[..., 0] > 0.9) & (found[..., 1] < 0.2)
    rows, columns = np.nonzero(red)
    assert np.ptp(columns) + 1 == pytest.approx(160, abs=1.01)
    assert np.ptp(rows) + 1 == pytest.approx(90, abs=1.01)
    grey = found[140:, 200:280].min()
    assert grey < 0.9, "its shadow falls on what is behind, below and to the right"
    assert found[30:40, 60:70].min() > 0.97
    # In the full frame border and shadow lie outside.
    assert rendered(shot, 0, made, tmp_path)[2:-2, 2:-2].min() > 0.99


def test_room_is_freed_for_words(shot: Shot) -> None:
    values = {"layer": "one", "text": "The light\nwas moved", "side": "left", "colour": "#102030"}
    freed = edits.apply(shot, "free_room", values, at=0)
    (layout,) = freed.layouts
    middle = layout.frames // 2
    picture, words = corners(freed, "one", middle), corners(freed, layout.words[0], middle)
    assert picture[:, 0].min() == pytest.approx(0.42 * 320, abs=1e-6)
    assert words[:, 0].min() > 0.03 * 320 and words[:, 0].max() < 0.40 * 320
    ground = corners(freed, layout.ground, middle)
    np.testing.assert_allclose(np.ptp(ground, axis=0), SIZE, atol=1e-6)
    state = evaluate(freed, [middle])[0]
    order = [state.cards[n].layer.id for n in state.order]
    assert order[-3:] == [layout.ground, "one", layout.words[0]]


def test_a_layout_is_seen_in_its_span_alone_and_goes_along_with_the_shot(shot: Shot) -> None:
    shot = laid(shot, "strips", *NAMES[1:4], at=20, starts=20, frames=41)
    for frame, there in ((19, False), (20, True), (60, True), (61, False)):
        state = evaluate(shot, [frame])[0]
        assert ("two" in {state.cards[n].layer.id for n in state.order}) is there
    slower = do(shot, "change_speed", percent=50, whole=True)
    assert (slower.layout("l1").starts, slower.layout("l1").ends) == (40, 121)
    back = do(shot, "reverse_route", whole=True)
    assert (back.layout("l1").starts, back.layout("l1").ends - 1) == (95 - 60, 95 - 20)
    # A line round one of them goes where that goes.
    lined = do(shot, "line_round", layer="two")
    line = next(each.id for each in lined.layers if each.line)
    for frame in (24, 40):
        inner, outer = corners(lined, "two", frame), corners(lined, line, frame)
        np.testing.assert_allclose(outer.mean(axis=0), inner.mean(axis=0), atol=0.05)
        assert (np.ptp(outer, axis=0) > np.ptp(inner, axis=0)).all()
    fewer = do(shot, "remove_layer", layer="two")
    assert fewer.layouts == ()  # two are too few for three strips
    assert parse_shot(json.loads(json.dumps(dump_shot(shot)))) == shot


BAD = [
    ({"coming": 80, "going": 40}, "take 120 % of the span together; there are 100"),
    ({"measured": "frames", "frames": 4, "before": 9}, "layout 'In a corner' take"),
    ({"size": 900}, "size"),
    ({"stagger": 140}, "stagger"),
    ({"starts": 95}, "Let it begin earlier"),
    ({"kind": "strips"}, "this kind takes 3 to 8"),
    ({"coming": -5}, "coming"),
]


@pytest.mark.parametrize(("values", "says"), BAD)
def test_what_makes_no_sense_is_refused(shot: Shot, values: dict, says: str) -> None:
    shot = laid(shot, "corner", "one")
    with pytest.raises(CoreError, match=says):
        do(shot, "set_layout", layout="l1", **values)


def test_what_cannot_be_laid_out_is_said(shot: Shot) -> None:
    shot = laid(shot, "corner", "one")
    for values, says in (
        ({"layers": ["one"], "kind": "part"}, "in In a corner already"),
        ({"layers": ["two"], "kind": "four"}, "this kind takes 2 to 4"),
        ({"layers": list(NAMES), "kind": "four"}, "in In a corner already"),
        ({"layers": ["two", "three"], "kind": "corner"}, "has room for 1"),
        ({"layers": ["gone"], "kind": "corner"}, "no layer 'gone'"),
    ):
        with pytest.raises(CoreError, match=says):
            do(shot, "lay_out", **values)
    with pytest.raises(CoreError, match="must be a card that stays with the lens"):
        do(shot, "set_stays", layer="one", stays="stage")
    with pytest.raises(CoreError, match="follow from gap, margin and room"):
        do(laid(do(shot, "remove_layout", layout="l1"), "strips", *NAMES[1:4]), "drag_layer",
           layer="two", frame=0, dx=5, dy=5)  # fmt: skip
