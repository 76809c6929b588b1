"""The shot file: a shot read from what JSON gives, and written as that.

``shot_schema`` is the published JSON Schema. A hand-written file may leave out what its pictures
tell; ``complete`` fills that in.
"""

from __future__ import annotations

import re
from typing import Any

from pydantic import ValidationError

from vistaline.core.errors import ShotError
from vistaline.core.explaining import explain
from vistaline.core.geometry.optics import covering_focal_length
from vistaline.core.shot.files import check_version, published
from vistaline.core.shot.migrations import migrated
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.stands import Box

__all__ = ["complete", "dump_shot", "fit_box", "parse_shot", "shot_schema"]

SHOT_VERSION = 2


def parse_shot(document: Any) -> Shot:
    """Return the shot a document describes.

    Raises
    ------
    ShotError
        With one sentence that names the field, and that field's path in ``field``; what else is
        wrong is in ``also``.
    """
    check_version(document, "vistaline", SHOT_VERSION, "shot")
    document = migrated(document)
    try:
        return Shot.model_validate(document)
    except ValidationError as error:
        told = explain(error, Shot)
        first, *also = (_by_name(line, document) for line in (str(told), *told.also))
        raise ShotError(first, field=told.field, also=also) from error


def _by_name(line: str, document: dict[str, Any]) -> str:
    """Return a sentence about a part of a layer so that it begins with the layer's name."""
    found = re.match(r"layers\.(\d+)\.(?=\S)", line)
    try:
        name = document["layers"][int(found[1])]["name"] if found else ""
    except (KeyError, IndexError, TypeError):
        name = ""
    return f"Layer {name!r}: {line[found.end() :]}" if found and name else line


def dump_shot(shot: Shot) -> dict[str, Any]:
    """Return the document of a shot: what JSON can hold, with defaults left out."""
    document = shot.model_dump(mode="json", exclude_defaults=True)
    return {"vistaline": shot.vistaline, "name": shot.name} | document


def shot_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of the shot file."""
    return published(Shot, "vistaline", f"Vistaline shot file, version {SHOT_VERSION}")


def fit_box(picture: tuple[int, int], canvas: tuple[int, int]) -> Box:
    """Return where a picture stands in a canvas when nothing else is known.

    The same size: in register. Another size: as it is if it fits, else made to fit; centred.

    >>> fit_box((400, 300), (400, 300))
    (0.0, 0.0, 400.0, 300.0)
    >>> fit_box((100, 200), (400, 300))
    (150.0, 50.0, 100.0, 200.0)
    """
    scale = min(1.0, canvas[0] / picture[0], canvas[1] / picture[1])
    width, height = picture[0] * scale, picture[1] * scale
    return (canvas[0] - width) / 2, (canvas[1] - height) / 2, width, height


def complete(shot: Shot, sizes: dict[str, tuple[int, int]]) -> Shot:
    """Fill in what a hand-written shot leaves to its pictures.

    ``sizes`` gives (width, height) in pixels by picture key. Filled in: picture sizes, the taking
    camera's canvas (the farthest layer's picture), its lens (so that the picture just covers the
    frame of the first framing), each layer's box.
    """
    pictures = {
        key: picture.evolve(width=sizes[key][0], height=sizes[key][1])
        for key, picture in shot.pictures.items()
    }
    camera = shot.taking_camera
    if camera.width is None or camera.height is None:
        seen = [layer for layer in shot.layers if not layer.is_card]
        farthest = max(seen, key=lambda layer: layer.distance, default=None)
        canvas = sizes[farthest.picture] if farthest else shot.frame.size
        camera = camera.evolve(width=canvas[0], height=canvas[1])
    if camera.focal_length is None:
        lens = covering_focal_length(
            shot.route.framings[0].lens, frame=shot.frame.size, picture=camera.canvas
        )
        camera = camera.evolve(focal_length=lens)
    layers = tuple(
        layer
        if layer.box or layer.is_card
        else layer.with_stands(box=fit_box(sizes[layer.picture], camera.canvas))
        for layer in shot.layers
    )
    return shot.evolve(pictures=pictures, taking_camera=camera, layers=layers)
