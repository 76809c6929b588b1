"""Focus: how large a point is that a lens does not focus on, and between where all looks sharp.

A thin lens of focal length f with an opening of diameter f / N, focused on s, draws a point at z
as a disc, the circle of confusion, whose diameter on the film is (Ray, Applied Photographic
Optics, 3rd ed., ch. 22; from memory)::

    c = f / N * f / (s - f) * |z - s| / z

The frame's angle of view is that of the lens itself, whatever it is focused on (no breathing), so
in the frame this is the disc of a pinhole camera whose hole has the radius that
:func:`hole_radius` returns, and is linear in 1 / z.
"""

from __future__ import annotations

import math

from vistaline.core.errors import ShotError

__all__ = [
    "F_STOPS",
    "LOOKS_SHARP",
    "NEAREST",
    "check_focus",
    "f_number_between",
    "hole_radius",
    "hyperfocal",
    "sharp_between",
]

LOOKS_SHARP = 0.03
"""Millimetres on a gate 36 mm long: a disc of this diameter still looks like a point (common
practice, no source)."""

F_STOPS = (
    1.0, 1.1, 1.2, 1.4, 1.6, 1.8, 2.0, 2.2, 2.5, 2.8, 3.2, 3.5, 4.0, 4.5, 5.0, 5.6, 6.3, 7.1, 8.0,
    9.0, 10.0, 11.0, 13.0, 14.0, 16.0, 18.0, 20.0, 22.0, 25.0, 29.0, 32.0, 36.0, 40.0, 45.0, 51.0,
    57.0, 64.0,
)  # fmt: skip
"""The usual thirds of stops from f/1 to f/64, as lenses are engraved (ISO 517, from memory)."""

NEAREST = 1.05
"""A lens is focused at least so many of its focal lengths away."""


def check_focus(lens: float, focus: float) -> None:
    """Refuse a distance (metres) that a lens (millimetres) cannot be focused on.

    Raises
    ------
    ShotError
        It is within the lens's focal length.
    """
    nearest = lens * NEAREST / 1000
    if not focus >= nearest:
        raise ShotError(
            f"A lens of {lens:g} mm cannot be focused nearer than {nearest:.3f} m. Focus farther "
            "away.",
            field="focus",
        )


def hole_radius(lens: float, f_number: float, focus: float) -> float:
    """Return the radius, in metres, of the hole of a pinhole camera that blurs as a lens does.

    ``lens`` in millimetres, ``focus`` in metres, infinity included. Seen through it a point ``z``
    metres away is a disc of radius ``f_px * radius * abs(1 / z - 1 / focus)`` pixels, ``f_px``
    being the focal length in pixels.

    >>> round(hole_radius(50, 2, math.inf) * 1000, 6)
    12.5
    """
    radius = lens / f_number / 2000
    # s / (s - f): focused near, the lens stands farther before the film.
    return radius if math.isinf(focus) else radius * focus / (focus - lens / 1000)


def hyperfocal(lens: float, f_number: float, confusion: float = LOOKS_SHARP) -> float:
    """Return the distance in metres, focused on which all looks sharp from half of it to infinity.

    H = f^2 / (N c) + f; ``confusion`` in millimetres.

    >>> round(hyperfocal(50, 8), 2)
    10.47
    """
    return (lens * lens / (f_number * confusion) + lens) / 1000


def sharp_between(
    lens: float, f_number: float, focus: float, confusion: float = LOOKS_SHARP
) -> tuple[float, float]:
    """Return the near and the far limit, in metres, of what looks sharp; the far one may be inf.

    Where the circle of confusion is ``confusion`` millimetres.

    >>> near, far = sharp_between(50, 8, 3)
    >>> round(near, 2), round(far, 2)
    (2.34, 4.19)
    """
    opening = lens * lens / f_number
    if math.isinf(focus):
        return opening / confusion / 1000, math.inf
    spread = confusion * (focus * 1000 - lens)
    near = focus * opening / (opening + spread)
    return near, focus * opening / (opening - spread) if opening > spread else math.inf


def f_number_between(
    lens: float, near: float, far: float, confusion: float = LOOKS_SHARP
) -> tuple[float, float]:
    """Return the f-number and the focus (metres) with which all between two distances looks sharp.

    What lies just at either limit has a circle of ``confusion`` millimetres. The focus is the
    harmonic mean of the limits; ``far`` may be infinity.

    >>> f_number, focus = f_number_between(50, 2.3414, 4.1903)
    >>> round(f_number, 1), round(focus, 2)
    (8.0, 3.0)

    Raises
    ------
    ShotError
        Near is not before far, or within the lens's focal length.
    """
    if not near < far:
        raise ShotError(
            f"Sharp from {near:g} to {far:g} m: the first must be the nearer. Exchange them.",
            field="near",
        )
    check_focus(lens, near)
    focus = 2 * near if math.isinf(far) else 2 * near * far / (near + far)
    spread = confusion * (focus * 1000 - lens)
    opening = near * spread / (focus - near)
    return lens * lens / opening, focus
