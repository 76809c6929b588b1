"""What shot files and film files have in common: a version at their top, a published schema."""

from __future__ import annotations

from typing import Any

from vistaline.core.errors import ShotError
from vistaline.core.model import Part

__all__ = ["check_version", "published"]


def check_version(document: Any, entry: str, newest: int, what: str) -> None:
    """Raise ShotError unless a document has its version in ``entry``, no newer than ``newest``.

    ``what``: what such a file is of.
    """
    if not isinstance(document, dict) or entry not in document:
        raise ShotError(
            f'This is not a {what} file: it has no "{entry}" entry with its version at the top.',
            field=entry,
        )
    version = document[entry]
    if isinstance(version, int) and version > newest:
        raise ShotError(
            f"This {what} file is version {version}; this Vistaline reads up to version "
            f"{newest}. Open it with a newer Vistaline.",
            field=entry,
        )


def published(model: type[Part], entry: str, title: str) -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of files with a version in ``entry``."""
    schema = model.model_json_schema()
    schema["required"] = sorted({*schema.get("required", ()), entry})
    first = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": title}
    return first | schema | first
