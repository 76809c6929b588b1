"""What is wrong with a document, in one sentence that names the field and what to do."""

from __future__ import annotations

import difflib
import re
from typing import Any

from pydantic import BaseModel, ValidationError

from vistaline.core.errors import ShotError

__all__ = ["explain"]

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
