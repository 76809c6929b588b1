"""The layers of a shot as the camera sees them at a frame, as an OpenRaster file."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

import numpy as np

from vistaline.core.formats.openraster import RasterLayer, write_openraster
from vistaline.core.looks.blending import Blend
from vistaline.core.picture.colour import straight_codes
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.picture.still import encode_png
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.air import Particles
from vistaline.core.shot.effects import Effect, On
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate

__all__ = ["write_layers"]


def write_layers(
    shot: Shot,
    looks: Mapping[str, Pyramid],
    frame: int,
    path: Path,
    *,
    progress: Callable[[float], None] = lambda share: None,
) -> None:
    """Write each layer that is seen at a frame as it looks alone, nearest first, and the ground.

    What is of the layer is in it: its place, size, focus, light, haze, effects. What is of the
    whole frame is not: particles, callouts, effects on the frame, shadows that fall on others.
    """
    layers = list(_layers(shot, looks, frame, progress))
    width, height = shot.frame.size
    ground = np.empty((height, width, 3), np.uint8)
    ground[:] = [int(shot.background[at : at + 2], 16) for at in (1, 3, 5)]
    layers.append(RasterLayer(name="Background", png=encode_png(ground)))
    write_openraster(path, shot.frame.size, layers)


def _layers(
    shot: Shot, looks: Mapping[str, Pyramid], frame: int, progress: Callable[[float], None]
) -> Iterator[RasterLayer]:
    bare = shot.evolve(
        callouts=(),
        dressing=tuple(each for each in shot.dressing if not _is_of_frame(each)),
        solo="",
    )
    state = evaluate(bare, [frame])[0]
    near_to_far = [state.cards[index].layer for index in reversed(state.order)]
    for n, layer in enumerate(near_to_far):
        progress(n / len(near_to_far))
        alone = bare.evolve(
            layers=tuple(
                each.evolve(blend=Blend.NORMAL) if each.id == layer.id else each.evolve(hidden=True)
                for each in bare.layers
            )
        )
        codes = straight_codes(Renderer(alone, looks).linear(frame, over_ground=False))
        rows, columns = (np.flatnonzero(codes[..., 3].any(axis=axis)) for axis in (1, 0))
        if not len(rows):
            continue
        top, left = int(rows[0]), int(columns[0])
        seen = codes[top : rows[-1] + 1, left : columns[-1] + 1]
        yield RasterLayer(
            name=layer.name,
            png=encode_png(np.ascontiguousarray(seen)),
            x=left,
            y=top,
            blend=layer.blend.value,
        )


def _is_of_frame(dressing: object) -> bool:
    if isinstance(dressing, Effect):
        return dressing.over.kind is On.FRAME
    return isinstance(dressing, Particles)
