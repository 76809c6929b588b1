"""Places: named points on layers, without looks, that mark where somebody's effect shall go."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from pydantic import Field

from vistaline.core.errors import ShotError
from vistaline.core.model import Metres, Part
from vistaline.core.shot.layer import Layer

__all__ = ["Place", "misplaced"]


class Place(Part):
    """A point that goes where its layer goes."""

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(min_length=1, max_length=80)
    of: str = Field(min_length=1, max_length=80, description="The id of the layer it is on.")
    at: tuple[Metres, Metres] = Field(
        (0.0, 0.0), description="Shares of that layer's width and height from its middle, y up."
    )
    out: Metres = Field(0.0, description="Metres before its plane, as on a body or a relief.")


def misplaced(places: Sequence[Place], layers: Sequence[Layer]) -> Iterable[ShotError]:
    """Yield what is wrong between places and the layers of their shot."""
    known = {layer.id for layer in layers}
    for i, place in enumerate(places):
        if place.id in {each.id for each in places[:i]}:
            yield ShotError("Two places have one id; each needs its own.", field=f"places.{i}.id")
        if place.name in {each.name for each in places[:i]}:
            yield ShotError(
                f"Two places are called {place.name!r}; each needs its own name.",
                field=f"places.{i}.name",
            )
        if place.of not in known:
            yield ShotError(
                f"Place {place.name!r} is on {place.of!r}, which is not among the layers (it may "
                "have been removed).",
                field=f"places.{i}.of",
            )
