"""A relief among all else: focused, fogged, lit, looked ahead at, copied, filed, told to a page."""

from __future__ import annotations

import base64
import json
import math
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

from tests.core.test_relief import (
    SIZE,
    Draw,
    draw,
    map_picture,
    opaque,
    relief_shot,
    seen_at,
    stepped,
)
from vistaline.core.depth.keeping import kept_apart
from vistaline.core.depth.steps import distance_at
from vistaline.core.edits import apply
from vistaline.core.edits.clipboard import clip_of
from vistaline.core.errors import EditError, PictureError, ShotError
from vistaline.core.foresight.ahead import look_ahead, map_frame
from vistaline.core.formats.shotfile import read_shot_file, write_shot_file
from vistaline.core.relief.sheets import SLICES, sheets_of, slice_of
from vistaline.core.relief.tearing import tears_of, travel_of
from vistaline.core.scene.describe import describe_scene, pick_layer, textures_in
from vistaline.core.scene.reliefs import pack_relief
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.stands import Relief
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.raising import told_heights
from vistaline.core.stage.surfaces import surface_of

__all__ = ["draw"]

WAVES = (
    0.5 + 0.4 * np.sin(np.arange(SIZE[0]) / 90)[None, :] * np.cos(np.arange(SIZE[1]) / 70)[:, None]
).astype(np.float32)
NEAR, FAR = 2.0, 12.0


def grey(value: int = 128) -> np.ndarray:
    return np.full((SIZE[1], SIZE[0], 3), value, np.uint8)


def changed(shot: Shot, **values: object) -> Shot:
    return parse_shot(dump_shot(shot) | values)


def metres_at(x: int, y: int) -> float:
    return float(distance_at(WAVES[y, x], NEAR, FAR))


# --- where it is ------------------------------------------------------------------------------


@pytest.mark.parametrize(("x", "y"), [(120, 40), (320, 180), (560, 300)])
def test_what_is_pointed_at_is_as_far_as_its_map_says(x: int, y: int) -> None:
    shot = relief_shot(WAVES, (NEAR, FAR))
    where = {"layer": "it", "frame": "0", "x": str(x + 0.5), "y": str(y + 0.5)}
    focused = apply(shot, "focus_on_point", where)
    assert focused.camera.focusing.focus == pytest.approx(metres_at(x, y), rel=0.02)
    state = evaluate(shot, [0])[0]
    assert pick_layer(state, x + 0.5, y + 0.5, lambda card, u, v: 1.0) == "it"
    assert pick_layer(state, -50.0, 20.0, lambda card, u, v: 1.0) is None


def test_moved_nearer_it_takes_its_depth_along() -> None:
    """All distances in proportion: the taking camera sees it as before, and nothing else would."""
    shot = relief_shot(WAVES, (NEAR, FAR))
    nearer = apply(shot, "move_in_depth", {"layer": "it", "distance": "2"})
    pixels = np.array([[100.5, 60.5], [320.5, 180.5], [500.5, 300.5]]).T
    depths = []
    for each in (shot, nearer):
        state = evaluate(each, [0])[0]
        card = state.cards[0]
        met = surface_of(card.layer).trace(card, state.camera, *pixels)
        np.testing.assert_allclose(met.u * SIZE[0], pixels[0], atol=1e-6)
        depths.append(1 / met.near)
    np.testing.assert_allclose(depths[1] * 2, depths[0], rtol=1e-9)


# --- light, air, lens ----------------------------------------------------------------------------


def test_each_of_its_places_is_lit_by_the_inverse_square_of_its_own_distance(draw: Draw) -> None:
    """A lamp at the camera: as the card faces, cosine and fall-off of each place by themselves."""
    lamp = {
        "id": "l", "name": "l", "kind": "point", "position": [0.0, 0.0, 0.0], "brightness": 1.0,
        "normal": 6.0, "falloff": "square",
    }  # fmt: skip
    shot = changed(relief_shot(WAVES, (NEAR, FAR)), lamps=[lamp])
    frame = draw(shot, {"photo": opaque(grey(40)), "depth": map_picture(WAVES)}).linear(0)
    light = np.asarray(frame)[..., 1] / 65535
    own = (((40 / 255) + 0.055) / 1.055) ** 2.4
    focal = 35 / 36 * SIZE[0]
    for x, y in ((120, 40), (320, 180), (560, 300)):
        aside = np.hypot(x + 0.5 - SIZE[0] / 2, y + 0.5 - SIZE[1] / 2) / focal
        away = metres_at(x, y) * math.hypot(1, aside)
        expected = own * (6 / away) ** 2 / math.hypot(1, aside)
        if expected < 0.9:
            assert light[y, x] == pytest.approx(expected, rel=0.05)


def test_fog_takes_away_by_its_own_distance(draw: Draw) -> None:
    """Koschmieder: a fiftieth of contrast is left at the visibility, whatever the layer's own."""
    fog = {"kind": "fog", "id": "f", "name": "f", "visibility": 9.0, "colour": "#000000"}
    shot = changed(relief_shot(WAVES, (NEAR, FAR)), dressing=[fog])
    pictures = {"photo": opaque(grey()), "depth": map_picture(WAVES)}
    frame = draw(shot, pictures).linear(0)
    clear = draw(relief_shot(WAVES, (NEAR, FAR)), pictures).linear(0)
    kept = np.asarray(frame)[..., 1].astype(float) / np.asarray(clear)[..., 1]
    focal = 35 / 36 * SIZE[0]
    for x, y in ((120, 40), (320, 180), (560, 300)):
        aside = np.hypot(x + 0.5 - SIZE[0] / 2, y + 0.5 - SIZE[1] / 2) / focal
        away = metres_at(x, y) * math.hypot(1, aside)
        assert kept[y, x] == pytest.approx(math.exp(-3.912 * away / 9.0), rel=0.06)


def test_it_is_blurred_place_by_place(draw: Draw, photo: np.ndarray) -> None:
    """Sharp where it is in focus, ever less beyond; the law is that of every card."""
    ramp = np.linspace(0, 1, SIZE[0], dtype=np.float32)[None].repeat(SIZE[1], 0)
    shot = relief_shot(ramp, (NEAR, FAR))
    shot = apply(shot, "set_focus", {"focus": str(NEAR)})
    camera = shot.camera.focusing.evolve(everything_sharp=False, f_number=0.5, strength=3)
    blurred = shot.with_camera(focusing=camera)
    pictures = {"photo": opaque(photo), "depth": map_picture(ramp)}
    sharp, soft = (draw(each, pictures).rgb(0).astype(float) for each in (shot, blurred))

    def detail(of: np.ndarray, part: slice) -> float:
        return float(np.abs(np.diff(of[:, part], axis=1)).mean())

    left = [detail(soft, part) / detail(sharp, part) for part in (np.s_[20:120], np.s_[520:620])]
    assert left[1] > 0.65 and left[0] < 0.5 * left[1]


# --- ahead, and together -------------------------------------------------------------------------


def test_what_lies_ahead_of_it_is_told(draw: Draw, photo: np.ndarray) -> None:
    """The frame is full of it as it was taken, and bare at one side after a move."""
    shot = relief_shot(WAVES, (NEAR, FAR))
    renderer = draw(shot, {"photo": opaque(photo), "depth": map_picture(WAVES)})
    ahead = look_ahead(shot, renderer._looks)
    assert ahead.bare.max() < 0.002 and ahead.least.min() == pytest.approx(1, abs=0.15)
    bare = map_frame(seen_at(shot, 1.5), renderer._looks, 0).bare
    assert bare[:, -40:].mean() > 0.5 and bare[:, :300].mean() < 0.02


def test_a_copy_brings_its_map_and_what_goes_takes_it(photo: np.ndarray) -> None:
    shot = relief_shot(WAVES, (NEAR, FAR))
    clip = clip_of(shot, ["it"]).model_dump(mode="json")
    assert set(clip["pictures"]) == {"photo", "depth"}
    pasted = apply(shot, "paste_layers", {"clip": clip})
    assert [layer.relief.depth for layer in pasted.layers if layer.relief] == ["depth", "depth"]
    gone = apply(pasted, "remove_layer", {"layer": "it"})
    assert "depth" in gone.pictures
    assert not apply(gone, "remove_layer", {"layer": gone.layers[0].id}).pictures


def test_only_what_was_taken_can_be_raised() -> None:
    shot = relief_shot(WAVES, (NEAR, FAR))
    card = apply(shot, "make_card", {"layer": "it"})
    raise_it = {"layer": "it", "pictures": {}, "depth": "depth", "near": 1.0, "far": 3.0}
    with pytest.raises(EditError, match="not seen by the taking camera"):
        apply(card, "raise_layer", raise_it)
    with pytest.raises(EditError, match="must be nearer"):
        apply(shot, "raise_layer", raise_it | {"near": 5.0})
    raised = apply(shot, "raise_layer", raise_it)
    assert raised.layer("it").distance == pytest.approx(1.5)
    assert isinstance(raised.layer("it").stands, Relief)


# --- files ----------------------------------------------------------------------------------------


def test_a_file_finds_its_map_and_says_what_is_wrong_with_it(tmp_path: Path) -> None:
    shot = relief_shot(WAVES, (NEAR, FAR))
    Image.fromarray(grey()).save(tmp_path / "photo.png")
    cv2.imwrite(str(tmp_path / "depth.png"), np.rint(WAVES * 65535).astype(np.uint16))
    names = {"photo": "photo.png", "depth": "depth.png"}
    told = {key: ref.evolve(heights="") for key, ref in shot.pictures.items()}
    write_shot_file(shot.evolve(pictures=told), tmp_path / "shot.json", names)
    read, _ = read_shot_file(tmp_path / "shot.json")
    png = base64.b64decode(read.pictures["depth"].heights)
    coarse = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_GRAYSCALE)
    small = cv2.resize(WAVES, coarse.shape[::-1], interpolation=cv2.INTER_AREA)
    assert np.abs(coarse / 255 - small).max() < 0.01
    assert not read.pictures["photo"].heights
    (tmp_path / "depth.png").unlink()
    with pytest.raises(PictureError, match="there is no such file"):
        read_shot_file(tmp_path / "shot.json")
    document = dump_shot(shot)
    document["layers"][0]["stands"]["strength"] = 2
    with pytest.raises(ShotError, match="strength"):
        parse_shot(document)


def test_a_map_that_is_no_map_is_even() -> None:
    """Numbers that somebody wrote into a document, a PNG of a thousand megapixels among them."""
    _, small = cv2.imencode(".png", np.zeros((4, 4), np.uint8))
    bomb = bytearray(small.tobytes())
    bomb[16:24] = (30_000).to_bytes(4, "big") * 2
    shot = relief_shot(WAVES, (NEAR, FAR))
    for told in ("", "no base64!", "aGVsbG8=", base64.b64encode(bytes(bomb)).decode()):
        ref = shot.pictures["depth"].evolve(heights=told)
        changed = shot.evolve(pictures=shot.pictures | {"depth": ref})
        raised = evaluate(changed, [0])[0].cards[0].raised
        assert raised is not None and (raised.heights == 0.5).all()
    assert len(told_heights(WAVES)) < 40_000


# --- what it is made of ---------------------------------------------------------------------------


def test_a_page_is_told_its_triangles_as_they_are() -> None:
    nearness = stepped()
    maps = sheets_of(opaque(grey()), nearness, texture=False).maps
    told = pack_relief(maps)
    count, faces = np.frombuffer(told[:8], "<u4")
    points = np.frombuffer(told[8 : 8 + 16 * count], "<f4").reshape(-1, 4)
    corners = np.frombuffer(told[8 + 16 * count :], "<u4").reshape(-1, 3)
    assert len(points) == count and len(corners) == faces
    sheet = points[corners, 3]
    assert (sheet == sheet[:, :1]).all()  # no triangle goes from sheet to sheet
    assert (np.diff(sheet[:, 0]) <= 0).all()  # the hindmost comes first
    front = points[points[:, 3] == 0]
    x, y = front[:, 0] * SIZE[0], front[:, 1] * SIZE[1]
    inside = (x > 1) & (y > 1) & (x < SIZE[0] - 1) & (y < SIZE[1] - 1)
    seen = nearness[y[inside].astype(int), x[inside].astype(int)]
    # Only in the two pixels of its rims is the front nearer than the map.
    assert np.mean(np.abs(front[inside, 2] - seen) > 0.01) < 0.5
    assert (front[inside, 2] > seen - 0.01).all()
    scene = describe_scene(relief_shot(nearness, (NEAR, FAR)), range(2))
    assert {f"raised {n} it" for n in range(3)} <= textures_in(scene)
    assert scene["layers"][0]["relief"]["tall"] == pytest.approx(SIZE[1] / SIZE[0])


def test_its_slices_are_all_of_it() -> None:
    maps = sheets_of(opaque(grey()), stepped(), texture=False).maps
    total = sum(slice_of(maps, n)[..., 3].astype(int) for n in range(SLICES))
    assert np.median(total) == 65535 and total.max() <= 65535 + SLICES


def test_a_small_step_is_a_slope_and_a_large_one_an_edge() -> None:
    """Two pixels of parallax, at the travel that a relief is prepared for, tell them apart."""
    pixel = 1 / travel_of((200, 300))
    for step, torn in ((1.5, False), (2.5, True)):
        nearness = np.zeros((200, 300), np.float32)
        nearness[:, 150:] = step * pixel
        assert tears_of(nearness).any is torn


def test_soft_depths_are_kept_apart_at_an_outline() -> None:
    """A step blurred by 12 pixels, and a mask that knows where it was."""
    step = np.zeros((120, 200), np.float32)
    step[:, 100:] = 1
    mask = np.where(step > 0, 255, 0).astype(np.uint8)
    soft = cv2.GaussianBlur(step, (0, 0), 6)
    assert np.abs(soft - step).max() > 0.45
    assert np.abs(kept_apart(soft, [mask], 20) - step).max() < 0.02
    np.testing.assert_array_equal(kept_apart(soft, [np.zeros_like(mask)], 20), soft)


def test_it_takes_effects_of_every_sort(draw: Draw, photo: np.ndarray) -> None:
    """Pointwise, by depth, spreading, at edges; and it says where another layer is seen."""
    shot = seen_at(relief_shot(stepped(), (NEAR, FAR)), 0.1)
    pictures = {"photo": opaque(photo), "depth": map_picture(stepped())}
    plain = draw(shot, pictures).rgb(0).astype(int)
    over = {"kind": "layer", "of": "it"}
    for kind, values in (
        ("exposure", {"stops": -1}),
        ("exposure", {"stops": -1, "mask": {"shape": "depth"}}),
        ("blur", {"amount": 1.0}),
        ("halftone", {}),
        ("light-wrap", {}),
        ("edge", {}),
        ("vignette", {}),
    ):
        effect = {"kind": kind, "id": "e", "name": "e", "over": over} | values
        found = draw(changed(shot, dressing=[effect]), pictures).rgb(0).astype(int)
        assert found.shape == plain.shape
        if kind not in ("light-wrap", "edge"):  # nothing is behind it; as it is it changes none
            assert np.abs(found - plain).mean() > 0.5, kind
    document = dump_shot(shot)
    field = {"kind": "field", "field": {"stops": [{"at": 0, "colour": "#ff0000"}]}}
    document["layers"].insert(
        0,
        {"id": "red", "name": "red", "shows": field, "distance": 3.0, "matte": {"of": "it"}}
        | {"stands": {"kind": "card", "width": 20.0, "height": 20.0}},
    )
    document["layers"][1]["hidden"] = True
    red = draw(parse_shot(document), pictures).rgb(0)
    # Red is seen where the relief is, and nowhere beside it.
    assert (red[180, 100:500] == [255, 0, 0]).all()


def test_an_area_comes_nearer_by_its_keys_and_is_the_picture_from_where_it_was_taken(
    draw: Draw,
) -> None:
    """Its middle against ``distance_at``, and a dot on it against ``cv2.projectPoints``."""
    nearness = np.full((SIZE[1], SIZE[0]), 0.3, np.float32)
    shot = relief_shot(nearness, (2, 12))
    box = [[200, 90], [440, 90], [440, 270], [200, 270]]
    drawn = {"thing": "it", "frame": "0", "points": json.dumps(box)}
    shot = apply(shot, "outline_relief", drawn)
    (area,) = shot.layer("it").relief.areas  # type: ignore[union-attr]
    np.testing.assert_allclose(area.outline, np.array(box) / SIZE, atol=2e-3)
    row = {"of": "layer:it", "value": "area"}
    for frame, percent in ((0, "-20"), (23, "50")):
        shot = apply(shot, "set_key", row | {"frame": str(frame)})
        keys = json.dumps([row | {"frame": frame}])
        shot = apply(shot, "value_keys", {"keys": keys, "to": percent})
    middle = np.array([320.0]), np.array([180.0])
    states = evaluate(shot, [0, 23])
    for state, n in zip(states, (0.1, 0.8), strict=True):
        card = state.cards[0]
        met = surface_of(card.layer).trace(card, state.camera, *middle)
        assert 1 / met.near[0] == pytest.approx(float(distance_at(n, 2, 12)), rel=1e-2)
    plain = relief_shot(nearness, (2, 12))
    codes = np.full((SIZE[1], SIZE[0], 3), 90, np.uint8)
    cv2.circle(codes, (320, 180), 5, (255, 255, 255), -1, cv2.LINE_AA)
    pictures = {"photo": opaque(codes), "depth": map_picture(nearness)}
    same = [draw(each, pictures).rgb(23).astype(int) for each in (plain, shot)]
    assert np.abs(same[0] - same[1]).mean() < 0.5
    seen = draw(seen_at(shot, 0.3), pictures).rgb(23)[..., 0].astype(float) - 95
    rows, columns = np.mgrid[: SIZE[1], : SIZE[0]]
    weigh = np.where(seen > 20, seen, 0)
    dot = np.array([(columns * weigh).sum(), (rows * weigh).sum()]) / weigh.sum() + 0.5
    far, focal = float(distance_at(0.8, 2, 12)), 640 * 35 / 36
    lens = np.array([[focal, 0, 320], [0, focal, 180], [0, 0, 1]])
    place = np.array([[0.5 / focal * far, 0.5 / focal * far, far]])
    told, _ = cv2.projectPoints(place, np.zeros(3), np.array([-0.3, 0, 0]), lens, np.zeros(5))
    np.testing.assert_allclose(dot, told.ravel(), atol=0.4)


def test_areas_are_told_live_kept_removed_and_not_more_than_four() -> None:
    nearness = np.full((SIZE[1], SIZE[0]), 0.3, np.float32)
    shot = relief_shot(nearness, (2, 12))
    corner = [[10, 10], [100, 10], [100, 90]]
    drawn = {"thing": "it", "frame": "0", "points": json.dumps(corner)}
    for _ in range(4):
        shot = apply(shot, "outline_relief", drawn)
    with pytest.raises(EditError, match="as many as it may"):
        apply(shot, "outline_relief", drawn)
    away = drawn | {"points": "[[-900, 0], [-900, 9], [-950, 9]]"}
    with pytest.raises(EditError, match="Too little of that"):
        apply(relief_shot(nearness, (2, 12)), "outline_relief", away)
    changed = {"layer": "it", "area": "2", "percent": "-30", "soft": "0"}
    shot = apply(shot, "set_relief_area", changed)
    shot = apply(shot, "set_key", {"of": "layer:it", "value": "area_2", "frame": "3"})
    assert parse_shot(dump_shot(shot)).layers == shot.layers
    told = describe_scene(shot, range(2))
    relief = told["layers"][0]["relief"]
    assert relief["shape"][2:] == pytest.approx([0.1, -0.3, 0.1, 0.1])
    areas = relief["areas"]
    shares = np.frombuffer(base64.b64decode(areas["shares"]), np.uint8)
    shares = shares.reshape(areas["rows"], areas["columns"], 4)
    inside = shares[int(areas["rows"] * 30 / 360), int(areas["columns"] * 85 / 640)]
    assert inside[1] == 255 and (inside > 100).all() and not shares[-1, -1].any()
    track = np.frombuffer(base64.b64decode(told["tracks"]["it"]["raised"]), "<f4")
    assert track.reshape(2, 6)[0, 3] == pytest.approx(-0.3)
    shot = apply(shot, "remove_relief_area", {"layer": "it", "area": "2"})
    assert [each.id for each in shot.layer("it").relief.areas] == ["1", "3", "4"]  # type: ignore[union-attr]
    assert not shot.rows


def test_it_catches_the_picture_that_a_lamp_throws(draw: Draw) -> None:
    """A slide of dots on its waves: each dot's place, by its map, is seen from the lamp, by
    ``cv2.projectPoints``, where it is on the slide."""
    slide = np.zeros((90, 120, 3), np.uint8)
    dots = [(30, 20), (85, 30), (60, 50), (35, 70), (90, 66)]
    for at in dots:
        cv2.circle(slide, at, 2, (255, 255, 255), -1, cv2.LINE_AA)
    lamp = {
        "id": "l", "name": "l", "kind": "spot", "position": [0.9, 0.2, 0.0], "pan": 14.0,
        "tilt": 0.0, "cone": 50.0, "falloff": "none", "brightness": 4.0, "softness": 0.0,
        "gobo": {"shape": "picture", "picture": "slide", "blur": 0.0},
    }  # fmt: skip
    plain = relief_shot(WAVES, (NEAR, FAR))
    ref = plain.pictures["photo"].evolve(file="slide.png", width=120, height=90)
    shot = changed(plain.evolve(pictures=plain.pictures | {"slide": ref}), lamps=[lamp])
    pictures = {"photo": opaque(grey(220)), "depth": map_picture(WAVES), "slide": opaque(slide)}
    light = np.asarray(draw(shot, pictures).linear(0))[..., 1] / 65535
    count, _, _, middles = cv2.connectedComponentsWithStats((light > 0.3).astype(np.uint8))
    assert count >= 5  # one of them at least besides the ground
    focal, lens = 35 / 36 * SIZE[0], 75 / math.tan(math.radians(25))
    turn = cv2.Rodrigues(np.array([0, math.radians(14), 0]))[0]  # x right, y down, z ahead
    matrix = np.array([[lens, 0, 60], [0, lens, 45], [0, 0, 1.0]])
    found = []
    for x, y in middles[1:]:
        z = metres_at(round(x), round(y))
        place = np.array([(x + 0.5 - SIZE[0] / 2) / focal, (y + 0.5 - SIZE[1] / 2) / focal, 1]) * z
        own = turn @ (place - [0.9, -0.2, 0.0])
        seen, _ = cv2.projectPoints(own[None], np.zeros(3), np.zeros(3), matrix, np.zeros(5))
        away = np.linalg.norm(np.array(dots) + 0.5 - seen.ravel(), axis=1)
        assert away.min() < 1.5
        found.append(int(away.argmin()))
    assert len(set(found)) >= 4
