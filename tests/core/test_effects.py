"""Effects against published matrices, reference libraries and statistics."""

from __future__ import annotations

import io
import math
import warnings
from typing import Any

import cv2
import numpy as np
import pytest
import skimage.color
import skimage.data
from scipy.interpolate import PchipInterpolator
from scipy.signal import welch

from tests.conftest import make_shot, pyramid_of
from tests.core.test_mounts import do
from tests.core.test_render import flat
from vistaline.core import edits
from vistaline.core.edits.kept_looks import look_of
from vistaline.core.errors import CoreError, ShotError
from vistaline.core.geometry.light import adapted, neutral_of, white_of
from vistaline.core.picture.colour import encode_srgb, linearise_srgb
from vistaline.core.picture.cubes import Cube, cube_text, packed, read_cube, unpacked
from vistaline.core.picture.grade import NO_PLANES, grade_row
from vistaline.core.picture.matching import match_matrix, palette, statistics
from vistaline.core.picture.scopes import Scope, clipped_in, differences, luma, scope_of
from vistaline.core.render.crew import Crew
from vistaline.core.render.fields import screen_ranks
from vistaline.core.render.frame import Renderer
from vistaline.core.render.spreading import Place, soft, spread
from vistaline.core.scene.finish import colour_table
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.dressing import EFFECTS, Dressing
from vistaline.core.shot.edges import Wipe
from vistaline.core.shot.effects import Effect, Mask, MaskShape, On, Over
from vistaline.core.shot.grading import (
    Colourfulness,
    Contrast,
    Curves,
    Exposure,
    LevelsOf,
    Table,
    Tones,
    WhiteBalance,
)
from vistaline.core.shot.overlays import Grain, Ground, Halftone, ScreenShape, Stuff, Vignetting
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.softness import Blur, BlurWay, Sharpen
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.finish import effects_in
from vistaline.core.stage.program import compiled, grain_tile, hue_rotation, saturation

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it warns of optional packages that are not needed here
    import colour

SIZE = (320, 180)
E: dict[str, Any] = {"id": "e", "name": "e"}
CREW = Crew(1)
WHOLE = Place(1.0, (160.0, 90.0), (320.0, 180.0), 0)


def graded(effects: list[Effect], codes: np.ndarray) -> np.ndarray:
    """Codes (N, 3) 0..1 as effects make them."""
    planes = np.vstack([linearise_srgb(codes).T, np.ones(len(codes))]).astype(np.float32)
    grade_row(compiled(effects), planes, 0, 0, NO_PLANES, np.empty_like(planes))
    return encode_srgb(np.clip(planes[:3].T, 0, 1))


def picture(rng: np.random.Generator, size: tuple[int, int] = SIZE) -> np.ndarray:
    """A soft random picture, opaque, linear."""
    noise = cv2.GaussianBlur(rng.random((size[1], size[0], 3)), (0, 0), 3)
    noise = (noise - noise.min()) / np.ptp(noise)
    return np.dstack([noise * 65535, np.full(noise.shape[:2], 65535)]).astype(np.uint16)


def stage(rng: np.random.Generator, *dressing: Dressing) -> tuple[Shot, dict[str, Any]]:
    """A picture all over the frame 4 m away, and a grey card before it, 2 m away."""
    shot = make_shot(
        {"back": SIZE, "card": (100, 100)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        layers=[
            {"name": "back", "picture": "back", "distance": 4.0, "scale": 1.3},
            {"name": "card", "picture": "card", "distance": 2.0, "scale": 0.9, "group": "near"},
        ],
    )
    looks = {"back": pyramid_of(picture(rng)), "card": pyramid_of(flat((0.2,) * 3, 1, (100, 100)))}
    return shot.evolve(dressing=dressing), looks


def codes_of(shot: Shot, looks: dict[str, Any]) -> np.ndarray:
    return Renderer(shot, looks, threads=1).rgb(0)


# --- colour -----------------------------------------------------------------------------------


def test_matrices_are_those_of_filter_effects() -> None:
    """W3C Filter Effects Level 1, section 9.4: its tables at 0, 0.5 and 90 degrees."""
    assert saturation(0) == pytest.approx(np.tile([0.213, 0.715, 0.072], (3, 1)))
    half = [[0.6065, 0.3575, 0.036], [0.1065, 0.8575, 0.036], [0.1065, 0.3575, 0.536]]
    assert saturation(0.5) == pytest.approx(np.array(half))
    turned = [[0.0, 0.0, 1.0], [0.356, 0.855, -0.211], [-0.574, 1.43, 0.144]]
    assert hue_rotation(90) == pytest.approx(np.array(turned), abs=1e-12)
    code = np.array([[0.6, 0.4, 0.3]])
    found = graded([Colourfulness(**E, saturation=0.5, turned=90)], code)
    assert found == pytest.approx(code @ (hue_rotation(90) @ saturation(0.5)).T, abs=4e-4)


def test_a_white_point_is_adapted_as_colour_science_does() -> None:
    for kelvin in (2500.0, 3200.0, 5000.0, 9000.0):
        expected = colour.adaptation.matrix_chromatic_adaptation_VonKries(
            white_of(kelvin), white_of(6504), transform="Bradford"
        )
        space = colour.RGB_COLOURSPACES["sRGB"]
        to_xyz = space.matrix_RGB_to_XYZ
        rgb = np.linalg.inv(to_xyz) @ expected @ to_xyz
        assert adapted(kelvin) == pytest.approx(rgb, abs=2e-3)
    assert adapted(6504) == pytest.approx(np.eye(3), abs=1e-9)


def test_what_is_picked_as_neutral_becomes_grey(rng: np.random.Generator) -> None:
    for kelvin, tint in ((3000.0, 0.3), (4500.0, -0.5), (9000.0, 0.0)):
        lit = np.linalg.inv(adapted(kelvin)) @ np.full(3, 0.3)
        lit *= [2 ** (-tint / 4), 2 ** (tint / 4), 2 ** (-tint / 4)]
        found = neutral_of(lit)
        code = encode_srgb(lit.clip(0, 1))[None]
        grey = graded([WhiteBalance(**E, kelvin=found[0], tint=found[1])], code)[0]
        assert np.ptp(grey) < 0.004


def test_curves_levels_and_contrast_are_their_functions() -> None:
    """Curves against SciPy's PCHIP; levels and contrast against their formulas."""
    ramp = np.repeat(np.linspace(0, 1, 301)[:, None], 3, axis=1)
    points = ((0.0, 0.1), (0.3, 0.2), (0.7, 0.9), (1.0, 0.95))
    curve = PchipInterpolator(*np.array(points).T)(ramp)
    assert graded([Curves(**E, value=points)], ramp) == pytest.approx(curve, abs=5e-4)
    grey = graded([Curves(**E, lightness=points)], ramp)
    assert grey == pytest.approx(curve, abs=8e-4)
    levels = LevelsOf(**E, black=0.1, white=0.8, middle=1.4, out_black=0.05)
    expected = 0.05 + 0.95 * np.clip((ramp - 0.1) / 0.7, 0, 1) ** (1 / 1.4)
    assert graded([levels], ramp) == pytest.approx(expected, abs=1.5e-3)
    bent = np.clip(0.435 + (ramp - 0.435) * 1.6, 0, 1)
    assert graded([Contrast(**E, contrast=1.6)], ramp) == pytest.approx(bent, abs=6e-4)
    brighter = graded([Exposure(**E, stops=1)], ramp[:150])
    assert linearise_srgb(brighter) == pytest.approx(2 * linearise_srgb(ramp[:150]), abs=5e-4)
    mixed = graded([Contrast(**E, contrast=1.6, amount=0.25)], ramp)
    assert mixed == pytest.approx(ramp + 0.25 * (bent - ramp), abs=6e-4)


def test_points_of_a_curve_have_keys_that_follow_them(rng: np.random.Generator) -> None:
    """Half-way between two keys the curve is SciPy's through the points half-way."""
    shot, looks = stage(rng)
    shot = do(shot, "add_effect", start="curves")
    curve = {"thing": "curves:e1", "channel": "value"}
    shot = do(shot, "set_curve", **curve, points="[[0, 0], [0.4, 0.4], [1, 1]]")
    shot = do(shot, "set_key", of="curves:e1", value="value_2", frame=0)
    # Dragged at another frame, with auto-key on, it is another curve there.
    bent = {**curve, "points": "[[0, 0], [0.45, 0.8], [1, 1]]"}
    shot = edits.apply(shot, "set_curve", bent, at=10, auto_key=True)
    assert [(key.frame, key.value) for key in shot.rows[0].keys] == [(0, 0.4), (10, 0.8)]
    half = effects_in(evaluate(shot, [5])[0])[0]
    assert isinstance(half, Curves) and half.value[1][1] == pytest.approx(0.6, abs=0.03)
    # One more before it: its keys go with it. Taken away, they go.
    more = "[[0, 0], [0.2, 0.1], [0.45, 0.4], [1, 1]]"
    moved = do(shot, "set_curve", **curve, points=more)
    assert [row.value for row in moved.rows] == ["value_3"]
    assert len(moved.rows[0].keys) == 2
    gone = do(moved, "set_curve", **curve, points="[[0, 0], [0.2, 0.1], [1, 1]]")
    assert gone.rows == ()
    # A file whose rows name a point that is not there is read, and renders.
    bare = moved.evolve(dressing=(moved.dressing[0].evolve(value=((0, 0), (1, 1))),))
    assert (codes_of(bare, looks) == codes_of(bare.evolve(rows=()), looks)).all()


def test_two_tones_go_from_one_colour_to_the_other() -> None:
    ramp = np.repeat(np.linspace(0, 1, 11)[:, None], 3, axis=1)
    found = graded([Tones(**E, dark="#204060", light="#f0c080")], ramp)
    ends = np.array([[0x20, 0x40, 0x60], [0xF0, 0xC0, 0x80]]) / 255
    expected = ends[0] + (ends[1] - ends[0]) * ramp
    assert found == pytest.approx(expected, abs=1e-3)


def test_identity_settings_change_no_byte(rng: np.random.Generator) -> None:
    """Every effect as it comes, but for those that begin with something to see, is neutral so."""
    still = {
        "tones": {"amount": 0}, "vignette": {"strength": 0}, "grain": {"strength": 0},
        "halftone": {"amount": 0}, "screen": {"amount": 0}, "poster": {"amount": 0},
        "ground": {"strength": 0},
        "mono": {"amount": 0}, "blur": {"size": 0}, "sharpen": {"strength": 0},
        "soft-lights": {"strength": 0}, "pixels": {"size": 1}, "split": {"size": 0},
        "ink": {"strength": 0}, "edge": {"soft": 0}, "wipe": {"amount": 0},
        "light-wrap": {"strength": 0}, "contact": {"strength": 0},
        "old-film": dict.fromkeys(("flicker", "weave", "dust", "scratches"), 0),
    }  # fmt: skip
    shot, looks = stage(rng)
    plain = codes_of(shot, looks)
    for over in (Over(), Over(kind=On.LAYER, of="back"), Over(kind=On.GROUP, of="near")):
        effects = [
            kind.model_validate({"id": name, "name": name} | still.get(name, {})).evolve(over=over)
            for name, kind in EFFECTS.items()
        ]
        same = shot.evolve(dressing=tuple(effects))
        assert (codes_of(same, looks) == plain).all()
        assert parse_shot(dump_shot(same)) == same


def test_order_counts_and_amount_and_what_it_is_on(rng: np.random.Generator) -> None:
    tones = Tones(id="a", name="a", dark="#102030", light="#ffddaa")
    sat = Colourfulness(id="b", name="b", saturation=0)
    shot, looks = stage(rng, tones, sat)
    grey = codes_of(shot, looks)
    assert np.ptp(grey.astype(int), axis=-1).max() <= 1
    turned = do(shot, "order_dressing", thing="tones:a", to=1)
    assert [each.id for each in turned.dressing] == ["b", "a"]
    assert np.ptp(codes_of(turned, looks).astype(int), axis=-1).max() > 30
    plain = codes_of(shot.evolve(dressing=()), looks)
    near = do(shot.evolve(dressing=(tones,)), "set_over", thing="tones:a", over="group:near")
    changed = (codes_of(near, looks) != plain).any(axis=-1)
    far = do(near, "set_over", thing="tones:a", over="depth")
    far = do(far, "set_dressing", thing="tones:a", **{"from": 3})
    others = (codes_of(far, looks) != plain).any(axis=-1)
    assert changed[90, 160] and not changed[5, 5] and others[5, 5] and not others[90, 160]
    off = do(near, "set_dressing", thing="tones:a", on=False)
    assert (codes_of(off, looks) == plain).all()


def test_live_tables_are_what_is_rendered(rng: np.random.Generator) -> None:
    """33 a side, looked up by SciPy-free trilinear mixing: within 1.5 codes of 255."""
    effects = [Tones(**E, amount=0.7), Contrast(id="c", name="c", contrast=1.2)]
    table = colour_table(effects, 33).astype(float)
    codes = rng.random((500, 3))
    lut = colour.LUT3D(table.transpose(2, 1, 0, 3))
    assert lut.apply(codes) == pytest.approx(graded(effects, codes), abs=1.5 / 255)


# --- tables -----------------------------------------------------------------------------------


def test_cubes_are_read_and_written_as_colour_science_does(
    rng: np.random.Generator, tmp_path: Any
) -> None:
    """200 random tables through our writer and their reader, both ways of mixing; identity."""
    for n in range(200):
        side = int(rng.integers(2, 9))
        table = rng.random((side, side, side, 3))
        path = tmp_path / "a.cube"
        path.write_text(cube_text(table, f"Table {n}"))
        theirs = colour.io.read_LUT_IridasCube(str(path))
        assert theirs.table.transpose(2, 1, 0, 3) == pytest.approx(table, abs=1e-6)
        mine = read_cube(path.read_text())
        assert mine.title == f"Table {n}" and mine.table == pytest.approx(table, abs=1e-6)
        kept = unpacked(packed(mine))
        assert kept == pytest.approx(table, abs=1e-5)
        if n % 20:
            continue
        codes = rng.random((200, 3))
        for exact, way in (
            (True, colour.algebra.table_interpolation_tetrahedral),
            (False, colour.algebra.table_interpolation_trilinear),
        ):
            found = graded([Table(**E, table=packed(mine), exact=exact)], codes)
            expected = theirs.apply(codes, interpolator=way)
            assert found == pytest.approx(expected, abs=1.2e-3)
    identity = colour.LUT3D(size=17)
    text = io.StringIO()
    path = tmp_path / "identity.cube"
    colour.io.write_LUT_IridasCube(identity, str(path))
    text.write(path.read_text())
    codes = rng.random((200, 3))
    same = graded([Table(**E, table=packed(read_cube(text.getvalue())))], codes)
    assert same == pytest.approx(codes, abs=6e-4)


def test_one_dimensional_tables_and_domains(tmp_path: Any) -> None:
    line = np.linspace(0, 1, 32)[:, None] ** np.array([1.2, 0.8, 2.0])
    text = cube_text(line, "Line")
    path = tmp_path / "line.cube"
    path.write_text(text)
    assert colour.io.read_LUT_IridasCube(str(path)).table == pytest.approx(line, abs=1e-6)
    codes = np.repeat(np.linspace(0, 1, 50)[:, None], 3, axis=1)
    found = graded([Table(**E, table=packed(read_cube(text)))], codes)
    expected = np.stack(
        [np.interp(codes[:, c], np.linspace(0, 1, 32), line[:, c]) for c in range(3)], -1
    )
    assert found == pytest.approx(expected, abs=3e-3)
    wide = text.replace("DOMAIN_MAX 1 1 1", "DOMAIN_MAX 2 2 2")
    half = read_cube(wide).table
    assert half[-1] == pytest.approx([np.interp(0.5, np.linspace(0, 1, 32), x) for x in line.T])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no .cube"),
        ("LUT_3D_SIZE 256\n", "2 to 65"),
        ("LUT_3D_SIZE x\n", "size is missing"),
        ("LUT_3D_SIZE 2\n0 0 0\n", "must have 8"),
        ("LUT_1D_SIZE 2\n0 0 0\nnan 1 1\n", "plain numbers"),
        ("LUT_1D_SIZE 2\n0 0 0\n1 1\n", "no colour"),
        ("LUT_1D_SIZE 2\n0 0 0\n1 1 1\n1 1 1\n", "more colours"),
        ("LUT_1D_SIZE 2\nDOMAIN_MAX 0 0 0\n0 0 0\n1 1 1\n", "domain"),
        ("<script>alert(1)</script>\n", "no colour"),
    ],
)
def test_tables_that_are_none_are_refused_by_a_sentence(text: str, says: str) -> None:
    with pytest.raises(ShotError, match=says):
        read_cube(text)


def test_a_damaged_table_in_a_file_is_refused() -> None:
    good = packed(Cube(np.zeros((2, 2, 2, 3))))
    for bad in ("cube 2 ????", "cube 33 " + good.split()[-1], "line 9", "cube 999999 AAAA"):
        with pytest.raises((ShotError, ValueError)):
            Table(**E, table=bad)


# --- matching ---------------------------------------------------------------------------------


def _regraded(codes: np.ndarray) -> list[np.ndarray]:
    light, value = linearise_srgb(codes / 255), codes / 255
    grey = (value @ [0.2126, 0.7152, 0.0722])[..., None]
    return [
        encode_srgb(np.clip(light * [1.5, 1, 0.55], 0, 1)),
        encode_srgb(np.clip(light * [0.35, 0.5, 0.8], 0, 1)),
        0.25 + 0.55 * (value * 0.6 + 0.4 * grey),
        np.clip(0.5 + (value - 0.5) * 1.5 + [0.05, 0, -0.05], 0, 1),
    ]


def test_a_match_at_half_strength_comes_nearer() -> None:
    """Known regrades of scikit-image's photographs, subject against surroundings: a mean
    difference (CIE 1976) of 17 at most, no worse than 45, and no two tones change order."""
    off, plain, newer = [], [], []
    photographs = [getattr(skimage.data, name)() for name in ("astronaut", "coffee", "chelsea")]
    photographs += [skimage.data.rocket(), skimage.data.stereo_motorcycle()[0]]
    for photograph in photographs:
        scale = 300 / max(photograph.shape[:2])
        codes = cv2.resize(
            photograph[..., :3], None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA
        )
        high, wide = codes.shape[:2]
        y, x = np.mgrid[:high, :wide]
        subject = ((x - wide / 2) / wide / 0.25) ** 2 + ((y - high / 2) / high / 0.3) ** 2 < 1
        for target in _regraded(codes):
            other = np.rint(target * 255).clip(0, 255).astype(np.uint8)
            own = statistics(codes[subject], np.ones(subject.sum()))
            theirs = statistics(other[~subject], np.ones((~subject).sum()))
            matrix = match_matrix(own, theirs, 0.5, 0.5)
            before = codes[subject] / 255
            found = np.clip(before @ matrix[:, :3].T + matrix[:, 3], 0, 1)
            wanted = other[subject] / 255
            lab = [colour.XYZ_to_Lab(colour.sRGB_to_XYZ(each)) for each in (found, wanted, before)]
            off.append(np.linalg.norm(lab[0] - lab[1], axis=1).mean())
            plain.append(np.linalg.norm(lab[2] - lab[1], axis=1).mean())
            # Of luma alone: a rising line.
            assert matrix[:, :3].sum(axis=1) == pytest.approx(matrix[0, :3].sum())
            assert matrix[0, :3].sum() > 0.5
            # The measures themselves: scikit-image's and colour-science's agree.
            for other, ours in (
                (skimage.color.deltaE_ciede2000, "CIE 2000"),
                (skimage.color.deltaE_ciede94, "CIE 1994"),
            ):
                two = (other(lab[1][:99], lab[0][:99]), colour.delta_E(*lab[1::-1], ours)[:99])
                assert two[0] == pytest.approx(two[1], abs=1e-2), ours
            newer.append(skimage.color.deltaE_ciede2000(lab[1], lab[0]).mean())
    assert np.mean(newer) < 14 and max(newer) < 30
    assert np.mean(off) < 17 and max(off) < 45 and np.mean(off) < 0.75 * np.mean(plain)


# --- texture ----------------------------------------------------------------------------------


def test_a_palette_finds_the_colours_a_picture_is_made_of(rng: np.random.Generator) -> None:
    colours = np.array(
        [[20, 30, 60], [120, 60, 40], [90, 140, 90], [220, 180, 120], [250, 245, 235]]
    )
    codes = np.repeat(colours, 400, axis=0) + rng.integers(-4, 5, (2000, 3))
    found = palette(codes.astype(np.uint8).clip(0, 255), np.ones(2000))
    order = np.argsort(colours @ [0.2126, 0.7152, 0.0722])
    near = np.array([list(bytes.fromhex(each[1:])) for each in found])
    assert near == pytest.approx(colours[order], abs=4)


def test_paper_and_canvas_move_neither_black_nor_white(rng: np.random.Generator) -> None:
    for stuff in Stuff:
        ground = Ground(**E, stuff=stuff, strength=1)
        shot, looks = stage(rng, ground)
        means = []
        for light in (0.0, 0.2140, 1.0):
            looks["back"] = pyramid_of(flat((light,) * 3, 1, SIZE))
            frame = codes_of(shot.evolve(layers=shot.layers[:1]), looks)[..., 0] / 255
            means.append((frame.mean(), frame.std()))
        assert means[0] == (0, 0) and means[2] == (1, 0)
        assert means[1][0] == pytest.approx(0.5, abs=0.02) and means[1][1] > 0.03


@pytest.mark.parametrize("shape", [*ScreenShape])
def test_a_halftones_ink_is_the_tone(rng: np.random.Generator, shape: ScreenShape) -> None:
    """Of flat tones of every darkness the mean ink is within 1 %; on the frame and on a layer."""
    dots = Halftone(**E, pitch=90, angle=27, shape=shape, ink="#000000", paper="#ffffff")
    assert screen_ranks(shape).mean() == pytest.approx(0.5, abs=1e-3)
    for code in (0.04, 0.25, 0.5, 0.75, 0.96):
        light = float(linearise_srgb(code))
        for fixed in ("", "back"):
            shot, looks = stage(rng, dots.evolve(fixed=fixed))
            looks["back"] = pyramid_of(flat((light,) * 3, 1, SIZE))
            frame = Renderer(shot.evolve(layers=shot.layers[:1]), looks, threads=1).linear(0)
            ink = 1 - frame[..., 0].mean() / 65535
            assert ink == pytest.approx(1 - code, abs=0.01)


def test_clear_paper_lets_through_what_is_behind(rng: np.random.Generator) -> None:
    dots = Halftone(**E, pitch=80, clear=True, over=Over(kind=On.LAYER, of="card"))
    shot, looks = stage(rng, dots)
    plain = codes_of(shot.evolve(dressing=(), layers=shot.layers[:1]), looks)
    same = (codes_of(shot, looks) == plain).all(axis=-1)[60:120, 130:190]
    assert 0.05 < same.mean() < 0.95


def test_grain_has_no_mean_and_the_spectrum_of_its_size() -> None:
    """Against SciPy's Welch: white noise blurred by a Gaussian as wide as its size tells."""
    tile = grain_tile(3.0, 5)
    assert tile.mean(axis=(1, 2)) == pytest.approx(0, abs=1e-5)
    assert tile.std(axis=(1, 2)) == pytest.approx(1, abs=1e-4)
    frequency, power = welch(tile[0], nperseg=128, axis=1)
    power = power.mean(axis=0)
    sigma = 3 / 2.355
    expected = np.exp(-((2 * np.pi * frequency * sigma) ** 2))
    shown = (frequency > 0.02) & (expected > 0.05)
    ratio = power[shown] / expected[shown]
    assert ratio / ratio.mean() == pytest.approx(1, abs=0.12)


def test_grain_moves_or_stands_and_is_the_same_out_of_order(rng: np.random.Generator) -> None:
    shot, looks = stage(rng, Grain(**E, strength=0.1))
    still = shot.evolve(dressing=(Grain(**E, strength=0.1, moves=False),), rows=())
    renderer = Renderer(shot, looks, threads=1)
    later, first = renderer.rgb(5), renderer.rgb(0)
    assert (first == Renderer(shot, looks, threads=2).rgb(0)).all()
    assert (first != later).mean() > 0.5
    card = np.s_[80:100, 150:170]
    standing = Renderer(still, looks, threads=1)
    assert (standing.rgb(0)[card] == standing.rgb(5)[card]).mean() > 0.9


# --- masks ------------------------------------------------------------------------------------


def test_masks_are_their_shapes(rng: np.random.Generator) -> None:
    """An ellipse, a strip and a gradient against their formulas; inside and outside."""
    y, x = np.mgrid[:180, :320] + 0.5
    u, v = (x / 320 - 0.5 - 0.1) / 0.4 * 2, (0.5 - y / 180 - 0.05) / 0.5 * 2

    def smooth(value: np.ndarray) -> np.ndarray:
        share = np.clip(value, 0, 1)
        return share * share * (3 - 2 * share)

    expected = {
        MaskShape.ELLIPSE: smooth((1 - np.hypot(u, v)) / 0.6),
        MaskShape.STRIP: smooth((1 - abs(v)) / 0.6),
        MaskShape.GRADIENT: smooth(0.5 + v / 1.2),
    }
    shot, looks = stage(rng)
    looks["back"] = pyramid_of(flat((0.2,) * 3, 1, SIZE))
    for shape, share in expected.items():
        for outside in (False, True):
            mask = Mask(
                shape=shape, x=0.1, y=0.05, width=0.4, height=0.5, softness=0.6, outside=outside
            )
            dark = Exposure(**E, stops=-10, mask=mask)
            frame = Renderer(
                shot.evolve(dressing=(dark,), layers=shot.layers[:1]), looks, threads=1
            ).linear(0)[..., 0]
            seen = 1 - share if outside else share
            factor = 1 + (2.0**-10 - 1) * seen
            assert frame / 65535 == pytest.approx(0.2 * factor, abs=2e-4)


def test_masks_of_layers_and_depths_and_drawn_ones(rng: np.random.Generator) -> None:
    grey = Colourfulness(**E, saturation=0)
    shot, looks = stage(rng, grey)
    plain = codes_of(shot.evolve(dressing=()), looks)
    cut = do(shot, "set_mask", thing="colourfulness:e", shape="layer", of="card", outside=True)
    same = (codes_of(cut, looks) == plain).all(axis=-1)
    assert same[90, 160] and not same[5, 5]
    deep = do(shot, "set_mask", thing="colourfulness:e", shape="depth")
    deep = do(deep, "set_dressing", thing="colourfulness:e", mask_near=3, mask_far=6)
    assert not (codes_of(deep, looks) == plain).all(axis=-1)[5, 5]
    drawn = do(
        shot, "outline_mask", thing="colourfulness:e", frame=0, points="[[10,10],[90,10],[90,90]]"
    )
    mask = drawn.dressing[0].mask  # type: ignore[union-attr]
    assert mask and mask.shape is MaskShape.OUTLINE
    box = np.array([[mask.x, mask.y]]) + np.array(mask.outline) * [mask.width, mask.height]
    pixels = (box * [1, -1] + 0.5) * SIZE
    assert pixels == pytest.approx(np.array([[10, 10], [90, 10], [90, 90]]), abs=0.1)
    changed = (codes_of(drawn, looks) != plain).any(axis=-1)
    assert changed[30, 80] and not changed[150, 200]
    stays = do(drawn, "set_mask", thing="colourfulness:e", fixed="card")
    again = do(
        stays, "outline_mask", thing="colourfulness:e", frame=0,
        points="[[150,80],[170,80],[160,100]]",
    )  # fmt: skip
    inside = (codes_of(again, looks) != plain).any(axis=-1)
    assert not inside[30, 80]
    gone = do(cut, "remove_layer", layer="card")
    left = gone.dressing[0]
    assert not left.on and left.mask.of == "" and left.mask.outside  # type: ignore[union-attr]
    for points, says in (("[[1,1]]", "3 to 64"),):
        with pytest.raises(CoreError, match=says):
            do(shot, "outline_mask", thing="colourfulness:e", frame=0, points=points)


# --- softness ---------------------------------------------------------------------------------


def test_blurs_are_the_convolutions_they_say(rng: np.random.Generator) -> None:
    """In bands and on smaller copies: 65 dB of OpenCV's on the whole picture, but at its rim."""
    given = picture(rng)
    for sigma in (1.5, 6.0, 20.0):
        expected = cv2.GaussianBlur(given, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
        off = (soft(given, sigma, CREW).astype(float) - expected)[30:-30, 30:-30]
        assert 10 * math.log10(65535**2 / max(np.mean(off**2), 1e-9)) > 65
    sharp = np.zeros((180, 320, 4), np.uint16)
    sharp[90, 160] = 65535
    for way in (BlurWay.DISC, BlurWay.ALONG):
        seen = spread(sharp, Blur(**E, way=way, size=10, angle=90), WHOLE, CREW)[..., 0]
        assert float(seen.sum()) == pytest.approx(65535, rel=0.02)
        rows, columns = (np.flatnonzero(seen.sum(axis=axis)) for axis in (1, 0))
        assert np.ptp(rows) in (9, 10, 11)
        assert np.ptp(columns) in ((9, 10, 11) if way is BlurWay.DISC else (0, 1, 2))
    about = spread(given, Blur(**E, way=BlurWay.ZOOM, size=20), WHOLE, CREW)
    assert abs(about[90, 160].astype(int) - given[90, 160]).max() < 2500


def test_sharpening_never_overshoots_its_limit(rng: np.random.Generator) -> None:
    given = picture(rng)
    given[:, 160:, :3] //= 3
    luma_before = np.sqrt(given[..., :3] @ [0.2126, 0.7152, 0.0722] / 65535)
    for limit in (0.0, 0.03, 0.2):
        found = spread(given, Sharpen(**E, strength=4, size=6, limit=limit), WHOLE, CREW)
        now = np.sqrt(found[..., :3] @ [0.2126, 0.7152, 0.0722] / 65535)
        near = np.ones((3, 3), np.uint8)
        high = cv2.dilate(luma_before, near) + limit
        low = cv2.erode(luma_before, near) - limit
        assert (now <= high + 2e-3).all() and (now >= low - 2e-3).all()
        assert (found != given).mean() > 0.3


def test_a_wipe_and_a_vignette_lie_where_they_say(rng: np.random.Generator) -> None:
    wipe = Wipe(**E, angle=0, place=0.5, softness=0, over=Over(kind=On.LAYER, of="card"))
    shot, looks = stage(rng, wipe)
    bare = codes_of(shot.evolve(dressing=(), layers=shot.layers[:1]), looks)
    plain = codes_of(shot.evolve(dressing=()), looks)
    found = codes_of(shot, looks)
    assert (found[90, 140] == bare[90, 140]).all() and (found[90, 180] == plain[90, 180]).all()
    drawn_in = do(shot.evolve(dressing=(Vignetting(**E),)), "centre_vignette", thing="vignette:e",
                  layer="card")  # fmt: skip
    middle = drawn_in.dressing[0]
    assert (middle.x, middle.y) == pytest.approx((0, 0), abs=1e-4)  # type: ignore[union-attr]
    dark = codes_of(drawn_in, looks).astype(int)
    assert (dark[90, 160] == plain[90, 160]).all() and dark[2, 2].sum() < plain[2, 2].sum()


def test_a_blurred_layer_reaches_beyond_its_edge_and_hides_nothing(
    rng: np.random.Generator,
) -> None:
    blur = Blur(**E, size=24, over=Over(kind=On.LAYER, of="card"))
    shot, looks = stage(rng, blur)
    plain = codes_of(shot.evolve(dressing=()), looks)
    found = codes_of(shot, looks)
    edge = np.flatnonzero((plain[90] != codes_of(
        shot.evolve(dressing=(), layers=shot.layers[:1]), looks)[90]).any(axis=-1))  # fmt: skip
    assert (found[90, edge[0] - 3] != plain[90, edge[0] - 3]).any()
    assert (found[5, 5] == plain[5, 5]).all()


# --- scopes and looks -------------------------------------------------------------------------


def test_scopes_measure_colour_bars() -> None:
    """Bars of 75 %: luma of SMPTE RP 219 (BT.709 coefficients; values from memory)."""
    bars = np.array([(1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1)])
    codes = np.rint(np.repeat(bars[None], 20, axis=0) * 0.75 * 255).astype(np.uint8)
    expected = [0.75, 0.696, 0.590, 0.536, 0.214, 0.159, 0.054]
    assert luma(codes)[0] == pytest.approx(expected, abs=2e-3)
    cb, cr = differences(codes)
    assert cb[0, 6] == pytest.approx(0.375, abs=2e-3) and cr[0, 5] == pytest.approx(0.375, abs=2e-3)
    wide = np.repeat(codes, 40, axis=1)
    image = scope_of(wide, np.ones(wide.shape[:2]), Scope.WAVEFORM).astype(int).sum(axis=-1)
    for n, level in enumerate(expected):
        column = image[:, int((n + 0.5) / 7 * image.shape[1])]
        assert column.argmax() == pytest.approx((1 - level) * 255, abs=1.5)
    for scope in Scope:
        assert scope_of(wide, np.ones(wide.shape[:2]), scope).shape[0] == 256
    clipped = clipped_in(np.array([[0, 9, 9], [255, 3, 3], [5, 5, 5], [7, 7, 7]], np.uint8))
    assert (clipped.dark, clipped.light) == (0.25, 0.25)


def test_effects_are_copied_kept_as_a_look_and_put_on_others(rng: np.random.Generator) -> None:
    shot, _ = stage(rng)
    shot = do(shot, "add_effect", start="two-tones", over="layer:card")
    shot = do(shot, "add_effect", start="vignette", over="layer:card")
    shot = do(shot, "set_mask", thing="tones:e1", shape="ellipse", fixed="card")
    shot = do(shot, "set_key", of="tones:e1", value="mask_x", frame=3)
    copied = do(shot, "copy_effect", thing="tones:e1", over="layer:back")
    assert [row.of for row in copied.rows] == ["tones:e1", "tones:e3"]
    look = look_of(shot, "tones:e1")
    put = do(shot, "put_look", over="layer:back", **look)
    both = put.dressing[2:]
    assert [each.kind for each in both] == ["tones", "vignette"]
    assert both[0].over.of == "back" and both[0].mask.fixed == "back"  # type: ignore[union-attr]
    assert len({each.id for each in put.dressing}) == 4
    for thing, values, says in (
        ("tones:e1", {"channel": "value", "points": "[]"}, "no curves"),
        ("tones:e9", {"channel": "value", "points": "[]"}, "no 'tones:e9'"),
    ):
        with pytest.raises(CoreError, match=says):
            do(shot, "set_curve", thing=thing, **values)
    curves = do(shot, "add_effect", start="curves")
    with pytest.raises(CoreError, match="one point"):
        do(curves, "set_curve", thing="curves:e3", channel="red", points="[[0.5, 0.5]]")
    bent = do(curves, "set_curve", thing="curves:e3", channel="red", points="[[1, 1], [0, 0.2]]")
    assert bent.dressing[-1].red == ((0.0, 0.2), (1.0, 1.0))  # type: ignore[union-attr]
    levels = do(shot, "add_effect", start="levels")
    with pytest.raises(CoreError, match="below white"):
        do(levels, "set_dressing", thing="levels:e3", black=90, white=20)
    many = shot.evolve(rows=(), dressing=tuple(Exposure(id=f"x{n}", name="x") for n in range(200)))
    with pytest.raises(CoreError, match="200 effects"):
        do(many, "add_effect", start="poster")
