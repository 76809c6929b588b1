"""Layouts: pictures laid out in the frame itself, whatever stands on the stage and wherever.

A layout lasts for a span of frames. Its pictures come in at the beginning of the span, stand at
their places, and go out at its end; all of that is measured by the span, so that a shorter one
still does all of it. Where a picture is at a frame is said by ``core.stage.laid``.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Sequence
from enum import StrEnum
from typing import Annotated, Any, Literal, Protocol, Self

from pydantic import Field, model_validator

from vistaline.core.errors import ShotError
from vistaline.core.keyable import ANGLE, PERCENT, SHARE, Keyed, Kind
from vistaline.core.model import Degrees, Part, Share
from vistaline.core.shot.layer import Layer

__all__ = [
    "MOST",
    "Enters",
    "Forward",
    "Layout",
    "LayoutKind",
    "Side",
    "WindowShape",
    "layout_of",
    "layout_round",
    "misfits",
]


class LayoutKind(StrEnum):
    """What a layout looks like when all of it is there."""

    CORNER = "corner"
    """One picture, small, at a place of its own."""
    PART = "part"
    """One picture, from the full frame to its crop at a place, the crop on its way with it."""
    BESIDE = "beside"
    ABOVE = "above"
    STRIPS = "strips"
    """Beside each other from edge to edge."""
    FOUR = "four"
    WALL = "wall"
    ASIDE = "aside"
    """One picture, pushed aside to free room for words."""


FEWEST = {LayoutKind.BESIDE: 2, LayoutKind.ABOVE: 2, LayoutKind.STRIPS: 3, LayoutKind.FOUR: 2}
"""Pictures that a layout needs; one, where nothing is said."""
MOST = {
    LayoutKind.CORNER: 1,
    LayoutKind.PART: 1,
    LayoutKind.ASIDE: 1,
    LayoutKind.BESIDE: 3,
    LayoutKind.ABOVE: 3,
    LayoutKind.STRIPS: 8,
    LayoutKind.FOUR: 4,
    LayoutKind.WALL: 100,
}
"""Pictures that a layout has room for."""


class Enters(StrEnum):
    """From where pictures come in, and to where they go out."""

    FULL = "full"
    """Out of the full frame."""
    SIDE = "side"
    """From beyond the frame's edge."""
    GROWN = "grown"
    """Out of nothing, in its place."""
    FADED = "faded"


class WindowShape(StrEnum):
    """The shape of a picture's window; what does not fit is cropped."""

    FRAME = "frame"
    PICTURE = "picture"
    """Nothing is cropped."""
    SQUARE = "square"
    ROOM = "room"
    """All the room there is for it."""


class Side(StrEnum):
    """An edge of the frame."""

    LEFT = "left"
    RIGHT = "right"
    TOP = "top"
    BOTTOM = "bottom"


class Forward(Part):
    """One of the pictures comes forward to the full frame, and goes back."""

    layer: str = Field(min_length=1, max_length=80)
    begins: Share = Field(description="Share of the span at which it leaves its place.")
    lasts: Share = Field(0.3, gt=0, description="Share of the span until it is back.")

    @model_validator(mode="after")
    def _is_back_in_time(self) -> Self:
        if self.begins + self.lasts > 1 + 1e-9:
            raise ShotError(
                f"{self.layer!r} would be back at {100 * (self.begins + self.lasts):.0f} % of the "
                "layout's span, after its end. Let it come forward sooner, or for less long.",
                field="lasts",
            )
        return self


class Layout(Part):
    """Pictures laid out in the frame for a span of frames."""

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)
    kind: LayoutKind
    layers: tuple[str, ...] = Field(
        min_length=1, max_length=100, description="Its pictures' layers, in order of their places."
    )
    ground: str = Field("", max_length=80, description="The layer that fills the frame behind it.")
    words: tuple[str, ...] = Field(
        (), max_length=20, description="Layers that stand in the room that a picture frees."
    )
    on: bool = True
    starts: int = Field(0, ge=0, le=1_000_000, description="The first frame of its span.")
    frames: int = Field(96, ge=2, le=1_000_000, description="How many frames the span has.")
    comes: bool = Field(True, description="Whether it moves in; else it is there at once.")
    goes: bool = Field(True, description="Whether it moves out; else it stays to the span's end.")
    enters: Enters = Enters.FULL
    measured: Literal["span", "frames"] = Field(
        "span", description="What its lengths are: shares of the span, or frames."
    )
    coming: float = Field(0.25, ge=0, le=1_000_000, allow_inf_nan=False)
    going: float = Field(0.25, ge=0, le=1_000_000, allow_inf_nan=False)
    before: float = Field(
        0.0, ge=0, le=1_000_000, allow_inf_nan=False, description="The delay before it moves in."
    )
    after: float = Field(
        0.0, ge=0, le=1_000_000, allow_inf_nan=False, description="The delay after it moved out."
    )
    acceleration: Share = Field(0.7, description="0: at one speed; 1: slow at both ends.")
    stagger: Share = Field(
        0.0, description="How much later each picture moves than the one before."
    )
    shape: WindowShape = WindowShape.FRAME
    side: Side = Field(Side.RIGHT, description="Where the room is that is freed.")
    across: Annotated[float, Keyed("Across", low=-2, high=2, **PERCENT)] = Field(
        0.0, ge=-2, le=2, description="Of one picture: right of the frame's middle, in its widths."
    )
    up: Annotated[float, Keyed("Up", low=-2, high=2, **PERCENT)] = Field(
        0.0, ge=-2, le=2, description="Above the frame's middle, in its heights."
    )
    size: Annotated[float, Keyed("Size", low=0.01, high=4, kind=Kind.RATIO, **PERCENT)] = Field(
        0.32, ge=0.01, le=4, description="Of one picture: its width, in the frame's."
    )
    turn: Annotated[Degrees, Keyed("Turn", **ANGLE)] = Field(0.0, description="Anticlockwise.")
    gap: Annotated[Share, Keyed("Gap", **SHARE)] = Field(
        0.02, description="Between pictures, in frame widths."
    )
    margin: Annotated[float, Keyed("Margin", low=0, high=0.4, **PERCENT)] = Field(
        0.04, ge=0, le=0.4, description="To the frame's edges, in its widths."
    )
    room: Annotated[float, Keyed("Room", low=0.05, high=0.9, **PERCENT)] = Field(
        0.42, ge=0.05, le=0.9, description="What is freed, in the frame's width or height."
    )
    lift: Annotated[Share, Keyed("Lifted", looks=True, **SHARE)] = Field(
        0.12,
        description="How far the pictures are before what is behind, for the shadows of their "
        "frame styles: shares of their shorter sides.",
    )
    forwards: tuple[Forward, ...] = Field((), max_length=50)

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        fewest, most = FEWEST.get(self.kind, 1), MOST[self.kind]
        if not fewest <= len(self.layers) <= most:
            wanted = str(fewest) if fewest == most else f"{fewest} to {most}"
            raise ShotError(
                f"Layout {self.name!r} has {len(self.layers)} pictures; this kind takes {wanted}.",
                field="layers",
            )
        named = [*self.layers, *self.words, *filter(None, [self.ground])]
        if len({*named}) < len(named):
            raise ShotError(f"Layout {self.name!r} names a layer twice.", field="layers")
        if stray := {each.layer for each in self.forwards} - {*self.layers}:
            raise ShotError(
                f"In layout {self.name!r} {min(stray)!r} is to come forward, which is not one of "
                "its pictures.",
                field="forwards",
            )
        unit = 100 if self.measured == "span" else 1
        words = "% of the span" if self.measured == "span" else "frames"
        has = 1.0 if self.measured == "span" else self.frames - 1.0
        takes = self.before + self.after
        takes += self.coming * self.comes + self.going * self.goes
        if takes > has + 1e-9:
            raise ShotError(
                f"Coming in, going out and the delays of layout {self.name!r} take "
                f"{takes * unit:.4g} {words} together; there are {has * unit:.4g}. Make some "
                "shorter, or the span longer.",
                field="coming",
            )
        return self

    @property
    def ends(self) -> int:
        """The first frame after its span."""
        return self.starts + self.frames

    @property
    def complete(self) -> int:
        """A frame in which all of it is in its place: the first, but before it goes."""
        comes = self.before + self.coming if self.comes else 0.0
        goes = self.after + self.going if self.goes else 0.0
        there = math.ceil(self.lasting(comes) - 1e-9)
        return self.starts + min(there, max(0, math.floor(self.frames - 1 - self.lasting(goes))))

    @property
    def lays(self) -> tuple[str, ...]:
        """The ids of all layers that it lays, from behind to before."""
        return (*filter(None, [self.ground]), *self.layers, *self.words)

    def without(self, gone: Collection[str]) -> Layout | None:
        """Return it without some layers; None if too few are left to be laid out."""
        left = tuple(each for each in self.layers if each not in gone)
        if len(left) < FEWEST.get(self.kind, 1):
            return None
        return self.evolve(
            layers=left,
            words=tuple(each for each in self.words if each not in gone),
            ground="" if self.ground in gone else self.ground,
            forwards=tuple(each for each in self.forwards if each.layer not in gone),
        )

    def retimed(self, moved: Callable[[int], int], last: int) -> Layout:
        """Return it at the frames that ``moved`` says its own have come to.

        ``last``: the last frame of the shot, which it does not outlast.
        """
        ends = sorted((moved(self.starts), moved(self.ends - 1)))
        starts = max(0, min(ends[0], last - 1))
        frames = max(2, min(ends[1], last) - starts + 1)
        changes: dict[str, Any] = {"starts": starts, "frames": frames}
        if self.measured == "frames":
            # Its lengths change as its span does.
            ratio = (frames - 1) / (self.frames - 1)
            for name in ("coming", "going", "before", "after"):
                changes[name] = getattr(self, name) * ratio
        return self.evolve(**changes)

    def backwards(self) -> Layout:
        """Return it as it is when its shot runs backwards; its span stays where it is."""
        return self.evolve(
            comes=self.goes,
            goes=self.comes,
            coming=self.going,
            going=self.coming,
            before=self.after,
            after=self.before,
            forwards=tuple(
                each.evolve(begins=max(0.0, 1 - each.begins - each.lasts)) for each in self.forwards
            ),
        )

    def lasting(self, length: float) -> float:
        """Return one of its lengths in frames."""
        return length * (self.frames - 1) if self.measured == "span" else length


class _WithLayouts(Protocol):
    @property
    def layouts(self) -> Sequence[Layout]: ...
    @property
    def layers(self) -> Sequence[Layer]: ...


def layout_of(shot: _WithLayouts, layer: str) -> Layout | None:
    """Return the layout that lays a layer in the frame; None if it stands by itself."""
    # Asked of every layer in every frame: most shots have none.
    if not shot.layouts:
        return None
    return next((each for each in shot.layouts if each.on and layer in each.lays), None)


def layout_round(shot: _WithLayouts, layer: Layer) -> Layout | None:
    """Return the layout that a layer is laid by, itself or as the line round one that is."""
    if not shot.layouts:
        return None
    return layout_of(shot, layer.id) or (
        layout_of(shot, layer.line.round) if layer.line and layer.line.round else None
    )


def misfits(layouts: Iterable[Layout], layers: Sequence[Layer]) -> Iterable[ShotError]:
    """Yield what is wrong between layouts and the layers of their shot."""
    known, laid = {layer.id: layer for layer in layers}, set[str]()
    ids = set[str]()
    for i, layout in enumerate(layouts):
        if layout.id in ids:
            yield ShotError("Two layouts have one id; each needs its own.", field=f"layouts.{i}.id")
        ids.add(layout.id)
        for key in layout.lays:
            layer = known.get(key)
            if layer is None:
                yield ShotError(
                    f"Layout {layout.name!r} lays out {key!r}, which is not among the layers.",
                    field=f"layouts.{i}.layers",
                )
                continue
            if key in laid:
                yield ShotError(
                    f"{layer.name!r} is in two layouts; a layer can be in one.",
                    field=f"layouts.{i}.layers",
                )
            laid.add(key)
            if layer.stays != "lens" or not layer.is_card:
                yield ShotError(
                    f"{layer.name!r} is in layout {layout.name!r}, so it must be a card that stays "
                    "with the lens.",
                    field=f"layouts.{i}.layers",
                )
