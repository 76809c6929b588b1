"""The route model: a camera's framings in order, with what happens on the way between them."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from vistaline.core.easing import Ease, EaseName, parse_ease
from vistaline.core.errors import ShotError
from vistaline.core.geometry.optics import DEFAULT_LENS
from vistaline.core.model import Degrees, Part, Position
from vistaline.core.shot.focusing import FNumber, Focus
from vistaline.core.shot.mounts import Ride
from vistaline.core.shot.shakes import Shake

__all__ = [
    "Aim",
    "Framing",
    "Millimetres",
    "Path",
    "Route",
]

Millimetres = Annotated[float, Field(gt=0, le=5000, allow_inf_nan=False)]
Path = Literal["straight", "smooth"]


class Framing(Part):
    """What the camera sees at one frame; ``ease`` shapes the travel that arrives here."""

    frame: int = Field(ge=0)
    hold: int = Field(0, ge=0, le=1_000_000, description="Frames it stays before it goes on.")
    name: str = Field("", max_length=80)
    position: Position = Field(
        (0.0, 0.0, 0.0), description="Metres: right, up, towards the viewer."
    )
    pan: Degrees = 0.0
    tilt: Degrees = 0.0
    roll: Degrees = 0.0
    lens: Millimetres = DEFAULT_LENS
    focus: Focus | None = Field(
        None, description="Metres to what is sharp here; left out: on the way between others."
    )
    f_number: FNumber | None = Field(None, description="The opening here; left out likewise.")
    focus_ease: EaseName | None = Field(
        None, description="How focus and opening travel here; left out: as the camera does."
    )
    ease: EaseName = "ease-in-out"
    keeps: str = Field(
        "",
        max_length=80,
        description="The id of a layer whose size in the frame stays as it was on the travel that "
        "arrives here: the lens follows the distance.",
    )
    arrive: Position | None = Field(
        None, description="Handle of a smooth path, metres from here: it comes from there."
    )
    leave: Position | None = Field(
        None, description="Handle of a smooth path, metres from here: it goes on towards there."
    )

    @property
    def curve(self) -> Ease:
        return parse_ease(self.ease)

    @property
    def last(self) -> int:
        """The frame it is held to."""
        return self.frame + self.hold


class Aim(Part):
    """A layer the camera keeps at one place in the frame, by turning its head."""

    at: str = Field(min_length=1, max_length=80, description="The layer's id.")
    across: float = Field(0.0, ge=-0.5, le=0.5, description="Shares of the frame from its middle.")
    up: float = Field(0.0, ge=-0.5, le=0.5)


class Route(Part):
    """The camera's framings in order of time."""

    framings: tuple[Framing, ...] = Field((Framing(frame=0),), min_length=1, max_length=2000)
    path: Path = Field("straight", description="From framing to framing, or smoothly through them.")
    aim: Aim | None = None
    shake: Shake | None = None
    ride: Ride | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for i, (earlier, later) in enumerate(pairwise(self.framings)):
            if later.frame > earlier.last:
                continue
            held = f", which is held to frame {earlier.last}" if earlier.hold else ""
            raise ShotError(
                f"Framing {i + 2} is at frame {later.frame}, not after framing {i + 1} at frame "
                f"{earlier.frame}{held}. Give each framing a later frame than the one before.",
                field=f"framings.{i + 1}.frame",
            )
        return self
