"""Fog, shafts, veils, particles, rays and glow against laws, quadrature and statistics."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad, solve_ivp
from scipy.stats import chisquare, poisson

from tests.conftest import make_shot, pyramid_of
from tests.core.test_lamp_shadows import figure
from tests.core.test_lamps import lamp
from tests.core.test_mounts import do
from tests.core.test_render import flat
from vistaline.core.edits.starts import STARTS
from vistaline.core.errors import CoreError
from vistaline.core.geometry import space
from vistaline.core.render.added import Added
from vistaline.core.render.bright import bright_of
from vistaline.core.render.crew import Crew
from vistaline.core.render.frame import Renderer
from vistaline.core.render.glow import glow_of
from vistaline.core.render.rays import rays_of
from vistaline.core.render.shelf import Shelf
from vistaline.core.shot.air import Emits, Fog, Particles, Shape, Veils
from vistaline.core.shot.beams import Flare, Glow, Rays, Shaft
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.dressing import DRESSINGS, Dressing
from vistaline.core.shot.edges import Wipe
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.dressing import InAir
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.haze import FARTHEST, haze_of
from vistaline.core.stage.particles import SPELL, flock_at, path_of
from vistaline.core.stage.placing import stage_card

SIZE = (320, 180)


def stage(*dressing: Dressing, **more: Any) -> tuple[Shot, dict[str, Any]]:
    """A grey wall 6 m away, and a figure before it."""
    shot = make_shot(
        {"grey": (320, 180), "figure": (200, 400)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 48},
        layers=[
            {"name": "wall", "picture": "grey", "distance": 6.0, "scale": 1.5},
            {"name": "figure", "picture": "figure", "distance": 3.0, "scale": 0.4},
        ],
    )
    looks = {"grey": pyramid_of(flat((0.3, 0.3, 0.3), 1, (320, 180)))}
    return shot.evolve(dressing=dressing, **more), looks | {"figure": pyramid_of(figure())}


def rendered(shot: Shot, looks: dict[str, Any], frame: float = 0) -> np.ndarray:
    return Renderer(shot, looks, threads=1).linear(frame)[..., :3] / 65535


# --- fog ------------------------------------------------------------------------------------------


def test_fog_takes_away_by_beer_and_lambert(rng: np.random.Generator) -> None:
    """A fiftieth of the contrast is left at the visibility; in height by SciPy's quadrature."""
    fog = Fog(id="f", name="f", visibility=12.0, base=0.4, thins=1.3, colour="#ff8000")
    haze = haze_of([InAir(fog, np.eye(4), np.ones(3))], np.zeros(3), 0.0)
    home = np.array([0.2, 1.0, 0.0])
    ways = rng.normal(size=(40, 3))
    ways[0], ways[1] = (1, 0, 0), (1, 1e-4, 0)  # level, and all but level
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    far = rng.uniform(0.1, 30, 40)
    kept, added = haze(home, ways, far)
    for n in range(40):
        depth, _ = quad(
            lambda s, n=n: 3.912 / 12 * math.exp(-(home[1] + s * ways[n, 1] - 0.4) / 1.3),
            0,
            far[n],
        )
        assert kept[n] == pytest.approx(math.exp(-depth), rel=1e-5, abs=1e-9)
    assert added[:, 0] == pytest.approx(1 - kept)
    even = haze_of([InAir(fog.evolve(thins=0), np.eye(4), np.ones(3))], np.zeros(3), 0.0)
    kept, _ = even(home, ways[:1], np.array([12.0]))
    assert kept[0] == pytest.approx(0.02, rel=1e-3)


def test_a_fogged_frame_is_the_law_at_every_pixel() -> None:
    """88 dB and more, though it is computed every eight pixels."""
    fog = Fog(id="f", name="f", visibility=9.0, base=0.0, thins=2.0, colour="#8090a0")
    shot, looks = stage(fog)
    frame = rendered(shot.evolve(layers=shot.layers[:1]), looks)
    state = evaluate(shot, [0])[0]
    camera, a = state.camera, state.cards[0].nearness(state.camera)
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    ways = np.stack([x, y, np.ones_like(x)], -1) @ np.linalg.inv(camera.image_from_camera).T
    deep = np.linalg.norm(ways, axis=-1)
    near = a[0] * x + a[1] * y + a[2]
    kept, added = state.haze(
        np.array(camera.position), (ways / deep[..., None]).reshape(-1, 3), (deep / near).ravel()
    )
    expected = 0.3 * kept[:, None] + added
    error = frame.reshape(-1, 3) - expected
    assert 10 * math.log10(1 / np.mean(error**2)) > 88


def test_the_sky_lies_in_fog_or_does_not() -> None:
    fog = Fog(id="f", name="f", visibility=5.0, colour="#808080")
    shot, looks = stage(fog)
    bare = shot.evolve(layers=(), background="#204060")
    assert rendered(bare, looks) == pytest.approx(0.2159, abs=2e-4)
    clear = bare.evolve(dressing=(fog.evolve(sky=False),))
    assert rendered(clear, looks) == pytest.approx(rendered(bare.evolve(dressing=()), looks))


def test_without_light_and_air_nothing_changes() -> None:
    shot, looks = stage()
    off = Fog(id="f", name="f", on=False)
    plain = Renderer(shot, looks, threads=1).rgb(0)
    assert (Renderer(shot.evolve(dressing=(off,)), looks, threads=1).rgb(0) == plain).all()
    alone = shot.evolve(
        dressing=(Fog(id="f", name="f"), Glow(id="g", name="g", brightness=0)), solo="glow:g"
    )
    assert (Renderer(alone, looks, threads=1).rgb(0) == plain).all()


# --- shafts ---------------------------------------------------------------------------------------


def test_a_shaft_is_its_light_along_the_ray() -> None:
    """Against 400 points on every ray; no hard foot: it ends in nothing."""
    shaft = Shaft(
        id="s", name="s", position=(-1, 0.8, -3), pan=-70, tilt=-20, width=0.5, height=0.7,
        length=3, dust=0, spread=8, softness=0.6, brightness=1, colour="#ffffff",
    )  # fmt: skip
    shot, _ = stage(shaft)
    state = evaluate(shot, [0])[0]
    [beam] = state.haze.beams
    away = np.linalg.inv(beam.pose)
    x, y = np.meshgrid(np.linspace(-0.6, 0.6, 30), np.linspace(-0.4, 0.4, 20))
    ways = np.stack([x.ravel(), y.ravel(), np.full(x.size, -1.0)], -1)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    _, added = state.haze(np.zeros(3), ways, np.full(len(ways), 5.0))

    def smooth(value: np.ndarray) -> np.ndarray:
        share = np.clip(value, 0, 1)
        return share * share * (3 - 2 * share)

    step = 5 / 400
    along = (np.arange(400) + 0.5) * step
    places = ways[:, None] * along[:, None]
    own = places @ away[:3, :3].T + away[:3, 3]
    w, slope = -own[..., 2], math.tan(math.radians(4))
    light = np.where((w > 0) & (w < 3), (1 - w / 3) ** 2, 0)
    for side, half in ((0, 0.25), (1, 0.35)):
        light = light * smooth((1 - abs(own[..., side]) / (half + slope * w)) / 0.6)
    expected = light.sum(axis=1) * step / (2 * (0.25 + slope * 3 / 4))
    assert expected.max() > 0.3
    error = added[:, 0] - expected
    assert 10 * math.log10(expected.max() ** 2 / np.mean(error**2)) > 46


def test_an_opening_of_any_shape_lets_light_through_inside_only() -> None:
    """Across the opening, against the distance to a triangle's three sides."""
    corners = ((-0.5, -0.5), (0.5, -0.5), (0.0, 0.5))
    shaft = Shaft(
        id="s", name="s", position=(0, 0, -2), pan=0, tilt=0, width=1, height=1, length=1e-3,
        dust=0, spread=0, softness=0.3, brightness=1, colour="#ffffff", outline=corners,
    )  # fmt: skip
    shot, _ = stage(shaft)
    haze = evaluate(shot, [0])[0].haze
    x, y = (each.ravel() for each in np.meshgrid(np.linspace(-0.6, 0.6, 41), [-0.4, -0.1, 0.2]))
    # Rays along the light, each through one place of the opening.
    ways = np.tile([0.0, 0.0, -1.0], (1, 1))
    light = np.array(
        [
            haze(np.array([u, v, 0.0]), ways, np.array([5.0]))[1][0, 0]
            for u, v in zip(x, y, strict=True)
        ]
    )
    inside = np.full(len(x), np.inf)
    for (ax, ay), (bx, by) in zip(corners, corners[1:] + corners[:1], strict=True):
        area = (bx - ax) * (y - ay) - (by - ay) * (x - ax)
        inside = np.minimum(inside, area / math.hypot(bx - ax, by - ay))
    share = np.clip(2 * inside / 0.3, 0, 1)
    expected = share * share * (3 - 2 * share)
    assert expected.max() > 0.9
    assert light == pytest.approx(expected * light.max() / expected.max(), abs=0.03 * light.max())


def test_what_stands_in_a_shaft_cuts_it_off() -> None:
    """Behind the figure, as the light goes, it is dark; before it nothing changes."""
    shaft = Shaft(
        id="s", name="s", position=(-1.5, 0, -2), pan=-60, tilt=0, width=2, height=2, length=8,
        spread=0, brightness=1, dust=0,
    )  # fmt: skip
    shot, looks = stage(shaft)
    cut, whole = (
        rendered(shot.evolve(dressing=(shaft.evolve(cut=each),)), looks) for each in (True, False)
    )
    lost = (whole - cut)[..., 0]
    assert lost.max() > 0.02
    assert lost.min() > -1e-3
    in_front = shot.evolve(layers=shot.layers[1:])
    figures = Renderer(in_front, looks, threads=1).linear(0, over_ground=False)[..., 3] == 65535
    before = [
        rendered(in_front.evolve(dressing=(shaft.evolve(cut=each),)), looks)[figures]
        for each in (True, False)
    ]
    assert before[0] == pytest.approx(before[1], abs=0.03)


# --- particles ------------------------------------------------------------------------------------


def test_as_many_come_about_as_poisson_says() -> None:
    """Chi-squared over 4,000 spells of a rate of 40 a second."""
    motes = Particles(id="p", name="p", rate=40, life=SPELL / 2, life_spread=0, fades_in=0)
    motes = motes.evolve(life=SPELL * 4000, fades_out=0)
    shot, _ = stage(motes)
    flock = flock_at(shot, motes, 48 * 4000 * SPELL / 2)
    total = 40 * SPELL * 4000
    assert len(flock.radii) == pytest.approx(total, abs=5 * math.sqrt(total))
    ages = flock.places  # all differ
    assert len(np.unique(ages[:, 0])) == len(ages)
    counts = _counts_by_spell(motes)
    kinds = np.arange(0, 12)
    seen = np.array([(counts == k).sum() for k in kinds])
    expected = poisson.pmf(kinds, 40 * SPELL) * len(counts)
    seen[-1] += (counts > 11).sum()
    expected[-1] += len(counts) - expected.sum()
    assert chisquare(seen, expected).pvalue > 0.001


def _counts_by_spell(motes: Particles) -> np.ndarray:
    from vistaline.core.stage.particles import _counts

    spells = np.arange(-2000, 2000)
    return _counts(motes.seed, spells, np.full(4000, 40.0), np.full(4000, 1.0))


@pytest.mark.parametrize("drag", [0.0, 1e-5, 0.3, 4.0])
def test_a_path_is_the_solution_of_its_equation(drag: float) -> None:
    """dv/dt = g - drag (v - wind), by SciPy's Runge-Kutta."""
    solved = solve_ivp(
        lambda _, y: [y[1], -9.81 - drag * (y[1] - 0.7)], (0, 3), (0.4, 2.5), rtol=1e-10, atol=1e-12
    ).y[:, -1]
    assert path_of(0.4, 2.5, 0.7, -9.81, drag, 3.0) == pytest.approx(tuple(solved), rel=1e-6)


@pytest.mark.timeout(900)
def test_particles_are_in_the_air_at_the_first_frame_and_any_frame_stands_alone() -> None:
    """2,000 frames in a random order are those in order, byte for byte."""
    sparks = STARTS["sparks"].thing.evolve(id="p")
    motes = STARTS["motes"].thing.evolve(id="q", turbulence=0.1)
    shot, looks = stage(sparks, motes, frame={"width": 32, "height": 18, "duration": 2000})
    assert isinstance(motes, Particles)
    first = flock_at(shot, motes, 0.0)
    assert len(first.radii) == pytest.approx(motes.rate * motes.life, rel=0.3)
    renderer = Renderer(shot, looks, threads=1)
    in_order = [renderer.rgb(n).tobytes() for n in range(2000)]
    fresh = Renderer(shot, looks, threads=1)
    for n in np.random.default_rng(3).permutation(2000).tolist():
        assert fresh.rgb(n).tobytes() == in_order[n]
    assert len(set(in_order)) > 1900


def test_what_is_nearer_hides_particles() -> None:
    behind = Particles(id="p", name="p", position=(0, 0, -4.5), size=(3, 2, 0.1), rate=400)
    behind = behind.evolve(speed=0, drift=(0, 0, 0), turbulence=0, radius=0.01)
    shot, looks = stage(behind)
    shot = shot.evolve(layers=shot.layers[1:])
    there = Renderer(shot, looks, threads=1).linear(0, over_ground=False)
    figures = Renderer(shot.evolve(dressing=()), looks, threads=1)
    inside = figures.linear(0, over_ground=False)[..., 3] == 65535
    assert there[inside][:, :3].max() == 0
    assert there[~inside][:, :3].max() > 20000
    front = behind.evolve(position=(0, 0, -2.0))
    there = Renderer(shot.evolve(dressing=(front,)), looks, threads=1).linear(0)
    assert there[inside][:, :3].max() > 20000


# --- what shines over the frame -------------------------------------------------------------------


def test_glow_keeps_the_lights_sum_and_does_not_flicker() -> None:
    """To 1 %; and a small light that moves by parts of a pixel keeps its glow to 5 %."""
    sums, peaks = [], []
    for shift in np.linspace(0, 2, 9):
        y, x = np.mgrid[:256, :256]
        spot = 60000 * np.exp(-((x - 128.3 - shift) ** 2 + (y - 127.1) ** 2) / 2)
        picture = np.zeros((256, 256, 4), np.uint16)
        picture[..., :3], picture[..., 3] = spot[..., None], 65535
        ground = np.zeros(3, np.float32)
        bright = bright_of(picture, ground, 0.0, 1e-4, Crew(1), Shelf())
        light = glow_of(bright, 24, Crew(1), Shelf())
        out = np.zeros_like(picture) + np.uint16([0, 0, 0, 65535])
        Added(light, 2, np.ones(3, np.float32)).to(out, Crew(1))
        sums.append(out[..., 0].sum() / picture[..., 0].sum())
        peaks.append(light.max())
    assert sums == pytest.approx([1.0] * 9, rel=0.01)
    assert max(peaks) / min(peaks) < 1.05


@pytest.mark.parametrize("source", [(60.0, 40.0), (-50.0, 30.0)])
def test_rays_are_the_mean_of_512_taps(
    source: tuple[float, float], rng: np.random.Generator
) -> None:
    """40 dB and more, the source in the frame and outside."""
    bright = np.zeros((90, 160, 4), np.uint16)
    for _ in range(14):
        x, y = rng.integers(4, 150), rng.integers(4, 80)
        some = slice(y, y + rng.integers(2, 9)), slice(x, x + rng.integers(2, 9))
        bright[(*some, slice(3))] = rng.uniform(2e4, 6e4, 3)
    length = 48.0
    found = rays_of(bright, source, length, Crew(1), Shelf())
    y, x = np.mgrid[:90, :160] + 0.5
    dx, dy = source[0] - x, source[1] - y
    far = np.maximum(np.hypot(dx, dy), 1e-9)
    total = np.zeros((90, 160, 3))
    for n in range(512):
        along = (n + 0.5) / 512 * length
        there = along < far
        u, v = x + dx / far * along - 0.5, y + dy / far * along - 0.5
        i, j = np.clip(np.rint(u), 0, 159).astype(int), np.clip(np.rint(v), 0, 89).astype(int)
        inside = there & (u > -0.5) & (v > -0.5) & (u < 159.5) & (v < 89.5)
        total += (
            np.where(inside[..., None], bright[j, i, :3].astype(float), 0)
            * 2
            * (1 - along / length)
            / 512
        )
    error = (found.transpose(1, 2, 0) - total) / 65535
    assert 10 * math.log10(1 / np.mean(error**2)) > 40


def test_nearer_layers_cut_rays_and_a_flare_is_hidden() -> None:
    rays = Rays(id="r", name="r", position=(0, 0, -5), threshold=0.1, knee=0.05, length=1)
    shot, looks = stage(rays)
    lone = shot.evolve(layers=shot.layers[:1])
    assert rendered(lone, looks).mean() > rendered(lone.evolve(dressing=()), looks).mean() * 1.2
    flare = Flare(id="f", name="f", position=(0, 0, -4))
    looks["figure"] = pyramid_of(flat((0.0, 0.0, 0.0), 1, (200, 400)))
    hidden, seen = (
        rendered(each.evolve(dressing=(flare,)), looks) - rendered(each.evolve(dressing=()), looks)
        for each in (shot, lone)
    )
    assert seen.max() > 0.3
    assert hidden.max() == 0


# --- exposure, edits, documents -------------------------------------------------------------------


def test_exposure_brings_back_what_lamps_made_too_bright() -> None:
    shot, looks = stage(lamps=(lamp(kind="ambient", brightness=4.0),))
    shot = shot.evolve(layers=shot.layers[:1])
    assert rendered(shot, looks).max() == 1.0
    darker = do(shot, "expose_for_lamps")
    assert darker.camera.exposure == -2.0
    assert rendered(darker, looks).max() == pytest.approx(0.3, abs=1e-3)


def test_every_starting_point_is_put_there_changed_and_taken_away() -> None:
    shot, looks = stage()
    for name, start in STARTS.items():
        made = do(shot, "add_dressing", start=name)
        [thing] = made.dressing
        of = f"{thing.kind}:{thing.id}"
        assert parse_shot(dump_shot(made)) == made
        Renderer(made, looks, threads=1).rgb(3)
        for slider in start.sliders:
            assert slider in type(thing).model_fields, slider
        changed = do(made, "set_dressing", thing=of, name="Mine", on="false")
        assert not changed.dressing[0].on and changed.dressing[0].name == "Mine"
        assert do(changed, "remove_dressing", thing=of).dressing == ()
        assert do(made, "choose_solo", thing=of).solo == of


def test_values_are_told_in_the_units_that_are_shown_and_keyed() -> None:
    shot, _ = stage()
    shot = do(shot, "add_dressing", start="motes")
    shot = do(shot, "set_dressing", thing="particles:d1", radius="8", opacity="40", z="2.5")
    thing = shot.dressing[0]
    assert isinstance(thing, Particles)
    assert (thing.radius, thing.opacity, thing.position[2]) == pytest.approx((0.008, 0.4, -2.5))
    shot = do(shot, "set_key", of="particles:d1", value="rate", frame=0)
    assert shot.rows[0].about.label == "Rate"


@pytest.mark.parametrize(
    ("verb", "values", "said"),
    [
        ("set_dressing", {"thing": "particles:d1", "radius": "-1"}, "Size must be 0 to"),
        ("set_dressing", {"thing": "particles:d1", "life": "nan"}, "Life"),
        ("set_dressing", {"thing": "particles:d1", "emits": "layer"}, "Choose the layer"),
        ("set_dressing", {"thing": "particles:d1", "layer": "nobody"}, "not in the shot"),
        ("set_dressing", {"thing": "particles:d9", "rate": "1"}, "no 'particles:d9'"),
        ("set_dressing", {"thing": "particles:d1", "wind": "1"}, "no value 'wind'"),
        ("add_dressing", {"start": "gnats"}, "no starting point 'gnats'"),
        ("choose_glowing", {"thing": "particles:d1", "layers": []}, "is no glow"),
        ("drag_dressing", {"thing": "glow:d2", "dx": 1, "dy": 1}, "no place of its own"),
    ],
)
def test_what_cannot_be_is_refused_in_words(verb: str, values: dict[str, Any], said: str) -> None:
    shot, _ = stage()
    shot = do(do(shot, "add_dressing", start="motes"), "add_dressing", start="glow")
    with pytest.raises(CoreError, match=said):
        do(shot, verb, **values)


def test_a_layer_a_lamp_or_a_mount_that_goes_leaves_nothing_that_names_it() -> None:
    glow = Glow(id="g", name="g", layers=("figure",))
    motes = Particles(id="p", name="p", emits=Emits.LAYER, layer="figure")
    cone = Shaft(id="s", name="s", lamp="l")
    shot, _ = stage(glow, motes, cone, lamps=(lamp(kind="spot", aim="figure"),))
    gone = do(do(shot, "remove_layer", layer="figure"), "remove_lamp", lamp="l")
    assert parse_shot(dump_shot(gone)) == gone
    assert [each.on for each in gone.dressing] == [False, True, False]


def test_a_lamp_that_travelled_with_a_layer_stays_where_it_was_when_that_goes() -> None:
    shot, _ = stage(lamps=(lamp(position=(0.5, 0.2, -1.0)),))
    riding = do(shot, "lamp_with_layer", lamp="l", layer="figure")
    assert riding.lamp("l").position != pytest.approx((0.5, 0.2, -1.0))
    left = do(riding, "remove_layer", layer="figure")
    assert left.lamp("l").position == pytest.approx((0.5, 0.2, -1.0), abs=1e-6)


def test_no_values_make_a_pixel_that_is_none(rng: np.random.Generator) -> None:
    """Whatever the model lets through is rendered: 60 random shots of all kinds of things."""
    extremes = (1e-6, 1e-3, 0.5, 1.0, 7.0, 170.0, 1e3, 1e6)
    for _ in range(60):
        things = []
        for n, kind in enumerate(DRESSINGS.values()):
            values: dict[str, Any] = {"id": f"d{n}", "name": "d"}
            for name, field in kind.model_fields.items():
                if field.annotation is float and rng.random() < 0.5:
                    values[name] = float(rng.choice(extremes))
            try:
                things.append(kind.model_validate(values))
            except ValueError:
                things.append(kind.model_validate({"id": f"d{n}", "name": "d"}))
        if rng.random() < 0.5:
            things = [each for each in things if not isinstance(each, Wipe)]
        shot, looks = stage(*things, frame={"width": 64, "height": 36, "duration": 48})
        shape = rng.choice([*Shape])
        shot = shot.evolve(
            dressing=tuple(
                each.evolve(shape=Shape(shape), rate=min(each.rate, 500.0))
                if isinstance(each, Particles)
                else each
                for each in shot.dressing
            )
        )
        haze = evaluate(shot, [31])[0].haze
        ways = rng.normal(size=(50, 3))
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
        for far in (1e-3, 1.0, 1e3, FARTHEST):
            kept, added = haze(np.zeros(3), ways, np.full(50, far))
            assert np.isfinite(kept).all() and np.isfinite(added).all()
        for frame in (0, 31):
            picture = Renderer(shot, looks, threads=1).linear(frame)
            assert picture.shape == (36, 64, 4)
            # A wipe over the frame may leave nothing of it.
            wiped = any(isinstance(each, Wipe) for each in shot.dressing)
            assert wiped or (picture[..., 3] == 65535).any()


def test_a_rate_beyond_all_bounds_is_kept_to_what_can_be_drawn() -> None:
    shot, _ = stage(Particles(id="p", name="p", rate=1e9, life=600))
    flock = flock_at(shot, shot.dressing[0], 10.0)  # type: ignore[arg-type]
    assert 20_000 < len(flock.radii) < 120_000
    empty, _ = stage(Particles(id="p", name="p", life=0))
    assert len(flock_at(empty, empty.dressing[0], 10.0).radii) == 0  # type: ignore[arg-type]


def test_veils_hide_by_their_opacity_and_come_softly() -> None:
    veils = Veils(id="v", name="v", opacity=0.9, count=1, nearest=1, farthest=5, colour="#ffffff")
    haze = haze_of([InAir(veils, np.eye(4), np.ones(3))], np.zeros(3), 0.0)
    ways = np.array([[x, 0.0, -1.0] for x in np.linspace(-0.5, 0.5, 400)])
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    kept, added = haze(np.zeros(3), ways, np.full(400, FARTHEST))
    assert added[:, 0] == pytest.approx(1 - kept)
    assert kept.min() < 0.5 < 0.75 < kept.max()
    assert np.abs(np.diff(kept)).max() < 0.1


def test_what_is_pointed_at_stands_on_the_surface_and_cuts_stay() -> None:
    """A shaft comes out of the card that is clicked, towards the camera; where that is, its own
    plane tells."""
    shaft = Shaft(id="s", name="s", position=(3, 3, 3), tilt=-25)
    shot, _ = stage(shaft)
    shot = do(do(shot, "add_camera"), "cut_to", camera="b", frame=4)
    wall = next(each for each in shot.layers if each.stands_lit)
    values = {"thing": "shaft:s", "frame": 0, "x": 80.0, "y": 40.0}
    put = do(shot, "point_dressing", layer=wall.id, alone=True, **values)
    assert put.cuts == shot.cuts and put.cuts
    camera, card = evaluate(shot, [0])[0].camera, stage_card(shot, wall)
    new = put.dressing[0]
    off = np.array(new.position) - card.world_from_card[:3, 3]
    assert abs(off @ card.world_from_card[:3, 2]) < 1e-6
    there = camera.image_from_camera @ (camera.camera_from_world @ [*new.position, 1.0])[:3]
    assert there[:2] / there[2] == pytest.approx([80.0, 40.0], abs=1e-6)
    assert new.tilt == -25
    drawn = do(
        shot, "outline_shaft", thing="shaft:s", layer=wall.id, frame=0, alone=True,
        points="[[60, 30], [100, 34], [90, 60], [70, 62], [55, 50]]",
    ).dressing[0]  # fmt: skip
    # Seen from the camera, its corners lie where they were drawn, on the wall along the light.
    pose = space.pose(drawn.position, drawn.pan, drawn.tilt)
    assert len(drawn.outline) == 5 and abs(np.array(drawn.outline)).max() == 0.5
    flat = np.array(drawn.outline) * (drawn.width, drawn.height)
    corners = np.column_stack([flat, np.zeros(5), np.ones(5)]) @ pose.T
    normal = card.world_from_card[:3, 2]
    along = (corners[:, :3] - card.world_from_card[:3, 3]) @ normal / (pose[:3, 2] @ normal)
    corners[:, :3] -= along[:, None] * pose[:3, 2]
    seen = (camera.camera_from_world @ corners.T)[:3].T @ camera.image_from_camera.T
    expected = np.array([[60, 30], [100, 34], [90, 60], [70, 62], [55, 50]])
    assert seen[:, :2] / seen[:, 2:] == pytest.approx(expected, abs=0.1)
    assert (
        not do(shot.evolve(dressing=(drawn,)), "square_shaft", thing="shaft:s").dressing[0].outline
    )
    with pytest.raises(CoreError, match="3 to 64"):
        do(
            shot, "outline_shaft", thing="shaft:s", layer=wall.id, frame=0,
            points="[[1, 1], [2, 2]]",
        )  # fmt: skip
    for layer, says in (("", "Nothing is seen there"), ("none such", "none such")):
        with pytest.raises(CoreError, match=says):
            do(shot, "point_dressing", layer=layer, **values)
