"""Looks that are kept by name in a project: lists of effects, for any of its shots."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy.orm import Session

from vistaline.actions import by_name
from vistaline.actions.shots import current_shot
from vistaline.core.edits.kept_looks import look_of
from vistaline.store.models import KeptLook, ShotRow

__all__ = ["effects_of", "forget_look", "keep_look", "looks_in"]


def looks_in(session: Session, project_id: int) -> list[KeptLook]:
    """Return the looks of a project, by name."""
    return by_name.kept_in(session, KeptLook, project_id)


def keep_look(session: Session, row: ShotRow, thing: str, name: str) -> None:
    """Keep all effects on the same as one by a name; one of that name is replaced.

    Raises
    ------
    Refused
        It has no name, or there are too many.
    """
    effects = json.dumps(look_of(current_shot(session, row), thing))
    by_name.keep(session, KeptLook, row.project_id, name, "A look", effects=effects)


def effects_of(session: Session, project_id: int, look: int) -> dict[str, Any]:
    """Return the effects of a kept look and the pictures they use: ``effects``, ``pictures``."""
    found = json.loads(by_name.kept(session, KeptLook, project_id, look).effects)
    # Before looks kept pictures, they were lists of effects.
    return {"effects": found, "pictures": {}} if isinstance(found, list) else dict(found)


def forget_look(session: Session, project_id: int, look: int) -> None:
    """Remove a look; what it was put on keeps its effects."""
    session.delete(by_name.kept(session, KeptLook, project_id, look))
    session.flush()
