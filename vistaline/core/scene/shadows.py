"""Shadows as the page draws them: pictures that lie on what they fall on.

Those of frame styles are rendered so, too. Those of lamps are rendered from place to place, each as
soft as its own distances make it; for the page each has one softness, that of its middle, and takes
as much light away as its lamp has a share in there.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vistaline.core.arrays import FloatArray, Matrix4
from vistaline.core.shot.lamps import LampKind
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState
from vistaline.core.stage.lamps import Light, light_at
from vistaline.core.stage.shadows import Cast, Shade, softened_shade
from vistaline.core.stage.thrown import Thrown, thrown_by

__all__ = ["live_shadows"]

_MOST = 600
"""Pairs of cards and lamps that are looked at: a page that draws more shadows is too slow."""
_FAINTEST = 0.04


def live_shadows(state: FrameState) -> list[Cast]:
    """Return all shadows of a frame as the page draws them.

    Those of bodies, of reliefs and of cloth, which are others in each frame, are told in the proof.
    """
    found = [cast for cast in state.casts if not state.cards[cast.caster].waving]
    shown = [i for i in state.order if state.cards[i].layer.stands_lit]
    throwing = [light for light in state.lights if light.lamp.shadows]
    if len(shown) ** 2 * len(throwing) > _MOST:
        return found
    for light in throwing:
        for thrown in thrown_by(light, [state.cards[i] for i in shown]):
            by = thrown.caster
            if thrown.outline is not None or (by and (by.raised or by.waving)):
                continue
            caster = next(i for i in shown if state.cards[i] is thrown.caster)
            for receiver in shown:
                cast = _cast(state, light, thrown, caster, receiver)
                if cast:
                    found.append(cast)
    return found


def _cast(
    state: FrameState, light: Light, thrown: Thrown, caster: int, receiver: int
) -> Cast | None:
    card, onto = state.cards[caster], state.cards[receiver]
    flat = onto.layer.is_lit and onto.layer.body is None and onto.raised is None
    flat = flat and onto.waving is None
    if caster == receiver or not flat or not onto.layer.takes_shadows:
        return None
    fallen = _fallen(light, card, onto)
    if fallen is None:
        return None
    middle = fallen @ [0.0, 0.0, 0.0, 1.0]
    place = middle[:3] / middle[3]
    beyond = float(thrown.beyond @ [*place, 1.0])
    if beyond <= 1e-4:
        return None
    blur = float(thrown.blur_at(np.array(beyond)))
    shade = softened_shade(card, fallen, blur / 4)
    if not _touches(shade, onto):
        return None
    normal = onto.world_from_card[None, :3, 2]
    own = float(light_at([light], place[None], normal).sum())
    share = own / max(float(light_at(state.lights, place[None], normal).sum()), 1e-9)
    if share < _FAINTEST:
        return None
    return Cast(caster=caster, receiver=receiver, shade=shade, strength=share * card.opacity)


def _fallen(light: Light, card: Card, onto: Card) -> Matrix4 | None:
    """Return where places (x, y, 0, 1) of a card fall on another, homogeneous; None if nowhere."""
    parallel = light.lamp.kind is LampKind.PARALLEL
    source = np.array([*-light.way, 0.0]) if parallel else np.array([*light.place, 1.0])
    normal = onto.world_from_card[:3, 2]
    plane = np.array([*normal, -float(normal @ onto.world_from_card[:3, 3])])
    side = float(plane @ source)
    if abs(side) < 1e-9:
        return None
    towards = np.sign(side) * (side * np.eye(4) - np.outer(source, plane))
    fallen = np.asarray(towards @ card.world_from_card)
    corners = _corners(card.width, card.height) @ fallen.T
    # All of it lies before the lamp, as seen from what it falls on.
    if corners[:, 3].min() <= 1e-3 * abs(side):
        return None
    behind = float(plane @ card.world_from_card[:, 3]) * np.sign(side)
    return fallen if behind > 1e-6 else None


def _corners(width: float, height: float) -> FloatArray:
    x, y = width / 2, height / 2
    return np.array([[-x, -y, 0, 1], [x, -y, 0, 1], [x, y, 0, 1], [-x, y, 0, 1]])


def _touches(shade: Shade, onto: Card) -> bool:
    there = _corners(shade.width, shade.height) @ shade.world_from_plane.T
    if there[:, 3].min() <= 0:
        return True
    places = there[:, :3] / there[:, 3:]
    own = (places - onto.world_from_card[:3, 3]) @ onto.world_from_card[:3, :2]
    half: Sequence[float] = (onto.width / 2, onto.height / 2)
    return bool((own.min(axis=0) < half).all() and (own.max(axis=0) > np.negative(half)).all())
