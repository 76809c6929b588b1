"""Eases against W3C CSS Easing Level 1 and SciPy's root finding; keys and channels."""

import numpy as np
import pytest
from scipy.optimize import brentq

from tests.conftest import make_shot
from vistaline.core.camera import camera_states
from vistaline.core.channels import Channel, Key
from vistaline.core.easing import NAMED_EASES, CubicBezier, parse_ease
from vistaline.core.errors import ShotError

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


def test_a_travel_eased_at_both_ends_peaks_in_the_middle() -> None:
    """Common practice, no source."""
    speed = np.diff(NAMED_EASES["ease-in-out"](np.linspace(0, 1, 102)))
    assert int(speed.argmax()) == 50


def test_channels_meet_their_keys_exactly() -> None:
    ease = NAMED_EASES["ease"]
    values = [(0.1, 35.0), (0.7, 50.0), (-0.3, 85.0)]
    keys = [Key(frame=f, value=v, ease=ease) for f, v in zip((3, 17, 40), values, strict=True)]
    np.testing.assert_array_equal(Channel(keys)([0, 3, 17, 40, 99])[[1, 2, 3]], values)
    np.testing.assert_array_equal(Channel(keys)([0, 99]), [values[0], values[-1]])


def test_a_lens_changes_by_equal_ratios() -> None:
    framings = [{"frame": 0, "lens": 20}, {"frame": 30, "lens": 160, "ease": "linear"}]
    shot = make_shot({"a": (64, 36)}, frame={"duration": 31}, route={"framings": framings})
    lens = np.array([camera.lens for camera in camera_states(shot, [0, 10, 20, 30])])
    np.testing.assert_allclose(lens[1:] / lens[:-1], 2, rtol=1e-9)
