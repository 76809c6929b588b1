"""The edits of still pictures that stir by themselves: they pass by, sway, or are cloth."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from vistaline.core.edits.registry import REGISTRY, on_stage, with_layers
from vistaline.core.errors import EditError
from vistaline.core.looks.cloth import Cloth, ClothHeld
from vistaline.core.looks.drifting import Drift
from vistaline.core.looks.pins import Pins
from vistaline.core.looks.swaying import HeldAt, Sway, SwayKind
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.stands import Backdrop, Projected, Solid
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.poses import frame_ratio, framed_ratio
from vistaline.core.stage.waving import in_the_way
from vistaline.core.verbs import FROM_JSON

__all__: list[str] = []

verb = REGISTRY.verb
Percent = Annotated[float, Field(ge=0, le=100)]
_WALL = 0.1
_CLOTHS = {
    ClothHeld.LEFT: Cloth(),
    ClothHeld.RIGHT: Cloth(held=ClothHeld.RIGHT, direction=165),
    ClothHeld.HEAD: Cloth(held=ClothHeld.HEAD, wind=1.5, direction=90, wall=0.2),
    ClothHeld.CORNERS: Cloth(held=ClothHeld.CORNERS, wind=3, direction=70),
    ClothHeld.COLLAR: Cloth(
        held=ClothHeld.COLLAR, wide=0.6, wind=4, direction=20, weight=0.4, stiff=0.3
    ),
    ClothHeld.NOWHERE: Cloth(held=ClothHeld.NOWHERE, wind=1),
}
"""What each way of being held begins with."""
_FLAG = Sway(kind=SwayKind.RIPPLES, held=HeldAt.LEFT, amount=0.05, seconds=1.6, folds=0.3, travel=0)
_CHEST = Sway(kind=SwayKind.BREATHES, amount=0.02, seconds=4, uneven=0.2, travel=0)
_READY = {SwayKind.BENDS: Sway(), SwayKind.RIPPLES: _FLAG, SwayKind.BREATHES: _CHEST}
"""What each kind begins with."""


@verb("how it passes by")
def set_drift(
    shot: Shot,
    *,
    layer: str,
    drifts: bool | None = None,
    percent: Annotated[float, Field(ge=-1000, le=1000)] | None = None,
    passed: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None,
) -> Shot:
    """Let a picture pass by without end, or not any more.

    ``percent`` of its width a second, above 0 to the right; ``passed``: percent of its width that
    it has passed beside that, which can have keys.
    """
    found = shot.layer(layer)
    if not found.picture:
        raise EditError(f"{found.name} shows no picture that could pass by.")
    if found.runs:
        raise EditError(f"{found.name} moves already. Let a still picture pass by.")
    _check_card(found, "pass by")
    drift = found.drifts
    if drifts is False:
        return with_layers(shot, [found.with_shows(drifts=None)])
    drift = drift or Drift()
    values = {
        "speed": None if percent is None else percent / 100,
        "passed": None if passed is None else passed / 100,
    }
    drift = drift.evolve(**{name: value for name, value in values.items() if value is not None})
    return with_layers(shot, [found.with_shows(drifts=drift)])


@verb("how it sways")
def set_sway(
    shot: Shot,
    *,
    layer: str,
    kind: SwayKind | None = None,
    sways: bool | None = None,
    held: HeldAt | None = None,
    percent: Annotated[float, Field(ge=0, le=100)] | None = None,
    seconds: float | None = None,
    uneven: Annotated[float, Field(ge=0, le=100)] | None = None,
    grows: float | None = None,
    wave: Annotated[float, Field(gt=1, le=1000)] | None = None,
    folds: Annotated[float, Field(ge=0, le=100)] | None = None,
    travel: float | None = None,
    delay: float | None = None,
    seed: int | None = None,
) -> Shot:
    """Let a picture sway, or not any more; ``kind`` alone begins with what suits it.

    ``percent``: how far it goes astray, of its length from what is held, which can have keys;
    ``uneven``, ``wave`` and ``folds`` in percent, too.
    """
    found = shot.layer(layer)
    if sways is False:
        return with_layers(shot, [found.evolve(sway=None)])
    if not found.framable:
        raise EditError(f"{found.name} shows no picture that could sway.")
    _check_card(found, "sway")
    sway = found.sway or _READY[kind or SwayKind.BENDS]
    if kind and kind is not sway.kind:
        sway = _READY[kind].evolve(delay=sway.delay, seed=sway.seed, pins=sway.pins)
    shares = {"amount": percent, "uneven": uneven, "wave": wave, "folds": folds}
    values: dict[str, Any] = {
        name: None if value is None else value / 100 for name, value in shares.items()
    }
    values |= {"held": held, "seconds": seconds, "grows": grows, "travel": travel}
    values |= {"delay": delay, "seed": seed}
    changed = sway.evolve(**{name: value for name, value in values.items() if value is not None})
    return with_layers(shot, [found.evolve(sway=changed, cloth=None)])


@verb("cloth")
def set_cloth(
    shot: Shot,
    *,
    layer: str,
    is_cloth: bool | None = None,
    held: ClothHeld | None = None,
    grid: int | None = None,
    wide: float | None = None,
    weight: float | None = None,
    stiff: Percent | None = None,
    damping: Percent | None = None,
    air: Annotated[float, Field(ge=0, le=400)] | None = None,
    wind: float | None = None,
    direction: float | None = None,
    gusts: Percent | None = None,
    swirls: Percent | None = None,
    settles: float | None = None,
    walled: bool | None = None,
    wall: float | None = None,
    before: str | None = None,
    loops: float | None = None,
    folds: Percent | None = None,
    delay: float | None = None,
    seed: int | None = None,
) -> Shot:
    """Let a layer's picture be cloth in the wind, or not any more; ``held`` begins it.

    ``wall``: metres behind it of what it does not go through, if there is one (``walled``);
    ``before``: the id of a layer that it does not go through, "" for none.
    Stiffness, damping, air, gusts, swirls and folds in percent.
    """
    found = shot.layer(layer)
    if is_cloth is False:
        return with_layers(shot, [found.evolve(cloth=None)])
    if not found.framable:
        raise EditError(f"{found.name} shows no picture that could be cloth.")
    _check_card(found, "be cloth")
    cloth = found.cloth or _CLOTHS[held or ClothHeld.LEFT]
    shares = {"stiff": stiff, "damping": damping, "air": air, "gusts": gusts}
    shares |= {"swirls": swirls, "folds": folds}
    values: dict[str, Any] = {
        name: None if value is None else value / 100 for name, value in shares.items()
    }
    values |= {"held": held, "grid": grid, "wide": wide, "weight": weight, "wind": wind}
    values |= {"direction": direction, "settles": settles, "loops": loops}
    values |= {"delay": delay, "seed": seed, "before": before}
    if before:
        _check_thing(shot, found, before)
    changes = {name: value for name, value in values.items() if value is not None}
    if wall is not None or walled is not None:
        there = cloth.wall if cloth.wall is not None else _WALL
        changes["wall"] = None if walled is False else (there if wall is None else wall)
    return with_layers(shot, [found.evolve(cloth=cloth.evolve(**changes), sway=None)])


@verb("what holds it")
def pin_layer(
    shot: Shot,
    *,
    thing: str,
    frame: int = 0,
    points: Annotated[list[tuple[float, float]], FROM_JSON] | None = None,
) -> Shot:
    """Hold a cloth, or what sways, where a line through frame pixels lies on it.

    Without points what was painted is let go. ``thing`` is the layer's id.
    """
    found = shot.layer(thing)
    if found.stirs is None:
        raise EditError(f"{found.name} neither sways nor is cloth. Let it do so first.")
    if points is None:
        return with_layers(shot, [_pinned(found, ())])
    camera = camera_states(shot, [frame])[0]
    # As it lies flat: the room that it has to move in goes all round it.
    card = card_of(shot, found, camera)
    unit_from_image = np.linalg.inv(card.image_from_unit(camera))
    u, v, w = unit_from_image @ np.column_stack([points, np.ones(len(points))]).T
    if (w * w[0] <= 0).any():
        raise EditError(f"{found.name} is seen from its side there. Paint where it is seen.")
    # The room is the same to both sides: shares of its own size, from its middle.
    more = np.array(frame_ratio(shot, found)) / framed_ratio(shot, found)
    own = (np.stack([u / w, v / w], axis=1) - 0.5) * more + 0.5
    if not ((own > -0.1) & (own < 1.1)).all(axis=1).any():
        raise EditError(f"That lies beside {found.name}. Paint on it.")
    pin = tuple((round(float(x), 4), round(float(y), 4)) for x, y in own.clip(-0.5, 1.5))
    return with_layers(shot, [_pinned(found, (*found.stirs.pins, pin))])


def _pinned(layer: Layer, pins: Pins) -> Layer:
    if layer.cloth:
        return layer.evolve(cloth=layer.cloth.evolve(pins=pins))
    assert layer.sway
    return layer.evolve(sway=layer.sway.evolve(pins=pins))


@verb("sway together")
def sway_together(
    shot: Shot, *, layers: list[str], travels: Annotated[float, Field(ge=-600, le=600)] = 0.5
) -> Shot:
    """Let several layers sway as the first of them that does, from left to right.

    ``travels``: seconds that a gust takes from the leftmost to the rightmost of them.
    """
    found = [on_stage(shot, key) for key in layers]
    for layer in found:
        if not layer.framable:
            raise EditError(f"{layer.name} shows no picture that could sway. Take it out.")
        _check_card(layer, "sway")
    sway = next((layer.sway for layer in found if layer.sway), Sway())
    places = np.array([card_of(shot, layer).world_from_card[0, 3] for layer in found])
    reach = float(np.ptp(places)) or 1.0
    delays = (places - places.min()) / reach * travels
    return with_layers(
        shot,
        [
            layer.evolve(sway=sway.evolve(delay=round(float(delay), 4)), cloth=None)
            for layer, delay in zip(found, delays, strict=True)
        ],
    )


def _check_thing(shot: Shot, cloth: Layer, before: str) -> None:
    thing = shot.layer(before)
    if thing is cloth:
        raise EditError(f"{cloth.name} cannot hang before itself.")
    if not in_the_way(thing):
        raise EditError(
            f"{cloth.name} cannot hang before {thing.name}. Choose a layer that stands and is flat,"
            " a box, a ball or a cylinder."
        )


def _check_card(layer: Layer, does: str) -> None:
    if isinstance(layer.stands, Projected | Solid | Backdrop):
        raise EditError(
            f"{layer.name} catches its picture from the taking camera, where it stays. Let a card "
            f"{does}."
        )
