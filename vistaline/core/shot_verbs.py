"""What all edits of a shot share: the registry they are asked for by name, and small steps."""

from __future__ import annotations

from typing import Any

from vistaline.core.errors import EditError
from vistaline.core.shot import Layer, Shot
from vistaline.core.verbs import Verbs

__all__ = ["REGISTRY", "standing", "unlocked", "with_layer", "with_layers"]

REGISTRY: Verbs[Shot] = Verbs()


def with_layer(shot: Shot, layer_id: str, **changes: Any) -> Shot:
    """Return the shot with values of one layer changed."""
    shot.layer(layer_id)
    return with_layers(shot, {layer_id: changes})


def with_layers(shot: Shot, changes: dict[str, dict[str, Any]]) -> Shot:
    """Return the shot with values of several layers changed, by their ids."""
    return shot.evolve(
        layers=tuple(
            layer.evolve(**changes[layer.id]) if layer.id in changes else layer
            for layer in shot.layers
        )
    )


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
