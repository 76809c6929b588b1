"""The shot file: a shot read from what JSON gives, and written as that.

``shot_schema`` is the published JSON Schema. A hand-written file may leave out what its pictures
tell; ``complete`` fills that in.
"""

from __future__ import annotations

import difflib
import re
from typing import Any

from pydantic import BaseModel, ValidationError

from vistaline.core.errors import ShotError
from vistaline.core.optics import covering_focal_length
from vistaline.core.shot import Box, Shot

__all__ = [
    "SHOT_VERSION",
    "complete",
    "dump_shot",
    "explain",
    "fit_box",
    "parse_shot",
    "shot_schema",
]

SHOT_VERSION = 1
_MANY = {
    "prepare": "steps of preparing a picture",
    "clones": "strokes of the clone brush on one plate",
    "points": "points in one stroke",
    "frame_styles": "frame styles",
    "rows": "values with keys",
    "edges": "marked edges",
    "eases": "eases of one's own",
    "stops": "colours in a gradient",
}
"""What people call the lists that have a limit, where the document's word is another."""


def parse_shot(document: Any) -> Shot:
    """Return the shot a document describes.

    Raises
    ------
    ShotError
        With one sentence that names the field, and that field's path in ``field``.
    """
    if not isinstance(document, dict) or "vistaline" not in document:
        raise ShotError(
            'This is not a shot file: it has no "vistaline" entry with its version at the top.',
            field="vistaline",
        )
    version = document["vistaline"]
    if isinstance(version, int) and version > SHOT_VERSION:
        raise ShotError(
            f"This shot file is version {version}; this Vistaline reads up to version "
            f"{SHOT_VERSION}. Open it with a newer Vistaline.",
            field="vistaline",
        )
    try:
        return Shot.model_validate(document)
    except ValidationError as error:
        raise explain(error, Shot) from error


def dump_shot(shot: Shot) -> dict[str, Any]:
    """Return the document of a shot: what JSON can hold, with defaults left out."""
    document = shot.model_dump(mode="json", exclude_defaults=True)
    return {"vistaline": shot.vistaline, "name": shot.name} | document


def shot_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of the shot file."""
    schema = Shot.model_json_schema()
    schema["required"] = sorted({*schema.get("required", ()), "vistaline"})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Vistaline shot file, version 1",
    } | schema


def explain(error: ValidationError, model: type[BaseModel] | None = None) -> ShotError:
    """Turn pydantic's first finding into one sentence that names the field and what to do."""
    first = error.errors(include_url=False)[0]
    cause = first.get("ctx", {}).get("error")
    place = [str(part) for part in first["loc"]]
    field = ".".join(place)
    if isinstance(cause, ShotError):
        inner = cause.field.split(".")[-1] if cause.field else ""
        return ShotError(str(cause), field=cause.field if "." in cause.field else field or inner)
    if first["type"] == "extra_forbidden":
        known = _known_fields(model, place[:-1]) if model else []
        near = difflib.get_close_matches(place[-1], known, n=1)
        hint = f"Did you mean {near[0]!r}?" if near else "Remove it."
        return ShotError(f"{field} is not a known field. {hint}", field=field)
    if first["type"] in ("missing", "missing_keyword_only_argument"):
        return ShotError(f"{field} is missing; it must be given.", field=field)
    if first["type"] == "too_long":
        named = next((part for part in reversed(place) if not part.isdigit()), "entries")
        most = first["ctx"]["max_length"]
        return ShotError(
            f"There can be at most {most:,} {_MANY.get(named, named)}. Remove some first.",
            field=field,
        )
    rule = re.sub(r"^(Input|Value|String|Tuple|List) should", "must", first["msg"])
    given = repr(first["input"])
    return ShotError(f"{field or 'the document'} {rule}; got {given[:60]}.", field=field)


def _known_fields(model: type[BaseModel], place: list[str]) -> list[str]:
    schema: dict[str, Any] = model.model_json_schema()
    part = schema
    for step in place:
        part = part.get("items") or part.get("properties", {}).get(
            step, part.get("additionalProperties") or {}
        )
        if "$ref" in part:
            part = schema["$defs"][part["$ref"].rsplit("/", 1)[-1]]
    return list(part.get("properties", ()))


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
        else layer.evolve(box=fit_box(sizes[layer.picture], camera.canvas))
        for layer in shot.layers
    )
    return shot.evolve(pictures=pictures, taking_camera=camera, layers=layers)
