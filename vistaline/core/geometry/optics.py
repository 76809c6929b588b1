"""Lens and gate: from millimetres to angles and pixels.

The gate is the part of the film plane that is exposed. Its longer side is 36 mm unless a shot
says otherwise, so a 35 mm lens on a 16:9 frame sees what photographers expect of it.
"""

from __future__ import annotations

import math

from vistaline.core.errors import ShotError

__all__ = [
    "DEFAULT_LENS",
    "GATE_LONG_SIDE",
    "LENS_PRESETS",
    "angle_of_view",
    "covering_focal_length",
    "focal_length_px",
    "gate_size",
]

GATE_LONG_SIDE = 36.0
"""Millimetres: the width of the 36 x 24 mm still-photography gate (ISO 1007, from memory)."""

LENS_PRESETS = (15.0, 20.0, 24.0, 28.0, 35.0, 50.0, 85.0, 135.0)
DEFAULT_LENS = 35.0


def gate_size(width: int, height: int, *, long_side: float = GATE_LONG_SIDE) -> tuple[float, float]:
    """Return the gate's width and height in millimetres for a frame in pixels.

    >>> gate_size(1920, 1080)
    (36.0, 20.25)
    >>> gate_size(1080, 1920)
    (20.25, 36.0)
    """
    millimetres_per_pixel = long_side / max(width, height)
    return width * millimetres_per_pixel, height * millimetres_per_pixel


def angle_of_view(focal_length: float, gate_side: float) -> float:
    """Return the angle seen across one side of the gate, in degrees.

    Both lengths in millimetres. Thin lens focused at infinity: ``2 atan(side / 2f)``.

    >>> print(f"{angle_of_view(50, 36):.1f}")
    39.6
    """
    if not focal_length > 0:
        raise ShotError(
            f"A lens needs a focal length above 0 mm, got {focal_length:g} mm.",
            field="focal_length",
        )
    return math.degrees(2 * math.atan(gate_side / (2 * focal_length)))


def focal_length_px(
    focal_length: float, width: int, height: int, *, long_side: float = GATE_LONG_SIDE
) -> float:
    """Return the focal length in pixels of a frame ``width`` x ``height``."""
    return focal_length / long_side * max(width, height)


def covering_focal_length(
    lens: float, *, frame: tuple[int, int], picture: tuple[int, int]
) -> float:
    """Return the taking lens (mm) with which a picture just covers a frame seen through ``lens``.

    Both cameras stand in one place. The picture's pixels are as fine as they can be while no
    edge is bare; with equal aspects the two lenses are equal.

    >>> covering_focal_length(35, frame=(1920, 1080), picture=(3840, 2160))
    35.0
    """
    frame_focal = focal_length_px(lens, *frame)
    frame_px_per_picture_px = max(frame[0] / picture[0], frame[1] / picture[1])
    return frame_focal / frame_px_per_picture_px * GATE_LONG_SIDE / max(picture)
