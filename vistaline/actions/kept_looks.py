"""Looks that are kept by name in a project: lists of effects, for any of its shots."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.shots import current_shot
from vistaline.core.edits.kept_looks import look_of
from vistaline.store.models import KeptLook, ShotRow

__all__ = ["effects_of", "forget_look", "keep_look", "looks_in"]

MOST_LOOKS = 200


def looks_in(session: Session, project_id: int) -> list[KeptLook]:
    """Return the looks of a project, by name."""
    query = select(KeptLook).where(KeptLook.project_id == project_id).order_by(KeptLook.name)
    return list(session.scalars(query))


def keep_look(session: Session, row: ShotRow, thing: str, name: str) -> None:
    """Keep all effects on the same as one by a name; one of that name is replaced.

    Raises
    ------
    Refused
        It has no name, or there are too many.
    """
    name = name.strip()[:80]
    if not name:
        raise Refused("A look needs a name. Type one.")
    effects = json.dumps(look_of(current_shot(session, row), thing))
    known = {each.name: each for each in looks_in(session, row.project_id)}
    if name in known:
        known[name].effects = effects
    elif len(known) >= MOST_LOOKS:
        raise Refused(f"A project keeps {MOST_LOOKS} looks at most. Remove one first.")
    else:
        session.add(KeptLook(project_id=row.project_id, name=name, effects=effects))
    session.flush()


def effects_of(session: Session, project_id: int, look: int) -> dict[str, Any]:
    """Return the effects of a kept look and the pictures they use: ``effects``, ``pictures``."""
    found = json.loads(_look(session, project_id, look).effects)
    # Before looks kept pictures, they were lists of effects.
    return {"effects": found, "pictures": {}} if isinstance(found, list) else dict(found)


def forget_look(session: Session, project_id: int, look: int) -> None:
    """Remove a look; what it was put on keeps its effects."""
    session.delete(_look(session, project_id, look))
    session.flush()


def _look(session: Session, project_id: int, look: int) -> KeptLook:
    found = session.get(KeptLook, look)
    if found is None or found.project_id != project_id:
        raise Refused("That look is not kept any more. Reload the page.")
    return found
