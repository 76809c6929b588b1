"""Layers whose look is drawn from their description instead of read from a file."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable
from dataclasses import dataclass

from vistaline.core.arrays import Rgba16
from vistaline.core.evaluate import camera_states, card_of
from vistaline.core.fields import draw_field
from vistaline.core.lettering import draw_title
from vistaline.core.shot import Layer, Shot

__all__ = ["Drawing", "drawing_of", "drawings_of"]

_EVERY = 12
_SMALLEST_EM, _LARGEST_EM = 32.0, 4096.0


@dataclass(frozen=True)
class Drawing:
    """A look by the hash of its description, and how to draw it."""

    name: str
    draw: Callable[[], Rgba16]


def drawing_of(shot: Shot, layer: Layer) -> Drawing | None:
    """Return how a layer's look is drawn; None if it shows a picture."""
    if layer.field is not None:
        field = layer.field
        return Drawing(_named("field 1", field.model_dump_json()), lambda: draw_field(field))
    if layer.title is not None:
        title, em = layer.title, _sharpest_em(shot, layer, layer.title.size)
        return Drawing(
            _named("title 1", f"{em} {title.model_dump_json()}"), lambda: draw_title(title, em=em)
        )
    return None


def drawings_of(shot: Shot) -> dict[str, Drawing]:
    """Return the drawings of a shot's shown layers by their textures."""
    found = {layer.texture: drawing_of(shot, layer) for layer in shot.layers if not layer.hidden}
    return {texture: drawing for texture, drawing in found.items() if drawing is not None}


def _named(*parts: str) -> str:
    return hashlib.sha256(" ".join(parts).encode()).hexdigest()


def _sharpest_em(shot: Shot, layer: Layer, size: float) -> float:
    """Return pixels to the em that the closest framing of the route shows, rounded up.

    In steps of a square root of two, so that a small move asks for no other drawing.
    """
    closest = 1.0
    frames = [*range(0, shot.frame.duration, _EVERY), shot.frame.duration - 1]
    for camera in camera_states(shot, frames):
        card = card_of(shot, layer, camera)
        depth = -(camera.camera_from_world @ card.world_from_card)[2, 3]
        if depth > 0:
            closest = max(closest, camera.focal_px / depth * size * layer.scale)
    steps = math.ceil(2 * math.log2(min(max(closest, _SMALLEST_EM), _LARGEST_EM)))
    return float(2 ** (steps / 2))
