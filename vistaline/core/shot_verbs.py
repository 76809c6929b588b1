"""What all edits of a shot share: the registry they are asked for by name, and small steps."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from vistaline.core.errors import EditError
from vistaline.core.shot import Layer, PictureRef, Shot
from vistaline.core.verbs import Verbs

__all__ = [
    "REGISTRY",
    "pictures_used",
    "standing",
    "unlocked",
    "with_layer",
    "with_layers",
    "without",
]

REGISTRY: Verbs[Shot] = Verbs()


def with_layer(shot: Shot, layer_id: str, **changes: Any) -> Shot:
    """Return the shot with values of one layer changed."""
    return with_layers(shot, [shot.layer(layer_id).evolve(**changes)])


def with_layers(shot: Shot, changed: Iterable[Layer]) -> Shot:
    """Return the shot with these layers in the place of those with their ids."""
    new = {layer.id: layer for layer in changed}
    return shot.evolve(layers=tuple(new.get(layer.id, layer) for layer in shot.layers))


def without(shot: Shot, ids: Collection[str]) -> Shot:
    """Return the shot without some layers, and without what only they had use for."""
    rest = []
    for layer in shot.layers:
        if layer.id in ids:
            continue
        lost = {
            "matte": None if layer.matte and layer.matte.of in ids else layer.matte,
            "paired": "" if layer.paired in ids else layer.paired,
        }
        changed = lost != {"matte": layer.matte, "paired": layer.paired}
        rest.append(layer.evolve(**lost) if changed else layer)
    return shot.evolve(layers=tuple(rest), pictures=pictures_used(shot, rest))


def pictures_used(shot: Shot, layers: Iterable[Layer]) -> dict[str, PictureRef]:
    """Return the pictures of a shot that some layers show."""
    used = {layer.picture for layer in layers}
    return {key: picture for key, picture in shot.pictures.items() if key in used}


def unlocked(shot: Shot, layer_id: str) -> Layer:
    """Return a layer that may be moved."""
    layer = shot.layer(layer_id)
    if layer.locked:
        raise EditError(f"{layer.name} is locked. Unlock it to move it.")
    return layer


def standing(shot: Shot, layer_id: str) -> Layer:
    """Return a layer that may be moved and stands somewhere: no backdrop."""
    layer = unlocked(shot, layer_id)
    if layer.is_backdrop:
        raise EditError(f"{layer.name} is a backdrop, behind everything; it stands nowhere.")
    return layer
