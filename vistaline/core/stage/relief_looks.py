"""The looks of reliefs: what their sheets show, their maps, and their slices, made all at once."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Mapping
from functools import partial

from vistaline.core.arrays import Rgba16
from vistaline.core.picture.colour import srgb_table
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.relief.sheets import SHEETS, SLICES, Sheets, sheets_of, slice_of
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.textures import RaisedLook

__all__ = ["raised_name", "relief_parts"]

_MAKING = threading.Lock()


def raised_name(shot: Shot, layer: Layer, part: int) -> str | None:
    """Return what a part of a relief is kept by; None if the layer is none."""
    relief = layer.relief
    if relief is None or relief.depth not in shot.pictures:
        return None
    files = (shot.pictures[key].file for key in (layer.picture, relief.depth))
    told = " ".join(("raised 1", *files, str(relief.texture), str(part)))
    return hashlib.sha256(told.encode()).hexdigest()


def relief_parts(
    shot: Shot, layer: Layer, looks: Mapping[str, Pyramid], store: PyramidStore
) -> Mapping[str, Pyramid]:
    """Return all looks of a relief by their names, made and kept if they are not yet.

    ``looks`` has its picture and its map.

    Raises
    ------
    KeyError
        The layer is no relief.
    """
    made: list[Rgba16] = []
    maps = str(RaisedLook(SHEETS, layer.id))

    def draw(part: int) -> Rgba16:
        if not made:
            sheets = _sheets(layer, looks)
            made.extend((*sheets.pictures, sheets.maps))
        return made[part]

    def sliced(part: int) -> Rgba16:
        return slice_of(found[maps].picture, part - SHEETS - 1)

    found: dict[str, Pyramid] = {}
    # A page asks for all of them at once: one makes them, the others find them made.
    with _MAKING:
        for part in range(SHEETS + 1 + SLICES):
            name, look = raised_name(shot, layer, part), str(RaisedLook(part, layer.id))
            if name is None:
                raise KeyError(look)
            found[look] = store.get(name, partial(sliced if part > SHEETS else draw, part))
    return found


def _sheets(layer: Layer, looks: Mapping[str, Pyramid]) -> Sheets:
    relief = layer.relief
    assert relief
    picture, depth = (looks[key].picture for key in (layer.picture, relief.depth))
    # A map's codes say how near it is, not how light: back from the light they were taken for.
    nearness = srgb_table()[depth[..., 0]] / 255
    return sheets_of(picture, nearness, texture=relief.texture)
