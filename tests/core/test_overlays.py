"""Own pictures over others, light from behind, shades on the ground, masks in the hand."""

from __future__ import annotations

from hashlib import blake2s
from typing import Any

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from tests.conftest import make_shot, pyramid_of
from tests.core.test_effects import SIZE, E, codes_of, picture, stage
from tests.core.test_mounts import do
from tests.core.test_render import flat
from vistaline.core.edits.kept_looks import look_of
from vistaline.core.errors import CoreError
from vistaline.core.looks.blending import Blend
from vistaline.core.picture.colour import encode_srgb, linearise_srgb
from vistaline.core.picture.matching import statistics
from vistaline.core.render.frame import Renderer
from vistaline.core.render.measured import picture_statistics
from vistaline.core.shot.edges import ContactShade, LightWrap
from vistaline.core.shot.effects import Mask, MaskShape, On, Over
from vistaline.core.shot.overlays import Laid, Overlay, Vignetting
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.masks import holds_of

FRAME = {"width": SIZE[0], "height": SIZE[1], "duration": 24}


def over_all(rng: np.random.Generator, **values: Any) -> tuple[Shot, dict[str, Any], np.ndarray]:
    """A picture that fills the frame, and another laid over it; and that other, as it is."""
    shot = make_shot(
        {"back": SIZE, "tile": (60, 45)},
        frame=FRAME,
        layers=[{"name": "back", "picture": "back", "distance": 2.0}],
    )
    tile = picture(rng, (60, 45))
    # Files are called by what they hold.
    named = shot.pictures["tile"].evolve(file=f"{blake2s(tile.tobytes()).hexdigest()}.png")
    shot = shot.evolve(pictures=shot.pictures | {"tile": named})
    looks = {"back": pyramid_of(picture(rng)), "tile": pyramid_of(tile)}
    laid = Overlay(**E, picture="tile", **values)
    return shot.evolve(dressing=(laid,)), looks, tile


@pytest.mark.parametrize("blend", Blend)
def test_an_overlay_is_blended_as_a_layer_is(rng: np.random.Generator, blend: Blend) -> None:
    """A layer's modes are checked against skia's (``test_blending.py``)."""
    shot, looks, _ = over_all(rng, blend=blend)
    colour = flat((0.4, 0.1, 0.7), 1, (60, 45))
    looks["tile"] = pyramid_of(colour)
    shot = shot.evolve(pictures=shot.pictures | {"tile": shot.pictures["tile"].evolve(file="even")})
    found = codes_of(shot, looks).astype(int)
    above = make_shot(
        {"back": SIZE, "tile": (60, 45)},
        frame=FRAME,
        layers=[
            {"name": "back", "picture": "back", "distance": 2.0},
            {"name": "tile", "picture": "tile", "distance": 1.9, "scale": 9, "blend": blend.value},
        ],
    )
    expected = codes_of(above, looks).astype(int)
    assert np.abs(found - expected)[3:-3, 3:-3].max() <= 1


def test_tiles_lie_side_by_side_and_one_covers_all(rng: np.random.Generator) -> None:
    """Tiles of a quarter of the frame's height, texel by pixel: NumPy's own."""
    shot, looks, tile = over_all(rng, blend=Blend.NORMAL, laid=Laid.TILED, size=0.25)
    found = codes_of(shot, looks)
    # One of them is in the middle of the frame: it begins at column 130, and between two rows.
    codes = encode_srgb(tile[..., :3] / 65535) * 255
    moved = np.roll(np.tile(codes, (5, 7, 1)), (22, 10), axis=(0, 1))
    expected = (moved + np.roll(moved, 1, axis=0))[:180, :320] / 2
    assert np.abs(found - expected)[3:-3, 3:-3].max() < 1.5
    shot, looks, tile = over_all(rng, blend=Blend.NORMAL)
    covered = Renderer(shot, looks, threads=1).linear(0)[..., :3].astype(float)
    # As wide as the frame, so higher than it: what is over is cut off above and below.
    large = cv2.resize(tile[..., :3].astype(np.float32), (320, 240), interpolation=cv2.INTER_LINEAR)
    assert np.abs(covered - large[30:210])[4:-4, 4:-4].mean() < 600
    half = shot.dressing[0].evolve(amount=0)
    bare = shot.evolve(dressing=())
    assert (codes_of(shot.evolve(dressing=(half,)), looks) == codes_of(bare, looks)).all()


def test_an_overlay_fixed_to_a_layer_goes_with_it(rng: np.random.Generator) -> None:
    shot, looks = stage(rng)
    shot = shot.evolve(pictures=shot.pictures | {"tile": shot.pictures["card"].evolve(file="t")})
    looks["tile"] = pyramid_of(picture(rng, (100, 100)))
    over = Over(kind=On.LAYER, of="card")
    laid = Overlay(**E, picture="tile", blend=Blend.NORMAL, fixed="card", over=over)
    found = codes_of(shot.evolve(dressing=(laid,)), looks)
    # As if it were the layer's own picture.
    expected = codes_of(shot, looks | {"card": looks["tile"]})
    assert np.abs(found.astype(int) - expected).mean() < 0.6
    with pytest.raises(CoreError, match="lays no picture"):
        values = {"key": "tile", "picture": shot.pictures["tile"].model_dump()}
        do(do(shot, "add_effect", start="poster"), "lay_picture", thing="poster:e1", **values)


def test_a_look_takes_its_pictures_along(rng: np.random.Generator) -> None:
    shot, _, _ = over_all(rng)
    look = look_of(shot, "overlay:e")
    other = make_shot({"back": SIZE, "tile": (7, 5)}, frame=FRAME)
    # There is another picture of that name: it keeps it.
    put = do(other.evolve(pictures=other.pictures), "put_look", over="frame", **look)
    laid = put.dressing[0]
    assert isinstance(laid, Overlay)
    assert put.pictures[laid.picture] == shot.pictures["tile"]
    assert put.pictures["tile"] == other.pictures["tile"] and laid.picture != "tile"
    gone = do(put, "remove_layers", layers=[put.layers[0].id])
    assert laid.picture in gone.pictures


def test_light_wraps_round_an_edge_by_what_is_behind(rng: np.random.Generator) -> None:
    """Against its formula, with SciPy's Gaussian of the shot without the layer."""
    effect = LightWrap(**E, strength=0.8, size=72, over=Over(kind=On.LAYER, of="card"))
    shot, looks = stage(rng)
    wrapped = Renderer(shot.evolve(dressing=(effect,)), looks, threads=1).linear(0) / 65535
    plain = Renderer(shot, looks, threads=1).linear(0) / 65535
    hidden = shot.layers[1].evolve(hidden=True)
    behind = Renderer(shot.evolve(layers=(shot.layers[0], hidden)), looks, threads=1).linear(0)
    alone = Renderer(shot.evolve(layers=(shot.layers[1],)), looks, threads=1)
    alpha = alone.linear(0, over_ground=False)[..., 3] / 65535
    sigma = 72 / 2 * SIZE[1] / 1080
    light = gaussian_filter(behind[..., :3] / 65535, (sigma, sigma, 0), mode="nearest")
    share = np.minimum(2 - 2 * gaussian_filter(alpha, sigma, mode="nearest"), 1) ** 2 * 0.8
    expected = plain[..., :3] + (1 - plain[..., :3]) * (share * alpha)[..., None] * light
    inner = alpha > 0
    assert np.abs(wrapped[..., :3] - expected)[inner].max() < 0.02
    assert (wrapped[..., :3] - plain[..., :3])[inner].max() > 0.2
    assert (wrapped == plain)[~inner].all()
    off = [effect.evolve(strength=0), effect.evolve(amount=0), effect.evolve(size=0)]
    for each in off:
        assert (codes_of(shot.evolve(dressing=(each,)), looks) == codes_of(shot, looks)).all()


def standing(*dressing: Any) -> tuple[Shot, dict[str, Any]]:
    """A dark card that stands on level white ground, looked down at."""
    shot = make_shot(
        {"ground": (400, 400), "card": (40, 60)},
        frame={"width": 640, "height": 360, "duration": 24},
        layers=[
            {"name": "ground", "picture": "ground", "distance": 4.0, "up": -1.0, "tilt": -90,
             "stands": {"kind": "card", "width": 8.0}},
            {"name": "card", "picture": "card", "distance": 4.0, "up": -0.7,
             "stands": {"kind": "card", "width": 0.4}},
        ],
    )  # fmt: skip
    looks = {
        "ground": pyramid_of(flat((1, 1, 1), 1, (400, 400))),
        "card": pyramid_of(flat((0.3, 0.1, 0.1), 1, (40, 60))),
    }
    return shot.evolve(dressing=dressing), looks


def test_a_shade_lies_on_the_ground_round_the_foot() -> None:
    """A Gaussian of distance from the foot, on the ground, through OpenCV's pinhole camera."""
    effect = ContactShade(**E, size=60, strength=0.8, over=Over(kind=On.LAYER, of="card"))
    shot, looks = standing(effect)
    state = evaluate(shot, [0])[0]
    camera, card = camera_states(shot, [0])[0], state.cards[1]
    found = Renderer(shot, looks, threads=1).linear(0)[..., 1] / 65535
    plain = Renderer(shot.evolve(dressing=()), looks, threads=1).linear(0)[..., 1] / 65535
    matrix = np.array([[camera.focal_px, 0, 320], [0, camera.focal_px, 180], [0, 0, 1]])
    foot = np.array([0.0, state.cards[0].world_from_card[1, 3], card.world_from_card[2, 3]])
    depth = camera.position[2] - foot[2]
    sigma = 60 * 360 / 1080 / 2 / (camera.focal_px / depth)
    for before in (1.2, 1.6, 2.0, 2.5):
        # OpenCV's camera looks along +z, and its y runs down.
        seen = (np.add(foot, (0, 0, before * sigma)) - camera.position) * [1, -1, -1]
        points = cv2.projectPoints(seen[None], np.zeros(3), np.zeros(3), matrix, None)[0]
        x, y = points[0, 0]
        row = y - 0.5
        low = int(np.floor(row))
        column = found[low : low + 2, round(x)]
        shade = 1 - (column[0] + (row - low) * (column[1] - column[0]))
        assert shade == pytest.approx(0.8 * np.exp(-(before**2) / 2), abs=0.06), before
    changed = np.abs(found - plain) > 0.002
    rows, columns = np.nonzero(changed)
    # It is flat, under the foot, and in the middle as that is.
    assert np.ptp(columns) > 1.5 * np.ptp(rows)
    assert columns.mean() == pytest.approx(319.5, abs=1)
    assert not changed[: int(180 - 0.9 * camera.focal_px / depth)].any()
    none = shot.evolve(dressing=(effect.evolve(over=Over()),))
    assert (Renderer(none, looks, threads=1).linear(0)[..., 1] / 65535 == plain).all()


@pytest.mark.parametrize("fixed", ["", "card", "*stage"])
def test_a_mask_follows_the_hand(rng: np.random.Generator, fixed: str) -> None:
    shot, _ = stage(rng)
    mask = Mask(fixed=fixed, turn=15, shape=MaskShape.ELLIPSE)
    shot = shot.evolve(dressing=(Vignetting(**E, mask=mask),))
    for hold, at in (("middle", (150.0, 80.0)), ("side", (210.0, 60.0)), ("top", (160.0, 40.0))):
        shot = do(shot, "drag_mask", thing="vignette:e", frame=0, hold=hold, x=at[0], y=at[1])
        holds = holds_of(shot.dressing[0], evaluate(shot, [0])[0])  # type: ignore[arg-type]
        assert holds is not None
        n = ("middle", "side", "top").index(hold)
        if hold != "top":  # the top goes up and down its own way only
            assert holds[n] == pytest.approx(at, abs=0.05)
        else:
            way = (holds[2] - holds[0]) / np.linalg.norm(holds[2] - holds[0])
            assert way @ (np.array(at) - holds[2]) == pytest.approx(0, abs=0.3)
    bare = shot.evolve(dressing=(Vignetting(**E),))
    wide = do(bare, "drag_mask", thing="vignette:e", frame=0, hold="side", x=300, y=90)
    holds = holds_of(wide.dressing[0], evaluate(wide, [0])[0])  # type: ignore[arg-type]
    assert holds is not None and holds[1, 0] == pytest.approx(300, abs=0.1)
    with pytest.raises(CoreError, match="has no mask"):
        plain = do(shot, "add_effect", start="poster")
        do(
            plain,
            "drag_mask",
            thing=f"poster:{plain.dressing[-1].id}",
            frame=0,
            hold="top",
            x=1,
            y=1,
        )


def test_a_pictures_statistics_are_those_of_its_codes(rng: np.random.Generator) -> None:
    codes = rng.integers(0, 256, (40, 60, 3)).astype(np.uint8)
    linear = np.dstack([linearise_srgb(codes / 255), np.ones((40, 60))]) * 65535
    found = picture_statistics(pyramid_of(np.rint(linear).astype(np.uint16)))
    expected = statistics(codes.reshape(-1, 3), np.ones(2400))
    assert found == pytest.approx(expected, abs=2e-3)
