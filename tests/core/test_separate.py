"""Cutting a drawn figure out of a photograph: masks by steps, layers in register, the plate."""

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
from click.testing import CliRunner
from PIL import Image

from vistaline.cli.commands import commands
from vistaline.core.errors import MaskError
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.core.picture.decode import decode_picture
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.picture.strokes import Stroke
from vistaline.core.render.frame import Renderer
from vistaline.core.separate.cutset import Adjust, Cutout, parse_cutset
from vistaline.core.separate.masks import advance, hole_behind, mask_of, masks_of, stages
from vistaline.core.separate.matte import solve_edge
from vistaline.core.separate.separation import Clone, cloned, cut_layer, fill_hole, separate

WIDTH, HEIGHT = 480, 320
SQUARE = [(100, 80), (200, 80), (200, 180), (100, 180)]


def outline(points: list[tuple[float, float]], effect: str = "add") -> dict:
    return {"kind": "outline", "effect": effect, "points": [{"at": at} for at in points]}


def cutout(*steps: dict, **more: object) -> Cutout:
    return parse_cutset({"cutouts": [{"name": "A", "steps": steps, **more}]}).cutouts[0]


@pytest.fixture(scope="module")
def photo() -> tuple[np.ndarray, np.ndarray]:
    """A red figure with a soft edge before gravel, and its alpha."""
    grey = cv2.resize(skimage.data.gravel(), (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
    alpha = np.zeros((HEIGHT, WIDTH), np.float32)
    cv2.ellipse(alpha, (240, 160), (60, 100), 0, 0, 360, 1, -1)
    alpha = cv2.GaussianBlur(alpha, (0, 0), 1.5)[..., None]
    mixed = np.float32((190, 40, 30)) * alpha + np.dstack([grey] * 3) * (1 - alpha)
    return np.rint(mixed).astype(np.uint8), alpha[..., 0]


def test_steps_add_take_and_keep() -> None:
    blank = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    right = [(150.0, 0.0), (480.0, 0.0), (480.0, 320.0), (150.0, 320.0)]
    square = outline(SQUARE)
    for effect, area in (("add", 100 * 100 + 330 * 320 - 50 * 100), ("take", 50 * 100),
                         ("keep", 50 * 100)):  # fmt: skip
        mask = mask_of(cutout(square, outline(right, effect)), blank)
        assert mask.sum() / 255 == pytest.approx(area)


@pytest.mark.parametrize("grow", [-12, 7.5, 20])
def test_growing_moves_an_edge_by_so_many_pixels(grow: float) -> None:
    """Area of a grown square with rounded corners, of a shrunk one with sharp (closed form)."""
    blank = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    mask = mask_of(cutout(outline(SQUARE), {"kind": "adjust", "grow": grow}), blank)
    side = 100 + 2 * grow
    area = side**2 if grow < 0 else 100**2 + 4 * 100 * grow + np.pi * grow**2
    assert mask.sum() / 255 == pytest.approx(area, rel=0.01)


def test_softening_keeps_the_area_and_inverting_turns_it_over() -> None:
    blank = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    soft = mask_of(cutout(outline(SQUARE), {"kind": "adjust", "soften": 24}), blank)
    assert soft.sum() / 255 == pytest.approx(100 * 100, rel=0.01)
    assert 100 < soft[130, 100] < 155
    turned = mask_of(cutout(outline(SQUARE), Adjust(invert=True).model_dump()), blank)
    assert turned.sum() / 255 == WIDTH * HEIGHT - 100 * 100


def test_a_nearer_cutout_takes_its_pixels_from_those_behind() -> None:
    blank = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    moved = [(x + 50, y) for x, y in SQUARE]
    entries = [{"name": "Near", "steps": [outline(SQUARE)]},
               {"name": "Far", "steps": [outline(moved)]}]  # fmt: skip
    near, far = masks_of(parse_cutset({"cutouts": entries}), blank)
    assert near.sum() / 255 == 100 * 100
    assert far.sum() / 255 == 50 * 100
    entries[0]["takes_away"] = False
    _, whole = masks_of(parse_cutset({"cutouts": entries}), blank)
    assert whole.sum() / 255 == 100 * 100
    hole = hole_behind([near, far])
    assert hole[130, 97] and hole[130, 252] and not hole[130, 80]


def test_layers_over_the_plate_give_the_picture_back(photo) -> None:  # type: ignore[no-untyped-def]
    """I = a F + (1 - a) B: within 2 codes on average in the edge, exactly away from it."""
    picture, alpha = photo
    steps = [{"kind": "likeness", "at": (240, 160), "tolerance": 60}]
    found = separate(picture, parse_cutset({"cutouts": [{"name": "Figure", "steps": steps}]}))
    layer = found.layers[0]
    x, y, width, height = layer.box
    stack = found.plate.astype(np.float32)
    cover = layer.rgba[..., 3:].astype(np.float32) / 255
    part = stack[y : y + height, x : x + width]
    part[:] = layer.rgba[..., :3] * cover + part * (1 - cover)
    deep = cv2.erode((alpha > 0.999).astype(np.uint8), np.ones((25, 25))) > 0
    np.testing.assert_array_equal(np.rint(stack)[deep], picture[deep])
    far = cv2.dilate((alpha > 0.001).astype(np.uint8), np.ones((41, 41))) == 0
    np.testing.assert_array_equal(found.plate[far], picture[far])
    whole = np.zeros_like(alpha)
    whole[y : y + height, x : x + width] = cover[..., 0]
    assert np.mean((whole - alpha)[(alpha > 0.01) & (alpha < 0.99)] ** 2) < 0.02
    # The red has gone from the plate.
    plate = found.plate[alpha > 0.5].astype(int)
    assert (plate[:, 0] - plate[:, 1]).max() < 40


def test_an_empty_mask_and_no_cutout_are_refused(photo) -> None:  # type: ignore[no-untyped-def]
    picture, _ = photo
    off = outline([(-90.0, -90.0), (-50.0, -90.0), (-50.0, -50.0)])
    with pytest.raises(MaskError, match="mask of A is empty"):
        separate(picture, parse_cutset({"cutouts": [{"name": "A", "steps": [off]}]}))
    with pytest.raises(MaskError, match="no cutout yet"):
        separate(picture, parse_cutset({}))


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ({"cutouts": [{"name": "A", "steps": "all"}]}, "steps"),
        ({"cutouts": [{"name": "", "steps": [outline(SQUARE)]}]}, "name"),
        ({"cutouts": [{"name": "A", "steps": [{"kind": "magic"}]}]}, "steps"),
        ({"cutouts": [{"name": "A", "steps": [outline(SQUARE[:2])]}]}, "points"),
        ([], "the document"),
    ],
)
def test_a_document_that_makes_no_sense_is_refused(document: object, words: str) -> None:
    with pytest.raises(MaskError, match=words):
        parse_cutset(document)


def test_from_a_photo_and_a_cut_file_to_a_shot(photo, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """`vistaline separate`: the shot's first frame is the photo, as near as its edges allow."""
    picture, alpha = photo
    Image.fromarray(picture).save(tmp_path / "bay.png")
    steps = [outline([(150.0, 40.0), (330.0, 40.0), (330.0, 280.0), (150.0, 280.0)]),
             {"kind": "likeness", "effect": "keep", "at": (240, 160), "tolerance": 60}]  # fmt: skip
    cuts = {"cutouts": [{"name": "../Old Keeper", "steps": steps}]}
    (tmp_path / "cuts.json").write_text(json.dumps(cuts))
    arguments = ["separate", "bay.png", "cuts.json", "-o", "out", "--fill", "smooth"]
    with pytest.MonkeyPatch.context() as patch:
        patch.chdir(tmp_path)
        answer = CliRunner().invoke(commands, arguments, catch_exceptions=False)
    assert answer.exit_code == 0
    folder = tmp_path / "out"
    names = sorted(path.name for path in folder.iterdir())
    assert names == ["01-old-keeper.png", "plate.png", "shot.json"]
    shot, paths = read_shot_file(folder / "shot.json")
    store = PyramidStore(tmp_path / "pyramids")
    pyramids = {
        key: store.get(key, lambda path=path: decode_picture(path, path.name))
        for key, path in paths.items()
    }
    frame = Renderer(shot, pyramids).rgb(0).astype(int)
    inner = np.s_[4:-4, 4:-4]
    away = cv2.dilate(((alpha > 0.01) & (alpha < 0.99)).astype(np.uint8), np.ones((25, 25))) == 0
    difference = np.abs(frame - picture).mean(axis=2)
    assert difference[inner].mean() < 2
    assert difference[inner][away[inner]].mean() < 1.5


def test_a_cut_file_that_is_not_json_is_refused(tmp_path: Path) -> None:
    Image.new("RGB", (32, 32)).save(tmp_path / "a.png")
    (tmp_path / "cuts.json").write_text("{")
    call = ["separate", str(tmp_path / "a.png"), str(tmp_path / "cuts.json"), "-o", str(tmp_path)]
    result = CliRunner().invoke(commands, call)
    assert isinstance(result.exception, MaskError)
    assert "not JSON" in str(result.exception)
    assert not (tmp_path / "shot.json").exists()


def test_stages_name_equal_beginnings_alike() -> None:
    strokes = [{"points": [[x, 50], [x, 200]], "width": 20} for x in (60, 200, 340)]
    first = cutout({"kind": "paint", "strokes": strokes[:2]})
    longer = cutout({"kind": "paint", "strokes": strokes}, {"kind": "adjust", "grow": 3})
    names = [name for name, _ in stages(first)]
    assert [name for name, _ in stages(longer)][:2] == names and len(stages(longer)) == 4
    picture = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    mask = np.zeros((HEIGHT, WIDTH), np.uint8)
    for _, step in stages(longer):
        mask = advance(mask, step, picture)
    np.testing.assert_array_equal(mask, mask_of(longer, picture))


def test_a_clone_stroke_copies_what_is_beside() -> None:
    plate = skimage.data.coffee()[:HEIGHT, :WIDTH]
    stroke = Stroke(points=((100.5, 100.5),), width=60)
    out = cloned(plate, [Clone(stroke=stroke, offset=(200, 50))])
    np.testing.assert_array_equal(out[80:120, 80:120], plate[130:170, 280:320])
    changed = np.argwhere((out != plate).any(axis=2))
    assert np.hypot(*(changed - 100).T).max() <= 31


@pytest.mark.parametrize("filling", ["texture", "smooth"])
def test_sixteen_bits_outside_the_hole_are_kept(filling: str) -> None:
    deep = skimage.data.gravel()[:200, :300].astype(np.uint16) * 257 + 100
    picture = np.dstack([deep] * 3)
    hole = np.zeros((200, 300), bool)
    hole[80:120, 100:140] = True
    plate = fill_hole(picture, hole, filling=filling)  # type: ignore[arg-type]
    np.testing.assert_array_equal(plate[~hole], picture[~hole])
    around = picture[60:140, 80:160]
    assert abs(int(plate[hole].mean()) - int(around.mean())) < 6000


def test_texture_is_taken_from_where_it_may_be() -> None:
    """Left half dark, right half light, the hole between: what may be taken decides its light."""
    rng = np.random.default_rng(2)
    picture = np.clip(rng.normal(60, 8, (160, 320, 3)), 0, 255).astype(np.uint8)
    picture[:, 160:] += 120
    hole = np.zeros((160, 320), bool)
    hole[60:100, 130:190] = True
    for side, light in ((slice(0, 120), 60), (slice(200, 320), 180)):
        sources = np.zeros_like(hole)
        sources[:, side] = True
        plate = fill_hole(picture, hole, sources=sources)
        assert plate[hole].mean() == pytest.approx(light, abs=12)


def test_a_layer_behind_shows_what_was_filled(photo) -> None:  # type: ignore[no-untyped-def]
    """Its colours come from the fill behind the nearer cutout; its own transparency counts."""
    picture, _ = photo
    behind = np.full_like(picture, 77)
    hill = cutout(outline(SQUARE), edge_care=False)
    mask = mask_of(hill, picture)
    opacity = np.full((HEIGHT, WIDTH), 255, np.uint8)
    opacity[:130] = 0
    layer = cut_layer(picture, hill, mask, behind=behind, opacity=opacity)
    assert layer.box == (100, 130, 100, 50) and (layer.rgba[..., :3] == 77).all()


def test_a_thin_part_of_the_subject_stays_whole() -> None:
    """An arm thinner than the band: half its thickness is surely the subject."""
    rng = np.random.default_rng(1)
    alpha = np.zeros((400, 600), np.float32)
    cv2.circle(alpha, (200, 200), 120, 1, -1)
    cv2.rectangle(alpha, (300, 190), (500, 214), 1, -1)
    alpha = cv2.GaussianBlur(alpha, (0, 0), 1)
    back = cv2.GaussianBlur(rng.normal(128, 90, (400, 600, 3)).astype(np.float32), (0, 0), 3)
    mixed = back * (1 - alpha[..., None]) + np.float32((150, 140, 120)) * alpha[..., None]
    picture = np.clip(mixed, 0, 255).astype(np.uint8)
    found = solve_edge(picture, ((alpha > 0.5) * 255).astype(np.uint8), radius=24).alpha
    assert found[202, 320:480].min() > 0.9
    assert np.abs(found - alpha).mean() < 0.02
