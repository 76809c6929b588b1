"""Frames, crops, occluders, mattes and shadows against Pillow, skia and closed forms."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path

import cv2
import numpy as np
import pytest
import skia
from PIL import Image, ImageDraw, ImageOps
from scipy.special import ndtr

from tests.conftest import make_shot, pyramid_of, textured
from tests.core.test_render import flat, opaque, psnr
from vistaline.core import edits
from vistaline.core.errors import EditError
from vistaline.core.looks.frame_styles import Crop, FrameStyle, draw_framed, rounded, window_of
from vistaline.core.looks.occluders import Occluder, draw_occluder
from vistaline.core.picture.colour import codes_from_linear, encode_srgb, hex_to_linear
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate


def do(shot: Shot, verb: str, **values: object) -> Shot:
    return edits.apply(shot, verb, values)


# --- frames and crops -------------------------------------------------------------------------


@pytest.mark.parametrize("centring", [(0.5, 0.5), (0.0, 1.0), (0.3, 0.8)])
@pytest.mark.parametrize("size", [(1200, 1200), (1600, 500)])
def test_a_picture_fills_its_window_as_pillow_fits_it(
    rng: np.random.Generator, size: tuple[int, int], centring: tuple[float, float]
) -> None:
    """ImageOps.fit, at the pixels the window asks for; within 2 codes."""
    codes = cv2.GaussianBlur(textured(rng, 1600, 1200), (0, 0), 3)
    crop = Crop(x=centring[0], y=centring[1])
    ours = draw_framed(opaque(codes), None, crop, size[0] / size[1])
    assert ours.shape[1::-1] == window_of((1600, 1200), size[0] / size[1])
    theirs = ImageOps.fit(Image.fromarray(codes), ours.shape[1::-1], centering=centring)
    assert np.abs(codes_from_linear(ours).astype(int) - np.asarray(theirs)).max() <= 2


def test_a_picture_shown_whole_leaves_the_rest_to_the_mat(rng: np.random.Generator) -> None:
    """ImageOps.pad with the mat's colour."""
    codes = cv2.GaussianBlur(textured(rng, 1600, 1200), (0, 0), 3)
    style = FrameStyle(border=0.1, mat=0.05, mat_colour="#204060")
    ours = codes_from_linear(draw_framed(opaque(codes), style, Crop(fit="fit"), 2.0))
    width, height = window_of((1600, 1200), 2.0)
    margin = (ours.shape[0] - height) // 2
    theirs = ImageOps.pad(Image.fromarray(codes), (width, height), color="#204060")
    inside = ours[margin:-margin, margin:-margin]
    edge = abs(np.arange(width) - width / 2 + 0.5) - height * 4 / 3 / 2
    sure = np.broadcast_to(abs(edge) > 2, (height, width))
    assert psnr(inside, np.asarray(theirs), sure) >= 40


def test_a_border_is_as_wide_as_it_says() -> None:
    """A 500 x 600 picture with a 55 px border (common practice, no source): 11 % of 500."""
    picture = flat((0.2, 0.1, 0.4), 1, (1000, 1200))
    style = FrameStyle(border=0.11, colour="#ffffff")
    framed = draw_framed(picture, style, None, None)
    theirs = ImageOps.expand(Image.fromarray(codes_from_linear(picture)), 110, "#ffffff")
    assert np.abs(codes_from_linear(framed).astype(int) - np.asarray(theirs)).max() <= 1


@pytest.mark.parametrize("radius", [12.5, 60])
def test_corners_cover_their_area(radius: float) -> None:
    """Pillow's rounded rectangle at sixteen times the size, averaged."""
    fine = Image.new("L", (300 * 16, 200 * 16))
    ImageDraw.Draw(fine).rounded_rectangle((0, 0, 4799, 3199), radius * 16, fill=255)
    theirs = np.asarray(fine.reduce(16)) / 255
    assert np.abs(rounded(300, 200, radius) - theirs).max() < 0.07


def test_a_frame_stands_round_a_picture_that_stays_where_it_is() -> None:
    shot = make_shot({"back": (1600, 900), "front": (1600, 900)})
    before = card_of(shot, shot.layer("front"))
    framed = do(shot, "keep_frame_style", name="White", layers=["front"])
    framed = do(framed, "set_frame_style", name="White", border=10, mat=5)
    after = card_of(framed, framed.layer("front"))
    np.testing.assert_allclose(after.world_from_card, before.world_from_card)
    assert after.width - before.width == pytest.approx(2 * 0.15 * before.height, rel=1e-3)
    assert after.height - before.height == pytest.approx(2 * 0.15 * before.height, rel=1e-3)
    bare = do(framed, "remove_frame_style", name="White")
    assert bare.layer("front").frame_style == "" and not bare.frame_styles


@pytest.mark.parametrize(
    ("verb", "values", "sentence"),
    [
        ("keep_frame_style", {"name": " "}, "needs a name"),
        ("frame_layers", {"layers": ["front"], "style": "Gold"}, "no frame style 'Gold'"),
        ("set_frame_style", {"name": "Gold", "border": 5}, "no frame style 'Gold'"),
        ("set_matte", {"layer": "front", "of": "front"}, "its own matte"),
        ("set_matte", {"layer": "front", "keep": "outside"}, "Choose the layer"),
        ("set_occluder", {"layer": "front", "kind": "edge"}, "not an occluder"),
        ("set_crop", {"layer": "front", "height": 2}, "Make it a card first"),
    ],
)
def test_looks_that_make_no_sense_are_refused(
    shot: Shot, verb: str, values: dict[str, object], sentence: str
) -> None:
    with pytest.raises(EditError, match=sentence):
        edits.apply(shot, verb, values)


@pytest.mark.parametrize("side", ["left", "right", "top", "bottom"])
def test_a_wall_edge_is_dark_on_its_side(side: str) -> None:
    drawn = draw_occluder(Occluder(kind="edge", side=side, softness=0.2), side=200)[..., 3]
    rows, columns = drawn.mean(axis=1), drawn.mean(axis=0)
    along = rows if side in ("top", "bottom") else columns
    dark = along[0] if side in ("left", "top") else along[-1]
    light = along[-1] if side in ("left", "top") else along[0]
    assert dark == 65535 and light < 3000


def test_a_window_is_open_and_a_shape_keeps_off_its_cards_edge() -> None:
    window = draw_occluder(Occluder(kind="window", bars=1, opening=(0.5, 0.5)), side=400)[..., 3]
    height, width = window.shape
    assert window[height // 4 + 30, width // 4 + 40] == 0 and window[5, 5] == 65535
    assert window[height // 2, width // 2] > 0  # where the bars cross
    for seed in range(5):
        shape = draw_occluder(Occluder(seed=seed), side=300)[..., 3]
        rim = np.concatenate([shape[0], shape[-1], shape[:, 0], shape[:, -1]])
        assert shape[shape.shape[0] // 2, 150] == 65535 and rim.max() < 2000
    one, other = (draw_occluder(Occluder(seed=seed), side=100) for seed in (1, 2))
    assert not np.array_equal(one, other)


# --- mattes -----------------------------------------------------------------------------------


@pytest.fixture
def layered(rng: np.random.Generator) -> tuple[Shot, dict]:
    """A card seen through another, which is a soft disc and hidden, before a third."""
    sizes = {"back": (640, 360), "front": (640, 360), "disc": (640, 360)}
    shot = make_shot(sizes, frame={"width": 640, "height": 360, "duration": 24})
    shot = do(shot, "set_hidden", layer="disc", hidden=True)
    shot = do(shot, "turn_layer", layer="disc", pan=25)
    y, x = np.mgrid[:360, :640]
    alpha = np.clip(1.5 - np.hypot(x - 300, y - 170) / 120, 0, 1)
    colour = textured(rng, 640, 360)
    disc = (opaque(colour) * alpha[..., None]).round().astype(np.uint16)
    pyramids = {
        "back": pyramid_of(opaque(textured(rng, 640, 360))),
        "front": pyramid_of(opaque(textured(rng, 640, 360))),
        "disc": pyramid_of(disc),
    }
    return shot, pyramids


@pytest.mark.parametrize("by", ["alpha", "lightness"])
@pytest.mark.parametrize("keep", ["inside", "outside"])
def test_a_matte_keeps_what_the_w3c_would(layered: tuple[Shot, dict], keep: str, by: str) -> None:
    """Alone on black the matte's frame gives its share; CSS Masking Level 1 says what is left.

    For lightness skia's own luma filter is asked; both within 2 codes but for rounding.
    """
    shot, pyramids = layered
    masked = do(shot, "set_matte", layer="front", of="disc", keep=keep, by=by)
    ours = Renderer(masked, pyramids).linear(9)[..., :3] / 65535

    def alone(key: str) -> np.ndarray:
        only = shot
        for layer in shot.layers:
            only = do(only, "set_hidden", layer=layer.id, hidden=layer.id != key)
        return Renderer(only, pyramids).linear(9) / 65535

    back, front, disc = alone("back"), alone("front"), alone("disc")
    share = disc[..., 3]
    if by == "lightness":
        straight = disc[..., :3] / np.maximum(share, 1e-6)[..., None]
        codes = np.dstack([encode_srgb(np.clip(straight, 0, 1)), share])
        image = skia.Image.fromarray(
            np.ascontiguousarray((codes * 255).round().astype(np.uint8)),
            colorType=skia.kRGBA_8888_ColorType,
            alphaType=skia.AlphaType.kUnpremul_AlphaType,
        )
        surface = skia.Surface(640, 360)
        paint = skia.Paint(ColorFilter=skia.LumaColorFilter.Make())
        surface.getCanvas().drawImage(image, 0, 0, skia.SamplingOptions(), paint)
        share = surface.makeImageSnapshot().toarray()[..., 3] / 255
    share = (share if keep == "inside" else 1 - share)[..., None] * front[..., 3:]
    expected = front[..., :3] * (share / np.maximum(front[..., 3:], 1e-6)) + back[..., :3] * (
        1 - share
    )
    difference = np.abs(encode_srgb(np.clip(ours, 0, 1)) - encode_srgb(np.clip(expected, 0, 1)))
    assert difference.max() <= (0.002 if by == "alpha" else 0.02)
    assert difference.mean() <= 0.002
    assert np.abs(ours - front[..., :3]).max() > 0.1  # it does something


def test_a_matte_behind_the_camera_keeps_nothing_inside(layered: tuple[Shot, dict]) -> None:
    shot, pyramids = layered
    shot = do(shot, "set_framing", framing=0, forward=2.5)
    inside = do(shot, "set_matte", layer="front", of="disc")
    gone = do(shot, "set_hidden", layer="front", hidden=True)
    assert np.array_equal(Renderer(inside, pyramids).rgb(0), Renderer(gone, pyramids).rgb(0))
    outside = do(inside, "set_matte", layer="front", keep="outside")
    assert np.array_equal(Renderer(outside, pyramids).rgb(0), Renderer(shot, pyramids).rgb(0))
    removed = do(outside, "remove_layer", layer="disc")
    assert removed.layer("front").matte is None


# --- shadows ----------------------------------------------------------------------------------


@pytest.fixture
def hung(tmp_path: Path) -> tuple[Shot, Looks]:
    """A white square, 1 m wide, 0.5 m before a white wall; its shadow falls to the right."""
    shot = make_shot(
        {"wall": (640, 640), "square": (640, 640)},
        frame={"width": 640, "height": 360, "duration": 24},
        taking_camera={"width": 640, "height": 640, "focal_length": 35},
    )
    for key, width, distance in (("wall", 8, 4.0), ("square", 1, 3.5)):
        shot = do(shot, "make_card", layer=key)
        shot = do(shot, "size_card", layer=key, width=width)
        shot = do(shot, "move_in_depth", layer=key, distance=distance, keep="size")
    shot = do(shot, "keep_frame_style", name="Shadow", layers=["square"])
    values = {"angle": 90, "distance": 150, "softness": 60, "strength": 80, "border": 0}
    shot = do(shot, "set_frame_style", name="Shadow", **values)
    white = pyramid_of(flat((1, 1, 1), 1, (640, 640)))
    return shot, Looks(shot, PyramidStore(tmp_path), lambda key: white)


def test_a_shadow_falls_by_the_real_distance(hung: tuple[Shot, Looks]) -> None:
    """Closed form: aside by distance x gap, its edges the normal distribution's integral.

    Gap 0.5 m, so 0.75 m to the right; blurred by softness x gap / 2 = 0.15 m (in eighths of a
    doubling at most).
    """
    shot, looks = hung
    light = Renderer(shot, looks).linear(0)[180, :, 0] / 65535
    camera = evaluate(shot, [0])[0].camera
    across = (np.arange(640) + 0.5 - 320) * 4.0 / camera.focal_px
    expected = 1 - 0.8 * (ndtr((across - 0.25) / 0.15) - ndtr((across - 1.25) / 0.15))
    beside = across > 0.6  # past the square itself
    assert np.abs(light - expected)[beside].max() < 0.03
    assert light[beside].min() == pytest.approx(expected[beside].min(), abs=0.01)


def test_a_shadow_darkens_only_what_is_behind(hung: tuple[Shot, Looks], tmp_path: Path) -> None:
    shot, _looks = hung
    before = do(shot, "move_in_depth", layer="square", distance=4.5, keep="size")
    assert not evaluate(before, [0])[0].casts
    along = do(shot, "turn_layer", layer="wall", pan=90 - np.degrees(np.arctan(1.5)))
    assert all(cast.strength <= 0.8 for cast in evaluate(along, [0])[0].casts)
    (cast,) = evaluate(shot, [0])[0].casts
    wall = evaluate(shot, [0])[0].cards[cast.receiver]
    assert wall.layer.id == "wall"
    corner = cast.shade.world_from_plane @ [0.3, 0.4, 0, 1]
    assert (corner - wall.world_from_card[:, 3]) @ wall.world_from_card[:, 2] == pytest.approx(0)
    off = do(shot, "set_frame_style", name="Shadow", shadow=False)
    assert not evaluate(off, [0])[0].casts


def test_looks_are_made_once_and_named_by_what_they_are_made_from(
    hung: tuple[Shot, Looks], tmp_path: Path
) -> None:
    shot, _ = hung
    read: dict[str, int] = defaultdict(int)
    white = pyramid_of(flat((1, 1, 1), 1, (64, 64)))

    def picture(key: str):
        read[key] += 1
        return white

    framed = do(shot, "set_frame_style", name="Shadow", border=5, colour="#102030")
    looks = Looks(framed, PyramidStore(tmp_path / "other"), picture)
    drawn = looks["~square"]
    np.testing.assert_allclose(
        drawn.levels[0][10, 10, :3] / 65535, hex_to_linear("#102030"), atol=1e-4
    )
    assert looks["~square"] is drawn and read["square"] == 1
    assert set(looks) == {"wall", "~square"}
    with pytest.raises(KeyError):
        looks["~gone"]
