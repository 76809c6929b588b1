"""Edits of reliefs: pictures raised by a map of their depth."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Any

from pydantic import Field

from vistaline.core.depth.steps import distance_at
from vistaline.core.edits.registry import REGISTRY, on_stage, with_layers
from vistaline.core.errors import EditError
from vistaline.core.model import Distance
from vistaline.core.shot.areas import MOST_AREAS, ReliefArea
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.shot import PictureRef, Shot
from vistaline.core.shot.stands import Relief, Taken
from vistaline.core.stage.cards import card_of
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.keyed import shot_at_frame
from vistaline.core.stage.surfaces import unit_at
from vistaline.core.verbs import FROM_JSON

__all__ = ["middle_of"]

verb = REGISTRY.verb
_LIFT = 0.1
"""With how much an area begins: it is seen to do something."""


def middle_of(near: float, far: float) -> float:
    """Return the distance of a relief's layer: of what is neither near nor far on its map.

    >>> middle_of(2, 6)
    3.0
    """
    return round(float(distance_at(0.5, near, far)), 3)


@verb("raise")
def raise_layer(
    shot: Shot,
    *,
    layer: str,
    pictures: dict[str, PictureRef],
    depth: str,
    near: Distance,
    far: Distance,
    texture: bool = True,
) -> Shot:
    """Raise a layer that the taking camera saw by a map, one of ``pictures``.

    It then stands in the middle of its depth; near and far in metres from the taking camera.
    """
    found = on_stage(shot, layer)
    if found.is_card or not isinstance(found.stands, Taken | Relief):
        raise EditError(
            f"{found.name} was not seen by the taking camera, so no map tells how deep it is."
        )
    _check_reach(found, near, far)
    middle = middle_of(near, far)
    stands = Relief(
        box=found.box,
        stays=found.stays,
        depth=depth,
        at=middle,
        near=near,
        far=far,
        texture=texture,
    )
    changed = found.evolve(
        stands=stands, distance=middle, across=0.0, up=0.0, scale=1.0, sway=None, cloth=None
    )
    return with_layers(shot.evolve(pictures=shot.pictures | pictures), [changed])


@verb("relief")
def set_relief(
    shot: Shot,
    *,
    layer: str,
    percent: Annotated[float, Field(ge=0, le=100)] | None = None,
    near: Distance | None = None,
    far: Distance | None = None,
) -> Shot:
    """Change how deep a relief is: its strength in percent, its nearest and farthest in metres."""
    found = on_stage(shot, layer)
    relief = _relief(found)
    changes: dict[str, Any] = {"near": near, "far": far}
    changes["strength"] = None if percent is None else percent / 100
    changed = relief.evolve(**{name: each for name, each in changes.items() if each is not None})
    _check_reach(found, changed.near, changed.far)
    return with_layers(shot, [found.evolve(stands=changed)])


@verb("area of a relief")
def outline_relief(
    shot: Shot,
    *,
    thing: str,
    frame: int = 0,
    points: Annotated[list[tuple[float, float]], FROM_JSON],
) -> Shot:
    """Mark a part of a relief, to be brought nearer or farther by itself.

    ``points``: its outline in frame pixels, as seen at ``frame``; ``thing`` is the layer's id.
    """
    found = on_stage(shot, thing)
    relief = _relief(found)
    if len(relief.areas) >= MOST_AREAS:
        raise EditError(f"{found.name} has {MOST_AREAS} areas, as many as it may. Remove one.")
    state = evaluate(shot, [frame])[0]
    card = card_of(shot_at_frame(shot, frame), found, state.camera)
    there = [unit_at(card, state.camera, x, y) for x, y in points]
    outline = tuple((round(at[0], 4), round(at[1], 4)) for at in there if at)
    if len(outline) < 3:
        raise EditError(f"Too little of that lies on {found.name}. Draw round a part of it.")
    used = {each.id for each in relief.areas}
    key = next(str(n) for n in range(1, 10) if str(n) not in used)
    area = ReliefArea(id=key, outline=outline[:400], lift=_LIFT)
    changed = relief.evolve(areas=(*relief.areas, area))
    return with_layers(shot, [found.evolve(stands=changed)])


@verb("area of a relief")
def set_relief_area(
    shot: Shot,
    *,
    layer: str,
    area: str,
    percent: Annotated[float, Field(ge=-100, le=100)] | None = None,
    soft: Annotated[float, Field(ge=0, le=50)] | None = None,
) -> Shot:
    """Bring an area nearer, or farther below 0, in percent of the map's range.

    ``soft``: over how much its edge fades, in percent of the picture's width.
    """
    found = on_stage(shot, layer)
    old = _area(found, area)
    shares = {"lift": percent, "soft": soft}
    changed = old.evolve(**{name: each / 100 for name, each in shares.items() if each is not None})
    return with_layers(shot, [_with_area(found, old, changed)])


@verb("area of a relief")
def remove_relief_area(shot: Shot, *, layer: str, area: str) -> Shot:
    """Let an area lie as the map says again; its keys go."""
    found = on_stage(shot, layer)
    old = _area(found, area)
    return with_layers(_without(shot, layer, [old.value]), [_with_area(found, old, None)])


def _area(layer: Layer, area: str) -> ReliefArea:
    found = next((each for each in _relief(layer).areas if each.id == area), None)
    if found is None:
        raise EditError(f"{layer.name} has no such area any more.")
    return found


def _with_area(layer: Layer, old: ReliefArea, new: ReliefArea | None) -> Layer:
    relief = _relief(layer)
    areas = tuple(new if each is old else each for each in relief.areas)
    return layer.evolve(stands=relief.evolve(areas=tuple(filter(None, areas))))


def _without(shot: Shot, layer: str, values: Collection[str]) -> Shot:
    """Return the shot without the keys of some of a layer's values."""
    rows = (row for row in shot.rows if row.of != f"layer:{layer}" or row.value not in values)
    return shot.evolve(rows=tuple(rows))


@verb("flatten")
def flatten_layer(shot: Shot, *, layer: str) -> Shot:
    """Let a relief be flat again, at its layer's distance; its keys of depth go."""
    found = on_stage(shot, layer)
    relief = _relief(found)
    keyed = ["relief", "relief_near", "relief_far", *(each.value for each in relief.areas)]
    flat = found.evolve(stands=Taken(box=relief.box, stays=relief.stays))
    return with_layers(_without(shot, layer, keyed), [flat])


def _relief(layer: Layer) -> Relief:
    if layer.relief is None:
        raise EditError(f"{layer.name} is no relief. Raise it on its picture's Depth tab first.")
    return layer.relief


def _check_reach(layer: Layer, near: float, far: float) -> None:
    if near >= far:
        raise EditError(
            f"{layer.name} would begin at {near:g} m and end at {far:g} m. What is nearest must "
            "be nearer than what is farthest."
        )
