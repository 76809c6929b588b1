"""What a project keeps by name, for all its shots: looks, and what renders become."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.store.models import KeptDelivery, KeptLook

__all__ = ["keep", "kept", "kept_in"]

MOST = 200
Kind = TypeVar("Kind", KeptLook, KeptDelivery)


def kept_in(session: Session, kind: type[Kind], project_id: int) -> list[Kind]:
    """Return what a project keeps of a kind, by name."""
    query = select(kind).where(kind.project_id == project_id).order_by(kind.name)
    return list(session.scalars(query))


def keep(
    session: Session, kind: type[Kind], project_id: int, name: str, words: str, **values: Any
) -> Kind:
    """Keep something by a name; one of that name is replaced. ``words``: what it is called.

    Raises
    ------
    Refused
        It has no name, or there are too many.
    """
    name = name.strip()[:80]
    if not name:
        raise Refused(f"{words} needs a name. Type one.")
    known = {each.name: each for each in kept_in(session, kind, project_id)}
    if name not in known and len(known) >= MOST:
        raise Refused(f"A project keeps {MOST} of these at most. Remove one first.")
    found = known.get(name) or kind(project_id=project_id, name=name)
    for field, value in values.items():
        setattr(found, field, value)
    session.add(found)
    session.flush()
    return found


def kept(session: Session, kind: type[Kind], project_id: int, number: int) -> Kind:
    """Return what is kept under a number; Refused if that is not of this project any more."""
    found = session.get(kind, number)
    if found is None or found.project_id != project_id:
        raise Refused("That is not kept any more. Reload the page.")
    return found
