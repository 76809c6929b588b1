"""What renders become, kept by name in a project, for any of its shots."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.core.delivery.delivery import Delivery, parse_delivery
from vistaline.store.models import KeptDelivery

__all__ = ["deliveries_in", "forget_delivery", "keep_delivery", "kept_delivery"]

MOST = 200


def deliveries_in(session: Session, project_id: int) -> list[KeptDelivery]:
    """Return the kept deliveries of a project, by name."""
    query = select(KeptDelivery).where(KeptDelivery.project_id == project_id)
    return list(session.scalars(query.order_by(KeptDelivery.name)))


def keep_delivery(session: Session, project_id: int, name: str, delivery: Delivery) -> KeptDelivery:
    """Keep a delivery by a name; one of that name is replaced. Returns it as it is kept.

    Raises
    ------
    Refused
        It has no name, or there are too many.
    """
    name = name.strip()[:80]
    if not name:
        raise Refused("What is kept needs a name. Type one.")
    known = {each.name: each for each in deliveries_in(session, project_id)}
    if name not in known and len(known) >= MOST:
        raise Refused(f"A project keeps {MOST} at most. Remove one first.")
    kept = known.get(name) or KeptDelivery(project_id=project_id, name=name)
    kept.delivery = delivery.model_dump(mode="json")
    session.add(kept)
    session.flush()
    return kept


def kept_delivery(session: Session, project_id: int, kept: int) -> Delivery:
    """Return a kept delivery of a project."""
    return parse_delivery(_kept(session, project_id, kept).delivery)


def forget_delivery(session: Session, project_id: int, kept: int) -> None:
    """Remove a kept delivery."""
    session.delete(_kept(session, project_id, kept))
    session.flush()


def _kept(session: Session, project_id: int, kept: int) -> KeptDelivery:
    found = session.get(KeptDelivery, kept)
    if found is None or found.project_id != project_id:
        raise Refused("That is not kept any more. Reload the page.")
    return found
