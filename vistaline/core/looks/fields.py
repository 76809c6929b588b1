"""Colour fields: flat colours and gradients, as the stage's cards or as its backdrop."""

from __future__ import annotations

import math
from itertools import count
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from vistaline.core.arrays import Rgba16
from vistaline.core.errors import ShotError
from vistaline.core.keyable import ANGLE, COLOUR, Keyed
from vistaline.core.model import Degrees, HexColour, Length, Part, Share
from vistaline.core.picture.colour import linearise_srgb

__all__ = ["ColourField", "Stop", "draw_field"]

_SIDE = 1024


class Stop(Part):
    """A colour at a place along a gradient."""

    id: str = Field("", max_length=20, description="Its own among the stops; keys name it.")
    at: Share
    colour: Annotated[HexColour, Keyed("Colour", **COLOUR)]
    opacity: Share = 1.0


class ColourField(Part):
    """A flat colour, or a gradient along a line or out from the middle."""

    kind: Literal["flat", "linear", "radial"] = "flat"
    stops: tuple[Stop, ...] = Field((Stop(at=0, colour="#20304a"),), min_length=1, max_length=24)
    angle: Annotated[Degrees, Keyed("Gradient", "gradient", looks=True, **ANGLE)] = Field(
        180, description="Of a linear one: 0 upwards, 90 to the right (CSS)."
    )
    width: Length = Field(2.0, description="Metres; of a backdrop it does not count.")
    height: Length = 1.2

    @model_validator(mode="after")
    def _identified(self) -> Self:
        taken = {stop.id for stop in self.stops if stop.id}
        if len(taken) < sum(bool(stop.id) for stop in self.stops):
            raise ShotError("Two colours of a gradient have one id; each needs its own.")
        free = (str(n) for n in count(1) if str(n) not in taken)
        if not all(stop.id for stop in self.stops):
            named = (stop if stop.id else stop.evolve(id=next(free)) for stop in self.stops)
            object.__setattr__(self, "stops", tuple(named))
        return self


def draw_field(field: ColourField, *, side: int = _SIDE) -> Rgba16:
    """Return a field as a picture, its longer side ``side`` pixels; a flat one is 16 x 16.

    Colours between stops: premultiplied, sRGB-encoded, as CSS Images Level 3, section 3.4 has
    it; so is the length of a linear gradient (section 3.1). A radial one reaches from the middle
    to the corners as a circle (farthest-corner, section 3.2).
    """
    if field.kind == "flat" or len(field.stops) == 1:
        return _light(np.broadcast_to(_codes(field.stops[0]), (16, 16, 4)))
    width = side * min(1.0, field.width / field.height)
    height = side * min(1.0, field.height / field.width)
    columns, rows = max(1, round(width)), max(1, round(height))
    y, x = np.mgrid[:rows, :columns] + 0.5
    x, y = x - columns / 2, y - rows / 2
    if field.kind == "radial":
        along = np.hypot(x, y) / math.hypot(columns / 2, rows / 2)
    else:
        angle = math.radians(field.angle)
        sine, cosine = math.sin(angle), math.cos(angle)
        length = abs(columns * sine) + abs(rows * cosine)
        along = (x * sine - y * cosine) / length + 0.5
    stops = sorted(field.stops, key=lambda stop: stop.at)
    places = [stop.at for stop in stops]
    table = np.array([_codes(stop) for stop in stops])
    return _light(np.stack([np.interp(along, places, table[:, c]) for c in range(4)], axis=-1))


def _codes(stop: Stop) -> np.ndarray:
    colour = np.array(list(bytes.fromhex(stop.colour[1:]))) / 255
    return np.array([*(colour * stop.opacity), stop.opacity])


def _light(encoded: np.ndarray) -> Rgba16:
    """Return linear premultiplied uint16 of encoded premultiplied values."""
    alpha = encoded[..., 3:]
    straight = linearise_srgb(encoded[..., :3] / np.maximum(alpha, 1e-6))
    linear = np.concatenate([straight * alpha, alpha], axis=-1)
    return np.rint(np.clip(linear, 0, 1) * 65535).astype(np.uint16)
