"""What made a file, told in it: the version, and the hash of what was rendered."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from typing import Any

from vistaline import __version__
from vistaline.core.film.film import Film, dump_film
from vistaline.core.render.reel import Reel
from vistaline.core.shot.document import dump_shot

__all__ = ["made_by"]


def made_by(reel: Reel, content_of: Callable[[str], str]) -> str:
    """Return the words for what made frames of a shot or a film.

    The hash is of its document, with pictures by their content, wherever they lie and whatever
    they are called: ``content_of`` returns the SHA-256 of a picture's file, as the document names
    it. So the same shot has the same words on every machine.
    """
    document = dump_film(reel) if isinstance(reel, Film) else dump_shot(reel)
    whole = json.dumps(_by_content(document, content_of), sort_keys=True)
    return f"Vistaline {__version__}, {hashlib.sha256(whole.encode()).hexdigest()[:16]}"


def _by_content(document: Mapping[str, Any], content_of: Callable[[str], str]) -> dict[str, Any]:
    out = dict(document)
    if pictures := out.get("pictures"):
        out["pictures"] = {
            key: each | {"file": content_of(each["file"])} for key, each in pictures.items()
        }
    if shots := out.get("shots"):
        out["shots"] = {
            key: _by_content(each["document"], content_of) if each.get("document") else {}
            for key, each in shots.items()
        }
    return out
