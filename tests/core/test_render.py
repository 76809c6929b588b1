"""Frames against skia's drawing of the same homographies, closed forms, and W3C Compositing."""

import os
from pathlib import Path

import cv2
import numpy as np
import pytest
import skia

from tests.conftest import make_shot, pyramid_of, textured
from vistaline.core import edits
from vistaline.core.picture.colour import encode_srgb, linear16_from_srgb
from vistaline.core.picture.pyramid import BORDER, PyramidStore, build_levels, write_pyramid
from vistaline.core.render import canvas as compositing
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.render.source import FINAL
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate


def opaque(codes: np.ndarray) -> np.ndarray:
    linear = linear16_from_srgb(256)[codes]
    return np.dstack([linear, np.full(codes.shape[:2], 65535, np.uint16)])


def flat(linear: tuple[float, float, float], alpha: float, size: tuple[int, int]) -> np.ndarray:
    """A premultiplied flat colour, 0..1, as (height, width, 4) uint16."""
    value = np.array([*(np.array(linear) * alpha), alpha]) * 65535
    return np.broadcast_to(np.rint(value).astype(np.uint16), (size[1], size[0], 4)).copy()


def psnr(a: np.ndarray, b: np.ndarray, mask: np.ndarray) -> float:
    error = (a.astype(float) - b.astype(float))[mask]
    return float(10 * np.log10(255**2 / np.mean(error**2)))


def test_a_frame_is_skias_drawing_of_the_same_homographies(rng: np.random.Generator) -> None:
    """At least 40 dB away from edges; skia blends encoded values, so the cards are opaque."""
    pictures = {"back": textured(rng, 800, 450), "front": textured(rng, 400, 225)}
    sizes = {key: picture.shape[1::-1] for key, picture in pictures.items()}
    shot = make_shot(sizes, frame={"width": 640, "height": 360, "duration": 24})
    for angle, value in (("pan", 24), ("tilt", -9), ("roll", 6)):
        shot = edits.apply(shot, "turn_layer", {"layer": "front", angle: value})
    pyramids = {key: pyramid_of(opaque(picture)) for key, picture in pictures.items()}
    ours = Renderer(shot, pyramids).rgb(12)

    state = evaluate(shot, [12])[0]
    surface = skia.Surface(640, 360)
    canvas = surface.getCanvas()
    canvas.clear(skia.ColorBLACK)
    edge = np.zeros((360, 640), bool)
    for i in state.order:
        card = state.cards[i]
        picture = pictures[card.layer.picture]
        height, width = picture.shape[:2]
        image = skia.Image.fromarray(
            np.dstack([picture, np.full((height, width), 255, np.uint8)]),
            colorType=skia.kRGBA_8888_ColorType,
        )
        image_from_texel = card.image_from_unit(state.camera) @ np.diag([1 / width, 1 / height, 1])
        canvas.save()
        canvas.concat(skia.Matrix(image_from_texel.ravel().tolist()))
        canvas.drawImage(
            image,
            0,
            0,
            skia.SamplingOptions(skia.FilterMode.kLinear, skia.MipmapMode.kNone),
        )
        canvas.restore()
        corners = np.array([[0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]])
        mapped = corners @ card.image_from_unit(state.camera).T
        line = np.zeros((360, 640), np.uint8)
        import cv2

        points = np.rint(mapped[:, :2] / mapped[:, 2:]).astype(np.int32)
        cv2.polylines(line, [points], True, 255, 5)
        edge |= line > 0
    theirs = surface.makeImageSnapshot().toarray(colorType=skia.kRGBA_8888_ColorType)[..., :3]
    assert psnr(ours, theirs, ~edge) >= 40


def test_source_over_is_the_w3cs() -> None:
    """W3C Compositing and Blending Level 1, 5.1: co = cs as + cb ab (1 - as), here linear."""
    size = (64, 36)
    back, front = (0.2, 0.5, 0.8), (0.9, 0.1, 0.3)
    shot = make_shot(dict.fromkeys(("back", "front"), size), background="#ffffff")
    shot = edits.apply(shot, "set_opacity", {"layer": "front", "percent": 50})
    pyramids = {
        "back": pyramid_of(flat(back, 0.75, size)),
        "front": pyramid_of(flat(front, 0.6, size)),
    }
    pixel = Renderer(shot, pyramids).linear(0)[90, 160] / 65535
    alpha = 0.6 * 0.5
    under = np.array(back) * 0.75 + 1.0 * 0.25
    np.testing.assert_allclose(pixel[:3], np.array(front) * alpha + under * (1 - alpha), atol=2e-4)


@pytest.mark.parametrize("scale", [0.31, 1.0, 3.1])
def test_card_edges_are_covered_by_their_area(scale: float) -> None:
    """A white card's edge on black at a known place: the pixel's value is the covered share."""
    size = (200, 112)
    white = pyramid_of(flat((1, 1, 1), 1, size))
    shot = make_shot({"a": size}, route={"framings": [{"frame": 0}]})
    shot = edits.apply(shot, "size_layer", {"layer": "a", "percent": 30 * scale})
    for step in range(8):
        # A truck of a known number of pixels.
        moved = edits.apply(shot, "drag_layer", {"layer": "a", "frame": 0, "dx": step / 8, "dy": 0})
        unit = evaluate(moved, [0])[0]
        corners = unit.cards[0].image_from_unit(unit.camera)
        left = (corners @ (0, 0.5, 1))[0] / (corners @ (0, 0.5, 1))[2]
        row = Renderer(moved, {"a": white}).linear(0)[90, :, 0] / 65535
        columns = np.arange(320)
        expected = np.clip(columns + 1 - left, 0, 1)[:150]
        np.testing.assert_allclose(row[:150], expected, atol=2e-3)


def test_a_slow_move_has_no_jitter() -> None:
    """A ramp shifted by a hundredth of a pixel changes by a hundredth of its slope."""
    ramp = np.zeros((180, 320, 4), np.uint16)
    ramp[..., :3] = (np.arange(320) * 200)[None, :, None]
    ramp[..., 3] = 65535
    shot = make_shot({"a": (320, 180)}, route={"framings": [{"frame": 0}]})
    still = Renderer(shot, {"a": pyramid_of(ramp)}).linear(0)[90, 20:300, 0].astype(float)
    moved = edits.apply(shot, "drag_layer", {"layer": "a", "frame": 0, "dx": 0.05, "dy": 0})
    shifted = Renderer(moved, {"a": pyramid_of(ramp)}).linear(0)[90, 20:300, 0].astype(float)
    np.testing.assert_allclose(still - shifted, 10, atol=1.01)


def test_levels_are_exact_means_whatever_the_size(rng: np.random.Generator) -> None:
    picture = rng.integers(0, 65536, (75, 131, 4), dtype=np.uint16)
    levels = build_levels(picture)
    first, second = (level[BORDER:-BORDER, BORDER:-BORDER].astype(float) for level in levels[:2])
    np.testing.assert_array_equal(first[:75, :131], picture)
    means = first.reshape(first.shape[0] // 2, 2, first.shape[1] // 2, 2, 4).mean(axis=(1, 3))
    np.testing.assert_allclose(second, means, atol=0.51)


def test_a_receding_floor_does_not_alias(rng: np.random.Generator) -> None:
    """Against 16 x 16 samples a pixel of the finest level; FINDINGS' floor for 'final' is 40 dB."""
    import cv2

    picture = opaque(textured(rng, 1024, 1024))
    # FINDINGS B1 scenes are perspective planes; this one is turned 70 degrees away.
    shot = make_shot({"a": (1024, 1024)}, frame={"width": 320, "height": 180, "duration": 1},
                     route={"framings": [{"frame": 0}]})  # fmt: skip
    shot = edits.apply(shot, "turn_layer", {"layer": "a", "tilt": -70})
    state = evaluate(shot, [0])[0]
    pyramid = pyramid_of(picture)
    ours = Renderer(shot, {"a": pyramid}, quality=FINAL).rgb(0)
    big = scaled(shot, 16)
    card, camera = evaluate(big, [0])[0].cards[0], evaluate(big, [0])[0].camera
    texel = card.image_from_unit(camera) @ np.diag([1 / 1024, 1 / 1024, 1])
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    fine = cv2.warpPerspective(
        picture, np.linalg.inv(shift) @ texel @ shift, (320 * 16, 180 * 16),
        flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    mean = cv2.resize(fine, (320, 180), interpolation=cv2.INTER_AREA)[..., :3] / 65535
    edges = np.linalg.inv(state.cards[0].image_from_unit(state.camera))
    x, y = np.meshgrid(np.arange(320) + 0.5, np.arange(180) + 0.5)
    u, v, w = np.tensordot(edges, np.stack([x, y, np.ones_like(x)]), 1)
    inside = (w > 0) & (np.abs(u / w - 0.5) < 0.48) & (np.abs(v / w - 0.5) < 0.48)
    assert inside.sum() > 2000
    assert psnr(ours, np.rint(encode_srgb(mean) * 255), inside) >= 40


def test_yuv_is_bt709_narrow_range() -> None:
    """ITU-R BT.709-6, item 3: Y' = 0.2126 R' + 0.7152 G' + 0.0722 B'; 8-bit 16..235, 16..240."""
    for colour in ((1, 1, 1), (0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1), (0.2, 0.5, 0.05)):
        shot = make_shot({"a": (64, 36)})
        renderer = Renderer(shot, {"a": pyramid_of(flat(colour, 1, (64, 36)))})
        planes = renderer.yuv(0)
        red, green, blue = encode_srgb(np.array(colour))
        luma = 0.2126 * red + 0.7152 * green + 0.0722 * blue
        expected = (
            16 + 219 * luma,
            128 + 224 * (blue - luma) / 1.8556,
            128 + 224 * (red - luma) / 1.5748,
        )
        chroma = planes.reshape(-1)[320 * 180 :].reshape(2, 90, 160)
        got = (planes[90, 160], chroma[0, 45, 80], chroma[1, 45, 80])
        np.testing.assert_allclose(got, expected, atol=1)


def test_hidden_and_covered_layers_cost_nothing_and_change_nothing(
    rng: np.random.Generator,
) -> None:
    size = (640, 360)
    shot = make_shot({"back": size, "front": size})
    pyramids = {key: pyramid_of(opaque(textured(rng, *size))) for key in ("back", "front")}
    both = Renderer(shot, pyramids).rgb(0)
    hidden = edits.apply(shot, "set_hidden", {"layer": "back", "hidden": True})
    np.testing.assert_array_equal(both, Renderer(hidden, {"front": pyramids["front"]}).rgb(0))


def test_a_pyramid_written_in_bands_is_the_pyramid(
    tmp_path: Path, rng: np.random.Generator
) -> None:
    """However a picture comes, in one or in rows, its levels are the exact means."""
    picture = rng.integers(0, 65536, (301, 517, 4), dtype=np.uint16)
    picture[:40, :, 3] = picture[:, 500:, 3] = 0
    for height in (1, 7, 64, 301):
        path = tmp_path / f"{height}.p2"
        bands = (picture[top : top + height] for top in range(0, 301, height))
        write_pyramid(path, (517, 301), bands)
        built = PyramidStore(tmp_path).get(str(height), lambda: pytest.fail("built twice"))
        for level, whole in zip(built.levels, build_levels(picture), strict=True):
            np.testing.assert_array_equal(level, whole)
        assert (built.width, built.height, built.opaque) == (517, 301, False)
        assert built.content == (0, 38, 502, 301)


def test_many_pyramids_take_few_descriptors(tmp_path: Path) -> None:
    store = PyramidStore(tmp_path, most_open=8)
    small = np.full((4, 4, 4), 65535, np.uint16)
    before = len(os.listdir("/proc/self/fd"))
    held = store.get("0", lambda: small)
    for n in range(300):
        store.get(str(n), lambda: small)
    assert store.open_now == 8
    assert len(os.listdir("/proc/self/fd")) <= before + 9  # one each, and the one that is held
    assert held.levels[0].min() == 65535  # put aside, but still there for who holds it


def test_half_a_pyramid_never_counts_as_whole(tmp_path: Path) -> None:
    """Whatever ends the writing leaves nothing under the pyramid's name."""
    store = PyramidStore(tmp_path)

    def torn(path: Path) -> None:
        path.write_bytes(b"half")
        raise OSError(28, "No space left on device")

    with pytest.raises(OSError, match="No space"):
        store.get_written("key", torn)
    assert list(tmp_path.iterdir()) == []


def test_a_pyramid_is_built_once_and_read_from_its_file(tmp_path, rng) -> None:
    picture = opaque(textured(rng, 200, 100))
    store = PyramidStore(tmp_path / "pyramids")
    built = store.get("key", lambda: picture)
    again = PyramidStore(tmp_path / "pyramids").get("key", lambda: pytest.fail("built twice"))
    for a, b in zip(built.levels, again.levels, strict=True):
        np.testing.assert_array_equal(a, b)
    assert [path.name for path in (tmp_path / "pyramids").iterdir()] == ["key.p2"]
    with pytest.raises(ZeroDivisionError):
        store.get("broken", lambda: 1 // 0)  # type: ignore[arg-type, return-value]
    assert [path.name for path in (tmp_path / "pyramids").iterdir()] == ["key.p2"]


def crossing_shot(count: int) -> Shot:
    """Part-transparent cards at all angles that cut through each other."""
    rng = np.random.default_rng(7)
    layers = [
        {
            "name": f"card {n}",
            "picture": f"p{n}",
            "distance": float(rng.uniform(1.6, 2.4)),
            "across": float(rng.uniform(-0.4, 0.4)),
            "up": float(rng.uniform(-0.2, 0.2)),
            "pan": float(rng.uniform(-70, 70)),
            "tilt": float(rng.uniform(-50, 50)),
            "roll": float(rng.uniform(-40, 40)),
            "opacity": float(rng.uniform(0.4, 1)),
            "scale": 0.6,
        }
        for n in range(count)
    ]
    sizes = {f"p{n}": (320, 180) for n in range(count)}
    return make_shot(sizes, layers=layers)


@pytest.mark.parametrize(("frame", "deep"), [(0, 99), (23, 99), (0, 0), (23, 0)])
def test_cards_that_cut_through_each_other_are_sorted_at_every_pixel(
    frame: int, deep: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Against brute force: each pixel's ray meets every card, and they are laid by distance.

    At least 60 dB away from the cards' edges, and from lines where two meet. Once with
    cards that are warped whole, once fetched as they are needed.
    """
    monkeypatch.setattr(compositing, "DEEP", deep)
    shot = crossing_shot(7)
    colours = np.random.default_rng(1).random((7, 3))
    pyramids = {
        f"p{n}": pyramid_of(flat(tuple(colours[n]), 1.0 if n % 3 else 0.7, (320, 180)))
        for n in range(7)
    }
    ours = Renderer(shot, pyramids).rgb(frame)
    state = evaluate(shot, [frame])[0]
    assert not state.parallel
    y, x = np.mgrid[:180, :320] + 0.5
    rays = np.stack([x, y, np.ones_like(x)], axis=-1)
    depths, inside, border = [], [], np.zeros((180, 320), bool)
    for card in state.cards:
        place = rays @ np.linalg.inv(card.image_from_unit(state.camera)).T
        u, v = place[..., 0] / place[..., 2], place[..., 1] / place[..., 2]
        within = (u > 0) & (u < 1) & (v > 0) & (v < 1) & (place[..., 2] > 0)
        depths.append(np.where(within, 1 / place[..., 2], np.inf))
        inside.append(within)
        mask, box = within.astype(np.uint8), np.ones((5, 5), np.uint8)
        border |= cv2.dilate(mask, box) != cv2.erode(mask, box)
    order = np.argsort(np.array(depths), axis=0)
    result, through = np.zeros((180, 320, 3)), np.ones((180, 320, 1))
    for k in range(7):
        n = order[k]
        card_alpha = np.array([1.0 if i % 3 else 0.7 for i in range(7)])
        opacity = np.array([layer.opacity for layer in shot.layers])
        cover = (card_alpha * opacity)[n] * np.take_along_axis(np.array(inside), n[None], 0)[0]
        result += through * cover[..., None] * colours[n]
        through *= 1 - cover[..., None]
    expected = encode_srgb(result) * 255
    # Along a line where two cards meet, a pixel goes to either.
    gaps = np.sort(np.array(depths), axis=0)
    with np.errstate(invalid="ignore"):
        close = np.nanmin(np.where(np.isfinite(gaps[1:]), np.diff(gaps, axis=0), 1), axis=0) < 2e-3
    sure = ~border & ~close
    assert sure.mean() > 0.7
    assert psnr(ours, np.rint(expected), sure) >= 60


def test_fetched_pixels_are_those_of_opencv(
    rng: np.random.Generator, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Fetched one by one or warped by OpenCV, pictures that recede look the same.

    OpenCV places a sample in steps of 1/32 of a texel and we of 1/256: at most two codes.
    """
    shot = crossing_shot(5)
    pyramids = {f"p{n}": pyramid_of(opaque(textured(rng, 320, 180))) for n in range(5)}
    monkeypatch.setattr(compositing, "DEEP", 99)
    warped = Renderer(shot, pyramids).rgb(5).astype(int)
    monkeypatch.setattr(compositing, "DEEP", 0)
    fetched = Renderer(shot, pyramids).rgb(5)
    away = np.abs(fetched - warped)
    assert 0 < away.max() <= 2 and psnr(fetched, warped, np.ones(away.shape[:2], bool)) > 55


def test_a_frame_that_sees_nothing_is_the_background() -> None:
    """All hidden, or all behind the camera: the background's colour in every form."""
    shot = make_shot({"photo": (64, 36)}, background="#336699")
    pyramids = {"photo": pyramid_of(opaque(np.zeros((36, 64, 3), np.uint8)))}
    away = shot.route.framings[0].evolve(pan=180.0)
    turned = shot.evolve(cameras=(Camera(route=shot.route.evolve(framings=(away,))),))
    for empty in (shot.evolve(layers=(shot.layers[0].evolve(hidden=True),)), turned):
        renderer = Renderer(empty, pyramids, threads=1)
        assert (renderer.rgb(0) == [0x33, 0x66, 0x99]).all()
        assert not renderer.linear(0)[..., 3].any()
        assert np.ptp(renderer.yuv(0)[:180]) == 0
