"""Where what stirs is held, told to a browser: lines and points on a layer's card."""

from __future__ import annotations

from vistaline.core.looks.pins import EDGES
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.poses import frame_ratio, framed_ratio

__all__ = ["held_on"]


def held_on(shot: Shot, layer: Layer) -> list[list[list[float]]]:
    """Return the lines, and points as lines of one, that hold what sways or is cloth.

    In shares of its card from the middle, y up: the card is larger than its picture by the room
    that it sways in. Empty for what does not stir.
    """
    if layer.stirs is None:
        return []
    # Nothing else is told where something is painted: that is all that holds what sways.
    edges = () if layer.sway and layer.sway.pins else EDGES[layer.stirs.held]
    wide, tall = (
        whole / framed
        for whole, framed in zip(frame_ratio(shot, layer), framed_ratio(shot, layer), strict=True)
    )
    return [
        [[round((x - 0.5) / wide, 5), round((0.5 - y) / tall, 5)] for x, y in line]
        for line in (*edges, *layer.stirs.pins)
    ]
