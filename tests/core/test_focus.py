"""Focus: limits of sharpness against handbook figures, and blur against a lens that is traced."""

from __future__ import annotations

import math
from itertools import product

import numpy as np
import pytest

from vistaline.core.errors import ShotError
from vistaline.core.geometry.focus import (
    F_STOPS,
    LOOKS_SHARP,
    check_focus,
    f_number_between,
    hole_radius,
    hyperfocal,
    sharp_between,
)

# Hyperfocal distances in metres for a circle of confusion of 0.03 mm, as depth-of-field tables
# for 24 x 36 mm film print them; from memory.
HYPERFOCAL = {
    (24, 2.8): 6.88, (24, 8): 2.42, (24, 16): 1.22,
    (35, 2.8): 14.62, (35, 8): 5.14, (35, 16): 2.59,
    (50, 2.8): 29.81, (50, 8): 10.47, (50, 16): 5.26,
    (85, 2.8): 86.10, (85, 8): 30.19, (85, 16): 15.14,
    (135, 2.8): 217.10, (135, 8): 76.07, (135, 16): 38.10,
    (200, 2.8): 476.39, (200, 8): 166.87, (200, 16): 83.53,
}  # fmt: skip


@pytest.mark.parametrize("row", HYPERFOCAL)
def test_hyperfocal_distances_are_those_of_the_tables(row: tuple[int, float]) -> None:
    assert hyperfocal(*row) == pytest.approx(HYPERFOCAL[row], abs=0.006)


@pytest.mark.parametrize(
    ("lens", "f_number", "focus"),
    [*product((24, 35, 50, 85, 200), (2.8, 8), (1.0, 3.0, 12.0))],
)
def test_limits_are_those_by_the_hyperfocal_distance(
    lens: float, f_number: float, focus: float
) -> None:
    """near = s (H - f) / (H + s - 2 f), far = s (H - f) / (H - s): the handbooks' other form."""
    h, f = hyperfocal(lens, f_number), lens / 1000
    near, far = sharp_between(lens, f_number, focus)
    assert near == pytest.approx(focus * (h - f) / (h + focus - 2 * f), rel=1e-9)
    expected = focus * (h - f) / (h - focus) if h > focus else math.inf
    assert far == pytest.approx(expected, rel=1e-9)
    if math.isfinite(far):
        wanted = f_number_between(lens, near, far)
        assert wanted == pytest.approx((f_number, focus), rel=1e-9)


@pytest.mark.parametrize(
    ("lens", "f_number", "focus", "at"),
    [(50, 2, 2.0, 4.0), (50, 2, 2.0, 1.2), (85, 1.4, 0.9, 30.0), (24, 8, math.inf, 0.5),
     (135, 4, 5.0, 5.2)],
)  # fmt: skip
def test_a_points_disc_is_that_of_a_thin_lens_that_is_traced(
    lens: float, f_number: float, focus: float, at: float
) -> None:
    """Rays from a point, bent by 1 / f (Gauss), cut by the film where the focus is sharp."""
    film = lens if math.isinf(focus) else 1 / (1 / lens - 1 / (focus * 1000))
    height = np.linspace(-1, 1, 201) * lens / f_number / 2
    slope = height / (at * 1000) - height / lens  # from the axis to the rim, then bent
    disc = float(np.ptp(height + slope * film))
    # In the frame the angle of view stays the lens's: a picture that was drawn on the film at
    # ``film`` is seen as if at ``lens``.
    pixels = 1000.0
    ours = pixels * hole_radius(lens, f_number, focus) * abs(1 / at - 1 / focus)
    assert 2 * ours * lens / pixels == pytest.approx(disc, rel=1e-9)


def test_thirds_of_stops_are_powers_of_the_sixth_root_of_two() -> None:
    """Engraved numbers are rounded: within 5 % of 2^(n / 6) (ISO 517, from memory)."""
    assert len(F_STOPS) == 37
    np.testing.assert_allclose(F_STOPS, 2 ** (np.arange(37) / 6), rtol=0.05)


def test_what_no_lens_does_is_said() -> None:
    for focus in (0.0, -1.0, 0.05, math.nan):
        with pytest.raises(ShotError, match="cannot be focused nearer than"):
            check_focus(50, focus)
    with pytest.raises(ShotError, match="must be the nearer"):
        f_number_between(50, 3, 2)
    assert sharp_between(50, 8, math.inf) == (
        pytest.approx(50 * 50 / 8 / LOOKS_SHARP / 1000),
        math.inf,
    )
