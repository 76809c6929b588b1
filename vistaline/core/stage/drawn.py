"""Looks that are drawn from a description instead of read from a file, and where all are found."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import assert_never

from vistaline.core.arrays import Rgba16
from vistaline.core.looks.fields import draw_field
from vistaline.core.looks.frame_styles import draw_framed
from vistaline.core.looks.gobos import GoboShape, draw_gobo
from vistaline.core.looks.lettering import draw_title, extents
from vistaline.core.looks.occluders import draw_occluder
from vistaline.core.picture.pyramid import BORDER, Pyramid, PyramidStore
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.cards import cards_over
from vistaline.core.stage.poses import framed_as, texture_of, window_aspect
from vistaline.core.stage.shadows import draw_shadow
from vistaline.core.stage.textures import (
    DrawnLook,
    GoboLook,
    PictureLook,
    ShadowLook,
    texture_called,
)
from vistaline.core.stage.tracks import layer_looking, track_of

__all__ = ["Looks", "drawing_of", "look_called"]

_EVERY = 12
_SMALLEST_EM, _LARGEST_EM = 32.0, 4096.0
_SHADOW_SOURCE = 512


@dataclass(frozen=True)
class Drawing:
    """A look by the hash of its description, and how to draw it from those it is made of."""

    name: str
    draw: Callable[[Mapping[str, Pyramid]], Rgba16]


class Looks(Mapping[str, Pyramid]):
    """The looks of a shot's layers and shadows by their textures, each made when asked for."""

    def __init__(self, shot: Shot, store: PyramidStore, picture: Callable[[str], Pyramid]) -> None:
        """``picture`` gives the pyramid of one of the shot's pictures by its key."""
        self._shot, self._store, self._picture = shot, store, picture
        self._found: dict[str, Pyramid] = {}

    def __getitem__(self, texture: str) -> Pyramid:
        # Every frame asks for every look; what one is drawn from is found out once.
        if texture not in self._found:
            self._found[texture] = self._look(texture)
        return self._found[texture]

    def _look(self, texture: str) -> Pyramid:
        if texture in self._shot.pictures:
            return self._picture(texture)
        drawing = look_called(self._shot, texture)
        if drawing is None:
            raise KeyError(texture)
        return self._store.get(drawing.name, lambda: drawing.draw(self))

    def __iter__(self) -> Iterator[str]:
        return iter(sorted(self._shown))

    def __len__(self) -> int:
        return len(self._shown)

    @cached_property
    def _shown(self) -> set[str]:
        shot = self._shot
        frames = range(shot.frame.duration)
        shown = [layer for layer in shot.layers if not layer.hidden]
        drawn = {texture_of(shot, layer) for layer in shown if layer.is_backdrop}
        standing = [layer for layer in shown if not layer.is_backdrop]
        return drawn.union(*(track_of(shot, layer, frames).textures for layer in standing))


def look_called(shot: Shot, texture: str) -> Drawing | None:
    """Return how the look of this name is drawn; None if it is a picture, or unknown."""
    layers = {layer.id: layer for layer in shot.layers}
    look = texture_called(texture, shot.pictures, layers)
    match look:
        case None | PictureLook():
            return None
        case GoboLook(lamp):
            gobo = next((each.gobo for each in shot.lamps if each.id == lamp), None)
            if gobo is None or gobo.shape is GoboShape.PICTURE:
                return None
            # What is keyed of it changes how it falls, not what is drawn.
            said = gobo.evolve(blur=0.0, width=1.0)
            return Drawing(_named("gobo 1", said.model_dump_json()), lambda _: draw_gobo(said))
        case DrawnLook(layer, frame):
            drawn = shot, layers[layer]
            return drawing_of(*(drawn if frame is None else layer_looking(*drawn, frame)))
        case ShadowLook(steps, of):
            source = str(of)
            inner = look_called(shot, source)
            named = inner.name if inner else shot.pictures[source].file
            return Drawing(
                _named("shadow 1", str(steps), named),
                lambda looks: draw_shadow(_small(looks[source]), steps),
            )
    assert_never(look)


def drawing_of(shot: Shot, layer: Layer) -> Drawing | None:
    """Return how a layer's look is drawn; None if it is a picture as it is."""
    if layer.field is not None:
        field = layer.field
        return Drawing(_named("field 1", field.model_dump_json()), lambda _: draw_field(field))
    if layer.occluder is not None:
        occluder = layer.occluder
        return Drawing(
            _named("occluder 1", occluder.model_dump_json()), lambda _: draw_occluder(occluder)
        )
    if layer.title is not None:
        title, em = layer.title, _sharpest_em(shot, layer, layer.title.size)
        return Drawing(
            _named("title 1", f"{em} {title.model_dump_json()}"),
            lambda _: draw_title(title, em=em),
        )
    style, crop = framed_as(shot, layer), layer.crop
    if style is None and crop is None:
        return None
    key, aspect = layer.picture, window_aspect(shot, layer)
    # A shadow is no part of what is drawn.
    drawn_style = style.evolve(shadow=None) if style else None
    said = [drawn_style.model_dump_json() if drawn_style else "", crop and crop.model_dump_json()]
    return Drawing(
        _named("framed 1", shot.pictures[key].file, f"{said} {aspect and round(aspect, 6)}"),
        lambda looks: draw_framed(looks[key].picture, drawn_style, crop, aspect),
    )


def _small(pyramid: Pyramid) -> Rgba16:
    """Return a look at about the size that a shadow needs."""
    longer = max(pyramid.width, pyramid.height)
    n = min(max(0, int(math.log2(max(1.0, longer / _SHADOW_SOURCE)))), len(pyramid.levels) - 1)
    inside = pyramid.levels[n][BORDER:-BORDER, BORDER:-BORDER]
    return inside[: max(1, pyramid.height >> n), : max(1, pyramid.width >> n)]


def _named(*parts: str) -> str:
    return hashlib.sha256(" ".join(parts).encode()).hexdigest()


def _sharpest_em(shot: Shot, layer: Layer, size: float) -> float:
    """Return pixels to the em that the closest framing of the route shows, rounded up.

    In steps of a square root of two, so that a small move asks for no other drawing.
    """
    closest = 1.0
    frames = [*range(0, shot.frame.duration, _EVERY), shot.frame.duration - 1]
    # As large as it stands there: its height tells the em, whatever its keys make of it.
    em = size / extents(layer.title)[1] if layer.title else 1.0
    cameras = camera_states(shot, frames)
    for camera, card in zip(cameras, cards_over(shot, layer, frames, cameras), strict=True):
        depth = -(camera.camera_from_world @ card.world_from_card)[2, 3]
        if depth > 0:
            closest = max(closest, camera.focal_px / depth * card.height * em)
    steps = math.ceil(2 * math.log2(min(max(closest, _SMALLEST_EM), _LARGEST_EM)))
    return float(2 ** (steps / 2))
