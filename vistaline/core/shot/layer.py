"""A layer: what it shows times how it stands, and the values both have in common."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from vistaline.core.errors import ShotError
from vistaline.core.geometry.bodies import Body
from vistaline.core.keyable import ANGLE, METRES, PERCENT, SHARE, SIZE, Keyed
from vistaline.core.looks.blending import Blend
from vistaline.core.looks.cloth import Cloth
from vistaline.core.looks.counts import Count
from vistaline.core.looks.drifting import Drift
from vistaline.core.looks.fields import ColourField
from vistaline.core.looks.frame_styles import Crop
from vistaline.core.looks.lettering import Title
from vistaline.core.looks.lines import Line
from vistaline.core.looks.occluders import Occluder
from vistaline.core.looks.passages import Passage
from vistaline.core.looks.stirred import Stirs
from vistaline.core.looks.swaying import Sway
from vistaline.core.model import Degrees, Distance, Length, Metres, Part
from vistaline.core.shot.frame_format import Rate
from vistaline.core.shot.mounts import Ride
from vistaline.core.shot.running import Running
from vistaline.core.shot.shows import (
    FieldShown,
    LineShown,
    OccluderShown,
    PictureShown,
    ShotShown,
    Shows,
    TitleShown,
)
from vistaline.core.shot.stands import (
    Backdrop,
    Box,
    FreeCard,
    Projected,
    Relief,
    Solid,
    Stands,
    Stays,
    Taken,
)

__all__ = ["Layer", "Matte", "PictureRef", "shown_as"]

Pivot = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]


class PictureRef(Part):
    """A picture the shot uses: a file path relative to the shot file, with ``/``."""

    file: str = Field(min_length=1, max_length=500)
    width: int | None = Field(None, ge=1)
    height: int | None = Field(None, ge=1)
    frames: int | None = Field(None, ge=1, le=1_000_000, description="So many, if it moves.")
    rate: Rate | None = Field(None, description="Its own frames a second, if it moves.")
    heights: str = Field(
        "",
        max_length=40_000,
        description="Of a map that raises a layer, what it says at every so many pixels: a PNG in "
        "base64, found when the shot is read.",
    )


def shows_part(shows: Shows) -> bool:
    """Return whether a picture is shown in part, or moves."""
    return isinstance(shows, PictureShown) and bool(shows.crop or shows.runs or shows.drifts)


def shown_as(key: str, ref: PictureRef, like: Shows | None = None) -> PictureShown:
    """Return a picture as a layer shows it: it runs or passes by as what it takes the place of.

    One that moves runs, and a still one does not.
    """
    crop = like.crop if isinstance(like, PictureShown | ShotShown) else None
    if ref.frames:
        runs = like.runs if isinstance(like, PictureShown | ShotShown) else None
        return PictureShown(picture=key, crop=crop, runs=runs or Running())
    drifts = like.drifts if isinstance(like, PictureShown) else None
    return PictureShown(picture=key, crop=crop, drifts=drifts)


class Matte(Part):
    """Another layer that says where this one is seen, as the frame shows both."""

    of: str = Field(description="The id of the other layer; it may be hidden.")
    keep: Literal["inside", "outside"] = "inside"
    by: Literal["alpha", "lightness"] = Field(
        "alpha", description="What counts: how opaque it is, or that times how light it is."
    )


class Layer(Part):
    """Something that stands on the stage."""

    id: str = Field("", max_length=80)
    name: str = Field(min_length=1, max_length=80)
    shows: Shows
    stands: Stands = Taken()
    frame_style: str = Field("", max_length=80, description="A name among the frame styles.")
    known_size: tuple[Length, Length] | None = Field(
        None, description="What its width and height are in truth, in metres: a check."
    )
    distance: Annotated[Distance, Keyed("Distance", unit="m", low=1e-6, high=1e6)] = Field(
        2.0, description="Metres from the taking camera, along its axis."
    )
    across: Annotated[Metres, Keyed("Across", **METRES)] = Field(
        0.0, description="Metres to the right of where it was seen."
    )
    up: Annotated[Metres, Keyed("Up", **METRES)] = Field(
        0.0, description="Metres above where it was seen."
    )
    pan: Annotated[Degrees, Keyed("Turn", **ANGLE)] = 0.0
    tilt: Annotated[Degrees, Keyed("Lean", **ANGLE)] = 0.0
    roll: Annotated[Degrees, Keyed("Roll", **ANGLE)] = 0.0
    scale: Annotated[float, Keyed("Size", **PERCENT, **SIZE)] = Field(
        1.0, gt=0, le=1e6, allow_inf_nan=False, description="1 = exactly the framing as taken."
    )
    pivot: Annotated[
        tuple[Pivot, Pivot],
        Keyed("Pivot across", "pivot_across", 0, **PERCENT),
        Keyed("Pivot up", "pivot_up", 1, **PERCENT),
    ] = Field(
        (0.0, 0.0),
        description="What it turns about: shares of its width and height from its middle.",
    )
    foot: tuple[Pivot, Pivot] = Field(
        (0.0, -0.5), description="Where it touches the ground, as shares like the pivot."
    )
    ride: Ride | None = None
    group: str = Field("", max_length=80, description="The name of the group it belongs to.")
    paired: str = Field("", description="The id of the title it is kept in register with.")
    opacity: Annotated[float, Keyed("Opacity", **SHARE)] = Field(1.0, ge=0, le=1)
    blend: Blend = Field(Blend.NORMAL, description="What is done with the colour behind.")
    matte: Matte | None = None
    sway: Sway | None = Field(None, description="How the picture it shows sways.")
    cloth: Cloth | None = Field(None, description="What cloth the picture it shows is on.")
    seen_from: int = Field(
        0, ge=0, le=1_000_000, description="The first frame in which it is seen."
    )
    seen_until: int | None = Field(
        None, ge=0, le=1_000_000, description="The last frame in which it is seen."
    )
    seen_by: str = Field(
        "", max_length=80, description="A camera's id, if it is seen by that camera alone."
    )
    motion_blur: bool = Field(
        True, description="Whether it is blurred by motion, where the shot is."
    )
    takes_light: bool = Field(
        True, description="Whether lamps light it; else it is seen as it is, whatever they do."
    )
    casts_shadows: bool = Field(True, description="Whether it throws shadows, where others may.")
    takes_shadows: bool = Field(True, description="Whether shadows are seen on it.")
    hidden: bool = False
    locked: bool = False

    @property
    def always_sharp(self) -> bool:
        """Whether no lens blurs it: it stays with the lens, or is behind all, without detail."""
        return self.is_backdrop or self.on_lens

    @property
    def stands_lit(self) -> bool:
        """Whether lamps could light it: it stands somewhere."""
        return not (self.is_backdrop or self.on_lens)

    @property
    def is_lit(self) -> bool:
        """Whether lamps light it: it stands somewhere, and is not kept from their light."""
        return self.takes_light and self.stands_lit

    @model_validator(mode="after")
    def _fits_together(self) -> Self:
        """Some ways of standing are for some things only."""
        shows, stands = self.shows, self.stands
        pictured = isinstance(shows, PictureShown)
        if isinstance(stands, Relief) and (not pictured or self.frame_style or shows_part(shows)):
            raise ShotError(
                f"Layer {self.name!r} is a relief, so it must show a whole picture that does not "
                "move, without a frame.",
                field="stands",
            )
        if isinstance(stands, Projected | Solid) and not pictured:
            raise ShotError(
                f"Layer {self.name!r} catches a picture from the taking camera, so it must show "
                "a picture.",
                field="stands",
            )
        if isinstance(stands, Backdrop) and not isinstance(shows, FieldShown):
            raise ShotError(
                f"Layer {self.name!r} is a backdrop; only a colour field can be one.",
                field="stands",
            )
        if isinstance(stands, FreeCard) and self.framable and stands.width is None:
            raise ShotError(
                f"Layer {self.name!r} is a card with a picture: give its width in metres.",
                field="stands.width",
            )
        if isinstance(stands, Taken) and stands.box is None and not pictured:
            raise ShotError(
                f"Layer {self.name!r} is drawn, not taken: let it stand as a card, or give its "
                "box in the taking camera's canvas.",
                field="stands.box",
            )
        if self.stirs and (not self.framable or not isinstance(stands, Taken | FreeCard)):
            does, field = ("is cloth", "cloth") if self.cloth else ("sways", "sway")
            raise ShotError(
                f"Layer {self.name!r} {does}, so it must be a card that shows a picture.",
                field=field,
            )
        if self.sway and self.cloth:
            raise ShotError(
                f"Layer {self.name!r} sways and is cloth; it can be one of them.", field="cloth"
            )
        if self.seen_until is not None and self.seen_until < self.seen_from:
            raise ShotError(
                f"Layer {self.name!r} is seen from frame {self.seen_from}, so it cannot go with "
                f"frame {self.seen_until}. Let it go later, or come earlier.",
                field="seen_until",
            )
        return self

    def with_shows(self, **changes: Any) -> Self:
        """Return the layer with values of what it shows changed."""
        return self.evolve(shows=self.shows.evolve(**changes))

    def with_stands(self, **changes: Any) -> Self:
        """Return the layer with values of how it stands changed."""
        return self.evolve(stands=self.stands.evolve(**changes))

    # What most ask of a layer, whichever kinds it is of; None, or "", where it has no such thing.

    @property
    def picture(self) -> str:
        """The key of the picture it shows."""
        return self.shows.picture if isinstance(self.shows, PictureShown) else ""

    @property
    def pictures(self) -> set[str]:
        """The keys of all pictures it is made of: what it shows, and the map that raises it."""
        return {self.picture, self.relief.depth if self.relief else ""} - {""}

    @property
    def crop(self) -> Crop | None:
        """Which part of the picture its window shows."""
        return self.shows.crop if isinstance(self.shows, PictureShown | ShotShown) else None

    @property
    def nested(self) -> ShotShown | None:
        """The other shot it shows."""
        return self.shows if isinstance(self.shows, ShotShown) else None

    @property
    def runs(self) -> Running | None:
        """How what it shows runs, if that has frames of its own."""
        return self.shows.runs if isinstance(self.shows, PictureShown | ShotShown) else None

    @property
    def drifts(self) -> Drift | None:
        """How the picture it shows passes by."""
        return self.shows.drifts if isinstance(self.shows, PictureShown) else None

    @property
    def looks_by_time(self) -> bool:
        """Whether what it shows is another in other frames, whatever keys it has."""
        return bool(self.counts or self.runs or self.drifts or self.sway)

    @property
    def moves_by_time(self) -> bool:
        """Whether it is otherwise in other frames, keys or not: in its look, or as cloth."""
        return self.looks_by_time or self.cloth is not None

    @property
    def stirs(self) -> Stirs | None:
        """How the picture it shows stirs by itself: its sway, or its cloth."""
        return self.sway or self.cloth

    @property
    def framable(self) -> bool:
        """Whether it shows pixels that can be cropped, and have a frame drawn round them."""
        return isinstance(self.shows, PictureShown | ShotShown)

    @property
    def arrives(self) -> Passage | None:
        """How a title comes; None if it is there, or is no title."""
        return self.shows.arrives if isinstance(self.shows, TitleShown) else None

    @property
    def counts(self) -> Count | None:
        """What of a title counts; None if nothing does."""
        return self.shows.counts if isinstance(self.shows, TitleShown) else None

    @property
    def leaves(self) -> Passage | None:
        """How a title goes; None if it stays, or is no title."""
        return self.shows.leaves if isinstance(self.shows, TitleShown) else None

    @property
    def title(self) -> Title | None:
        """The title it shows."""
        return self.shows.title if isinstance(self.shows, TitleShown) else None

    @property
    def field(self) -> ColourField | None:
        """The colour field it shows."""
        return self.shows.field if isinstance(self.shows, FieldShown) else None

    @property
    def line(self) -> Line | None:
        """The line it shows."""
        return self.shows.line if isinstance(self.shows, LineShown) else None

    @property
    def occluder(self) -> Occluder | None:
        """The occluder it shows."""
        return self.shows.occluder if isinstance(self.shows, OccluderShown) else None

    @property
    def box(self) -> Box | None:
        """Where the taking camera saw it: x, y, width, height in canvas pixels."""
        return self.stands.box if isinstance(self.stands, Taken | Relief) else None

    @property
    def size(self) -> tuple[float | None, float | None]:
        """Width and height in metres at scale 1, as far as they are its own."""
        if isinstance(self.stands, FreeCard | Projected | Solid):
            return self.stands.width, self.stands.height
        return None, None

    @property
    def projection(self) -> Box | None:
        """Where the picture that it catches lies in the taking camera's canvas."""
        return self.stands.projection if isinstance(self.stands, Projected | Solid) else None

    @property
    def relief(self) -> Relief | None:
        """How it is raised, if it is."""
        return self.stands if isinstance(self.stands, Relief) else None

    @property
    def body(self) -> Body | None:
        """Which body it is, if it is not flat."""
        return self.stands.body if isinstance(self.stands, Solid) else None

    @property
    def depth(self) -> float | None:
        """A body's depth in metres at scale 1, from its front to its back."""
        return self.stands.depth if isinstance(self.stands, Solid) else None

    @property
    def stays(self) -> Stays:
        """On the stage, with the lens, or facing it."""
        return "stage" if isinstance(self.stands, Backdrop) else self.stands.stays

    @property
    def on_lens(self) -> bool:
        """Whether it stays with the camera's lens, before all that stands or behind it."""
        return self.stays in ("lens", "lens-behind")

    @property
    def is_card(self) -> bool:
        """Whether its size is its own, in metres, and not what the taking camera saw."""
        return not (self.picture and isinstance(self.stands, Taken | Relief))

    @property
    def is_backdrop(self) -> bool:
        """Whether it fills the frame behind everything, and so stands nowhere on the stage."""
        return isinstance(self.stands, Backdrop)
