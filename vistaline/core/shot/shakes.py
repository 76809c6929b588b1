"""The unsteadiness of a camera that is carried by hand, or of a mount on a road or at sea."""

from __future__ import annotations

from pydantic import Field

from vistaline.core.model import Metres, Part

__all__ = ["Shake"]


class Shake(Part):
    """How unsteadily something is carried, on top of its own movement."""

    frequency: float = Field(1.2, gt=0, le=30, description="The quickest sway, swings a second.")
    travel: Metres = Field(0.0, ge=0, le=10, description="Metres it goes astray at most.")
    turn: float = Field(0.25, ge=0, le=45, description="Degrees it turns astray at most.")
    roughness: float = Field(0.0, ge=0, le=1, description="How much quicker trembling there is.")
    seed: int = Field(1, ge=0, le=2**31 - 1)
    ramp_in: int = Field(0, ge=0, le=1_000_000, description="Frames in which it sets in.")
    ramp_out: int = Field(0, ge=0, le=1_000_000, description="Frames in which it dies away.")
