"""The frame sizes that are offered wherever one is asked for."""

from __future__ import annotations

__all__ = ["SIZES", "usual_size"]

SIZES = {
    "1920x1080": "HD, 1920 × 1080",
    "3840x2160": "UHD, 3840 × 2160",
    "1080x1920": "Upright, 1080 × 1920",
    "1080x1350": "Upright 4 : 5, 1080 × 1350",
    "1080x1080": "Square, 1080 × 1080",
}
"""Usual frame sizes; the widest use first."""


def usual_size(width: int, height: int) -> tuple[int, int]:
    """Return the usual frame size for a picture: HD, or upright for one that is."""
    return (1080, 1920) if height > width * 1.1 else (1920, 1080)
