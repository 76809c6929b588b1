"""Edits of reliefs: pictures raised by a map of their depth."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from vistaline.core.depth.steps import distance_at
from vistaline.core.edits.registry import REGISTRY, on_stage, with_layers
from vistaline.core.errors import EditError
from vistaline.core.model import Distance
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.shot import PictureRef, Shot
from vistaline.core.shot.stands import Relief, Taken

__all__ = ["middle_of"]

verb = REGISTRY.verb


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


@verb("flatten")
def flatten_layer(shot: Shot, *, layer: str) -> Shot:
    """Let a relief be flat again, at its layer's distance; its keys of depth go."""
    found = on_stage(shot, layer)
    relief = _relief(found)
    rows = tuple(
        row
        for row in shot.rows
        if row.of != f"layer:{layer}" or row.value not in ("relief", "relief_near", "relief_far")
    )
    flat = found.evolve(stands=Taken(box=relief.box, stays=relief.stays))
    return with_layers(shot.evolve(rows=rows), [flat])


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
