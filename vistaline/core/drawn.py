"""Layers whose look is drawn from their description instead of read from a file."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass

from vistaline.core.arrays import Rgba16
from vistaline.core.fields import draw_field
from vistaline.core.shot import Layer, Shot

__all__ = ["Drawing", "drawing_of", "drawings_of"]


@dataclass(frozen=True)
class Drawing:
    """A look by the hash of its description, and how to draw it."""

    name: str
    draw: Callable[[], Rgba16]


def drawing_of(layer: Layer) -> Drawing | None:
    """Return how a layer's look is drawn; None if it shows a picture."""
    if layer.field is None:
        return None
    field = layer.field
    name = hashlib.sha256(f"field 1 {field.model_dump_json()}".encode()).hexdigest()
    return Drawing(name, lambda: draw_field(field))


def drawings_of(shot: Shot) -> dict[str, Drawing]:
    """Return the drawings of a shot's shown layers by their textures."""
    found = {layer.texture: drawing_of(layer) for layer in shot.layers if not layer.hidden}
    return {texture: drawing for texture, drawing in found.items() if drawing is not None}
