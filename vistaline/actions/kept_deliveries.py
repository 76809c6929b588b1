"""What renders become, kept by name in a project, for any of its shots."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vistaline.actions import by_name
from vistaline.core.delivery.delivery import Delivery, parse_delivery
from vistaline.store.models import KeptDelivery

__all__ = ["deliveries_in", "forget_delivery", "keep_delivery", "kept_delivery"]


def deliveries_in(session: Session, project_id: int) -> list[KeptDelivery]:
    """Return the kept deliveries of a project, by name."""
    return by_name.kept_in(session, KeptDelivery, project_id)


def keep_delivery(session: Session, project_id: int, name: str, delivery: Delivery) -> KeptDelivery:
    """Keep a delivery by a name; one of that name is replaced. Refused if it has none."""
    document = delivery.model_dump(mode="json")
    words = "What is kept"
    return by_name.keep(session, KeptDelivery, project_id, name, words, delivery=document)


def kept_delivery(session: Session, project_id: int, number: int) -> Delivery:
    """Return a kept delivery of a project."""
    return parse_delivery(by_name.kept(session, KeptDelivery, project_id, number).delivery)


def forget_delivery(session: Session, project_id: int, number: int) -> None:
    """Remove a kept delivery; renders that were asked for with it stay as they are."""
    session.delete(by_name.kept(session, KeptDelivery, project_id, number))
    session.flush()
