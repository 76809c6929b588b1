"""Eases against W3C CSS Easing Level 1 and SciPy's root finding."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from tests.conftest import make_shot
from vistaline.core.easing import NAMED_EASES, CubicBezier, Spring, parse_ease
from vistaline.core.errors import ShotError
from vistaline.core.speed import eased_with_peak
from vistaline.core.stage.camera import camera_states

# W3C CSS Easing Functions Level 1, section 2.2.1: the cubic-bezier handles of the keywords.
CSS = {
    "linear": (0, 0, 1, 1),
    "ease": (0.25, 0.1, 0.25, 1),
    "ease-in": (0.42, 0, 1, 1),
    "ease-out": (0, 0, 0.58, 1),
    "ease-in-out": (0.42, 0, 0.58, 1),
}
OWN = [(0.3, 0.0, 0.2, 1.0), (1.0, 0.0, 0.0, 1.0), (0.1, -0.4, 0.9, 1.4)]


def test_named_eases_are_those_of_css() -> None:
    assert {name: (e.x1, e.y1, e.x2, e.y2) for name, e in NAMED_EASES.items()} == CSS


@pytest.mark.parametrize("handles", [*CSS.values(), *OWN])
def test_progress_agrees_with_scipys_root(handles: tuple[float, float, float, float]) -> None:
    x1, y1, x2, y2 = handles

    def bezier(p1: float, p2: float, t: float) -> float:
        return 3 * p1 * t * (1 - t) ** 2 + 3 * p2 * t**2 * (1 - t) + t**3

    times = np.linspace(0, 1, 41)
    # Where the curve stands upright (x1 = 1, x2 = 0, at its middle) any y is right: left out.
    times = times[np.abs(times - 0.5) > 1e-9] if handles == OWN[1] else times
    expected = [
        bezier(y1, y2, brentq(lambda t, x=x: bezier(x1, x2, t) - x, 0, 1, xtol=1e-14))
        for x in times
    ]
    np.testing.assert_allclose(CubicBezier(*handles)(times), expected, atol=1e-6)


def test_handles_outside_the_time_are_refused_as_css_does() -> None:
    with pytest.raises(ShotError, match="between 0 and 1 in time"):
        CubicBezier(1.2, 0, 0.5, 1)
    with pytest.raises(ShotError, match="no ease called 'hurry'"):
        parse_ease("hurry")


# R. Penner's equations for easing in, as published for his robotpenner.com/easing (t, 0..1).
PENNER = {
    "sine": lambda t: -math.cos(t * math.pi / 2) + 1,
    "quad": lambda t: t * t,
    "cubic": lambda t: t**3,
    "quart": lambda t: t**4,
    "quint": lambda t: t**5,
    "expo": lambda t: 0.0 if t == 0 else 2 ** (10 * (t - 1)),
    "circ": lambda t: -(math.sqrt(1 - t * t) - 1),
    "back": lambda t: t * t * ((1.70158 + 1) * t - 1.70158),
}


@pytest.mark.parametrize("name", PENNER)
def test_the_formulas_are_penners(name: str) -> None:
    times = np.linspace(0, 1, 21)
    way_in = np.array([PENNER[name](t) for t in times])
    np.testing.assert_allclose(parse_ease(f"{name}-in")(times), way_in, atol=1e-12)
    np.testing.assert_allclose(parse_ease(f"{name}-out")(times), 1 - way_in[::-1], atol=1e-12)
    both = parse_ease(f"{name}-in-out")(times)
    np.testing.assert_allclose(both[:11], way_in[::2] / 2, atol=1e-12)
    np.testing.assert_allclose(both + both[::-1], 1, atol=1e-12)


def test_linear_is_read_as_css_does() -> None:
    """CSS Easing Level 2, section 2.1.1: points spread evenly, two times a stop, none goes back."""
    ease = parse_ease("linear(0, 0.25, 1)")
    np.testing.assert_allclose(ease([0, 0.25, 0.5, 0.75]), [0, 0.125, 0.25, 0.625])
    flat = parse_ease("linear(0, 0.5 25% 75%, 1)")
    np.testing.assert_allclose(flat([0.125, 0.5, 0.875]), [0.25, 0.5, 0.75])
    back = parse_ease("linear(0, 0.3 60%, 0.8 40%, 1)")
    assert back.times == (0, 0.6, 0.6, 1)  # type: ignore[attr-defined]
    for wrong in ("linear(0)", "linear(0, often, 1)", "spring(0)", "spring(2)", "hurry(1)"):
        with pytest.raises(ShotError):
            parse_ease(wrong)


@pytest.mark.parametrize("damping", [0.15, 0.5, 0.9, 1.0])
def test_a_spring_is_a_damped_oscillator(damping: float) -> None:
    """The closed form against SciPy's solution of x'' + 2 d w x' + w^2 x = 0."""
    w = 9.2334 if damping == 1 else math.log(1000) / damping
    times = np.linspace(0, 1, 50)
    solved = solve_ivp(
        lambda _, x: [x[1], -2 * damping * w * x[1] - w**2 * x[0]],
        (0, 1), [1.0, 0.0], t_eval=times, rtol=1e-10, atol=1e-12,
    )  # fmt: skip
    spring = Spring(damping)
    np.testing.assert_allclose(spring.left(times), solved.y[0], atol=1e-7)
    assert spring(1.0) == pytest.approx(1, abs=1e-12) and abs(spring.left(np.array(1.0))) < 2e-3
    assert (spring(times).max() > 1.001) == (damping < 0.9)


@pytest.mark.parametrize(("time", "height"), [(0.5, 3), (0.3, 2), (0.75, 1.8)])
def test_a_curve_is_found_for_a_wished_peak(time: float, height: float) -> None:
    ease = eased_with_peak(time, height)
    speed = np.diff(ease(np.linspace(0, 1, 2001))) * 2000
    assert speed.argmax() / 2000 == pytest.approx(time, abs=0.005)
    assert speed.max() == pytest.approx(height, rel=0.005)
    assert speed[[0, -1]].max() < 0.1 and speed.mean() == pytest.approx(1)


def test_a_travel_eased_at_both_ends_peaks_in_the_middle() -> None:
    """Common practice, no source."""
    speed = np.diff(NAMED_EASES["ease-in-out"](np.linspace(0, 1, 102)))
    assert int(speed.argmax()) == 50


def test_a_lens_changes_by_equal_ratios() -> None:
    framings = [{"frame": 0, "lens": 20}, {"frame": 30, "lens": 160, "ease": "linear"}]
    shot = make_shot({"a": (64, 36)}, frame={"duration": 31}, route={"framings": framings})
    lens = np.array([camera.lens for camera in camera_states(shot, [0, 10, 20, 30])])
    np.testing.assert_allclose(lens[1:] / lens[:-1], 2, rtol=1e-9)
