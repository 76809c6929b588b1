"""Callouts: a label tied by a line to a point on a layer, as large on the screen as it is."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Annotated, Literal, Protocol

from pydantic import Field

from vistaline.core.errors import ShotError
from vistaline.core.keyable import PERCENT, Keyed, Kind
from vistaline.core.model import Part
from vistaline.core.shot.layer import Layer

__all__ = ["Callout", "MarkKind", "callout_of", "misfits"]

MarkKind = Literal["spot", "ring", "arrow", "none"]
"""What stands where the line begins."""


class Callout(Part):
    """Which layers make a callout, and where its label is beside its point."""

    id: str = Field(min_length=1, max_length=80)
    of: str = Field(min_length=1, max_length=80, description="The id of the layer it points at.")
    at: tuple[float, float] = Field(
        (0.5, 0.5), description="The point: shares of that layer's width and height, y down."
    )
    label: str = Field(min_length=1, max_length=80, description="The title's layer.")
    line: str = Field("", max_length=80, description="The line's layer.")
    mark: str = Field("", max_length=80, description="The layer of the spot, ring or arrowhead.")
    across: Annotated[float, Keyed("Aside", low=-2, high=2, **PERCENT)] = Field(
        0.14, ge=-2, le=2, description="Of the label, right of its point, in frame widths."
    )
    up: Annotated[float, Keyed("Above", low=-2, high=2, **PERCENT)] = Field(
        0.09, ge=-2, le=2, description="Of the label, above its point, in frame widths."
    )
    size: Annotated[
        float, Keyed("Type", "type_size", low=0.002, high=0.5, kind=Kind.RATIO, **PERCENT)
    ] = Field(0.026, ge=0.002, le=0.5, description="Its type's em, in frame widths.")
    mark_size: Annotated[float, Keyed("Mark", low=0.001, high=0.5, kind=Kind.RATIO, **PERCENT)] = (
        Field(0.014, ge=0.001, le=0.5, description="How wide the mark is, in frame widths.")
    )
    weight: Annotated[
        float, Keyed("Line", "line_weight", low=0.0002, high=0.1, kind=Kind.RATIO, **PERCENT)
    ] = Field(0.0022, ge=0.0002, le=0.1, description="How wide the line is, in frame widths.")

    @property
    def parts(self) -> tuple[str, ...]:
        """The ids of its layers."""
        return tuple(filter(None, (self.line, self.mark, self.label)))


class _WithCallouts(Protocol):
    @property
    def callouts(self) -> Sequence[Callout]: ...


def callout_of(shot: _WithCallouts, layer: str) -> Callout | None:
    """Return the callout that a layer is part of."""
    # Asked of every layer in every frame: most shots have none.
    if not shot.callouts:
        return None
    return next((each for each in shot.callouts if layer in each.parts), None)


def misfits(callouts: Iterable[Callout], layers: Sequence[Layer]) -> Iterable[ShotError]:
    """Yield what is wrong between callouts and the layers of their shot."""
    known = {layer.id: layer for layer in layers}
    taken, ids = set[str](), set[str]()
    for i, callout in enumerate(callouts):
        if callout.id in ids:
            yield ShotError("Two callouts have one id; each needs its own.", field=f"callouts.{i}")
        ids.add(callout.id)
        for field, key in (
            ("of", callout.of),
            ("label", callout.label),
            ("line", callout.line),
            ("mark", callout.mark),
        ):
            if key and key not in known:
                what = "points at" if field == "of" else f"has as its {field}"
                yield ShotError(
                    f"A callout {what} {key!r}, which is not among the layers (it may have been "
                    "removed).",
                    field=f"callouts.{i}.{field}",
                )
        if callout.of in callout.parts:
            yield ShotError("A callout cannot point at itself.", field=f"callouts.{i}.of")
        for key in callout.parts:
            layer = known.get(key)
            if key in taken:
                yield ShotError(f"{key!r} is part of two callouts.", field=f"callouts.{i}")
            taken.add(key)
            if layer is None:
                continue
            kind = "title" if key == callout.label else "line"
            if (layer.title if kind == "title" else layer.line) is None or layer.stays != "lens":
                yield ShotError(
                    f"{layer.name!r} is part of a callout, so it must be a {kind} that stays with "
                    "the lens.",
                    field=f"callouts.{i}",
                )
