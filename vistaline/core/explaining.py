"""What is wrong with a document, in one sentence that names the field and what to do."""

from __future__ import annotations

import re
from itertools import pairwise
from typing import Any

from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from vistaline.core.errors import ShotError
from vistaline.core.near import meant

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
    """Turn pydantic's findings into sentences that name the field and what to do.

    The first is the refusal, the others are what else is wrong (``also``).
    """
    found = error.errors(include_url=False)
    # A list whose only entry is wrong is called empty as well: that is no news.
    inner = {each["loc"][:n] for each in found for n in range(len(each["loc"]))}
    found = [each for each in found if each["type"] != "too_short" or each["loc"] not in inner]
    told = [_explained(each, model) for each in found]
    rest = dict.fromkeys(line for each in told for line in (str(each), *each.also))
    return ShotError(str(told[0]), field=told[0].field, also=[*rest][1:])


def _explained(first: ErrorDetails, model: type[BaseModel] | None) -> ShotError:
    cause = first.get("ctx", {}).get("error")
    place = _without_tags([str(part) for part in first["loc"]])
    field = ".".join(place)
    if isinstance(cause, ShotError):
        # Who refuses a part knows where in the part; the way to the part comes before that.
        inner = cause.field or ""
        told = inner and not f".{field}".endswith(f".{inner}")
        whole = ".".join(filter(None, [field, inner if told else ""]))
        return ShotError(str(cause), field=whole, also=cause.also)
    if first["type"] == "union_tag_invalid":
        kinds, given = first["ctx"]["expected_tags"], first["ctx"]["tag"]
        return ShotError(f"{field}.kind must be one of {kinds}; got {given!r}.", field=field)
    if first["type"] == "union_tag_not_found":
        return ShotError(f"{field}.kind is missing; it must be given.", field=field)
    if first["type"] == "extra_forbidden":
        loc = [str(part) for part in first["loc"]]
        known = _known_fields(model, loc[:-1]) if model else []
        hint = meant(place[-1], known) or "Remove it."
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


def _without_tags(place: list[str]) -> list[str]:
    """Return where something is without the kind that a layer shows, or stands as."""
    return [step for before, step in pairwise(["", *place]) if before not in ("shows", "stands")]


def _known_fields(model: type[BaseModel], place: list[str]) -> list[str]:
    schema: dict[str, Any] = model.model_json_schema()
    part = schema
    for step in place:
        if step in part.get("discriminator", {}).get("mapping", ()):
            part = {"$ref": part["discriminator"]["mapping"][step]}
            part = schema["$defs"][part["$ref"].rsplit("/", 1)[-1]]
            continue
        part = part.get("items") or part.get("properties", {}).get(
            step, part.get("additionalProperties") or {}
        )
        part = next((each for each in part.get("anyOf", ()) if "$ref" in each), part)
        if "$ref" in part:
            part = schema["$defs"][part["$ref"].rsplit("/", 1)[-1]]
    return list(part.get("properties", ()))
