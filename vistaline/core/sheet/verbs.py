"""What all edits of a sheet share: the list of their verbs, and how a step is found and refused."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from vistaline.core.errors import EditError
from vistaline.core.explaining import explain
from vistaline.core.sheet.sheet import Sheet
from vistaline.core.verbs import Verbs

__all__ = ["VERBS", "at", "step_words", "verb"]

VERBS: Verbs[Sheet] = Verbs()
verb = VERBS.verb


def at(steps: Sequence[Any], index: int) -> int:
    """Return ``index`` if ``steps`` has it; EditError if not."""
    if not 0 <= index < len(steps):
        raise EditError("There is no such step any more. Reload the page.")
    return index


def step_words(error: ValidationError) -> str:
    """Return what is wrong with a step, as a sentence."""
    words = str(explain(error))
    return words[:1].upper() + words[1:]
