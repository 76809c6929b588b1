"""The taking camera: where a picture was seen from, what is marked in it, and its ground."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from vistaline.core.errors import ShotError
from vistaline.core.geometry.edges import Direction
from vistaline.core.geometry.optics import focal_length_px
from vistaline.core.model import Degrees, Length, Part, Position
from vistaline.core.shot.route import Millimetres

__all__ = ["Ground", "MarkedEdge", "TakingCamera"]

Pixel = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class MarkedEdge(Part):
    """A straight edge marked in the picture: two points in canvas pixels, y down."""

    a: tuple[Pixel, Pixel]
    b: tuple[Pixel, Pixel]
    along: Direction = Field(description="Which way it runs in the world.")
    through: tuple[Pixel, Pixel] | None = Field(
        None, description="A point on it between its ends, if the lens has bowed it."
    )


class TakingCamera(Part):
    """The camera the picture is taken to have been seen from; it stands still."""

    width: int | None = Field(None, ge=1, description="Canvas in picture pixels.")
    height: int | None = Field(None, ge=1)
    focal_length: Millimetres | None = Field(
        None, description="Millimetres on a gate 36 mm long; left out: just covers the frame."
    )
    position: Position = (0.0, 0.0, 0.0)
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    centre: tuple[Pixel, Pixel] | None = Field(
        None,
        description="Where the lens looked: canvas pixels; left out: the canvas's middle.",
    )
    seen_centre: tuple[Pixel, Pixel] | None = Field(
        None, description="Where the edges tell that it looked, near there; left out: just there."
    )
    edges: tuple[MarkedEdge, ...] = Field((), max_length=200)
    held_level: bool = Field(False, description="Marks: the camera is known not to be rolled.")
    lens_known: bool = Field(False, description="Marks: its focal length is known, and kept.")
    centre_told: bool = Field(False, description="Marks: they are to tell its centre, too.")
    marked_within: float = Field(
        1.0, gt=0, le=100, description="How exactly edges' ends are marked: pixels, one deviation."
    )

    @property
    def canvas(self) -> tuple[int, int]:
        if self.width is None or self.height is None:
            raise ShotError(
                "The taking camera's canvas is not known yet: its picture has not been read.",
                field="taking_camera",
            )
        return self.width, self.height

    @property
    def principal_point(self) -> tuple[float, float]:
        """Where the lens looked, in canvas pixels."""
        width, height = self.canvas
        return self.seen_centre or self.centre or (width / 2, height / 2)

    @property
    def shift(self) -> tuple[float, float]:
        """How far to the right of the lens's axis and above it the canvas's middle is: tangents."""
        if not (self.centre or self.seen_centre) or self.focal_length is None:
            return 0.0, 0.0
        (width, height), (x, y) = self.canvas, self.principal_point
        focal = focal_length_px(self.focal_length, width, height)
        return (width / 2 - x) / focal, (y - height / 2) / focal


class Ground(Part):
    """The level ground the picture was taken on."""

    horizon: float = Field(
        ge=-100_000, le=100_000, description="Canvas pixels from the top to the horizon."
    )
    eye_height: Length = Field(1.6, description="Metres from the ground to the taking camera.")
