"""The edits a person can make to a picture's sheet: sheet -> new sheet.

Every function marked ``@verb`` may be asked for by name (``apply``; see ``core/verbs.py``); they
live by what they change: ``preparing``, ``cutting``, ``plating``, ``deepening``.
"""

from __future__ import annotations

from vistaline.core.sheet import cutting, deepening, plating, preparing
from vistaline.core.sheet.verbs import VERBS

__all__ = ["apply", "label"]

_EDITS = (preparing, cutting, plating, deepening)
"""Importing them is what makes their verbs known."""
apply, label = VERBS.apply, VERBS.label
