"""What stands in a shaft of light: it cuts the light off behind it."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product

import numpy as np

from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.lamp_shadows import Falling, falling
from vistaline.core.shot.beams import Shaft
from vistaline.core.shot.lamps import Lamp, LampKind
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.dressing import InAir
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.lamps import Light
from vistaline.core.stage.thrown import thrown_by

__all__ = ["falling_in_shafts"]

_SOFT = 0.06
"""Metres at 10 m: the size of what shines through an opening, as its shadows show it."""


def falling_in_shafts(
    state: FrameState, camera: CameraState, looks: Mapping[str, Pyramid]
) -> list[Falling | None]:
    """Return the shadows in each of a frame's shafts; None where nothing cuts it off."""
    cards = [state.cards[i] for i in state.order]
    found = []
    for beam in state.haze.beams:
        assert isinstance(beam.thing, Shaft)
        inside = [card for card in cards if beam.thing.cut and _meets(beam, card)]
        casts = thrown_by(_light_of(beam), inside)
        found.append(falling(casts, looks, camera))
    return found


def _meets(beam: InAir, card: Card) -> bool:
    """Return whether a card may stand in a shaft: not all of it before, behind or beside it."""
    shaft = beam.thing
    assert isinstance(shaft, Shaft)
    u, v, w = np.array(list(product((-0.5, 0.5), repeat=3))).T
    deep = card.depth if card.layer.body else 0.0
    corners = np.stack([u * card.width, v * card.height, w * deep, np.ones(8)])
    x, y, z = (np.linalg.inv(beam.pose) @ card.world_from_card @ corners)[:3]
    slope = float(np.tan(np.radians(beam.spread / 2)))
    half = [beam.opening / 2] * 2 if beam.round else [shaft.width / 2, shaft.height / 2]
    outside = [z > 0, z < -shaft.length]
    for across, wide in zip((x, y), half, strict=True):
        outside += [across > wide - slope * z, across < slope * z - wide]
    return not any(each.all() for each in outside)


def _light_of(beam: InAir) -> Light:
    """Return what shines through a shaft: from where its sides meet, or from far away."""
    shaft = beam.thing
    assert isinstance(shaft, Shaft)
    way, opening = -beam.pose[:3, 2], beam.pose[:3, 3]
    slope = np.tan(np.radians(beam.spread / 2))
    width = beam.opening if beam.round else min(shaft.width, shaft.height)
    back = width / 2 / slope if slope > 1e-4 else np.inf
    if back > 1000:
        lamp = Lamp(id="s", name="s", kind=LampKind.PARALLEL, shadows=True, size=_SOFT)
        return Light(lamp, opening, way, np.ones(3))
    lamp = Lamp(id="s", name="s", shadows=True, size=_SOFT / 10 * max(back, 1))
    return Light(lamp, opening - way * back, way, np.ones(3))
